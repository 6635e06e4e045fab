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
import classes from "./Rows.module.css";
import { placeInWords, secondsAt } from "./song";
import { useWorkspaceStore, type WorkspaceState } from "./store";
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

const drawnFrom = (state: WorkspaceState) => [
	state.performance,
	state.window,
	state.reading,
	state.lit,
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
	const gestures = useTimeGestures(false);
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
			const { song, window, part, performance, reading, rows } = state;
			if (groundOf !== window) {
				const { context, width, height } = fitCanvas(below);
				const opened = state.open === instrument.id;
				drawGround(context, width, height, { instrument, song, window, opened, colours: paint });
				groundOf = window;
			}
			const { context, width, height } = fitCanvas(above);
			drawHits(context, width, height, {
				hits: rows[index],
				written: part.written,
				played: performance,
				window,
				reading,
				lit: state.lit?.hits ?? null,
				silent: isSilent(state, instrument.id),
				colours: paint,
			});
		};
		const redraw = () => {
			groundOf = null;
			atNextFrame(draw);
		};
		let last = drawnFrom(store.getState());
		const unsubscribe = store.subscribe((state) => {
			const now = drawnFrom(state);
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
		const words =
			event.buttons === 0 ? hitInWords(store.getState(), index, x, y, area.width, area.height) : null;
		setTip(words === null ? null : { x, y, left: x > area.width / 2, words });
	};
	return (
		<div
			ref={merged}
			className={classes.hits}
			onPointerDown={gestures.onPointerDown}
			onPointerMove={point}
			onPointerLeave={() => setTip(null)}
		>
			<canvas ref={ground} />
			<canvas ref={hits} data-hits />
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

/** The hit under the pointer: “closed hat, bar 3 beat 2&, written 100, played 63, 4.1 ms late”. */
function hitInWords(
	state: WorkspaceState,
	index: number,
	x: number,
	y: number,
	width: number,
	height: number,
) {
	const { rows, part, performance, window, song } = state;
	const time = axis(window, width);
	let nearest = -1;
	let least = 9;
	for (const hit of rows[index]) {
		const ticks = [part.written.ticks[hit], performance?.ticks[hit] ?? Number.NaN];
		const velocities = [part.written.velocities[hit], performance?.velocities[hit] ?? Number.NaN];
		for (const reading of [0, 1]) {
			const dx = time.x(ticks[reading]) - x;
			if (!(Math.abs(dx) < least)) continue;
			const away = Math.hypot(dx, velocityY(velocities[reading], height) - y);
			if (away < least) [least, nearest] = [away, hit];
		}
	}
	if (nearest < 0) return null;
	const line = part.written.grid_lines[nearest];
	const name = part.kit.instruments[index].name.toLowerCase();
	const words = [name, placeInWords(song, line), `written ${part.written.velocities[nearest]}`];
	if (performance) {
		const late = 1000 * (performance.seconds[nearest] - secondsAt(song, line));
		words.push(`played ${performance.velocities[nearest]}`);
		const off = signed(Math.abs(late), 1);
		words.push(off === "0.0" ? "on the grid" : `${off} ms ${late > 0 ? "late" : "early"}`);
	}
	return words.join(", ");
}
