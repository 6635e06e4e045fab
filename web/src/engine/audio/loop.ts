/**
 * Plays a part that is a recorded loop: the server renders what sounds, stretch by stretch, and the stretches are put
 * one behind the other on the audio clock. What changes while it plays is rendered anew and faded over to.
 */

import { probe } from "../../lib/probe";

/** Frames a second of all that is rendered. */
export const loopRate = 44_100;
/** What is longer comes in stretches of so many s: a change is heard as soon as the one that sounds is there. */
const stretch = 8;
/** One is faded over to the other in so many s. */
const fade = 0.008;
/** So many rendered stretches are kept. */
const kept = 16;

/** How a part sounds that is a recorded loop. */
export interface LoopPart {
	/** Names all that it hangs on besides the frames. */
	key: string;
	channels: number;
	/** Its samples, one channel behind the other. `round`: of what goes round, so that its end is before its beginning. */
	hear: (from: number, frames: number, round: boolean) => Promise<ArrayBuffer>;
}

/** A time through the loop, or through the song. */
export interface LoopRound {
	number: number;
	/** On the audio clock, in s. */
	at: number;
	/** In s of the song. */
	second: number;
}

interface Sounding {
	/** Which stretch of which round. */
	place: string;
	key: string;
	at: number;
	source: AudioBufferSourceNode;
	gain: GainNode;
	until: number;
}

interface Piece {
	place: string;
	/** When it begins, on the audio clock. */
	at: number;
	/** When it begins to sound: later where the round begins in its midst. */
	sounds: number;
	from: number;
	frames: number;
	round: boolean;
}

export class LoopVoice {
	private buffers = new Map<string, AudioBuffer>();
	private asked: string | null = null;
	private sounding: Sounding[] = [];

	constructor(
		private readonly context: AudioContext,
		/** Where it sounds now: another place each time that the song is begun. */
		private readonly out: () => AudioNode,
		private readonly ready: () => void,
	) {}

	/** Puts what sounds between now and a moment in its place. */
	schedule(
		part: LoopPart,
		level: number,
		rounds: LoopRound[],
		loop: [number, number] | null,
		end: number,
		tempo: number,
		until: number,
	) {
		const now = this.context.currentTime;
		this.sounding = this.sounding.filter((one) => one.until > now);
		const wanted = new Set<string>();
		for (const [place, round] of rounds.entries()) {
			const next = rounds[place + 1]?.at ?? Number.POSITIVE_INFINITY;
			for (const piece of pieces(round, loop, end, tempo, now, Math.min(until, next))) {
				wanted.add(piece.place);
				this.place(part, level, piece, Math.min(next, piece.at + piece.frames / loopRate), now);
			}
		}
		// The song went on elsewhere, or at another tempo.
		for (const one of this.sounding) if (!wanted.has(one.place)) this.end(one, now + 0.015);
	}

	private place(part: LoopPart, level: number, piece: Piece, stop: number, now: number) {
		const own = this.sounding.filter(({ place }) => place === piece.place);
		const wanted = `${part.key} ${level}`;
		if (own.some(({ key }) => key === wanted)) return;
		const name = `${piece.from} ${piece.frames} ${part.key}`;
		const buffer = this.buffers.get(name);
		if (!buffer) {
			this.ask(part, piece, name);
			return;
		}
		// What sounds already is faded over; else it begins where it is now, or on time.
		const at = Math.max(piece.at, piece.sounds, now + 0.015);
		if (at >= stop) return;
		for (const one of own) this.end(one, at);
		const source = new AudioBufferSourceNode(this.context, { buffer });
		const late = at > piece.at;
		const gain = new GainNode(this.context, { gain: late ? 0 : level });
		source.connect(gain).connect(this.out());
		if (late) {
			gain.gain.setValueAtTime(0, at);
			gain.gain.linearRampToValueAtTime(level, at + fade);
		}
		source.start(late ? at : aligned(at), Math.max(0, at - piece.at));
		if (stop < piece.at + piece.frames / loopRate - 1e-6) source.stop(stop);
		probe.looped({ at, from: piece.from, frames: piece.frames, late });
		this.sounding.push({ place: piece.place, key: wanted, at, source, gain, until: stop });
	}

	/** One request is in flight; what is newest goes next. */
	private ask(part: LoopPart, { from, frames, round }: Piece, name: string) {
		if (this.asked !== null || frames <= 0) return;
		this.asked = name;
		part
			.hear(from, frames, round)
			.then((bytes) => {
				const samples = new Float32Array(bytes);
				const buffer = new AudioBuffer({
					length: frames,
					numberOfChannels: part.channels,
					sampleRate: loopRate,
				});
				for (let channel = 0; channel < part.channels; channel++)
					buffer.copyToChannel(samples.subarray(channel * frames, (channel + 1) * frames), channel);
				this.buffers.set(name, buffer);
				for (const oldest of [...this.buffers.keys()].slice(0, -kept)) this.buffers.delete(oldest);
				this.asked = null;
				this.ready();
			})
			.catch(() => {
				// The rows say what is amiss; it is asked for again when something changes.
				window.setTimeout(() => {
					this.asked = null;
				}, 500);
			});
	}

	private end(one: Sounding, at: number) {
		if (one.until <= at) return;
		one.gain.gain.cancelScheduledValues(at);
		one.gain.gain.setTargetAtTime(0, at, fade / 3);
		one.source.stop(at + 3 * fade);
		one.until = at;
	}

	/** What was put ahead and does not sound yet goes. */
	takeBack() {
		const now = this.context.currentTime + 0.004;
		this.sounding = this.sounding.filter((one) => {
			if (one.at <= now) return true;
			one.source.stop();
			one.source.disconnect();
			return false;
		});
	}

	/** What was put ahead goes; what sounds is faded out. */
	silence() {
		const now = this.context.currentTime;
		for (const one of this.sounding) this.end(one, now);
		this.sounding = [];
	}
}

/** Stretches follow upon each other to the sample where they begin on one. */
const aligned = (at: number) => Math.round(at * loopRate) / loopRate;

/** The stretches of a round that sound between two moments. */
function pieces(
	round: LoopRound,
	loop: [number, number] | null,
	end: number,
	tempo: number,
	now: number,
	until: number,
): Piece[] {
	const frame = (second: number) => Math.round((second / tempo) * loopRate);
	const [from, to] = (loop ?? [0, end]).map(frame);
	const length = stretch * loopRate;
	// Where the loop's beginning would lie on the audio clock.
	const zero = round.at - (frame(round.second) - from) / loopRate;
	const found: Piece[] = [];
	for (let begins = from; begins < to; begins += length) {
		const frames = Math.min(length, to - begins);
		const at = zero + (begins - from) / loopRate;
		if (at + frames / loopRate <= Math.max(now, round.at) || at >= until) continue;
		found.push({
			place: `${round.number} ${zero.toFixed(4)} ${begins}`,
			at,
			sounds: Math.max(at, round.at),
			from: begins,
			frames,
			round: loop !== null,
		});
	}
	return found;
}
