/** Parts of the page that are not shown at first: fetched once nothing else is to be done, or when one is opened. */
import { type ComponentType, lazy } from "react";
import { probe } from "./probe";

const all: (() => Promise<unknown>)[] = [];

/** A component whose file is fetched later. */
// biome-ignore lint/suspicious/noExplicitAny: whatever the component takes
export function fetched<Component extends ComponentType<any>>(load: () => Promise<Component>) {
	all.push(load);
	return lazy(async () => ({ default: await load() }));
}

/** Fetches what is there to be opened: then it is there at once, also when the server is not. */
export async function fetchAhead() {
	probe.asks(1);
	await Promise.allSettled(all.map((load) => load()));
	probe.asks(-1);
}
