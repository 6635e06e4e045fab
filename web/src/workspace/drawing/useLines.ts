/** The lines that the pencil draws on, in what the rows show. */
import { useMemo } from "react";
import { firstFrom } from "../../lib/ascending";
import { useWorkspace } from "../../part/store";
import { onGrid, useGridLines } from "../rows/TimeLines";

export interface Lines {
	ticks: number[];
	/** From one line to the next. */
	cell: number;
	/** The lines nearest to two places, and those between them. */
	between: (from: number, to: number) => number[];
}

export function useLines(): Lines {
	const song = useWorkspace((state) => state.song);
	const window = useWorkspace((state) => state.window);
	const grid = useWorkspace((state) => state.pencil?.grid ?? null);
	const { ticks: bars } = song.bars;
	const { lines: all } = useGridLines(song, grid === null ? null : onGrid(grid), window, true);
	return useMemo(() => {
		const end = bars[bars.length - 1];
		const ticks = all.filter((tick) => tick < end);
		const gaps = ticks.slice(1).map((tick, index) => tick - ticks[index]);
		const nearest = (tick: number) => {
			const after = firstFrom(ticks, tick);
			if (after === 0) return 0;
			return after < ticks.length && ticks[after] - tick < tick - ticks[after - 1] ? after : after - 1;
		};
		const between = (from: number, to: number) => {
			if (ticks.length === 0) return [];
			const [first, last] = [nearest(Math.min(from, to)), nearest(Math.max(from, to))];
			return ticks.slice(first, last + 1);
		};
		return { ticks, cell: gaps.length > 0 ? Math.max(...gaps) : 1, between };
	}, [all, bars]);
}
