import { useEffect, useRef } from "react";
import type { Picture as PictureData } from "../api/generated/types";
import { fitCanvas } from "../draw/canvas";
import { colours } from "../lib/theme";
import { useDensity } from "../lib/useDensity";
import classes from "./Shelf.module.css";

interface Props {
	picture: PictureData | null;
	/** Said where there is none. */
	instead: string;
	label: string;
	/** Of the card, in px: it is drawn anew where that changes. */
	width: number;
	scheme: "light" | "dark";
}

/** The first bars of a drum part in small: a row an instrument, higher is harder. */
export function Picture({ picture, instead, label, width, scheme }: Props) {
	const canvas = useRef<HTMLCanvasElement>(null);
	const density = useDensity();
	useEffect(() => {
		if (canvas.current && density > 0) drawPicture(canvas.current, picture, instead, scheme);
	}, [picture, instead, scheme, density, width]);
	return <canvas ref={canvas} className={classes.picture} role="img" aria-label={label} />;
}

function drawPicture(
	element: HTMLCanvasElement,
	picture: PictureData | null,
	instead: string,
	scheme: "light" | "dark",
) {
	const { context, width, height } = fitCanvas(element);
	const paint = colours(scheme);
	context.clearRect(0, 0, width, height);
	context.strokeStyle = paint.line;
	context.beginPath();
	for (let bar = 1; bar < 4; bar++) {
		const x = Math.round((width * bar) / 4) + 0.5;
		context.moveTo(x, 0);
		context.lineTo(x, height);
	}
	context.stroke();
	if (!picture || picture.places.length === 0) {
		context.fillStyle = paint.quiet;
		context.font = "12px 'Public Sans Variable'";
		context.textAlign = "center";
		context.fillText(instead, width / 2, height / 2 + 4);
		return;
	}
	const inset = 10;
	const row = (height - 2 * inset) / picture.row_count;
	context.fillStyle = paint.played;
	const radius = Math.min(2.4, row / 2.5);
	const dot = dotOf(radius, paint.played);
	const half = dot.width / 2 / devicePixelRatio;
	picture.places.forEach((place, index) => {
		const x = inset + place * (width - 2 * inset);
		const within = 1 - picture.velocities[index] / 127;
		const y = inset + (picture.rows[index] + 0.15 + within * 0.7) * row;
		context.drawImage(dot, x - half, y - half, 2 * half, 2 * half);
	});
}

const dots = new Map<string, HTMLCanvasElement>();

/** A dot of so many px, drawn once: copies of it are drawn much faster than circles. */
function dotOf(radius: number, colour: string) {
	const key = `${radius} ${colour} ${devicePixelRatio}`;
	const known = dots.get(key);
	if (known) return known;
	const dot = document.createElement("canvas");
	dot.width = dot.height = Math.ceil((2 * radius + 2) * devicePixelRatio);
	const context = dot.getContext("2d");
	if (context) {
		context.fillStyle = colour;
		context.arc(dot.width / 2, dot.height / 2, radius * devicePixelRatio, 0, Math.PI * 2);
		context.fill();
	}
	dots.set(key, dot);
	return dot;
}
