/** The axis of time that all rows share: ticks of the window to pixels and back. */

/** Free room at both ends, so that the first and the last hit are seen whole. */
const margin = 7;

export interface Axis {
	x: (tick: number) => number;
	tick: (x: number) => number;
	/** Pixels for one tick. */
	scale: number;
}

export function axis([start, end]: [number, number], width: number): Axis {
	const scale = Math.max(1, width - 2 * margin) / (end - start);
	return {
		x: (tick) => margin + (tick - start) * scale,
		tick: (x) => start + (x - margin) / scale,
		scale,
	};
}
