import { describe, expect, test } from "vitest";
import type { ActionOffer, Instrument } from "../../api/generated/types";
import { drumsIn, search } from "./search";

/** As the server offers it: what it is called, the trade's words for it, and where these point. */
const offer = (kind: string, title: string, words: string[], points: [string, object][] = [], start = {}) =>
	({
		start: { kind, ...start },
		dice: null,
		info: {
			kind,
			title,
			explains: "",
			words,
			points: points.map(([word, to]) => ({ word, to: JSON.stringify(to) })),
			settings: [],
		},
	}) as unknown as ActionOffer;

const offers = [
	offer(
		"level",
		"Level",
		["softer", "louder"],
		[
			["softer", { by: -10 }],
			["louder", { by: 10 }],
		],
	),
	offer(
		"lean",
		"Lean",
		["laid back", "behind", "ahead", "late"],
		[
			["laid back", { by: 8 }],
			["late", { by: 8 }],
			["ahead", { by: -6 }],
		],
	),
	offer("pull", "Pull", ["quantize", "tighten"], [["tight", { strength: 60 }]]),
	offer("loosen", "Loosen", ["humanize", "randomize"]),
];

const kit = ["Closed hat", "Open hat", "Snare", "Kick"].map((name, place) => ({
	id: name.toLowerCase().replace(" ", "-"),
	name,
	family: ["hat", "hat", "snare", "kick"][place],
})) as unknown as Instrument[];

const first = (text: string) => search(offers, text)[0];

describe("a phrase", () => {
	test.each([
		["laid back", "lean", { by: 8 }],
		["laidback", "lean", { by: 8 }],
		["laid-back", "lean", { by: 8 }],
		["ahead", "lean", { by: -6 }],
		["softer", "level", { by: -10 }],
		["tighter", "pull", { strength: 60 }],
		["humanise", "loosen", {}],
		["randomize", "loosen", {}],
	])("%s", (text, kind, start) => {
		expect(first(text)?.start).toMatchObject({ kind, ...start });
	});

	test("keeps its direction whatever drum it names, before or behind", () => {
		for (const text of ["snare laid back", "laid back snare"]) {
			const { instruments, rest } = drumsIn(text, offers, kit);
			expect([instruments, rest]).toEqual([["snare"], "laid back"]);
			expect(first(rest)?.start).toMatchObject({ kind: "lean", by: 8 });
		}
		expect(drumsIn("softer hats", offers, kit)).toEqual({
			instruments: ["closed-hat", "open-hat"],
			rest: "softer",
		});
	});

	test("that nothing answers to finds nothing", () => {
		expect(search(offers, "bassoon")).toEqual([]);
		expect(search(offers, "")).toHaveLength(4);
	});
});
