/**
 * Asks about the newest of what comes quickly. While an answer is on its way nothing else is asked; what came meanwhile
 * is asked next, the last of it alone. An answer to what is no longer the newest is dropped.
 */
export class Newest<Question, Answer> {
	readonly #ask: (question: Question) => Promise<Answer>;
	readonly #answered: (question: Question, answer: Answer) => void;
	readonly #failed: (error: unknown) => void;
	#wanted: { question: Question } | null = null;
	#asking = false;

	constructor(
		ask: (question: Question) => Promise<Answer>,
		answered: (question: Question, answer: Answer) => void,
		failed: (error: unknown) => void,
	) {
		this.#ask = ask;
		this.#answered = answered;
		this.#failed = failed;
	}

	ask(question: Question) {
		this.#wanted = { question };
		if (!this.#asking) void this.#go();
	}

	/** Nothing that was asked is wanted any more. */
	forget() {
		this.#wanted = null;
	}

	async #go() {
		this.#asking = true;
		while (this.#wanted) {
			const asked = this.#wanted;
			try {
				const answer = await this.#ask(asked.question);
				if (this.#wanted === asked) this.#answered(asked.question, answer);
			} catch (error) {
				this.#failed(error);
			}
			if (this.#wanted === asked) this.#wanted = null;
		}
		this.#asking = false;
	}
}
