/** The lanes of the part, as the page shows them. */
import type { LaneColumns, LaneOffer, LanePoint } from "../api/generated/types";
import type { WorkspaceState } from "./store";

/** The height of a lane's row. */
export const laneHeight = 54;

type Shown = Pick<WorkspaceState, "part" | "performance" | "extraLanes" | "words" | "recipe">;

/** The lanes that have a row: those with values, those that passes are about, and those that were asked for. */
export function shownLanes({ part, performance, extraLanes, words, recipe }: Shown): LaneOffer[] {
	const lanes = new Map<string, LaneOffer>();
	const put = ({ kind, name, range }: LaneOffer) => lanes.set(kind, lanes.get(kind) ?? { kind, name, range });
	part.written.lanes.forEach(put);
	for (const lane of performance?.lanes ?? []) if (lane.ticks.length > 0) put(lane);
	const asked = [...extraLanes, ...recipe.passes.map(({ action }) => ("lane" in action ? action.lane : ""))];
	for (const kind of asked) {
		const offer = [...words.lanes, ...words.other_lanes].find((one) => one.kind === kind);
		if (offer) put(offer);
	}
	return [...lanes.values()];
}

/** So many lanes have a row without being asked for. */
const mostRows = 4;

/**
 * Which of the lanes have a row and which are folded away: where there are many, those that somebody asked for or that
 * passes are about come first.
 */
export function foldedLanes(lanes: LaneOffer[], { extraLanes, recipe }: Shown) {
	const meant = new Set([
		...extraLanes,
		...recipe.passes.map(({ action }) => ("lane" in action ? action.lane : "")),
	]);
	const free = mostRows - lanes.filter(({ kind }) => meant.has(kind)).length;
	const others = lanes.filter(({ kind }) => !meant.has(kind));
	const kept = new Set(others.slice(0, Math.max(0, free)).map(({ kind }) => kind));
	const [rows, folded]: [LaneOffer[], LaneOffer[]] = [[], []];
	for (const lane of lanes) (meant.has(lane.kind) || kept.has(lane.kind) ? rows : folded).push(lane);
	return { rows, folded };
}

export const writtenLane = ({ part }: Pick<WorkspaceState, "part">, kind: string): LaneColumns | undefined =>
	part.written.lanes.find((lane) => lane.kind === kind);

export const playedLane = (
	{ performance }: Pick<WorkspaceState, "performance">,
	kind: string,
): LaneColumns | undefined => performance?.lanes.find((lane) => lane.kind === kind);

/** The pass that draws a lane with points: the last that is on. */
export function linePass({ recipe }: Pick<WorkspaceState, "recipe">, kind: string) {
	const pass = recipe.passes.findLast(
		({ on, action }) => on && action.kind === "lane-line" && action.lane === kind,
	);
	return pass?.action.kind === "lane-line" ? { id: pass.id, points: pass.action.points } : null;
}

export const noPoints: LanePoint[] = [];

/** A tick as a place counted in bars from 1, and back. */
export function barPlace({ bars }: WorkspaceState["song"], tick: number) {
	const bar = Math.max(
		1,
		Math.min(bars.ticks.length - 1, bars.ticks.findLastIndex((one) => one <= tick) + 1),
	);
	const start = bars.ticks[bar - 1];
	return bar + Math.max(0, (tick - start) / (bars.ticks[bar] - start));
}

export function tickOfPlace({ bars }: WorkspaceState["song"], place: number) {
	const bar = Math.max(1, Math.min(bars.ticks.length - 1, Math.floor(place)));
	const start = bars.ticks[bar - 1];
	return start + (place - bar) * (bars.ticks[bar] - start);
}
