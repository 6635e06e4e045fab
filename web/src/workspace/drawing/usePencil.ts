/** The pencil in a row: a drag over nothing draws hits, on a hit it moves it, a click takes one out. */
import { type PointerEvent, useCallback } from "react";
import type { Drawing, PathPoint } from "../../api/generated/types";
import { axis } from "../../draw/axis";
import { hitAt } from "../../draw/pointing";
import { velocityAt } from "../../draw/velocity";
import { follow } from "../../lib/dragging";
import { plural } from "../../lib/words";
import { idOf } from "../../part/hits";
import { useWorkspaceStore } from "../../part/store";
import type { Lines } from "./useLines";

/** How far a pointer may tremble, in px. */
const tremble = 4;

export function usePencil(index: number, name: string, lines: Lines) {
	const store = useWorkspaceStore();
	return useCallback(
		(event: PointerEvent<HTMLElement>) => {
			const state = store.getState();
			const { pencil, window, part } = state;
			// With Ctrl hits are swept, as without the pencil.
			if (event.button !== 0 || !pencil || event.ctrlKey || event.metaKey) return false;
			// The lines of what is shown are still on their way.
			if (lines.ticks.length === 0) return true;
			const area = event.currentTarget.getBoundingClientRect();
			const [x, y] = [event.clientX - area.left, event.clientY - area.top];
			const time = axis(window, area.width);
			const hit = hitAt(state, index, x, y, area.width, area.height);
			const rubs = pencil.rubbing || event.shiftKey;
			const instrument = part.kit.instruments[index].id;
			if (hit >= 0 && !rubs) carry(event, idOf(state, hit), time.scale);
			else stroke(event, area, instrument, rubs);
			return true;
		},
		[store, index, name, lines],
	);

	/** Hits on every line that the pointer passes; rubbed out, or as hard as it is high there. */
	function stroke(event: PointerEvent<HTMLElement>, area: DOMRect, instrument: string, rubs: boolean) {
		const { pencil, window, setSketch, draw } = store.getState();
		if (!pencil) return;
		const { tick } = axis(window, area.width);
		const typical = pencil.hard === "typical";
		const at = (now: { clientX: number }) => tick(now.clientX - area.left);
		const high = (now: { clientY: number }) =>
			Math.round(Math.max(1, Math.min(127, velocityAt(now.clientY - area.top, area.height))));
		const from = at(event);
		const path = new Map<number, number>();
		let before = from;
		let to = from;
		const pass = (now: { clientX: number; clientY: number }) => {
			to = at(now);
			for (const line of lines.between(before, to)) path.set(line, high(now));
			before = to;
			const passed = lines.between(from, to);
			const heights = typical ? null : passed.map((line) => path.get(line) ?? high(now));
			setSketch({ instrument: index, ticks: passed, velocities: heights, rubs });
		};
		pass(event);
		const end = () => {
			const passed = lines.between(from, to);
			if (passed.length === 0) {
				setSketch(null);
				return;
			}
			const ends = { instrument, from: passed[0], to: passed[passed.length - 1], grid: pencil.grid };
			const points: PathPoint[] = typical
				? []
				: passed.map((line) => ({ tick: line, velocity: path.get(line) ?? 96 }));
			const drawing: Drawing = rubs ? { kind: "erase", ...ends } : { kind: "fill", ...ends, path: points };
			draw([drawing], `${rubs ? "rub out" : "draw"} ${name}`);
		};
		follow(event, { move: pass, end, cancel: () => setSketch(null) });
	}

	/** A hit, and what is selected with it, to another place or row; with Alt a copy. A click takes it out. */
	function carry(event: PointerEvent<HTMLElement>, id: number, scale: number) {
		const { selected, pencil, part, setSketch } = store.getState();
		if (!pencil) return;
		const hits = selected.has(id) ? [...selected] : [id];
		let cells = 0;
		let row = index;
		let moved = false;
		const move = (now: globalThis.PointerEvent) => {
			const [dx, dy] = [now.clientX - event.clientX, now.clientY - event.clientY];
			if (!moved && Math.abs(dx) + Math.abs(dy) < tremble) return;
			moved = true;
			cells = Math.round(dx / scale / lines.cell);
			row = rowAt(now) ?? row;
			setSketch({ instrument: row, carried: hits, by: cells * lines.cell, copies: now.altKey });
		};
		const end = () => {
			const { draw, select, sketch } = store.getState();
			const copy = sketch?.copies === true;
			if (!moved) {
				draw([{ kind: "erase-hits", hits }], `take out ${plural(hits.length, "hit")} of ${name}`);
				select([]);
				return;
			}
			const other = row === index ? undefined : part.kit.instruments[row];
			if (cells === 0 && !other) {
				setSketch(null);
				return;
			}
			const what = `${copy ? "copy" : "move"} ${plural(hits.length, "hit")}`;
			const label = other ? `${what} to ${other.name.toLowerCase()}` : what;
			draw([{ kind: "shift", hits, cells, grid: pencil.grid, instrument: other?.id, copy }], label);
		};
		follow(event, { move, end, cancel: () => setSketch(null) });
	}

	/** The row under the pointer. */
	function rowAt({ clientX, clientY }: globalThis.PointerEvent) {
		const row = document.elementFromPoint(clientX, clientY)?.closest<HTMLElement>("[data-instrument]");
		const found = store.getState().part.kit.instruments.findIndex(({ id }) => id === row?.dataset.instrument);
		return found < 0 ? null : found;
	}
}
