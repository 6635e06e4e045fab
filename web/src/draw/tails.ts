/** How long hits last, as tails behind their dots. */

import { hitPlacer } from "../part/shown";
import { tickAt } from "../part/song";
import type { WorkspaceState } from "../part/store";

type Shown = Pick<
	WorkspaceState,
	"part" | "performance" | "song" | "open" | "tails" | "stacked" | "window" | "times"
>;

/** Whether a row shows lengths: an opened one always, the others where that is asked for. */
export const showsTails = ({ open, tails, stacked, part }: Shown, index: number) =>
	!stacked && (tails || open === part.kit.instruments[index].id);

/** Where tails end, in ticks of the window, by the indices of hits. The tail is as long as it sounds, wherever its dot is shown. */
export function tailPlacer(state: Shown) {
	const { part, performance, song } = state;
	const place = hitPlacer(state);
	const end = (seconds: number, lasts: number) => tickAt(song, seconds + lasts);
	return {
		written: (hit: number) => {
			const { ticks, seconds, lengths } = part.written;
			return place(ticks[hit], hit) + end(seconds[hit], lengths[hit]) - ticks[hit];
		},
		played: (hit: number) => {
			if (!performance) return Number.NaN;
			const { ticks, seconds, lengths } = performance;
			return place(ticks[hit], hit) + end(seconds[hit], lengths[hit]) - ticks[hit];
		},
	};
}

/** How long a hit lasts, in ms, and in ticks. */
export function lengthOf(state: Shown, hit: number): [ms: number, ticks: number] {
	const { seconds, lengths } = state.performance ?? state.part.written;
	const from = seconds[hit];
	return [1000 * lengths[hit], tickAt(state.song, from + lengths[hit]) - tickAt(state.song, from)];
}
