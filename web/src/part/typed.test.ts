import { expect, test } from "vitest";
import type { WorkspaceState } from "./store";
import { quartersOf, readNumber } from "./typed";

/** 120 bpm from a file of 480 ppq: a quarter note lasts 500 ms, a 16th 125. */
const where = {
	song: {
		ppq: 960,
		file_ppq: 480,
		bars: {
			ticks: [0, 3840],
			seconds: [0, 2],
			even_ticks: [0, 3840],
			even_seconds: [0, 2],
		},
	},
	loop: [1, 1],
	part: { grid: "1/16" },
} as unknown as Pick<WorkspaceState, "song" | "loop" | "part">;
const ms = { min: -200, unit: "ms" };
const swing = { min: 25, unit: "%" };

test("distances are typed in ms, ticks of the file or shares of a cell", () => {
	expect(readNumber("8ms", ms, where)).toBe(8);
	expect(readNumber("-7,5", ms, where)).toBe(-7.5);
	expect(readNumber("12t", ms, where)).toBeCloseTo(12.5);
	expect(readNumber("10 ticks", ms, where)).toBeCloseTo(10.4167);
	expect(readNumber("15%", ms, where)).toBeCloseTo(18.75);
	expect(readNumber("−20 %", ms, where)).toBeCloseTo(-25);
});

test("a swing is typed as where the pair is cut, or as how far beyond straight", () => {
	expect(readNumber("57.5", swing, where)).toBe(57.5);
	expect(readNumber("57.5%", swing, where)).toBe(57.5);
	expect(readNumber("15%", swing, where)).toBe(57.5);
});

test("what is no number is none", () => {
	for (const text of ["", "loud", "8 apples", "1.2.3", "--3"]) expect(readNumber(text, ms, where)).toBeNull();
	expect(readNumber("12t", { min: 0, unit: "" }, where)).toBeNull();
});

test("a grid says how long its cells are", () => {
	expect(["1/16", "1/8 triplet", "1/4 dotted", "1/16 5:4"].map(quartersOf)).toEqual([0.25, 1 / 3, 1.5, 0.2]);
});
