import type { HTMLAttributes, KeyboardEvent, PointerEvent } from "react";
import { rightwards, upwards } from "../../lib/arrows";
import classes from "./LinePoint.module.css";

interface Props extends Omit<HTMLAttributes<HTMLDivElement>, "onDrag"> {
	x: number;
	y: number;
	label: string;
	/** What it stands at, between the least and the most there is. */
	value: number;
	range: [number, number];
	/** How the line goes on from it. */
	way?: string;
	onDrag: (event: PointerEvent<Element>) => void;
	onRemove: () => void;
	/** By so much up and to the right, as the arrow keys say; `coarse` is a step of the page keys. */
	onStep: (up: number, right: number) => void;
	coarse: number;
	/** What Enter does, if anything. */
	onEnter?: () => void;
}

/** A point of a line that is drawn in: dragged, moved by keys, taken out. */
export function LinePoint({
	x,
	y,
	label,
	value,
	range,
	way = "straight",
	onDrag,
	onRemove,
	onStep,
	coarse,
	onEnter,
	...others
}: Props) {
	const keys = (event: KeyboardEvent) => {
		const up = upwards(event, coarse) ?? 0;
		const right = rightwards(event) ?? 0;
		const goes = event.key === "Delete" || event.key === "Backspace";
		const enters = event.key === "Enter" && onEnter !== undefined;
		if (!goes && !enters && !up && !right) return;
		event.preventDefault();
		event.stopPropagation();
		if (goes) onRemove();
		else if (enters) onEnter();
		else onStep(up, right);
	};
	return (
		<div
			className={classes.point}
			style={{ left: x, top: y }}
			role="slider"
			tabIndex={0}
			aria-orientation="vertical"
			aria-label={label}
			aria-valuemin={range[0]}
			aria-valuemax={range[1]}
			aria-valuenow={value}
			data-way={way}
			onPointerDown={onDrag}
			onDoubleClick={onRemove}
			onKeyDown={keys}
			{...others}
		/>
	);
}
