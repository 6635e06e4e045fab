/** Draws a lane: what was written dashed, what is played solid, each value held up to the next. */
import { firstFrom } from "../lib/ascending";
import { axis } from "./axis";

export interface LanePicture {
	ticks: number[];
	values: number[];
	/** What holds before the first value. */
	rest: number;
}

/** The room above and below a lane, in px. */
const inset = 5;

/** The height of a value in a lane. */
export const laneY = (value: number, [least, most]: [number, number], height: number) =>
	inset + ((most - value) / (most - least)) * (height - 2 * inset);

/** The value at a height in a lane. */
export const laneValue = (y: number, [least, most]: [number, number], height: number) =>
	Math.max(least, Math.min(most, Math.round(most - ((y - inset) / (height - 2 * inset)) * (most - least))));

/** What holds at a tick. */
export function heldAt({ ticks, values, rest }: LanePicture, tick: number) {
	const behind = firstFrom(ticks, tick + 0.5);
	return behind > 0 ? values[behind - 1] : rest;
}

/** The line over a stretch of ticks, put where that stretch is shown. */
export function drawLane(
	context: CanvasRenderingContext2D,
	width: number,
	height: number,
	lane: LanePicture,
	range: [number, number],
	window: [number, number],
	[from, to, shift]: [number, number, number],
) {
	if (lane.ticks.length === 0) return;
	const { x, tick } = axis(window, width);
	const { ticks, values } = lane;
	const y = (value: number) => laneY(value, range, height);
	const first = firstFrom(ticks, from);
	const last = firstFrom(ticks, to);
	let held = heldAt(lane, from - 1);
	if (last - first > 2 * width) {
		fillLane(context, lane, [first, last], held, [x(from + shift), x(to + shift)], {
			x: (at) => x(at + shift),
			tick: (at) => tick(at) - shift,
			y,
		});
		return;
	}
	context.beginPath();
	context.moveTo(x(from + shift), y(held));
	for (let place = first; place < last; place++) {
		const at = x(ticks[place] + shift);
		context.lineTo(at, y(held));
		held = values[place];
		context.lineTo(at, y(held));
	}
	context.lineTo(x(to + shift), y(held));
	context.stroke();
}

/**
 * A line whose values lie closer than pixels: of those in one column the least and the greatest are enough, so that it
 * costs what the row is wide. Dashes would say nothing here.
 */
function fillLane(
	context: CanvasRenderingContext2D,
	{ ticks, values }: LanePicture,
	[first, last]: [number, number],
	held: number,
	[left, right]: [number, number],
	{ x, tick, y }: Record<"x" | "tick" | "y", (value: number) => number>,
) {
	context.beginPath();
	let drawn = Math.floor(left);
	let place = first;
	while (place < last) {
		const column = Math.floor(x(ticks[place]));
		const next = tick(column + 1);
		if (column > drawn) context.rect(drawn, y(held) - 0.5, column - drawn, 1);
		// From where it came.
		let [least, most] = [held, held];
		do {
			held = values[place];
			if (held < least) least = held;
			if (held > most) most = held;
			place++;
		} while (place < last && ticks[place] < next);
		context.rect(column, y(most) - 0.5, 1, y(least) - y(most) + 1);
		drawn = column + 1;
	}
	context.rect(drawn, y(held) - 0.5, Math.max(0, right - drawn), 1);
	context.fillStyle = context.strokeStyle;
	context.fill();
}
