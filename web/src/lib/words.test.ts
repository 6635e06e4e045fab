import { expect, test } from "vitest";
import { duration, inOrder, listed, ordinal, percent, plain, plural, sentence, signed } from "./words";

test("counts and ordinals", () => {
	expect([0, 1, 2, 1234].map((count) => plural(count, "hit"))).toEqual([
		"0 hits",
		"1 hit",
		"2 hits",
		"1,234 hits",
	]);
	expect(plural(2, "pass", "passes")).toBe("2 passes");
	expect([1, 2, 3, 4, 11, 12, 13, 21, 22, 101, 111].map(ordinal)).toEqual(
		"1st 2nd 3rd 4th 11th 12th 13th 21st 22nd 101st 111th".split(" "),
	);
});

test("numbers have a real minus sign, and no sign where they are nothing", () => {
	expect([signed(-1.26, 1), signed(1.26, 1, true), signed(-0.04, 1), signed(0.04, 1, true)]).toEqual([
		"−1.3",
		"+1.3",
		"0.0",
		"0.0",
	]);
	expect([plain(3), plain(-2.5), percent(0.126)]).toEqual(["3", "−2.5", "13 %"]);
});

test("sentences, lists and times", () => {
	expect([sentence("Gone"), sentence("Gone?")]).toEqual(["Gone.", "Gone?"]);
	expect([[], ["a"], ["a", "b"], ["a", "b", "c"]].map(listed)).toEqual(["", "a", "a and b", "a, b and c"]);
	expect([duration(0), duration(59.4), duration(61), duration(3600)]).toEqual([
		"0:00",
		"0:59",
		"1:01",
		"60:00",
	]);
});

test("what is heard comes in front of what is muted, drums in front of tones", () => {
	const part = (name: string, drums: boolean, muted: boolean) => ({ name, drums, muted });
	const all = [
		part("bass", false, false),
		part("old", true, true),
		part("kit", true, false),
		part("pad", false, true),
	];
	expect(inOrder(all).map(({ name }) => name)).toEqual(["kit", "bass", "old", "pad"]);
});
