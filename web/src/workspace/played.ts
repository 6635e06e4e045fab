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
	touchKey: string;
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
 * was known when it was asked for: the answer leaves out timing and velocities that agree with it.
 */
export function received(
	asked: Played | null,
	before: Played | null,
	columns: PerformanceColumns,
	part: PartDetail,
): Played | null {
	const { written } = part;
	const timing = timingOf(columns, written) ?? (asked?.timingKey === columns.timing_key ? asked : null);
	const velocities = columns.velocities ?? (asked?.touchKey === columns.touch_key ? asked.velocities : null);
	if (!timing || !velocities) return null;
	const { passes, reading, added, elsewhere } = columns;
	const kept = <T>(old: T[] | undefined, now: T[]) => now.map((one, index) => reused(old?.[index], one));
	const plain = added.length === 0 && elsewhere.length === 0;
	const played: Played = {
		timingKey: columns.timing_key,
		ticks: timing.ticks,
		seconds: timing.seconds,
		lengths: timing.lengths,
		velocities,
		touchKey: columns.touch_key,
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

/** The timing that came along. It says how it differs from what was written. */
function timingOf({ timing }: PerformanceColumns, written: PartDetail["written"]) {
	if (!timing) return null;
	// In place: thousands of them come with every move of a drag.
	const { ticks, at: seconds } = timing;
	for (let row = 0; row < ticks.length; row++) {
		ticks[row] += written.ticks[row] ?? 0;
		seconds[row] = (written.seconds[row] ?? 0) + seconds[row] / 1e5;
	}
	const lengths = timing.lasts.length > 0 ? [...written.lengths] : written.lengths;
	for (const [row, lasts] of timing.lasts) lengths[row] = lasts / 1e5;
	return { ticks, seconds, lengths };
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
		const otherTouch = before.touchKey !== now.touchKey;
		const otherSilence = before.silenced.size > 0 || now.silenced.size > 0;
		for (let place = 0; place < rows.length; place++) {
			const row = rows[place];
			if (
				old[place] !== row ||
				(otherTouch && before.velocities[row] !== now.velocities[row]) ||
				(otherTiming && before.ticks[row] !== now.ticks[row]) ||
				(otherSilence && before.silenced.get(row) !== now.silenced.get(row))
			)
				return ++looks;
		}
		return before.looks[instrument];
	});
}
