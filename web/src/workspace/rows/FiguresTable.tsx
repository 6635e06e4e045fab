import { Anchor } from "@mantine/core";
import { useShallow } from "zustand/react/shallow";
import type { Figures, Measured } from "../../api/generated/types";
import { probe } from "../../lib/probe";
import { percent, signed } from "../../lib/words";
import { hitsOf } from "../../part/hits";
import { beforeOf, useWorkspace, useWorkspaceStore, type WorkspaceState } from "../../part/store";
import { useUsed } from "../../part/useUsed";
import classes from "./Rows.module.css";
import { swingOf } from "./TimePortrait";
import { movedWindow } from "./useTimeGestures";

const columns: { title: string; of: (figures: Figures) => string }[] = [
	{ title: "hits", of: (figures) => `${figures.count}` },
	{ title: "mean", of: (figures) => figures.velocity_mean.toFixed(1) },
	{ title: "spread (sd)", of: (figures) => figures.velocity_spread.toFixed(1) },
	{
		title: "soft / typical / hard",
		of: ({ soft, typical, hard }) => [soft, typical, hard].map(Math.round).join(" / "),
	},
	{ title: "identical neighbours", of: (figures) => percent(figures.identical_neighbours) },
	{ title: "offset, ms", of: (figures) => signed(figures.offset_mean, 1, true) },
	{ title: "spread, ms", of: (figures) => figures.offset_spread.toFixed(1) },
	{ title: "looseness, ms", of: ({ looseness }) => looseness?.toFixed(1) ?? "–" },
	{ title: "early / late", of: ({ early, late }) => `${percent(early)} / ${percent(late)}` },
	{ title: "on its lines", of: (figures) => percent(figures.on_grid) },
	{ title: "swing", of: (figures) => swingOf(figures)?.words ?? "straight" },
];

/** “head 120, side stick 12”, where a drum has several. */
function strokesInWords(state: WorkspaceState, index: number) {
	const { articulations, family } = state.part.kit.instruments[index];
	if (articulations.length < 2 || family === "tonal") return "";
	const strokes = state.performance?.strokes ?? state.part.written.strokes;
	const counts = new Map<number, number>();
	for (const hit of hitsOf(state, index)) {
		const stroke = strokes[hit];
		if (stroke !== null && stroke !== undefined) counts.set(stroke, (counts.get(stroke) ?? 0) + 1);
	}
	const sorted = [...counts].sort(([a], [b]) => a - b);
	return sorted.map(([stroke, count]) => `${articulations[stroke].name} ${count}`).join(", ");
}

/** Velocity and timing in figures, before and after, instrument by instrument. */
export function FiguresTable() {
	probe.rendered("figures");
	const instruments = useWorkspace((state) => state.part.kit.instruments);
	const used = useUsed();
	const before = useWorkspace(beforeOf);
	const after = useWorkspace((state) => state.performance?.reading);
	const name = useWorkspace((state) => state.against?.name ?? state.studied?.name ?? "Written");
	const strokes = useWorkspace(
		useShallow((state) => instruments.map((_, index) => strokesInWords(state, index))),
	);
	if (!after) return null;
	const lines = [
		...instruments.flatMap((instrument, index) =>
			used.has(index)
				? [
						{
							name: instrument.name,
							lines: after.instruments[index].lines_said,
							ornaments: after.instruments[index].ornaments_said ?? "",
							strokes: strokes[index],
							before: before.instruments[index].figures,
							after: after.instruments[index].figures,
						},
					]
				: [],
		),
		{ name: "All", lines: "", ornaments: "", strokes: "", before: before.all, after: after.all },
	];
	return (
		// biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is scrolled by keyboard, too.
		<section className={classes.table} aria-label="Figures" tabIndex={0}>
			<table>
				<thead>
					<tr>
						<th>{name} → Played</th>
						{columns.map(({ title }) => (
							<th key={title}>{title}</th>
						))}
						<th>worst hit</th>
						<th>lines</th>
						<th>grace notes</th>
						<th>strokes</th>
					</tr>
				</thead>
				<tbody>
					{lines.map((line) => (
						<tr key={line.name} data-figures={line.name}>
							<th>{line.name}</th>
							{columns.map(({ title, of }) => {
								const [was, now] = [of(line.before), of(line.after)];
								return (
									<td key={title}>
										<span>{was}</span>
										{was !== now && (
											<strong>
												<i className="visually-hidden">→</i>
												{now}
											</strong>
										)}
									</td>
								);
							})}
							<td>
								<WorstHit worst={line.after.worst} />
							</td>
							<td>{line.lines}</td>
							<td>{line.ornaments}</td>
							<td>{line.strokes}</td>
						</tr>
					))}
				</tbody>
			</table>
			<Steadiness was={before.beat} now={after} />
		</section>
	);
}

/** How steadily the beat is kept that all drums share, and how far those that land together lie apart. */
function Steadiness({ was, now }: { was: Measured["beat"]; now: Pick<Measured, "beat" | "together"> }) {
	const instruments = useWorkspace((state) => state.part.kit.instruments);
	const nameOf = (id: string) => instruments.find((instrument) => instrument.id === id)?.name;
	if (!now.beat) return null;
	const { clock, wander, apart } = now.beat;
	const ms = (now: number, was: number | undefined) => {
		const [after, before] = [now.toFixed(1), was?.toFixed(1)];
		return before && before !== after ? `± ${after} ms (before: ± ${before})` : `± ${after} ms`;
	};
	const together = (now.together ?? []).flatMap(({ first, second, count, mean, spread }) => {
		const [one, other] = [nameOf(first), nameOf(second)];
		if (!one || !other) return [];
		const away = `${Math.abs(mean).toFixed(1)} ms ${mean < 0 ? "ahead of" : "behind"}`;
		return [`${other} ${away} ${one} (± ${spread.toFixed(1)}, ${count} times)`];
	});
	return (
		<p data-steadiness>
			The beat is steady to {ms(clock, was?.clock)} from one quarter to the next, and wanders by{" "}
			{ms(wander, was?.wander)}.
			{apart !== undefined &&
				` Drums that land together are ${apart.toFixed(1)} ms apart${together.map((one, nth) => (nth ? "; " : ": ") + one).join("")}.`}
		</p>
	);
}

/** The hit that is furthest from where the others of its drum are; a click shows and selects it. */
function WorstHit({ worst }: Pick<Figures, "worst">) {
	const store = useWorkspaceStore();
	if (!worst || Math.abs(worst.late) < 0.05) return null;
	const { hit, late, bar } = worst;
	const show = () => {
		const { song, window, setView, select } = store.getState();
		const start = song.bars.ticks[bar - 1];
		setView({ window: movedWindow(song, window, start - window[0], 1, 0) });
		select([hit]);
	};
	return (
		<Anchor component="button" type="button" size="xs" onClick={show}>
			{signed(late, 1, true)} ms, bar {bar}
		</Anchor>
	);
}
