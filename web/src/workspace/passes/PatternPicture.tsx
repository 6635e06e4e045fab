import type { KeyboardEvent } from "react";
import type { Accents } from "../../api/generated/types";
import { upwards } from "../../lib/arrows";
import { follow } from "../../lib/dragging";
import { signed } from "../../lib/words";
import classes from "./Passes.module.css";
import { useSlots } from "./SlotStrip";

interface Props {
	accents: Accents;
	most: number;
	onChange: (pattern: number[]) => void;
	onDone: (soon: boolean) => void;
}

/** An accent pattern as bars to drag: up is louder, down is softer; a sweep draws. */
export function PatternPicture({ accents, most, onChange, onDone }: Props) {
	const found = useSlots(accents.grid, accents.bars);
	const count = found?.slots.length ?? accents.pattern.length;
	const pattern = Array.from({ length: count }, (_, index) => accents.pattern[index] ?? 0);
	const draw = (now: number[], event: { clientX: number; clientY: number }, box: DOMRect) => {
		const slot = Math.max(
			0,
			Math.min(count - 1, Math.floor(((event.clientX - box.left) / box.width) * count)),
		);
		const share = 1 - (2 * (event.clientY - box.top)) / box.height;
		const value = Math.max(-most, Math.min(most, Math.round(share * most)));
		now[slot] = Math.abs(value) <= most / 64 ? 0 : value;
		onChange([...now]);
	};
	const keys = (event: KeyboardEvent, slot: number) => {
		const step = upwards(event, 10);
		if (!step) return;
		event.preventDefault();
		const next = [...pattern];
		next[slot] = Math.max(-most, Math.min(most, next[slot] + step));
		onChange(next);
		onDone(true);
	};
	return (
		<span
			className={classes.pattern}
			data-pattern
			onPointerDown={(event) => {
				const box = event.currentTarget.getBoundingClientRect();
				const drawn = [...pattern];
				draw(drawn, event, box);
				follow(event, {
					move: (now) => draw(drawn, now, box),
					end: () => onDone(false),
					cancel: () => {
						onChange(pattern);
						onDone(false);
					},
				});
			}}
		>
			{pattern.map((value, slot) => (
				<span
					key={slot}
					className={classes.accent}
					role="slider"
					tabIndex={0}
					aria-label={`accent on slot ${slot + 1}, ${found?.slots[slot]?.name ?? ""}`}
					aria-valuemin={-most}
					aria-valuemax={most}
					aria-valuenow={value}
					title={`${found?.slots[slot]?.name ?? slot + 1}: ${signed(value, 0, true)}`}
					onKeyDown={(event) => keys(event, slot)}
				>
					<span
						data-up={value > 0}
						style={{ height: `${(50 * Math.abs(value)) / most}%`, [value > 0 ? "bottom" : "top"]: "50%" }}
					/>
				</span>
			))}
		</span>
	);
}
