import { useEffect, useRef } from "react";
import { type Shortcut, useShortcuts } from "../lib/shortcuts";
import { plural } from "../lib/words";
import { selectWithin } from "../part/hits";
import { magnifications } from "../part/shown";
import { useWorkspaceStore } from "../part/store";
import { movedWindow, type Shown, showing } from "./rows/useTimeGestures";
import type { Transport } from "./transport/usePlayer";

const typedInto = "input:not([type=checkbox], [type=radio]), textarea, [contenteditable=true]";
const pressed = "button, a, input, [role=slider], [role=separator]";

/**
 * Space plays, and with Shift from the beginning of the loop, wherever the pointer was used last; it presses a control only where that was reached by keyboard.
 * What is switched by the pointer gives the focus back, so that the other keys are heard, too.
 */
function useSpace(play: (fromLoop: boolean) => void) {
	const latest = useRef(play);
	latest.current = play;
	useEffect(() => {
		let byKey = false;
		const onPointer = () => {
			byKey = false;
		};
		const onKey = (event: KeyboardEvent) => {
			if (event.key === "Tab") byKey = true;
			if (event.key !== " " || event.ctrlKey || event.metaKey || event.altKey) return;
			const focused = document.activeElement;
			if (focused?.matches(typedInto)) return;
			if (focused?.closest("[role=dialog], [role=menu], [role=listbox]")) return;
			if (byKey && focused?.matches(pressed)) return;
			event.preventDefault();
			event.stopPropagation();
			if (!event.repeat) latest.current(event.shiftKey);
		};
		const onClick = (event: MouseEvent) => {
			const { target } = event;
			if (byKey || !(target instanceof HTMLInputElement) || target.closest("[role=dialog]")) return;
			if (target.type === "checkbox" || target.type === "radio") target.blur();
		};
		window.addEventListener("pointerdown", onPointer, true);
		window.addEventListener("keydown", onKey, true);
		window.addEventListener("click", onClick);
		return () => {
			window.removeEventListener("pointerdown", onPointer, true);
			window.removeEventListener("keydown", onKey, true);
			window.removeEventListener("click", onClick);
		};
	}, []);
}

/** The keys of the workspace. */
export function useKeys(transport: Transport, onHelp: () => void) {
	const store = useWorkspaceStore();
	const view = () => store.getState();
	const show = (what: Shown) => () => showing(view(), what);
	const scroll = (share: number) => {
		const [start, end] = view().window;
		view().setView({ window: movedWindow(view().song, view().window, (end - start) * share, 1, 0) });
	};
	const nextVariation = () => {
		view().vary(view().variation + 1);
		view().commit("next variation");
	};
	/** Nudges what is selected; without a selection the key is for something else. */
	const nudge = (velocity: number, ms: number, otherwise?: () => void) => (event: KeyboardEvent) => {
		const { selected, act, commitSoon } = view();
		if (selected.size === 0) {
			if (otherwise) event.preventDefault();
			otherwise?.();
			return;
		}
		event.preventDefault();
		act({ kind: "move-hits", hits: [...selected], velocity, time: ms, ticks: 0, at: 0 });
		commitSoon("nudge hits");
	};
	const takeOut = () => {
		const { selected, act, commit, select } = view();
		if (selected.size === 0) return;
		act({ kind: "take-out", hits: [...selected] });
		commit(`take out ${plural(selected.size, "hit")}`);
		select([]);
	};
	/** A screen that lies over the rows first, then what one is in, then what is selected. */
	const leave = () => {
		const { screen, aiming, selected, pencil, showScreen, aimAt, select, takeUp } = view();
		if (screen !== null) showScreen(null);
		else if (aiming !== null) aimAt(null);
		else if (selected.size > 0) select([]);
		else if (pencil) takeUp(null);
	};
	const typeVelocity = () =>
		document.querySelector<HTMLButtonElement>("[data-selection] [role=spinbutton]")?.focus();
	const magnify = (by: number) => {
		const place = magnifications.indexOf(view().times) + by + magnifications.length;
		view().setView({ times: magnifications[place % magnifications.length] });
	};
	/** When the palette was asked for. */
	const searching = useRef(Number.NEGATIVE_INFINITY);
	useSpace(transport.toggle);
	useEffect(() => {
		const onFocus = ({ target }: FocusEvent) => {
			if (target instanceof HTMLInputElement) searching.current = Number.NEGATIVE_INFINITY;
		};
		window.addEventListener("focusin", onFocus);
		return () => window.removeEventListener("focusin", onFocus);
	}, []);
	const loose = { loose: true };
	const keys: Shortcut[] = [
		["ArrowUp", nudge(1, 0), loose],
		["ArrowDown", nudge(-1, 0), loose],
		["shift+ArrowUp", nudge(10, 0), loose],
		["shift+ArrowDown", nudge(-10, 0), loose],
		["ArrowLeft", nudge(0, -1), loose],
		["ArrowRight", nudge(0, 1), loose],
		["Delete", takeOut],
		["Backspace", takeOut],
		["Escape", leave, loose],
		["b", () => view().takeUp(view().pencil ? null : {})],
		["x", () => view().pencil !== null && view().takeUp({ rubbing: !view().pencil?.rubbing })],
		["Enter", typeVelocity, loose],
		["w", () => view().setView({ reading: view().reading === "played" ? "written" : "played" })],
		["l", () => view().setView({ looping: !view().looping })],
		["c", () => view().setView({ click: !view().click })],
		["v", nextVariation],
		["r", () => view().setFresh(!view().fresh)],
		// What is not in sight does not begin.
		["shift+r", () => (view().screen === null || view().taking !== "idle") && transport.record()],
		["t", () => magnify(1)],
		["shift+t", () => magnify(-1)],
		["o", () => view().setView({ others: !view().others })],
		["e", () => view().setView({ equalLoudness: !view().equalLoudness })],
		["1", show("loop")],
		["2", show("section")],
		["s", () => view().setView({ stacked: !view().stacked, pencil: null })],
		["f", () => view().setView({ table: !view().table })],
		["d", () => view().setView({ pads: !view().pads })],
		["g", () => view().showScreen(view().screen === "grooves" ? null : "grooves")],
		["k", () => view().showScreen(view().screen === "kit" ? null : "kit")],
		["p", () => view().setView({ side: view().side === "pockets" ? "passes" : "pockets" })],
		["n", () => view().side !== "findings" && view().setView({ side: "findings" })],
		[
			"/",
			() => {
				searching.current = performance.now();
				if (view().side !== "passes") view().setView({ side: "passes" });
				view().showDialog("add-pass");
			},
		],
		[
			"mod+a",
			(event) => {
				event.preventDefault();
				const state = view();
				const { instruments } = state.part.kit;
				const hidden = (index: number) => state.hidden.includes(instruments[index].id);
				selectWithin(
					state,
					[...instruments.keys()].filter((index) => !hidden(index)),
				);
			},
		],
		["mod+z", () => view().undo()],
		["mod+shift+z", () => view().redo()],
		["mod+y", () => view().redo()],
		["+", show("nearer")],
		["=", show("nearer")],
		["-", show("farther")],
		["0", show("song")],
		["shift+ArrowLeft", nudge(0, -10, () => scroll(-0.25)), loose],
		["shift+ArrowRight", nudge(0, 10, () => scroll(0.25)), loose],
	];
	// What is typed right behind the key that opens the palette is meant for it, also before it has the focus.
	const typed = ([key, act, options]: Shortcut): Shortcut => [
		key,
		(event) => {
			const early = performance.now() - searching.current < 500;
			return key === "/" || key.startsWith("mod+") || !early ? act(event) : false;
		},
		options,
	];
	useShortcuts(keys.map(typed), [["?", onHelp]]);
}
