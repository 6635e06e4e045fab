import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import type { KitManifest, KitSounds } from "../../api/generated/types";
import { connectedNodes, FakeContext, FakeTicker, pass, useFakeAudio } from "../../testing/audio";
import type { OutPort } from "../devices/ports";
import { type Listener, type PlayedPart, Player, type Score } from "./player";

const every = <T>(count: number, one: T) => Array.from({ length: count }, () => one);

const manifest = {
	voices: ["click", "kick-1"].map((voice) => ({ voice, seconds: 0.5, level: 1, pan: 0 })),
	gains: every(128, 1),
	alternates: 1,
	controllers: [],
	glide: 0.01,
	release: 0.02,
	bright: 4000,
	brightest: 12,
} as unknown as KitManifest;

vi.mock("../../api/client", () => ({
	client: { manifest: async () => manifest, voice: async () => new ArrayBuffer(0) },
}));

const sounds = {
	own: [],
	notes: every(128, { voice: "kick-1", rate: 1, sustained: false, choke: null, turns: [0, 1], own: null }),
	kinds: [{ layers: every(128, 0), sent: Array.from({ length: 128 }, (_, velocity) => velocity) }],
	responses: every(128, 0),
	outputs: Array.from({ length: 128 }, (_, note) => [note, null]),
} as unknown as KitSounds;

/** A hit every so many seconds of the song, each played a little late. */
function part(count: number, step: number, late = 0.01): PlayedPart {
	const seconds = Array.from({ length: count }, (_, hit) => hit * step);
	const column = every(count, 100);
	const notes = every(count, 36);
	return {
		id: 1,
		kit: sounds,
		ids: seconds.map((_, hit) => hit),
		hits: seconds.map((_, hit) => hit),
		starts: seconds,
		earliest: 0,
		notes: [notes, notes],
		heard: [notes, notes],
		lanes: { written: [], played: [] },
		bendRange: 200,
		written: { seconds, lengths: every(count, 0.1), velocities: column },
		played: { seconds: seconds.map((at) => at + late), lengths: every(count, 0.1), velocities: column },
		louder: 0,
		sounds: () => true,
		loop: null,
	};
}

const score = (more: Partial<Score> = {}): Score => ({
	parts: [part(16, 0.25)],
	next: null,
	reading: "played",
	equalLoudness: false,
	loop: [0, 4],
	end: 8,
	tempo: 1,
	click: false,
	beats: { seconds: [0, 1, 2, 3, 4, 5, 6, 7], downbeats: [1, 0, 0, 0, 1, 0, 0, 0] },
	outs: new Map(),
	pulses: null,
	...more,
});

const listener = (): Listener & { ended: number; rounds: number } => ({
	ended: 0,
	rounds: 0,
	onCourse: () => {},
	onRound() {
		this.rounds += 1;
	},
	onEnd() {
		this.ended += 1;
	},
});

/** What was put on the clock and not taken back, in the order in which it sounds. */
const heard = () =>
	FakeContext.last.sources
		.filter(({ at, stopped }) => stopped === null || stopped > at)
		.map(({ at }) => Math.round(at * 1000))
		.sort((a, b) => a - b);

beforeEach(() => {
	useFakeAudio();
	vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });
});
afterEach(() => {
	vi.useRealTimers();
	vi.unstubAllGlobals();
	vi.restoreAllMocks();
});

async function playing(first: Score, told = listener()) {
	const player = new Player(first, told);
	await player.start(0);
	return { player, told };
}

describe("a loop", () => {
	test("each hit sounds once a round, a quarter of a second behind the one before", async () => {
		await playing(score());
		pass(12.2);
		const gaps = heard().map((at, place, all) => at - (all[place - 1] ?? at - 250));
		expect(gaps.every((gap) => Math.abs(gap - 250) <= 1)).toBe(true);
		expect(heard().length).toBeGreaterThanOrEqual(48);
	});

	test("flipping between Written and Played doubles nothing and leaves nothing out", async () => {
		const { player } = await playing(score());
		for (let flip = 0; flip < 40; flip++) {
			pass(0.13);
			player.update(score({ reading: flip % 2 ? "played" : "written" }));
		}
		const rounded = heard().map((at) => Math.round((at - 80) / 250));
		expect(new Set(rounded).size).toBe(rounded.length);
		expect(Math.max(...rounded) - Math.min(...rounded) + 1).toBe(rounded.length);
	});

	test("an hour of it at three times the tempo leaves nothing behind", async () => {
		const { told } = await playing(score({ tempo: 3, click: true }));
		pass(60);
		const before = connectedNodes();
		pass(3540);
		expect(told.rounds).toBeGreaterThan(2600);
		expect(FakeContext.last.sources.length).toBeGreaterThan(50_000);
		// As much is there as after the first minute.
		expect(before).toBeGreaterThan(10);
		expect(connectedNodes()).toBeLessThan(1.2 * before);
	});
});

describe("without a loop", () => {
	test("it ends, and says so once", async () => {
		const { player, told } = await playing(score({ loop: null, end: 4 }));
		pass(7);
		expect([player.playing, told.ended]).toEqual([false, 1]);
		expect(heard()).toHaveLength(16);
	});
});

describe("what is let go, taken away or changed", () => {
	test("stopped before its sounds are there, it does not begin", async () => {
		const player = new Player(score(), listener());
		const started = player.start(0);
		expect(player.starting).toBe(true);
		player.stop();
		await started;
		pass(1);
		expect([player.playing, player.starting, heard().length]).toEqual([false, false, 0]);
	});

	test("sound that the system takes away comes back, and goes on where it was", async () => {
		const { player, told } = await playing(score());
		pass(1);
		FakeContext.last.interrupt("suspended");
		await vi.advanceTimersByTimeAsync(100);
		expect([player.playing, FakeContext.last.state, told.ended]).toEqual([true, "running", 0]);
		pass(1);
		const gaps = heard().map((at, place, all) => at - (all[place - 1] ?? at - 250));
		expect(gaps.every((gap) => Math.abs(gap - 250) <= 1)).toBe(true);
	});

	test("where it does not come back, it is said that nothing plays", async () => {
		const { player, told } = await playing(score());
		pass(1);
		FakeContext.last.allowed = false;
		FakeContext.last.interrupt("suspended");
		await vi.advanceTimersByTimeAsync(4000);
		expect([player.playing, told.ended]).toEqual([false, 1]);
		expect(FakeTicker.last.every).toBe(0);
	});

	test("a port that is listed anew is the same one: its notes go on", async () => {
		const sent: number[][] = [];
		const port: OutPort = { id: "a", name: "Sampler", kind: "midi", send: (data) => void sent.push(data) };
		const outs = () => new Map([[1, { port, channel: 9 }]]);
		const { player } = await playing(score({ outs: outs() }));
		pass(1);
		sent.length = 0;
		player.update(score({ outs: outs() }));
		expect(sent.filter(([status]) => (status & 0xf0) === 0xb0)).toEqual([]);
		player.update(score({ outs: new Map() }));
		expect(sent.filter(([status]) => (status & 0xf0) === 0xb0)).not.toEqual([]);
	});
});
