import type { Problem } from "../api/generated/types";

/** An answer that says what went wrong. */
export class ProblemError extends Error {
	constructor(readonly problem: Problem) {
		super(problem.detail);
	}
}
