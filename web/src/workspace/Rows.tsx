import { useElementSize } from "@mantine/hooks";
import { useCallback } from "react";
import { client } from "../api/client";
import { axis } from "../draw/axis";
import { AimBar } from "./AimBar";
import { InstrumentRow } from "./InstrumentRow";
import { GridToken, gridInWords } from "./passes/GridToken";
import classes from "./Rows.module.css";
import { Ruler } from "./Ruler";
import { SelectionBar } from "./SelectionBar";
import { placer, shownWindow } from "./shown";
import { useWorkspace, useWorkspaceStore } from "./store";
import { useNowLine } from "./useNowLine";
import type { Transport } from "./usePlayer";

const least = 66;
const most = 148;

/** How high each row is: they share the room, the opened one takes most of it. */
function rowHeights(count: number, room: number, open: number) {
	const shared = Math.max(least, Math.min(most, Math.floor(room / Math.max(1, count)) - 1));
	return Array.from({ length: count }, (_, index) => {
		if (open < 0) return shared;
		return index === open ? Math.max(260, Math.round(room * 0.68)) : least;
	});
}

/** A row for each instrument, over one another on one axis of time. */
export function Rows({ transport }: { transport: Transport }) {
	const instruments = useWorkspace((state) => state.part.kit.instruments);
	const open = useWorkspace((state) => state.open);
	const { ref, height } = useElementSize();
	const place = instruments.findIndex((instrument) => instrument.id === open);
	const heights = rowHeights(instruments.length, height, place);
	return (
		<section className={classes.rows} aria-label="Instruments">
			<div className={classes.head}>
				<span>INSTRUMENT</span>
				<span>TOUCH</span>
				<Ruler />
				<span className={classes.timeHead}>
					<span>← early</span>
					<MeasuredAgainst />
					<span>late →</span>
				</span>
			</div>
			<div className={classes.scroll} ref={ref}>
				{height > 0 &&
					instruments.map((instrument, index) => (
						<InstrumentRow key={instrument.id} index={index} height={heights[index]} />
					))}
			</div>
			<Playhead transport={transport} />
			<SelectionBar />
			<AimBar />
		</section>
	);
}

/** The grid that timing is measured against, to be chosen. */
function MeasuredAgainst() {
	const store = useWorkspaceStore();
	const grid = useWorkspace((state) => state.part.grid);
	const id = useWorkspace((state) => state.part.state.id);
	const change = (to: { grid?: string; fitting_grid?: boolean }) =>
		void store
			.getState()
			.change((revision) => client.changePart(id, { revision, label: "measure against a grid", ...to }));
	return (
		<GridToken
			label="Timing is measured against"
			value={grid}
			onChange={(next) => change({ grid: next })}
			none={{ words: "as the part seems to be meant", onChange: () => change({ fitting_grid: true }) }}
		>
			in {gridInWords(grid)}
		</GridToken>
	);
}

/** A line over all rows where the song is now. */
function Playhead({ transport }: { transport: Transport }) {
	const store = useWorkspaceStore();
	const place = useCallback(
		(tick: number, line: HTMLElement) => {
			const hits = line.parentElement?.querySelector<HTMLElement>("[data-axis]");
			if (!hits) return null;
			const state = store.getState();
			const { window, looping, stacked, setView } = state;
			const x = axis(shownWindow(state), hits.clientWidth).x(placer(state)(tick));
			// Without a loop the picture turns its page.
			if (!stacked && !looping && tick > window[1]) setView({ window: [tick, tick + window[1] - window[0]] });
			return x >= 0 && x <= hits.clientWidth ? hits.offsetLeft + x : null;
		},
		[store],
	);
	const line = useNowLine(transport, place);
	return <div ref={line} className={classes.playhead} data-playhead />;
}
