import { useElementSize, useMergedRef } from "@mantine/hooks";
import type { PointerEvent } from "react";
import { axis } from "../draw/axis";
import classes from "./Rows.module.css";
import { barAt, placeOf } from "./song";
import { useWorkspace, useWorkspaceStore } from "./store";
import { follow } from "./useDrag";
import { useTimeGestures } from "./useTimeGestures";

/** The numbers of the bars; dragging it scrolls, the wheel zooms. */
export function Ruler() {
	const song = useWorkspace((state) => state.song);
	const [start, end] = useWorkspace((state) => state.window);
	const store = useWorkspaceStore();
	const aiming = useWorkspace((state) => state.aiming !== null);
	const gestures = useTimeGestures();
	/** While a pass is aimed, a sweep over bars aims it there; a click aims it at one. */
	const sweepBars = (event: PointerEvent<HTMLElement>) => {
		const target = event.currentTarget;
		const box = target.getBoundingClientRect();
		const barUnder = (clientX: number) => {
			const { song, window } = store.getState();
			return barAt(song, axis(window, box.width).tick(clientX - box.left));
		};
		const first = barUnder(event.clientX);
		const kept = event.shiftKey;
		const before =
			store.getState().recipe.passes.find(({ id }) => id === store.getState().aiming)?.aim.bars ?? [];
		const aim = (bar: number) => {
			const range = { from: Math.min(first, bar), to: Math.max(first, bar) };
			store.getState().setAim((aim) => ({ ...aim, bars: kept ? [...before, range] : [range] }));
		};
		aim(first);
		follow(
			target,
			event.pointerId,
			(now) => aim(barUnder(now.clientX)),
			() => undefined,
		);
	};
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
		<div
			ref={merged}
			className={classes.ruler}
			data-axis
			onPointerDown={aiming ? sweepBars : gestures.onPointerDown}
			data-aims={aiming}
		>
			{shown.map(({ bar, x }) => (
				<span key={bar} style={{ left: x + 4 }}>
					{bar}
				</span>
			))}
		</div>
	);
}
