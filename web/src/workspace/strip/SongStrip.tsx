import { Kbd, Menu, useComputedColorScheme } from "@mantine/core";
import { useElementSize } from "@mantine/hooks";
import { type KeyboardEvent, type PointerEvent, useCallback, useEffect, useMemo, useRef } from "react";
import type { BarColumns, Figures } from "../../api/generated/types";
import { fitCanvas } from "../../draw/canvas";
import { rightwards } from "../../lib/arrows";
import { follow } from "../../lib/dragging";
import { probe } from "../../lib/probe";
import { colours } from "../../lib/theme";
import { useDensity } from "../../lib/useDensity";
import { percent } from "../../lib/words";
import { barCount, barsBefore } from "../../part/song";
import { beforeOf, useWorkspace, useWorkspaceStore, type WorkspaceState } from "../../part/store";
import { BarsButton } from "../drawing/Bars";
import { FindingMarks } from "../findings/FindingMarks";
import { useNowLine } from "../rows/useNowLine";
import { type Shown, showing } from "../rows/useTimeGestures";
import { useTransport } from "../transport/context";
import { ArcLine, arcInHand } from "./ArcLine";
import { SectionsButton } from "./Sections";
import classes from "./SongStrip.module.css";

/** The whole song by bars, the loop, and two plain figures before and after. */
export function SongStrip() {
	probe.rendered("song strip");
	return (
		<section className={classes.strip} aria-label="Whole song">
			<div className={classes.figures}>
				<h2 className="visually-hidden">Song</h2>
				<div className={classes.links}>
					<SectionsButton />
					<BarsButton />
					<ViewButton />
					<GroovesButton />
					<ZoomMenu />
				</div>
				<FigurePair label="identical neighbours" of={neighbours} />
				<FigurePair label="exactly on its lines" of={onGrid} />
			</div>
			<SongMap />
		</section>
	);
}

/** Ways to what is shown of the song. */
function ZoomMenu() {
	const store = useWorkspaceStore();
	const show = (what: Shown) => () => showing(store.getState(), what);
	return (
		<Menu position="top-start">
			<Menu.Target>
				<button type="button" className={classes.link}>
					Zoom
				</button>
			</Menu.Target>
			<Menu.Dropdown>
				<Menu.Item rightSection={<Kbd>1</Kbd>} onClick={show("loop")}>
					Show the loop
				</Menu.Item>
				<Menu.Item rightSection={<Kbd>2</Kbd>} onClick={show("section")}>
					Show the section
				</Menu.Item>
				<Menu.Item rightSection={<Kbd>0</Kbd>} onClick={show("song")}>
					Show the whole song
				</Menu.Item>
				<Menu.Item rightSection={<Kbd>+</Kbd>} onClick={show("nearer")}>
					Zoom in
				</Menu.Item>
				<Menu.Item rightSection={<Kbd>−</Kbd>} onClick={show("farther")}>
					Zoom out
				</Menu.Item>
			</Menu.Dropdown>
		</Menu>
	);
}

function GroovesButton() {
	const store = useWorkspaceStore();
	const shown = useWorkspace((state) => state.screen === "grooves");
	return (
		<button
			type="button"
			className={classes.link}
			aria-pressed={shown}
			title="The library of grooves, and those taken from parts (G)"
			data-grooves
			onClick={() => store.getState().showScreen(shown ? null : "grooves")}
		>
			Grooves
		</button>
	);
}

function ViewButton() {
	const store = useWorkspaceStore();
	const shown = useWorkspace((state) => state.table);
	return (
		<button
			type="button"
			className={classes.link}
			aria-pressed={shown}
			title="Figures of every instrument, before and after (F)"
			onClick={() => store.getState().setView({ table: !shown })}
		>
			Figures
		</button>
	);
}

interface PairProps {
	label: string;
	of: (figures: Figures) => number;
}

const neighbours = (figures: Figures) => figures.identical_neighbours;
const onGrid = (figures: Figures) => figures.on_grid;

function FigurePair({ label, of }: PairProps) {
	// As they are read: what is behind the point changes with every move of a drag.
	const written = useWorkspace((state) => percent(of(beforeOf(state).all)));
	const played = useWorkspace((state) =>
		state.performance ? percent(of(state.performance.reading.all)) : null,
	);
	return (
		<div className={classes.figure} data-figure={label}>
			<span>{label}</span>
			{played !== null && (
				<span>
					<span className={classes.before}>{written}</span>
					{" → "}
					<span className={classes.after}>{played}</span>
				</span>
			)}
		</div>
	);
}

const bottom = 26;

/** How much is struck in each bar, from 0 to 1. */
function barHeights({ part, performance }: WorkspaceState) {
	const { struck } = (performance ?? part.written).bars;
	const most = Math.max(1, ...struck);
	return struck.map((sum) => sum / most);
}

/** How hard each bar is struck on average, as it was written and as it is played, from 0 to 1. */
function barLevels({ part, performance }: WorkspaceState) {
	const shares = ({ bars }: { bars: BarColumns }) => bars.means.map((mean) => mean / 127);
	return { before: shares(part.written), after: shares(performance ?? part.written) };
}

function SongMap() {
	const store = useWorkspaceStore();
	const song = useWorkspace((state) => state.song);
	const [from, to] = useWorkspace((state) => state.loop);
	const looping = useWorkspace((state) => state.looping);
	const scheme = useComputedColorScheme("light");
	const density = useDensity();
	const canvas = useRef<HTMLCanvasElement>(null);
	const { ref, width } = useElementSize();
	const bars = barCount(song);
	const barWidth = width / bars;
	const unfolded = useWorkspace((state) => arcInHand(state)?.pass ?? null);

	useEffect(() => {
		const element = canvas.current;
		if (!element || density <= 0) return;
		let drawnOf: unknown[] = [];
		let timer = 0;
		const draw = () => {
			timer = 0;
			const state = store.getState();
			// Heights hang on velocities alone: a drag of time leaves them be.
			const now = [
				state.performance?.velocities,
				state.loop,
				state.window,
				state.performance?.silenced.size,
				arcInHand(state)?.pass,
			];
			if (now.every((one, place) => one === drawnOf[place])) return;
			drawnOf = now;
			drawMap(element, state, scheme);
		};
		// The loop follows the pointer at once; the heights of the bars can wait for a moment.
		const follow = (state: WorkspaceState) => {
			if (state.loop !== drawnOf[1] || state.window !== drawnOf[2] || arcInHand(state)?.pass !== drawnOf[4])
				draw();
			else if (timer === 0) timer = window.setTimeout(draw, 150);
		};
		draw();
		const unsubscribe = store.subscribe(follow);
		return () => {
			unsubscribe();
			window.clearTimeout(timer);
		};
	}, [store, scheme, density, width]);

	const barOf = (event: { clientX: number }, area: DOMRect) =>
		Math.max(1, Math.min(bars, Math.floor((event.clientX - area.left) / barWidth) + 1));

	/** Sweeping over bars loops them; a click moves the loop there; both show it. */
	const sweep = (event: PointerEvent<HTMLDivElement>, fixed?: number) => {
		if (event.button !== 0) return;
		event.stopPropagation();
		const target = event.currentTarget.closest<HTMLElement>("[data-map]");
		if (!target) return;
		const area = target.getBoundingClientRect();
		const start = fixed ?? barOf(event, area);
		const { setView, loop } = store.getState();
		let swept = false;
		const move = (now: globalThis.PointerEvent) => {
			const bar = barOf(now, area);
			if (fixed === undefined && bar === start && !swept) return;
			swept = true;
			setView({ loop: [Math.min(start, bar), Math.max(start, bar)] });
		};
		const end = () => {
			if (!swept && fixed === undefined) {
				const length = loop[1] - loop[0];
				const first = Math.min(start, bars - length);
				setView({ loop: [first, first + length] });
			}
			showLoop(store.getState());
		};
		const held = { currentTarget: target, pointerId: event.pointerId };
		follow(held, { move, end, cancel: () => setView({ loop }) });
	};
	const keys = (event: KeyboardEvent) => {
		const step = rightwards(event);
		if (!step) return;
		event.preventDefault();
		const { loop, setView } = store.getState();
		const next: [number, number] = event.shiftKey
			? [loop[0], loop[1] + step]
			: [loop[0] + step, loop[1] + step];
		if (next[0] < 1 || next[1] > bars || next[1] < next[0]) return;
		setView({ loop: next });
		showLoop(store.getState());
	};
	const left = (from - 1) * barWidth;
	return (
		<div ref={ref} className={classes.map} data-map onPointerDown={sweep}>
			<canvas ref={canvas} />
			<Sections barWidth={barWidth} />
			<div
				className={classes.loop}
				role="slider"
				tabIndex={0}
				aria-label="Loop: arrows move it, with Shift they lengthen it"
				aria-valuemin={1}
				aria-valuemax={bars}
				aria-valuenow={from}
				aria-valuetext={`bars ${from} to ${to}`}
				onKeyDown={keys}
				data-loop
				data-on={looping}
				style={{ left: left - 1, width: (to - from + 1) * barWidth - 2 }}
			>
				<div className={classes.edge} data-side="from" onPointerDown={(event) => sweep(event, to)} />
				<div className={classes.edge} data-side="to" onPointerDown={(event) => sweep(event, from)} />
			</div>
			<FindingMarks barWidth={barWidth} />
			<Now width={width} />
			{unfolded !== null && <Arc barWidth={barWidth} />}
		</div>
	);
}

function Arc({ barWidth }: { barWidth: number }) {
	const recipe = useWorkspace((state) => state.recipe);
	const unfolded = useWorkspace((state) => state.unfolded);
	const inHand = arcInHand({ recipe, unfolded });
	return inHand && <ArcLine barWidth={barWidth} pass={inHand.pass} arc={inHand.arc} />;
}

/** The rows show what is looped. */
const showLoop = (state: WorkspaceState) => showing(state, "loop");

function Sections({ barWidth }: { barWidth: number }) {
	const store = useWorkspaceStore();
	const { sections } = useWorkspace((state) => state.song);
	const bars = barCount(store.getState().song);
	const shown = useMemo(() => sections.filter(({ from }) => from <= bars), [sections, bars]);
	return shown
		.filter(({ from, to }) => (to - from + 1) * barWidth > 14)
		.map(({ name, from, to }) => (
			<button
				key={`${from} ${to} ${name}`}
				type="button"
				className={classes.section}
				title={`Loop ${name}, bars ${from} to ${to}`}
				style={{ left: (from - 1) * barWidth, width: (to - from + 1) * barWidth - 3 }}
				onPointerDown={(event) => event.stopPropagation()}
				onClick={() => {
					store.getState().setView({ loop: [from, Math.min(to, bars)] });
					showLoop(store.getState());
				}}
			>
				{name}
			</button>
		));
}

function Now({ width }: { width: number }) {
	const transport = useTransport();
	const store = useWorkspaceStore();
	const place = useCallback(
		(tick: number) => {
			const { song } = store.getState();
			return (barsBefore(song, tick) / barCount(song)) * width;
		},
		[store, width],
	);
	const line = useNowLine(transport, place);
	return <div ref={line} className={classes.now} />;
}

function drawMap(element: HTMLCanvasElement, state: WorkspaceState, scheme: "light" | "dark") {
	const { context, width, height } = fitCanvas(element);
	const paint = colours(scheme);
	const levels = arcInHand(state) ? barLevels(state) : null;
	const heights = levels?.after ?? barHeights(state);
	const barWidth = width / heights.length;
	const gap = Math.min(2, barWidth * 0.2);
	const [from, to] = state.loop;
	context.clearRect(0, 0, width, height);
	heights.forEach((share, index) => {
		const tall = Math.max(1.5, share * (height - bottom - 18));
		context.fillStyle = !levels && index + 1 >= from && index + 1 <= to ? paint.played : paint.strongLine;
		context.fillRect(index * barWidth + gap / 2, height - bottom - tall, barWidth - gap, tall);
		if (!levels) return;
		// Beneath an arc each bar shows how hard it was written, too.
		const before = height - bottom - levels.before[index] * (height - bottom - 18);
		context.fillStyle = paint.written;
		context.fillRect(index * barWidth + gap / 2, before - 0.75, barWidth - gap, 1.5);
	});
	// What the rows show is underlined.
	const at = (tick: number) => barsBefore(state.song, tick) * barWidth;
	context.fillStyle = paint.ink;
	context.fillRect(
		at(state.window[0]),
		height - bottom + 2,
		Math.max(3, at(state.window[1]) - at(state.window[0])),
		2.5,
	);
}
