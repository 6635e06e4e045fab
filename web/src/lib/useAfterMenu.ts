import { useRef } from "react";

/**
 * For a menu item that opens a field: the menu gives the focus back when it has closed, and only
 * then can the field take it. `choose` goes to the item, `onExitTransitionEnd` to the menu.
 */
export function useAfterMenu(act: () => void) {
	const chosen = useRef(false);
	return {
		choose: () => {
			chosen.current = true;
		},
		onExitTransitionEnd: () => {
			if (chosen.current) act();
			chosen.current = false;
		},
	};
}
