import { type RefCallback, type RefObject, useCallback, useRef } from "react";

/**
 * Hears the wheel over an element, where `turn` wants it: so many steps, upwards positive. Answers the element, and what
 * takes hold of it.
 */
export function useWheel<E extends HTMLElement>(
	turn: (steps: number) => boolean,
): [RefObject<E | null>, RefCallback<E>] {
	const element = useRef<E>(null);
	const newest = useRef(turn);
	newest.current = turn;
	const hold = useCallback((target: E | null) => {
		element.current = target;
		if (!target) return;
		const listener = (event: WheelEvent) => {
			if (event.deltaY !== 0 && newest.current(event.deltaY < 0 ? 1 : -1)) event.preventDefault();
		};
		// React's own listeners cannot keep the page from scrolling.
		target.addEventListener("wheel", listener, { passive: false });
		return () => {
			element.current = null;
			target.removeEventListener("wheel", listener);
		};
	}, []);
	return [element, hold];
}
