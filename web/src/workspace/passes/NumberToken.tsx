import { type KeyboardEvent, useCallback, useContext, useState } from "react";
import type { Values } from "../../api/generated/types";
import { more } from "../../lib/arrows";
import { useWheel } from "../../lib/useWheel";
import { plain } from "../../lib/words";
import { WorkspaceContext } from "../../part/store";
import { readNumber } from "../../part/typed";
import { useDrag } from "../../part/useDrag";
import classes from "./Passes.module.css";

export type NumberValues = Extract<Values, { kind: "number" }>;

interface Props {
	label: string;
	value: number | null;
	values: NumberValues;
	/** Shown at once. */
	onChange: (value: number | null) => void;
	/** Kept: at the end of a drag at once, after wheel and keys in a moment. */
	onDone: (soon: boolean) => void;
	format?: (value: number) => string;
	wrong?: string | null;
	/** What a double click brings back, where that is not the neutral value. */
	usual?: number | null;
	/** Where a drag begins while there is no number. */
	start?: number;
}

/** A number as it reads in a sentence: “8 ms behind”, “its typical”. */
export function numberInWords(value: number | null, { unit, sides, none }: NumberValues) {
	if (value === null) return none ?? "none";
	const units = unit.endsWith("s") && unit !== "ms" && Math.abs(value) === 1 ? unit.slice(0, -1) : unit;
	const withUnit = (shown: number) => (units ? `${plain(shown)} ${units}` : plain(shown));
	if (!sides) return withUnit(value);
	return `${withUnit(Math.abs(value))} ${value < 0 ? sides[0] : sides[1]}`;
}

/** A number in a sentence: dragged, wheeled, arrow-keyed or typed; a double click makes it neutral. */
export function NumberToken({ label, value, values, onChange, onDone, format, wrong, usual, start }: Props) {
	const store = useContext(WorkspaceContext);
	const [typing, setTyping] = useState(false);
	const { min, max, step, unit, neutral, none } = values;
	const back = usual !== undefined ? usual : none !== null ? null : neutral;
	const canGoBack = back !== null || none !== null;
	const backInWords = canGoBack ? `; a double click sets ${back === null ? none : plain(back)}` : "";
	const held = useCallback(
		(next: number) => Math.max(min, Math.min(max, Math.round(next / step) * step)),
		[min, max, step],
	);
	const current = value ?? start ?? (min + max) / 2;
	const words = value !== null && format ? format(value) : numberInWords(value, values);

	const drag = useDrag(
		useCallback(() => {
			const perStep = Math.max(1.5, Math.min(8, 200 / ((max - min) / step)));
			return {
				move: (dx: number, dy: number) => onChange(held(current + ((dx - dy) / perStep) * step)),
				end: (moved: boolean) => (moved ? onDone(false) : setTyping(true)),
			};
		}, [current, max, min, step, onChange, onDone, held]),
	);

	const nudge = useCallback(
		(steps: number) => {
			onChange(held(current + steps * step));
			onDone(true);
		},
		[current, step, held, onChange, onDone],
	);

	const [element, hold] = useWheel<HTMLSpanElement>((steps) => {
		// Only where it has the focus: else the wheel scrolls the list.
		if (document.activeElement !== element.current) return false;
		nudge(steps);
		return true;
	});

	const onKeyDown = (event: KeyboardEvent) => {
		const steps = more(event, 10);
		if (steps === undefined) {
			if (event.key === "Enter" || /^[0-9-]$/.test(event.key)) setTyping(true);
			return;
		}
		event.preventDefault();
		event.stopPropagation();
		nudge(steps);
	};
	const toNeutral = () => {
		if (!canGoBack) return;
		setTyping(false);
		onChange(back);
		onDone(false);
	};
	if (typing) {
		const finish = (text: string | null) => {
			setTyping(false);
			const number = text === null ? null : readNumber(text, values, store?.getState() ?? null);
			if (number !== null) {
				onChange(held(number));
				onDone(false);
			}
			requestAnimationFrame(() => element.current?.focus({ preventScroll: true }));
		};
		return (
			<input
				className={classes.tokenInput}
				aria-label={label}
				inputMode="decimal"
				defaultValue={value ?? ""}
				// biome-ignore lint/a11y/noAutofocus: it takes the place of the word that was pressed
				autoFocus
				onFocus={(event) => event.currentTarget.select()}
				onBlur={(event) => finish(event.currentTarget.value)}
				onDoubleClick={toNeutral}
				onKeyDown={(event) => {
					event.stopPropagation();
					if (event.key === "Enter") finish(event.currentTarget.value);
					if (event.key === "Escape") finish(null);
				}}
			/>
		);
	}
	return (
		<span
			ref={hold}
			tabIndex={0}
			className={`${classes.token} ${classes.numberToken} ${wrong ? classes.wrong : ""}`}
			role="spinbutton"
			aria-label={label}
			aria-valuemin={min}
			aria-valuemax={max}
			aria-valuenow={value ?? undefined}
			aria-valuetext={words}
			title={
				wrong ??
				`${label}: drag, wheel, arrows or type${unit === "ms" ? " (8ms, 12t, 15%)" : ""}${backInWords}`
			}
			onPointerDown={drag}
			onDoubleClick={toNeutral}
			onKeyDown={onKeyDown}
		>
			{words}
		</span>
	);
}
