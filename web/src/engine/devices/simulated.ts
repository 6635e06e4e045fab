/**
 * Stand-ins for hardware: pads that somebody plays, and a sampler that writes down what it is sent. What they do
 * follows from their settings alone, so that everything can be tried, shown and tested without a cable.
 */

import { probe } from "../../lib/probe";
import { type Bytes, type InPort, Listeners, type OutPort } from "./ports";

/** How the pads are played, and what is wrong with them. */
export interface PadsSettings {
	/** What is played. */
	figure: Figure;
	/** The number that all chance hangs on. */
	seed: number;
	/** How far strokes spread about where they are meant, in ms. */
	spread: number;
	/** So much late, in ms; early below 0. */
	late: number;
	/** Their messages come so much after the strokes, in ms. */
	latency: number;
	/** Their clock goes wrong by so many millionths. */
	drift: number;
	/** In %: strokes that trigger twice, and that shake another pad. */
	doubles: number;
	crosstalk: number;
}

export type Figure = "click" | "beat" | "hats" | "kick-and-snare" | "snare" | "ride" | "storm";

export const usualPads: PadsSettings = {
	figure: "beat",
	seed: 1,
	spread: 6,
	late: 0,
	latency: 0,
	drift: 0,
	doubles: 0,
	crosstalk: 0,
};

/** A part of a figure: a note on some slots of 16ths, counted within four quarter notes. */
interface Voice {
	note: number;
	slots: number[];
	hard: number;
}

const eighths = [0, 2, 4, 6, 8, 10, 12, 14];
const kick: Voice = { note: 36, slots: [0, 8, 10], hard: 104 };
const snare: Voice = { note: 38, slots: [4, 12], hard: 108 };
const hat: Voice = { note: 42, slots: eighths, hard: 84 };
const sixteenths = Array.from({ length: 16 }, (_, slot) => slot);

const figures: Record<Figure, Voice[]> = {
	click: [{ note: 37, slots: [0, 4, 8, 12], hard: 100 }],
	beat: [kick, snare, hat],
	hats: [hat],
	"kick-and-snare": [kick, snare],
	snare: [snare],
	ride: [{ note: 51, slots: eighths, hard: 88 }],
	storm: [
		{ ...hat, slots: sixteenths },
		{ ...kick, slots: sixteenths },
		{ ...snare, slots: sixteenths },
	],
};

export const figureNames: Record<Figure, string> = {
	click: "along with the click",
	beat: "a beat",
	hats: "closed hats",
	"kick-and-snare": "kick and snare",
	snare: "the snare",
	ride: "a ride",
	storm: "16ths on three pads",
};

/** A number from 0 to 1 that hangs on all of these alone. */
function chance(...from: number[]) {
	let bits = 0x9e3779b9;
	for (const one of from) {
		bits = Math.imul(bits ^ (one + 0x7f4a7c15), 0x85ebca6b);
		bits ^= bits >>> 13;
		bits = Math.imul(bits, 0xc2b2ae35);
		bits ^= bits >>> 16;
	}
	return (bits >>> 0) / 2 ** 32;
}

/** The same, spread as errors are: 0 on average, 1 far. */
const error = (...from: number[]) =>
	Math.sqrt(-2 * Math.log(Math.max(1e-9, chance(...from, 1)))) * Math.cos(2 * Math.PI * chance(...from, 2));

/** Where the song goes on, as far as a player who hears it can tell. */
export interface Conductor {
	/** When quarter notes come on the audio clock, in s, from one time to another; each with its number in its bar and the round. */
	quarters: (from: number, to: number) => { audio: number; length: number; beat: number; round: number }[];
	/** The audio clock now, in s, and the page's clock of one of its times, in ms. */
	audioNow: () => number;
	pageTime: (audio: number) => number;
}

/** Pads that are played along with the song. */
export class SimulatedPads {
	private readonly listeners = new Listeners<[Bytes, number]>();
	private timer = 0;
	private until = Number.NEGATIVE_INFINITY;
	private conductor: Conductor | null = null;

	constructor(public settings: PadsSettings) {}

	readonly port: InPort = {
		id: "simulated pads",
		name: "Simulated pads",
		kind: "simulated",
		now: () => this.clock(performance.now()),
		listen: this.listeners.listen,
	};

	/** Their clock, in ms, at a time of the page's: another beginning, and another rate. */
	private clock(page: number) {
		return 5000 + page * (1 + this.settings.drift / 1e6);
	}

	/** They play along with what is played there; with nobody they rest. */
	follow(conductor: Conductor | null) {
		this.conductor = conductor;
		window.clearInterval(this.timer);
		this.until = Number.NEGATIVE_INFINITY;
		if (conductor) this.timer = window.setInterval(() => this.play(), 60);
	}

	private play() {
		const { conductor } = this;
		if (!conductor) return;
		const now = conductor.audioNow();
		const from = Math.max(this.until, now + 0.05);
		const to = now + 0.35;
		if (to <= from) return;
		this.until = to;
		for (const { audio, length, beat, round } of conductor.quarters(from, to)) {
			figures[this.settings.figure].forEach((voice, place) => {
				for (const slot of voice.slots) {
					if (Math.floor(slot / 4) !== beat % 4) continue;
					const meant = audio + ((slot % 4) / 4) * length;
					this.strike(voice, place, meant, [round, beat, slot]);
				}
			});
		}
	}

	private strike({ note, hard }: Voice, place: number, meant: number, which: number[]) {
		const { seed, spread, late, doubles, crosstalk } = this.settings;
		const from = [seed, place, ...which];
		const at = meant + (late + spread * error(...from)) / 1000;
		const velocity = Math.round(Math.max(20, Math.min(127, hard + 9 * error(...from, 3))));
		this.send(note, velocity, at);
		if (100 * chance(...from, 4) < doubles)
			this.send(note, Math.max(1, Math.round(velocity * 0.3)), at + 0.022);
		if (100 * chance(...from, 5) < crosstalk) this.send(note === 38 ? 48 : 38, 9, at + 0.003);
	}

	/** A stroke at a time of the audio clock; its message comes after the latency. */
	private send(note: number, velocity: number, at: number) {
		const { conductor } = this;
		if (!conductor) return;
		const page = conductor.pageTime(at) + this.settings.latency;
		probe.struckBy({ at, note, velocity, page });
		const tell = (data: Bytes, time: number) =>
			window.setTimeout(() => this.listeners.tell(data, this.clock(time)), time - performance.now());
		tell([0x99, note, velocity], page);
		tell([0x89, note, 64], page + 50);
	}
}

/** A sampler that makes no sound: it writes down what it is sent, and for when. */
export class SimulatedSampler {
	readonly received: { data: Bytes; at: number; came: number }[] = [];

	readonly port: OutPort = {
		id: "simulated sampler",
		name: "Simulated sampler",
		kind: "simulated",
		send: (data, at) => {
			const entry = { data, at, came: performance.now() };
			this.received.push(entry);
			if (this.received.length > 60_000) this.received.splice(0, 20_000);
			probe.sampler = this.received;
		},
	};

	/** The notes that still sound: struck and not ended, by what it was sent for until now. */
	held() {
		const now = performance.now();
		const held = new Set<number>();
		const sent = this.received.filter(({ at }) => at <= now).sort((a, b) => a.at - b.at);
		for (const { data } of sent) {
			const key = ((data[0] & 0x0f) << 7) | data[1];
			if ((data[0] & 0xf0) === 0x90 && data[2] > 0) held.add(key);
			else if ((data[0] & 0xf0) === 0x80 || (data[0] & 0xf0) === 0x90) held.delete(key);
			else if ((data[0] & 0xf0) === 0xb0 && data[1] >= 120)
				for (const one of held) if (one >> 7 === (data[0] & 0x0f)) held.delete(one);
		}
		return held.size;
	}
}

/** A program that tells its tempo: MIDI clock, as steady as it is set. */
export class SimulatedClock {
	private readonly listeners = new Listeners<[Bytes, number]>();
	private timer = 0;
	private next = 0;
	running = false;
	bpm = 120;
	/** How far its pulses stray, in ms. */
	jitter = 0;
	private count = 0;

	readonly port: InPort = {
		id: "simulated clock",
		name: "Simulated clock",
		kind: "simulated",
		now: () => performance.now(),
		listen: this.listeners.listen,
	};

	start(way: "start" | "continue" = "start") {
		this.running = true;
		this.next = performance.now() + 30;
		if (way === "start") this.count = 0;
		this.tell([way === "start" ? 0xfa : 0xfb], this.next - 5);
		window.clearInterval(this.timer);
		this.timer = window.setInterval(() => this.pulse(), 10);
	}

	stop() {
		this.running = false;
		window.clearInterval(this.timer);
		this.tell([0xfc], performance.now());
	}

	/** A place in the song, in 16ths. */
	locate(sixteenth: number) {
		this.tell([0xf2, sixteenth & 0x7f, sixteenth >> 7], performance.now());
	}

	private tell(data: Bytes, at: number) {
		window.setTimeout(() => this.listeners.tell(data, at), at - performance.now());
	}

	private pulse() {
		while (this.running && this.next < performance.now() + 25) {
			this.tell([0xf8], this.next + this.jitter * error(this.count++, 7));
			this.next += 60_000 / (24 * this.bpm);
		}
	}
}
