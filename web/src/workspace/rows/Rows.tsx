import { useElementSize } from "@mantine/hooks";
import isEqual from "fast-deep-equal";
import { Suspense, useCallback, useRef, useState } from "react";
import type { LaneOffer } from "../../api/generated/types";
import { axis } from "../../draw/axis";
import { fetched } from "../../lib/fetched";
import { probe } from "../../lib/probe";
import { plural } from "../../lib/words";
import { inView } from "../../part/hits";
import { foldedLanes, laneHeight, shownLanes } from "../../part/lanes";
import { basicRows, rowHeights, shownRows } from "../../part/rowHeights";
import { placer, shownWindow } from "../../part/shown";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useUsed } from "../../part/useUsed";
import { DrawBar } from "../drawing/DrawBar";
import { LaneRow } from "../lanes/LaneRow";
import passClasses from "../passes/Passes.module.css";
import { useTransport } from "../transport/context";
import { AimBar } from "./AimBar";
import { InstrumentRow } from "./InstrumentRow";
import { LinesMenu, linesInWords } from "./LinesMenu";
import { PropertyMenu } from "./PropertyMenu";
import classes from "./Rows.module.css";
import { RowsMenu } from "./RowsMenu";
import { Ruler } from "./Ruler";
import { SelectionBar } from "./SelectionBar";
import { useNowLine } from "./useNowLine";

const RecordBar = fetched(() => import("../recording/RecordBar").then((all) => all.RecordBar));

/** So many lanes stay in view, and a bit of the next. */
const shownAtOnce = 2.5;

/** A row for each instrument, over one another on one axis of time. */
export function Rows() {
	probe.rendered("rows");
	const instruments = useWorkspace((state) => state.part.kit.instruments);
	const open = useWorkspace((state) => state.open);
	const order = useWorkspace((state) => state.order);
	const hidden = useWorkspace((state) => state.hidden);
	const dragged = useWorkspace((state) => state.heights);
	const sounding = useWorkspace((state) =>
		state.part.kit.instruments.map((_, index) => (inView(state, index) > 0 ? "1" : "0")).join(""),
	);
	const { ref, height: room } = useElementSize();
	const used = useUsed();
	const extra = useWorkspace((state) => state.extra);
	const wholeKit = useWorkspace((state) => state.wholeKit);
	const listed = useWorkspace((state) => state.part.listed);
	const drawing = useWorkspace((state) => state.pencil !== null);
	const recording = useWorkspace((state) => state.taking !== "idle");
	const struck = useWorkspace((state) => state.struckRows);
	// What is drawn needs somewhere to be drawn; so does a part in which nothing is struck yet.
	const basic = drawing || used.size === 0 ? basicRows(instruments.slice(0, listed)) : [];
	const wanted = (index: number) =>
		used.has(index) ||
		(wholeKit && index < listed) ||
		struck.includes(index) ||
		extra.includes(instruments[index].id) ||
		basic.includes(index);
	const shown = shownRows(instruments, { order, hidden }).filter(wanted);
	const needs = shown.map((index) => ({
		id: instruments[index].id,
		sounds: sounding[index] === "1" || struck.includes(index),
	}));
	const opened = needs.some(({ id }) => id === open) ? open : null;
	const { rows: few, folded } = useLanes();
	const [unfolded, setUnfolded] = useState(false);
	const lanes = unfolded ? [...few, ...folded] : few;
	const heights = rowHeights(
		needs,
		Math.max(120, room - Math.min(lanes.length, shownAtOnce) * laneHeight),
		dragged,
		opened,
	);
	return (
		<section className={classes.rows} aria-label="Instruments">
			<div className={classes.head}>
				<RowsMenu />
				<PropertyMenu />
				<Ruler />
				<span className={classes.timeHead}>
					<span title="early">
						← <span>early</span>
					</span>
					<MeasuredAgainst />
					<span title="late">
						<span>late</span> →
					</span>
				</span>
			</div>
			<div className={classes.scroll} ref={ref} data-rows>
				{room > 0 &&
					shown.map((index, place) => (
						<InstrumentRow
							key={instruments[index].id}
							index={index}
							height={heights[place]}
							sounds={needs[place].sounds || needs[place].id === opened}
						/>
					))}
				{lanes.length > 0 && (
					<div className={classes.lanes} data-lanes>
						{lanes.map((lane) => (
							<LaneRow key={lane.kind} lane={lane} />
						))}
						{folded.length > 0 && (
							<button
								type="button"
								className={classes.moreLanes}
								onClick={() => setUnfolded(!unfolded)}
								data-more-lanes
							>
								{unfolded ? "Fewer lines" : `${plural(folded.length, "more line")}: ${inWords(folded)}`}
							</button>
						)}
					</div>
				)}
				{shown.length === 0 && (
					<p className={classes.noRows}>
						{recording
							? "What you strike gets a row here."
							: used.size === 0
								? "Nothing is written yet. Draw it (B), or record what you play (Shift R)."
								: "All rows are hidden. “Instruments” above shows them again."}
					</p>
				)}
			</div>
			<DrawBar />
			<Recording />
			<Playhead />
			<SelectionBar />
			<AimBar />
		</section>
	);
}

const inWords = (lanes: LaneOffer[]) => {
	const first = lanes.slice(0, 3).map(({ name }) => name);
	return lanes.length > 3 ? `${first.join(", ")} …` : first.join(", ");
};

/** The lanes that have a row, and those that are folded away; the same lists while they are the same. */
function useLanes() {
	const last = useRef<ReturnType<typeof foldedLanes>>({ rows: [], folded: [] });
	return useWorkspace((state) => {
		const now = foldedLanes(shownLanes(state), state);
		if (!isEqual(now, last.current)) last.current = now;
		return last.current;
	});
}

function Recording() {
	const shown = useWorkspace((state) => state.recordBar);
	return shown ? (
		<Suspense>
			<RecordBar />
		</Suspense>
	) : null;
}

/** The lines that timing is measured against, to be chosen for all drums. */
function MeasuredAgainst() {
	const all = useWorkspace((state) => state.part.state.lines.all);
	return (
		<LinesMenu label="Timing is measured against" lines={[]} className={passClasses.token}>
			{all ? linesInWords(all) : "as meant"}
		</LinesMenu>
	);
}

/** A line over all rows where the song is now. */
function Playhead() {
	const transport = useTransport();
	const store = useWorkspaceStore();
	/** The window in which it stood a moment ago. */
	const stood = useRef<[number, number] | null>(null);
	const place = useCallback(
		(tick: number, line: HTMLElement) => {
			const hits = line.parentElement?.querySelector<HTMLElement>("[data-axis]");
			if (!hits) return null;
			const state = store.getState();
			const { window, looping, stacked, setView } = state;
			const x = axis(shownWindow(state), hits.clientWidth).x(placer(state)(tick));
			// Without a loop the picture turns its page, where the line runs out of it. Who scrolls elsewhere stays there.
			if (!stacked && !looping && stood.current === window && tick > window[1])
				setView({ window: [tick, tick + window[1] - window[0]] });
			stood.current = tick >= window[0] && tick <= window[1] ? window : null;
			return x >= 0 && x <= hits.clientWidth ? hits.offsetLeft + x : null;
		},
		[store],
	);
	const line = useNowLine(transport, place);
	return <div ref={line} className={classes.playhead} data-playhead />;
}
