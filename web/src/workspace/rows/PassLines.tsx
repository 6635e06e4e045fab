import { type PointerEvent, useCallback } from "react";
import type { Pass } from "../../api/generated/types";
import { axis } from "../../draw/axis";
import { velocityAt, velocityY } from "../../draw/velocity";
import { follow } from "../../lib/dragging";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import classes from "./Rows.module.css";

const held = (value: number, least: number, most: number) =>
	Math.max(least, Math.min(most, Math.round(value)));

/** Over the hits of a row: the lines of the pass that was pointed at last, to be dragged. */
export function PassLines({ index, width, height }: { index: number; width: number; height: number }) {
	const pass = useWorkspace((state) => state.recipe.passes.find(({ id }) => id === state.focus));
	const instrument = useWorkspace((state) => state.part.kit.instruments[index].id);
	const meant = !pass?.aim.instruments?.length || pass.aim.instruments.includes(instrument);
	if (!pass?.on || !meant || width === 0) return null;
	if (pass.action.kind === "limits") return <LimitLines pass={pass} width={width} height={height} />;
	if (pass.action.kind === "swell") return <SwellLines pass={pass} width={width} height={height} />;
	return null;
}

interface LinesProps {
	pass: Pass;
	width: number;
	height: number;
}

/** Changes a setting while the pointer is down, and keeps it when it is let go. */
function useSetting(pass: Pass, title: string) {
	const store = useWorkspaceStore();
	return useCallback(
		(name: string, valueAt: (event: { clientY: number }, box: DOMRect) => number) =>
			(event: PointerEvent<SVGElement>) => {
				event.stopPropagation();
				const box = event.currentTarget.ownerSVGElement?.getBoundingClientRect();
				if (!box) return;
				const label = `${title}: ${name}`;
				const move = (now: { clientY: number }) => {
					const value = valueAt(now, box);
					store.getState().act({ kind: "set", pass: pass.id, setting: name, value }, label);
				};
				follow(event, {
					move,
					end: () => store.getState().commit(label),
					cancel: () => store.getState().cancel(),
				});
			},
		[store, pass.id, title],
	);
}

function LimitLines({ pass, width, height }: LinesProps) {
	const setting = useSetting(pass, "limits");
	if (pass.action.kind !== "limits") return null;
	const { floor, ceiling } = pass.action;
	const bounds = { floor: [1, ceiling], ceiling: [floor, 127] };
	return (
		<svg className={classes.lines} width={width} height={height} aria-hidden data-lines="limits">
			{(["floor", "ceiling"] as const).map((name) => {
				const y = velocityY(name === "floor" ? floor : ceiling, height);
				const drag = setting(name, (event, box) =>
					held(velocityAt(event.clientY - box.top, height), bounds[name][0], bounds[name][1]),
				);
				return (
					<g key={name} className={classes.line} data-line={name} onPointerDown={drag}>
						<rect x={0} y={y - 5} width={width} height={10} fill="transparent" />
						<line x1={0} x2={width} y1={y} y2={y} stroke="var(--ink)" strokeWidth={1.3} />
						<text
							x={width - 4}
							y={y + (name === "floor" ? 13 : -4)}
							textAnchor="end"
							fontSize={11}
							fill="var(--ink)"
						>
							{name} {name === "floor" ? floor : ceiling}
						</text>
					</g>
				);
			})}
		</svg>
	);
}

/** Of a pass that hits nothing. */
const noCurves: [number, number][][] = [];

function SwellLines({ pass, width, height }: LinesProps) {
	const window = useWorkspace((state) => state.window);
	const curves = useWorkspace(
		(state) => state.performance?.passes.find((one) => one.pass === pass.id)?.curves ?? noCurves,
	);
	const stacked = useWorkspace((state) => state.stacked);
	const setting = useSetting(pass, "swell");
	if (pass.action.kind !== "swell" || stacked) return null;
	const { from, to, of } = pass.action;
	// A change is shown about the middle of the scale, a level where it is.
	const y = (value: number) => velocityY(of === "level" ? value : 64 + value / 2, height);
	const valueAt = (event: { clientY: number }, box: DOMRect) => {
		const velocity = velocityAt(event.clientY - box.top, height);
		return of === "level" ? held(velocity, 1, 127) : held((velocity - 64) * 2, -126, 127);
	};
	const { x } = axis(window, width);
	return (
		<svg className={classes.lines} width={width} height={height} aria-hidden data-lines="swell">
			{curves.map((curve) => {
				const [start, end] = [curve[0][0], curve[curve.length - 1][0]];
				const points = curve.map(([tick, value]) => `${x(tick)},${y(value)}`).join("L");
				return (
					<g key={start}>
						<path d={`M${points}`} fill="none" stroke="var(--ink)" strokeWidth={1.5} strokeDasharray="6 3" />
						{[
							{ name: "from", place: start, value: from },
							{ name: "to", place: end, value: to },
						].map((one) => (
							<circle
								key={one.name}
								className={classes.line}
								cx={Math.max(6, Math.min(width - 6, x(one.place)))}
								cy={y(one.value)}
								r={5}
								fill="var(--sheet)"
								stroke="var(--ink)"
								strokeWidth={1.5}
								onPointerDown={setting(one.name, valueAt)}
							/>
						))}
					</g>
				);
			})}
		</svg>
	);
}
