import { type KeyboardEvent, memo, useCallback } from "react";
import { useShallow } from "zustand/react/shallow";
import type { Figures, LinesFrom } from "../../api/generated/types";
import { rightwards } from "../../lib/arrows";
import { probe } from "../../lib/probe";
import { percent, signed } from "../../lib/words";
import { beforeOf, useWorkspace, useWorkspaceStore } from "../../part/store";
import { useDrag } from "../../part/useDrag";
import { gridInWords } from "../passes/GridToken";
import { PocketChip } from "../pockets/PocketChip";
import { LinesChip } from "./LinesMenu";
import classes from "./Rows.module.css";

const width = 140;
const middle = width / 2;
/** The outlines reach 60 ms to either side; this much of it is shown. */
const shown = 40;
const perMs = (middle - 6) / shown;

const x = (ms: number) => middle + Math.max(-shown, Math.min(shown, ms)) * perMs;

function outline(counts: number[], height: number) {
	const reach = (counts.length - 1) / 2;
	const floor = height - 8;
	const tall = height - 26;
	const at = (ms: number) => counts[ms + reach];
	// Only as far as there is something: mostly that is little of it.
	let [from, to] = [-shown, shown];
	while (from < to && at(from) === 0) from++;
	while (to > from && at(to) === 0) to--;
	const points: string[] = [];
	for (let ms = from; ms <= to; ms++) {
		points.push(`${x(ms).toFixed(1)},${(floor - (at(ms) / 255) * tall).toFixed(1)}`);
	}
	return `M${x(from - 1).toFixed(1)},${floor}L${points.join("L")}L${x(to + 1).toFixed(1)},${floor}Z`;
}

/** How early or late an instrument is, in ms against the grid. Its middle is dragged to lean, its sides to tighten or loosen. */
export function TimePortrait({ index, height }: { index: number; height: number }) {
	probe.rendered("time portrait");
	const instrument = useWorkspace((state) => state.part.kit.instruments[index]);
	const before = useWorkspace((state) => beforeOf(state).instruments[index].portrait.time);
	const now = useWorkspace((state) => state.performance?.reading.instruments[index].portrait.time);
	const was = useWorkspace(useShallow((state) => timeOf(beforeOf(state).instruments[index].figures)));
	// Only what is drawn here: a drag of touch leaves it be.
	const is = useWorkspace(
		useShallow((state) => timeOf(state.performance?.reading.instruments[index].figures)),
	);
	const lines = useWorkspace((state) => state.performance?.reading.instruments[index].lines) ?? noLines;
	const said = useWorkspace((state) => state.performance?.reading.instruments[index].lines_said) ?? "";
	const ornaments = useWorkspace((state) => state.performance?.reading.instruments[index].ornaments_said);
	const opened = useWorkspace((state) => state.open === instrument.id);
	if (!now || !was || !is) return <div className={classes.portrait} style={{ height }} />;
	const { offset_mean: mean, offset_spread: spread, early, late } = is;
	const swing = swingOf(is);
	// The lines say it already.
	const isSwung = lines.some(({ lines }) => lines.swing !== 50);
	return (
		<div className={classes.timeBox} title={portraitInWords(instrument.name, said, ornaments, was, is)}>
			<svg
				className={classes.portrait}
				viewBox={`0 0 ${width} ${height}`}
				height={height}
				data-portrait="time"
			>
				<title>{`How early or late ${instrument.name} is`}</title>
				<Ground height={height} />
				<path d={outline(now, height)} fill="var(--time-fill)" stroke="var(--time)" strokeWidth={1.3} />
				<path d={outline(before, height)} fill="none" stroke="var(--written)" strokeDasharray="3 2.5" />
				<SpreadHandle index={index} name={instrument.name} {...{ height, mean, spread }} />
				<LeanHandle id={instrument.id} name={instrument.name} mean={mean} height={height} />
			</svg>
			<span className={classes.timeMean}>
				{signed(mean, 1, true)} ± {spread.toFixed(1)} ms
			</span>
			{early + late > 0 && (
				<span className={classes.timeShares} data-shares>
					<span>{percent(early)}</span>
					<span>{percent(late)}</span>
				</span>
			)}
			{swing && !isSwung && (
				<span className={classes.timeSwing} data-swing>
					{opened ? swing.words : swing.short}
				</span>
			)}
			{height >= 44 && <LinesChip index={index} lines={lines} />}
			<PocketChip index={index} />
		</div>
	);
}

/** The lines that never move. */
const Ground = memo(function Ground({ height }: { height: number }) {
	const floor = height - 8;
	return (
		<>
			{[-20, 20].map((ms) => (
				<line key={ms} x1={x(ms)} x2={x(ms)} y1={18} y2={floor} stroke="var(--line)" />
			))}
			<line x1={middle} x2={middle} y1={18} y2={floor} stroke="var(--strong-line)" />
			<line x1={4} x2={width - 4} y1={floor} y2={floor} stroke="var(--strong-line)" />
		</>
	);
});

type TimeFigures = Pick<Figures, "offset_mean" | "offset_spread" | "early" | "late" | "heard_swing">;

function timeOf(figures: Figures | undefined): TimeFigures | null {
	if (!figures) return null;
	const { offset_mean, offset_spread, early, late, heard_swing } = figures;
	return { offset_mean, offset_spread, early, late, heard_swing };
}

/** The swing that an instrument seems to have: as a share of the pair, and as a ratio. */
export function swingOf({ heard_swing: swing }: Pick<Figures, "heard_swing">) {
	if (!swing) return null;
	const { of, percent } = swing;
	const ratio = percent / (100 - percent);
	const short = `${Math.round(percent)} %`;
	return { short: `swing ${short}`, words: `${gridInWords(of)} ${short}, ${ratio.toFixed(2)} : 1` };
}

const noLines: LinesFrom[] = [];

function portraitInWords(
	name: string,
	on: string,
	ornaments: string | undefined,
	written: TimeFigures,
	played: TimeFigures,
) {
	const one = ({ offset_mean, offset_spread, early, late }: TimeFigures) =>
		`${signed(offset_mean, 1, true)} ± ${offset_spread.toFixed(1)} ms, ${percent(early)} early, ${percent(late)} late`;
	const swing = swingOf(played)?.words;
	const lines = [
		`${name} against ${on}`,
		...(ornaments ? [`${ornaments}, left out`] : []),
		`before: ${one(written)}`,
		`played: ${one(played)}`,
	];
	return [...lines, ...(swing ? [swing] : [])].join("\n");
}

interface SpreadProps {
	index: number;
	name: string;
	height: number;
	mean: number;
	spread: number;
}

/** The sides of the portrait: dragged in they pull together, dragged out they push apart or loosen. */
function SpreadHandle({ index, name, height, mean, spread }: SpreadProps) {
	const store = useWorkspaceStore();
	const label = `tighten or loosen ${name.toLowerCase()}`;
	const spreadBy = useCallback(
		(by: number) => {
			const { act, part } = store.getState();
			act({ kind: "spread-by", instrument: part.kit.instruments[index].id, by }, label);
		},
		[store, index, label],
	);
	const begin = (side: number) => () => ({
		move: (dx: number) => {
			spreadBy((side * dx) / perMs);
			return `± ${Math.max(0, spread + (side * dx) / perMs).toFixed(1)} ms`;
		},
		end: (moved: boolean) => moved && store.getState().commit(label),
	});
	const late = useDrag(useCallback(begin(1), [spreadBy, store, label, spread]));
	const early = useDrag(useCallback(begin(-1), [spreadBy, store, label, spread]));
	const onKeyDown = (event: KeyboardEvent) => {
		const steps = rightwards(event, 6);
		if (steps === undefined) return;
		event.preventDefault();
		spreadBy(0.5 * steps);
		store.getState().commitSoon(label);
	};
	const floor = height - 8;
	return (
		<>
			{[1, -1].map((side) => {
				// Also of what lies close together the sides can be got hold of. Places rather than a transform:
				// the browser lays its layers out anew for every transform that changes.
				const at = x(mean) + side * Math.max(Math.min(spread, shown) * perMs, 9);
				return (
					<g
						key={side}
						className={classes.lean}
						{...(side === 1
							? {
									role: "slider",
									tabIndex: 0,
									"aria-label": `${name}, spread of timing`,
									"aria-valuemin": 0,
									"aria-valuemax": 100,
									"aria-valuenow": Math.round(spread * 10) / 10,
									"aria-valuetext": `± ${spread.toFixed(1)} ms`,
									"data-handle": "spread",
									onKeyDown,
								}
							: { "aria-hidden": true })}
						onPointerDown={side === 1 ? late : early}
					>
						<rect x={at - 4.5} y={28} width={11} height={height - 28} fill="transparent" />
						<path
							d={`M${at.toFixed(1)},${floor - 9}l${4 * side},4.5l${-4 * side},4.5z`}
							fill="var(--sheet)"
							stroke="var(--time)"
							strokeWidth={1.3}
						/>
					</g>
				);
			})}
		</>
	);
}

function LeanHandle({ id, name, mean, height }: { id: string; name: string; mean: number; height: number }) {
	const store = useWorkspaceStore();
	const label = `lean ${name.toLowerCase()}`;
	const lean = useCallback(
		(by: number) => store.getState().act({ kind: "lean-by", instrument: id, by }, label),
		[store, id, label],
	);
	const onPointerDown = useDrag(
		useCallback(
			() => ({
				move: (dx) => {
					lean(dx / perMs);
					const to = mean + dx / perMs;
					return `${Math.abs(to).toFixed(1)} ms ${to < 0 ? "early" : "late"}`;
				},
				end: (moved) => moved && store.getState().commit(label),
			}),
			[lean, store, label, mean],
		),
	);
	const onKeyDown = (event: KeyboardEvent) => {
		const steps = rightwards(event, 10);
		if (steps === undefined) return;
		event.preventDefault();
		lean(0.5 * steps);
		store.getState().commitSoon(label);
	};
	const at = x(mean);
	const floor = height - 8;
	return (
		<g
			className={classes.lean}
			role="slider"
			tabIndex={0}
			aria-label={`${name}, lean`}
			aria-valuemin={-200}
			aria-valuemax={200}
			aria-valuenow={Math.round(mean * 10) / 10}
			aria-valuetext={`${signed(mean, 1, true)} ms`}
			data-handle="lean"
			onPointerDown={onPointerDown}
			onKeyDown={onKeyDown}
		>
			<rect x={at - 4} y={18} width={8} height={height - 18} fill="transparent" />
			<line x1={at} x2={at} y1={22} y2={floor} stroke="var(--time)" strokeWidth={1.6} />
			<circle cx={at} cy={floor} r={4} fill="var(--sheet)" stroke="var(--time)" strokeWidth={1.6} />
		</g>
	);
}
