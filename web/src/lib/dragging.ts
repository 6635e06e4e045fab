/** One pointer that is followed from where it went down. */
import type { PointerEvent as ReactPointerEvent } from "react";

interface Followed {
	move: (event: PointerEvent) => void;
	/** The pointer was let go. */
	end: () => void;
	/** The system took the pointer, or Escape gave the gesture up. */
	cancel: () => void;
}

/** Heard before whatever lies below the pointer. */
const early = { capture: true };

/** The pointer that is followed: another finger is nobody's hand. */
let following: number | null = null;

export const isFollowing = () => following !== null;

/** Follows the pointer of an event from its element until it is let go or given up; no other one meanwhile. */
export function follow(
	{ currentTarget: target, pointerId }: Pick<ReactPointerEvent<Element>, "currentTarget" | "pointerId">,
	{ move, end, cancel }: Followed,
) {
	if (following !== null) return;
	following = pointerId;
	target.setPointerCapture(pointerId);
	const mine = (then: (event: PointerEvent) => void) => (event: Event) => {
		if ((event as PointerEvent).pointerId === pointerId) then(event as PointerEvent);
	};
	const moving = mine(move);
	const over = (then: () => void) => {
		following = null;
		window.removeEventListener("pointermove", moving, early);
		window.removeEventListener("pointerup", ending, early);
		window.removeEventListener("pointercancel", cancelling, early);
		window.removeEventListener("keydown", onKey, early);
		then();
	};
	const ending = mine(() => over(end));
	const cancelling = mine(() => over(cancel));
	const onKey = (event: KeyboardEvent) => {
		if (event.key !== "Escape") return;
		event.preventDefault();
		event.stopPropagation();
		over(cancel);
	};
	// The window hears of it also where what was got hold of is gone from the page by then.
	window.addEventListener("pointermove", moving, early);
	window.addEventListener("pointerup", ending, early);
	window.addEventListener("pointercancel", cancelling, early);
	window.addEventListener("keydown", onKey, early);
}
