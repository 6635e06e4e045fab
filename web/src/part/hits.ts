/** The hits of the open part: which are an instrument's, and where they belong. */
import { firstWhere } from "../lib/ascending";
import { writtenOf } from "./played";
import type { WorkspaceState } from "./store";

type Hits = Pick<WorkspaceState, "performance" | "part">;

/** The indices of an instrument's hits. */
export const hitsOf = ({ performance, part }: Hits, index: number) =>
	performance?.ofInstruments[index] ?? writtenOf(part)[index];

/** The id of a hit, by its index. */
export const idOf = ({ performance, part }: Hits, hit: number) => (performance?.ids ?? part.written.ids)[hit];

/** Where the hits belong in the metre, in ticks. */
export const anchorsOf = ({ performance, part }: Hits) => performance?.anchors ?? part.written.ticks;

/** How many hits of an instrument are in view. */
export const inView = (state: WorkspaceState, index: number) =>
	state.stacked ? hitsOf(state, index).length : countIn(hitsOf(state, index), anchorsOf(state), state.window);

/** The first place in `hits` whose written tick is not before `tick`. */
export function firstFrom(hits: number[], ticks: number[], tick: number) {
	return firstWhere(hits.length, (place) => ticks[hits[place]] >= tick);
}

/** How many hits of an instrument lie in a window. */
export const countIn = (hits: number[], anchors: number[], [from, to]: [number, number]) =>
	firstFrom(hits, anchors, to) - firstFrom(hits, anchors, from);
