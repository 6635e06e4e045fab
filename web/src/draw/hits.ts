/** Draws the hits of one instrument: written hollow, played solid, a thin line between the two. */
import type { WrittenColumns } from "../api/generated/types";
import type { Roles } from "../lib/theme";
import { firstFrom } from "../part/hits";
import type { Played } from "../part/played";
import { axis } from "./axis";
import { drawFlags, type Stroke } from "./strokes";
import { velocityY } from "./velocity";

export interface HitsPicture {
	/** By their indices in the columns. */
	hits: number[];
	written: WrittenColumns;
	played: Played | null;
	window: [number, number];
	/** All hits lie in view, wherever in the song they are. */
	all: boolean;
	/** Where a hit that sounds at a tick is shown, in ticks of the window. */
	place: (tick: number, hit: number) => number;
	/** How many times as far from their lines as they sound hits are shown. */
	times: number;
	/** So many hits lie in view that dots would hide one another: in one row, and so in all. */
	dense: boolean;
	/** Which reading sounds; the other one steps back. */
	reading: "written" | "played";
	/** Another take, shown in the place of Written. */
	against:
		| {
				hits: number[];
				ticks: number[];
				velocities: number[];
				place: (tick: number, hit: number) => number;
		  }
		| null
		| false;
	/** Only these, by their ids, are drawn strongly, where a pass is under the pointer. */
	lit: Set<number> | null;
	/** Ringed, by their ids. */
	selected: Set<number>;
	silent: boolean;
	/** The height of a velocity, on the lane of a stroke, or of a note. */
	y: (velocity: number, stroke: Stroke, note: number) => number;
	/** Where tails end, in ticks of the window, where lengths are shown. */
	tails: { written: (hit: number) => number; played: (hit: number) => number } | null;
	/** Hits show by which stroke they are struck. */
	flags: boolean;
	/** What stands beside a hit where there is room. */
	number: ((hit: number) => string) | null;
	/** Hands and feet are written beside hits. */
	hands: boolean;
	/** Made hits are joined to what they were made from. */
	kin: boolean;
	/** Grace notes are joined to the hits that they belong to, by their indices. */
	graces: Map<number, number> | null;
	colours: Roles;
}

const radius = 3.3;

export function drawHits(
	context: CanvasRenderingContext2D,
	width: number,
	height: number,
	picture: HitsPicture,
) {
	const { hits, written, played, window } = picture;
	const { x, scale } = axis(window, width);
	// Hits that were moved into view from just outside it are drawn, too.
	const margin = (24 / scale + 400) * Math.sqrt(picture.times);
	const anchors = played?.anchors ?? written.ticks;
	const from = picture.all ? 0 : firstFrom(hits, anchors, window[0] - margin);
	const to = picture.all ? hits.length : firstFrom(hits, anchors, window[1] + margin);
	if (picture.dense) {
		drawDensity(context, width, height, picture, from, to);
		return;
	}
	const shown = hits.slice(from, to);
	const was = shown.filter((hit) => hit < written.ids.length);
	const ids = played?.ids ?? written.ids;
	const { colours, reading, lit } = picture;
	const alpha = (picture.silent ? 0.3 : 1) * (picture.all ? 0.6 : 1);
	context.globalAlpha = alpha;
	const places =
		({ ticks, velocities, strokes, notes }: Places) =>
		(hit: number) => ({
			x: x(picture.place(ticks[hit], hit)),
			y: picture.y(velocities[hit], strokes[hit], notes[hit]),
		});
	const writtenAt = places(written);
	const playedAt = played && places(played);
	const sounds = (hit: number) => !played?.silenced.has(ids[hit]);
	const hollow = dot(colours.written, "hollow", reading === "written");
	if (picture.against) {
		const { hits: others, ticks, velocities, place } = picture.against;
		const [first, last] = picture.all
			? [0, others.length]
			: [firstFrom(others, ticks, window[0] - 200), firstFrom(others, ticks, window[1] + 200)];
		stamp(context, hollow, others.slice(first, last), (hit) => ({
			x: x(place(ticks[hit], hit)),
			y: velocityY(velocities[hit], height),
		}));
	} else {
		if (playedAt && !picture.all) drawLines(context, picture, was.filter(sounds), writtenAt, playedAt);
		if (picture.tails) {
			const ends = (hit: number) => x(picture.tails?.written(hit) ?? 0);
			drawTails(context, was, writtenAt, ends, colours.written, reading === "written" ? 1 : 0);
		}
		stamp(context, hollow, was, writtenAt);
		if (picture.flags && reading === "written")
			drawFlags(context, was, (hit) => written.strokes[hit], writtenAt, colours.written);
	}
	if (picture.graces && !picture.all) drawGraces(context, picture, was, playedAt ?? writtenAt);
	if (picture.times > 1 && !picture.all) drawLeashes(context, picture, shown, playedAt ?? writtenAt, x);
	if (played && playedAt && picture.tails && reading === "played") {
		const ends = (hit: number) => x(picture.tails?.played(hit) ?? 0);
		drawTails(context, shown.filter(sounds), playedAt, ends, colours.played, 1);
	}
	if (played && playedAt) {
		const strong = (hit: number) => reading === "played" && (!lit || lit.has(ids[hit]));
		const isMade = (hit: number) => hit >= written.ids.length;
		for (const hit of shown) {
			const kind = !sounds(hit) ? "crossed" : isMade(hit) ? "diamond" : "solid";
			const colour = kind === "crossed" ? colours.quiet : isMade(hit) ? colours.added : colours.played;
			stamp(context, dot(colour, kind, strong(hit)), [hit], playedAt);
		}
		if (picture.flags && reading === "played")
			drawFlags(context, shown.filter(sounds), (hit) => played.strokes[hit], playedAt, colours.played);
	}
	if (played && playedAt && reading === "played") {
		const made = shown.filter((hit) => hit >= written.ids.length && sounds(hit));
		if (!picture.all) drawKin(context, picture, made, playedAt);
		if (picture.hands) drawHands(context, picture, shown.filter(sounds), playedAt);
	}
	if (picture.number && !picture.all) {
		const heard = reading === "played" ? playedAt : null;
		const own = heard ? shown.filter(sounds) : was;
		// At the right an opened row has its scale.
		const most = picture.kin ? width - 46 : width;
		drawNumbers(context, own, heard ?? writtenAt, picture.number, colours.ink, most);
	}
	const chosen = shown.filter((hit) => picture.selected.has(ids[hit]));
	if (chosen.length > 0) stamp(context, dot(colours.ink, "ring", true), chosen, playedAt ?? writtenAt);
	context.globalAlpha = 1;
}

interface Places {
	ticks: number[];
	velocities: number[];
	strokes: Stroke[];
	notes: number[];
}

type PlaceOf = (hit: number) => { x: number; y: number };

function drawLines(
	context: CanvasRenderingContext2D,
	{ colours, silent }: HitsPicture,
	hits: number[],
	from: PlaceOf,
	to: PlaceOf,
) {
	context.strokeStyle = colours.played;
	context.globalAlpha = silent ? 0.12 : 0.35;
	context.lineWidth = 1;
	context.beginPath();
	for (const hit of hits) {
		const [start, end] = [from(hit), to(hit)];
		context.moveTo(start.x, start.y);
		context.lineTo(end.x, end.y);
	}
	context.stroke();
	context.globalAlpha = silent ? 0.3 : 1;
}

/** From what was made to what it was made from, where that is asked for or the hit is selected. */
function drawKin(
	context: CanvasRenderingContext2D,
	{ colours, played, lit, selected, kin, hits, silent }: HitsPicture,
	made: number[],
	at: PlaceOf,
) {
	if (!played) return;
	const wanted = made.filter((hit) => kin || lit?.has(played.ids[hit]) || selected.has(played.ids[hit]));
	if (wanted.length === 0) return;
	const own = new Map(hits.map((hit) => [played.ids[hit], hit]));
	context.strokeStyle = colours.added;
	context.globalAlpha = silent ? 0.2 : 0.7;
	context.lineWidth = 0.8;
	context.beginPath();
	for (const hit of wanted) {
		const parent = own.get(played.made.get(played.ids[hit])?.parent ?? -1);
		if (parent === undefined) continue;
		const [from, to] = [at(parent), at(hit)];
		context.moveTo(from.x, from.y);
		context.lineTo(to.x, to.y);
	}
	context.stroke();
	context.globalAlpha = silent ? 0.3 : 1;
}

/** A stroke from each grace note to its hit, below both. */
function drawGraces(
	context: CanvasRenderingContext2D,
	{ graces, colours, played, written, reading }: HitsPicture,
	hits: number[],
	at: PlaceOf,
) {
	const sounds = (hit: number) => reading === "written" || !played?.silenced.has(written.ids[hit]);
	const alpha = context.globalAlpha;
	context.strokeStyle = colours.ink;
	context.globalAlpha = alpha * 0.6;
	context.lineWidth = 1;
	context.beginPath();
	for (const hit of hits) {
		const head = graces?.get(hit);
		if (head === undefined || !sounds(hit)) continue;
		const [from, to] = [at(hit), at(head)];
		const below = Math.max(from.y, to.y) + radius + 3;
		context.moveTo(from.x, from.y + radius);
		context.quadraticCurveTo(from.x, below, (from.x + to.x) / 2, below);
		context.quadraticCurveTo(to.x, below, to.x, to.y + radius);
	}
	context.stroke();
	context.globalAlpha = alpha;
}

/** How long hits last: a line from each dot to where it ends. Beneath one another where both readings are seen. */
function drawTails(
	context: CanvasRenderingContext2D,
	hits: number[],
	at: PlaceOf,
	end: (hit: number) => number,
	colour: string,
	strength: number,
) {
	const alpha = context.globalAlpha;
	context.globalAlpha = alpha * (strength === 1 ? 0.6 : 0.45);
	context.strokeStyle = colour;
	context.lineWidth = strength === 1 ? 1.6 : 1;
	const lower = strength === 1 ? 0 : 2;
	context.beginPath();
	for (const hit of hits) {
		const { x, y } = at(hit);
		const to = end(hit);
		if (!(to > x + radius)) continue;
		context.moveTo(x + radius, y + lower);
		context.lineTo(to, y + lower);
		context.moveTo(to, y - 3 + lower);
		context.lineTo(to, y + 3 + lower);
	}
	context.stroke();
	context.globalAlpha = alpha;
}

/** Numbers beside dots; where the next dot or number is too near there is none. */
function drawNumbers(
	context: CanvasRenderingContext2D,
	hits: number[],
	at: PlaceOf,
	words: (hit: number) => string,
	colour: string,
	most: number,
) {
	const alpha = context.globalAlpha;
	context.globalAlpha = alpha * 0.85;
	context.fillStyle = colour;
	context.font = "9.5px 'Public Sans Variable'";
	context.textAlign = "left";
	for (let place = 0; place < hits.length; place++) {
		const here = at(hits[place]);
		const next = place + 1 < hits.length ? at(hits[place + 1]) : null;
		const text = words(hits[place]);
		const room = next ? next.x - here.x - radius * 2 : Number.POSITIVE_INFINITY;
		if (room < text.length * 5.4 + 5 || here.x > most) continue;
		context.fillText(text, here.x + radius + 3, here.y - 3);
	}
	context.globalAlpha = alpha;
}

/** R and L beside hits. */
function drawHands(
	context: CanvasRenderingContext2D,
	{ colours, played, silent }: HitsPicture,
	hits: number[],
	at: PlaceOf,
) {
	if (!played || played.hands === "") return;
	context.globalAlpha = silent ? 0.3 : 1;
	context.font = "600 9px 'Public Sans Variable'";
	context.textAlign = "center";
	for (const hit of hits) {
		const side = played.hands[hit];
		if (side !== "L" && side !== "R") continue;
		const { x, y } = at(hit);
		context.fillStyle = side === "R" ? colours.ink : colours.quiet;
		// Above the dot, or beneath it where there is no room.
		context.fillText(side, x, y > 16 ? y - 6 : y + 13);
	}
}

/** From each grid line to the hit that is meant for it, where they are far apart. */
function drawLeashes(
	context: CanvasRenderingContext2D,
	{ colours, written, played, silent }: HitsPicture,
	hits: number[],
	to: PlaceOf,
	x: (tick: number) => number,
) {
	const lines = (played ?? written).lines.ticks;
	context.strokeStyle = colours.time;
	context.globalAlpha = silent ? 0.2 : 0.65;
	context.lineWidth = 1;
	context.beginPath();
	for (const hit of hits) {
		const [from, end] = [x(lines[hit]), to(hit)];
		if (Math.abs(end.x - from) < radius + 3) continue;
		context.moveTo(from, end.y);
		context.lineTo(end.x, end.y);
	}
	context.stroke();
	context.globalAlpha = silent ? 0.3 : 1;
}

/** Whether so many hits would hide one another. Laid over one another, a cloud of them says more. */
export const isDense = (count: number, width: number, stacked: boolean) =>
	count > (stacked ? 1500 : width / 2.2);

function stamp(context: CanvasRenderingContext2D, sprite: Sprite, hits: number[], place: PlaceOf) {
	for (const hit of hits) {
		const { x, y } = place(hit);
		context.drawImage(sprite.image, x - sprite.size / 2, y - sprite.size / 2, sprite.size, sprite.size);
	}
}

/** Zoomed out so far that dots would hide one another: how many hits there are, cell by cell. */
function drawDensity(
	context: CanvasRenderingContext2D,
	width: number,
	height: number,
	{ hits, written, played, window, reading, colours, silent, place }: HitsPicture,
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
	for (let index = from; index < to; index++) {
		const hit = hits[index];
		if (ticks[hit] === undefined) continue;
		const column = Math.floor(x(place(ticks[hit], hit)) / cell);
		const line = Math.floor(velocityY(velocities[hit], height) / cell);
		if (!(column >= 0 && column < columns)) continue;
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

type Shape = "solid" | "hollow" | "diamond" | "crossed" | "ring";

/** A dot drawn once: copies of a small picture are much faster than circles. */
function dot(colour: string, shape: Shape, strong: boolean): Sprite {
	const ratio = window.devicePixelRatio || 1;
	const key = `${colour} ${shape} ${strong} ${ratio}`;
	const known = sprites.get(key);
	if (known) return known;
	const size = 2 * Math.ceil(radius) + 10;
	const image = document.createElement("canvas");
	image.width = size * ratio;
	image.height = size * ratio;
	const context = image.getContext("2d") as CanvasRenderingContext2D;
	context.scale(ratio, ratio);
	context.translate(size / 2, size / 2);
	context.globalAlpha = strong ? 1 : 0.45;
	context.fillStyle = colour;
	context.strokeStyle = colour;
	context.lineWidth = shape === "ring" ? 1.6 : strong ? 1.8 : 1.1;
	trace(context, shape);
	if (shape === "solid" || shape === "diamond") context.fill();
	else context.stroke();
	const sprite = { image, size };
	sprites.set(key, sprite);
	return sprite;
}

function trace(context: CanvasRenderingContext2D, shape: Shape) {
	const reach = radius + 0.9;
	context.beginPath();
	if (shape === "diamond") {
		context.moveTo(0, -reach);
		context.lineTo(reach, 0);
		context.lineTo(0, reach);
		context.lineTo(-reach, 0);
		context.closePath();
	} else if (shape === "crossed") {
		context.moveTo(-radius, -radius);
		context.lineTo(radius, radius);
		context.moveTo(-radius, radius);
		context.lineTo(radius, -radius);
	} else {
		const sizes = { solid: radius, hollow: radius - 0.6, ring: radius + 2.6 };
		context.arc(0, 0, sizes[shape], 0, Math.PI * 2);
	}
}
