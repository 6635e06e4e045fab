/** The Played reading as the page holds it. */
import type { AddedHit, PartDetail, PassReport, PerformanceColumns, Reading } from "../api/generated/types";

/**
 * The columns of a performance. A **row** is a hit's place in them: first those that were written,
 * behind them those that were added.
 */
export interface Played {
	ticks: number[];
	seconds: number[];
	/** In seconds. */
	lengths: number[];
	timingKey: string;
	velocities: number[];
	passes: PassReport[];
	/** This reading, measured. */
	reading: Reading;
	/** The rows that do not sound, and the pass that silenced each. */
	silenced: Map<number, number>;
	added: AddedHit[];
	/** Where each row was written or added, in ticks. */
	anchors: number[];
	/** The rows of each instrument, in the order of their anchors. */
	rows: number[][];
	/** The note that plays each row. */
	notes: number[];
	/** For each instrument a number that changes when its hits come to look otherwise. */
	looks: number[];
}

/** Deep equality of plain data. */
function same(a: unknown, b: unknown): boolean {
	if (Object.is(a, b)) return true;
	if (typeof a !== "object" || typeof b !== "object" || a === null || b === null) return false;
	const [left, right] = [a as Record<string, unknown>, b as Record<string, unknown>];
	const keys = Object.keys(left);
	return keys.length === Object.keys(right).length && keys.every((key) => same(left[key], right[key]));
}

const alike = (a: number[], b: number[]) =>
	a.length === b.length && a.every((one, index) => one === b[index]);

/** What came now, with every part of it that is as it was before. */
function reused<T>(old: T | undefined, now: T): T {
	if (same(old, now)) return old as T;
	if (typeof now !== "object" || now === null || Array.isArray(now) || typeof old !== "object") return now;
	const before = old as Record<string, unknown>;
	return Object.fromEntries(
		Object.entries(now).map(([key, value]) => [key, reused(before[key], value)]),
	) as T;
}

/**
 * What came from the server, put to what is known; what has not changed is kept as it is. `asked`
 * was known when it was asked for: the answer leaves out timing that agrees with it.
 */
export function received(
	asked: Played | null,
	before: Played | null,
	columns: PerformanceColumns,
	part: PartDetail,
): Played | null {
	const timing = timingOf(columns) ?? (asked?.timingKey === columns.timing_key ? asked : null);
	if (!timing) return null;
	const { passes, reading, velocities, added, elsewhere } = columns;
	const kept = <T>(old: T[] | undefined, now: T[]) => now.map((one, index) => reused(old?.[index], one));
	const { written } = part;
	const plain = added.length === 0 && elsewhere.length === 0;
	const played: Played = {
		timingKey: columns.timing_key,
		ticks: timing.ticks,
		seconds: timing.seconds,
		lengths: timing.lengths,
		velocities: before && alike(before.velocities, velocities) ? before.velocities : velocities,
		passes: kept(before?.passes, passes),
		reading: { ...reading, instruments: kept(before?.reading.instruments, reading.instruments) },
		silenced: new Map(columns.silenced),
		added,
		anchors: plain ? written.ticks : [...written.ticks, ...timing.ticks.slice(written.ticks.length)],
		notes: plain ? written.notes : [...written.notes, ...added.map(({ note }) => note)],
		rows: [],
		looks: [],
	};
	for (const [row, , note] of elsewhere) played.notes[row] = note;
	played.rows = rowsOf(part, played, plain, elsewhere);
	played.looks = looksOf(before, played);
	return played;
}

/** The timing that came along, in seconds. */
function timingOf({ timing }: PerformanceColumns) {
	if (!timing) return null;
	return { ticks: timing.ticks, seconds: inSeconds(timing.at), lengths: inSeconds(timing.lasts) };
}

/** Hundredths of a millisecond as seconds, in place: thousands of them come with every move of a drag. */
function inSeconds(hundredths: number[]) {
	for (let index = 0; index < hundredths.length; index++) hundredths[index] /= 1e5;
	return hundredths;
}

/** How much louder one reading is than another, in dB. */
export const louder = (before: Reading, after: Reading) =>
	before.loudness === null || after.loudness === null ? 0 : after.loudness - before.loudness;

const plainRows = new WeakMap<PartDetail, number[][]>();

/** The rows of each instrument as it was written. */
export function writtenRows(part: PartDetail): number[][] {
	const known = plainRows.get(part);
	if (known) return known;
	const rows: number[][] = part.kit.instruments.map(() => []);
	part.written.instruments.forEach((instrument, row) => {
		rows[instrument].push(row);
	});
	plainRows.set(part, rows);
	return rows;
}

function rowsOf(
	part: PartDetail,
	{ added, anchors }: Played,
	plain: boolean,
	elsewhere: PerformanceColumns["elsewhere"],
) {
	if (plain) return writtenRows(part);
	const moved = new Map(elsewhere.map(([row, instrument]) => [row, instrument]));
	const rows: number[][] = part.kit.instruments.map(() => []);
	part.written.instruments.forEach((instrument, row) => {
		rows[moved.get(row) ?? instrument]?.push(row);
	});
	added.forEach(({ instrument }, index) => {
		rows[instrument]?.push(part.written.ticks.length + index);
	});
	for (const row of rows) row.sort((a, b) => anchors[a] - anchors[b]);
	return rows;
}

let looks = 0;

function looksOf(before: Played | null, now: Played) {
	return now.rows.map((rows, instrument) => {
		const old = before?.rows[instrument];
		if (!before || !old || old.length !== rows.length) return ++looks;
		const otherTiming = before.timingKey !== now.timingKey;
		const otherSilence = before.silenced.size > 0 || now.silenced.size > 0;
		for (let place = 0; place < rows.length; place++) {
			const row = rows[place];
			if (
				old[place] !== row ||
				before.velocities[row] !== now.velocities[row] ||
				(otherTiming && before.ticks[row] !== now.ticks[row]) ||
				(otherSilence && before.silenced.get(row) !== now.silenced.get(row))
			)
				return ++looks;
		}
		return before.looks[instrument];
	});
}
