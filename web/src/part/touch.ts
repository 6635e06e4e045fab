/** What the height of a hit stands for: its velocity, or how it moves in the property that is shown. */
import type { MovementReading, Property } from "../api/generated/types";
import type { WorkspaceState } from "./store";

type Shown = Pick<WorkspaceState, "part" | "performance" | "property" | "words">;

/** The place of "0" among the velocities, by whose heights everything is drawn. */
const middle = 64;
const half = 63;

/** How an instrument moves in a property; nothing where no hit of the part does. */
export const readingOf = (
	{ performance }: Shown,
	index: number,
	property: Property,
): MovementReading | undefined =>
	performance?.reading.instruments[index].movement?.find((one) => one.property === property);

/** How far a row reaches to either side of 0, in the property's unit. */
export const reachOf = (state: Shown, index: number) =>
	readingOf(state, index, state.property)?.reach ?? nearOf(state, state.property);

/** How far a row reaches, and its unit, where it shows how hits move. */
export function shownReach(state: Shown, index: number): [number, string] | null {
	const { property, words } = state;
	if (property === "velocity") return null;
	return [reachOf(state, index), words.properties.find(({ name }) => name === property)?.unit ?? ""];
}

/** A picture of a property reaches at least so far to either side of 0. */
export const nearOf = ({ words }: Pick<WorkspaceState, "words">, property: Property) =>
	words.properties.find(({ name }) => name === property)?.near ?? 1;

/** The velocity at whose height a value of the property stands. */
export const asVelocity = (value: number, reach: number) =>
	middle + half * Math.max(-1, Math.min(1, value / reach));

/** How much of the property a step of velocity is. */
export const perStep = (reach: number) => reach / half;

/** By the indices of hits what stands for their velocity in a row, as written and as played. */
export function heightsOf(state: Shown, index: number): [written: number[], played: number[] | undefined] {
	const { part, performance, property } = state;
	if (property === "velocity") return [part.written.velocities, performance?.velocities];
	const reach = reachOf(state, index);
	return [flat(part.written.velocities.length), performance ? mapped(state, property, reach) : undefined];
}

const flats = new Map<number, number[]>();

function flat(count: number) {
	const known = flats.get(count);
	if (known) return known;
	const column = new Array<number>(count).fill(middle);
	flats.clear();
	flats.set(count, column);
	return column;
}

const maps = new WeakMap<object, Map<string, number[]>>();

function mapped({ performance }: Shown, property: Property, reach: number) {
	if (!performance) return [];
	const known = maps.get(performance.movement) ?? new Map<string, number[]>();
	maps.set(performance.movement, known);
	const count = performance.ids.length;
	const key = `${property} ${reach} ${count}`;
	const column =
		known.get(key) ?? performance.movement[property]?.map((value) => asVelocity(value, reach)) ?? flat(count);
	known.set(key, column);
	return column;
}
