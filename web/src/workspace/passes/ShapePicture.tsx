import { type KeyboardEvent, useCallback } from "react";
import { useShallow } from "zustand/react/shallow";
import type { Pass, Shape } from "../../api/generated/types";
import { upwards } from "../../lib/arrows";
import { plain } from "../../lib/words";
import { hitsOf } from "../../part/hits";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { readingOf } from "../../part/touch";
import { useDrag } from "../../part/useDrag";
import classes from "./Passes.module.css";

type Handle = "soft" | "typical" | "hard";
const places: Record<Handle, number> = { soft: 0.1, typical: 0.5, hard: 0.9 };
const handles: Handle[] = ["soft", "typical", "hard"];

const [width, height, inset] = [232, 58, 6];
const x = (share: number) => inset + share * (width - 2 * inset);

/** What the picture shows of a property: its ends, and the ends of what can be set. */
interface Scale {
	shown: [number, number];
	range: [number, number];
	step: number;
}

const y = (value: number, { shown: [least, most] }: Scale) =>
	inset + ((most - value) / (most - least)) * (height - 2 * inset);
const held = (value: number, { range: [least, most], step }: Scale) =>
	Math.max(least, Math.min(most, Math.round(value / step) * step));

/** Where the handles stand: those that are not set where the first drum of the pass is played. */
function useStanding({ aim }: Pass, shape: Shape): Record<Handle, number> {
	return useWorkspace(
		useShallow((state) => {
			const { instruments } = state.part.kit;
			const first = aim.instruments?.[0];
			const index = first
				? instruments.findIndex(({ id }) => id === first)
				: instruments.findIndex((_, index) => hitsOf(state, index).length > 0);
			const figures = state.performance?.reading.instruments[index]?.figures;
			const moved = shape.property === "velocity" ? null : readingOf(state, index, shape.property);
			const played =
				shape.property === "velocity"
					? figures
					: moved && { soft: moved.low, typical: moved.typical, hard: moved.high };
			const rest = shape.property === "velocity" ? 64 : 0;
			return {
				soft: shape.soft ?? played?.soft ?? rest,
				typical: shape.typical ?? played?.typical ?? rest,
				hard: shape.hard ?? played?.hard ?? rest,
			};
		}),
	);
}

function useScale({ property }: Shape, { soft, hard }: Record<Handle, number>): Scale {
	const info = useWorkspace((state) => state.words.properties.find(({ name }) => name === property));
	const velocities: [number, number] = [1, 127];
	if (!info || property === "velocity") return { shown: velocities, range: velocities, step: 1 };
	const farthest = Math.max(Math.abs(soft), Math.abs(hard));
	let reach = info.near;
	while (reach < 1.1 * farthest) reach *= 2;
	return { shown: [-reach, reach], range: info.range, step: info.step };
}

/** The line that a shape gives to the hits, from the softest to the hardest, with its three handles. */
export function ShapePicture({ pass, shape }: { pass: Pass; shape: Shape }) {
	const standing = useStanding(pass, shape);
	const { soft, typical, hard } = standing;
	const scale = useScale(shape, standing);
	const beyond = [typical - (typical - soft) * 1.25, typical + (hard - typical) * 1.25];
	const ends = beyond.map((value) => held(value, scale));
	const points = [
		[0, ends[0]],
		[0.1, soft],
		[0.5, typical],
		[0.9, hard],
		[1, ends[1]],
	].map(([share, velocity]) => `${x(share).toFixed(1)},${y(velocity, scale).toFixed(1)}`);
	return (
		<svg className={classes.shape} viewBox={`0 0 ${width} ${height}`} data-shape>
			<title>From the softest hit to the hardest</title>
			<path d={`M${x(0)},${height}L${points.join("L")}L${x(1)},${height}Z`} fill="var(--played-fill)" />
			<path d={`M${points.join("L")}`} fill="none" stroke="var(--played)" strokeWidth={1.4} />
			{handles.map((handle) => (
				<ShapeHandle
					key={handle}
					pass={pass}
					handle={handle}
					value={standing[handle]}
					isSet={shape[handle] !== null}
					scale={scale}
				/>
			))}
		</svg>
	);
}

interface HandleProps {
	pass: Pass;
	handle: Handle;
	value: number;
	/** Else it is left where it is. */
	isSet: boolean;
	scale: Scale;
}

function ShapeHandle({ pass, handle, value, isSet, scale }: HandleProps) {
	const store = useWorkspaceStore();
	const set = useCallback(
		(velocity: number) =>
			store
				.getState()
				.act(
					{ kind: "set", pass: pass.id, setting: handle, value: held(velocity, scale) },
					`shape: ${handle}`,
				),
		[store, pass.id, handle, scale],
	);
	const onPointerDown = useDrag(
		useCallback(
			() => ({
				move: (_dx: number, dy: number) => {
					const to = held(value - (dy * (scale.shown[1] - scale.shown[0])) / (height - 2 * inset), scale);
					set(to);
					return `${handle} ${plain(to)}`;
				},
				end: (moved: boolean) => moved && store.getState().commit(`shape: ${handle}`),
			}),
			[set, value, store, handle, scale],
		),
	);
	const onKeyDown = (event: KeyboardEvent) => {
		const steps = upwards(event, 10);
		if (steps === undefined) return;
		event.preventDefault();
		event.stopPropagation();
		set(value + steps * scale.step);
		store.getState().commitSoon(`shape: ${handle}`);
	};
	return (
		<circle
			className={classes.shapeHandle}
			data-set={isSet}
			cx={x(places[handle])}
			cy={y(value, scale)}
			r={5}
			role="slider"
			tabIndex={0}
			aria-label={`Shape, ${handle}`}
			aria-orientation="vertical"
			aria-valuemin={scale.range[0]}
			aria-valuemax={scale.range[1]}
			aria-valuenow={value}
			onPointerDown={onPointerDown}
			onKeyDown={onKeyDown}
		/>
	);
}
