/** Scrolling and zooming the shown time: by wheel and by drag. */
import { type PointerEvent, useCallback, useEffect, useRef } from "react";
import type { SongDetail } from "../../api/generated/types";
import { follow } from "../../lib/dragging";
import { barAt, barCount } from "../../part/song";
import { useWorkspaceStore, type WorkspaceState } from "../../part/store";

/** The window moved and scaled about `centre` (0 to 1), held within the song, at least a beat. */
export function movedWindow(
	song: SongDetail,
	[start, end]: [number, number],
	by: number,
	scale: number,
	centre: number,
): [number, number] {
	const { ticks } = song.bars;
	const [first, last] = [ticks[0], ticks[ticks.length - 1]];
	const width = Math.max(song.ppq, Math.min(last - first, (end - start) * scale));
	const from = start + by + (end - start - width) * centre;
	const held = Math.max(first, Math.min(last - width, from));
	return [held, held + width];
}

export type Shown = "loop" | "section" | "song" | "nearer" | "farther";

/** Shows the loop, the section that is in view, the whole song, or more or less of it. */
export function showing({ song, window, loop, setView }: WorkspaceState, what: Shown) {
	const { ticks } = song.bars;
	const bars = ([from, to]: [number, number]) =>
		setView({ window: [ticks[from - 1], ticks[Math.min(to, barCount(song))]] });
	const zoom = (scale: number) => setView({ window: movedWindow(song, window, 0, scale, 0.5) });
	switch (what) {
		case "loop":
			return bars(loop);
		case "song":
			return zoom(1e6);
		case "nearer":
			return zoom(0.7);
		case "farther":
			return zoom(1 / 0.7);
		case "section": {
			const bar = barAt(song, (window[0] + window[1]) / 2);
			const section = song.sections.find(({ from, to }) => from <= bar && bar <= to);
			if (section) bars([section.from, section.to]);
		}
	}
}

/**
 * The wheel zooms about the pointer; sideways or with Shift it scrolls; a drag scrolls. In the
 * hits, where the wheel scrolls the rows, it zooms with Ctrl.
 */
export function useTimeGestures(plainWheelZooms = true, onClick?: (x: number) => void) {
	const store = useWorkspaceStore();
	const element = useRef<HTMLDivElement>(null);

	const move = useCallback(
		(by: number, scale: number, centre: number) => {
			const { song, window, setView } = store.getState();
			setView({ window: movedWindow(song, window, by, scale, centre) });
		},
		[store],
	);

	useEffect(() => {
		const target = element.current;
		if (!target) return;
		const wheel = (event: WheelEvent) => {
			const box = target.getBoundingClientRect();
			const [start, end] = store.getState().window;
			const perPixel = (end - start) / box.width;
			const sideways = event.shiftKey ? event.deltaY || event.deltaX : event.deltaX;
			const zooms = event.ctrlKey || event.metaKey || (plainWheelZooms && !event.shiftKey);
			if (zooms && event.deltaY !== 0)
				move(0, 1.0016 ** event.deltaY, (event.clientX - box.left) / box.width);
			else if (sideways !== 0) move(sideways * perPixel, 1, 0);
			else return;
			event.preventDefault();
		};
		target.addEventListener("wheel", wheel, { passive: false });
		return () => target.removeEventListener("wheel", wheel);
	}, [store, move, plainWheelZooms]);

	const onPointerDown = useCallback(
		(event: PointerEvent<HTMLElement>) => {
			if (event.button !== 0) return;
			const target = event.currentTarget;
			const { window, song, setView } = store.getState();
			const perPixel = (window[1] - window[0]) / target.clientWidth;
			const from = event.clientX;
			let dragged = false;
			const move = (moved: globalThis.PointerEvent) => {
				if (!dragged && Math.abs(moved.clientX - from) < 3) return;
				dragged = true;
				setView({ window: movedWindow(song, window, (from - moved.clientX) * perPixel, 1, 0) });
			};
			const end = () => {
				if (!dragged) onClick?.(from - target.getBoundingClientRect().left);
			};
			follow(event, { move, end, cancel: () => setView({ window }) });
		},
		[store, onClick],
	);
	return { ref: element, onPointerDown };
}
