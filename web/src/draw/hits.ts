/** Draws the hits of one instrument: written hollow, played solid, a thin line between the two. */
import type { PerformanceColumns, WrittenColumns } from "../api/generated/types";
import type { Roles } from "../theme";
import { axis } from "./axis";

/** The room above and below the velocity scale of a row, in px. */
export const inset = 9;

/** The height of a velocity in a row. */
export const velocityY = (velocity: number, height: number) =>
	inset + ((127 - velocity) / 126) * (height - 2 * inset);

/** The velocity at a height in a row. */
export const velocityAt = (y: number, height: number) => 127 - ((y - inset) / (height - 2 * inset)) * 126;

export interface HitsPicture {
	hits: number[];
	written: WrittenColumns;
	played: PerformanceColumns | null;
	window: [number, number];
	/** Which reading sounds; the other one steps back. */
	reading: "written" | "played";
	/** Only these are drawn strongly, where a pass is under the pointer. */
	lit: Set<number> | null;
	silent: boolean;
	colours: Roles;
}

const radius = 3.3;

/** The first place in `hits` whose written tick is not before `tick`. */
function firstFrom(hits: number[], ticks: number[], tick: number) {
	let low = 0;
	let high = hits.length;
	while (low < high) {
		const middle = (low + high) >> 1;
		if (ticks[hits[middle]] < tick) low = middle + 1;
		else high = middle;
	}
	return low;
}

export function drawHits(
	context: CanvasRenderingContext2D,
	width: number,
	height: number,
	picture: HitsPicture,
) {
	const { hits, written, played, window } = picture;
	context.clearRect(0, 0, width, height);
	const { x, scale } = axis(window, width);
	// Hits that were moved into view from just outside it are drawn, too.
	const margin = 24 / scale + 400;
	const from = firstFrom(hits, written.ticks, window[0] - margin);
	const to = firstFrom(hits, written.ticks, window[1] + margin);
	if (to - from > width / 2.2) {
		drawDensity(context, width, height, picture, from, to);
		return;
	}
	context.globalAlpha = picture.silent ? 0.3 : 1;
	if (played) drawLines(context, height, picture, from, to, x);
	const hollow = dot(picture.colours.written, false, picture.reading === "written");
	const solid = dot(picture.colours.played, true, true);
	const faint = dot(picture.colours.played, true, false);
	stamp(context, hollow, hits, from, to, (hit) => [
		x(written.ticks[hit]),
		velocityY(written.velocities[hit], height),
	]);
	if (played) {
		const strong = (hit: number) => picture.reading === "played" && (!picture.lit || picture.lit.has(hit));
		const place = (hit: number) => [x(played.ticks[hit]), velocityY(played.velocities[hit], height)];
		stamp(context, faint, hits, from, to, place, (hit) => !strong(hit));
		stamp(context, solid, hits, from, to, place, strong);
	}
	context.globalAlpha = 1;
}

function drawLines(
	context: CanvasRenderingContext2D,
	height: number,
	{ hits, written, played, colours, silent }: HitsPicture,
	from: number,
	to: number,
	x: (tick: number) => number,
) {
	if (!played) return;
	context.strokeStyle = colours.played;
	context.globalAlpha = silent ? 0.12 : 0.35;
	context.lineWidth = 1;
	context.beginPath();
	for (let place = from; place < to; place++) {
		const hit = hits[place];
		context.moveTo(x(written.ticks[hit]), velocityY(written.velocities[hit], height));
		context.lineTo(x(played.ticks[hit]), velocityY(played.velocities[hit], height));
	}
	context.stroke();
	context.globalAlpha = silent ? 0.3 : 1;
}

function stamp(
	context: CanvasRenderingContext2D,
	sprite: Sprite,
	hits: number[],
	from: number,
	to: number,
	place: (hit: number) => number[],
	wanted: (hit: number) => boolean = () => true,
) {
	for (let index = from; index < to; index++) {
		const hit = hits[index];
		if (!wanted(hit)) continue;
		const [x, y] = place(hit);
		context.drawImage(sprite.image, x - sprite.size / 2, y - sprite.size / 2, sprite.size, sprite.size);
	}
}

/** Zoomed out so far that dots would hide one another: how many hits there are, cell by cell. */
function drawDensity(
	context: CanvasRenderingContext2D,
	width: number,
	height: number,
	{ hits, written, played, window, reading, colours, silent }: HitsPicture,
	from: number,
	to: number,
) {
	const showPlayed = reading === "played" && played !== null;
	const { ticks, velocities } = showPlayed ? played : written;
	const cell = 3;
	const columns = Math.ceil(width / cell);
	const lines = Math.ceil(height / cell);
	const counts = new Uint16Array(columns * lines);
	const { x } = axis(window, width);
	let most = 1;
	for (let place = from; place < to; place++) {
		const hit = hits[place];
		const column = Math.floor(x(ticks[hit]) / cell);
		const line = Math.floor(velocityY(velocities[hit], height) / cell);
		if (column < 0 || column >= columns) continue;
		const count = ++counts[column * lines + line];
		if (count > most) most = count;
	}
	context.fillStyle = showPlayed ? colours.played : colours.written;
	for (let column = 0; column < columns; column++) {
		for (let line = 0; line < lines; line++) {
			const count = counts[column * lines + line];
			if (count === 0) continue;
			context.globalAlpha = (silent ? 0.3 : 1) * (0.3 + 0.7 * Math.sqrt(count / most));
			context.fillRect(column * cell, line * cell, cell - 0.5, cell - 0.5);
		}
	}
	context.globalAlpha = 1;
}

interface Sprite {
	image: HTMLCanvasElement;
	size: number;
}

const sprites = new Map<string, Sprite>();

/** A dot drawn once: copies of a small picture are much faster than circles. */
function dot(colour: string, solid: boolean, strong: boolean): Sprite {
	const ratio = window.devicePixelRatio || 1;
	const key = `${colour} ${solid} ${strong} ${ratio}`;
	const known = sprites.get(key);
	if (known) return known;
	const size = 2 * Math.ceil(radius) + 4;
	const image = document.createElement("canvas");
	image.width = size * ratio;
	image.height = size * ratio;
	const context = image.getContext("2d") as CanvasRenderingContext2D;
	context.scale(ratio, ratio);
	context.globalAlpha = strong ? 1 : 0.45;
	context.beginPath();
	context.arc(size / 2, size / 2, solid ? radius : radius - 0.6, 0, Math.PI * 2);
	if (solid) {
		context.fillStyle = colour;
		context.fill();
	} else {
		context.strokeStyle = colour;
		context.lineWidth = strong ? 1.8 : 1.1;
		context.stroke();
	}
	const sprite = { image, size };
	sprites.set(key, sprite);
	return sprite;
}
