/** How long what came of a change is newer than what the page has read, in ms. */
const fresh = 10_000;

interface Line {
	/** What came of the newest change, and when. */
	revision: number;
	at: number;
	last: Promise<unknown>;
}

const lines = new Map<string, Line>();

/**
 * Changes of one thing, one after the other, each on what came of the one before it: whoever clicks twice before the
 * page has read it anew has not changed it elsewhere.
 */
export function inTurn<T>(thing: string, revision: number, change: (revision: number) => Promise<T>) {
	const line = lines.get(thing) ?? { revision: 0, at: 0, last: Promise.resolve() };
	lines.set(thing, line);
	const made = line.last.then(async () => {
		const own = performance.now() - line.at < fresh ? line.revision : 0;
		const made = await change(Math.max(revision, own));
		if (made && typeof made === "object" && "revision" in made && typeof made.revision === "number") {
			line.revision = made.revision;
			line.at = performance.now();
		}
		return made;
	});
	line.last = made.catch(() => undefined);
	return made;
}
