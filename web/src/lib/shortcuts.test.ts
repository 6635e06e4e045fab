import { describe, expect, test } from "vitest";
import { matches } from "./shortcuts";

const held = { shiftKey: false, ctrlKey: false, metaKey: false, altKey: false };

function press(key: string, code: string, more: Partial<typeof held> & { altGraph?: boolean } = {}) {
	const { altGraph = false, ...modifiers } = more;
	return {
		...held,
		...modifiers,
		key,
		code,
		getModifierState: (name: string) => name === "AltGraph" && altGraph,
	};
}

describe("what is typed is matched, not where the key lies", () => {
	test.each([
		["a US layout", press("/", "Slash")],
		["a German layout", press("/", "Digit7", { shiftKey: true })],
		["a French layout", press("/", "Period", { shiftKey: true })],
		[
			"a layout with AltGr, as Windows tells it",
			press("/", "KeyQ", { ctrlKey: true, altKey: true, altGraph: true }),
		],
	])("/ on %s", (_, event) => {
		expect(matches("/", event)).toBe(true);
		expect(matches("q", event)).toBe(false);
	});

	test("digits that need Shift on a French layout", () => {
		expect(matches("1", press("1", "Digit1", { shiftKey: true }))).toBe(true);
		expect(matches("1", press("&", "Digit1"))).toBe(false);
	});

	test("a letter is the one that is typed: A on a French layout lies where Q is", () => {
		const event = press("a", "KeyQ");
		expect(matches("a", event)).toBe(true);
		expect(matches("q", event)).toBe(false);
		expect(matches("mod+z", press("z", "KeyW", { ctrlKey: true }))).toBe(true);
		expect(matches("mod+w", press("z", "KeyW", { ctrlKey: true }))).toBe(false);
	});

	test("without Latin letters it is the one that lies there", () => {
		expect(matches("w", press("ц", "KeyW"))).toBe(true);
		expect(matches("mod+z", press("я", "KeyZ", { metaKey: true }))).toBe(true);
	});
});

describe("what is held", () => {
	test("letters and named keys want just what they say", () => {
		expect(matches("shift+r", press("R", "KeyR", { shiftKey: true }))).toBe(true);
		expect(matches("r", press("R", "KeyR", { shiftKey: true }))).toBe(false);
		expect(matches("r", press("r", "KeyR", { ctrlKey: true }))).toBe(false);
		expect(matches("ArrowUp", press("ArrowUp", "ArrowUp", { altKey: true }))).toBe(false);
		expect(matches("shift+ArrowUp", press("ArrowUp", "ArrowUp", { shiftKey: true }))).toBe(true);
	});

	test("a plus is a character like others", () => {
		expect(matches("+", press("+", "Equal", { shiftKey: true }))).toBe(true);
		expect(matches("+", press("+", "NumpadAdd"))).toBe(true);
		expect(matches("+", press("+", "Equal", { ctrlKey: true }))).toBe(false);
	});
});
