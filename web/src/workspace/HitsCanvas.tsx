import { useComputedColorScheme } from "@mantine/core";
import { useMergedRef } from "@mantine/hooks";
import { type PointerEvent, useEffect, useRef, useState } from "react";
import { axis } from "../draw/axis";
import { fitCanvas } from "../draw/canvas";
import { drawGround } from "../draw/ground";
import { drawHits, velocityY } from "../draw/hits";
import { probe } from "../probe";
import { colours } from "../theme";
import { signed } from "../words";
import { writtenRows } from "./played";
import classes from "./Rows.module.css";
import { placeInWords, secondsAt } from "./song";
import { useWorkspace, useWorkspaceStore, type WorkspaceState } from "./store";
import { useHitGestures } from "./useHitGestures";
import { isSilent } from "./usePlayer";
import { useTimeGestures } from "./useTimeGestures";

/** All canvases that wait for the next frame, drawn together so that the time taken is known. */
const waiting = new Set<() => void>();

function atNextFrame(draw: () => void) {
	if (waiting.size === 0) {
		requestAnimationFrame(() => {
			const began = performance.now();
			const draws = [...waiting];
			waiting.clear();
			for (const one of draws) one();
			probe.drawn(performance.now() - began);
		});
	}
	waiting.add(draw);
}

const drawnFrom = (state: WorkspaceState, index: number) => [
	state.performance?.looks[index],
	state.window,
	state.reading,
	state.lit,
	state.selected,
	state.muted,
	state.soloed,
	state.open,
];

/** The hits of one instrument: height is velocity, sideways is time. */
export function HitsCanvas({ index, height }: { index: number; height: number }) {
	const store = useWorkspaceStore();
	const scheme = useComputedColorScheme("light");
	const ground = useRef<HTMLCanvasElement>(null);
	const hits = useRef<HTMLCanvasElement>(null);
	const box = useRef<HTMLDivElement>(null);
	const name = useWorkspace((state) => state.part.kit.instruments[index].name.toLowerCase());
	const gestures = useTimeGestures(false);
	const { lasso, ...hand } = useHitGestures(index, name);
	const merged = useMergedRef(box, gestures.ref);
	const [tip, setTip] = useState<{ x: number; y: number; left: boolean; words: string } | null>(null);

	useEffect(() => {
		const [below, above] = [ground.current, hits.current];
		if (!below || !above || !box.current) return;
		let groundOf: unknown = null;
		const draw = () => {
			const state = store.getState();
			const paint = colours(scheme);
			const instrument = state.part.kit.instruments[index];
			const { song, window, part, performance, reading } = state;
			if (groundOf !== window) {
				const { context, width, height } = fitCanvas(below);
				const opened = state.open === instrument.id;
				drawGround(context, width, height, { instrument, song, window, opened, colours: paint });
				groundOf = window;
			}
			const { context, width, height } = fitCanvas(above);
			drawHits(context, width, height, {
				hits: rowsOf(state, index),
				written: part.written,
				played: performance,
				window,
				reading,
				lit: state.lit?.hits ?? null,
				selected: state.selected,
				silent: isSilent(state, instrument.id),
				colours: paint,
			});
		};
		const redraw = () => {
			groundOf = null;
			atNextFrame(draw);
		};
		let last = drawnFrom(store.getState(), index);
		const unsubscribe = store.subscribe((state) => {
			const now = drawnFrom(state, index);
			if (now.some((one, place) => one !== last[place])) atNextFrame(draw);
			last = now;
		});
		const observer = new ResizeObserver(redraw);
		observer.observe(box.current);
		redraw();
		return () => {
			unsubscribe();
			observer.disconnect();
			waiting.delete(draw);
		};
	}, [store, scheme, index, height]);

	const point = (event: PointerEvent<HTMLDivElement>) => {
		const area = event.currentTarget.getBoundingClientRect();
		const [x, y] = [event.clientX - area.left, event.clientY - area.top];
		const state = store.getState();
		const hit = event.buttons === 0 ? hitAt(state, index, x, y, area.width, area.height) : -1;
		setTip(hit < 0 ? null : { x, y, left: x > area.width / 2, words: hitInWords(state, index, hit) });
	};
	return (
		<div
			ref={merged}
			className={classes.hits}
			{...hand}
			onPointerMove={point}
			onPointerLeave={() => setTip(null)}
		>
			<canvas ref={ground} />
			<canvas ref={hits} data-hits />
			{lasso && <div className={classes.lasso} style={lasso} />}
			{tip && (
				<div
					className={classes.tip}
					style={{
						left: tip.x,
						top: Math.max(2, tip.y - 26),
						transform: `translateX(${tip.left ? "calc(-100% - 8px)" : "8px"})`,
					}}
				>
					{tip.words}
				</div>
			)}
		</div>
	);
}

/** The rows of an instrument's hits. */
export const rowsOf = ({ performance, part }: WorkspaceState, index: number) =>
	performance?.rows[index] ?? writtenRows(part)[index];

/** The hit of an instrument nearest to a place in its row, within a few px; −1 where there is none. */
export function hitAt(
	state: WorkspaceState,
	index: number,
	x: number,
	y: number,
	width: number,
	height: number,
) {
	const { part, performance, window, reading } = state;
	const time = axis(window, width);
	let nearest = -1;
	let least = 9;
	for (const hit of rowsOf(state, index)) {
		const ticks = [part.written.ticks[hit], performance?.ticks[hit]];
		const velocities = [part.written.velocities[hit], performance?.velocities[hit]];
		for (const place of reading === "written" ? [0] : [0, 1]) {
			const [tick, velocity] = [ticks[place], velocities[place]];
			if (tick === undefined || velocity === undefined) continue;
			const dx = time.x(tick) - x;
			if (Math.abs(dx) >= least) continue;
			// What sounds is meant rather than what was written, where both are near.
			const away = Math.hypot(dx, velocityY(velocity, height) - y) + (place === 0 ? 1 : 0);
			if (away < least) [least, nearest] = [away, hit];
		}
	}
	return nearest;
}

/** “closed hat, bar 3 beat 2&, written 100, played 63, 4.1 ms late”. */
export function hitInWords(state: WorkspaceState, index: number, hit: number) {
	const { part, performance, song } = state;
	const addition = performance?.added[hit - part.written.ticks.length];
	const line = addition?.grid_line ?? part.written.grid_lines[hit];
	const name = part.kit.instruments[index].name.toLowerCase();
	const words = [name, placeInWords(song, line)];
	words.push(addition ? "added" : `written ${part.written.velocities[hit]}`);
	if (!performance) return words.join(", ");
	const silencer = performance.silenced.get(hit);
	if (silencer !== undefined) {
		words.push(`silenced by pass ${1 + state.recipe.passes.findIndex(({ id }) => id === silencer)}`);
		return words.join(", ");
	}
	const late = 1000 * (performance.seconds[hit] - secondsAt(song, line));
	words.push(`played ${performance.velocities[hit]}`);
	const off = signed(Math.abs(late), 1);
	words.push(off === "0.0" ? "on the grid" : `${off} ms ${late > 0 ? "late" : "early"}`);
	return words.join(", ");
}
