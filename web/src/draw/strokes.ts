/** The strokes of a drum: a mark each, and in an opened row a lane each where they are laid apart. */
import type { Instrument } from "../api/generated/types";
import { noteName } from "../lib/words";
import { hitsOf } from "../part/hits";
import type { WorkspaceState } from "../part/store";
import { inset, velocityAt, velocityY } from "./velocity";

/** The place of a stroke among those of its instrument; nothing in a tonal part. */
export type Stroke = number | null | undefined;

export interface StrokeLane {
	stroke: number;
	name: string;
	top: number;
	height: number;
}

/** A lane is at least so high. */
const least = 40;

/** Where hits stand in a row: by velocity over its whole height, or over the lane of each stroke; by pitch in an opened tonal one. */
export interface RowScale {
	lanes: StrokeLane[];
	y: (velocity: number, stroke: Stroke, note: number) => number;
	/** The velocity at a height, on the lane that lies there. */
	velocity: (y: number) => number;
	/** The velocities that a pixel stands for. */
	perPixel: number;
	/** The stroke whose lane lies at a height; nothing where the row has no lanes. */
	stroke: (y: number) => number | null;
	/** The notes from the lowest to the highest, where heights stand for them, and the keys that a pixel stands for. */
	pitch: { low: number; high: number; perPixel: number } | null;
}

const whole = (height: number): RowScale => ({
	lanes: [],
	y: (velocity) => velocityY(velocity, height),
	velocity: (y) => velocityAt(y, height),
	perPixel: 126 / (height - 2 * inset),
	stroke: () => null,
	pitch: null,
});

type Shown = Pick<WorkspaceState, "part" | "performance" | "open" | "apart" | "property" | "pencil">;

/** Whether the strokes of a row are laid apart: it is opened, shows velocities, and nothing is drawn in it. */
const isApart = (state: Shown, { id, articulations, family }: Instrument) =>
	state.apart &&
	family !== "tonal" &&
	state.open === id &&
	state.property === "velocity" &&
	state.pencil === null &&
	articulations.length > 1;

/** Whether a row's heights stand for notes: a tonal one that is opened and shows velocities. */
const isPitched = (state: Shown, { id, family }: Instrument) =>
	state.open === id && family === "tonal" && state.property === "velocity" && state.pencil === null;

/** A tonal row by pitch: the notes that are played, written or not, and a key to either side. */
function pitched(state: Shown, index: number, height: number): RowScale {
	const { written } = state.part;
	let [low, high] = [128, -1];
	const reach = (note: number | undefined) => {
		if (note === undefined) return;
		if (note <= low) low = note - 1;
		if (note >= high) high = note + 1;
	};
	for (const hit of hitsOf(state, index)) {
		reach(written.notes[hit]);
		reach(state.performance?.notes[hit]);
	}
	if (high < low) [low, high] = [59, 61];
	const step = (height - 2 * inset) / Math.max(1, high - low);
	return {
		...whole(height),
		y: (_velocity, _stroke, note) => inset + (high - note) * step,
		pitch: { low, high, perPixel: 1 / step },
	};
}

/** The strokes that hits of an instrument are struck by, as written or as played. */
export function struckBy(state: Pick<WorkspaceState, "part" | "performance">, index: number): Set<number> {
	const { part, performance } = state;
	const found = new Set<number>();
	for (const hit of hitsOf(state, index))
		for (const stroke of [performance?.strokes[hit], part.written.strokes[hit]])
			if (stroke !== null && stroke !== undefined) found.add(stroke);
	return found;
}

/** Lanes for all strokes as far as there is room, for those that are struck before all; the last one is for the rest. */
function lanesOf(state: Shown, index: number, height: number): StrokeLane[] {
	const { articulations } = state.part.kit.instruments[index];
	const room = Math.max(1, Math.floor(height / least));
	const struck = struckBy(state, index);
	const ranked = [...articulations.keys()].sort(
		(a, b) => Number(struck.has(b)) - Number(struck.has(a)) || a - b,
	);
	const shown = ranked.slice(0, room).sort((a, b) => a - b);
	const own = height / shown.length;
	return shown.map((stroke, place) => ({
		stroke,
		name: articulations[stroke].name,
		top: place * own,
		height: own,
	}));
}

/** Whether heights stand for lanes of strokes, or for notes. */
export function isLaidOut(state: Shown, index: number) {
	const instrument = state.part.kit.instruments[index];
	return isPitched(state, instrument) || isApart(state, instrument);
}

export function rowScale(state: Shown, index: number, height: number): RowScale {
	const instrument = state.part.kit.instruments[index];
	if (isPitched(state, instrument)) return pitched(state, index, height);
	if (!isApart(state, instrument)) return whole(height);
	const lanes = lanesOf(state, index, height);
	const last = lanes[lanes.length - 1];
	const of = new Map(lanes.map((lane) => [lane.stroke, lane]));
	const at = (y: number) => lanes.find((lane) => y < lane.top + lane.height) ?? last;
	return {
		lanes,
		y: (velocity, stroke) => {
			const lane = of.get(stroke ?? -1) ?? last;
			return lane.top + velocityY(velocity, lane.height);
		},
		velocity: (y) => velocityAt(y - at(y).top, at(y).height),
		perPixel: 126 / (last.height - 2 * inset),
		stroke: (y) => at(y).stroke,
		pitch: null,
	};
}

/** The mark of a stroke: short flags at a dot, the first stroke has none. Ends of lines, from the dot's middle, in px. */
export function flagsOf(stroke: Stroke): [from: [number, number], to: [number, number]][] {
	if (!stroke) return [];
	const corners: [number, number][] = [
		[1, -1],
		[1, 1],
		[-1, 1],
		[-1, -1],
	];
	// One flag for the first four, two for the next ones, and so on.
	const count = Math.min(4, 1 + Math.floor((stroke - 1) / 4));
	return Array.from({ length: count }, (_, nth) => {
		const [x, y] = corners[(stroke - 1 + nth) % 4];
		return [
			[x * 2.2, y * 2.2],
			[x * 6, y * 6],
		];
	});
}

/** Flags at hits that are not struck by the first stroke. */
export function drawFlags(
	context: CanvasRenderingContext2D,
	hits: number[],
	strokeOf: (hit: number) => Stroke,
	at: (hit: number) => { x: number; y: number },
	colour: string,
) {
	context.strokeStyle = colour;
	context.lineWidth = 1.6;
	context.beginPath();
	for (const hit of hits) {
		const flags = flagsOf(strokeOf(hit));
		if (flags.length === 0) continue;
		const { x, y } = at(hit);
		for (const [from, to] of flags) {
			context.moveTo(x + from[0], y + from[1]);
			context.lineTo(x + to[0], y + to[1]);
		}
	}
	context.stroke();
}

/** A line for each C, and its name; for each note where there is room. */
export function drawPitches(
	context: CanvasRenderingContext2D,
	width: number,
	{ pitch, y }: RowScale,
	colours: { line: string; strongLine: string; quiet: string },
) {
	if (!pitch) return;
	context.lineWidth = 1;
	context.font = "10.5px 'Public Sans Variable'";
	context.textAlign = "right";
	for (let note = Math.max(0, pitch.low); note <= Math.min(127, pitch.high); note++) {
		const isC = note % 12 === 0;
		if (!isC && 1 / pitch.perPixel < 13) continue;
		const at = Math.round(y(0, null, note)) + 0.5;
		context.strokeStyle = isC ? colours.strongLine : colours.line;
		context.beginPath();
		context.moveTo(0, at);
		context.lineTo(width - 26, at);
		context.stroke();
		context.fillStyle = colours.quiet;
		context.fillText(noteName(note), width - 5, at + 3.5);
	}
}

/** Lines between the lanes, and what each is for. */
export function drawLanes(
	context: CanvasRenderingContext2D,
	width: number,
	{ lanes }: RowScale,
	colours: { strongLine: string; quiet: string },
) {
	context.strokeStyle = colours.strongLine;
	context.fillStyle = colours.quiet;
	context.lineWidth = 1;
	context.font = "600 10.5px 'Public Sans Variable'";
	context.textAlign = "left";
	for (const { name, top } of lanes) {
		if (top > 0) {
			context.beginPath();
			context.moveTo(0, Math.round(top) + 0.5);
			context.lineTo(width, Math.round(top) + 0.5);
			context.stroke();
		}
		context.fillText(name, 5, top + 13);
	}
}
