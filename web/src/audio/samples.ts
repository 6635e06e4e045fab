/** Own sounds in the browser: those that are used, fetched ahead of time and kept within bounds. */
import { client } from "../api/client";
import type { KitSounds, Sample } from "../api/generated/types";
import { showError } from "../notify";

/** So many bytes of samples are kept; those that were not used for longest are fetched again. */
const most = 64 * 2 ** 20;

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
	/** What cannot be had: it is asked for once. */
	private readonly gone = new Set<string>();
	/** Whose turn it is, by the samples of a stroke and their velocities. */
	private readonly turns = new WeakMap<Sample[], Map<string, number>>();

	constructor(private readonly context: BaseAudioContext) {}

	/** Fetches what is not there. */
	async want(sounds: Iterable<string>) {
		const missing = [...new Set(sounds)].filter((sound) => {
			const buffer = this.kept.get(sound);
			if (buffer) this.use(sound, buffer);
			return !buffer && !this.gone.has(sound);
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
			this.gone.add(sound);
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

	private turn(able: Sample[], of: Sample[]) {
		const counts = this.turns.get(of) ?? new Map<string, number>();
		this.turns.set(of, counts);
		const layer = ({ from = 1, to = 127 }: Sample) => `${from} ${to}`;
		const heard = able.filter((sample) => {
			const { turn = 1, turns = 1 } = sample;
			return (counts.get(layer(sample)) ?? 0) % turns === turn - 1;
		});
		for (const name of new Set(able.map(layer))) counts.set(name, (counts.get(name) ?? 0) + 1);
		return heard;
	}
}
