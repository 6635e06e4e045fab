/** The built-in kit in the browser: its manifest and its decoded voices. */
import { client } from "../api/client";
import type { KitManifest, Voice, VoiceInfo } from "../api/generated/types";

export class Kit {
	private readonly buffers = new Map<Voice, AudioBuffer>();
	private readonly infos: Map<Voice, VoiceInfo>;
	private readonly turns = new Map<Voice, number>();

	private constructor(
		private readonly context: AudioContext,
		readonly manifest: KitManifest,
	) {
		this.infos = new Map(manifest.voices.map((info) => [info.voice, info]));
	}

	static async load(context: AudioContext): Promise<Kit> {
		return new Kit(context, await client.kit());
	}

	/** Fetch the voices that these notes need. */
	async prepare(notes: Iterable<{ note: number; drums: boolean }>) {
		const voices = new Set<Voice>(["click"]);
		for (const { note, drums } of notes) voices.add(this.sound(note, drums).voice);
		const missing = [...voices].filter((voice) => !this.buffers.has(voice));
		await Promise.all(
			missing.map(async (voice) => {
				this.buffers.set(voice, await this.context.decodeAudioData(await client.voice(voice)));
			}),
		);
	}

	/** Whether any voice that these notes need is not there. */
	isMissing(notes: Iterable<{ note: number; drums: boolean }>) {
		for (const { note, drums } of notes) if (!this.buffers.has(this.sound(note, drums).voice)) return true;
		return false;
	}

	sound(note: number, drums: boolean) {
		return (drums ? this.manifest.drums : this.manifest.tones)[note];
	}

	/** A node that plays one stroke; alternates take turns. Nothing where the voice is not there. */
	strike(voice: Voice, velocity: number, rate: number, at: number, into: AudioNode) {
		const buffer = this.buffers.get(voice);
		const info = this.infos.get(voice);
		if (!buffer || !info) return null;
		const { layers, gains, alternates } = this.manifest;
		const turn = this.turns.get(voice) ?? 0;
		this.turns.set(voice, turn + 1);
		const sample = layers[velocity] * alternates + (turn % alternates);
		const source = this.context.createBufferSource();
		source.buffer = buffer;
		source.playbackRate.value = rate;
		const gain = this.context.createGain();
		gain.gain.value = gains[velocity] * info.level;
		const pan = this.context.createStereoPanner();
		pan.pan.value = info.pan;
		source.connect(gain).connect(pan).connect(into);
		source.start(at, sample * info.seconds, info.seconds);
		return { source, gain };
	}
}
