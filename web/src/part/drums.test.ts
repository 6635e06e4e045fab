import { expect, test } from "vitest";
import type { Pass, Recipe } from "../api/generated/types";
import { contrastOf, drumsWith, levelOf } from "./drums";

const pass = (id: number, instruments: string[], action: object, more: object = {}) =>
	({ id, on: true, aim: { instruments }, action, ...more }) as unknown as Pass;
const level = (by: number) => ({ kind: "level", by });

test("a drum's own level is that of its last pass that is on, for it alone and wholly played", () => {
	const passes = [
		pass(1, ["snare"], level(3)),
		pass(2, ["snare"], level(-6)),
		pass(3, ["snare", "kick"], level(9)),
		pass(4, ["snare"], level(9), { on: false }),
		pass(5, ["snare"], level(9), { aim: { instruments: ["snare"], bars: [{ from: 1, to: 2 }] } }),
		pass(6, ["snare"], level(9), { group: 1 }),
	];
	const groups = [{ id: 1, name: "half", on: true, amount: 50 }];
	const recipe: Recipe = { passes, groups };
	expect([levelOf(recipe, "snare"), levelOf(recipe, "kick")]).toEqual([-6, 0]);
	expect(contrastOf(recipe, "snare")).toBe(100);
	const contrast = { passes: [pass(1, ["kick"], { kind: "contrast", contrast: 80 })] };
	expect(contrastOf(contrast, "kick")).toBe(80);
});

test("what is done to a selected row is done to all that are selected", () => {
	const selectedRows = new Set(["snare", "kick"]);
	expect(drumsWith({ selectedRows }, "kick")).toEqual(["snare", "kick"]);
	expect(drumsWith({ selectedRows }, "ride-1")).toEqual(["ride-1"]);
});
