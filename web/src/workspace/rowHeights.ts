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
	const fixed = ({ id, sounds }: RowNeeds) => {
		if (id === open) return null;
		if (!sounds) return lineHeight;
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
