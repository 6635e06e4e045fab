import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { AudioClock } from "./clock";

/** The page's clock in ms, and how far the audio clock is ahead of it, in s. */
let page = 0;
let ahead = 0;

const context = () =>
	({
		state: "running",
		currentTime: 0,
		getOutputTimestamp: () => ({ contextTime: page / 1000 + ahead, performanceTime: page }),
	}) as unknown as AudioContext;

beforeEach(() => {
	[page, ahead] = [10_000, 3];
	vi.spyOn(performance, "now").mockImplementation(() => page);
});
afterEach(() => vi.restoreAllMocks());

test("the page's clock and the audio clock are told from one another, both ways", () => {
	const clock = new AudioClock(context());
	expect(clock.now()).toBeCloseTo(13, 9);
	expect(clock.audio(clock.page(20))).toBeCloseTo(20, 9);
});

test("readings tremble; what is made of them does not", () => {
	const clock = new AudioClock(context());
	clock.now();
	let most = 0;
	for (let tick = 0; tick < 500; tick++) {
		page += 40;
		ahead = 3 + 0.003 * Math.sin(tick * 1.7);
		clock.sample();
		most = Math.max(most, Math.abs(clock.audio(page) - (page / 1000 + 3)));
	}
	expect(most).toBeLessThan(0.0005);
});

test("one reading far off is nothing; sound that broke off is followed", () => {
	const clock = new AudioClock(context());
	clock.now();
	ahead = 2.9;
	clock.sample();
	ahead = 3;
	clock.sample();
	expect(clock.audio(page) - page / 1000).toBeCloseTo(3, 3);
	ahead = 2.9;
	for (let tick = 0; tick < 3; tick++) clock.sample();
	expect(clock.audio(page) - page / 1000).toBeCloseTo(2.9, 6);
});
