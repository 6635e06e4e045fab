import { type PointerEvent, useState } from "react";
import type { Arc, ArcPoint } from "../../api/generated/types";
import { follow } from "../../lib/dragging";
import { signed } from "../../lib/words";
import { barCount } from "../../part/song";
import { useWorkspace, useWorkspaceStore, type WorkspaceState } from "../../part/store";
import { LinePoint } from "../rows/LinePoint";
import classes from "./SongStrip.module.css";

/** The arc that is unfolded among the passes, if one is. */
export const arcInHand = ({ recipe, unfolded }: Pick<WorkspaceState, "recipe" | "unfolded">) => {
	const pass = recipe.passes.find(({ id }) => id === unfolded);
	return pass?.action.kind === "arc" ? { pass: pass.id, on: pass.on, arc: pass.action as Arc } : null;
};

const most = 64;
/** Where the line may stand on the strip, in px from the top. */
const [top, bottom] = [10, 80];
const middle = (top + bottom) / 2;

interface Props {
	barWidth: number;
	pass: number;
	arc: Arc;
}

/** An arc over the bars of the song: its points are dragged, and one is added wherever the line is pressed. */
export function ArcLine({ barWidth, pass, arc: { points } }: Props) {
	const store = useWorkspaceStore();
	const bars = useWorkspace((state) => barCount(state.song));
	const line = useWorkspace((state) => state.performance?.passes.find((one) => one.pass === pass)?.line);
	// The scale stays as it is while a point is dragged.
	const [scale, setScale] = useState<number | null>(null);
	const reach = scale ?? (points.some(({ by }) => Math.abs(by) > 30) ? most : 32);
	/** Points stand on bar lines, or on quarters of bars where these can be told apart. */
	const cell = barWidth < 24 ? 1 : 0.25;
	const xOf = (bar: number) => (Math.min(bar, bars + 1) - 1) * barWidth;
	const yOf = (by: number) => middle - (Math.max(-reach, Math.min(reach, by)) / reach) * (middle - top);

	const show = (next: ArcPoint[]) =>
		store.getState().act({ kind: "set", pass, setting: "points", value: next }, "arc");
	/** A point put somewhere else, between its neighbours. */
	const moved = (from: ArcPoint[], place: number, bar: number, by: number) => {
		const least = place > 0 ? from[place - 1].bar + cell : 1;
		const last = place + 1 < from.length ? from[place + 1].bar - cell : bars + 1;
		const next = [...from];
		next[place] = {
			bar: Math.max(least, Math.min(Math.max(least, last), Math.round(bar / cell) * cell)),
			by: Math.max(-most, Math.min(most, Math.round(by))),
		};
		return next;
	};
	const drag = (event: PointerEvent<Element>, from: ArcPoint[], place: number) => {
		if (event.button !== 0) return;
		event.stopPropagation();
		const [x, y] = [event.clientX, event.clientY];
		const { bar, by } = from[place];
		let changed = from !== points;
		setScale(reach);
		const move = (now: globalThis.PointerEvent) => {
			const [dx, dy] = [now.clientX - x, now.clientY - y];
			if (!changed && Math.abs(dx) + Math.abs(dy) < 2) return;
			changed = true;
			const to = Math.max(-reach, Math.min(reach, by - (dy / (middle - top)) * reach));
			show(moved(from, place, bar + dx / barWidth, to));
		};
		follow(event, {
			move,
			end: () => {
				setScale(null);
				if (changed) store.getState().commit("arc");
			},
			cancel: () => {
				setScale(null);
				store.getState().cancel();
			},
		});
	};
	/** A point on the line, where it was pressed, and dragged on from there. */
	const add = (event: PointerEvent<SVGElement>) => {
		const box = event.currentTarget.closest("svg")?.getBoundingClientRect();
		if (!box || event.button !== 0) return;
		const wanted = Math.round(((event.clientX - box.left) / barWidth + 1) / cell) * cell;
		const bar = Math.max(1, Math.min(bars + 1, wanted));
		const near = points.findIndex((point) => Math.abs(point.bar - bar) < cell / 2);
		if (near >= 0) return drag(event, points, near);
		const by = Math.round(((middle - (event.clientY - box.top)) / (middle - top)) * reach);
		const place = points.filter((point) => point.bar < bar).length;
		const next = [...points.slice(0, place), { bar, by }, ...points.slice(place)];
		show(next);
		drag(event, next, place);
	};
	const remove = (place: number) => {
		show(points.filter((_, other) => other !== place));
		store.getState().commit("arc");
	};
	const step = (place: number, up: number, right: number) => {
		show(moved(points, place, points[place].bar + right * cell, points[place].by + up));
		store.getState().commitSoon("arc");
	};
	const within = line?.filter(([bar]) => bar < bars + 1) ?? [];
	const beyond = line?.find(([bar]) => bar >= bars + 1) ?? within[within.length - 1];
	const drawn = within.map(([bar, by]) => `${xOf(bar)},${yOf(by)}`);
	if (beyond) drawn.push(`${xOf(bars + 1)},${yOf(beyond[1])}`);
	return (
		<>
			<svg className={classes.arc} data-arc={reach} aria-hidden>
				<line x1={0} x2={xOf(bars + 1)} y1={middle} y2={middle} className={classes.arcZero} />
				<polyline points={drawn.join(" ")} className={classes.arcLine} />
				<polyline points={drawn.join(" ")} className={classes.arcGrip} onPointerDown={add} />
			</svg>
			{points.map(({ bar, by }, place) => (
				<LinePoint
					key={place}
					x={xOf(bar)}
					y={yOf(by)}
					label={`Arc at bar ${bar}`}
					value={by}
					range={[-most, most]}
					data-arc-point={place}
					data-beyond={bar > bars + 1}
					title="Drag it; a double click takes it out"
					onDrag={(event) => drag(event, points, place)}
					onRemove={() => remove(place)}
					onStep={(up, right) => step(place, up, right)}
					coarse={10}
				>
					<span data-under={yOf(by) < top + 14} data-right={xOf(bar) < 12}>
						{signed(by, 0, true)}
					</span>
				</LinePoint>
			))}
		</>
	);
}
