/** Draws the wave of a recorded loop where it lies in the song. */
import type { AudioSource, PeakColumns } from "../api/generated/types";
import { loopRate } from "../engine/audio/loop";
import type { Roles } from "../lib/theme";
import { axis } from "./axis";

/** What makes the loudest of a sound almost as high as its room. */
export const loudestOf = (peaks?: PeakColumns) =>
	0.94 / (peaks ? Math.max(1e-3, ...peaks.high, ...peaks.low.map((value) => -value)) : 1);

export function drawWave(
	context: CanvasRenderingContext2D,
	width: number,
	height: number,
	wave: PeakColumns,
	{ slicing }: AudioSource,
	window: [number, number],
	colours: Roles,
	/** Whether what sounds at a tick is a slice of this row. */
	own: (tick: number) => boolean,
) {
	const { x } = axis(window, width);
	const perPixel = (window[1] - window[0]) / width;
	const left = x(window[0]);
	const { from, to, start, ticks, times } = slicing;
	const second = (share: number) => (from + share * (to - from)) / loopRate;
	const scale = loudestOf(wave);
	context.fillStyle = colours.written;
	for (let column = Math.max(0, Math.floor(left)); column < width; column++) {
		const tick = window[0] + (column - left) * perPixel;
		const at = (tick - start) / ticks;
		if (at < 0 || at >= times) continue;
		const share = at - Math.floor(at);
		const first = Math.floor(second(share) / wave.step);
		const last = Math.max(first + 1, Math.ceil(second(Math.min(1, share + perPixel / ticks)) / wave.step));
		let [low, high] = [0, 0];
		for (let place = first; place < Math.min(last, wave.low.length); place++) {
			low = Math.min(low, wave.low[place]);
			high = Math.max(high, wave.high[place]);
		}
		context.globalAlpha = own(tick) ? 0.34 : 0.09;
		const top = (height * (1 - scale * high)) / 2;
		context.fillRect(column, top, 1, Math.max(0.5, (height * scale * (high - low)) / 2));
	}
	context.globalAlpha = 1;
}
