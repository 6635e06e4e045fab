import { useMemo } from "react";
import { flagsOf, struckBy } from "../../draw/strokes";
import { plural } from "../../lib/words";
import { hitsOf, selectStruckBy } from "../../part/hits";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import classes from "./Rows.module.css";

/** The strokes of an opened row: their marks, how many hits each has, and a switch that lays them apart. */
export function StrokeList({ index }: { index: number }) {
	const store = useWorkspaceStore();
	const { articulations, family } = useWorkspace((state) => state.part.kit.instruments[index]);
	const apart = useWorkspace((state) => state.apart);
	const part = useWorkspace((state) => state.part);
	const performance = useWorkspace((state) => state.performance);
	const struck = useMemo(() => {
		const strokes = performance?.strokes ?? part.written.strokes;
		const counts = new Map<number, number>();
		for (const stroke of struckBy({ part, performance }, index)) counts.set(stroke, 0);
		for (const hit of hitsOf({ part, performance }, index)) {
			const stroke = strokes[hit] ?? -1;
			if (stroke >= 0) counts.set(stroke, (counts.get(stroke) ?? 0) + 1);
		}
		return [...counts].sort(([a], [b]) => a - b);
	}, [part, performance, index]);
	if (articulations.length < 2 || family === "tonal") return null;
	return (
		<div className={classes.strokes} data-strokes>
			<ul aria-label="Strokes">
				{struck.map(([stroke, count]) => (
					<li key={stroke}>
						<button
							type="button"
							title="Select these hits in the loop; once more, in the song"
							onClick={() => selectStruckBy(store.getState(), index, stroke)}
						>
							<Mark stroke={stroke} />
							<span>{articulations[stroke]?.name}</span>
							<small>{count}</small>
						</button>
					</li>
				))}
			</ul>
			<button
				type="button"
				className={classes.toggle}
				aria-pressed={apart}
				title={`A lane for each stroke: ${plural(articulations.length, "stroke")}. Hits are dragged from lane to lane.`}
				onClick={() => store.getState().setView({ apart: !apart })}
			>
				strokes apart
			</button>
		</div>
	);
}

function Mark({ stroke }: { stroke: number }) {
	const lines = flagsOf(stroke).map(([from, to]) => `M${from}L${to}`);
	return (
		<svg width={14} height={14} viewBox="-7 -7 14 14" aria-hidden="true">
			<circle r={3.3} fill="currentColor" />
			<path d={lines.join("")} stroke="currentColor" strokeWidth={1.6} />
		</svg>
	);
}
