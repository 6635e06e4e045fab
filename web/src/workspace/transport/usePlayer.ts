/** Connects the player to the open part: what is shown is what sounds. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { client } from "../../api/client";
import type { LaneColumns, PartDetail, PerformRequest, SongDetail } from "../../api/generated/types";
import { pulsesInAQuarter } from "../../engine/audio/follower";
import type { PlayedLane } from "../../engine/audio/lanes";
import type { LoopPart } from "../../engine/audio/loop";
import {
	type Anchor,
	type CountIn,
	type Out,
	type PlayedPart,
	Player,
	type Score,
} from "../../engine/audio/player";
import type { Recorder } from "../../engine/audio/recorder";
import { devices } from "../../engine/devices/hub";
import { louder, movementOf, type Played, received } from "../../part/played";
import { secondsAt } from "../../part/song";
import { mostRounds, roundsDiffer } from "../../part/state/playback";
import {
	type Against,
	beforeOf,
	useWorkspace,
	useWorkspaceStore,
	type Workspace,
	type WorkspaceState,
} from "../../part/store";
import { type Played as PlayedBy, type RecordingControls, useRecording } from "../recording/useRecording";

export interface Transport extends RecordingControls {
	playing: boolean;
	/** It plays, or will as soon as its sounds are there. */
	isOn: () => boolean;
	/** Plays or stops: from the place that was chosen, or from the beginning of the loop. */
	toggle: (fromLoop?: boolean) => void;
	/** Goes on from a second of the song, where it plays. */
	playAt: (second: number) => void;
	/** In s of the song; nothing while it does not play. */
	position: () => number | null;
}

interface Other {
	part: PartDetail;
	performance: Played | null;
}

const noLanes: PlayedLane[] = [];

const timed = new WeakMap<LaneColumns, { song: SongDetail; found: PlayedLane }>();

/** A lane by the seconds of its song. */
function inSeconds(song: SongDetail, lane: LaneColumns) {
	const known = timed.get(lane);
	if (known?.song === song) return known.found;
	const { kind, ticks, values, rest } = lane;
	const found = { kind, values, rest, seconds: ticks.map((tick) => secondsAt(song, tick)) };
	timed.set(lane, { song, found });
	return found;
}

/** Notes, some of which the hat's pedal changes. */
function heardNotes(notes: number[], ids: number[], byPedal: [number, number][]) {
	if (byPedal.length === 0) return notes;
	const changed = new Map(byPedal);
	return notes.map((note, hit) => changed.get(ids[hit]) ?? note);
}

function playedPart(
	song: SongDetail,
	part: PartDetail,
	performance: Played | null,
	silent: (instrument: number) => boolean,
	against: Against | null = null,
	loop: PlayedPart["loop"] = null,
): PlayedPart {
	const { written } = part;
	const count = written.ids.length;
	const instrumentOf = new Map<number, number>();
	if (performance && performance.notes !== written.notes)
		performance.ofInstruments.forEach((hits, instrument) => {
			for (const hit of hits) instrumentOf.set(hit, instrument);
		});
	// Made hits are found by when they are played, the others by when they were written.
	const starts = performance?.made.size
		? [...written.seconds, ...performance.seconds.slice(count)]
		: written.seconds;
	const order = starts.map((_, hit) => hit);
	if (starts !== written.seconds) order.sort((a, b) => starts[a] - starts[b]);
	return {
		id: part.state.id,
		kit: part.sounds,
		ids: performance?.ids ?? written.ids,
		hits: order,
		starts: order.map((hit) => starts[hit]),
		earliest: performance ? earliestOf(written.seconds, performance.seconds) : 0,
		notes: [written.notes, performance?.notes ?? written.notes],
		heard: [
			heardNotes(written.notes, written.ids, written.by_pedal),
			performance
				? heardNotes(performance.notes, performance.ids, performance.byPedal)
				: heardNotes(written.notes, written.ids, written.by_pedal),
		],
		lanes: {
			written: against ? noLanes : written.lanes.map((lane) => inSeconds(song, lane)),
			played: (performance?.lanes ?? written.lanes).map((lane) => inSeconds(song, lane)),
		},
		bendRange: written.bend_range,
		written: { seconds: written.seconds, lengths: written.lengths, velocities: written.velocities },
		played: performance && {
			seconds: performance.seconds,
			lengths: performance.lengths,
			velocities: performance.velocities,
			movement: performance.movement,
		},
		louder: performance ? louder(beforeOf({ part, against, studied: null }), performance.reading) : 0,
		sounds: (hit, reading) => {
			if (
				reading === "written"
					? against !== null || hit >= count
					: performance?.silenced.has(performance.ids[hit])
			)
				return false;
			const instrument = instrumentOf.get(hit) ?? written.instruments[hit] ?? null;
			return !part.audio && (instrument === null || !silent(instrument));
		},
		loop,
	};
}

/** How a part sounds that is a recorded loop: as it is asked for, in the bars that go round, at a tempo. */
function loopOf(
	part: PartDetail,
	played: PerformRequest,
	{ loop, looping, tempo }: WorkspaceState,
	without: string[],
): PlayedPart["loop"] {
	if (!part.audio || part.audio.missing) return null;
	const { channels } = part.audio;
	const bars = looping ? { from: loop[0], to: loop[1] } : undefined;
	const { id, source } = part.state;
	const one = (of: { played?: PerformRequest }): LoopPart => ({
		key: JSON.stringify([id, source, of, bars, tempo, without]),
		channels,
		hear: (from, frames, round) =>
			client.hear(id, { ...of, from, frames, speed: tempo, round: round ? bars : undefined, without }),
	});
	return { written: one({}), played: one({ played }) };
}

/** By how much the earliest hit comes before it was written, in s. */
function earliestOf(written: number[], played: number[]) {
	let earliest = 0;
	for (let hit = 0; hit < written.length; hit++) {
		const early = written[hit] - played[hit];
		if (early > earliest) earliest = early;
	}
	return earliest;
}

/** The take that is heard in the place of Written. */
function againstPart(
	song: SongDetail,
	part: PartDetail,
	against: Against,
	difference: number,
	silent: (instrument: number) => boolean,
): PlayedPart {
	const { seconds, lengths, velocities, notes, heard, instruments } = against;
	const voiced = { seconds, lengths, velocities, movement: movementOf(against.movement) };
	return {
		id: -part.state.id,
		kit: part.sounds,
		ids: seconds.map((_, hit) => hit),
		hits: seconds.map((_, hit) => hit),
		starts: seconds,
		earliest: 0,
		notes: [notes, notes],
		heard: [heard, heard],
		lanes: { written: against.lanes.map((lane) => inSeconds(song, lane)), played: noLanes },
		bendRange: part.written.bend_range,
		written: voiced,
		played: voiced,
		louder: difference,
		sounds: (hit, reading) => {
			const instrument = instruments[hit];
			return reading === "written" && (instrument === null || !silent(instrument));
		},
		loop: null,
	};
}

const besides = new WeakMap<Other, PlayedPart>();

/** Another part of the song. What is played by the kit stays as it is until it is another performance. */
function otherPart(other: Other, state: WorkspaceState): PlayedPart {
	const known = besides.get(other);
	if (known) return known;
	const { part, performance } = other;
	const { recipe, variation } = part.state;
	const asked = { recipe, variation, round: 0, pockets: state.pocketDrafts };
	const made = playedPart(state.song, part, performance, () => false, null, loopOf(part, asked, state, []));
	if (!part.audio) besides.set(other, made);
	return made;
}

/** Muted, or not among those that are soloed. */
export const isSilent = ({ muted, soloed }: Pick<WorkspaceState, "muted" | "soloed">, instrument: string) =>
	muted.includes(instrument) || (soloed.length > 0 && !soloed.includes(instrument));

/** `past` says that it plays behind the loop, and so without it. */
function scoreOf(state: WorkspaceState, others: Other[], nextRound: Played | null, past: boolean): Score {
	const { song, part, performance, loop, looping, against } = state;
	const silent = part.kit.instruments.map((instrument) => isSilent(state, instrument.id));
	const isMuted = (instrument: number) => part.state.muted || silent[instrument];
	const muted = part.kit.instruments.filter((_, index) => isMuted(index)).map(({ id }) => id);
	const asKept = { recipe: state.recipe, variation: state.variation, round: state.round };
	const looped = loopOf(part, state.heardAs ?? asKept, state, muted);
	const own = (played: Played | null) => playedPart(song, part, played, isMuted, against, looped);
	const beside: PlayedPart[] = [];
	const first = own(performance);
	// A loop is heard as it was recorded, with whichever take it is compared.
	if (against && !part.audio) beside.push(againstPart(song, part, against, first.louder, isMuted));
	if (state.others)
		for (const other of others)
			if (!other.part.state.muted) {
				beside.push(otherPart(other, state));
			}
	const { bars } = song;
	return {
		parts: [first, ...beside],
		next: nextRound && [own(nextRound), ...beside],
		reading: state.reading,
		equalLoudness: state.equalLoudness,
		loop: looping && !past ? [bars.seconds[loop[0] - 1], bars.seconds[loop[1]]] : null,
		end: bars.seconds[bars.seconds.length - 1],
		tempo: state.tempo,
		click: state.click || state.taking === "on" || state.taking === "armed",
		beats: { seconds: bars.beat_seconds, downbeats: bars.downbeats },
		...elsewhere(song),
	};
}

const pulsesOf = new WeakMap<SongDetail, number[]>();

/** When the pulses of a MIDI clock come, in s of the song. */
function pulses(song: SongDetail) {
	const known = pulsesOf.get(song);
	if (known) return known;
	const end = song.bars.ticks[song.bars.ticks.length - 1];
	const pulse = song.ppq / pulsesInAQuarter;
	const found = Array.from({ length: Math.floor(end / pulse) }, (_, place) => secondsAt(song, place * pulse));
	pulsesOf.set(song, found);
	return found;
}

/** What plays on other devices, as far as these are there. */
function elsewhere(song: SongDetail): Pick<Score, "outs" | "pulses"> {
	const { outputs, routes, clockTo } = devices.getState();
	const outs = new Map<number, Out>();
	for (const { id } of song.parts) {
		const route = routes[id];
		const port = outputs.find(({ name }) => name === route?.port);
		if (port) outs.set(id, { port, channel: route.channel });
	}
	const ports = outputs.filter(({ name }) => clockTo.includes(name));
	return { outs, pulses: ports.length > 0 ? { ports, seconds: pulses(song) } : null };
}

const othersKey = (song: number, open: number) => ["other", song, open];

const none: Other[] = [];

/** The other parts of the song as they are played, so that the open one is heard among them. */
function useOthers(song: SongDetail, open: number) {
	const heard = useWorkspace((state) => state.others);
	const { data, dataUpdatedAt } = useQuery({
		queryKey: othersKey(song.id, open),
		queryFn: async (): Promise<Other[]> =>
			(await client.others(song.id, open)).map((part) => {
				return { part, performance: received(null, null, part.performance, part) };
			}),
		enabled: heard && song.parts.length > 1,
		gcTime: 0,
	});
	return { others: data ?? none, othersAt: dataUpdatedAt };
}

/** The other parts that follow a pocket, played by what is being made of it. One request each at a time. */
function useFollowing(store: Workspace, others: { current: Other[] }) {
	const queries = useQueryClient();
	const busy = useRef(new Set<number>());
	return useCallback(() => {
		const follow = async (id: number) => {
			const other = others.current.find(({ part }) => part.state.id === id);
			if (!other || busy.current.has(id)) return;
			busy.current.add(id);
			const pockets = store.getState().pocketDrafts;
			try {
				const { recipe, variation } = other.part.state;
				const columns = await client.perform(id, { recipe, variation, round: 0, pockets });
				const performance = received(null, other.performance, columns, other.part);
				const { song, part } = store.getState();
				if (Object.keys(pockets).length > 0)
					queries.setQueryData<Other[]>(othersKey(song.id, part.state.id), (all) =>
						all?.map((one) => (one.part.state.id === id ? { ...one, performance } : one)),
					);
			} catch {
				// The open part says what is wrong with the settings.
			}
			busy.current.delete(id);
			const now = store.getState().pocketDrafts;
			if (now !== pockets && Object.keys(now).length > 0) void follow(id);
		};
		const { pockets, pocketDrafts, part } = store.getState();
		const parts = pockets
			.filter(({ id }) => pocketDrafts[id])
			.flatMap(({ followers }) => followers.map((one) => one.part));
		for (const id of new Set(parts)) if (id !== part.state.id) void follow(id);
	}, [store, queries, others]);
}

/** The next round, made ready while this one sounds. */
interface NextRound {
	variation: number;
	round: number;
	played: Played;
}

/** Asks for the performance of the next round: of the next variation, where each round is another one. */
async function nextRound(store: Workspace): Promise<NextRound | null> {
	const state = store.getState();
	const variation = state.fresh ? (state.variation % 9999) + 1 : state.variation;
	const round = state.fresh ? state.round : (state.round + 1) % mostRounds;
	const columns = await client.perform(state.part.state.id, { ...state.asHeard(), variation, round });
	const played = received(null, null, columns, state.part);
	return played && { variation, round, played };
}

export function usePlayer(): Transport {
	const store = useWorkspaceStore();
	const player = useRef<Player | null>(null);
	const next = useRef<NextRound | null>(null);
	/** The loop that it plays behind, until it is another one. */
	const past = useRef<WorkspaceState["loop"] | null>(null);
	/** Counts what was asked for, so that a late answer never takes the place of a newer one. */
	const asked = useRef(0);
	const [playing, setPlaying] = useState(false);
	const { song, part } = store.getState();
	const { others, othersAt } = useOthers(song, part.state.id);
	const queries = useQueryClient();
	const othersNow = useRef(others);
	othersNow.current = others;

	/** Whom the course of the song is told. */
	const course = useRef<Recorder | null>(null);

	const following = useFollowing(store, othersNow);

	const update = useCallback(() => {
		if (!player.current) return;
		const state = store.getState();
		const upcoming = roundsDiffer(state) && state.looping ? (next.current?.played ?? null) : null;
		player.current.update(scoreOf(state, othersNow.current, upcoming, past.current === state.loop));
	}, [store]);

	/** With each round another variation, or other dice: the next one is fetched while this one sounds. */
	const prepareRound = useCallback(() => {
		next.current = null;
		const number = ++asked.current;
		if (!roundsDiffer(store.getState()) || !player.current?.playing) return;
		nextRound(store)
			.then((found) => {
				if (number !== asked.current) return;
				next.current = found;
				update();
			})
			.catch(() => undefined);
	}, [store, update]);

	const enterRound = useCallback(() => {
		const entered = next.current;
		if (entered && roundsDiffer(store.getState())) store.getState().enterRound(entered);
		prepareRound();
	}, [store, prepareRound]);

	useEffect(() => {
		let last: unknown[] = [];
		return store.subscribe((state, before) => {
			if (state.othersChanged !== before.othersChanged)
				void queries.invalidateQueries({ queryKey: ["other"] });
			if (state.pocketDrafts !== before.pocketDrafts) following();
			const differ = roundsDiffer(state);
			const changed = (
				["recipe", "round", "trial", "audition", "soloPass", "soloGroup", "pocketDrafts"] as const
			).some((one) => state[one] !== before[one]);
			if (differ !== roundsDiffer(before) || (differ && changed)) prepareRound();
			const heard = [
				state.performance,
				state.reading,
				state.equalLoudness,
				state.muted,
				state.soloed,
				state.loop,
				state.looping,
				state.tempo,
				state.click,
				state.others,
				state.against,
				state.part,
				state.fresh,
				state.taking === "on",
			];
			if (heard.some((one, index) => one !== last[index])) update();
			last = heard;
		});
	}, [store, queries, update, prepareRound, following]);

	useEffect(() => {
		if (othersAt > 0) update();
	}, [othersAt, update]);

	useEffect(() => devices.subscribe(update), [update]);

	const played = useMemo((): PlayedBy => {
		const listener = {
			onCourse: (anchor: Anchor, begins: boolean) => course.current?.onCourse(anchor, begins),
			onRound: enterRound,
			onEnd: () => setPlaying(false),
		};
		const made = () => {
			player.current ??= new Player(scoreOf(store.getState(), othersNow.current, null, false), listener);
			return player.current;
		};
		const startAt = (second: number, countIn: CountIn | null = null, began: number | null = null) => {
			const own = made();
			const state = store.getState();
			past.current = second >= state.song.bars.seconds[state.loop[1]] - 1e-6 ? state.loop : null;
			own.update(scoreOf(state, othersNow.current, null, past.current !== null));
			setPlaying(true);
			own
				.start(second, countIn, began)
				.then(prepareRound)
				.catch(() => setPlaying(false));
		};
		return {
			player: made,
			isPlaying: () => Boolean(player.current?.playing || player.current?.starting),
			startAt,
			start: (countIn, began, fromPlace = false) => {
				const { song, looping, loop, window, playFrom } = store.getState();
				if (fromPlace && playFrom !== null) startAt(secondsAt(song, playFrom), countIn, began);
				else startAt(looping ? song.bars.seconds[loop[0] - 1] : secondsAt(song, window[0]), countIn, began);
			},
			stop: () => {
				player.current?.stop();
				setPlaying(false);
				if (store.getState().fresh) store.getState().setFresh(false);
			},
			course,
		};
	}, [store, enterRound, prepareRound]);

	const toggle = useCallback(
		(fromLoop = false) => {
			if (played.isPlaying()) played.stop();
			else played.start(null, null, !fromLoop);
		},
		[played],
	);
	const playAt = useCallback(
		(second: number) => {
			if (played.isPlaying() && store.getState().taking === "idle") played.startAt(second);
		},
		[played, store],
	);

	const position = useCallback(() => (player.current?.playing ? player.current.position() : null), []);
	const controls = useRecording(played);
	// Behind recording, which ends by the player's clock.
	useEffect(
		() => () => {
			player.current?.close();
			player.current = null;
		},
		[],
	);
	return { playing, isOn: played.isPlaying, toggle, playAt, position, ...controls };
}

/** The actions there are; they do not change while the program runs. */
export const useVocabulary = () =>
	useQuery({ queryKey: ["vocabulary"], queryFn: client.vocabulary, staleTime: Number.POSITIVE_INFINITY });
