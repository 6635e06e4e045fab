import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { client } from "../../api/client";
import type { Action, SongDetail } from "../../api/generated/types";
import { axis } from "../../draw/axis";
import { shownWindow } from "../../part/shown";
import { barAt, barCount, secondsAt, tickAt } from "../../part/song";
import { useWorkspace } from "../../part/store";
import classes from "./Rows.module.css";

/** Nearer to one another than this, in px, lines say nothing. */
const nearest = 7;

/** The lines that a row's timing is held against: of the pass that was pointed at, else of the part's grid. */
export function TimeLines({ index, width, height }: { index: number; width: number; height: number }) {
	const song = useWorkspace((state) => state.song);
	const window = useWorkspace((state) => state.window);
	const stacked = useWorkspace((state) => state.stacked);
	const partGrid = useWorkspace((state) => state.part.grid);
	const cell = useWorkspace((state) => state.part.cell);
	const opened = useWorkspace((state) => state.open === state.part.kit.instruments[index].id);
	const pass = useWorkspace((state) => {
		const { id } = state.part.kit.instruments[index];
		const one = state.recipe.passes.find(({ id }) => id === state.focus);
		const meant = !one?.aim.instruments?.length || one.aim.instruments.includes(id);
		return one?.on && meant ? one : undefined;
	});
	const rule = pass && ruleOf(pass.action);
	const shown = shownWindow({ song, window, stacked });
	const dense = ((shown[1] - shown[0]) / cell) * nearest > width;
	const grid = rule?.grid ?? (opened ? partGrid : null);
	const lines = useGridLines(song, dense ? null : grid, rule?.swing ?? 50, shown);
	if (lines.length === 0 || width === 0) return null;
	const { x } = axis(shown, width);
	const zones = rule ? zonesOf(song, lines, rule) : { forgiven: [], beyond: [] };
	return (
		<svg className={classes.lines} width={width} height={height} aria-hidden data-time-lines={grid}>
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

interface Rule {
	grid: string;
	swing: number;
	/** In ms. */
	forgive: number;
	/** In ms; nothing: everything. */
	reach: number | null;
}

/** The lines that an action goes by. */
function ruleOf(action: Action): Rule | null {
	switch (action.kind) {
		case "pull":
			return { grid: action.grid, swing: action.swing, forgive: action.forgive, reach: action.reach };
		case "swing":
			return { grid: action.grid, swing: action.to, forgive: 0, reach: null };
		case "groove":
			return { grid: action.groove.grid, swing: 50, forgive: 0, reach: null };
		default:
			return null;
	}
}

/** Where hits are left as they were played, and where they are too far off to be meant. */
function zonesOf(song: SongDetail, lines: number[], { forgive, reach }: Rule) {
	const away = (line: number, ms: number) => tickAt(song, secondsAt(song, line) + ms / 1000);
	const forgiven = forgive > 0 ? lines.map((line) => [away(line, -forgive), away(line, forgive)]) : [];
	const between = lines.slice(1).map((line, index) => [lines[index], line]);
	const beyond = reach === null ? [] : between.map(([from, to]) => [away(from, reach), away(to, -reach)]);
	return { forgiven, beyond: beyond.filter(([from, to]) => to > from) };
}

/** The lines of a grid in the bars that are shown; none without a grid. `exact`: none rather than those of a moment ago. */
export function useGridLines(
	song: SongDetail,
	grid: string | null,
	swing: number,
	[start, end]: [number, number],
	exact = false,
) {
	const { ticks } = song.bars;
	const from = ticks[barAt(song, start) - 1];
	const to = ticks[Math.min(barAt(song, end), barCount(song))];
	const lines = useQuery({
		queryKey: ["grid-lines", song.id, grid, swing, from, to],
		queryFn: () => client.gridLines(song.id, grid ?? "", swing, from, to),
		enabled: grid !== null,
		staleTime: Number.POSITIVE_INFINITY,
		gcTime: 60_000,
		retry: false,
		placeholderData: exact ? undefined : keepPreviousData,
	});
	return grid === null ? [] : (lines.data ?? []);
}
