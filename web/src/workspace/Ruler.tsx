import { useElementSize, useMergedRef } from "@mantine/hooks";
import { axis } from "../draw/axis";
import classes from "./Rows.module.css";
import { placeOf } from "./song";
import { useWorkspace } from "./store";
import { useTimeGestures } from "./useTimeGestures";

/** The numbers of the bars; dragging it scrolls, the wheel zooms. */
export function Ruler() {
	const song = useWorkspace((state) => state.song);
	const [start, end] = useWorkspace((state) => state.window);
	const gestures = useTimeGestures();
	const { ref, width } = useElementSize();
	const merged = useMergedRef(ref, gestures.ref);
	const { ticks } = song.bars;
	const first = placeOf(ticks, start);
	const last = Math.min(placeOf(ticks, end - 1), ticks.length - 2);
	// As many numbers as fit, at round distances.
	const every =
		[1, 2, 4, 8, 16, 32, 64, 128, 256, 512].find((step) => ((last - first) / step) * 34 < width) ?? 1024;
	const { x: place } = axis([start, end], width);
	const shown = [];
	for (let bar = first; bar <= last; bar++) {
		const x = place(ticks[bar]);
		if (bar % every === 0 && x > -12) shown.push({ bar: bar + 1, x });
	}
	return (
		<div ref={merged} className={classes.ruler} data-axis onPointerDown={gestures.onPointerDown}>
			{shown.map(({ bar, x }) => (
				<span key={bar} style={{ left: x + 4 }}>
					{bar}
				</span>
			))}
		</div>
	);
}
