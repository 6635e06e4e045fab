/** One gesture with the pointer: down, moves, up. */
import { type PointerEvent as ReactPointerEvent, useCallback, useContext } from "react";
import { follow, isFollowing } from "../lib/dragging";
import { hideTip, showTip } from "../lib/tip";
import { WorkspaceContext } from "./store";

export interface Gesture {
	/** How far from where it began, in px. What it answers stands at the pointer. */
	// biome-ignore lint/suspicious/noConfusingVoidType: most gestures answer nothing.
	move: (dx: number, dy: number) => string | void;
	/** The pointer was let go; `moved` says whether it had moved at all. */
	end: (moved: boolean) => void;
	/** It was given up: what it changed is as it was. */
	cancel?: () => void;
}

/** Starts a gesture on pointer down and follows it until the pointer is let go. */
export function useDrag(begin: () => Gesture | null) {
	const store = useContext(WorkspaceContext);
	return useCallback(
		(event: ReactPointerEvent<Element>) => {
			if (event.button !== 0 || isFollowing()) return;
			const gesture = begin();
			if (!gesture) return;
			const [x, y] = [event.clientX, event.clientY];
			let moved = false;
			event.stopPropagation();
			follow(event, {
				move: (now) => {
					const [dx, dy] = [now.clientX - x, now.clientY - y];
					if (!moved && Math.abs(dx) + Math.abs(dy) < 2) return;
					moved = true;
					const words = gesture.move(dx, dy);
					if (words) showTip(now, words);
				},
				end: () => {
					hideTip();
					gesture.end(moved);
				},
				cancel: () => {
					hideTip();
					gesture.end(false);
					if (moved) gesture.cancel?.();
					store?.getState().cancel();
				},
			});
		},
		[begin, store],
	);
}
