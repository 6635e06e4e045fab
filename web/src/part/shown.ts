/** What the rows show: the song from left to right, or all bars laid over one. */
import { barAt } from "./song";
import type { WorkspaceState } from "./store";

type Shown = Pick<WorkspaceState, "song" | "window" | "stacked">;

/** How much larger timing can be seen than it is. */
export const magnifications = [1, 4, 8, 16];

/** How much is shown before and behind the bar that all are laid over, of its length. */
const margin = 0.04;

/** The ticks that the rows show. Stacked it is the first bar of the window, and a little around it. */
export function shownWindow({ song, window, stacked }: Shown): [number, number] {
	if (!stacked) return window;
	const [start, length] = barOf(song, barAt(song, window[0]));
	return [start - margin * length, start + (1 + margin) * length];
}

function barOf({ bars }: WorkspaceState["song"], bar: number) {
	return [bars.ticks[bar - 1], bars.ticks[bar] - bars.ticks[bar - 1]];
}

/**
 * Where a tick of a bar is shown. Stacked, bars of another length than the one shown have no place
 * (not a number, which nothing is drawn at).
 */
export function placer({ song, window, stacked }: Shown): (tick: number, bar?: number) => number {
	if (!stacked) return (tick) => tick;
	const [shown, length] = barOf(song, barAt(song, window[0]));
	return (tick, bar = barAt(song, tick)) => {
		const [start, own] = barOf(song, bar);
		return Math.abs(own - length) < 0.5 ? shown + tick - start : Number.NaN;
	};
}

/** The grid lines that hits are meant for. */
export const linesOf = ({ performance, part }: Pick<WorkspaceState, "performance" | "part">) =>
	performance?.lines ?? part.written.lines;

/**
 * Where hits are shown, in ticks of the window: so many times as far from their grid lines as they sound.
 * The lines stay where they are.
 */
export function hitPlacer(
	state: Shown & Pick<WorkspaceState, "times" | "performance" | "part">,
): (tick: number, hit: number) => number {
	const place = placer(state);
	const { ticks: lines, bars } = linesOf(state);
	return (tick, hit) => place(magnified(tick, lines[hit], state.times), bars[hit]);
}

/** A tick, so many times as far from its line. */
export const magnified = (tick: number, line: number, times: number) =>
	times === 1 ? tick : line + times * (tick - line);

/** The bar that a hit is meant for, by its index. */
export const barOfHit = (state: Pick<WorkspaceState, "performance" | "part">, index: number) =>
	linesOf(state).bars[index];
