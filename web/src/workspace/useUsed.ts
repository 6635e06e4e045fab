import { useMemo } from "react";
import { writtenOf } from "./played";
import { useWorkspace } from "./store";

/** The places in the kit of the instruments that have hits, written or made. */
export function useUsed(): Set<number> {
	const part = useWorkspace((state) => state.part);
	const played = useWorkspace(
		(state) =>
			state.performance?.ofInstruments.flatMap((hits, index) => (hits.length > 0 ? [index] : [])).join() ??
			"",
	);
	return useMemo(() => {
		const used = new Set(played ? played.split(",").map(Number) : []);
		writtenOf(part).forEach((hits, index) => {
			if (hits.length > 0) used.add(index);
		});
		return used;
	}, [part, played]);
}
