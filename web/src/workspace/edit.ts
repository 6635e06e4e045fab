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
	return withAdded(recipe, { instruments: [instrument] }, { kind: "lean", by: 0 });
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
