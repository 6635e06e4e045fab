import { useElementSize } from "@mantine/hooks";
import { type KeyboardEvent, type PointerEvent, useMemo, useRef, useState } from "react";
import type { Kit, NoteUse } from "../../api/generated/types";
import { downwards } from "../../lib/arrows";
import { follow } from "../../lib/dragging";
import { noteName } from "../../lib/words";
import classes from "./Kits.module.css";
import { type StrokeAt, strokeOfNote, withNewInstrument, withNewStroke, withNote } from "./kits";

interface Props {
	kit: Kit;
	notes: NoteUse[];
	at: StrokeAt | null;
	editable: boolean;
	/** The next note that is chosen is the stroke's. */
	learning: boolean;
	onChoose: (at: StrokeAt) => void;
	onLearn: (note: number, channel?: number) => void;
	onChange: (label: string, kit: Kit) => void;
}

const line = 23;
const title = 24;
const chip = 23;

interface Stroke extends StrokeAt {
	y: number;
}

/** Where everything stands: strokes below their instruments, notes beside what they come to and go out of. */
function layout(kit: Kit, notes: NoteUse[]) {
	const strokes: Stroke[] = [];
	const titles: number[] = [];
	let y = 6;
	kit.instruments.forEach(({ articulations }, instrument) => {
		titles.push(y);
		y += title;
		articulations.forEach((_, stroke) => {
			strokes.push({ instrument, stroke, y });
			y += line;
		});
		y += 7;
	});
	const find = (note: number, channel: number) => {
		const at = strokeOfNote(kit, note, channel);
		const found = strokes.find((one) => one.instrument === at?.instrument && one.stroke === at.stroke);
		return found ?? null;
	};
	const incoming = notes.map((use) => ({ use, to: find(use.note, use.channel), y: 0 }));
	// What hangs loose stands on top, the others beside their strokes.
	incoming.sort((a, b) => (a.to?.y ?? -1) - (b.to?.y ?? -1) || a.use.note - b.use.note);
	let free = 6;
	for (const one of incoming) {
		one.y = Math.max(free, one.to?.y ?? 0);
		free = one.y + chip;
	}
	interface Outgoing {
		note: number;
		channel: number | undefined;
		y: number;
		from: Stroke[];
	}
	const outs = new Map<string, Outgoing>();
	for (const from of strokes) {
		const way = kit.instruments[from.instrument].articulations[from.stroke];
		const [note, channel] = [way.note_out ?? way.note, way.channel_out ?? way.channel];
		const key = `${note} ${channel}`;
		const known = outs.get(key);
		if (known) known.from.push(from);
		else outs.set(key, { note, channel, y: from.y, from: [from] });
	}
	const outgoing = [...outs.values()];
	let below = 6;
	for (const one of outgoing) {
		one.y = Math.max(below, one.y);
		below = one.y + chip;
	}
	return { strokes, titles, incoming, outgoing, height: Math.max(y, free, below) + 34 };
}

const curve = (x1: number, y1: number, x2: number, y2: number) => {
	const middle = (x1 + x2) / 2;
	return `M${x1} ${y1}C${middle} ${y1} ${middle} ${y2} ${x2} ${y2}`;
};

/** A kit as threads: the notes that come in, the strokes that they are, the notes that go out. */
export function Threads({ kit, notes, at, editable, learning, onChoose, onLearn, onChange }: Props) {
	const { ref, width } = useElementSize();
	const sheet = useRef<HTMLDivElement>(null);
	const [drawn, setDrawn] = useState<{ note: number; x: number; y: number; from: [number, number] } | null>(
		null,
	);
	const placed = useMemo(() => layout(kit, notes), [kit, notes]);
	const { strokes, titles, incoming, outgoing, height } = placed;
	const left = Math.min(190, Math.round(width * 0.27));
	const right = Math.min(126, Math.round(width * 0.2));
	const gap = Math.max(30, Math.round((width - left - right) * 0.18));
	const [from, to] = [left + gap, width - right - gap];
	const isAt = (one: StrokeAt) => at?.instrument === one.instrument && at.stroke === one.stroke;
	const most = Math.max(1, ...notes.flatMap(({ velocities }) => velocities));
	const hitsOf = new Map<string, number>();
	for (const { use, to: stroke } of incoming)
		if (stroke) {
			const key = `${stroke.instrument} ${stroke.stroke}`;
			hitsOf.set(key, (hitsOf.get(key) ?? 0) + use.played);
		}
	const isPlayed = (one: StrokeAt) => (hitsOf.get(`${one.instrument} ${one.stroke}`) ?? 0) > 0;

	/** Draws the thread of a note to where it is let go. */
	const draw = (use: NoteUse, y: number) => (event: PointerEvent<HTMLElement>) => {
		const box = sheet.current?.getBoundingClientRect();
		if (!editable || learning || event.button !== 0 || !box) return;
		let over: Element | null = null;
		const move = (now: globalThis.PointerEvent) => {
			over =
				document.elementsFromPoint(now.clientX, now.clientY).find((one) => one.matches("[data-goal]")) ??
				null;
			setDrawn({
				note: use.note,
				x: now.clientX - box.left,
				y: now.clientY - box.top,
				from: [left, y + chip / 2],
			});
		};
		const end = () => {
			setDrawn(null);
			const goal = over?.getAttribute("data-goal")?.split(" ");
			if (!goal) return;
			const place = Number(goal[1]);
			const name = kit.instruments[place]?.name.toLowerCase();
			if (goal[0] === "stroke")
				onChange(
					`note ${use.note} is ${name}`,
					withNote(kit, { instrument: place, stroke: Number(goal[2]) }, use.note),
				);
			else if (goal[0] === "instrument")
				onChange(`note ${use.note} is another stroke of ${name}`, withNewStroke(kit, place, use.note));
			else onChange(`note ${use.note} is an instrument`, withNewInstrument(kit, use.note));
		};
		follow(event, { move, end, cancel: () => setDrawn(null) });
	};
	const keys = (one: Stroke) => (event: KeyboardEvent) => {
		const by = downwards(event);
		const next = by ? strokes[strokes.indexOf(one) + by] : undefined;
		if (!next) return;
		event.preventDefault();
		event.stopPropagation();
		onChoose(next);
		sheet.current
			?.querySelector<HTMLElement>(`[data-goal="stroke ${next.instrument} ${next.stroke}"]`)
			?.focus();
	};
	return (
		<div className={classes.threads} ref={ref} data-threads>
			<div className={classes.columns}>
				<span style={{ left: 8 }}>what comes in</span>
				<span style={{ left: from + 7 }}>strokes</span>
				<span style={{ left: width - right + 7 }}>what goes out</span>
			</div>
			<div className={classes.sheet} ref={sheet} style={{ height }}>
				<svg width={width} height={height} aria-hidden="true">
					{incoming.map(({ use, to: stroke, y }) => (
						<path
							key={`${use.note} ${use.channel}`}
							data-thread={stroke ? (isAt(stroke) ? "chosen" : "in") : "loose"}
							d={
								stroke
									? curve(left, y + chip / 2, from, stroke.y + line / 2)
									: `M${left} ${y + chip / 2}q${gap * 0.3} 0 ${gap * 0.42} 9`
							}
						/>
					))}
					{outgoing.map((out) =>
						out.from.map((stroke) => (
							<path
								key={`${stroke.instrument} ${stroke.stroke}`}
								data-thread={isAt(stroke) ? "chosen" : isPlayed(stroke) ? "in" : "idle"}
								d={curve(to, stroke.y + line / 2, width - right, out.y + chip / 2)}
							/>
						)),
					)}
					{drawn && <path data-thread="drawn" d={curve(drawn.from[0], drawn.from[1], drawn.x, drawn.y)} />}
				</svg>
				{incoming.map(({ use, to: stroke, y }) => (
					<button
						type="button"
						key={`${use.note} ${use.channel}`}
						className={classes.note}
						style={{ top: y, width: left }}
						data-note={use.note}
						data-loose={stroke === null}
						title={
							stroke
								? `Note ${use.note}, ${noteName(use.note)}: ${use.written} written, ${use.played} played`
								: `Nothing of this kit knows note ${use.note}: it is silent in the sampler`
						}
						onPointerDown={draw(use, y)}
						onClick={() => {
							if (learning) onLearn(use.note);
							else if (stroke) onChoose(stroke);
						}}
					>
						<b>{use.note}</b>
						<span>{noteName(use.note)}</span>
						<Strip velocities={use.velocities} most={most} />
						<i>{use.played}</i>
					</button>
				))}
				{kit.instruments.map((instrument, place) => (
					<div
						key={instrument.id}
						className={classes.instrument}
						style={{ top: titles[place], left: from, width: to - from }}
						data-goal={`instrument ${place}`}
					>
						{instrument.name}
						{instrument.choke && <small> chokes with {instrument.choke}</small>}
					</div>
				))}
				{strokes.map((one) => {
					const way = kit.instruments[one.instrument].articulations[one.stroke];
					return (
						<button
							type="button"
							key={`${one.instrument} ${one.stroke}`}
							className={classes.stroke}
							style={{ top: one.y, left: from, width: to - from }}
							aria-pressed={isAt(one)}
							data-goal={`stroke ${one.instrument} ${one.stroke}`}
							data-stroke={`${kit.instruments[one.instrument].id} ${way.name}`}
							data-idle={!isPlayed(one)}
							onClick={() => onChoose(one)}
							onKeyDown={keys(one)}
						>
							<span>{way.name}</span>
							{way.hand && way.hand !== "either" && <small>{way.hand}</small>}
							<i>{way.note}</i>
						</button>
					);
				})}
				{outgoing.map((out) => (
					<div
						key={`${out.note} ${out.channel}`}
						className={classes.out}
						style={{ top: out.y, width: right }}
						data-out={out.note}
						data-idle={!out.from.some(isPlayed)}
						data-chosen={out.from.some(isAt)}
					>
						<b>{out.note}</b> {noteName(out.note)}
						{out.channel !== undefined && <small>ch {out.channel + 1}</small>}
					</div>
				))}
				{editable && (
					<div
						className={classes.another}
						style={{ left: from, width: to - from }}
						data-goal="new"
						data-drawing={drawn !== null}
					>
						{drawn ? `Note ${drawn.note} as a new instrument` : "Draw a note here for a new instrument"}
					</div>
				)}
			</div>
		</div>
	);
}

/** How hard the hits of a note are, as small bars. */
function Strip({ velocities, most }: { velocities: number[]; most: number }) {
	const room = 14;
	return (
		<svg width={velocities.length * 3} height={room} aria-hidden="true">
			{velocities.map((count, place) => {
				const height = count === 0 ? 0 : Math.max(1.5, Math.sqrt(count / most) * room);
				return <rect key={place} x={place * 3} y={room - height} width={2} height={height} />;
			})}
		</svg>
	);
}
