/** Draws what lies under the hits: velocity layers, beats and bar lines. */
import type { Instrument, SongDetail } from "../api/generated/types";
import type { Roles } from "../lib/theme";
import { signed } from "../lib/words";
import { placeOf } from "../part/song";
import { axis } from "./axis";
import { velocityY } from "./velocity";

export interface GroundPicture {
	instrument: Instrument;
	song: SongDetail;
	window: [number, number];
	/** Names of layers and values of velocities, where there is room for them. */
	opened: boolean;
	/** Heights stand for another property than velocity: so far to either side of 0, in this unit. */
	reach: [number, string] | null;
	colours: Roles;
}

export function drawGround(
	context: CanvasRenderingContext2D,
	width: number,
	height: number,
	picture: GroundPicture,
) {
	const { instrument, colours, opened, reach } = picture;
	context.clearRect(0, 0, width, height);
	if (reach) {
		drawLines(context, width, height, picture);
		drawReach(context, width, height, reach, opened, colours);
		return;
	}
	const bounds = [...instrument.layers.map((layer) => layer.from), 128];
	context.fillStyle = colours.band;
	instrument.layers.forEach((_, index) => {
		if (index % 2 === 1) return;
		const top = velocityY(Math.min(127, bounds[index + 1] - 0.5), height);
		const bottom = velocityY(Math.max(1, bounds[index] - 0.5), height);
		context.fillRect(0, top, width, bottom - top);
	});
	drawLines(context, width, height, picture);
	if (!opened) return;
	context.fillStyle = colours.quiet;
	context.font = "10.5px 'Public Sans Variable'";
	context.textAlign = "right";
	for (const velocity of [1, 20, 40, 60, 80, 100, 120, 127]) {
		context.fillText(`${velocity}`, width - 6, velocityY(velocity, height) + 3.5);
	}
	context.textAlign = "left";
	for (const [index, layer] of instrument.layers.entries()) {
		const middle =
			(velocityY(bounds[index], height) + velocityY(Math.min(127, bounds[index + 1]), height)) / 2;
		context.fillText(layer.name, 5, middle + 4);
	}
}

/** The line at 0, and the ends of the scale where there is room. */
function drawReach(
	context: CanvasRenderingContext2D,
	width: number,
	height: number,
	[reach, unit]: [number, string],
	opened: boolean,
	colours: Roles,
) {
	const middle = Math.round(velocityY(64, height)) + 0.5;
	context.strokeStyle = colours.strongLine;
	context.setLineDash([2, 4]);
	context.beginPath();
	context.moveTo(0, middle);
	context.lineTo(width, middle);
	context.stroke();
	context.setLineDash([]);
	if (!opened) return;
	context.fillStyle = colours.quiet;
	context.font = "10.5px 'Public Sans Variable'";
	context.textAlign = "right";
	for (const share of [-1, -0.5, 0.5, 1]) {
		const y = velocityY(64 + 63 * share, height) + 3.5;
		context.fillText(`${signed(share * reach, reach < 10 ? 1 : 0, true)} ${unit}`, width - 6, y);
	}
}

function drawLines(
	context: CanvasRenderingContext2D,
	width: number,
	height: number,
	{ song, window, colours }: GroundPicture,
) {
	const { x } = axis(window, width);
	const at = (tick: number) => Math.round(x(tick)) + 0.5;
	const { ticks, beat_ticks } = song.bars;
	const rule = (ascending: number[], colour: string) => {
		context.strokeStyle = colour;
		context.lineWidth = 1;
		context.beginPath();
		for (
			let place = placeOf(ascending, window[0]);
			place < ascending.length && ascending[place] <= window[1];
			place++
		) {
			context.moveTo(at(ascending[place]), 0);
			context.lineTo(at(ascending[place]), height);
		}
		context.stroke();
	};
	const shownBars = placeOf(ticks, window[1]) - placeOf(ticks, window[0]);
	if (shownBars * 4 < width / 14) rule(beat_ticks, colours.line);
	if (shownBars < width / 5) rule(ticks, colours.strongLine);
}
