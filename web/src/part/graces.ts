/** Grace notes, and the hits that they belong to. */
import type { PartDetail } from "../api/generated/types";

const known = new WeakMap<PartDetail["written"], Map<number, number>>();

/** For the index of each grace note the index of its hit. */
export function gracesOf({ written }: PartDetail): Map<number, number> {
	const kept = known.get(written);
	if (kept) return kept;
	const graces = new Map(written.graces);
	known.set(written, graces);
	return graces;
}
