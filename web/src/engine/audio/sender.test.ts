import { afterEach, beforeEach, expect, test, vi } from "vitest";
import type { OutPort } from "../devices/ports";
import { Sender } from "./sender";

let page = 0;
beforeEach(() => {
	page = 0;
	vi.spyOn(performance, "now").mockImplementation(() => page);
});
afterEach(() => vi.restoreAllMocks());

function sampler() {
	const sent: { data: number[]; at: number }[] = [];
	const port: OutPort = {
		id: "s",
		name: "Sampler",
		kind: "midi",
		send: (data, at) => sent.push({ data, at }),
	};
	/** The notes that hang: struck and not ended, with every message at its time. */
	const hanging = () => {
		const on = new Set<string>();
		for (const { data } of [...sent].sort((a, b) => a.at - b.at)) {
			const name = `${data[0] & 0x0f} ${data[1]}`;
			if ((data[0] & 0xf0) === 0x90) on.add(name);
			if ((data[0] & 0xf0) === 0x80) on.delete(name);
		}
		return [...on];
	};
	return { port, sent, hanging };
}

test("a note that is struck again is ended before, and no note hangs", () => {
	const { port, sent, hanging } = sampler();
	const sender = new Sender();
	for (let stroke = 0; stroke < 20; stroke++) sender.strike(port, 9, 38, 100, 100 + 50 * stroke, 400);
	for (page = 0; page < 3000; page += 40) sender.pump(page + 120);
	expect(hanging()).toEqual([]);
	const ends = sent.filter(({ data }) => (data[0] & 0xf0) === 0x80).map(({ at }) => at);
	expect(ends.slice(0, 3)).toEqual([149, 199, 249]);
});

test("an end comes no sooner than 15 ms behind its stroke", () => {
	const { port, sent } = sampler();
	const sender = new Sender();
	sender.strike(port, 9, 42, 80, 100, 2);
	sender.pump(1000);
	expect(sent.map(({ at }) => at)).toEqual([100, 115]);
});

test("silence ends what sounds, and what was sent ahead of time when that is over", () => {
	const { port, sent, hanging } = sampler();
	const sender = new Sender();
	sender.strike(port, 9, 36, 90, 50, 500);
	page = 10;
	sender.silence();
	expect(hanging()).toEqual([]);
	const off = sent.filter(({ data }) => data[0] === 0xb9).map(({ data, at }) => [data[1], at]);
	expect(off).toEqual([
		[123, 10],
		[123, 65],
	]);
	sent.length = 0;
	sender.silence();
	expect(sent).toEqual([]);
});
