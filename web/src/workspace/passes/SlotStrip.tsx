import { useQuery } from "@tanstack/react-query";
import { useRef } from "react";
import { client } from "../../api/client";
import { follow } from "../../lib/dragging";
import { barAt } from "../../part/song";
import { useWorkspace } from "../../part/store";
import classes from "./Passes.module.css";

/** The slots of some bars of the open song; the metre is that of the bar that is shown first. */
export function useSlots(grid: string, bars: number) {
	const song = useWorkspace((state) => state.song);
	const bar = useWorkspace((state) => barAt(state.song, state.window[0]));
	const { metres } = song;
	const metreBar = metres.findLast(([from]) => from <= bar)?.[0] ?? 1;
	const { data } = useQuery({
		queryKey: ["slots", song.id, grid, bars, metreBar],
		queryFn: () => client.slots(song.id, grid, bars, metreBar),
		staleTime: Number.POSITIVE_INFINITY,
	});
	return data;
}

interface Props {
	grid: string;
	bars: number;
	/** Counted from 1. */
	chosen: number[];
	onChange: (slots: number[]) => void;
}

/** The bar as a strip of slots as high as they are heavy, to click and to sweep over. */
export function SlotStrip({ grid, bars, chosen, onChange }: Props) {
	const found = useSlots(grid, bars);
	const sweeping = useRef<{ on: boolean; slots: Set<number> } | null>(null);
	if (!found) return <div className={classes.strip} />;
	const count = found.slots.length;
	const slotAt = (event: { clientX: number }, box: DOMRect) => {
		return Math.max(1, Math.min(count, Math.floor(((event.clientX - box.left) / box.width) * count) + 1));
	};
	const set = (slot: number) => {
		const now = sweeping.current;
		if (!now || now.slots.has(slot) === now.on) return;
		if (now.on) now.slots.add(slot);
		else now.slots.delete(slot);
		onChange([...now.slots].sort((a, b) => a - b));
	};
	return (
		<div
			className={classes.strip}
			data-slots
			role="toolbar"
			aria-label="Slots of the bar"
			onPointerDown={(event) => {
				const slot = slotAt(event, event.currentTarget.getBoundingClientRect());
				const box = event.currentTarget.getBoundingClientRect();
				sweeping.current = { on: !chosen.includes(slot), slots: new Set(chosen) };
				set(slot);
				follow(event, {
					move: (now) => set(slotAt(now, box)),
					end: () => undefined,
					cancel: () => onChange(chosen),
				});
			}}
		>
			{found.slots.map(({ name, weight }, index) => (
				<button
					key={index}
					type="button"
					className={classes.slot}
					aria-pressed={chosen.includes(index + 1)}
					aria-label={`slot ${index + 1}, ${name}`}
					onKeyDown={(event) => {
						if (event.key !== " " && event.key !== "Enter") return;
						event.preventDefault();
						const slot = index + 1;
						onChange(
							chosen.includes(slot)
								? chosen.filter((one) => one !== slot)
								: [...chosen, slot].sort((a, b) => a - b),
						);
					}}
				>
					<span style={{ height: `${20 + 80 * weight}%` }} />
					{count <= 24 && <i>{name}</i>}
				</button>
			))}
		</div>
	);
}
