import { describe, expect, test } from "vitest";
import type { Action, ActionInfo } from "../../api/generated/types";
import { actionInWords, briefly, clausesShown } from "./words";

/** As core tells of it: what hangs on a choice, what can be left out. */
const info = {
	kind: "pull",
	sentence: "pull {strength} to {lines}[ of {grid}][; leave hits within {forgive} alone].",
	brief: "{strength} to {grid|lines}",
	settings: [
		{
			name: "strength",
			values: { kind: "number", unit: "%", neutral: 0, none: null },
			quiet: null,
			when: null,
		},
		{
			name: "lines",
			values: {
				kind: "choice",
				options: [
					["grid", "a grid"],
					["own", "its own lines"],
				],
			},
			quiet: null,
			when: null,
		},
		{ name: "grid", values: { kind: "grid" }, quiet: null, when: ["lines", "grid"] },
		{
			name: "forgive",
			values: { kind: "number", unit: "ms", neutral: 0, none: null },
			quiet: null,
			when: null,
		},
	],
} as unknown as ActionInfo;

const pull = (settings: object) =>
	({ kind: "pull", strength: 60, lines: "grid", grid: "1/16", forgive: 0, ...settings }) as unknown as Action;

const noPocket = () => "";

describe("a sentence", () => {
	test("shows what means something, and offers the rest", () => {
		expect(actionInWords(pull({}), info, noPocket)).toBe("pull 60 % to a grid of 16ths");
		expect(clausesShown(pull({}), info).hidden.map(({ name }) => name)).toEqual(["forgive"]);
		expect(actionInWords(pull({ forgive: 4 }), info, noPocket)).toContain("within 4 ms alone");
	});

	test("leaves out what hangs on another choice, in brief, too", () => {
		expect(actionInWords(pull({ lines: "own" }), info, noPocket)).toBe("pull 60 % to its own lines");
		expect(briefly(pull({ lines: "own" }), info, noPocket)).toBe("60 % to its own lines");
		expect(briefly(pull({}), info, noPocket)).toBe("60 % to 16ths");
	});
});
