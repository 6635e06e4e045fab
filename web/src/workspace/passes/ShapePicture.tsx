import { type KeyboardEvent, useCallback } from "react";
import type { Pass, Shape } from "../../api/generated/types";
import { useWorkspaceStore } from "../store";
import { useDrag } from "../useDrag";
import classes from "./Passes.module.css";

type Handle = "soft" | "typical" | "hard";
const places: Record<Handle, number> = { soft: 0.1, typical: 0.5, hard: 0.9 };
const handles: Handle[] = ["soft", "typical", "hard"];

const [width, height, inset] = [232, 58, 6];
const x = (share: number) => inset + share * (width - 2 * inset);
const y = (velocity: number) => inset + ((127 - velocity) / 126) * (height - 2 * inset);
const held = (velocity: number) => Math.max(1, Math.min(127, Math.round(velocity)));

/** The line that a shape gives to the hits, from the softest to the hardest, with its three handles. */
export function ShapePicture({ pass, shape }: { pass: Pass; shape: Shape }) {
	const { soft, typical, hard } = shape;
	const ends = [typical - (typical - soft) * 1.25, typical + (hard - typical) * 1.25].map(held);
	const points = [
		[0, ends[0]],
		[0.1, soft],
		[0.5, typical],
		[0.9, hard],
		[1, ends[1]],
	].map(([share, velocity]) => `${x(share).toFixed(1)},${y(velocity).toFixed(1)}`);
	return (
		<svg className={classes.shape} viewBox={`0 0 ${width} ${height}`} data-shape>
			<title>From the softest hit to the hardest</title>
			<path d={`M${x(0)},${height}L${points.join("L")}L${x(1)},${height}Z`} fill="var(--played-fill)" />
			<path d={`M${points.join("L")}`} fill="none" stroke="var(--played)" strokeWidth={1.4} />
			{handles.map((handle) => (
				<ShapeHandle key={handle} pass={pass} handle={handle} value={shape[handle]} />
			))}
		</svg>
	);
}

function ShapeHandle({ pass, handle, value }: { pass: Pass; handle: Handle; value: number }) {
	const store = useWorkspaceStore();
	const set = useCallback(
		(velocity: number) =>
			store.getState().act({ kind: "set", pass: pass.id, setting: handle, value: held(velocity) }),
		[store, pass.id, handle],
	);
	const onPointerDown = useDrag(
		useCallback(
			() => ({
				move: (_dx: number, dy: number) => set(value - (dy * 126) / (height - 2 * inset)),
				end: (moved: boolean) => moved && store.getState().commit(`shape: ${handle}`),
			}),
			[set, value, store, handle],
		),
	);
	const onKeyDown = (event: KeyboardEvent) => {
		const steps = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
		if (steps === undefined) return;
		event.preventDefault();
		event.stopPropagation();
		set(value + steps);
		store.getState().commitSoon(`shape: ${handle}`);
	};
	return (
		<circle
			className={classes.shapeHandle}
			cx={x(places[handle])}
			cy={y(value)}
			r={5}
			role="slider"
			tabIndex={0}
			aria-label={`Shape, ${handle}`}
			aria-orientation="vertical"
			aria-valuemin={1}
			aria-valuemax={127}
			aria-valuenow={value}
			onPointerDown={onPointerDown}
			onKeyDown={onKeyDown}
		/>
	);
}
