/** Which rows are shown, in which order, and how high. */
import type { Instrument } from "../api/generated/types";
import type { View } from "./store";

/** A row without hits in view is one line. */
export const lineHeight = 27;
/** The least height in which portraits and hits can be read. */
const least = 78;
/** As far as a row can be dragged. */
export const tallest = 700;

/** The places in the kit of the instruments whose rows are shown, from the top down. */
export function shownRows(instruments: Instrument[], { order, hidden }: Pick<View, "order" | "hidden">) {
	const rank = new Map(order.map((id, place) => [id, place]));
	const rankOf = (index: number) => rank.get(instruments[index].id) ?? order.length + index;
	return instruments
		.map((_, index) => index)
		.filter((index) => !hidden.includes(instruments[index].id))
		.sort((a, b) => rankOf(a) - rankOf(b));
}

/** Of a kit that has more than these, the drums that a beat is begun with; the others are had by *Instruments*. */
const basicFamilies: Record<string, number> = { kick: 1, snare: 1, hat: 3, tom: 3, ride: 1, crash: 1 };
const smallKit = 16;

/** The places in the kit of the instruments that have rows to draw in, struck or not. */
export function basicRows(instruments: Instrument[]) {
	const places = instruments.map((_, index) => index);
	if (instruments.length <= smallKit) return places;
	const left = { ...basicFamilies };
	return places.filter((index) => {
		const { family } = instruments[index];
		left[family] = (left[family] ?? 0) - 1;
		return left[family] >= 0;
	});
}

export interface RowNeeds {
	id: string;
	/** It has hits in view. */
	sounds: boolean;
}

/**
 * The heights of rows: those without hits in view are a line, those that were dragged are as high as they were
 * dragged, the opened one takes most of what is left, and the others share it.
 */
export function rowHeights(
	rows: RowNeeds[],
	room: number,
	dragged: Record<string, number>,
	open: string | null,
) {
	// Where nothing sounds yet all wait to be drawn in.
	const waits = rows.length > 0 && rows.every(({ sounds }) => !sounds);
	const fixed = ({ id, sounds }: RowNeeds) => {
		if (id === open) return null;
		if (!sounds)
			return waits && open === null ? Math.max(lineHeight, Math.floor(room / rows.length)) : lineHeight;
		if (open !== null) return least;
		return dragged[id] ?? null;
	};
	const heights = rows.map(fixed);
	const taken = heights.reduce<number>((sum, height) => sum + (height ?? 0), 0);
	const sharing = heights.filter((height) => height === null).length;
	const share = Math.floor((room - taken) / Math.max(1, sharing));
	const shared =
		open === null ? Math.max(least, Math.min(tallest, share)) : Math.max(280, Math.round(room * 0.6), share);
	return heights.map((height) => height ?? shared);
}
