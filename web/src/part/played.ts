/** The Played reading as the page holds it. */
import type {
	BarColumns,
	LaneColumns,
	LineColumns,
	Measured,
	MeasuredInstrument,
	MovementColumn,
	PartDetail,
	PassReport,
	PerformanceColumns,
	Property,
	TimingColumns,
} from "../api/generated/types";
import { reused } from "../lib/reused";

/** In its unit, by the indices of hits. */
export type Movements = Partial<Record<Property, number[]>>;

/** Of a hit that a pass made: by which, and from which. */
export interface Made {
	pass: number;
	parent: number | null;
}

/**
 * The columns of a performance. An **index** is a hit's place in them: first those that were written, behind
 * them those that passes made. Whatever outlives an answer (what is selected, lit, moved by hand) knows a hit
 * by its **id**.
 */
export interface Played {
	ids: number[];
	ticks: number[];
	seconds: number[];
	/** In seconds. */
	lengths: number[];
	timingKey: string;
	velocities: number[];
	touchKey: string;
	/** How hits move, in each property in which any does. */
	movement: Movements;
	/** The part's lanes as they are played. */
	lanes: LaneColumns[];
	lanesKey: string;
	passes: PassReport[];
	/** This reading, measured. */
	reading: Measured;
	/** The ids of what does not sound, and the pass that silenced each. */
	silenced: Map<number, number>;
	/** By their index: L or R where a pass gave a hit to a hand or foot; empty where no pass did. */
	hands: string;
	/** By their ids. */
	made: Map<number, Made>;
	/** Where each belongs in the metre, in ticks. */
	anchors: number[];
	/** The lines that they are played on: of those that were written, and of all. */
	writtenLines: LineColumns;
	lines: LineColumns;
	/** How hard is struck in each bar. */
	bars: BarColumns;
	/** The indices of each instrument's hits, in the order of their anchors. */
	ofInstruments: number[][];
	/** The note that plays each. */
	notes: number[];
	/** The place of the stroke that plays each, among those of its instrument. */
	strokes: (number | null)[];
	/** The ids of a hat's hits that are heard by another note, because the pedal is elsewhere, and by which. */
	byPedal: [number, number][];
	/** The passes whose aim is turned round, and what of it. */
	turned: PerformanceColumns["turned"];
	/** For each instrument a number that changes when its hits come to look otherwise. */
	looks: number[];
}

const silence = new Map<string, MeasuredInstrument>();

/** An instrument that is not struck. */
function silent(instrument: string, { portrait }: MeasuredInstrument): MeasuredInstrument {
	const known = silence.get(instrument);
	if (known) return known;
	const nothing = { velocity_mean: 0, velocity_spread: 0, soft: 0, typical: 0, hard: 0, early: 0, late: 0 };
	const now: MeasuredInstrument = {
		instrument,
		figures: {
			...nothing,
			count: 0,
			graces: 0,
			identical_neighbours: 0,
			offset_mean: 0,
			offset_spread: 0,
			on_grid: 0,
			swing: null,
			swing_sixteenths: null,
			heard_swing: null,
			lag_1_correlation: null,
		},
		portrait: { touch: portrait.touch.map(() => 0), time: portrait.time.map(() => 0) },
		lines: [],
		lines_said: "",
	};
	silence.set(instrument, now);
	return now;
}

/** The instruments of a reading in the order of the kit: those that are silent were not sent. */
function inRows(part: PartDetail, { instruments }: Measured) {
	const sounding = new Map(instruments.map((one) => [one.instrument, one]));
	return part.reading.instruments.map((written) => {
		return sounding.get(written.instrument) ?? silent(written.instrument, written);
	});
}

/**
 * What came from the server, put to what is known; what has not changed is kept as it is. `asked`
 * was known when it was asked for: the answer leaves out timing and velocities that agree with it.
 */
export function received(
	asked: Played | null,
	before: Played | null,
	columns: PerformanceColumns,
	part: PartDetail,
): Played | null {
	const { written } = part;
	const count = written.ids.length;
	const timing = timingOf(columns, written) ?? (asked?.timingKey === columns.timing_key ? asked : null);
	const velocities = columns.velocities ?? (asked?.touchKey === columns.touch_key ? asked.velocities : null);
	const lanes = columns.lanes ?? (asked?.lanesKey === columns.lanes_key ? asked.lanes : null);
	if (!timing || !velocities || !lanes) return null;
	const { passes, reading, made, elsewhere, turned } = columns;
	const kept = <T>(old: T[] | undefined, now: T[]) => now.map((one, index) => reused(old?.[index], one));
	const plain = made.ids.length === 0 && elsewhere.length === 0;
	/** A written column, and the made ones behind it. */
	const with_ = (column: number[], more: number[]) =>
		more.length === 0 ? column : [...column.slice(0, count), ...more];
	const played: Played = {
		timingKey: columns.timing_key,
		touchKey: columns.touch_key,
		// What has not changed stays the same object.
		movement: reused(before?.movement, movementOf(columns.movement)),
		lanes,
		lanesKey: columns.lanes_key,
		ids: with_(written.ids, made.ids),
		ticks: with_(timing.ticks, made.ticks),
		seconds: with_(
			timing.seconds,
			made.at.map((at) => at / 1e5),
		),
		lengths: with_(
			timing.lengths,
			made.lasts.map((lasts) => lasts / 1e5),
		),
		velocities: with_(velocities, made.velocities),
		passes: kept(before?.passes, passes),
		reading: { ...reading, instruments: kept(before?.reading.instruments, inRows(part, reading)) },
		silenced: new Map(columns.silenced),
		hands: columns.hands,
		made: new Map(
			made.ids.map((id, place) => [id, { pass: made.passes[place], parent: made.parents[place] }]),
		),
		anchors: with_(written.ticks, made.anchors),
		writtenLines: timing.writtenLines,
		lines: made.ids.length === 0 ? timing.writtenLines : linesOf(timing.writtenLines, made.lines),
		bars: reused(before?.bars, columns.bars),
		notes: plain ? written.notes : [...written.notes, ...made.notes],
		strokes: plain ? written.strokes : [...written.strokes, ...made.strokes],
		byPedal: columns.by_pedal,
		turned,
		ofInstruments: [],
		looks: [],
	};
	if (elsewhere.length > 0) {
		const others = new Map(elsewhere.map((one) => [one[0], one]));
		written.ids.forEach((id, index) => {
			const other = others.get(id);
			if (other) [played.notes[index], played.strokes[index]] = [other[2], other[3]];
		});
	}
	played.ofInstruments = instrumentsOf(part, played, columns);
	played.looks = looksOf(before, played);
	return played;
}

/** By its properties. */
export const movementOf = (columns: MovementColumn[]) =>
	Object.fromEntries(columns.map(({ property, values }) => [property, values])) as Movements;

function linesOf(written: LineColumns, made: LineColumns): LineColumns {
	const names = [...written.names, ...made.names];
	return {
		ticks: [...written.ticks, ...made.ticks],
		seconds: [...written.seconds, ...made.seconds],
		bars: [...written.bars, ...made.bars],
		places: [...written.places, ...made.places.map((place) => place + written.names.length)],
		names,
	};
}

/** The timing that came along. It says how it differs from what was written. */
function timingOf({ timing }: PerformanceColumns, written: PartDetail["written"]) {
	if (!timing) return null;
	// In place: thousands of them come with every move of a drag.
	const { ticks, at: seconds } = timing;
	for (let index = 0; index < ticks.length; index++) {
		ticks[index] += written.ticks[index];
		seconds[index] = written.seconds[index] + seconds[index] / 1e5;
	}
	const lengths = timing.lasts.length > 0 ? [...written.lengths] : written.lengths;
	for (const [index, lasts] of timing.lasts) lengths[index] = lasts / 1e5;
	return { ticks, seconds, lengths, writtenLines: movedLines(written.lines, timing.lines) };
}

/** The lines of written hits, some of which are played on others. */
function movedLines(written: LineColumns, moved: TimingColumns["lines"]): LineColumns {
	if (moved.length === 0) return written;
	const [ticks, seconds] = [[...written.ticks], [...written.seconds]];
	for (const [index, tick, at] of moved) [ticks[index], seconds[index]] = [tick, at / 1e5];
	return { ...written, ticks, seconds };
}

/** How much louder one reading is than another, in dB. */
export const louder = (before: Measured, after: Measured) =>
	before.loudness === null || after.loudness === null ? 0 : after.loudness - before.loudness;

const asWritten = new WeakMap<PartDetail, number[][]>();

/** The indices of each instrument's hits as it was written. */
export function writtenOf(part: PartDetail): number[][] {
	const known = asWritten.get(part);
	if (known) return known;
	const all: number[][] = part.kit.instruments.map(() => []);
	part.written.instruments.forEach((instrument, index) => {
		if (instrument !== null) all[instrument].push(index);
	});
	asWritten.set(part, all);
	return all;
}

function instrumentsOf(part: PartDetail, { anchors }: Played, { made, elsewhere }: PerformanceColumns) {
	if (made.ids.length === 0 && elsewhere.length === 0) return writtenOf(part);
	const moved = new Map(elsewhere.map(([id, instrument]) => [id, instrument]));
	const all: number[][] = part.kit.instruments.map(() => []);
	const put = (instrument: number | null | undefined, index: number) => {
		if (instrument !== null && instrument !== undefined) all[instrument]?.push(index);
	};
	const { ids, instruments } = part.written;
	instruments.forEach((instrument, index) => {
		put(moved.has(ids[index]) ? moved.get(ids[index]) : instrument, index);
	});
	made.instruments.forEach((instrument, place) => {
		put(instrument, ids.length + place);
	});
	for (const own of all) own.sort((a, b) => anchors[a] - anchors[b]);
	return all;
}

/** Whether a hit moves otherwise than it did. */
function movesOtherwise({ movement: before }: Played, { movement: now }: Played, index: number) {
	const properties = new Set([...Object.keys(before), ...Object.keys(now)]) as Set<Property>;
	for (const property of properties)
		if ((before[property]?.[index] ?? 0) !== (now[property]?.[index] ?? 0)) return true;
	return false;
}

let looks = 0;

function looksOf(before: Played | null, now: Played) {
	return now.ofInstruments.map((own, instrument) => {
		const old = before?.ofInstruments[instrument];
		if (!before || !old || old.length !== own.length) return ++looks;
		const otherTiming = before.ticks !== now.ticks;
		const otherTouch = before.velocities !== now.velocities;
		const otherMovement = before.movement !== now.movement;
		const otherHands = before.hands !== now.hands;
		const otherSilence = before.silenced.size > 0 || now.silenced.size > 0;
		for (let place = 0; place < own.length; place++) {
			const index = own[place];
			const id = now.ids[index];
			if (
				old[place] !== index ||
				before.ids[index] !== id ||
				(otherTouch && before.velocities[index] !== now.velocities[index]) ||
				(otherTiming && before.ticks[index] !== now.ticks[index]) ||
				(otherTiming && before.lengths[index] !== now.lengths[index]) ||
				before.strokes[index] !== now.strokes[index] ||
				(otherSilence && before.silenced.get(id) !== now.silenced.get(id)) ||
				(otherMovement && movesOtherwise(before, now, index)) ||
				(otherHands && before.hands[index] !== now.hands[index])
			)
				return ++looks;
		}
		return before.looks[instrument];
	});
}
