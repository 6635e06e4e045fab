import { useCallback, useEffect, useRef } from "react";
import type { KitSounds } from "../../api/generated/types";
import { Kit, strokeOf } from "../../engine/audio/kit";
import { ownSounds } from "../../engine/audio/samples";
import { showError } from "../../lib/notify";
import { probe } from "../../lib/probe";

interface Ear {
	context: AudioContext;
	kit: Promise<Kit>;
	out: GainNode;
	/** What sounds of each group. */
	choked: Map<string, GainNode>;
}

/** Hears one stroke at one velocity. */
export type Hear = (note: number, velocity: number) => void;

/** Plays single strokes by a kit, as soon as they are asked for. */
export function useEar(sounds: KitSounds): Hear {
	const ear = useRef<Ear | null>(null);
	useEffect(
		() => () => {
			void ear.current?.context.close();
			ear.current = null;
		},
		[],
	);
	return useCallback(
		(note, velocity) => {
			if (!ear.current) {
				const context = new AudioContext({ latencyHint: "interactive" });
				const out = context.createGain();
				out.gain.value = 0.8;
				out.connect(context.destination);
				ear.current = { context, out, kit: Kit.load(context), choked: new Map() };
			}
			const { context, kit, out, choked } = ear.current;
			const struckAt = Math.max(1, Math.min(127, Math.round(velocity)));
			const stroke = strokeOf(sounds, note, struckAt);
			const play = async () => {
				const loaded = await kit;
				const due = ownSounds(sounds, note, [struckAt]);
				await Promise.all([context.resume(), loaded.prepare([stroke.sound.voice]), loaded.samples.want(due)]);
				const struck = loaded.strike(stroke, context.currentTime, out);
				if (!struck) return;
				probe.struck(note, stroke.sent, stroke.layer);
				const { group, offBy } = struck;
				if (group !== null)
					choked.get(group)?.gain.setTargetAtTime(0, context.currentTime, loaded.manifest.release / 3);
				if (offBy !== null) choked.set(offBy, struck.gain);
			};
			play().catch((error) => {
				if (ear.current) showError(error);
			});
		},
		[sounds],
	);
}
