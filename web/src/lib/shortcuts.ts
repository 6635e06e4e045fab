/** Keys that act wherever the focus is. */
import { useEffect, useRef } from "react";

/**
 * What is pressed, what it does, and whether the browser does what it usually does as well. What answers false has done
 * nothing: the key is for somebody else.
 */
export type Shortcut = [keys: string, act: (event: KeyboardEvent) => unknown, options?: { loose: boolean }];

type Pressed = Pick<
	KeyboardEvent,
	"key" | "code" | "shiftKey" | "ctrlKey" | "metaKey" | "altKey" | "getModifierState"
>;

/**
 * Whether a key is what a shortcut says: `Delete`, `shift+ArrowUp`, `mod+z`, `b`, `/`. A letter is the one that is
 * typed; where a layout has no Latin letters, the one that lies there. Any other character is the one that is typed,
 * whatever has to be held for it.
 */
export function matches(keys: string, event: Pressed): boolean {
	const parts = keys.split(/\+(?=.)/);
	const wanted = parts[parts.length - 1];
	const mod = parts.includes("mod");
	const shift = parts.includes("shift");
	const typesCharacter = [...wanted].length === 1;
	const isLetter = /^[a-z]$/i.test(wanted);
	// With AltGr characters are typed, which some systems report as Ctrl and Alt.
	const altGraph = event.getModifierState("AltGraph");
	if (typesCharacter && !isLetter && !mod) {
		const held = !altGraph && (event.ctrlKey || event.metaKey || event.altKey);
		return !held && event.key === wanted;
	}
	if (altGraph || event.altKey || (event.ctrlKey || event.metaKey) !== mod || event.shiftKey !== shift)
		return false;
	if (!isLetter) return event.key === wanted;
	const isLatin = /^[a-z]$/i.test(event.key);
	return isLatin
		? event.key.toLowerCase() === wanted.toLowerCase()
		: event.code === `Key${wanted.toUpperCase()}`;
}

/** What takes the characters that are typed while it has the focus. */
const takesCharacters =
	"input:not([type=checkbox], [type=radio]), textarea, select, [contenteditable=true], [role=spinbutton]";

const takesText = "input:not([type=checkbox], [type=radio]), textarea, select, [contenteditable=true]";

/** What lies over everything else until it is closed. */
const over = "[aria-modal=true], [role=menu], [role=listbox], [role=dialog]:not([data-walk-step])";

/** Whether something lies open over the page: what is behind it does not hear keys. */
export const isCovered = () =>
	[...document.querySelectorAll(over)].some((one) => one.checkVisibility({ opacityProperty: true }));

const writes = (keys: string) => [...keys.replace(/^shift\+/, "")].length === 1;

/**
 * Keys that act wherever the focus is; but for those that whatever has the focus takes as characters, that somebody
 * nearer took already, or that are pressed while something lies over the page. `always` are heard then, too.
 */
export function useShortcuts(shortcuts: Shortcut[], always: Shortcut[] = []) {
	const latest = useRef({ shortcuts, always });
	latest.current = { shortcuts, always };
	useEffect(() => {
		let covered = false;
		// As it was when the key went down: what lies over the page may close by it.
		const look = () => {
			covered = isCovered();
		};
		const hear = (event: KeyboardEvent) => {
			if (event.defaultPrevented || event.isComposing) return;
			const focused = document.activeElement;
			if (focused?.matches(takesText)) return;
			const { shortcuts, always } = latest.current;
			const heard = covered ? always : [...shortcuts, ...always];
			const found = heard.find(([keys]) => matches(keys, event));
			if (!found) return;
			const [keys, act, options] = found;
			if (writes(keys) && focused?.matches(takesCharacters)) return;
			if (act(event) !== false && !options?.loose) event.preventDefault();
		};
		window.addEventListener("keydown", look, true);
		document.addEventListener("keydown", hear);
		return () => {
			window.removeEventListener("keydown", look, true);
			document.removeEventListener("keydown", hear);
		};
	}, []);
}
