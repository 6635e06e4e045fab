/** The built-in kit in the browser, its manifest and its decoded voices; and own sounds where a stroke has some. */
import { client } from "../../api/client";
import type {
	KitManifest,
	KitSounds,
	NoteSound,
	Property,
	Sample,
	Voice,
	VoiceInfo,
} from "../../api/generated/types";
import { probe } from "../../lib/probe";
import { playing, Samples } from "./samples";

/** What is played for a note of a velocity. */
export interface Stroke {
	sound: NoteSound;
	layer: number;
	/** The velocity that is sent. */
	sent: number;
	/** The own sounds of the stroke. */
	own: Sample[] | null;
	/** How it moves, where it does: cents, %, dB, %. */
	moves?: Moves;
}

export type Moves = Partial<Record<Property, number>>;

/** What sounds of a stroke. */
export interface Struck {
	sources: AudioBufferSourceNode[];
	gain: GainNode;
	/** The group that it belongs to, and the one that ends it. */
	group: string | null;
	offBy: string | null;
	/** How long it sounds, in s. */
	seconds: number;
}

/** How a note of this velocity is played by a kit. */
export function strokeOf(sounds: KitSounds, note: number, velocity: number): Stroke {
	const response = sounds.kinds[sounds.responses[note]];
	const sound = sounds.notes[note];
	const own = sound.own === null ? null : sounds.own[sound.own];
	return { sound, layer: response.layers[velocity], sent: response.sent[velocity], own };
}

export class Kit {
	private readonly buffers = new Map<Voice, AudioBuffer>();
	private readonly infos: Map<Voice, VoiceInfo>;
	private readonly turns = new Map<string, number>();
	readonly samples: Samples;

	private constructor(
		private readonly context: AudioContext,
		readonly manifest: KitManifest,
	) {
		this.infos = new Map(manifest.voices.map((info) => [info.voice, info]));
		this.samples = new Samples(context);
	}

	static async load(context: AudioContext): Promise<Kit> {
		return new Kit(context, await client.manifest());
	}

	/** Fetch these voices. */
	async prepare(voices: Iterable<Voice>) {
		const missing = [...new Set<Voice>(["click", ...voices])].filter((voice) => !this.buffers.has(voice));
		await Promise.all(
			missing.map(async (voice) => {
				this.buffers.set(voice, await this.context.decodeAudioData(await client.voice(voice)));
			}),
		);
	}

	/** Whether any of these voices is not there. */
	isMissing(voices: Iterable<Voice>) {
		for (const voice of voices) if (!this.buffers.has(voice)) return true;
		return false;
	}

	/**
	 * Nodes that play one stroke; alternates take turns. Nothing where the voice is not there. A bend, in cents, is
	 * followed.
	 */
	strike(stroke: Stroke, at: number, into: AudioNode, bend?: AudioNode): Struck | null {
		const { own, sent } = stroke;
		const struck = this.struck(stroke, own && playing(own, sent).length > 0 ? own : null, at, into);
		if (bend) for (const source of struck?.sources ?? []) bend.connect(source.detune);
		return struck;
	}

	private struck(stroke: Stroke, own: Sample[] | null, at: number, into: AudioNode) {
		const heard = own ? this.samples.next(own, stroke.sent) : [];
		if (heard.length > 0) return this.strikeOwn(stroke, heard, at, into);
		return this.strikeVoice(stroke, at, into);
	}

	private strikeVoice(
		{ sound, layer, sent, moves = {} }: Stroke,
		at: number,
		into: AudioNode,
	): Struck | null {
		const { voice, rate, turns } = sound;
		const buffer = this.buffers.get(voice);
		const info = this.infos.get(voice);
		if (!buffer || !info) return null;
		const { gains, alternates } = this.manifest;
		const key = `${voice} ${turns[0]}`;
		const turn = this.turns.get(key) ?? 0;
		this.turns.set(key, turn + 1);
		const sample = layer * alternates + turns[0] + (turn % turns[1]);
		const source = this.context.createBufferSource();
		source.buffer = buffer;
		const { faster, louder, place } = moved(moves);
		source.playbackRate.value = rate * faster;
		const gain = this.context.createGain();
		gain.gain.value = gains[sent] * info.level * louder;
		const pan = this.context.createStereoPanner();
		pan.pan.value = placed(info.pan, place);
		this.brightened(source, moves).connect(gain).connect(pan).connect(into);
		source.start(at, sample * info.seconds, info.seconds);
		const group = ofKit(sound);
		return { sources: [source], gain, group, offBy: group, seconds: info.seconds / rate / faster };
	}

	/** A source made brighter or darker, where it moves so. */
	private brightened(source: AudioNode, { brightness = 0 }: Moves): AudioNode {
		if (brightness === 0) return source;
		const shelf = this.context.createBiquadFilter();
		shelf.type = "highshelf";
		shelf.frequency.value = this.manifest.bright;
		shelf.gain.value = (brightness / 100) * this.manifest.brightest;
		return source.connect(shelf);
	}

	private strikeOwn(
		{ sound, sent, moves = {} }: Stroke,
		heard: { sample: Sample; buffer: AudioBuffer }[],
		at: number,
		into: AudioNode,
	): Struck {
		const { gains } = this.manifest;
		const { faster, louder, place } = moved(moves);
		const all = this.context.createGain();
		all.connect(into);
		const sources = heard.map(({ sample, buffer }) => {
			const { volume = 0, pan = 0, full = 127, track = 100 } = sample;
			const source = this.context.createBufferSource();
			source.buffer = buffer;
			source.playbackRate.value = faster;
			const gain = this.context.createGain();
			const followed = 1 + (track / 100) * (gains[sent] / gains[full] - 1);
			gain.gain.value = 10 ** (volume / 20) * followed * louder;
			const panner = this.context.createStereoPanner();
			panner.pan.value = placed(pan / 100, place);
			this.brightened(source, moves).connect(gain).connect(panner).connect(all);
			source.start(at);
			probe.ownSound(sample.name, at);
			return source;
		});
		const [{ sample }] = heard;
		const own = sample.group !== undefined || sample.off_by !== undefined;
		const named = (group?: number) => (group === undefined ? null : `samples ${group}`);
		return {
			sources,
			gain: all,
			group: own ? named(sample.group) : ofKit(sound),
			offBy: own ? named(sample.off_by) : ofKit(sound),
			seconds: Math.max(...heard.map(({ buffer }) => buffer.duration)) / faster,
		};
	}
}

/** How many times as fast and as loud, and how far from where it stands. */
const moved = ({ pitch = 0, place = 0, level = 0 }: Moves) => ({
	faster: 2 ** (pitch / 1200),
	louder: 10 ** (level / 20),
	place: place / 100,
});

const placed = (pan: number, by: number) => Math.max(-1, Math.min(1, pan + by));

const ofKit = ({ choke }: NoteSound) => (choke === null ? null : `kit ${choke}`);
