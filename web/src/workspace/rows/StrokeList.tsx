import { useShallow } from "zustand/react/shallow";
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
	const struck = useWorkspace(useShallow((state) => [...struckBy(state, index)].sort((a, b) => a - b)));
	const counts = useWorkspace(
		useShallow((state) => {
			const strokes = state.performance?.strokes ?? state.part.written.strokes;
			return struck.map((stroke) => hitsOf(state, index).filter((hit) => strokes[hit] === stroke).length);
		}),
	);
	if (articulations.length < 2 || family === "tonal") return null;
	return (
		<div className={classes.strokes} data-strokes>
			<ul aria-label="Strokes">
				{struck.map((stroke, place) => (
					<li key={stroke}>
						<button
							type="button"
							title="Select these hits in the loop; once more, in the song"
							onClick={() => selectStruckBy(store.getState(), index, stroke)}
						>
							<Mark stroke={stroke} />
							<span>{articulations[stroke]?.name}</span>
							<small>{counts[place]}</small>
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
