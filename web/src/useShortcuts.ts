import { type HotkeyItem, useHotkeys } from "@mantine/hooks";

/** What takes the characters that are typed while it has the focus. */
const takesCharacters =
	"input:not([type=checkbox], [type=radio]), textarea, select, [contenteditable=true], [role=spinbutton]";

/** Whether a key is one character, with or without Shift: those that Ctrl or Cmd goes with write nothing. */
const isCharacter = (key: string) => /^(shift\+)?(.|\[plus\])$/.test(key);

/** Keys that act wherever the focus is, but for those that whatever has the focus takes as characters. */
export function useShortcuts(keys: HotkeyItem[]) {
	useHotkeys(
		keys.map(
			([key, act, options]): HotkeyItem => [
				key,
				(event) => {
					if (isCharacter(key) && document.activeElement?.matches(takesCharacters)) return;
					if (options?.preventDefault !== false) event.preventDefault();
					act(event);
				},
				{ ...options, preventDefault: false },
			],
		),
	);
}
