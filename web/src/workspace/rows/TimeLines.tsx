import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { client } from "../../api/client";
import type { GridLines, MovesBy, SongDetail } from "../../api/generated/types";
import { axis } from "../../draw/axis";
import { shownWindow } from "../../part/shown";
import { barAt, barCount } from "../../part/song";
import { useWorkspace } from "../../part/store";
import classes from "./Rows.module.css";

/** Nearer to one another than this, in px, lines say nothing. */
const nearest = 7;

/** The lines that a row's timing is held against: of the pass that was pointed at, else its own. */
export function TimeLines({ index, width, height }: { index: number; width: number; height: number }) {
	const song = useWorkspace((state) => state.song);
	const window = useWorkspace((state) => state.window);
	const stacked = useWorkspace((state) => state.stacked);
	const part = useWorkspace((state) => state.part.state.id);
	const revision = useWorkspace((state) => state.part.state.revision);
	const instrument = useWorkspace((state) => state.part.kit.instruments[index].id);
	const cell = useWorkspace((state) => state.part.cell);
	const opened = useWorkspace((state) => state.open === state.part.kit.instruments[index].id);
	const rule = useWorkspace((state) => {
		const { id } = state.part.kit.instruments[index];
		const one = state.recipe.passes.find(({ id }) => id === state.focus);
		const meant = !one?.aim.instruments?.length || one.aim.instruments.includes(id);
		if (!one?.on || !meant) return null;
		return state.performance?.passes.find(({ pass }) => pass === one.id)?.moves_by ?? null;
	});
	const shown = shownWindow({ song, window, stacked });
	const dense = ((shown[1] - shown[0]) / cell) * nearest > width;
	const ruled = useGridLines(song, dense ? null : rule, shown);
	const [from, to] = wholeBars(song, shown);
	const own = useQuery({
		queryKey: ["drum-lines", part, revision, instrument, from, to],
		queryFn: () => client.drumLines(part, instrument, from, to),
		enabled: opened && !rule && !dense,
		staleTime: Number.POSITIVE_INFINITY,
		gcTime: 60_000,
		retry: false,
		placeholderData: keepPreviousData,
	});
	const lines = rule ? ruled.lines : opened && !dense ? (own.data?.lines ?? []) : [];
	const zones = ruled.left_alone;
	if (lines.length === 0 || width === 0) return null;
	const { x } = axis(shown, width);
	return (
		<svg
			className={classes.lines}
			width={width}
			height={height}
			aria-hidden
			data-time-lines={rule?.grid ?? "own"}
		>
			<Zones zones={zones.beyond} of="beyond reach" {...{ x, height }} />
			<Zones zones={zones.forgiven} of="forgiven" {...{ x, height }} />
			{lines.map((line) => (
				<line
					key={line}
					x1={x(line)}
					x2={x(line)}
					y1={0}
					y2={height}
					stroke={rule ? "var(--time)" : "var(--strong-line)"}
					strokeWidth={0.8}
					opacity={opened ? 0.7 : 0.32}
				/>
			))}
		</svg>
	);
}

interface ZonesProps {
	zones: number[][];
	of: "forgiven" | "beyond reach";
	x: (tick: number) => number;
	height: number;
}

function Zones({ zones, of, x, height }: ZonesProps) {
	const className = of === "forgiven" ? classes.forgiven : classes.beyond;
	return zones.map(([from, to]) => (
		<rect
			key={from}
			x={x(from)}
			width={x(to) - x(from)}
			height={height}
			className={className}
			data-zone={of}
		/>
	));
}

/** A straight grid that nothing is moved by. */
export const onGrid = (grid: string): MovesBy => ({ grid, swing: 50, forgive: 0, reach: null });

/** The bars that a stretch lies in, in ticks. */
function wholeBars(song: SongDetail, [start, end]: [number, number]) {
	const { ticks } = song.bars;
	return [ticks[barAt(song, start) - 1], ticks[Math.min(barAt(song, end), barCount(song))]];
}

const none: GridLines = { lines: [], left_alone: { forgiven: [], beyond: [] } };

/** The lines of a rule in the bars that are shown; none without one. `exact`: none rather than those of a moment ago. */
export function useGridLines(
	song: SongDetail,
	by: MovesBy | null,
	shown: [number, number],
	exact = false,
): GridLines {
	const [from, to] = wholeBars(song, shown);
	const lines = useQuery({
		// Another tempo or metre is another revision.
		queryKey: ["grid-lines", song.id, song.revision, by, from, to],
		queryFn: () => client.gridLines(song.id, by ?? onGrid(""), from, to),
		enabled: by !== null,
		staleTime: Number.POSITIVE_INFINITY,
		gcTime: 60_000,
		retry: false,
		placeholderData: exact ? undefined : keepPreviousData,
	});
	return (by && lines.data) ?? none;
}
