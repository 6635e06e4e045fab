import { describe, expect, test } from "vitest";
import { Newest } from "./newest";

/** Answers come when the test says so. */
function stand() {
	const asked: string[] = [];
	const shown: string[] = [];
	const failed: unknown[] = [];
	let answer: (failure?: Error) => void = () => undefined;
	const newest = new Newest<string, string>(
		(question) => {
			asked.push(question);
			return new Promise((resolve, reject) => {
				answer = (failure) => (failure ? reject(failure) : resolve(`${question}!`));
			});
		},
		(question, answer) => void shown.push(`${question} ${answer}`),
		(error) => void failed.push(error),
	);
	const come = async (failure?: Error) => {
		answer(failure);
		await new Promise((resolve) => setTimeout(resolve));
	};
	return { newest, asked, shown, failed, come };
}

describe("the newest of what comes quickly", () => {
	test("one question is on its way, the last of those behind it comes next, older answers are dropped", async () => {
		const { newest, asked, shown, come } = stand();
		for (const dot of ["a", "b", "c", "d"]) newest.ask(dot);
		expect(asked).toEqual(["a"]);
		await come();
		expect([asked, shown]).toEqual([["a", "d"], []]);
		await come();
		expect(shown).toEqual(["d d!"]);
		newest.ask("e");
		await come();
		expect(shown).toEqual(["d d!", "e e!"]);
	});

	test("what is forgotten is not answered, and what comes then is asked", async () => {
		const { newest, asked, shown, come } = stand();
		newest.ask("of one groove");
		newest.forget();
		newest.ask("of another");
		await come();
		await come();
		expect(asked).toEqual(["of one groove", "of another"]);
		expect(shown).toEqual(["of another of another!"]);
	});

	test("a failure is told, and does not stand in the way", async () => {
		const { newest, shown, failed, come } = stand();
		newest.ask("a");
		newest.ask("b");
		await come(new Error("no"));
		await come();
		expect([failed.length, shown]).toEqual([1, ["b b!"]]);
	});
});
