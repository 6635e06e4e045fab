import { Menu, useComputedColorScheme } from "@mantine/core";
import { useElementSize, useMergedRef } from "@mantine/hooks";
import { IconChevronDown, IconX } from "@tabler/icons-react";
import { type KeyboardEvent, type PointerEvent, useEffect, useMemo, useRef } from "react";
import type { Action, LaneOffer, LanePoint, LaneWay } from "../../api/generated/types";
import { axis } from "../../draw/axis";
import { fitCanvas } from "../../draw/canvas";
import { drawLane, heldAt, laneValue, laneY } from "../../draw/lane";
import { follow } from "../../lib/dragging";
import { probe } from "../../lib/probe";
import { colours } from "../../lib/theme";
import { useDensity } from "../../lib/useDensity";
import { plural } from "../../lib/words";
import {
	barPlace,
	laneHeight,
	linePass,
	noPoints,
	playedLane,
	tickOfPlace,
	writtenLane,
} from "../../part/lanes";
import { placer, shownWindow } from "../../part/shown";
import { barCount } from "../../part/song";
import { useWorkspace, useWorkspaceStore, type WorkspaceState } from "../../part/store";
import { LinePoint } from "../rows/LinePoint";
import rowClasses from "../rows/Rows.module.css";
import { useTimeGestures } from "../rows/useTimeGestures";
import classes from "./Lanes.module.css";

/** A line around the hits, in a slim row of its own. */
export function LaneRow({ lane }: { lane: LaneOffer }) {
	const { kind, name } = lane;
	const store = useWorkspaceStore();
	const count = useWorkspace(
		(state) => (playedLane(state, kind) ?? writtenLane(state, kind))?.ticks.length ?? 0,
	);
	const goesWith = useWorkspace((state) => playedLane(state, kind)?.goes_with);
	const extra = useWorkspace((state) => state.extraLanes.includes(kind));
	return (
		<article
			className={`${rowClasses.row} ${classes.row}`}
			style={{ height: laneHeight }}
			aria-label={name}
			data-lane={kind}
		>
			<div className={rowClasses.label}>
				<span className={classes.name} title={name}>
					{name}
				</span>
				<div className={rowClasses.facts}>{count > 0 ? plural(count, "value") : "nothing yet"}</div>
			</div>
			<LaneScale lane={lane} />
			<LaneArea lane={lane} />
			<div className={classes.side}>
				<LanePasses lane={lane} />
				{goesWith && count > 0 && <span>{goesWith === "hits" ? "goes with the hits" : "stays in time"}</span>}
				{extra && count === 0 && (
					<button
						type="button"
						className={classes.hide}
						aria-label={`Hide ${name}`}
						onClick={() => {
							const { extraLanes, setView } = store.getState();
							setView({ extraLanes: extraLanes.filter((one) => one !== kind) });
						}}
					>
						<IconX size={13} />
					</button>
				)}
			</div>
		</article>
	);
}

/** The ends of its scale, and where it is now at most and at least. */
function LaneScale({ lane: { kind, range } }: { lane: LaneOffer }) {
	const cents = useWorkspace((state) => state.part.written.bend_range);
	const unit = (value: number) => (kind === "bend" ? `${Math.round((value / 8192) * cents)} cents` : value);
	return (
		<div className={classes.scale} aria-hidden>
			<span>{unit(range[1])}</span>
			<span>{unit(range[0])}</span>
		</div>
	);
}

/** What can be done to a lane: passes that begin in the loop. */
const offered: [Action["kind"], string, boolean][] = [
	["lane-ramp", "Ramp over the loop", true],
	["lane-scale", "Scale", false],
	["lane-offset", "Offset", false],
	["lane-smooth", "Smooth", false],
	["lane-thin", "Thin", false],
	["lane-follow", "Follow the hits", false],
	["lane-anchor", "Go with hits, or stay", false],
];

function LanePasses({ lane: { kind, name, range } }: { lane: LaneOffer }) {
	const store = useWorkspaceStore();
	const add = (of: Action["kind"], inLoop: boolean) => {
		const { words, act, commit, loop, open, recipe } = store.getState();
		const start = words.actions.find((one) => one.start.kind === of)?.start;
		if (!start) return;
		const [from, to] = loop;
		const bars = inLoop ? { bars: [{ from, to }] } : {};
		// A line that follows hits follows those of the opened row.
		const instruments = of === "lane-follow" && open ? { instruments: [open] } : {};
		const held = Object.fromEntries(
			Object.entries(start)
				.filter(([setting]) => setting === "from" || setting === "to" || setting === "about")
				.filter(([, value]) => typeof value === "number")
				.map(([setting, value]) => [setting, Math.max(range[0], Math.min(range[1], Number(value)))]),
		);
		const action = { ...start, ...held, lane: kind } as Action;
		act({
			kind: "add-passes",
			passes: [{ id: 1, on: true, aim: { ...bars, ...instruments }, action }],
			instead: false,
		});
		commit(`${name}: ${of.replace("lane-", "")}`);
		const added = store
			.getState()
			.recipe.passes.find(({ id }) => !recipe.passes.some((one) => one.id === id));
		if (added) store.getState().unfold(added.id);
	};
	return (
		<Menu position="bottom-end" width={210}>
			<Menu.Target>
				<button type="button" className={rowClasses.rowsMenu} aria-label={`shape ${name}`}>
					shape <IconChevronDown size={12} />
				</button>
			</Menu.Target>
			<Menu.Dropdown>
				{offered.map(([of, words, inLoop]) => (
					<Menu.Item key={of} onClick={() => add(of, inLoop)}>
						{words}
					</Menu.Item>
				))}
			</Menu.Dropdown>
		</Menu>
	);
}

const drawnFrom = (state: WorkspaceState, kind: string) => [
	playedLane(state, kind),
	writtenLane(state, kind),
	state.window,
	state.stacked,
	state.song,
	state.loop,
];

/** Points have handles that lie at least so far apart, in pixels. */
const closest = 5;

/** The line itself: pressed it gets a point, which is dragged. */
function LaneArea({ lane: { kind, name, range } }: { lane: LaneOffer }) {
	const store = useWorkspaceStore();
	const scheme = useComputedColorScheme("light");
	const density = useDensity();
	const canvas = useRef<HTMLCanvasElement>(null);
	const { ref: size, width } = useElementSize();
	const gestures = useTimeGestures(false);
	const merged = useMergedRef(size, gestures.ref);
	const found = useWorkspace((state) => linePass(state, kind)?.points);
	const points = found ?? noPoints;
	const window = useWorkspace((state) => state.window);
	const stacked = useWorkspace((state) => state.stacked);
	const song = useWorkspace((state) => state.song);
	const time = useMemo(
		() => axis(shownWindow({ song, window, stacked }), width),
		[song, window, stacked, width],
	);

	useEffect(() => {
		const element = canvas.current;
		if (!element || density <= 0) return;
		let frame = 0;
		const draw = () => {
			frame = 0;
			const began = performance.now();
			drawRow(element, store.getState(), kind, range, colours(scheme));
			probe.drawn(performance.now() - began);
		};
		const wanted = () => {
			if (frame === 0) frame = requestAnimationFrame(draw);
		};
		let last = drawnFrom(store.getState(), kind);
		const unsubscribe = store.subscribe((state) => {
			const now = drawnFrom(state, kind);
			if (now.some((one, place) => one !== last[place])) wanted();
			last = now;
		});
		const observer = new ResizeObserver(wanted);
		observer.observe(element);
		wanted();
		return () => {
			unsubscribe();
			observer.disconnect();
			cancelAnimationFrame(frame);
		};
	}, [store, scheme, density, kind, range]);

	// Where points lie closer together than can be told apart, the first of them stands for all.
	const apart = useMemo(() => {
		let last = Number.NEGATIVE_INFINITY;
		return points.map(({ bar }) => {
			const x = time.x(tickOfPlace(song, bar));
			if (x < -6 || x > width + 6 || x - last < closest) return null;
			last = x;
			return x;
		});
	}, [points, time, song, width]);
	const cell = useWorkspace((state) => state.part.cell);
	/** On the grid lines of the part, but not finer than they can be told apart. */
	const snapped = (tick: number, free: boolean) => {
		if (free) return Math.round(tick);
		const bar = Math.max(
			0,
			song.bars.ticks.findLastIndex((one) => one <= tick),
		);
		const start = song.bars.ticks[bar];
		return start + Math.round((tick - start) / cell) * cell;
	};
	/** A gesture takes the place of itself: what began with a new pass goes on with one. */
	const show = (next: LanePoint[], pass = passNow()) => {
		const state = store.getState();
		const label = `draw ${name}`;
		if (pass !== null) return state.act({ kind: "set", pass, setting: "points", value: next }, label);
		const action = { kind: "lane-line", lane: kind, points: next } as Action;
		const passes = [{ id: 1, on: true, aim: {}, action }];
		state.act({ kind: "add-passes", passes, instead: false }, label);
	};
	const passNow = () => linePass(store.getState(), kind)?.id ?? null;
	const commit = () => store.getState().commit(`draw ${name}`);
	const held = (from: LanePoint[], place: number, tick: number, value: number) => {
		const least = place > 0 ? tickOfPlace(song, from[place - 1].bar) : song.bars.ticks[0];
		const most =
			place + 1 < from.length
				? tickOfPlace(song, from[place + 1].bar)
				: song.bars.ticks[song.bars.ticks.length - 1];
		const next = [...from];
		const bar = barPlace(song, Math.max(least, Math.min(most, tick)));
		next[place] = { ...next[place], bar, value: Math.max(range[0], Math.min(range[1], value)) };
		return next;
	};
	const drag = (event: PointerEvent<Element>, from: LanePoint[], place: number, pass = passNow()) => {
		if (event.button !== 0) return;
		event.stopPropagation();
		if (event.altKey && from === points) return turn(place);
		const [x, y] = [event.clientX, event.clientY];
		const tick = tickOfPlace(song, from[place].bar);
		const { value } = from[place];
		let changed = from !== points;
		const move = (now: globalThis.PointerEvent) => {
			const [dx, dy] = [now.clientX - x, now.clientY - y];
			if (!changed && Math.abs(dx) + Math.abs(dy) < 2) return;
			changed = true;
			const to = laneValue(laneY(value, range, laneHeight) + dy, range, laneHeight);
			const free = now.altKey;
			const at = Math.abs(dx) < 3 ? tick : snapped(tick + dx / time.scale, free);
			show(held(from, place, at, to), pass);
		};
		follow(event, { move, end: () => changed && commit(), cancel: () => store.getState().cancel() });
	};
	const add = (event: PointerEvent<HTMLElement>) => {
		if (event.button !== 0 || stacked) return;
		const box = event.currentTarget.getBoundingClientRect();
		const tick = snapped(time.tick(event.clientX - box.left), event.altKey);
		const value = laneValue(event.clientY - box.top, range, box.height);
		insert(event, tick, value);
	};
	const insert = (event: PointerEvent<HTMLElement> | null, tick: number, value: number) => {
		const bar = barPlace(song, Math.max(0, tick));
		const place = points.filter((point) => point.bar < bar).length;
		const near = points.findIndex((point) => Math.abs(point.bar - bar) < 1e-6);
		if (near >= 0 && event) return drag(event, points, near);
		const next = [
			...points.slice(0, place),
			{ bar, value, way: "straight" as const },
			...points.slice(place),
		];
		const pass = passNow();
		show(next, pass);
		if (event) drag(event, next, place, pass);
		else commit();
	};
	const remove = (place: number) => {
		show(points.filter((_, other) => other !== place));
		commit();
	};
	/** Another way to the next point. */
	const turn = (place: number) => {
		const ways: LaneWay[] = ["straight", "curved", "stepped"];
		const way = ways[(ways.indexOf(points[place].way) + 1) % ways.length];
		show(points.map((point, other) => (other === place ? { ...point, way } : point)));
		commit();
	};
	const step = (place: number, up: number, right: number) => {
		const { bar, value } = points[place];
		show(held(points, place, tickOfPlace(song, bar) + right * cell, Math.round(value + up)));
		store.getState().commitSoon(`draw ${name}`);
	};
	const begins = (event: KeyboardEvent<HTMLElement>) => {
		if (event.key !== "Enter" || event.target !== event.currentTarget) return;
		event.preventDefault();
		const state = store.getState();
		const tick = song.bars.ticks[state.loop[0] - 1];
		const lane = playedLane(state, kind);
		insert(null, tick, lane ? heldAt(lane, tick) : Math.round((range[0] + range[1]) / 2));
	};
	return (
		// biome-ignore lint/a11y/useSemanticElements: a picture that is drawn in, with sliders on it.
		<div
			ref={merged}
			className={classes.area}
			role="group"
			// biome-ignore lint/a11y/noNoninteractiveTabindex: Enter puts a point in.
			tabIndex={0}
			aria-label={`${name}: press to add a point; Enter adds one where the loop begins`}
			title={stacked ? undefined : "Press to add a point; Alt for between the lines of the grid"}
			data-lane-area
			data-axis
			onPointerDown={add}
			onKeyDown={begins}
		>
			<canvas ref={canvas} />
			{!stacked &&
				width > 0 &&
				points.map(({ bar, value, way }, place) => {
					const x = apart[place];
					if (x === null) return null;
					return (
						<LinePoint
							key={place}
							x={x}
							y={laneY(value, range, laneHeight)}
							label={`${name} at bar ${Math.round(bar * 1000) / 1000}, ${way} from here`}
							value={value}
							range={range}
							way={way}
							data-lane-point={place}
							title={`${value}, ${way} from here. Drag it; Alt and a press changes the way to the next; a double click takes it out`}
							onDrag={(event) => drag(event, points, place)}
							onRemove={() => remove(place)}
							onStep={(up, right) => step(place, up, right)}
							coarse={(range[1] - range[0]) / 12}
							onEnter={() => turn(place)}
						/>
					);
				})}
		</div>
	);
}

function drawRow(
	element: HTMLCanvasElement,
	state: WorkspaceState,
	kind: string,
	range: [number, number],
	paint: ReturnType<typeof colours>,
) {
	const { song, stacked } = state;
	const window = shownWindow(state);
	const { context, width, height } = fitCanvas(element);
	const { x } = axis(window, width);
	context.clearRect(0, 0, width, height);
	context.strokeStyle = paint.line;
	context.lineWidth = 1;
	for (const tick of song.bars.ticks) {
		const at = Math.round(x(tick)) + 0.5;
		if (at < 0 || at > width) continue;
		context.beginPath();
		context.moveTo(at, 0);
		context.lineTo(at, height);
		context.stroke();
	}
	if (range[0] < 0) {
		context.setLineDash([2, 4]);
		context.beginPath();
		context.moveTo(0, laneY(0, range, height));
		context.lineTo(width, laneY(0, range, height));
		context.stroke();
	}
	const [written, played] = [writtenLane(state, kind), playedLane(state, kind)];
	const place = placer(state);
	// Stacked, bar over bar; else what is in view.
	const stretches: [number, number, number][] = stacked
		? Array.from({ length: barCount(song) }, (_, bar) => {
				const [from, to] = [song.bars.ticks[bar], song.bars.ticks[bar + 1]];
				return [from, to, place(from) - from] as [number, number, number];
			}).filter(([, , shift]) => Number.isFinite(shift))
		: [[window[0], window[1], 0]];
	context.globalAlpha = stacked ? Math.max(0.15, 1 / Math.sqrt(stretches.length)) : 1;
	for (const stretch of stretches) {
		if (written) {
			context.strokeStyle = paint.written;
			context.lineWidth = 1;
			context.setLineDash([3, 2.5]);
			drawLane(context, width, height, written, range, window, stretch);
		}
		if (played && (played.drawn || played.goes_with === "hits")) {
			context.strokeStyle = paint.played;
			context.lineWidth = 1.5;
			context.setLineDash([]);
			drawLane(context, width, height, played, range, window, stretch);
		}
	}
	context.setLineDash([]);
	context.globalAlpha = 1;
}
