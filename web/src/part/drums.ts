/** The passes that are one drum's alone, and what they come to. */
import type { Pass, Recipe } from "../api/generated/types";
import type { WorkspaceState } from "./store";

/** Whether a pass is on, for just this instrument, and all of it is played. */
function isFor({ groups }: Recipe, { on, aim, group }: Pass, instrument: string) {
	const { instruments, ...more } = aim;
	const own = groups?.find(({ id }) => id === group);
	const whole = !own || (own.on && own.amount === 100);
	return (
		on &&
		whole &&
		instruments?.length === 1 &&
		instruments[0] === instrument &&
		Object.keys(more).length === 0
	);
}

/** How much louder a drum is made by a pass of its own. */
export function levelOf(recipe: Recipe, instrument: string): number {
	const passes = recipe.passes.filter((pass) => isFor(recipe, pass, instrument));
	const last = passes.findLast(({ action }) => action.kind === "level");
	return last?.action.kind === "level" ? last.action.by : 0;
}

/** How far its velocities are spread by a pass of its own, in %. */
export function contrastOf(recipe: Recipe, instrument: string): number {
	const passes = recipe.passes.filter((pass) => isFor(recipe, pass, instrument));
	const last = passes.findLast(({ action }) => action.kind === "contrast");
	return last?.action.kind === "contrast" ? last.action.contrast : 100;
}

/** The drums that are meant by something done to one of them: all whose names are selected, if its own is. */
export const drumsWith = ({ selectedRows }: Pick<WorkspaceState, "selectedRows">, instrument: string) =>
	selectedRows.has(instrument) ? [...selectedRows] : [instrument];
