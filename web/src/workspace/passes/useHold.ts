import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";
import type { Trial } from "../../part/state/types";
import { useWorkspaceStore } from "../../part/store";
import { useTransport } from "../transport/context";

/** Pressed for longer than this, in ms, it is heard; else it is taken. */
const held = 350;

/** A button that lets something be heard on the loop while it is held down, and takes it on a click. */
export function useHold(trial: () => Trial, take: () => void) {
	const transport = useTransport();
	const store = useWorkspaceStore();
	const [heard, setHeard] = useState(false);
	const pressed = useRef<{ at: number; timer: number; started: boolean } | null>(null);
	const begin = () => {
		if (pressed.current) return;
		const hear = () => {
			setHeard(true);
			store.getState().tryOut(trial());
			if (pressed.current && !transport.playing) {
				pressed.current.started = true;
				transport.toggle(true);
			}
		};
		pressed.current = { at: performance.now(), timer: window.setTimeout(hear, held), started: false };
	};
	const end = (takes: boolean) => {
		const press = pressed.current;
		pressed.current = null;
		if (!press) return;
		window.clearTimeout(press.timer);
		const long = performance.now() - press.at >= held;
		if (long) {
			setHeard(false);
			store.getState().tryOut(null);
			// Also where its sounds are still on their way.
			if (press.started && transport.isOn()) transport.toggle(true);
		} else if (takes) take();
	};
	const letGo = useRef(end);
	letGo.current = end;
	useEffect(() => () => letGo.current(false), []);
	const onKey = (event: KeyboardEvent, down: boolean) => {
		if (event.key === "Enter" && down) take();
		else if (event.key === " ") {
			if (down) begin();
			else end(true);
		} else return;
		event.preventDefault();
		event.stopPropagation();
	};
	return {
		"data-heard": heard,
		onPointerDown: (event: PointerEvent<HTMLElement>) => {
			if (event.button !== 0) return;
			event.currentTarget.setPointerCapture(event.pointerId);
			begin();
		},
		onPointerUp: () => end(true),
		onPointerCancel: () => end(false),
		onKeyDown: (event: KeyboardEvent) => onKey(event, true),
		onKeyUp: (event: KeyboardEvent) => onKey(event, false),
	};
}
