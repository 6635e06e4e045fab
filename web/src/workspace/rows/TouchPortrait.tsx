import { type KeyboardEvent, type PointerEvent, useCallback, useState } from "react";
import { useShallow } from "zustand/react/shallow";
import type { Instrument, MovementReading, Property } from "../../api/generated/types";
import { inset, velocityAt, velocityY } from "../../draw/velocity";
import { upwards } from "../../lib/arrows";
import { follow } from "../../lib/dragging";
import { probe } from "../../lib/probe";
import { plain, signed } from "../../lib/words";
import { contrastOf, drumsWith } from "../../part/drums";
import { beforeOf, useWorkspace, useWorkspaceStore } from "../../part/store";
import { asVelocity, reachOf, readingOf } from "../../part/touch";
import { useDrag } from "../../part/useDrag";
import classes from "./Rows.module.css";

type Handle = "soft" | "typical" | "hard";
const handles: Handle[] = ["hard", "typical", "soft"];

const width = 118;
const axis = 16;
const reach_ = 54;
/** Where the bracket of the width stands. */
const bracket = 6;

/** The outline of a distribution on its side, its peaks to the right. */
function outline(counts: number[], height: number) {
	const points = counts.map((count, velocity) => {
		const x = axis + (count / 255) * reach_;
		return `${x.toFixed(1)},${velocityY(Math.max(1, velocity), height).toFixed(1)}`;
	});
	return `M${axis},${velocityY(1, height)}L${points.join("L")}L${axis},${velocityY(127, height)}`;
}

/** The least distance of two handles. */
const room = 13;

/** The heights of handles, moved apart where they would cover one another. */
function apart(heights: number[], height: number) {
	const placed = [...heights];
	for (let index = 1; index < placed.length; index++)
		placed[index] = Math.max(placed[index], placed[index - 1] + room);
	const over = placed[placed.length - 1] - (height - 8);
	if (over > 0) {
		placed[placed.length - 1] -= over;
		for (let index = placed.length - 2; index >= 0; index--) {
			placed[index] = Math.min(placed[index], placed[index + 1] - room);
		}
	}
	return placed;
}

/** How hard an instrument is struck, or how it moves in the property that is shown. */
export function TouchPortrait({ index, height }: { index: number; height: number }) {
	const property = useWorkspace((state) => state.property);
	return property === "velocity" ? (
		<VelocityPortrait index={index} height={height} />
	) : (
		<MovementPortrait index={index} height={height} property={property} />
	);
}

const none: MovementReading = {
	property: "pitch",
	low: 0,
	typical: 0,
	high: 0,
	spread: 0,
	reach: 1,
	outline: [],
};

/** How an instrument moves in a property: as it sounds by itself dashed, played filled, with three handles. */
function MovementPortrait({
	index,
	height,
	property,
}: {
	index: number;
	height: number;
	property: Property;
}) {
	const instrument = useWorkspace((state) => state.part.kit.instruments[index]);
	const info = useWorkspace((state) => state.words.properties.find(({ name }) => name === property));
	const reading = useWorkspace((state) => readingOf(state, index, property)) ?? none;
	const reach = useWorkspace((state) => reachOf(state, index));
	// The scale stays while a handle is dragged: it would run away under the pointer.
	const [held, setHeld] = useState<number | null>(null);
	if (!info) return <div className={classes.portrait} style={{ height }} />;
	const scale = held ?? reach;
	const y = (value: number) => velocityY(asVelocity(value, scale), height);
	const values = [reading.high, reading.typical, reading.low];
	const lines = values.map(y);
	const knobs = apart(lines, height);
	const together = reading.high - reading.low < scale / 60;
	const places = reading.outline.length - 1;
	const points = reading.outline.map((count, place) => {
		const value = reading.reach * ((2 * place) / places - 1);
		return `${(axis + (count / 255) * reach_).toFixed(1)},${y(value).toFixed(1)}`;
	});
	const words = [info.low_high[1], "typical", info.low_high[0]];
	const name = instrument.name.toLowerCase();
	return (
		<svg
			className={classes.portrait}
			viewBox={`0 0 ${width} ${height}`}
			height={height}
			data-portrait={property}
		>
			<title>{`The ${info.noun} of ${instrument.name}, in ${info.unit}`}</title>
			<line x1={axis} x2={axis} y1={inset} y2={height - inset} stroke="var(--strong-line)" />
			{points.length > 0 && (
				<path
					d={`M${axis},${y(-reading.reach)}L${points.join("L")}L${axis},${y(reading.reach)}`}
					fill="var(--played-fill)"
					stroke="var(--played)"
					strokeWidth={1.3}
				/>
			)}
			<line
				x1={axis}
				x2={axis + reach_}
				y1={y(0)}
				y2={y(0)}
				stroke="var(--written)"
				strokeDasharray="3 2.5"
			/>
			<text x={axis + 3} y={inset + 8} fontSize={9.5} fill="var(--quiet)">
				{`${signed(scale, 0, true)} ${info.unit}`}
			</text>
			{handles.map((handle, place) => (
				<TouchHandle
					key={handle}
					handle={handle}
					word={words[place]}
					together={together}
					instrument={instrument}
					height={height}
					value={values[place]}
					shown={signed(values[place], info.step < 1 ? 1 : 0, true)}
					perPixel={(2 * scale) / (height - 2 * inset)}
					step={info.step}
					range={info.range}
					property={property}
					label={`${info.noun} of ${name}: ${words[place]}`}
					onHold={(holds) => setHeld(holds ? scale : null)}
					y={lines[place]}
					knob={{ x: together ? 40 : width - 32, y: knobs[place] }}
				/>
			))}
		</svg>
	);
}

/** How hard an instrument is struck: written dashed, played filled, with three handles. */
function VelocityPortrait({ index, height }: { index: number; height: number }) {
	probe.rendered("touch portrait");
	const instrument = useWorkspace((state) => state.part.kit.instruments[index]);
	const written = useWorkspace((state) => beforeOf(state).instruments[index].portrait.touch);
	const played = useWorkspace((state) => state.performance?.reading.instruments[index].portrait.touch);
	// Only what is drawn here: a drag of time leaves it be.
	const all = useWorkspace(
		useShallow((state) => {
			const figures = state.performance?.reading.instruments[index].figures;
			return [
				...handles.map((handle) => figures?.[handle] ?? 0),
				figures?.velocity_mean ?? 0,
				figures?.velocity_spread ?? 0,
			];
		}),
	);
	const [mean, spread] = all.slice(3);
	const values = all.slice(0, 3);
	if (!played) return <div className={classes.portrait} style={{ height }} />;
	const lines = values.map((value) => velocityY(value, height));
	const knobs = apart(lines, height);
	// Where all is struck alike, the three fan out and say which is which.
	const together = Math.max(...values) - Math.min(...values) < 1.5;
	return (
		<svg
			className={classes.portrait}
			viewBox={`0 0 ${width} ${height}`}
			height={height}
			data-portrait="touch"
		>
			<title>{`How hard ${instrument.name} is struck`}</title>
			<line x1={axis} x2={axis} y1={inset} y2={height - inset} stroke="var(--strong-line)" />
			<Body instrument={instrument} outline={outline(played, height)} height={height} mean={mean} />
			{!together && (
				<path
					d={`M${axis - 3},${velocityY(mean, height).toFixed(1)}h${reach_}`}
					stroke="var(--played)"
					strokeDasharray="2 3"
					pointerEvents="none"
					data-mean
				/>
			)}
			<Width instrument={instrument} height={height} mean={mean} spread={spread} />
			<path
				d={outline(written, height)}
				pointerEvents="none"
				fill="none"
				stroke="var(--written)"
				strokeDasharray="3 2.5"
			/>
			{handles.map((handle, place) => (
				<TouchHandle
					key={handle}
					handle={handle}
					word={handle}
					together={together}
					instrument={instrument}
					height={height}
					value={values[place]}
					shown={`${Math.round(values[place])}`}
					perPixel={126 / (height - 2 * inset)}
					step={1}
					range={velocities}
					property="velocity"
					label={`shape ${instrument.name.toLowerCase()}: ${handle}`}
					y={lines[place]}
					knob={{ x: together ? 40 : width - 32, y: knobs[place] }}
				/>
			))}
			<VelocityBand instrument={instrument} height={height} />
		</svg>
	);
}

/** While a pass is aimed: a band dragged here aims it at velocities of this instrument. */
function VelocityBand({ instrument, height }: { instrument: Instrument; height: number }) {
	const store = useWorkspaceStore();
	const aiming = useWorkspace((state) => state.aiming);
	const aim = useWorkspace((state) => state.recipe.passes.find(({ id }) => id === state.aiming)?.aim);
	if (aiming === null) return null;
	const begin = (event: PointerEvent<SVGRectElement>) => {
		event.stopPropagation();
		const box = event.currentTarget.getBoundingClientRect();
		const at = (clientY: number) => clamped(velocityAt(clientY - box.top, height));
		const first = at(event.clientY);
		const band = (clientY: number) => {
			const other = at(clientY);
			store.getState().setAim((aim) => ({
				...aim,
				instruments: aim.instruments?.includes(instrument.id) ? aim.instruments : [instrument.id],
				velocity: { from: Math.min(first, other), to: Math.max(first, other) },
			}));
		};
		follow(event, {
			move: (now) => band(now.clientY),
			end: () => undefined,
			cancel: () => store.getState().cancel(),
		});
	};
	const meant = !aim?.instruments?.length || aim.instruments.includes(instrument.id);
	const top = velocityY(aim?.velocity?.to ?? 127, height);
	return (
		<>
			{aim?.velocity && meant && (
				<rect
					x={axis}
					y={top}
					width={width - axis}
					height={velocityY(aim.velocity.from, height) - top}
					fill="var(--time-fill)"
					stroke="var(--time)"
				/>
			)}
			<rect className={classes.band} width={width} height={height} fill="transparent" onPointerDown={begin} />
		</>
	);
}

const velocities: [number, number] = [1, 127];

interface WholeProps {
	instrument: Instrument;
	height: number;
	mean: number;
}

/** The body of the portrait: dragged, all of it is louder or softer. */
function Body({ instrument, outline, height, mean }: WholeProps & { outline: string }) {
	const store = useWorkspaceStore();
	const { id, name } = instrument;
	const label = `level of ${name.toLowerCase()}`;
	const level = useCallback(
		(by: number) =>
			store.getState().act({ kind: "level-by", instruments: drumsWith(store.getState(), id), by }, label),
		[store, id, label],
	);
	const onPointerDown = useDrag(
		useCallback(
			() => ({
				move: (_dx: number, dy: number) => {
					const by = Math.round((-dy * 126) / (height - 2 * inset));
					level(by);
					return `level ${signed(by, 0, true)}`;
				},
				end: (moved: boolean) => moved && store.getState().commit(label),
			}),
			[level, store, height, label],
		),
	);
	const onKeyDown = (event: KeyboardEvent) => {
		const steps = upwards(event, 10);
		if (steps === undefined) return;
		event.preventDefault();
		level(steps);
		store.getState().commitSoon(label);
	};
	return (
		<path
			className={classes.body}
			d={outline}
			fill="var(--played-fill)"
			stroke="var(--played)"
			strokeWidth={1.3}
			role="slider"
			tabIndex={0}
			aria-label={`${name}, level`}
			aria-orientation="vertical"
			aria-valuemin={1}
			aria-valuemax={127}
			aria-valuenow={Math.round(mean * 10) / 10}
			data-handle="level"
			onPointerDown={onPointerDown}
			onKeyDown={onKeyDown}
		/>
	);
}

/** The width of the portrait: dragged, its velocities are spread around the mean or drawn together. */
function Width({ instrument, height, mean, spread }: WholeProps & { spread: number }) {
	const store = useWorkspaceStore();
	const { id, name } = instrument;
	const label = `contrast of ${name.toLowerCase()}`;
	const contrast = useWorkspace((state) => contrastOf(state.recipe, id));
	const spreadBy = useCallback(
		(to: number) => {
			const by = Math.max(0, Math.min(300, Math.round(to))) - contrast;
			const instruments = drumsWith(store.getState(), id);
			store.getState().act({ kind: "contrast-by", instruments, by }, label);
		},
		[store, id, label, contrast],
	);
	const perStep = (height - 2 * inset) / 126;
	// Also of what is all alike the ends can be got hold of.
	const half = Math.max(spread * perStep, 8);
	const middle = velocityY(mean, height);
	const begin = (side: number) => () => ({
		move: (_dx: number, dy: number) => {
			const to = Math.max(0, Math.min(300, Math.round((contrast * (half + side * dy)) / half)));
			spreadBy(to);
			return `contrast ${to} %`;
		},
		end: (moved: boolean) => moved && store.getState().commit(label),
	});
	const upper = useDrag(useCallback(begin(-1), [spreadBy, store, label, half, contrast]));
	const lower = useDrag(useCallback(begin(1), [spreadBy, store, label, half, contrast]));
	const onKeyDown = (event: KeyboardEvent) => {
		const steps = upwards(event, 4);
		if (steps === undefined) return;
		event.preventDefault();
		spreadBy(contrast + 5 * steps);
		store.getState().commitSoon(label);
	};
	const ends = [middle - half, middle + half].map((y) => Math.max(inset, Math.min(height - inset, y)));
	return (
		<g
			className={classes.width}
			role="slider"
			tabIndex={0}
			aria-label={`${name}, contrast`}
			aria-orientation="vertical"
			aria-valuemin={0}
			aria-valuemax={300}
			aria-valuenow={contrast}
			aria-valuetext={`${contrast} %`}
			data-handle="contrast"
			onKeyDown={onKeyDown}
		>
			<path
				d={`M${bracket - 3},${ends[0] + 4}l3,-4l3,4m-3,-4V${ends[1]}m-3,-4l3,4l3,-4`}
				fill="none"
				stroke="var(--ink)"
				strokeWidth={1.2}
			/>
			<rect
				x={0}
				y={ends[0] - 5}
				width={axis - 2}
				height={Math.max(10, middle - ends[0] + 3)}
				fill="transparent"
				onPointerDown={upper}
			/>
			<rect
				x={0}
				y={middle}
				width={axis - 2}
				height={Math.max(10, ends[1] - middle + 5)}
				fill="transparent"
				onPointerDown={lower}
			/>
		</g>
	);
}

interface HandleProps {
	handle: Handle;
	/** What it is called. */
	word: string;
	/** Its value as it is written beside it. */
	shown: string;
	/** How much of the property a pixel is. */
	perPixel: number;
	/** How much an arrow key moves it. */
	step: number;
	range: [number, number];
	property: Property;
	/** What a step of the history is called. */
	label: string;
	/** It is got hold of, or let go. */
	onHold?: (holds: boolean) => void;
	instrument: Instrument;
	height: number;
	value: number;
	/** The height of its value. */
	y: number;
	/** Where it is got hold of. */
	knob: { x: number; y: number };
	together: boolean;
}

const clamped = (value: number) => Math.max(1, Math.min(127, Math.round(value)));

function TouchHandle({
	handle,
	word,
	instrument,
	value,
	shown,
	perPixel,
	step,
	range,
	property,
	label,
	onHold,
	y,
	knob,
	together,
}: HandleProps) {
	const store = useWorkspaceStore();
	/** Handles' targets, so many steps further up. */
	const shape = useCallback(
		(steps: Partial<Record<Handle, number>>) =>
			store.getState().act({ kind: "shape-by", instrument: instrument.id, property, ...steps }, label),
		[store, instrument.id, property, label],
	);
	const onPointerDown = useDrag(
		useCallback(() => {
			onHold?.(true);
			return {
				move: (_dx, dy) => {
					const steps = -dy * perPixel;
					// Pulled away from the others, the typical comes half of the way: one drag gives a spread.
					const half = together && handle !== "typical";
					shape(half ? { [handle]: steps, typical: steps / 2 } : { [handle]: steps });
					const to = Math.max(range[0], Math.min(range[1], Math.round((value + steps) / step) * step));
					return `${word} ${plain(Math.round(value / step) * step)} → ${plain(to)}`;
				},
				end: (moved) => {
					onHold?.(false);
					if (moved) store.getState().commit(label);
				},
			};
		}, [shape, perPixel, store, label, handle, together, onHold, range, step, value, word]),
	);
	const onKeyDown = (event: KeyboardEvent) => {
		const steps = upwards(event, 10);
		if (steps === undefined) return;
		event.preventDefault();
		shape({ [handle]: steps * step });
		store.getState().commitSoon(label);
	};
	return (
		<g
			className={classes.handle}
			role="slider"
			tabIndex={0}
			aria-label={`${instrument.name}, ${word}`}
			aria-orientation="vertical"
			aria-valuemin={range[0]}
			aria-valuemax={range[1]}
			aria-valuenow={Math.round(value * 10) / 10}
			data-handle={handle}
			onPointerDown={onPointerDown}
			onKeyDown={onKeyDown}
		>
			<rect x={knob.x - 12} y={knob.y - 6.5} width={width - knob.x + 12} height={13} fill="transparent" />
			<path
				d={`M${axis},${y}H${knob.x - 14}L${knob.x - 3},${knob.y}`}
				fill="none"
				stroke="var(--ink)"
				strokeWidth={handle === "typical" ? 1.4 : 0.9}
			/>
			<circle cx={knob.x} cy={knob.y} r={3.6} fill="var(--sheet)" stroke="var(--ink)" strokeWidth={1.4} />
			<text
				x={knob.x + 8}
				y={knob.y + 4}
				fontSize={11}
				fontWeight={handle === "typical" ? 700 : 450}
				fill="var(--ink)"
				// Read also where the outline lies behind it.
				stroke="var(--paper)"
				strokeWidth={3}
				paintOrder="stroke"
			>
				{shown}
				{together && ` ${word}`}
			</text>
		</g>
	);
}
