/** Changing recipes: finding the pass a gesture means, or making it. */
import type { Action, ActionOffer, Aim, Figures, Pass, Recipe } from "../api/generated/types";

export const nextId = (recipe: Recipe) =>
	recipe.passes.reduce((most, pass) => Math.max(most, pass.id), 0) + 1;

export const withPass = (recipe: Recipe, id: number, change: Partial<Pass>): Recipe => ({
	passes: recipe.passes.map((pass) => (pass.id === id ? { ...pass, ...change } : pass)),
});

export const withSetting = (recipe: Recipe, pass: Pass, name: string, value: unknown): Recipe =>
	withPass(recipe, pass.id, { action: together({ ...pass.action, [name]: value } as Action, name) });

/** Settings that bound one another, from the lowest to the highest. */
const bounds: Partial<Record<Action["kind"], string[]>> = {
	shape: ["soft", "typical", "hard"],
	draw: ["from", "to"],
	limits: ["floor", "ceiling"],
};

/** Settings that bound one another push: raised above its upper neighbour, one takes it along. */
function together(action: Action, moved: string): Action {
	const names = bounds[action.kind];
	const place = names?.indexOf(moved) ?? -1;
	if (!names || place < 0) return action;
	const values = { ...action } as unknown as Record<string, number>;
	names.forEach((name, index) => {
		const push = index < place ? Math.min : Math.max;
		values[name] = push(values[name], values[moved]);
	});
	return values as unknown as Action;
}

const isAt = (aim: Aim, instrument: string) =>
	aim.instruments?.length === 1 && aim.instruments[0] === instrument && !aim.bars?.length;

/** The last pass of a kind that is on and aims at just this instrument. */
export const passAt = (recipe: Recipe, kind: Action["kind"], instrument: string) =>
	recipe.passes.findLast((pass) => pass.on && pass.action.kind === kind && isAt(pass.aim, instrument));

export const withAdded = (recipe: Recipe, aim: Aim, action: Action): Recipe => ({
	passes: [...recipe.passes, { id: nextId(recipe), on: true, aim, action }],
});

/** A shape of the instrument that starts from how it is played now. */
export function withShapeAt(recipe: Recipe, instrument: string, now: Figures, offers: ActionOffer[]): Recipe {
	if (passAt(recipe, "shape", instrument)) return recipe;
	const start = offers.find((offer) => offer.start.kind === "shape")?.start;
	if (start?.kind !== "shape") return recipe;
	const [soft, typical, hard] = [now.soft, now.typical, now.hard].map(Math.round);
	return withAdded(recipe, { instruments: [instrument] }, { ...start, soft, typical, hard });
}

export function withLeanAt(recipe: Recipe, instrument: string): Recipe {
	if (passAt(recipe, "lean", instrument)) return recipe;
	return withAdded(recipe, { instruments: [instrument] }, { kind: "lean", by: 0, share: 0, grid: "1/16" });
}

const settingsAt = (recipe: Recipe, kind: Action["kind"], instrument: string) =>
	passAt(recipe, kind, instrument)?.action as Action | undefined;

/** How far hits lie about their grid before they are pulled, as far as the shown spread tells. */
function spreadBefore(recipe: Recipe, instrument: string, shown: number, written: number) {
	const pull = settingsAt(recipe, "pull", instrument);
	if (pull?.kind !== "pull" || pull.strength === 0) return shown;
	return pull.strength < 95 ? shown / (1 - pull.strength / 100) : written;
}

/** Nearer than this, in ms, hits count as lying on their lines. */
const stiff = 0.3;

/**
 * The instrument's timing drawn together or apart: a change of its spread in ms. What is spread is pulled
 * to its grid or pushed away from it; what lies on the grid is loosened.
 */
export function withSpreadAt(
	recipe: Recipe,
	instrument: string,
	grid: string,
	offers: ActionOffer[],
	shown: number,
	written: number,
): ((by: number) => Recipe) | null {
	const loose = settingsAt(recipe, "loosen", instrument);
	const before = spreadBefore(recipe, instrument, shown, written);
	const kind = before < stiff || loose ? "loosen" : "pull";
	const start = offers.find((offer) => offer.start.kind === kind)?.start;
	if (!start) return null;
	const none =
		kind === "pull"
			? { ...start, grid, strength: 0, forgive: 0 }
			: { ...start, early: 0, late: 0, wander: 0 };
	const with_ = passAt(recipe, kind, instrument)
		? recipe
		: withAdded(recipe, { instruments: [instrument] }, none as Action);
	const pass = passAt(with_, kind, instrument);
	if (!pass) return null;
	const { action } = pass;
	return (by) => {
		if (action.kind === "pull") {
			const strength = Math.max(
				-100,
				Math.min(100, Math.round((1 - Math.max(0, shown + by) / before) * 100)),
			);
			return withSetting(with_, pass, "strength", strength);
		}
		if (action.kind !== "loosen") return with_;
		// A bell is six of its standard deviations wide.
		const wider = (from: number) => Math.max(0, Math.min(100, Math.round((from + 3 * by) * 2) / 2));
		return withPass(with_, pass.id, {
			action: { ...action, early: wider(action.early), late: wider(action.late) },
		});
	};
}

/** The pass moved by some places in the list. */
export function moved(recipe: Recipe, id: number, by: number): Recipe {
	const passes = [...recipe.passes];
	const from = passes.findIndex((pass) => pass.id === id);
	const to = Math.min(passes.length - 1, Math.max(0, from + by));
	const [pass] = passes.splice(from, 1);
	passes.splice(to, 0, pass);
	return { passes };
}
