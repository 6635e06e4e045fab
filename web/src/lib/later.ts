import { useCallback, useEffect, useRef } from "react";

/** Does something with the newest value once no newer one has come for a while, in ms, or whoever asks for it goes. */
export function useLater<Value>(rest: number, act: (value: Value) => void) {
	const waiting = useRef<{ value: Value; timer: number } | null>(null);
	const latest = useRef(act);
	latest.current = act;
	const now = useCallback(() => {
		const one = waiting.current;
		waiting.current = null;
		if (!one) return;
		window.clearTimeout(one.timer);
		latest.current(one.value);
	}, []);
	useEffect(() => now, [now]);
	const later = useCallback(
		(value: Value) => {
			window.clearTimeout(waiting.current?.timer);
			waiting.current = { value, timer: window.setTimeout(now, rest) };
		},
		[now, rest],
	);
	return { later, now };
}
