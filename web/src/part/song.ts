/** Finding one's way in a song: ticks, seconds, bars. */
import type { SongDetail } from "../api/generated/types";
import { firstAfter } from "../lib/ascending";

/** The last place in ascending values that is not above `value`; 0 where all are. */
export const placeOf = (ascending: number[], value: number) => Math.max(0, firstAfter(ascending, value) - 1);

function between(from: number[], to: number[], value: number) {
	const place = Math.min(placeOf(from, value), from.length - 2);
	const share = (value - from[place]) / (from[place + 1] - from[place]);
	return to[place] + share * (to[place + 1] - to[place]);
}

export const secondsAt = ({ bars }: SongDetail, tick: number) =>
	between(bars.even_ticks, bars.even_seconds, tick);

export const tickAt = ({ bars }: SongDetail, second: number) =>
	between(bars.even_seconds, bars.even_ticks, second);

export const barCount = (song: SongDetail) => song.bars.ticks.length - 1;

/** The bar (from 1) that a tick lies in. */
export const barAt = (song: SongDetail, tick: number) =>
	Math.min(placeOf(song.bars.ticks, tick), barCount(song) - 1) + 1;

/** How many bars lie before a tick, the share of its own with them. */
export function barsBefore(song: SongDetail, tick: number) {
	const { ticks } = song.bars;
	const bar = barAt(song, tick);
	return bar - 1 + (tick - ticks[bar - 1]) / (ticks[bar] - ticks[bar - 1]);
}
