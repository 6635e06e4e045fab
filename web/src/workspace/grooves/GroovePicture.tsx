import { useElementSize } from "@mantine/hooks";
import { type KeyboardEvent, type PointerEvent, useMemo } from "react";
import type { Family, GrooveFigures, LaidHits, VoiceFigures } from "../../api/generated/types";
import { upwards } from "../../lib/arrows";
import { follow } from "../../lib/dragging";
import { signed } from "../../lib/words";
import { familyNames } from "./families";
import classes from "./Grooves.module.css";

const top = 22;
const bottom = 34;
const left = 46;
const right = 14;
/** Dots are never smaller or larger than this, in px. */
const [smallest, largest] = [2.5, 13];

interface Props {
	reading: GrooveFigures;
	/** Nothing for all together. */
	family: Family | null;
	/** Another groove, drawn behind. */
	overlay: GrooveFigures | null;
	/** Hits of a part, laid over the groove's bars. */
	hits: LaidHits | null;
	/** A slot is given another offset (in ms) or accent. */
	onDraw: (slot: number, change: { offset?: number; velocity?: number }) => void;
}

const voiceOf = (reading: GrooveFigures, family: Family | null) =>
	reading.voices.find((voice) => voice.family === family) ?? reading.voices[0];

/** How far a picture must reach up and down, in ms: to all that is drawn, in round steps. */
function reachOf(voices: VoiceFigures[], hits: LaidHits | null) {
	const means = voices.flatMap(({ offsets, spreads }) =>
		offsets.map((offset, slot) => Math.abs(offset) + spreads[slot]),
	);
	const most = Math.max(6, ...means, ...(hits?.offsets ?? []).map((offset) => Math.abs(offset) * 0.8));
	return [10, 15, 20, 30, 40, 60, 80, 120].find((step) => step >= most * 1.12) ?? 160;
}

/**
 * A groove over its bars: early is up, late is down. Dots are accents by their size, the band is how
 * far hits lie about their mean; hollow dots were not found, but worked out from their neighbours.
 */
export function GroovePicture({ reading, family, overlay, hits, onDraw }: Props) {
	const { ref, width, height } = useElementSize();
	const voice = voiceOf(reading, family);
	const behind = overlay && voiceOf(overlay, family);
	const reach = useMemo(() => {
		const drawn = family === null ? reading.voices : [voice];
		return reachOf(behind ? [...drawn, behind] : drawn, hits);
	}, [reading, family, voice, behind, hits]);
	const count = voice.offsets.length;
	const bars = count / reading.slots_a_bar;
	const perCell = (width - left - right) / (bars * reading.bar_cells);
	const cells = (slot: number) =>
		Math.floor(slot / reading.slots_a_bar) * reading.bar_cells + (slot % reading.slots_a_bar);
	const x = (slot: number) => left + (cells(slot) + 0.5) * perCell;
	const middle = (top + height - bottom) / 2;
	const perMs = (middle - top) / reach;
	const y = (ms: number) => middle + ms * perMs;
	return (
		<div ref={ref} className={classes.picture}>
			{width > 0 && height > 60 && count > 0 && (
				<svg width={width} height={height} data-groove-picture>
					<title>Where each slot of the groove lies</title>
					<Ground {...{ reading, x, y, reach, width, height, perCell }} />
					{family === null && <Families {...{ reading, x, y }} />}
					{hits && <Hits {...{ hits, family, x, y }} />}
					{behind && overlay && (
						<Line voice={behind} x={(slot) => x((slot * count) / behind.offsets.length)} y={y} quiet />
					)}
					<Band voice={voice} x={x} y={y} />
					<Line voice={voice} x={x} y={y} />
					{voice.offsets.map((offset, slot) => (
						<Dot
							key={slot}
							name={`${reading.names[slot]}${bars > 1 ? ` of bar ${Math.floor(slot / reading.slots_a_bar) + 1}` : ""}`}
							{...{ voice, slot, offset, x, y, perMs }}
							onDraw={(change) => onDraw(slot + 1, change)}
						/>
					))}
				</svg>
			)}
		</div>
	);
}

type Scale = (value: number) => number;

interface GroundProps {
	reading: GrooveFigures;
	x: Scale;
	y: Scale;
	reach: number;
	width: number;
	height: number;
	perCell: number;
}

function Ground({ reading, x, y, reach, width, height, perCell }: GroundProps) {
	const steps = [-reach, -reach / 2, 0, reach / 2, reach];
	const bars = reading.names.length / reading.slots_a_bar;
	return (
		<g>
			{steps.map((ms) => (
				<g key={ms}>
					<line
						x1={left}
						x2={width - right}
						y1={y(ms)}
						y2={y(ms)}
						stroke={ms === 0 ? "var(--strong-line)" : "var(--line)"}
					/>
					<text x={left - 6} y={y(ms) + 4} textAnchor="end" className={classes.axis}>
						{signed(ms, Number.isInteger(ms) ? 0 : 1, true)}
					</text>
				</g>
			))}
			<text x={left} y={14} className={classes.axis}>
				ms early ↑ late ↓
			</text>
			{reading.names.map((name, slot) => {
				const beat = /^\d/.test(name);
				if (!beat && perCell < 13) return null;
				return (
					<g key={slot}>
						<line
							x1={x(slot)}
							x2={x(slot)}
							y1={top}
							y2={height - bottom}
							stroke="var(--line)"
							strokeWidth={beat ? 1.5 : 0.6}
						/>
						<text
							x={x(slot)}
							y={height - bottom + 16}
							textAnchor="middle"
							className={beat ? classes.beat : classes.axis}
						>
							{name}
						</text>
					</g>
				);
			})}
			{Array.from({ length: bars - 1 }, (_, bar) => {
				const line = x((bar + 1) * reading.slots_a_bar) - perCell / 2;
				return (
					<line key={bar} x1={line} x2={line} y1={top} y2={height - bottom} stroke="var(--strong-line)" />
				);
			})}
		</g>
	);
}

function Hits({ hits, family, x, y }: { hits: LaidHits; family: Family | null; x: Scale; y: Scale }) {
	return (
		<g data-laid-hits>
			{hits.slots
				.slice(0, 4000)
				.map((slot, index) =>
					family === null || hits.families[index] === family ? (
						<circle
							key={index}
							cx={x(slot - 1) + (((index * 7) % 11) - 5) * 0.5}
							cy={y(hits.offsets[index])}
							r={1.6}
							fill="var(--written)"
							opacity={0.5}
						/>
					) : null,
				)}
		</g>
	);
}

interface VoiceProps {
	voice: VoiceFigures;
	x: Scale;
	y: Scale;
}

/** What each family does by itself, beneath all together. */
function Families({ reading, x, y }: { reading: GrooveFigures; x: Scale; y: Scale }) {
	const families = reading.voices.filter(({ family }) => family !== null);
	if (families.length < 2) return null;
	return families.map(({ family, offsets }, place) => (
		<g key={family} opacity={0.75} data-family={family}>
			<path
				d={`M${offsets.map((offset, slot) => `${x(slot)},${y(offset)}`).join("L")}`}
				fill="none"
				stroke="var(--quiet)"
				strokeWidth={1}
			/>
			<text x={x(0) + 12 + 42 * place} y={y(offsets[0]) - 4} className={classes.axis}>
				{family && familyNames[family]}
			</text>
		</g>
	));
}

function Band({ voice: { offsets, spreads }, x, y }: VoiceProps) {
	const edge = (sign: number) =>
		offsets.map((offset, slot) => `${x(slot)},${y(offset + sign * spreads[slot])}`);
	return (
		<path d={`M${edge(-1).join("L")}L${edge(1).reverse().join("L")}Z`} fill="var(--time-fill)" data-band />
	);
}

function Line({ voice: { offsets }, x, y, quiet }: VoiceProps & { quiet?: boolean }) {
	const points = offsets.map((offset, slot) => `${x(slot)},${y(offset)}`);
	return (
		<path
			d={`M${points.join("L")}`}
			fill="none"
			stroke={quiet ? "var(--written)" : "var(--time)"}
			strokeWidth={quiet ? 1.6 : 1.4}
			strokeDasharray={quiet ? "5 3" : undefined}
			data-overlay={quiet}
		/>
	);
}

interface DotProps extends VoiceProps {
	name: string;
	slot: number;
	offset: number;
	perMs: number;
	onDraw: (change: { offset?: number; velocity?: number }) => void;
}

/** A slot: dragged up or down it is earlier or later, with Shift softer or louder. */
function Dot({ voice, name, slot, offset, x, y, perMs, onDraw }: DotProps) {
	const velocity = voice.velocities[slot];
	const radius = Math.max(smallest, Math.min(largest, 6.5 * velocity ** 1.6));
	const drag = (event: PointerEvent<SVGElement>) => {
		if (event.button !== 0) return;
		const [start, accent] = [event.clientY, event.shiftKey];
		follow(event, {
			move: ({ clientY }) =>
				onDraw(
					accent
						? { velocity: Math.max(0.1, velocity + (start - clientY) / 80) }
						: { offset: Math.round((offset + (clientY - start) / perMs) * 10) / 10 },
				),
			end: () => undefined,
			cancel: () => onDraw(accent ? { velocity } : { offset }),
		});
	};
	const onKeyDown = (event: KeyboardEvent) => {
		const up = upwards(event, 10);
		if (up === undefined) return;
		event.preventDefault();
		event.stopPropagation();
		onDraw(
			event.shiftKey ? { velocity: Math.max(0.1, velocity + up * 0.02) } : { offset: offset - up * 0.5 },
		);
	};
	const count = voice.counts[slot];
	const about = [
		`${signed(offset, 1, true)} ms`,
		`± ${voice.spreads[slot].toFixed(1)}`,
		`accent ${Math.round(velocity * 100)} %`,
		voice.inferred[slot] ? "inferred" : count > 0 ? `${count} hits` : "drawn",
	];
	return (
		<g
			className={classes.dot}
			role="slider"
			tabIndex={0}
			aria-label={`Slot ${name}`}
			aria-valuenow={Math.round(offset * 10) / 10}
			aria-valuetext={about.join(", ")}
			data-slot={slot + 1}
			onPointerDown={drag}
			onKeyDown={onKeyDown}
		>
			<title>{`${name}: ${about.join(", ")}. Drag it earlier or later, with Shift softer or louder.`}</title>
			<circle cx={x(slot)} cy={y(offset)} r={Math.max(9, radius)} fill="transparent" />
			<circle
				cx={x(slot)}
				cy={y(offset)}
				r={radius}
				fill={voice.inferred[slot] ? "var(--sheet)" : "var(--time)"}
				stroke="var(--time)"
				strokeWidth={1.5}
			/>
		</g>
	);
}
