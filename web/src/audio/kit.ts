/** The built-in kit in the browser: its manifest and its decoded voices. */
import { client } from "../api/client";
import type { KitManifest, KitSounds, NoteSound, Voice, VoiceInfo } from "../api/generated/types";

/** What is played for a note of a velocity. */
export interface Stroke {
	sound: NoteSound;
	layer: number;
	/** The velocity that is sent. */
	sent: number;
}

/** How a note of this velocity is played by a kit. */
export function strokeOf(sounds: KitSounds, note: number, velocity: number): Stroke {
	const response = sounds.kinds[sounds.responses[note]];
	return { sound: sounds.notes[note], layer: response.layers[velocity], sent: response.sent[velocity] };
}

export class Kit {
	private readonly buffers = new Map<Voice, AudioBuffer>();
	private readonly infos: Map<Voice, VoiceInfo>;
	private readonly turns = new Map<string, number>();

	private constructor(
		private readonly context: AudioContext,
		readonly manifest: KitManifest,
	) {
		this.infos = new Map(manifest.voices.map((info) => [info.voice, info]));
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

	/** A node that plays one stroke; alternates take turns. Nothing where the voice is not there. */
	strike({ sound, layer, sent }: Stroke, at: number, into: AudioNode) {
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
		source.playbackRate.value = rate;
		const gain = this.context.createGain();
		gain.gain.value = gains[sent] * info.level;
		const pan = this.context.createStereoPanner();
		pan.pan.value = info.pan;
		source.connect(gain).connect(pan).connect(into);
		source.start(at, sample * info.seconds, info.seconds);
		return { source, gain };
	}
}
