import { describe, expect, test } from "vitest";
import { LaneCourse, laneMessage, type PlayedLane } from "./lanes";

const lane: PlayedLane = { kind: "cc-4", seconds: [1, 2, 3], values: [10, 20, 30], rest: 0 };

/** Follows a loop of four seconds from its beginning, a step after the other. */
function followed(steps: number, step: number, tempo = 1) {
	const course = new LaneCourse();
	const told: [number, number][] = [];
	const round = 4 / tempo;
	for (let tick = 0; tick < steps; tick++) {
		const now = tick * step;
		const stretches = [0, 1, 2, 3].map((number) => ({
			at: number * round,
			until: (number + 1) * round,
			second: 0,
			lanes: [lane],
		}));
		course.follow(stretches, tempo, now, now + 0.4, (_, value, at) =>
			told.push([value, Math.round(at * 100) / 100]),
		);
	}
	return told;
}

describe("a lane that is followed", () => {
	test("tells each change once, at its time, and what holds where a round begins", () => {
		expect(followed(100, 0.08)).toEqual([
			[0, 0],
			[10, 1],
			[20, 2],
			[30, 3],
			[0, 4],
			[10, 5],
			[20, 6],
			[30, 7],
			[0, 8],
		]);
	});

	test("however often it is looked at", () => {
		expect(followed(1000, 0.008)).toEqual(followed(100, 0.08));
	});

	test("at twice the tempo in half the time", () => {
		expect(followed(50, 0.08, 2).slice(0, 4)).toEqual([
			[0, 0],
			[10, 0.5],
			[20, 1],
			[30, 1.5],
		]);
	});

	test("one that is there no longer comes to rest", () => {
		const course = new LaneCourse();
		const told: [string, number][] = [];
		const tell = (kind: string, value: number) => void told.push([kind, value]);
		const stretch = { at: 0, until: 10, second: 1.5, lanes: [lane] };
		course.follow([stretch], 1, 0, 0.1, tell);
		course.restart();
		course.follow([{ ...stretch, lanes: [] }], 1, 0.1, 0.2, tell);
		expect(told).toEqual([
			["cc-4", 10],
			["cc-4", 0],
		]);
	});
});

test("values as MIDI messages", () => {
	expect(laneMessage("cc-4", 9, 64)).toEqual([0xb9, 4, 64]);
	expect(laneMessage("bend", 0, 0)).toEqual([0xe0, 0, 64]);
	expect(laneMessage("bend", 0, -8192)).toEqual([0xe0, 0, 0]);
	expect(laneMessage("pressure", 2, 5)).toEqual([0xd2, 5]);
	expect(laneMessage("pressure-38", 2, 5)).toEqual([0xa2, 38, 5]);
});
