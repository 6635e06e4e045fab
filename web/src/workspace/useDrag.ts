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
			const [x, y] = [event.clientX, event.clientY];
			let moved = false;
			event.stopPropagation();
			const move = ({ clientX, clientY }: PointerEvent) => {
				if (!moved && Math.abs(clientX - x) + Math.abs(clientY - y) < 2) return;
				moved = true;
				gesture.move(clientX - x, clientY - y);
			};
			follow(event.currentTarget, event.pointerId, move, () => gesture.end(moved));
		},
		[begin],
	);
}

/** Follows the pointer from an element until it is let go. */
export function follow(
	target: Element,
	pointerId: number,
	move: (event: PointerEvent) => void,
	end: () => void,
) {
	target.setPointerCapture(pointerId);
	const moving = (event: Event) => move(event as PointerEvent);
	const ending = () => {
		target.removeEventListener("pointermove", moving);
		target.removeEventListener("pointerup", ending);
		target.removeEventListener("pointercancel", ending);
		end();
	};
	target.addEventListener("pointermove", moving);
	target.addEventListener("pointerup", ending);
	target.addEventListener("pointercancel", ending);
}
