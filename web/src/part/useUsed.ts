import { useMemo } from "react";
import type { Instrument } from "../api/generated/types";
import { writtenOf } from "./played";
import { basicRows } from "./rowHeights";
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

/**
 * The instruments that one chooses among: those that have hits or a row of their own, and those that are chosen already.
 * Where nothing is struck yet, the drums that a beat is begun with.
 */
export function useOffered(chosen: string[] = []): Instrument[] {
	const instruments = useWorkspace((state) => state.part.kit.instruments);
	const extra = useWorkspace((state) => state.extra);
	const used = useUsed();
	const listed = useWorkspace((state) => state.part.listed);
	const basic = used.size === 0 ? basicRows(instruments.slice(0, listed)) : [];
	return instruments.filter(
		({ id }, index) => used.has(index) || basic.includes(index) || extra.includes(id) || chosen.includes(id),
	);
}

/** All instruments of the kit, and notes that passes lead to; those that are struck first. */
export function useStruckFirst(): Instrument[] {
	const instruments = useWorkspace((state) => state.part.kit.instruments);
	const listed = useWorkspace((state) => state.part.listed);
	const used = useUsed();
	const struck = instruments.filter((_, index) => used.has(index));
	return [...struck, ...instruments.slice(0, listed).filter((_, index) => !used.has(index))];
}
