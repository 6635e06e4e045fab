/** Finds how late a device's messages come: somebody strikes along with eight bars of click. */
import { useCallback, useEffect, useRef, useState } from "react";
import { client } from "../../api/client";
import type { Latency } from "../../api/generated/types";
import { AudioClock } from "../../engine/audio/clock";
import { Recorder } from "../../engine/audio/recorder";
import { devices, simulatedPads } from "../../engine/devices/hub";
import { type InPort, isNoteOn } from "../../engine/devices/ports";
import { showError } from "../../lib/notify";
import { useWorkspaceStore } from "../../part/store";
import { useTransport } from "../transport/context";

const bars = 8;
const beats = 4;

export function useCalibration(port: InPort) {
	const transport = useTransport();
	const store = useWorkspaceStore();
	const [state, setState] = useState({ running: false, bar: 0, strokes: 0 });
	const stop = useRef<(() => void) | null>(null);
	const cancel = useCallback(() => stop.current?.(), []);
	useEffect(() => cancel, [cancel]);

	const begin = useCallback(async (): Promise<Latency | null> => {
		if (transport.playing) transport.toggle();
		const context = new AudioContext({ latencyHint: "interactive" });
		const clock = new AudioClock(context);
		await clock.heard();
		const { song, tempo } = store.getState();
		const beat = 60 / Math.max(60, Math.min(160, song.bpm * tempo));
		// A bar to get into it counts for nothing.
		const first = context.currentTime + 0.3;
		const start = first + beats * beat;
		const clicks = Array.from({ length: beats * (bars + 1) }, (_, count) => first + count * beat);
		clicks.forEach((at, count) => {
			click(context, at, count % beats === 0);
		});
		let strokes = 0;
		const recorder = new Recorder(
			() => ({ which: "calibration", read: () => clock.read() }),
			({ data }) => {
				if (isNoteOn(data)) strokes++;
			},
		);
		recorder.open([port], () => 0);
		const sampling = window.setInterval(() => clock.sample(), 40);
		const before = simulatedPads.settings;
		if (port === simulatedPads.port) {
			simulatedPads.settings = { ...before, figure: "click" };
			simulatedPads.follow({
				quarters: (from, to) =>
					clicks
						.map((audio, count) => ({
							audio,
							length: beat,
							beat: count % beats,
							round: Math.floor(count / beats),
						}))
						.filter(({ audio }) => audio >= from && audio < to),
				audioNow: () => clock.now(),
				pageTime: (audio) => clock.page(audio),
			});
		}
		setState({ running: true, bar: 0, strokes: 0 });
		const whole = await new Promise<boolean>((resolve) => {
			stop.current = () => resolve(false);
			const look = () => {
				const bar = Math.floor((context.currentTime - start) / (beats * beat)) + 1;
				setState({ running: true, bar: Math.max(0, Math.min(bars, bar)), strokes });
				if (context.currentTime > start + bars * beats * beat + 0.6) resolve(true);
			};
			const timer = window.setInterval(look, 100);
			void context.addEventListener("statechange", () => {
				if (context.state === "closed") window.clearInterval(timer);
			});
		});
		stop.current = null;
		window.clearInterval(sampling);
		const recording = recorder.since(start - beat / 2);
		recorder.close();
		void context.close();
		if (port === simulatedPads.port) {
			simulatedPads.settings = before;
			// Whoever records takes them back.
			devices.setState({});
		}
		setState({ running: false, bar: 0, strokes: 0 });
		if (!whole) return null;
		try {
			return await client.latency({ recording, clicks: clicks.filter((at) => at >= start - beat / 2) });
		} catch (error) {
			showError(error);
			return null;
		}
	}, [port, store, transport]);
	return { ...state, begin, cancel };
}

/** A short tone, higher where a bar begins. */
function click(context: AudioContext, at: number, down: boolean) {
	const tone = context.createOscillator();
	const gain = context.createGain();
	tone.frequency.value = down ? 1760 : 1175;
	gain.gain.setValueAtTime(0.25, at);
	gain.gain.exponentialRampToValueAtTime(0.001, at + 0.05);
	tone.connect(gain).connect(context.destination);
	tone.start(at);
	tone.stop(at + 0.06);
}
