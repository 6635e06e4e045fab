/**
 * Plays parts on the audio clock, a little ahead of time.
 *
 * Hits are found by when they were *written*, so that each belongs to one round of the loop however
 * far it was moved, and sound when they are *played*. Whenever something changes (the reading, the
 * passes, a mute), what was scheduled but has not begun is taken back and scheduled anew; a hit
 * that has already sounded in this round does not sound again. So flipping between Written and
 * Played leaves no gap and doubles nothing.
 */

import isEqual from "fast-deep-equal";
import type { KitSounds, NoteSound, Property } from "../../api/generated/types";
import { firstFrom } from "../../lib/ascending";
import { probe } from "../../lib/probe";
import type { Movements } from "../../part/played";
import type { Reading } from "../../part/store";
import type { OutPort } from "../devices/ports";
import { AudioClock } from "./clock";
import { Kit, type Moves, strokeOf } from "./kit";
import { LaneCourse, laneMessage, type PlayedLane, Strip } from "./lanes";
import { type LoopPart, LoopVoice, loopRate } from "./loop";
import { ownSounds } from "./samples";
import { Sender } from "./sender";

export interface Voiced {
	/** In seconds of the song, at its own tempo. */
	seconds: number[];
	lengths: number[];
	velocities: number[];
	/** How they move besides. */
	movement?: Movements;
}

export interface PlayedPart {
	id: number;
	/** How its notes sound. */
	kit: KitSounds;
	/** The ids of the hits, by their indices in the columns. */
	ids: number[];
	/** All hits in the order of their starts, by their indices. */
	hits: number[];
	/** When each of them was written (or made), in seconds of the song, ascending. */
	starts: number[];
	/** By how much the earliest one comes before that, in s of the song. */
	earliest: number;
	/** The note of each, as written and as played, by their indices. */
	notes: [number[], number[]];
	/** The same as they are heard here: the hat's pedal opens and closes it. */
	heard: [number[], number[]];
	/** The lines around them. */
	lanes: { written: PlayedLane[]; played: PlayedLane[] };
	/** How far a full bend goes, in cents. */
	bendRange: number;
	written: Voiced;
	played: Voiced | null;
	/** In dB: what Played is louder than Written. */
	louder: number;
	sounds: (hit: number, reading: Reading) => boolean;
	/** How it sounds where it is a recorded loop: then none of its hits is played by the kit. */
	loop: { written: LoopPart; played: LoopPart } | null;
}

/** Where the song goes on from a moment of the audio clock, at a tempo. */
export interface Anchor {
	audio: number;
	second: number;
	tempo: number;
	round: number;
}

/** An outside sampler that plays a part. */
export interface Out {
	port: OutPort;
	/** 0 to 15, where the kit fixes none. */
	channel: number;
}

/** What is told of the player's progress. */
export interface Listener {
	/** The song goes on from a place: it was begun, went round, or changed its tempo. */
	onCourse: (anchor: Anchor, begins: boolean) => void;
	/** Another round of the loop has begun to sound. */
	onRound: () => void;
	/** It came to the end. */
	onEnd: () => void;
}

export interface Score {
	parts: PlayedPart[];
	/** The parts as they are played from the next round of the loop on, where that is otherwise. */
	next: PlayedPart[] | null;
	reading: Reading;
	equalLoudness: boolean;
	/** In seconds; nothing plays through to the end. */
	loop: [number, number] | null;
	end: number;
	/** How much faster than the song. */
	tempo: number;
	click: boolean;
	beats: { seconds: number[]; downbeats: number[] };
	/** Parts that do not sound here but elsewhere, by their ids. */
	outs: Map<number, Out>;
	/** Who is told the tempo, and when its pulses come, 24 in a quarter note, in s of the song. */
	pulses: { ports: OutPort[]; seconds: number[] } | null;
}

/** Clicks before the song begins: so many s before it, in s of the song; and whether a bar begins there. */
export interface CountIn {
	before: number[];
	downbeats: boolean[];
}

/** What goes to ports is sent so far ahead, in s: it cannot be taken back. */
const sentAhead = 0.12;

/** What a lane says goes so much before the hit that it is there for, in s: clocks are not nearer than that. */
const laneLead = 0.003;

/** How far ahead own sounds are fetched, in s, and how often that is looked at. */
const fetchedAhead = 8;
const fetchedEvery = 1;

/** How far ahead hits are scheduled, in s, besides what the earliest comes early. */
const ahead = 0.4;
/** No further ahead than this, however early a hit comes. */
const furthest = 30;
/** A hit that turns out to have been due this short a time ago is still played, in s. */
const grace = 0.06;

const click: NoteSound = { voice: "click", rate: 1, sustained: false, choke: null, turns: [0, 1], own: null };

interface Sounding {
	key: string;
	at: number;
	sources: AudioBufferSourceNode[];
	gain: GainNode;
	/** What it goes through by itself. */
	into: AudioNode | null;
	/** The group that ends it, of its part. */
	offBy: string | null;
	/** When it has rung out, on the audio clock. */
	until: number;
}

/** One time through the loop: the audio time and the second of the song at which it begins. */
interface Round {
	number: number;
	at: number;
	second: number;
}

export class Player {
	private readonly context = new AudioContext({ latencyHint: "interactive", sampleRate: loopRate });
	private readonly out: GainNode;
	private kit: Kit | null = null;
	private readonly ticker = new Worker(new URL("./ticker.ts", import.meta.url), { type: "module" });
	private readonly sender = new Sender();
	readonly clock: AudioClock;
	private countIn: CountIn | null = null;
	private sounding: Sounding[] = [];
	private loops = new Map<number, LoopVoice>();
	/** What lanes do to the parts that have any, or are recorded loops. */
	private strips = new Map<number, Strip>();
	private courses = new Map<number, LaneCourse>();
	/** What has been scheduled, and for when, on the audio clock: nothing is put there twice. */
	private done = new Map<string, number>();
	/** The rounds of the loop that are being played and scheduled, the earliest first. */
	private rounds: Round[] = [];
	playing = false;
	/** It will play as soon as its sounds are there. */
	starting = false;
	private starts = 0;
	/** When own sounds were last fetched, on the audio clock. */
	private fetched = 0;

	/** The last round whose place was told to those who follow the clock. */
	private located = -1;

	/** The number of the round that sounds. */
	private round = 0;

	constructor(
		private score: Score,
		private readonly listener: Listener,
	) {
		const limit = this.context.createDynamicsCompressor();
		limit.threshold.value = -3;
		limit.ratio.value = 12;
		this.out = this.context.createGain();
		this.out.gain.value = 0.8;
		this.out.connect(limit).connect(this.context.destination);
		this.clock = new AudioClock(this.context);
		this.context.addEventListener("statechange", () => void this.keepRunning());
		this.ticker.onmessage = () => this.tick();
	}

	/** It can make a sound: somebody used the page. */
	get awake() {
		return this.clock.ready;
	}

	/** Lets the audio clock run; a browser lets it where somebody used the page. */
	wake() {
		this.context.resume().catch(() => undefined);
	}

	/** Waits a moment until the audio clock runs. */
	async awakened() {
		const patience = new Promise<void>((resolve) => window.setTimeout(resolve, 3000));
		await Promise.race([this.clock.heard().catch(() => undefined), patience]);
	}

	/** The system may take the sound away: it goes on where it was, or else it is said that it does not play. */
	private async keepRunning() {
		if (!this.playing || this.context.state === "running") return;
		const own = this.starts;
		const patience = new Promise<void>((resolve) => window.setTimeout(resolve, 3000));
		await Promise.race([this.context.resume().catch(() => undefined), patience]);
		if (own !== this.starts || (this.context.state as AudioContextState) === "running") return;
		this.stop();
		this.listener.onEnd();
	}

	private tick() {
		this.clock.sample();
		this.schedule();
	}

	/** How far ahead is looked, in s: at any tempo further than a hit comes early. */
	private get reach() {
		const parts = [...this.score.parts, ...(this.score.next ?? [])];
		const earliest = parts.reduce((most, part) => Math.max(most, part.earliest), 0);
		return Math.min(furthest, ahead + earliest / this.score.tempo);
	}

	async prepare(second = 0) {
		this.kit ??= await Kit.load(this.context);
		await Promise.all([this.kit.prepare(this.voices()), this.kit.samples.want(this.upcoming(second))]);
	}

	/** The own sounds that are heard soon from a second of the song on, in either reading. */
	private upcoming(second: number) {
		const { loop, tempo } = this.score;
		const sounds = new Set<string>();
		const within = (part: PlayedPart, from: number, until: number) => {
			const { starts, hits, kit, heard, written, played } = part;
			for (let next = firstFrom(starts, from); next < starts.length && starts[next] < until; next++) {
				const hit = hits[next];
				const velocities = [written.velocities[hit]];
				if (played) velocities.push(played.velocities[hit]);
				for (const note of new Set([heard[0][hit], heard[1][hit]]))
					for (const sound of ownSounds(kit, note, velocities)) sounds.add(sound);
			}
		};
		const until = second + fetchedAhead * tempo;
		for (const part of this.score.parts) {
			if (part.kit.own.length === 0) continue;
			within(part, second - 1, until);
			if (loop && until > loop[1]) within(part, loop[0], loop[0] + until - loop[1]);
		}
		return sounds;
	}

	/** Fetches the own sounds that are due next, in the background. */
	private fetchAhead(second: number) {
		this.fetched = this.context.currentTime;
		void this.kit?.samples.want(this.upcoming(second));
	}

	private voices() {
		return this.score.parts.flatMap(({ heard, kit }) =>
			[...new Set(heard.flat())].map((note) => kit.notes[note].voice),
		);
	}

	/** Voices that the score needs and that are not there yet, in the background. */
	private fetchMissing() {
		if (this.kit?.isMissing(this.voices())) void this.prepare().catch(() => undefined);
	}

	/**
	 * From a second of the song on; a count-in comes before it. Without one it can have begun a moment ago, on the
	 * audio clock.
	 */
	async start(second: number, countIn: CountIn | null = null, began: number | null = null) {
		const own = ++this.starts;
		this.starting = true;
		try {
			await Promise.all([this.context.resume(), this.prepare(second)]);
		} catch (error) {
			if (own === this.starts) this.starting = false;
			throw error;
		}
		// Stopped, or started anew, before it sounded.
		if (own !== this.starts) return;
		this.stop();
		this.countIn = countIn;
		const counted = countIn ? Math.max(0, ...countIn.before) / this.score.tempo : 0;
		this.rounds = [{ number: 0, at: began ?? this.context.currentTime + 0.08 + counted, second }];
		this.round = 0;
		this.located = -1;
		this.done.clear();
		this.playing = true;
		this.clock.reset();
		this.tellCourse(this.rounds[0], true);
		this.ticker.postMessage(40);
		this.schedule();
	}

	stop() {
		this.starts++;
		this.starting = false;
		this.ticker.postMessage(0);
		if (this.playing) this.tell([0xfc], performance.now());
		this.sender.silence();
		this.playing = false;
		for (const one of this.sounding) this.end(one, this.context.currentTime);
		this.sounding = [];
		for (const voice of this.loops.values()) voice.silence();
		this.closeStrips(() => false);
		// What samplers were sent is known on, so that it can come to rest.
		for (const course of this.courses.values()) course.restart();
	}

	close() {
		this.stop();
		this.ticker.terminate();
		void this.context.close();
	}

	private tellCourse({ number, at, second }: Round, begins = false) {
		const anchor = { audio: at, second, tempo: this.score.tempo, round: number };
		probe.onCourse(anchor);
		this.listener.onCourse(anchor, begins);
	}

	/** A message to all who are told the tempo. */
	private tell(data: number[], at: number) {
		for (const port of this.score.pulses?.ports ?? []) port.send(data, at);
	}

	/** The song is at this second at this time of the audio clock: another program says so. */
	align(second: number, audio: number) {
		if (!this.playing) return;
		this.takeBack();
		const round = this.rounds.findLast(({ at }) => at <= this.context.currentTime) ?? this.rounds[0];
		this.rounds = [{ ...round, at: audio, second }];
		this.tellCourse(this.rounds[0]);
		this.schedule();
	}

	/** The round and the second of the song at a time of the audio clock; nothing while it does not play. */
	placeAt(audio: number) {
		if (!this.playing || this.rounds.length === 0) return null;
		const round = this.rounds.findLast(({ at }) => at <= audio) ?? this.rounds[0];
		return { round: round.number, second: round.second + (audio - round.at) * this.score.tempo };
	}

	/** The beats between two times of the audio clock, each with its number in its bar and the round. */
	beatsBetween(from: number, to: number) {
		const found: { audio: number; length: number; beat: number; round: number }[] = [];
		if (!this.playing) return found;
		const { beats, loop, end, tempo } = this.score;
		const stopAt = loop ? loop[1] : end;
		for (const [place, round] of this.rounds.entries()) {
			const until = Math.min(to, this.rounds[place + 1]?.at ?? round.at + (stopAt - round.second) / tempo);
			const second = round.second + (Math.max(from, round.at) - round.at) * tempo - 1e-9;
			for (let beat = firstFrom(beats.seconds, second); beat < beats.seconds.length; beat++) {
				const audio = this.timeOf(round, beats.seconds[beat]);
				if (audio >= until - 1e-9) break;
				const down = beats.downbeats.lastIndexOf(1, beat);
				const length = ((beats.seconds[beat + 1] ?? end) - beats.seconds[beat]) / tempo;
				found.push({ audio, length, beat: beat - Math.max(0, down), round: round.number });
			}
		}
		return found;
	}

	/** Something changed: play on from here by it. */
	update(score: Score) {
		const second = this.position();
		const otherTempo = score.tempo !== this.score.tempo;
		const otherLoop = !isEqual(score.loop, this.score.loop);
		if (!sameOuts(score.outs, this.score.outs)) this.sender.silence();
		this.score = score;
		if (this.kit) this.fetchMissing();
		if (!this.playing) return;
		this.fetchAhead(second);
		const [start, end] = score.loop ?? [0, score.end];
		const now = this.context.currentTime;
		const counting = this.rounds[0].at > now;
		// Who began before the loop is let into it.
		if (score.loop && !counting && (second >= end || (otherLoop && second < start - 0.5))) {
			void this.start(start);
			return;
		}
		this.takeBack();
		if (counting) {
			this.rounds = [this.rounds[0]];
			this.schedule();
			return;
		}
		const current = this.rounds.findLast((round) => round.at <= now) ?? this.rounds[0];
		this.rounds = [otherTempo ? { ...current, at: now, second } : current];
		if (otherTempo) this.tellCourse(this.rounds[0]);
		this.schedule();
	}

	/** Where in the song it is now, in s. */
	position() {
		const now = this.context.currentTime;
		const round = this.rounds.findLast(({ at }) => at <= now) ?? this.rounds[0];
		return round ? round.second + (now - round.at) * this.score.tempo : 0;
	}

	private takeBack() {
		const now = this.context.currentTime + 0.004;
		for (const voice of this.loops.values()) voice.takeBack();
		for (const strip of this.strips.values()) strip.takeBack(now);
		for (const course of this.courses.values()) course.restart();
		this.sounding = this.sounding.filter((one) => {
			if (one.at <= now) return true;
			for (const source of one.sources) {
				source.stop();
				source.disconnect();
			}
			this.done.delete(one.key);
			return false;
		});
	}

	private schedule() {
		if (!this.playing || !this.kit) return;
		const now = this.context.currentTime;
		this.sender.pump(this.clock.page(now + sentAhead));
		this.sounding = this.sounding.filter((one) => {
			if (one.until > now) return true;
			// What has sounded is let go.
			for (const node of [...one.sources, one.gain, one.into]) node?.disconnect();
			return false;
		});
		if (now > this.fetched + fetchedEvery) this.fetchAhead(this.position());
		const { loop, end, tempo } = this.score;
		const stopAt = loop ? loop[1] : end;
		const over = (round: Round) => round.at + (stopAt - round.second) / tempo;
		let last = this.rounds[this.rounds.length - 1];
		const reach = this.reach;
		while (loop && over(last) < now + reach) {
			last = { number: last.number + 1, at: over(last), second: loop[0] };
			this.rounds.push(last);
		}
		this.rounds = this.rounds.filter((round) => round === last || over(round) > now - reach);
		this.scheduleLanes(now, reach, over);
		for (const round of this.rounds)
			this.scheduleRound(round, Math.min(stopAt, round.second + (now + reach - round.at) * tempo));
		this.scheduleLoops(now + reach);
		this.placeCountIn(now);
		this.forget(now - reach - grace);
		if (!loop && now > over(last) + 2) {
			this.stop();
			this.listener.onEnd();
		}
		const sounding = this.rounds.findLast((round) => round.at <= now)?.number ?? this.round;
		if (sounding !== this.round) {
			this.round = sounding;
			const round = this.rounds.find(({ number }) => number === sounding);
			if (round) this.tellCourse(round);
			this.listener.onRound();
		}
	}

	/** Forgets what was scheduled for long ago. It stands roughly in the order in which it sounds. */
	private forget(before: number) {
		for (const [key, at] of this.done) {
			if (at > before) break;
			this.done.delete(key);
		}
	}

	private scheduleRound(round: Round, until: number) {
		const { reading, equalLoudness, click: clicks, beats, tempo } = this.score;
		const parts = this.partsIn(round);
		const now = this.context.currentTime;
		// Hits that were written a while ago may still be due, if they are played late.
		const from = Math.max(round.second, round.second + (now - this.reach - round.at) * tempo) - 1e-6;
		for (const part of parts) {
			const voiced = reading === "played" && part.played ? part.played : part.written;
			const level = equalLoudness ? balance(part.louder, reading) : 1;
			const { starts, hits } = part;
			for (let next = firstFrom(starts, from); next < starts.length && starts[next] < until - 1e-6; next++) {
				if (part.sounds(hits[next], reading)) this.place(round, part, hits[next], voiced, level, now);
			}
		}
		this.placePulses(round, from, until, now);
		if (!clicks) return;
		const { seconds } = beats;
		for (let beat = firstFrom(seconds, from); beat < seconds.length && seconds[beat] < until - 1e-6; beat++) {
			this.placeClick(round, beat, now);
		}
	}

	/** The parts as they are played in a round. */
	private partsIn({ number }: Round) {
		return number > this.round ? (this.score.next ?? this.score.parts) : this.score.parts;
	}

	/** Lanes go before the hits that they are there for. */
	private scheduleLanes(now: number, reach: number, over: (round: Round) => number) {
		const { parts, reading, tempo, outs } = this.score;
		const heard = new Set(["bend", ...(this.kit?.manifest.controllers.map(({ lane }) => lane) ?? [])]);
		const there = (id: number) => parts.some((part) => part.id === id);
		this.closeStrips(there);
		for (const id of this.courses.keys()) if (!there(id)) this.courses.delete(id);
		for (const part of parts) {
			const { id } = part;
			const out = outs.get(Math.abs(id));
			// A sampler has one channel for a part and the take that it is held against.
			if (out && id < 0) continue;
			const own = (round: Round) =>
				this.partsIn(round).filter((one) => one.id === id || (out !== undefined && one.id === -id));
			const lanes = this.rounds.flatMap(own).map((one) => [one.lanes.written, one.lanes.played]);
			const has = (wanted: (kind: string) => boolean) => lanes.flat(2).some(({ kind }) => wanted(kind));
			const wanted = out ? has(() => true) : part.loop !== null || has((kind) => heard.has(kind));
			let course = this.courses.get(id);
			if (!wanted && !course) continue;
			if (!course) {
				course = new LaneCourse();
				this.courses.set(id, course);
			}
			const stretches = this.rounds.map((round, place) => ({
				at: round.at,
				until: this.rounds[place + 1]?.at ?? over(round),
				second: round.second,
				lanes: own(round).flatMap((one) => one.lanes[reading]),
			}));
			if (out) {
				course.follow(stretches, tempo, now, now + sentAhead + laneLead, (kind, value, at) => {
					out.port.send(laneMessage(kind, out.channel, value), this.clock.page(at - laneLead));
				});
				continue;
			}
			const strip = this.strips.get(id) ?? this.stripOf(part);
			if (!strip) continue;
			course.follow(stretches, tempo, now, now + reach, (kind, value, at) => strip.set(kind, value, at));
		}
	}

	private stripOf(part: PlayedPart) {
		if (!this.kit) return null;
		const { controllers, glide } = this.kit.manifest;
		const strip = new Strip(this.context, this.out, controllers, glide, part.bendRange);
		this.strips.set(part.id, strip);
		return strip;
	}

	private closeStrips(there: (part: number) => boolean) {
		for (const [id, strip] of this.strips)
			if (!there(id)) {
				this.strips.delete(id);
				// What rings goes on through it.
				window.setTimeout(() => strip.close(), 8000);
			}
	}

	/** Parts that are recorded loops. */
	private scheduleLoops(until: number) {
		const { loop, end, tempo, reading, equalLoudness } = this.score;
		const parts = this.score.parts.filter((part) => part.loop);
		for (const [id, voice] of this.loops)
			if (!parts.some((part) => part.id === id)) {
				voice.silence();
				this.loops.delete(id);
			}
		for (const part of parts) {
			if (!part.loop) continue;
			let voice = this.loops.get(part.id);
			if (!voice) {
				const out = () => this.strips.get(part.id)?.input ?? this.out;
				voice = new LoopVoice(this.context, out, () => this.schedule());
				this.loops.set(part.id, voice);
			}
			const level = equalLoudness ? balance(part.louder, reading) : 1;
			voice.schedule(part.loop[reading], level, this.rounds, loop, end, tempo, until);
		}
	}

	private timeOf(round: Round, second: number) {
		return round.at + (second - round.second) / this.score.tempo;
	}

	private place(round: Round, part: PlayedPart, hit: number, voiced: Voiced, level: number, now: number) {
		const key = `${round.number} ${part.id} ${part.ids[hit]}`;
		const due = this.timeOf(round, voiced.seconds[hit]);
		if (this.done.has(key) || due < now - grace || !this.kit) return;
		const at = Math.max(due, now);
		const velocity = voiced.velocities[hit];
		const out = this.score.outs.get(Math.abs(part.id));
		const note = (out ? part.notes : part.heard)[voiced === part.written ? 0 : 1][hit];
		const stroke = { ...strokeOf(part.kit, note, velocity), moves: movesOf(voiced, hit) };
		const { sound } = stroke;
		const { reading } = this.score;
		const { moves } = stroke;
		const strip = this.strips.get(part.id);
		const entry = {
			...{ part: part.id, hit, reading, velocity, at, seconds: voiced.seconds[hit], level, moves },
			...{ note },
		};
		if (out) {
			// It cannot be taken back: what can still change waits.
			if (at > now + sentAhead) return;
			const [sent, channel] = part.kit.outputs[note];
			const page = this.clock.page(at);
			const length = (1000 * voiced.lengths[hit]) / this.score.tempo;
			this.sender.strike(out.port, channel ?? out.channel, sent, stroke.sent, page, length);
			this.done.set(key, at);
			probe.schedule(entry);
			return;
		}
		const into = this.context.createGain();
		into.gain.value = level;
		into.connect(strip?.input ?? this.out);
		const struck = this.kit.strike(stroke, at, into, strip?.bend);
		if (!struck) return;
		this.done.set(key, at);
		const { sources, gain } = struck;
		const named = (group: string | null) => group && `${part.id} ${group}`;
		const group = named(struck.group);
		if (group) {
			for (const one of this.sounding) if (one.offBy === group && one.at < at) this.end(one, at);
		}
		const until = at + struck.seconds;
		const one = { key, at, sources, gain, into, offBy: named(struck.offBy), until };
		if (sound.sustained) this.end(one, at + voiced.lengths[hit] / this.score.tempo);
		this.sounding.push(one);
		probe.schedule(entry);
	}

	/** Pulses of the tempo, and where they count from whenever the song jumps. */
	private placePulses(round: Round, from: number, until: number, now: number) {
		const { pulses, tempo } = this.score;
		if (!pulses || pulses.ports.length === 0) return;
		const { seconds } = pulses;
		const most = Math.min(until, round.second + (now + sentAhead - round.at) * tempo);
		for (
			let pulse = firstFrom(seconds, from);
			pulse < seconds.length && seconds[pulse] < most - 1e-6;
			pulse++
		) {
			const key = `${round.number} pulse ${pulse}`;
			const due = this.timeOf(round, seconds[pulse]);
			if (this.done.has(key) || due < now - grace) continue;
			const at = this.clock.page(due);
			// A place is told in 16ths: from a pulse that is on one.
			if (this.located < round.number && pulse % 6 === 0) {
				this.located = round.number;
				const place = pulse / 6;
				if (round.number > 0) this.tell([0xfc], at - 2);
				this.tell([0xf2, place & 0x7f, (place >> 7) & 0x7f], at - 1.5);
				this.tell([place === 0 && round.number === 0 ? 0xfa : 0xfb], at - 1);
			}
			this.done.set(key, due);
			this.tell([0xf8], at);
		}
	}

	private placeCountIn(now: number) {
		const { countIn } = this;
		const [round] = this.rounds;
		if (!countIn || round.at < now) return;
		countIn.before.forEach((before, beat) => {
			this.click(
				`${round.number} count ${beat}`,
				round.at - before / this.score.tempo,
				countIn.downbeats[beat],
				now,
			);
		});
	}

	private placeClick(round: Round, beat: number, now: number) {
		const due = this.timeOf(round, this.score.beats.seconds[beat]);
		this.click(`${round.number} click ${beat}`, due, this.score.beats.downbeats[beat] === 1, now);
	}

	private click(key: string, due: number, down: boolean, now: number) {
		// A click that comes late would say that the beat is there: better none.
		if (this.done.has(key) || due < now) return;
		const struck = this.kit?.strike(
			{ sound: { ...click, rate: down ? 1.5 : 1 }, layer: down ? 5 : 2, sent: down ? 112 : 76, own: null },
			due,
			this.out,
		);
		if (!struck) return;
		this.done.set(key, due);
		const { sources, gain, seconds } = struck;
		this.sounding.push({ key, at: due, sources, gain, into: null, offBy: null, until: due + seconds });
		probe.click(due);
	}

	/** Let a sound die away from `at` on. */
	private end({ sources, gain }: Pick<Sounding, "sources" | "gain">, at: number) {
		const release = this.kit?.manifest.release ?? 0.02;
		gain.gain.setTargetAtTime(0, at, release / 3);
		for (const source of sources) source.stop(at + 2 * release);
	}
}

const sameOuts = (a: Map<number, Out>, b: Map<number, Out>) =>
	a.size === b.size && [...a].every(([part, out]) => isEqual(out, b.get(part)));

/** The louder reading is turned down to the other. */
function balance(louder: number, reading: Reading) {
	const down = reading === "played" ? Math.max(0, louder) : Math.max(0, -louder);
	return 10 ** (-down / 20);
}

/** How a hit moves, where it does. */
function movesOf({ movement }: Voiced, hit: number): Moves | undefined {
	if (!movement) return undefined;
	const moves: Moves = {};
	for (const [property, values] of Object.entries(movement) as [Property, number[]][])
		if (values[hit]) moves[property] = values[hit];
	return Object.keys(moves).length > 0 ? moves : undefined;
}
