import fc from "fast-check";
import { describe, expect, test } from "vitest";
import type { Gesture } from "../api/generated/types";
import { aboutOf } from "./gestures";
import { done, type Message, Server, Window } from "./world";

const set = (value: number, setting = "a", pass = 1): Gesture => ({ kind: "set", pass, setting, value });
const values = (gestures: Gesture[]) => gestures.map((gesture) => ("value" in gesture ? gesture.value : "x"));

function world(windows = 1) {
	const server = new Server();
	const network: Message[] = [];
	const all = Array.from({ length: windows }, (_, place) => new Window("AB"[place], server, network));
	/** Everything arrives, in turn, until nothing more happens. */
	const settle = () => {
		for (let turns = 0; turns < 1000; turns++) {
			network.shift()?.arrive();
			for (const window of all) window.frame();
			if (network.length > 0) continue;
			for (const window of all) window.endWaits("rest");
			for (const window of all) if (network.length === 0) window.endWaits("patience");
			if (network.length === 0) return;
		}
		throw new Error("it never rests");
	};
	return { server, network, all, one: all[0], client: all[0].client, settle };
}

describe("gestures", () => {
	test("a nudge, and a drag begun before it is kept: each is done once, each is a step", () => {
		const { server, one, client, settle } = world();
		client.act({ kind: "duplicate-pass", pass: 1, others: false });
		client.commitSoon("nudge");
		client.act(set(1, "b", 2));
		one.endWaits("rest");
		client.act(set(2, "b", 2));
		client.commit("drag");
		settle();
		expect(server.log.map(({ label }) => label)).toEqual(["nudge", "drag"]);
		expect(server.recipe.passes).toHaveLength(4);
		expect(one.shown.recipe).toEqual(server.recipe);
	});

	test("two kinds of nudges in a row are two steps, each under its own name", () => {
		const { server, client, settle } = world();
		client.act(set(1));
		client.commitSoon("one");
		client.act(set(2, "b"));
		client.commitSoon("other");
		settle();
		expect(server.log.map(({ label, gestures }) => [label, values(gestures)])).toEqual([
			["one", [1]],
			["other", [2]],
		]);
	});

	test("nudges of one thing in a row are one step", () => {
		const { server, client, settle } = world();
		for (const value of [1, 2, 3]) {
			client.act(set(value));
			client.commitSoon("nudge");
		}
		settle();
		expect(server.log.map(({ gestures }) => values(gestures))).toEqual([[1, 2, 3]]);
	});

	test("an aim that is being pointed at stays when a handle is dragged", () => {
		const { server, one, client, settle } = world();
		client.act({ kind: "change-pass", pass: 1, aim: { offset: 3 } } as unknown as Gesture, "aim by pointing");
		client.act(set(7));
		client.commit("shape");
		settle();
		expect(server.log.map(({ label }) => label)).toEqual(["aim by pointing", "shape"]);
		expect(one.shown.recipe).toEqual(server.recipe);
	});

	test("a drag that was broken off means nothing until its hand lets go", () => {
		const { server, client, settle } = world();
		client.begin();
		client.act(set(1), "drag");
		client.act({ kind: "duplicate-pass", pass: 2, others: false });
		client.commit("key");
		client.act(set(2), "drag");
		client.commit("drag");
		client.act(set(3), "drag");
		client.commit("drag");
		settle();
		expect(server.log.map(({ label, gestures }) => [label, values(gestures)])).toEqual([
			["drag", [1]],
			["key", ["x"]],
			["drag", [3]],
		]);
	});

	test("an aim that is being pointed at is kept when the page goes away", () => {
		const { server, client, settle } = world();
		client.act(set(3), "aim by pointing");
		client.close();
		settle();
		expect(server.log.map(({ label, gestures }) => [label, values(gestures)])).toEqual([
			["aim by pointing", [3]],
		]);
		client.close();
		settle();
		expect(server.log).toHaveLength(1);
	});

	test("a gesture that is given up leaves nothing", () => {
		const { server, one, client, settle } = world();
		client.act(set(1));
		settle();
		client.cancel();
		client.commit("drag");
		settle();
		expect(server.log).toEqual([]);
		expect(one.shown.recipe).toEqual(server.recipe);
		expect(one.shown.picture?.recipe).toEqual(server.recipe);
	});
});

describe("a server that does not answer", () => {
	test("an answer that breaks off leaves what is made in the line", () => {
		const { server, network, one, client, settle } = world();
		client.act(set(1));
		client.commit("one");
		client.act(set(2, "b"));
		client.commit("two");
		const kept = network.findIndex(({ what }) => what.startsWith("keep"));
		network[kept].arrive();
		network.splice(kept, 1);
		network.pop()?.lose();
		expect(client.unkept).toHaveLength(2);
		settle();
		expect(server.log.map(({ label }) => label)).toEqual(["one", "two"]);
		expect(one.lost).toEqual([]);
		expect(client.unkept).toHaveLength(0);
	});

	test("a drag while it is down is kept, and is seen, when it is back", () => {
		const { server, network, one, client, settle } = world();
		client.act(set(1));
		for (const message of network.splice(0)) message.lose();
		client.act(set(2));
		client.commit("drag");
		for (const message of network.splice(0)) message.lose();
		expect(one.notes.map(({ kind }) => kind)).toEqual(["silence"]);
		settle();
		expect(values(server.log[0].gestures)).toEqual([2]);
		expect(one.shown.picture?.recipe).toEqual(server.recipe);
		expect(one.notes.at(-1)).toEqual({ kind: "silence", problem: null });
		expect(client.isSilent).toBe(false);
	});

	test("a call whose answer was lost shows what came of it", () => {
		const { server, network, one, settle } = world();
		one.rename("Snare");
		network.shift()?.arrive();
		network.shift()?.lose();
		expect(server.name).toBe("Snare");
		settle();
		expect(one.shown.state).toEqual(server.state);
	});
});

describe("two windows", () => {
	test("an older answer to looking again is not shown", () => {
		const { server, network, one, client, settle } = world();
		client.lookAgain();
		network.shift()?.arrive();
		const [older] = network.splice(0);
		client.act(set(1));
		client.commit("switch");
		settle();
		older.arrive();
		client.act(set(2, "b"));
		client.commit("next");
		settle();
		expect(one.lost).toEqual([]);
		expect(one.shown.state).toEqual(server.state);
	});

	test("what was made on an older state is said, and can be done again on top", () => {
		const { server, all, settle } = world(2);
		const [a, b] = all;
		a.client.act(set(1));
		a.client.commit("of A");
		settle();
		b.client.act(set(2, "b"));
		b.client.commit("of B");
		settle();
		expect(b.lost).toMatchObject([{ label: "of B" }]);
		expect(b.shown.state).toEqual(server.state);
		b.client.repeat(b.lost);
		settle();
		expect(server.log.map(({ label }) => label)).toEqual(["of A", "of B"]);
	});

	test("another Written is read before anything is drawn of it", () => {
		const { server, all, settle } = world(2);
		const [a, b] = all;
		a.client.draw("draw", []);
		settle();
		b.client.act(set(2));
		settle();
		expect(b.shown.state?.source).toBe(server.source);
		b.client.commit("of B");
		settle();
		expect(server.log.map(({ label }) => label)).toEqual(["draw", "of B"]);
	});

	test("a round that is entered is newer than what was asked before", () => {
		const { network, one, client, settle } = world();
		client.act(set(1));
		network[0].arrive();
		const [, older] = network.splice(0);
		client.enter(5);
		older.arrive();
		expect(one.shown.picture).toBeUndefined();
		settle();
		expect(one.shown.picture?.variation).toBe(5);
	});
});

// What people, clocks and networks do, in any order.
const events = fc.array(
	fc.record({
		window: fc.nat(1),
		what: fc.constantFrom(
			...["drag", "drag", "drag", "let go", "let go", "nudge", "nudge", "double", "double soon", "begin"],
			...["give up", "draw", "rename", "undo", "look", "rest", "patience", "frame", "frame", "vary"],
			...["arrive", "arrive", "arrive", "arrive", "arrive", "arrive", "arrive late", "lose", "twice"],
		),
		which: fc.nat(20),
	}),
	{ minLength: 40, maxLength: 160 },
);

type Event = { window: number; what: string; which: number };

/** Does it all, and remembers what was made under which name. */
function run(script: Event[]) {
	const made = world(2);
	const { all, network } = made;
	let numbers = 0;
	/** The gestures of each hand that were committed, by the value that they set last. */
	const names = new Map<unknown, string>();
	/** What each window set last and has not let go of. */
	const open: (Gesture | null)[] = [null, null];
	const shown: number[] = [0, 0];
	for (const { window: place, what, which } of script) {
		const window = all[place];
		const { client } = window;
		const setting = which % 2 ? "a" : "b";
		const thing = (which % 3) + 1;
		const label = `${setting} of ${thing}`;
		switch (what) {
			case "drag": {
				const gesture = set(++numbers, setting, thing);
				const before = open[place];
				if (before && aboutOf(before) !== aboutOf(gesture)) client.begin();
				names.set(numbers, label);
				client.act(gesture, label);
				open[place] = gesture;
				break;
			}
			case "let go": {
				const gesture = open[place];
				if (gesture && "value" in gesture) client.commit(names.get(gesture.value) ?? "?");
				open[place] = null;
				break;
			}
			case "nudge":
				client.begin();
				names.set(++numbers, label);
				client.act(set(numbers, setting, thing), label);
				client.commitSoon(label);
				open[place] = null;
				break;
			case "double":
			case "double soon":
				client.act({ kind: "duplicate-pass", pass: thing, others: false });
				if (what === "double") client.commit("double");
				else client.commitSoon("double");
				open[place] = null;
				break;
			case "begin":
				client.begin();
				break;
			case "give up":
				client.cancel();
				open[place] = null;
				break;
			case "draw":
				client.draw("draw", []);
				break;
			case "rename":
				window.rename(`${++numbers}`);
				break;
			case "undo":
				window.undo();
				break;
			case "look":
				client.lookAgain();
				break;
			case "rest":
			case "patience":
				window.endWaits(what);
				break;
			case "frame":
				window.frame();
				break;
			case "vary":
				client.vary(which + 1);
				client.commit("variation");
				open[place] = null;
				break;
			case "arrive":
				network.shift()?.arrive();
				break;
			case "arrive late":
				network.splice(which % Math.max(1, network.length), 1)[0]?.arrive();
				break;
			case "lose":
				network.splice(which % Math.max(1, network.length), 1)[0]?.lose();
				break;
			case "twice":
				network[0]?.arrive();
				break;
		}
		// A picture is never older than the one before it.
		const number = window.shown.picture?.question ?? 0;
		if (number > 0) {
			expect(number).toBeGreaterThanOrEqual(shown[place]);
			shown[place] = number;
		}
	}
	for (const { client } of all) client.commit("the end");
	made.settle();
	for (const { client } of all) client.lookAgain();
	made.settle();
	return { ...made, names };
}

describe("whatever happens", () => {
	// 200 runs of 100 in the mean: more than 10 000 gestures.
	test("nothing is lost, done twice or shown otherwise than it is kept", { timeout: 300_000 }, () => {
		let gestures = 0;
		const check = (script: Event[]) => {
			const { server, all, names } = run(script);
			const keys = server.log.map(({ key }) => key);
			expect(new Set(keys).size).toBe(keys.length);
			// Each gesture is in one step, of its own name, or it was said that it was not kept.
			const steps = server.log.map(({ label, gestures }) => ({ label, gestures }));
			const lost = all.flatMap((window) => window.lost).filter((change) => change.kind === "gestures");
			for (const { label, gestures: own } of [...steps, ...lost]) {
				gestures += own.length;
				if (label === "the end") continue;
				expect(new Set(own.map(aboutOf)).size).toBeLessThanOrEqual(1);
				for (const value of values(own)) if (value !== "x") expect(names.get(value)).toBe(label);
			}
			const said = [...steps, ...lost].flatMap((one) => values(one.gestures)).filter((one) => one !== "x");
			expect(new Set(said).size).toBe(said.length);
			for (const { client, shown, notes } of all) {
				expect(client.unkept).toEqual([]);
				expect(client.isSilent).toBe(false);
				expect(notes.filter(({ kind }) => kind === "silence").length % 2).toBe(0);
				expect(shown.state).toEqual(server.state);
				expect(shown.recipe).toEqual(server.recipe);
				expect(shown.variation).toBe(server.variation);
				if (shown.picture) expect(shown.picture.recipe).toEqual(server.recipe);
			}
			// Undo returns each step.
			for (let back = server.undo(); back; back = server.undo()) gestures += 0;
			expect(server.recipe).toEqual(new Server().recipe);
		};
		fc.assert(fc.property(events, check), { numRuns: 1000 });
		expect(gestures).toBeGreaterThan(10_000);
	});

	test("a step of many gestures does what they did one by one", () => {
		const { server, client, settle } = world();
		const all: Gesture[] = [set(1), set(2, "b"), { kind: "duplicate-pass", pass: 1, others: false }];
		for (const gesture of all) {
			client.act(gesture);
			client.finish();
		}
		client.commit("all");
		settle();
		expect(server.recipe).toEqual(all.reduce(done, new Server().recipe));
	});
});
