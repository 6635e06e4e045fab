/** One gesture with the pointer: down, moves, up. */
import { type PointerEvent as ReactPointerEvent, useCallback, useContext } from "react";
import { follow, isFollowing } from "../lib/dragging";
import { WorkspaceContext } from "./store";

export interface Gesture {
	/** How far from where it began, in px. */
	move: (dx: number, dy: number) => void;
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
				move: ({ clientX, clientY }) => {
					if (!moved && Math.abs(clientX - x) + Math.abs(clientY - y) < 2) return;
					moved = true;
					gesture.move(clientX - x, clientY - y);
				},
				end: () => gesture.end(moved),
				cancel: () => {
					gesture.end(false);
					if (moved) gesture.cancel?.();
					store?.getState().cancel();
				},
			});
		},
		[begin, store],
	);
}
