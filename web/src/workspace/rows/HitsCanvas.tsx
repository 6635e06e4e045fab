import { useComputedColorScheme } from "@mantine/core";
import { useElementSize, useMergedRef } from "@mantine/hooks";
import { type PointerEvent, Suspense, useEffect, useRef, useState } from "react";
import { fitCanvas, scaledLike } from "../../draw/canvas";
import { drawGround } from "../../draw/ground";
import { drawHits, isDense } from "../../draw/hits";
import { hitAt, hitInWords, tailAt } from "../../draw/pointing";
import { drawLanes, drawPitches, isLaidOut, rowScale } from "../../draw/strokes";
import { lengthOf, showsTails, tailPlacer } from "../../draw/tails";
import { drawWave } from "../../draw/wave";
import { fetched } from "../../lib/fetched";
import { probe } from "../../lib/probe";
import { colours } from "../../lib/theme";
import { useDensity } from "../../lib/useDensity";
import { plural, signed } from "../../lib/words";
import { gracesOf } from "../../part/graces";
import { anchorsOf, firstFrom, hitsOf, inView } from "../../part/hits";
import { lineHeight } from "../../part/rowHeights";
import { hitPlacer, linesOf, magnified, placer, shownWindow } from "../../part/shown";
import { barAt, placeOf } from "../../part/song";
import { type Against, useWorkspace, useWorkspaceStore, type WorkspaceState } from "../../part/store";
import { heightsOf, reachOf, shownReach } from "../../part/touch";
import { drawSketch } from "../drawing/sketch";
import { drawStruck } from "../recording/draw";
import { isSilent } from "../transport/usePlayer";
import { LayerHandles } from "./LayerHandles";
import { PassLines } from "./PassLines";
import classes from "./Rows.module.css";
import { TimeLines } from "./TimeLines";
import { useHitGestures } from "./useHitGestures";
import { movedWindow, useTimeGestures } from "./useTimeGestures";

const GrooveLine = fetched(() => import("./GrooveLine").then((all) => all.GrooveLine));

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
	state.stacked,
	state.times,
	state.reading,
	state.lit,
	state.selected,
	state.muted,
	state.soloed,
	state.open,
	state.against,
	state.part.kit,
	state.sketch?.instrument === index ? state.sketch : null,
	state.part.written,
	state.struckCount,
	state.property,
	state.wave,
	showsHands(state),
	state.numbers,
	state.tails,
	state.apart,
	state.pencil,
];

/** A pass that gives hits to hands is pointed at, or was last. */
const showsHands = ({ focus, recipe }: WorkspaceState) =>
	recipe.passes.some(({ id, action }) => id === focus && action.kind === "sticking");

/** The hits of one instrument: height is velocity, sideways is time. */
export function HitsCanvas({ index, height }: { index: number; height: number }) {
	probe.rendered("hits");
	const store = useWorkspaceStore();
	const scheme = useComputedColorScheme("light");
	const density = useDensity();
	const hits = useRef<HTMLCanvasElement>(null);
	const box = useRef<HTMLDivElement>(null);
	const name = useWorkspace((state) => state.part.kit.instruments[index].name.toLowerCase());
	const gestures = useTimeGestures(false);
	const { lasso, ...hand } = useHitGestures(index, name);
	const drawing = useWorkspace((state) => state.pencil !== null);
	const { ref: size, width } = useElementSize();
	const merged = useMergedRef(box, gestures.ref, size);
	const opened = useWorkspace((state) => state.open === state.part.kit.instruments[index].id);
	const stacked = useWorkspace((state) => state.stacked);
	const velocity = useWorkspace((state) => state.property === "velocity");
	/** Heights stand for lanes of strokes, or for notes. */
	const laidOut = useWorkspace((state) => isLaidOut(state, index));
	const [tip, setTip] = useState<{ x: number; y: number; left: boolean; words: string } | null>(null);

	useEffect(() => {
		const element = hits.current;
		if (!element || !box.current || density <= 0) return;
		// What lies under the hits is drawn once and copied: one canvas a row is cheaper to show than two.
		const below = document.createElement("canvas");
		let groundOf: unknown = null;
		let groundPart: unknown = null;
		const draw = () => {
			const state = store.getState();
			const paint = colours(scheme);
			const instrument = state.part.kit.instruments[index];
			const { song, part, performance, reading } = state;
			const window = shownWindow(state);
			const reach = shownReach(state, index);
			const size = fitCanvas(element);
			const scale = rowScale(state, index, size.height);
			const lanes = scale.lanes.map(({ stroke }) => stroke).join();
			const groundNow = `${window} ${state.open} ${state.wave?.step} ${reach} ${lanes} ${scale.pitch?.low} ${scale.pitch?.high}`;
			const { context, width, height } = size;
			if (groundOf !== groundNow || groundPart !== state.part) {
				const ground = scaledLike(below, element);
				const opened = state.open === instrument.id;
				const layers = scale.pitch ? [] : instrument.layers;
				const picture = {
					instrument: { ...instrument, layers },
					song,
					window,
					opened: opened && !scale.pitch,
					reach,
					colours: paint,
				};
				if (scale.lanes.length === 0) drawGround(ground, width, height, picture);
				for (const lane of scale.lanes) {
					ground.save();
					ground.translate(0, lane.top);
					drawGround(ground, width, lane.height, { ...picture, opened: false });
					ground.restore();
				}
				drawLanes(ground, width, scale, paint);
				drawPitches(ground, width, scale, paint);
				if (state.wave && part.audio && !state.stacked) {
					const own = (tick: number) =>
						part.written.instruments[placeOf(part.written.ticks, tick)] === index &&
						tick >= part.written.ticks[0];
					drawWave(ground, width, height, state.wave, part.audio.source, window, paint, own);
				}
				groundOf = groundNow;
				groundPart = state.part;
			}
			context.clearRect(0, 0, width, height);
			context.drawImage(below, 0, 0, width, height);
			const [written, played] = heightsOf(state, index);
			drawHits(context, width, height, {
				hits: hitsOf(state, index),
				written: { ...part.written, velocities: written },
				played: performance && played ? { ...performance, velocities: played } : performance,
				window,
				all: state.stacked,
				place: hitPlacer(state),
				times: state.times,
				dense: isCrowded(state, width),
				reading,
				against: state.property === "velocity" &&
					state.against && {
						...state.against,
						hits: state.against.ofInstruments[index],
						place: otherPlacer(state, state.against),
					},
				lit: state.lit?.hits ?? null,
				selected: state.selected,
				silent: isSilent(state, instrument.id),
				y: scale.y,
				tails: showsTails(state, index) ? tailPlacer(state) : null,
				// The strokes of a tonal instrument are its notes.
				flags: instrument.family !== "tonal",
				number: numberOf(state, index),
				hands: state.open === instrument.id || showsHands(state),
				kin: state.open === instrument.id,
				graces: state.open === instrument.id ? gracesOf(part) : null,
				colours: paint,
			});
			drawSketch(context, width, height, state, index, paint);
			drawStruck(context, width, height, state, index, paint);
		};
		// A row that is scrolled out of view is drawn when it comes back.
		let inView = true;
		let waits = false;
		const wanted = () => {
			waits = !inView;
			if (inView) atNextFrame(draw);
		};
		const sight = new IntersectionObserver(
			(entries) => {
				inView = entries[entries.length - 1].isIntersecting;
				if (inView && waits) wanted();
			},
			{ rootMargin: "60px" },
		);
		sight.observe(box.current);
		const redraw = () => {
			groundOf = null;
			wanted();
		};
		let last = drawnFrom(store.getState(), index);
		const unsubscribe = store.subscribe((state) => {
			const now = drawnFrom(state, index);
			if (now.some((one, place) => one !== last[place])) wanted();
			last = now;
		});
		const observer = new ResizeObserver(redraw);
		observer.observe(box.current);
		redraw();
		return () => {
			unsubscribe();
			observer.disconnect();
			sight.disconnect();
			waiting.delete(draw);
		};
	}, [store, scheme, density, index, height]);

	const point = (event: PointerEvent<HTMLDivElement>) => {
		const area = event.currentTarget.getBoundingClientRect();
		const [x, y] = [event.clientX - area.left, event.clientY - area.top];
		const state = store.getState();
		const free = event.buttons === 0;
		const hit = free ? hitAt(state, index, x, y, area.width, area.height) : -1;
		const tail = free && hit < 0 ? tailAt(state, index, x, y, area.width, area.height) : -1;
		if (free) event.currentTarget.style.cursor = tail < 0 ? "" : "ew-resize";
		if (tail >= 0) {
			const [ms] = lengthOf(state, tail);
			setTip({ x, y, left: x > area.width / 2, words: `${Math.round(ms)} ms long; drag its end` });
			return;
		}
		setTip(hit < 0 ? null : { x, y, left: x > area.width / 2, words: hitInWords(state, index, hit) });
	};
	return (
		<div
			ref={merged}
			className={classes.hits}
			{...hand}
			data-drawn-on={drawing || undefined}
			onPointerMove={point}
			onPointerLeave={() => setTip(null)}
		>
			<canvas ref={hits} data-hits />
			<Elsewhere index={index} />
			{height > 60 && <Times />}
			{height > lineHeight && (
				<>
					<TimeLines index={index} width={width} height={height} />
					{velocity && !laidOut && <PassLines index={index} width={width} height={height} />}
				</>
			)}
			{opened && stacked && velocity && (
				<Suspense>
					<GrooveLine index={index} width={width} height={height} />
				</Suspense>
			)}
			{opened && velocity && !laidOut && <LayerHandles index={index} height={height} />}
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

/** What stands beside hits: the value that the row shows, or how early or late they are. */
function numberOf(state: WorkspaceState, index: number) {
	const { numbers, performance, part, property, reading } = state;
	if (numbers === "none") return null;
	const heard = reading === "played" ? performance : null;
	if (numbers === "timing") {
		const lines = linesOf(state);
		const { seconds } = heard ?? part.written;
		return (hit: number) => signed(1000 * (seconds[hit] - lines.seconds[hit]), 1, true);
	}
	if (property === "velocity") return (hit: number) => `${(heard ?? part.written).velocities[hit]}`;
	const values = heard?.movement[property];
	const digits = reachOf(state, index) < 10 ? 1 : 0;
	return values ? (hit: number) => signed(values[hit] ?? 0, digits, true) : null;
}

/** Says that timing is seen larger than it is. */
function Times() {
	const times = useWorkspace((state) => state.times);
	return times === 1 ? null : <span className={classes.times}>timing × {times}</span>;
}

/** Where an instrument has no hit in view: how many lie to either side, and the way there. */
function Elsewhere({ index }: { index: number }) {
	const store = useWorkspaceStore();
	const places = useWorkspace((state) => {
		const anchors = anchorsOf(state);
		const hits = hitsOf(state, index);
		if (state.stacked) return "";
		const [start, end] = state.window;
		const before = firstFrom(hits, anchors, start);
		return firstFrom(hits, anchors, end) > before ? "" : `${before} ${hits.length - before}`;
	});
	if (places === "") return null;
	const [before, after] = places.split(" ").map(Number);
	const go = (place: number) => {
		const state = store.getState();
		const anchors = anchorsOf(state);
		const tick = anchors[hitsOf(state, index)[place]];
		const [start, end] = state.window;
		const { ticks } = state.song.bars;
		const bar = ticks[barAt(state.song, tick) - 1];
		state.setView({ window: movedWindow(state.song, [start, end], bar - start, 1, 0) });
	};
	const link = (count: number, place: number, words: string) =>
		count > 0 && (
			<button
				type="button"
				onPointerDown={(event) => event.stopPropagation()}
				onDoubleClick={(event) => event.stopPropagation()}
				onClick={() => go(place)}
			>
				{words}
			</button>
		);
	return (
		<div className={classes.elsewhere} data-elsewhere>
			<span>{link(before, before - 1, `← ${plural(before, "hit")} earlier`)}</span>
			<span>{link(after, before, `${plural(after, "hit")} later →`)}</span>
		</div>
	);
}

/** Whether dots would hide one another in any row: then all rows show densities. */
const isCrowded = (state: WorkspaceState, width: number) =>
	state.part.kit.instruments.some((_, index) => isDense(inView(state, index), width, state.stacked));

function otherPlacer(state: WorkspaceState, { lines }: Against) {
	const place = placer(state);
	return (tick: number, hit: number) =>
		place(magnified(tick, lines[hit], state.times), barAt(state.song, lines[hit]));
}
