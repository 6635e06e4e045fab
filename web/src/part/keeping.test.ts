import { describe, expect, test, vi } from "vitest";
import type { Problem } from "../api/generated/types";
import { ProblemError } from "../lib/problem";
import { Keeping } from "./keeping";

const problem = (status: number) => new ProblemError({ status, title: "", detail: "" } as Problem);
const silence = problem(0);

/** A thing on a server that answers as the test says, and the time. */
function stand() {
	const server = { revision: 1, value: "begun", keys: [] as string[] };
	const waiting: (() => void)[] = [];
	const told: (Problem | null)[] = [];
	const keeping = new Keeping("window", {
		later: (then) => void waiting.push(then),
		silence: (problem) => void told.push(problem),
	});
	/** Keeps it once under its key. */
	const keep = (value: string) => async (revision: number, key: string) => {
		if (!server.keys.includes(key)) {
			if (revision !== server.revision) throw problem(409);
			server.keys.push(key);
			server.revision += 1;
			server.value = value;
		}
		return { ...server };
	};
	return { server, waiting, told, keeping, keep };
}

describe("what is kept beside parts", () => {
	test("two changes at once stand on one another, though the page has not read anew", async () => {
		const { server, keeping, keep } = stand();
		await Promise.all([keeping.change("kit 1", 1, keep("one")), keeping.change("kit 1", 1, keep("two"))]);
		expect(server).toMatchObject({ value: "two", revision: 3 });
	});

	test("where no answer comes it is sent again under the same key, and those behind it wait", async () => {
		const { server, keeping, keep, waiting, told } = stand();
		let lost = 2;
		const often = keep("one");
		const first = keeping.change("kit 1", 1, async (revision, key) => {
			const made = await often(revision, key);
			if (lost-- > 0) throw silence;
			return made;
		});
		const second = keeping.change("kit 1", 1, keep("two"));
		for (let round = 0; round < 2; round++) {
			await vi.waitFor(() => expect(waiting).toHaveLength(1));
			expect(server.value).toBe("one");
			waiting.pop()?.();
		}
		await Promise.all([first, second]);
		expect(server).toMatchObject({ value: "two", revision: 3 });
		expect(server.keys).toHaveLength(2);
		expect([told[0]?.status, told.at(-1)]).toEqual([0, null]);
	});

	test("what was changed elsewhere refuses what was made here, and all that stands on it", async () => {
		const { server, keeping, keep } = stand();
		server.revision = 7;
		const made = [keep("one"), keep("two")].map((make) => keeping.change("kit 1", 1, make));
		for (const one of made) await expect(one).rejects.toBeInstanceOf(ProblemError);
		expect(server.value).toBe("begun");
		await keeping.change("kit 1", 7, keep("three"));
		expect(server.value).toBe("three");
	});

	test("a change that is refused for itself keeps nobody from the next one", async () => {
		const { server, keeping, keep } = stand();
		const wrong = keeping.change("kit 1", 1, () => Promise.reject(problem(422)));
		const right = keeping.change("kit 1", 1, keep("right"));
		await expect(wrong).rejects.toBeInstanceOf(ProblemError);
		await right;
		expect(server.value).toBe("right");
	});

	test("what cannot be repeated is told to be lost; things do not wait for one another", async () => {
		const { keeping, keep, waiting, server } = stand();
		const deleting = keeping.change("kit 1", 1, () => Promise.reject(silence), false);
		await expect(deleting).rejects.toBe(silence);
		expect(waiting).toEqual([]);
		void keeping.change("kit 2", 1, () => new Promise(() => undefined));
		await keeping.change("groove 1", 1, keep("free"));
		expect(server.value).toBe("free");
	});
});
