import { useEffect, useRef } from "react";
import { tickAt } from "../../part/song";
import { useWorkspaceStore } from "../../part/store";
import type { Transport } from "../transport/usePlayer";

/**
 * For a line that goes along with the song while it plays. `place` says how far to the right it stands, in
 * px; nothing hides it.
 */
export function useNowLine(
	{ playing, position }: Transport,
	place: (tick: number, line: HTMLElement) => number | null,
) {
	const line = useRef<HTMLDivElement>(null);
	const store = useWorkspaceStore();
	useEffect(() => {
		const element = line.current;
		if (!element || !playing) return;
		let frame = 0;
		const draw = () => {
			frame = requestAnimationFrame(draw);
			const second = position();
			const x = second === null ? null : place(tickAt(store.getState().song, second), element);
			element.style.visibility = x === null ? "hidden" : "visible";
			if (x !== null) element.style.transform = `translateX(${x}px)`;
		};
		draw();
		return () => {
			cancelAnimationFrame(frame);
			element.style.visibility = "hidden";
		};
	}, [playing, position, place, store]);
	return line;
}
