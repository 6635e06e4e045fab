/** One gesture with the pointer: down, moves, up. */
import { type PointerEvent as ReactPointerEvent, useCallback } from "react";

export interface Gesture {
	/** How far from where it began, in px. */
	move: (dx: number, dy: number) => void;
	/** The pointer was let go; `moved` says whether it had moved at all. */
	end: (moved: boolean) => void;
}

/** Starts a gesture on pointer down and follows it until the pointer is let go. */
export function useDrag(begin: () => Gesture | null) {
	return useCallback(
		(event: ReactPointerEvent<Element>) => {
			if (event.button !== 0) return;
			const gesture = begin();
			if (!gesture) return;
			const target = event.currentTarget;
			const [x, y] = [event.clientX, event.clientY];
			let moved = false;
			target.setPointerCapture(event.pointerId);
			event.stopPropagation();
			const follow = (now: Event) => {
				const { clientX, clientY } = now as PointerEvent;
				if (!moved && Math.abs(clientX - x) + Math.abs(clientY - y) < 2) return;
				moved = true;
				gesture.move(clientX - x, clientY - y);
			};
			const end = () => {
				target.removeEventListener("pointermove", follow);
				target.removeEventListener("pointerup", end);
				target.removeEventListener("pointercancel", end);
				gesture.end(moved);
			};
			target.addEventListener("pointermove", follow);
			target.addEventListener("pointerup", end);
			target.addEventListener("pointercancel", end);
		},
		[begin],
	);
}
