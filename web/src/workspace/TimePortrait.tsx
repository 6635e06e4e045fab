import { type KeyboardEvent, useCallback } from "react";
import { signed } from "../words";
import { passAt, withLeanAt, withSetting } from "./edit";
import classes from "./Rows.module.css";
import { beforeOf, useWorkspace, useWorkspaceStore } from "./store";
import { useDrag } from "./useDrag";

const width = 142;
const middle = width / 2;
/** The outlines reach 60 ms to either side; this much of it is shown. */
const shown = 40;
const perMs = (middle - 6) / shown;

const x = (ms: number) => middle + Math.max(-shown, Math.min(shown, ms)) * perMs;

function outline(counts: number[], height: number) {
	const reach = (counts.length - 1) / 2;
	const floor = height - 8;
	const tall = height - 26;
	const points: string[] = [];
	for (let ms = -shown; ms <= shown; ms++) {
		points.push(`${x(ms).toFixed(1)},${(floor - (counts[ms + reach] / 255) * tall).toFixed(1)}`);
	}
	return `M${x(-shown)},${floor}L${points.join("L")}L${x(shown)},${floor}Z`;
}

/** How early or late an instrument is, in ms against the grid. Its middle is dragged to lean. */
export function TimePortrait({ index, height }: { index: number; height: number }) {
	const instrument = useWorkspace((state) => state.part.kit.instruments[index]);
	const written = useWorkspace((state) => beforeOf(state).instruments[index]);
	const played = useWorkspace((state) => state.performance?.reading.instruments[index]);
	const grid = useWorkspace((state) => state.part.grid);
	if (!played) return <div className={classes.portrait} style={{ height }} />;
	const floor = height - 8;
	return (
		<svg className={classes.portrait} viewBox={`0 0 ${width} ${height}`} height={height} data-portrait="time">
			<title>{`How early or late ${instrument.name} is, against ${grid}`}</title>
			{[-20, 20].map((ms) => (
				<line key={ms} x1={x(ms)} x2={x(ms)} y1={18} y2={floor} stroke="var(--line)" />
			))}
			<line x1={middle} x2={middle} y1={18} y2={floor} stroke="var(--strong-line)" />
			<line x1={4} x2={width - 4} y1={floor} y2={floor} stroke="var(--strong-line)" />
			<path
				d={outline(played.portrait.time, height)}
				fill="var(--time-fill)"
				stroke="var(--time)"
				strokeWidth={1.3}
			/>
			<path
				d={outline(written.portrait.time, height)}
				fill="none"
				stroke="var(--written)"
				strokeDasharray="3 2.5"
			/>
			<LeanHandle
				id={instrument.id}
				name={instrument.name}
				mean={played.figures.offset_mean}
				height={height}
			/>
			<text x={width - 5} y={13} textAnchor="end" fontSize={11} fill="var(--time)" fontWeight={600}>
				{signed(played.figures.offset_mean, 1, true)} ms
			</text>
		</svg>
	);
}

function LeanHandle({ id, name, mean, height }: { id: string; name: string; mean: number; height: number }) {
	const store = useWorkspaceStore();
	const start = useCallback(() => {
		const recipe = withLeanAt(store.getState().recipe, id);
		const pass = passAt(recipe, "lean", id);
		if (pass?.action.kind !== "lean") return null;
		const from = pass.action.by;
		return (ms: number) => {
			const by = Math.max(-200, Math.min(200, Math.round((from + ms) * 2) / 2));
			store.getState().draft({ recipe: withSetting(recipe, pass, "by", by) });
		};
	}, [store, id]);
	const label = `lean ${name.toLowerCase()}`;
	const onPointerDown = useDrag(
		useCallback(() => {
			const lean = start();
			if (!lean) return null;
			return {
				move: (dx) => lean(dx / perMs),
				end: (moved) => moved && store.getState().commit(label),
			};
		}, [start, store, label]),
	);
	const onKeyDown = (event: KeyboardEvent) => {
		const ms = { ArrowLeft: -0.5, ArrowRight: 0.5, PageDown: -5, PageUp: 5 }[event.key];
		if (ms === undefined) return;
		event.preventDefault();
		start()?.(ms);
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
			<rect x={at - 9} y={18} width={18} height={height - 18} fill="transparent" />
			<line x1={at} x2={at} y1={22} y2={floor} stroke="var(--time)" strokeWidth={1.6} />
			<circle cx={at} cy={floor} r={4} fill="var(--sheet)" stroke="var(--time)" strokeWidth={1.6} />
		</g>
	);
}
