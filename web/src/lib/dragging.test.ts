import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { follow, isFollowing } from "./dragging";

const page = new EventTarget();
const element = { setPointerCapture: vi.fn() } as unknown as Element;
const tell = (kind: string, more: object) => page.dispatchEvent(Object.assign(new Event(kind), more));

/** What became of a drag that this pointer began. */
function drag(pointerId: number) {
	const told: string[] = [];
	const say = (what: string) => () => void told.push(what);
	follow(
		{ currentTarget: element, pointerId },
		{ move: say("move"), end: say("end"), cancel: say("cancel") },
	);
	return told;
}

beforeEach(() => vi.stubGlobal("window", page));
afterEach(() => vi.unstubAllGlobals());

test("a drag ends also where what was got hold of is gone: the window hears of it", () => {
	const told = drag(1);
	tell("pointermove", { pointerId: 1 });
	tell("pointerup", { pointerId: 1 });
	tell("pointermove", { pointerId: 1 });
	expect([told, isFollowing()]).toEqual([["move", "end"], false]);
});

test("another pointer neither moves it nor begins one of its own", () => {
	const [first, second] = [drag(1), drag(2)];
	tell("pointermove", { pointerId: 2 });
	tell("pointerup", { pointerId: 2 });
	expect([first, second, isFollowing()]).toEqual([[], [], true]);
	tell("pointercancel", { pointerId: 1 });
	expect([first, isFollowing()]).toEqual([["cancel"], false]);
});

test("Escape gives it up, and nobody else hears that Escape", () => {
	const told = drag(1);
	const heard = vi.fn();
	page.addEventListener("keydown", heard);
	tell("keydown", { key: "Escape", stopPropagation: () => undefined });
	tell("pointerup", { pointerId: 1 });
	expect([told, isFollowing()]).toEqual([["cancel"], false]);
	page.removeEventListener("keydown", heard);
});
