/** Looking for things in lists that ascend. */

/** The first place whose value is not below this one; the length where all are. */
export function firstFrom(ascending: ArrayLike<number>, value: number): number {
	return firstWhere(ascending.length, (place) => ascending[place] >= value);
}

/** The first place whose value is above this one; the length where none is. */
export function firstAfter(ascending: ArrayLike<number>, value: number): number {
	return firstWhere(ascending.length, (place) => ascending[place] > value);
}

/** The first of so many places at which something holds, which holds from there on. */
export function firstWhere(count: number, holds: (place: number) => boolean): number {
	let low = 0;
	let high = count;
	while (low < high) {
		const middle = (low + high) >> 1;
		if (holds(middle)) high = middle;
		else low = middle + 1;
	}
	return low;
}
