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

/** The beats and the end of the song as ascending columns. */
function beats(song: SongDetail) {
	const { bars } = song;
	const last = bars.ticks.length - 1;
	return {
		ticks: [...bars.beat_ticks, bars.ticks[last]],
		seconds: [...bars.beat_seconds, bars.seconds[last]],
	};
}

const cache = new WeakMap<SongDetail, ReturnType<typeof beats>>();

function beatsOf(song: SongDetail) {
	const found = cache.get(song) ?? beats(song);
	cache.set(song, found);
	return found;
}

export function secondsAt(song: SongDetail, tick: number) {
	const { ticks, seconds } = beatsOf(song);
	return between(ticks, seconds, tick);
}

export function tickAt(song: SongDetail, second: number) {
	const { ticks, seconds } = beatsOf(song);
	return between(seconds, ticks, second);
}

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
