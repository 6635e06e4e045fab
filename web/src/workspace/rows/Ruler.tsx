import { useElementSize, useMergedRef } from "@mantine/hooks";
import { type PointerEvent, useCallback, useRef } from "react";
import { axis } from "../../draw/axis";
import { follow } from "../../lib/dragging";
import { probe } from "../../lib/probe";
import { shownWindow } from "../../part/shown";
import { barAt, placeOf, secondsAt } from "../../part/song";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useTransport } from "../transport/context";
import classes from "./Rows.module.css";
import { useTimeGestures } from "./useTimeGestures";

/** The numbers of the bars; a click says where it plays from, dragging it scrolls, the wheel zooms. */
export function Ruler() {
	probe.rendered("ruler");
	const song = useWorkspace((state) => state.song);
	const window = useWorkspace((state) => state.window);
	const stacked = useWorkspace((state) => state.stacked);
	const [start, end] = shownWindow({ song, window, stacked });
	const store = useWorkspaceStore();
	const aiming = useWorkspace((state) => state.aiming !== null);
	const playFrom = useWorkspace((state) => state.playFrom);
	const { playAt } = useTransport();
	/** A click says where it plays from: the nearest beat. Where it says so already it does no longer. */
	const choosePlace = useCallback(
		(x: number) => {
			const { song, window, stacked, playFrom, setView } = store.getState();
			const box = ruler.current?.clientWidth;
			if (stacked || !box) return;
			const time = axis(window, box);
			const { beat_ticks } = song.bars;
			const tick = time.tick(x);
			const before = placeOf(beat_ticks, tick);
			const near = [before, before + 1].filter((place) => place < beat_ticks.length);
			const [nearest] = near
				.map((place) => beat_ticks[place])
				.sort((a, b) => Math.abs(a - tick) - Math.abs(b - tick));
			const again = playFrom !== null && Math.abs(time.x(playFrom) - x) < 9;
			setView({ playFrom: again ? null : nearest });
			if (!again) playAt(secondsAt(song, nearest));
		},
		[store, playAt],
	);
	const ruler = useRef<HTMLDivElement>(null);
	const gestures = useTimeGestures(true, choosePlace);
	/** While a pass is aimed, a sweep over bars aims it there; a click aims it at one. */
	const sweepBars = (event: PointerEvent<HTMLElement>) => {
		const box = event.currentTarget.getBoundingClientRect();
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
		follow(event, {
			move: (now) => aim(barUnder(now.clientX)),
			end: () => undefined,
			cancel: () => store.getState().cancel(),
		});
	};
	const { ref, width } = useElementSize();
	const merged = useMergedRef(ref, gestures.ref, ruler);
	const { ticks, beat_ticks: beats } = song.bars;
	const first = placeOf(ticks, start);
	const last = Math.min(placeOf(ticks, end - 1), ticks.length - 2);
	// As many numbers as fit, at round distances.
	const every =
		[1, 2, 4, 8, 16, 32, 64, 128, 256, 512].find((step) => ((last - first) / step) * 34 < width) ?? 1024;
	const { x: place } = axis([start, end], width);
	const barsInView = () => {
		const numbers = Array.from({ length: Math.max(0, last - first + 1) }, (_, index) => first + index);
		const marks = numbers
			.filter((bar) => bar % every === 0)
			.map((bar) => ({ number: bar + 1, x: place(ticks[bar]) }));
		return marks.filter(({ x }) => x > -12);
	};
	/** All bars are laid over one: its beats are counted. */
	const beatsOfBar = () => {
		const bar = placeOf(ticks, (start + end) / 2);
		const inside = beats.filter((beat) => beat >= ticks[bar] && beat < ticks[bar + 1]);
		return inside.map((beat, index) => ({ number: index + 1, x: place(beat) }));
	};
	const marks = stacked ? beatsOfBar() : barsInView();
	return (
		<div
			ref={merged}
			className={classes.ruler}
			data-axis
			onPointerDown={aiming && !stacked ? sweepBars : gestures.onPointerDown}
			data-aims={aiming}
			title={stacked ? undefined : "Click: play from here. Drag: scroll. Wheel: zoom."}
		>
			{marks.map(({ number, x }) => (
				<span key={number} style={{ left: x + 4 }}>
					{number}
				</span>
			))}
			{playFrom !== null && !stacked && (
				<i className={classes.playFrom} style={{ left: place(playFrom) }} data-play-from={playFrom} />
			)}
		</div>
	);
}
