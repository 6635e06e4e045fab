import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { client } from "../../api/client";
import type { Sample } from "../../api/generated/types";
import { Samples } from "./samples";

vi.mock("../../api/client", () => ({ client: { sample: vi.fn(async () => new ArrayBuffer(0)) } }));
vi.mock("../../lib/notify", () => ({ showError: vi.fn() }));

let page = 0;
const context = (frames: number) =>
	({
		state: "running",
		decodeAudioData: async () => ({ length: frames, numberOfChannels: 1 }),
	}) as unknown as BaseAudioContext;
const sample = (sound: string, more: Partial<Sample> = {}) => ({ sound, name: sound, ...more }) as Sample;
const asked = () => vi.mocked(client.sample).mock.calls.map(([sound]) => sound);

beforeEach(() => {
	page = 0;
	vi.spyOn(performance, "now").mockImplementation(() => page);
	vi.mocked(client.sample).mockClear();
});
afterEach(() => vi.restoreAllMocks());

test("each is fetched once, however often it is wanted at once", async () => {
	const samples = new Samples(context(100));
	await Promise.all([samples.want(["a", "b", "a"]), samples.want(["b", "c"])]);
	await samples.want(["a", "b", "c"]);
	expect(asked()).toEqual(["a", "b", "c"]);
});

test("those that were not used for longest go where there is no room", async () => {
	// Three of them are more than is kept.
	const samples = new Samples(context(6 * 2 ** 20));
	await samples.want(["a"]);
	await samples.want(["b"]);
	await samples.want(["a"]);
	await samples.want(["c"]);
	await samples.want(["a", "c"]);
	expect(asked()).toEqual(["a", "b", "c"]);
	await samples.want(["b"]);
	expect(asked()).toEqual(["a", "b", "c", "b"]);
});

test("what could not be had is asked for again after a while", async () => {
	vi.mocked(client.sample).mockRejectedValueOnce(new Error("gone"));
	const samples = new Samples(context(100));
	await samples.want(["a"]);
	await samples.want(["a"]);
	expect(asked()).toEqual(["a"]);
	page = 6000;
	await samples.want(["a"]);
	expect(asked()).toEqual(["a", "a"]);
});

test("alternates take turns, each layer by itself; one that is not there gives way", async () => {
	const samples = new Samples(context(100));
	const soft = { from: 1, to: 60 };
	const hard = { from: 61, to: 127 };
	const all = [
		sample("soft 1", { ...soft, turn: 1, turns: 2 }),
		sample("soft 2", { ...soft, turn: 2, turns: 2 }),
		sample("hard", hard),
	];
	await samples.want(["soft 1", "soft 2", "hard"]);
	const played = (velocity: number) => samples.next(all, velocity).map(({ sample }) => sample.sound);
	expect([played(30), played(100), played(30), played(30)]).toEqual([
		["soft 1"],
		["hard"],
		["soft 2"],
		["soft 1"],
	]);
	const fewer = new Samples(context(100));
	await fewer.want(["hard"]);
	expect(fewer.next(all, 30).map(({ sample }) => sample.sound)).toEqual(["hard"]);
});
