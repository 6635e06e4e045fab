/** Changes of what is kept beside parts: kits, grooves, settings. Each of them has a line of its own. */

import { thisWindow } from "../api/client";
import type { Problem } from "../api/generated/types";
import { hideNote, showLasting } from "../lib/notify";
import { ProblemError } from "../lib/problem";
import { Line } from "./line";

/** Makes a change of this revision. The key names it for the server: however often it arrives, it is made once. */
export type Make<T> = (revision: number, key: string) => Promise<T>;

interface Change {
	make: Make<unknown>;
	/** It can be sent again where no answer came; else whoever made it is told that it was not kept. */
	repeats: boolean;
	done: (made: never) => void;
	failed: (error: unknown) => void;
}

/** What is around it. */
export interface Around {
	/** Calls back in a while. */
	later: (then: () => void) => void;
	/** The server does not answer; or, without a problem, it does again. */
	silence: (problem: Problem | null) => void;
}

const problemOf = (error: unknown) => (error instanceof ProblemError ? error.problem : null);

/** What came of a change: its new revision, where it says one. */
const revisionOf = (made: unknown) =>
	made && typeof made === "object" && "revision" in made && typeof made.revision === "number"
		? made.revision
		: 0;

export class Keeping {
	readonly #window: string;
	readonly #around: Around;
	readonly #lines = new Map<string, Line<Change>>();
	#keys = 0;

	constructor(window: string, around: Around) {
		this.#window = window;
		this.#around = around;
	}

	/**
	 * Changes a thing, after what was changed of it before and on what came of that: whoever clicks twice before the
	 * page has read it anew has not changed it elsewhere. Answers what came of it, once it is kept.
	 */
	change<T>(thing: string, revision: number, make: Make<T>, repeats = true): Promise<T> {
		const line = this.#lines.get(thing) ?? this.#begun(thing, revision);
		line.onto(revision);
		this.#keys += 1;
		return new Promise<T>((done, failed) => {
			line.push({ key: `${this.#window} ${this.#keys}`, change: { make, repeats, done, failed } });
		});
	}

	#begun(thing: string, revision: number) {
		const line: Line<Change> = new Line(revision, ({ key, change }, revision, attempt) => {
			change.make(revision, key).then(
				(made) => {
					this.#around.silence(null);
					line.kept(attempt, revisionOf(made));
					change.done(made as never);
					line.next();
				},
				(error) => this.#failed(line, change, attempt, error),
			);
		});
		this.#lines.set(thing, line);
		return line;
	}

	#failed(line: Line<Change>, change: Change, attempt: number, error: unknown) {
		const problem = problemOf(error);
		if (problem?.status === 0 && change.repeats) {
			this.#around.silence(problem);
			line.unanswered(attempt);
			this.#around.later(() => line.next());
			return;
		}
		// What stands behind a change that came too late was made on it.
		if (problem?.status === 409) {
			for (const { change } of line.refused(attempt)) change.failed(error);
			return;
		}
		line.dropped(attempt);
		change.failed(error);
		line.next();
	}
}

const note = "not-kept-yet";

/** Of this window. */
export const keeping = new Keeping(thisWindow, {
	later: (then) => void window.setTimeout(then, 2_000),
	silence: (problem) => (problem ? showLasting(note, problem.title, problem.detail) : hideNote(note)),
});
