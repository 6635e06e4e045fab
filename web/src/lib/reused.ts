/** Sharing what is equal. */
import isEqual from "fast-deep-equal";

/** What came now, with every part of it that is as it was before. */
export function reused<T>(old: T | undefined, now: T): T {
	if (isEqual(old, now)) return old as T;
	if (
		typeof now !== "object" ||
		now === null ||
		Array.isArray(now) ||
		typeof old !== "object" ||
		old === null
	)
		return now;
	const before = old as Record<string, unknown>;
	return Object.fromEntries(
		Object.entries(now).map(([key, value]) => [key, reused(before[key], value)]),
	) as T;
}
