/** Keeping what has not changed, so that only what has is drawn again. */
import type { PerformanceColumns } from "../api/generated/types";

/** Deep equality of plain data. */
function same(a: unknown, b: unknown): boolean {
	if (Object.is(a, b)) return true;
	if (typeof a !== "object" || typeof b !== "object" || a === null || b === null) return false;
	const [left, right] = [a as Record<string, unknown>, b as Record<string, unknown>];
	const keys = Object.keys(left);
	return keys.length === Object.keys(right).length && keys.every((key) => same(left[key], right[key]));
}

/** The new performance, with the reports of instruments and passes that came out as before kept. */
export function shared(before: PerformanceColumns | null, after: PerformanceColumns): PerformanceColumns {
	if (!before) return after;
	const kept = <T>(old: T[], now: T[]) => now.map((one, index) => (same(old[index], one) ? old[index] : one));
	return {
		...after,
		passes: kept(before.passes, after.passes),
		report: { ...after.report, instruments: kept(before.report.instruments, after.report.instruments) },
	};
}
