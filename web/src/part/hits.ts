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

/** Selects an instrument's hits that sound: those in the loop, and where these are selected already all in the song. */
export function selectHitsOf(state: WorkspaceState, instrument: string) {
	const index = state.part.kit.instruments.findIndex(({ id }) => id === instrument);
	selectWithin(state, index < 0 ? [] : [index]);
}

/** Selects what sounds of some instruments: in the loop, and where that is selected already in the song. */
export function selectWithin(state: WorkspaceState, indices: number[]) {
	selectThese(
		state,
		indices.flatMap((index) => hitsOf(state, index)),
	);
}

function selectThese(state: WorkspaceState, hits: number[]) {
	const { selected } = state;
	const sounding = hits.filter(sounds(state));
	const looped = sounding.filter(inLoop(state));
	const ids = looped.map((hit) => idOf(state, hit));
	const already = ids.length > 0 && ids.length === selected.size && ids.every((id) => selected.has(id));
	state.select(already || ids.length === 0 ? sounding.map((hit) => idOf(state, hit)) : ids);
}

/** What is selected, by index, and the instruments that it is on. */
function selectedOf(state: WorkspaceState) {
	const { instruments } = state.part.kit;
	const own = [...instruments.keys()].map((index) =>
		hitsOf(state, index).filter((hit) => state.selected.has(idOf(state, hit))),
	);
	return own.map((hits, index) => ({ index, hits })).filter(({ hits }) => hits.length > 0);
}

/** The names of the strokes that the instruments of what is selected have. */
export function strokesOfSelected(state: WorkspaceState) {
	const instruments = selectedOf(state).map(({ index }) => state.part.kit.instruments[index]);
	const drums = instruments.filter(({ family }) => family !== "tonal");
	return [...new Set(drums.flatMap(({ articulations }) => articulations.map(({ name }) => name)))];
}

/** Selects the hits of an instrument that a stroke plays: in the loop, and where these are selected already in the song. */
export function selectStruckBy(state: WorkspaceState, index: number, stroke: number) {
	const strokes = state.performance?.strokes ?? state.part.written.strokes;
	const own = hitsOf(state, index).filter((hit) => strokes[hit] === stroke);
	selectThese(state, own);
}

const sounds = (state: WorkspaceState) => (hit: number) => !state.performance?.silenced.has(idOf(state, hit));

/** Selects the hits of the same instruments at the same places of every bar; or those in the loop that are as loud. */
export function moreLikeThese(state: WorkspaceState, by: "slots" | "loudness") {
	const lines = state.performance?.lines ?? state.part.written.lines;
	const velocities = state.performance?.velocities ?? state.part.written.velocities;
	const within = inLoop(state);
	const found = selectedOf(state).flatMap(({ index, hits }) => {
		const places = new Set(hits.map((hit) => lines.places[hit]));
		const own = hits.map((hit) => velocities[hit]);
		const [least, most] = [Math.min(...own), Math.max(...own)];
		const alike = (hit: number) =>
			by === "slots"
				? places.has(lines.places[hit])
				: velocities[hit] >= least && velocities[hit] <= most && within(hit);
		return hitsOf(state, index).filter(alike).filter(sounds(state));
	});
	state.select(found.map((hit) => idOf(state, hit)));
}

/** Selects the hits of the same instruments in the loop that are not selected. */
export function invertSelection(state: WorkspaceState) {
	const within = inLoop(state);
	const others = selectedOf(state).flatMap(({ index }) =>
		hitsOf(state, index).filter((hit) => within(hit) && !state.selected.has(idOf(state, hit))),
	);
	state.select(others.filter(sounds(state)).map((hit) => idOf(state, hit)));
}

function inLoop(state: WorkspaceState) {
	const anchors = anchorsOf(state);
	const { song, loop } = state;
	const [from, to] = [song.bars.ticks[loop[0] - 1], song.bars.ticks[loop[1]]];
	return (hit: number) => anchors[hit] >= from && anchors[hit] < to;
}
