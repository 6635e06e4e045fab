import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";
import { client } from "../../api/client";
import type { ExtractedGroove } from "../../api/generated/types";
import { axis } from "../../draw/axis";
import { velocityAt, velocityY } from "../../draw/velocity";
import { rightwards, upwards } from "../../lib/arrows";
import { follow } from "../../lib/dragging";
import { signed } from "../../lib/words";
import { shownWindow } from "../../part/shown";
import { barAt } from "../../part/song";
import { useWorkspace, useWorkspaceStore, type Workspace } from "../../part/store";
import classes from "./Rows.module.css";

/** What an instrument does in each slot of the bar, as it is played now. */
function useTaken(index: number): ExtractedGroove | null {
	const store = useWorkspaceStore();
	const looks = useWorkspace((state) => state.performance?.looks[index]);
	const grid = useWorkspace((state) => state.part.grid);
	// The passes come after what is heard of them where more of a drag is on its way.
	const recipe = useWorkspace((state) => state.recipe);
	const [taken, setTaken] = useState<ExtractedGroove | null>(null);
	const busy = useRef(false);
	const wanted = useRef(false);
	useEffect(() => {
		const ask = async () => {
			if (busy.current || looks === undefined) return;
			busy.current = true;
			wanted.current = false;
			const state = store.getState();
			const { part, variation, pocketDrafts: pockets } = state;
			const take = { length: 1, grid, instruments: [part.kit.instruments[index].id] };
			const request = { take, recipe: state.recipe, variation, pockets };
			// An instrument that does not sound has no groove.
			const now = await client.takeGroove(part.state.id, request).catch(() => null);
			setTaken(now);
			busy.current = false;
			if (wanted.current) void ask();
		};
		wanted.current = true;
		void ask();
	}, [store, index, looks, grid, recipe]);
	return taken;
}

/** Means of the velocities in each slot, by its number from 1. */
function velocitiesOf({ hits }: ExtractedGroove) {
	const sums = new Map<number, [number, number]>();
	hits.slots.forEach((slot, index) => {
		const [sum, count] = sums.get(slot) ?? [0, 0];
		sums.set(slot, [sum + hits.velocities[index], count + 1]);
	});
	return new Map([...sums].map(([slot, [sum, count]]) => [slot, sum / count]));
}

/** Moves a slot by so many cells and makes it so much louder. */
function drawSlot(store: Workspace, index: number, slot: number, cells: number, louder: number) {
	const { act, part } = store.getState();
	act({ kind: "draw-slot", instrument: part.kit.instruments[index].id, slot, cells, louder });
}

/**
 * Over the stacked hits of the opened row: where the hits of each slot lie on average and how far about
 * it, and the line through them. Its points are dragged: sideways in time, up and down in loudness.
 */
export function GrooveLine({ index, width, height }: { index: number; width: number; height: number }) {
	const song = useWorkspace((state) => state.song);
	const window = useWorkspace((state) => state.window);
	const cell = useWorkspace((state) => state.part.cell);
	const times = useWorkspace((state) => state.times);
	const taken = useTaken(index);
	if (!taken || width === 0) return null;
	const shown = shownWindow({ song, window, stacked: true });
	const { x, scale } = axis(shown, width);
	const start = song.bars.ticks[barAt(song, window[0]) - 1];
	const { reading } = taken;
	const [voice] = reading.voices;
	const velocities = velocitiesOf(taken);
	const perMs = (cell / reading.cell) * scale * times;
	const points = [...velocities]
		.sort(([a], [b]) => a - b)
		.map(([slot, velocity]) => ({
			slot,
			velocity,
			offset: voice.offsets[slot - 1],
			spread: voice.spreads[slot - 1],
			x: x(start + (slot - 1) * cell) + voice.offsets[slot - 1] * perMs,
			y: velocityY(velocity, height),
		}));
	const roomy = cell * scale > 76;
	const levels = levelsOf(
		points.map(({ x }) => x),
		roomy ? 70 : 40,
	);
	return (
		<svg className={classes.lines} width={width} height={height} data-groove-line>
			<title>Where each slot lies</title>
			{points.map(({ slot, x, spread }) => (
				<rect
					key={slot}
					x={x - spread * perMs}
					width={Math.max(1.5, 2 * spread * perMs)}
					y={0}
					height={height}
					fill="var(--time-fill)"
				/>
			))}
			<path
				d={`M${points.map(({ x, y }) => `${x},${y}`).join("L")}`}
				fill="none"
				stroke="var(--time)"
				strokeWidth={1.3}
			/>
			{points.map((point, place) => (
				<g key={point.slot}>
					<Handle
						{...{ index, height, perMs }}
						slot={point.slot}
						name={reading.names[point.slot - 1]}
						at={point}
						perCell={reading.cell}
					/>
					{levels[place] !== null && (
						<SlotWords {...point} roomy={roomy} top={13 + levels[place] * (roomy ? 13 : 27)} />
					)}
				</g>
			))}
		</svg>
	);
}

/**
 * The level that each slot's numbers stand on, so that they hide no others: the first with room for them.
 * Nothing where neither has it; the handle still tells them.
 */
function levelsOf(places: number[], room: number) {
	const last = [Number.NEGATIVE_INFINITY, Number.NEGATIVE_INFINITY];
	return places.map((x) => {
		const level = last.findIndex((before) => x - before >= room);
		if (level < 0) return null;
		last[level] = x;
		return level;
	});
}

interface SlotWordsProps {
	slot: number;
	x: number;
	offset: number;
	spread: number;
	roomy: boolean;
	top: number;
}

/** Mean and deviation of a slot, beside or over one another. */
function SlotWords({ slot, x, offset, spread, roomy, top }: SlotWordsProps) {
	const deviation = `± ${spread.toFixed(1)}`;
	return (
		<text x={x} y={top} textAnchor="middle" className={classes.slotWords} data-slot-words={slot}>
			{signed(offset, 1, true)}
			{roomy ? (
				` ${deviation}`
			) : (
				<tspan x={x} dy={12}>
					{deviation}
				</tspan>
			)}
		</text>
	);
}

interface HandleProps {
	index: number;
	slot: number;
	name: string;
	at: { x: number; y: number; offset: number; spread: number; velocity: number };
	height: number;
	perMs: number;
	/** ms */
	perCell: number;
}

function Handle({ index, slot, name, at, height, perMs, perCell }: HandleProps) {
	const store = useWorkspaceStore();
	const label = `draw the groove of ${store.getState().part.kit.instruments[index].name.toLowerCase()}`;
	const drag = (event: PointerEvent<SVGElement>) => {
		if (event.button !== 0) return;
		event.stopPropagation();
		const draw = (cells: number, louder: number) => drawSlot(store, index, slot, cells, louder);
		const { clientX, clientY } = event;
		let sideways: boolean | null = null;
		const move = (now: { clientX: number; clientY: number }) => {
			const [dx, dy] = [now.clientX - clientX, now.clientY - clientY];
			if (sideways === null && Math.hypot(dx, dy) < 3) return;
			// One way at a time: what moves in time keeps its loudness.
			sideways ??= Math.abs(dx) >= Math.abs(dy);
			if (sideways) draw(dx / perMs / perCell, 1);
			else draw(0, Math.max(1, velocityAt(at.y + dy, height)) / at.velocity);
		};
		follow(event, {
			move,
			end: () => sideways !== null && store.getState().commit(label),
			cancel: () => store.getState().cancel(),
		});
	};
	const onKeyDown = (event: KeyboardEvent) => {
		const later = rightwards(event, 10);
		const louder = upwards(event);
		if (later === undefined && louder === undefined) return;
		event.preventDefault();
		event.stopPropagation();
		drawSlot(store, index, slot, (0.5 * (later ?? 0)) / perCell, (at.velocity + (louder ?? 0)) / at.velocity);
		store.getState().commitSoon(label);
	};
	const words = `${signed(at.offset, 1, true)} ms, ± ${at.spread.toFixed(1)}, velocity ${Math.round(at.velocity)}`;
	return (
		<g
			className={classes.slot}
			role="slider"
			tabIndex={0}
			aria-label={`Slot ${name}`}
			aria-valuenow={Math.round(at.offset * 10) / 10}
			aria-valuetext={words}
			data-slot-handle={slot}
			onPointerDown={drag}
			onKeyDown={onKeyDown}
		>
			<title>{`${name}: ${words}. Drag sideways to move it, up and down to accent it.`}</title>
			<circle cx={at.x} cy={at.y} r={10} fill="transparent" />
			<circle cx={at.x} cy={at.y} r={5} fill="var(--sheet)" stroke="var(--time)" strokeWidth={2} />
		</g>
	);
}
