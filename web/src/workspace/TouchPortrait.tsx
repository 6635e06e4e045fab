import { type KeyboardEvent, type PointerEvent, useCallback } from "react";
import { useShallow } from "zustand/react/shallow";
import type { Instrument } from "../api/generated/types";
import { inset, velocityAt, velocityY } from "../draw/hits";
import classes from "./Rows.module.css";
import { beforeOf, useWorkspace, useWorkspaceStore } from "./store";
import { follow, useDrag } from "./useDrag";

type Handle = "soft" | "typical" | "hard";
const handles: Handle[] = ["hard", "typical", "soft"];

const width = 118;
const axis = 8;
const reach = 60;

/** The outline of a distribution on its side, its peaks to the right. */
function outline(counts: number[], height: number) {
	const points = counts.map((count, velocity) => {
		const x = axis + (count / 255) * reach;
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

/** How hard an instrument is struck: written dashed, played filled, with three handles. */
export function TouchPortrait({ index, height }: { index: number; height: number }) {
	const instrument = useWorkspace((state) => state.part.kit.instruments[index]);
	const written = useWorkspace((state) => beforeOf(state).instruments[index].portrait.touch);
	const played = useWorkspace((state) => state.performance?.reading.instruments[index].portrait.touch);
	// Only what is drawn here: a drag of time leaves it be.
	const values = useWorkspace(
		useShallow((state) => {
			const figures = state.performance?.reading.instruments[index].figures;
			return handles.map((handle) => figures?.[handle] ?? 0);
		}),
	);
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
			<path d={outline(played, height)} fill="var(--played-fill)" stroke="var(--played)" strokeWidth={1.3} />
			<path d={outline(written, height)} fill="none" stroke="var(--written)" strokeDasharray="3 2.5" />
			{handles.map((handle, place) => (
				<TouchHandle
					key={handle}
					handle={handle}
					together={together}
					instrument={instrument}
					height={height}
					value={values[place]}
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
		follow(
			event.currentTarget,
			event.pointerId,
			(now) => band(now.clientY),
			() => undefined,
		);
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

interface HandleProps {
	handle: Handle;
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

function TouchHandle({ handle, instrument, height, value, y, knob, together }: HandleProps) {
	const store = useWorkspaceStore();
	const name = instrument.name.toLowerCase();
	/** Handles' targets, so many steps further up. */
	const shape = useCallback(
		(steps: Partial<Record<Handle, number>>) =>
			store.getState().act({ kind: "shape-by", instrument: instrument.id, ...steps }),
		[store, instrument.id],
	);
	const onPointerDown = useDrag(
		useCallback(() => {
			const perPixel = 126 / (height - 2 * inset);
			return {
				move: (_dx, dy) => {
					const steps = -dy * perPixel;
					// Pulled away from the others, the typical comes half of the way: one drag gives a spread.
					const half = together && handle !== "typical";
					shape(half ? { [handle]: steps, typical: steps / 2 } : { [handle]: steps });
				},
				end: (moved) => moved && store.getState().commit(`shape ${name}: ${handle}`),
			};
		}, [shape, height, store, name, handle, together]),
	);
	const onKeyDown = (event: KeyboardEvent) => {
		const steps = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
		if (steps === undefined) return;
		event.preventDefault();
		shape({ [handle]: steps });
		store.getState().commitSoon(`shape ${name}: ${handle}`);
	};
	return (
		<g
			className={classes.handle}
			role="slider"
			tabIndex={0}
			aria-label={`${instrument.name}, ${handle}`}
			aria-orientation="vertical"
			aria-valuemin={1}
			aria-valuemax={127}
			aria-valuenow={Math.round(value)}
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
				{Math.round(value)}
				{together && ` ${handle}`}
			</text>
		</g>
	);
}
