/** Changes of one thing, one after the other, each on what came of the one before it. */

/** A change that was made here. */
export interface Entry<Change> {
	/** Names it for the server: what arrives twice under one name is done once. */
	readonly key: string;
	readonly change: Change;
}

/**
 * Sends a change, as made on this revision. Answered by `kept`, `dropped`, `refused` or `unanswered`, with the number
 * of the attempt.
 */
export type Send<Change> = (entry: Entry<Change>, revision: number, attempt: number) => void;

/**
 * A line holds what was made and is not acknowledged. It has no clock and no connection: answers come as events, and
 * those that nothing waits for (given up, doubled, overtaken) do nothing. After an answer it goes on with `next`, once
 * what came of that answer is shown.
 */
export class Line<Change> {
	readonly #send: Send<Change>;
	#entries: Entry<Change>[] = [];
	#revision: number;
	/** The attempt that is on its way: it sends the first one. */
	#attempt: number | null = null;
	#attempts = 0;

	constructor(revision: number, send: Send<Change>) {
		this.#revision = revision;
		this.#send = send;
	}

	/** The newest revision that is shown. */
	get revision() {
		return this.#revision;
	}

	/** What was made and is not acknowledged, the oldest first. */
	get entries(): readonly Entry<Change>[] {
		return this.#entries;
	}

	push(entry: Entry<Change>) {
		this.#entries.push(entry);
		this.next();
	}

	/** The first one was kept: answers it, or nothing where nothing waits for this answer. */
	kept(attempt: number, revision: number): Entry<Change> | null {
		const entry = this.#answered(attempt);
		// A change that had been kept before comes back with what was made of it since.
		if (entry) this.onto(revision);
		return entry;
	}

	/** Answers the one that this attempt sends; nothing where nothing waits for its answer. */
	sent(attempt: number): Entry<Change> | null {
		return this.#attempt === attempt ? this.#entries[0] : null;
	}

	/** The first one cannot be kept; those behind it go on without it. */
	dropped(attempt: number) {
		this.#answered(attempt);
	}

	/** The first one came too late, and so did those behind it: all of them, which are no longer in the line. */
	refused(attempt: number): Entry<Change>[] {
		const first = this.#answered(attempt);
		if (!first) return [];
		const lost = [first, ...this.#entries];
		this.#entries = [];
		return lost;
	}

	/** Nothing came back: it stays, and `next` sends it again. */
	unanswered(attempt: number) {
		if (this.#attempt === attempt) this.#attempt = null;
	}

	/** What is not on its way is no longer in the line: answers it. */
	takeOut(): Entry<Change>[] {
		const sending = this.#attempt === null ? 0 : 1;
		const waiting = this.#entries.slice(sending);
		this.#entries = this.#entries.slice(0, sending);
		return waiting;
	}

	/** A newer revision is shown. */
	onto(revision: number) {
		this.#revision = Math.max(this.#revision, revision);
	}

	/** Sends the first one, unless one is on its way. */
	next() {
		const [first] = this.#entries;
		if (!first || this.#attempt !== null) return;
		this.#attempt = ++this.#attempts;
		this.#send(first, this.#revision, this.#attempt);
	}

	#answered(attempt: number): Entry<Change> | null {
		if (this.#attempt !== attempt) return null;
		this.#attempt = null;
		const [first, ...others] = this.#entries;
		this.#entries = others;
		return first;
	}
}
