/** Recording into the open part: devices, what they send, and what is kept of it. */
import { useCallback, useEffect, useMemo, useRef } from "react";
import { client, thisWindow } from "../../api/client";
import type { Laying, Recording, RecordingId } from "../../api/generated/types";
import { Follower } from "../../engine/audio/follower";
import type { CountIn, Player } from "../../engine/audio/player";
import { type HeardMessage, Recorder, remembered } from "../../engine/audio/recorder";
import { devices, heard, readDevices, simulatedPads } from "../../engine/devices/hub";
import { isNoteOn } from "../../engine/devices/ports";
import { showError, showNote } from "../../lib/notify";
import { ProblemError } from "../../lib/problem";
import { barAt, secondsAt, tickAt } from "../../part/song";
import { useWorkspace, useWorkspaceStore, type WorkspaceState } from "../../part/store";
import { strokeOfNote } from "../kits/kits";
import { type Hear, useEar } from "../kits/useEar";
import { followClock } from "./followClock";
import { useLive } from "./useLive";

/** What recording needs of what plays. */
export interface Played {
	player: () => Player;
	isPlaying: () => boolean;
	start: (countIn: CountIn | null, began: number | null, fromPlace?: boolean) => void;
	startAt: (second: number) => void;
	stop: () => void;
	/** Whom to tell where the song goes on. */
	course: { current: Recorder | null };
}

const pause = (ms: number) => new Promise<void>((resolve) => window.setTimeout(resolve, ms));

/** Pieces are sent so often, in ms: a kill loses no more. */
const piece = 800;

export interface RecordingControls {
	record: () => void;
	/** Lays in what was played in the last two minutes. */
	keepRemembered: () => void;
	/** A stroke by the part's kit, at once. */
	hear: Hear;
	recorder: () => Recorder | null;
	follower: () => Follower | null;
}

/** The clicks before the loop, or before what is shown: as many as a bar there has, so many bars. */
function countInOf(state: WorkspaceState): CountIn | null {
	const bars = Number(state.countIn);
	if (!bars) return null;
	const { song, looping, loop, window } = state;
	const bar = looping ? loop[0] : barAt(song, window[0]);
	const { bars: all } = song;
	const [start, end] = [all.seconds[bar - 1], all.seconds[bar]];
	const beats = all.beat_seconds.filter((second) => second >= start - 1e-6 && second < end - 1e-6);
	const before: number[] = [];
	const downbeats: boolean[] = [];
	for (let count = bars; count > 0; count--) {
		for (const [place, second] of beats.entries()) {
			before.push(count * (end - start) - (second - start));
			downbeats.push(place === 0);
		}
	}
	return { before, downbeats };
}

function layingOf(state: WorkspaceState): Laying {
	const { song, loop, looping, recordAs, recordOnly } = state;
	const stretch = looping ? { from: song.bars.ticks[loop[0] - 1], to: song.bars.ticks[loop[1]] } : {};
	return { how: recordAs, instruments: recordOnly, rounds: [], ...stretch };
}

export function useRecording(played: Played): RecordingControls {
	const store = useWorkspaceStore();
	const recorder = useRef<Recorder | null>(null);
	const follower = useRef<Follower | null>(null);
	const sounds = useWorkspace((state) => state.part.sounds);
	const hear = useEar(sounds);
	const hearNow = useRef(hear);
	hearNow.current = hear;
	const beginning = useRef(false);
	/** The recording that goes on: ended and laid in, or ended alone, because the part is left. */
	const running = useRef<{ stop: () => void; leave: () => void } | null>(null);
	/** What came until then is in the part, or was: it is not remembered again. */
	const taken = useRef(Number.NEGATIVE_INFINITY);
	const hit = useRef<(message: HeardMessage) => void>(() => undefined);

	/** Something was struck: it is heard, and seen where it falls. */
	hit.current = ({ device, data, at }) => {
		if (!isNoteOn(data)) return;
		const state = store.getState();
		const [status, note, velocity] = data;
		const name = recorder.current?.nameOf(device) ?? "";
		state.hearStroke({ name, note, velocity, at: performance.now() });
		const player = played.player();
		if (devices.getState().inputs.find((port) => port.name === name)?.kind !== "pads") {
			const table = devices.getState().touched ? state.live?.notes[note] : null;
			hearNow.current(note, table == null ? velocity : (state.live?.tables[table][velocity] ?? velocity));
		}
		if (state.taking === "armed") {
			player.wake();
			played.start(null, player.awake ? at : null);
			state.setTaking("on");
		}
		if (store.getState().taking !== "on") return;
		const place = player.placeAt(at) ?? (player.playing ? null : { round: 0, second: loopStart(state) });
		if (!place) return;
		const stroke = strokeOfNote(state.part.kit, note, status & 0x0f);
		const tick = tickAt(state.song, place.second);
		state.addStruck({ round: place.round, tick, velocity, instrument: stroke?.instrument ?? null });
	};

	useEffect(() => {
		const reference = () => {
			const player = played.player();
			return player.awake
				? { which: "audio", read: () => player.clock.read() }
				: { which: "page", read: () => performance.now() / 1000 };
		};
		const own = new Recorder(reference, (message) => hit.current(message));
		recorder.current = own;
		played.course.current = own;
		const following = new Follower((clock, what) => followClock(store, played, clock, what));
		follower.current = following;
		let clockPort = "";
		let unheard = () => {};
		const opened = () => {
			const state = devices.getState();
			own.open(heard(state), (name) => state.latencies[name] ?? 0);
			const ports = state.inputs.filter(({ name }) => name === state.clockFrom);
			if ((ports[0]?.id ?? "") !== clockPort) {
				unheard();
				clockPort = ports[0]?.id ?? "";
				unheard = ports[0]?.listen((data, at) => following.hear(data, at)) ?? (() => {});
			}
			const player = played.player();
			const plays = state.simulated && !state.deaf.includes(simulatedPads.port.name);
			simulatedPads.follow(
				plays
					? {
							quarters: (from, to) => player.beatsBetween(from, to),
							audioNow: () => player.clock.now(),
							pageTime: (audio) => player.clock.page(audio),
						}
					: null,
			);
		};
		void readDevices().then(opened);
		const unsubscribe = devices.subscribe(opened);
		// A clock only runs where somebody used the page.
		const wake = () => played.player().wake();
		window.addEventListener("pointerdown", wake, { once: true, capture: true });
		window.addEventListener("keydown", wake, { once: true, capture: true });
		return () => {
			running.current?.leave();
			unsubscribe();
			unheard();
			own.close();
			following.close();
			simulatedPads.follow(null);
			recorder.current = null;
			played.course.current = null;
			window.removeEventListener("pointerdown", wake, { capture: true });
			window.removeEventListener("keydown", wake, { capture: true });
		};
	}, [store, played]);

	useLive(store);

	const keep = useCallback(
		async (id: RecordingId, laying: Laying) => {
			const { change, settled } = store.getState();
			await settled();
			return change(async (revision) => (await client.keepRecording(id, { revision, laying })).state);
		},
		[store],
	);

	const record = useCallback(async () => {
		const state = store.getState();
		if (running.current) {
			running.current.stop();
			return;
		}
		if (state.taking !== "idle" || !recorder.current || beginning.current) return;
		const own = recorder.current;
		beginning.current = true;
		state.setView({ recordBar: true, ...loopInView(state) });
		// Times are told by the audio clock: it has to run.
		await played.player().awakened();
		beginning.current = false;
		state.setTaking(state.countIn === "hit" && !played.isPlaying() ? "armed" : "on");
		// What is struck before the server has answered belongs to it, too.
		const from = own.now();
		let begun: Promise<RecordingId> | null = null;
		/** What the server calls it; asked for again where that failed. */
		const named = () => {
			const part = state.part.state.id;
			begun ??= client.beginRecording(part, { client: thisWindow }).then(({ id }) => id);
			const now = begun;
			now.catch(() => {
				if (begun === now) begun = null;
			});
			return now;
		};
		let sent = Number.NEGATIVE_INFINITY;
		let number = 0;
		const waiting: { number: number; piece: Recording; last: boolean }[] = [];
		let sending: Promise<void> = Promise.resolve();
		/** Sends what waits, the oldest first; what cannot be sent now stays. */
		const send = () => {
			sending = sending.then(async () => {
				const id = await named();
				while (waiting.length > 0) {
					await client.addPiece(id, waiting[0]);
					waiting.shift();
				}
			});
			const sent = sending;
			sending = sending.catch(() => undefined);
			return sent;
		};
		const flush = (until: number, last = false) => {
			const since = own.since(Math.max(from, sent), until);
			sent = until;
			waiting.push({ number: number++, piece: { ...since, ...(last ? { until } : {}) }, last });
			return send();
		};
		// What fails here is sent with the next piece, and with the last one it is said.
		const timer = window.setInterval(() => flush(own.now()).catch(() => undefined), piece);
		const over = () => {
			running.current = null;
			window.clearInterval(timer);
		};
		const ongoing = {
			leave: () => {
				over();
				flush(own.now(), true).catch(showError);
			},
			stop: () => {
				over();
				const laying = layingOf(store.getState());
				const slowest = Math.max(0, ...Object.values(devices.getState().latencies));
				const any = store.getState().struck.length > 0;
				store.getState().setTaking("keeping");
				const end = async () => {
					// What was struck before the end may still be on its way.
					await pause(80 + slowest);
					// A song that begins with the first hit may not have its sounds yet: where it began is told then.
					for (let tries = 0; tries < 100 && played.player().starting; tries++) await pause(100);
					taken.current = own.now();
					await flush(own.now(), true).catch((error) => patiently(error, send));
					if (any) await keep(await named(), laying);
					else await client.deleteRecording(await named());
					if (own.leftOut > 0) showNote("Too much at once", "Some of what came was left out.");
				};
				end()
					.catch(showError)
					.finally(() => store.getState().setTaking("idle"));
			},
		};
		running.current = ongoing;
		named().catch((error) => {
			// Nothing was begun; one that was ended already says so itself.
			if (running.current !== ongoing) return;
			over();
			store.getState().setTaking("idle");
			showError(error);
		});
		if (store.getState().taking === "on" && !played.isPlaying()) played.start(countInOf(state), null);
	}, [store, played, keep]);

	const keepRemembered = useCallback(async () => {
		const own = recorder.current;
		if (!own || store.getState().taking !== "idle") return;
		const state = store.getState();
		const now = own.now();
		const from = Math.max(taken.current, now - remembered);
		const first = own.firstNote(from);
		if (first === undefined) {
			showNote("Nothing was struck", "In the last two minutes nothing came that is not in the part.");
			return;
		}
		const { course } = own.since(from, now);
		if (!course.some(({ audio }) => audio <= first + 0.2)) course.unshift(...imagined(state, first, now));
		store.getState().setTaking("keeping");
		try {
			const { id } = await client.beginRecording(state.part.state.id, { client: thisWindow });
			for (let number = 0; from + number * 10 < now; number++) {
				const until = Math.min(now, from + (number + 1) * 10);
				const since = own.since(from + number * 10, until);
				const last = until === now;
				await client.addPiece(id, { number, piece: { ...since, course, ...(last ? { until } : {}) }, last });
			}
			taken.current = now;
			await keep(id, layingOf(state));
		} catch (error) {
			showError(error);
		}
		store.getState().setTaking("idle");
	}, [store, keep]);

	// Whoever stops the song has ended the recording, too.
	useEffect(() => {
		let before = played.isPlaying();
		const timer = window.setInterval(() => {
			const now = played.isPlaying();
			if (before && !now && store.getState().taking === "on") running.current?.stop();
			before = now;
		}, 100);
		return () => window.clearInterval(timer);
	}, [played, store]);

	return useMemo(
		() => ({
			record: () => void record(),
			keepRemembered: () => void keepRemembered(),
			hear: (note: number, velocity: number) => hearNow.current(note, velocity),
			recorder: () => recorder.current,
			follower: () => follower.current,
		}),
		[record, keepRemembered],
	);
}

/** The server does not answer: it is tried until it does. Anything else that is wrong is told. */
async function patiently(error: unknown, send: () => Promise<void>) {
	const gone = (one: unknown) => one instanceof ProblemError && one.problem.status === 0;
	let told: unknown = error;
	if (gone(told))
		showNote("Vivida does not answer", "What was recorded is sent as soon as it does. Keep this page open.");
	while (told !== null) {
		if (!gone(told)) throw told;
		await pause(1500);
		told = await send().then(
			() => null,
			(next: unknown) => next,
		);
	}
}

/** What is recorded is seen: the loop, where none of it is in view. */
function loopInView({ song, looping, loop, window }: WorkspaceState) {
	const [from, to] = [song.bars.ticks[loop[0] - 1], song.bars.ticks[loop[1]]];
	return looping && (to <= window[0] || from >= window[1])
		? { window: [from, to] as [number, number], stacked: false }
		: { stacked: false };
}

/** Where the loop begins, or what is shown, in s. */
function loopStart({ song, looping, loop, window }: WorkspaceState) {
	return looping ? song.bars.seconds[loop[0] - 1] : secondsAt(song, window[0]);
}

/** Nothing played: as if the loop had gone round since the first hit. */
function imagined(state: WorkspaceState, first: number, now: number) {
	const { song, looping, loop, tempo } = state;
	const start = loopStart(state);
	const end = looping ? song.bars.seconds[loop[1]] : song.bars.seconds[song.bars.seconds.length - 1];
	const length = (end - start) / tempo;
	const rounds = Math.min(500, Math.floor((now - first) / length) + 1);
	return Array.from({ length: rounds }, (_, round) => ({
		audio: first + round * length,
		second: start,
		tempo,
		round,
	}));
}
