/** Own sounds in the browser: those that are used, fetched ahead of time and kept within bounds. */
import { client } from "../../api/client";
import type { KitSounds, Sample } from "../../api/generated/types";
import { showError } from "../../lib/notify";

/** So many bytes of samples are kept; those that were not used for longest are fetched again. */
const most = 64 * 2 ** 20;

/** No more alternates take turns. */
const mostTurns = 100;

/** What could not be had is asked for again after this, in ms: it may have been dropped again. */
const patience = 5000;

const size = (buffer: AudioBuffer) => 4 * buffer.length * buffer.numberOfChannels;

/** The samples of a stroke that play a velocity. */
export const playing = (samples: Sample[], velocity: number) =>
	samples.filter(({ from = 1, to = 127 }) => from <= velocity && velocity <= to);

/** The own sounds of a note at some velocities. */
export function* ownSounds(kit: KitSounds, note: number, velocities: number[]) {
	const { own } = kit.notes[note];
	if (own === null) return;
	const { sent } = kit.kinds[kit.responses[note]];
	for (const velocity of velocities)
		for (const { sound } of playing(kit.own[own], sent[velocity])) yield sound;
}

export class Samples {
	/** The one that was used last comes last. */
	private readonly kept = new Map<string, AudioBuffer>();
	private bytes = 0;
	private readonly coming = new Map<string, Promise<void>>();
	/** What could not be had, and when it was asked for. */
	private readonly gone = new Map<string, number>();
	/** Whose turn it is, by the samples of a stroke and their velocities. */
	private readonly turns = new WeakMap<Sample[], Map<string, number>>();

	constructor(private readonly context: BaseAudioContext) {}

	/** Fetches what is not there. */
	async want(sounds: Iterable<string>) {
		const missing = [...new Set(sounds)].filter((sound) => {
			const buffer = this.kept.get(sound);
			if (buffer) this.use(sound, buffer);
			const asked = this.gone.get(sound) ?? Number.NEGATIVE_INFINITY;
			return !buffer && performance.now() > asked + patience;
		});
		await Promise.all(missing.map((sound) => this.fetch(sound)));
	}

	private fetch(sound: string) {
		const coming = this.coming.get(sound) ?? this.load(sound).finally(() => this.coming.delete(sound));
		this.coming.set(sound, coming);
		return coming;
	}

	private async load(sound: string) {
		try {
			const buffer = await this.context.decodeAudioData(await client.sample(sound));
			this.use(sound, buffer);
		} catch (error) {
			// A page that is closed has no use for it.
			if (this.context.state === "closed") return;
			this.gone.set(sound, performance.now());
			showError(error);
		}
	}

	private use(sound: string, buffer: AudioBuffer) {
		if (!this.kept.delete(sound)) this.bytes += size(buffer);
		this.kept.set(sound, buffer);
		for (const [oldest, buffer] of this.kept) {
			if (this.bytes <= most || this.kept.size === 1) break;
			this.kept.delete(oldest);
			this.bytes -= size(buffer);
		}
	}

	/**
	 * What a stroke is heard by at a velocity; its alternates take turns. One that is not there yet gives way to another
	 * of the stroke.
	 */
	next(samples: Sample[], velocity: number) {
		const heard = this.turn(playing(samples, velocity), samples);
		const there = heard.flatMap((sample) => this.there(sample));
		if (there.length > 0 || heard.length === 0) return there;
		for (const other of [...playing(samples, velocity), ...samples]) {
			const one = this.there(other);
			if (one.length > 0) return one;
		}
		return [];
	}

	private there(sample: Sample) {
		const buffer = this.kept.get(sample.sound);
		return buffer ? [{ sample, buffer }] : [];
	}

	/** As the core has it: each layer goes round by itself, and a turn that no sample has is passed over. */
	private turn(able: Sample[], of: Sample[]) {
		const counts = this.turns.get(of) ?? new Map<string, number>();
		this.turns.set(of, counts);
		const layer = ({ from = 1, to = 127 }: Sample) => `${from} ${to}`;
		return [...new Set(able.map(layer))].flatMap((name) => {
			const samples = able.filter((sample) => layer(sample) === name);
			const having = (count: number) =>
				samples.filter(({ turn = 1, turns = 1 }) => count % turns === turn - 1);
			let count = counts.get(name) ?? 0;
			for (let on = 0; on < mostTurns && having(count).length === 0; on++) count += 1;
			counts.set(name, count + 1);
			return having(count);
		});
	}
}
