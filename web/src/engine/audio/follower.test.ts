import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { Follower } from "./follower";

let page = 0;

beforeEach(() => {
	page = 1000;
	vi.useFakeTimers();
	vi.spyOn(performance, "now").mockImplementation(() => page);
});
afterEach(() => {
	vi.useRealTimers();
	vi.restoreAllMocks();
});

/** Sends so many pulses at a tempo, each a little off. */
function pulses(follower: Follower, count: number, bpm: number, off: (pulse: number) => number = () => 0) {
	for (let pulse = 0; pulse < count; pulse++) {
		page += 60_000 / (24 * bpm);
		follower.hear([0xf8], page + off(pulse));
	}
}

describe("a clock", () => {
	test.each([60, 96, 132.5, 180])("of %d bpm is followed within a hundredth", (bpm) => {
		const follower = new Follower(() => {});
		follower.hear([0xfa], page);
		pulses(follower, 96, bpm);
		expect(follower.state.bpm).toBeCloseTo(bpm, 2);
		expect(follower.state.pulses).toBe(96);
		follower.close();
	});

	test("that trembles by 2 ms is followed within half a bpm, and its jitter is told", () => {
		const follower = new Follower(() => {});
		follower.hear([0xfa], page);
		pulses(follower, 480, 120, (pulse) => 2 * Math.sin(pulse * 2.3));
		expect(Math.abs((follower.state.bpm ?? 0) - 120)).toBeLessThan(0.5);
		expect(follower.state.jitter).toBeGreaterThan(0.8);
		follower.close();
	});

	test("that goes on from a place counts from there", () => {
		const heard: string[] = [];
		const follower = new Follower((_, what) => heard.push(what));
		follower.hear([0xf2, 4, 1], page);
		follower.hear([0xfb], page);
		pulses(follower, 1, 120);
		expect(follower.state.pulses).toBe(6 * (4 + 128) + 1);
		expect(heard).toEqual(["place", "start", "pulse"]);
		follower.close();
	});

	test("that falls silent has stopped, and is lost; one that stops is not", () => {
		const follower = new Follower(() => {});
		follower.hear([0xfa], page);
		pulses(follower, 24, 120);
		page += 700;
		vi.advanceTimersByTime(300);
		expect([follower.state.running, follower.state.lost]).toEqual([false, true]);
		follower.hear([0xfb], page);
		follower.hear([0xfc], page);
		vi.advanceTimersByTime(3000);
		expect([follower.state.running, follower.state.lost]).toEqual([false, false]);
		follower.close();
	});
});
