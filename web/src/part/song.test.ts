import { describe, expect, test } from "vitest";
import type { SongDetail } from "../api/generated/types";
import { barsBefore, secondsAt, tickAt } from "./song";

/** Two bars of 4/4 at 120 bpm, and 60 from the middle of the first beat on. */
const song = {
	bars: {
		ticks: [0, 1920, 3840],
		even_ticks: [0, 240, 3840],
		even_seconds: [0, 0.25, 7.75],
	},
} as SongDetail;

describe("finding one's way in time", () => {
	test("time is exact within a beat in which the tempo changes", () => {
		const at = (tick: number) => secondsAt(song, tick);
		expect([0, 120, 240, 360, 480, 3840].map(at)).toEqual([0, 0.125, 0.25, 0.5, 0.75, 7.75]);
	});
	test("before the beginning and behind the end time goes on as it did there", () => {
		expect(secondsAt(song, -48)).toBeCloseTo(-0.05, 9);
		expect(secondsAt(song, 3888)).toBeCloseTo(7.85, 9);
	});
	test("ticks and seconds lead to one another", () => {
		for (let tick = -480; tick <= 4800; tick += 7)
			expect(tickAt(song, secondsAt(song, tick))).toBeCloseTo(tick, 6);
	});
	test("bars are counted with the share of their own", () => {
		expect([0, 960, 1920, 3840].map((tick) => barsBefore(song, tick))).toEqual([0, 0.5, 1, 2]);
	});
});
