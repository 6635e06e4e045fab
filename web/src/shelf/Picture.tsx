import { useComputedColorScheme } from "@mantine/core";
import { useEffect, useRef } from "react";
import type { Picture as PictureData } from "../api/generated/types";
import { fitCanvas } from "../draw/canvas";
import { colours } from "../theme";
import classes from "./Shelf.module.css";

interface Props {
	picture: PictureData | null;
	/** Said where there is none. */
	instead: string;
	label: string;
}

/** The first bars of a drum part in small: a row an instrument, higher is harder. */
export function Picture({ picture, instead, label }: Props) {
	const canvas = useRef<HTMLCanvasElement>(null);
	const scheme = useComputedColorScheme("light");
	useEffect(() => {
		const element = canvas.current;
		if (!element) return;
		const draw = () => drawPicture(element, picture, instead, scheme);
		draw();
		const observer = new ResizeObserver(draw);
		observer.observe(element);
		return () => observer.disconnect();
	}, [picture, instead, scheme]);
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
	picture.places.forEach((place, index) => {
		const x = inset + place * (width - 2 * inset);
		const within = 1 - picture.velocities[index] / 127;
		const y = inset + (picture.rows[index] + 0.15 + within * 0.7) * row;
		context.beginPath();
		context.arc(x, y, radius, 0, Math.PI * 2);
		context.fill();
	});
}
