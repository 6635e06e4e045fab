import { expect, test } from "vitest";

/** The rooms from the ground up: each knows those below it, and itself. */
const rooms = ["lib", "api", "part", "engine", "draw", "loops", "help", "workspace", "shelf", "app"];

const texts = import.meta.glob<string>("./**/*.{ts,tsx}", { query: "?raw", import: "default", eager: true });
const files = Object.keys(texts)
	.map((file) => file.slice(2))
	.filter((file) => !/\.test\.ts$|^testing\/|\.d\.ts$/.test(file));

/** Where a path leads from a file. */
function found(from: string, path: string) {
	const steps = from.split("/").slice(0, -1);
	for (const step of path.split("/"))
		if (step === "..") steps.pop();
		else if (step !== ".") steps.push(step);
	const target = steps.join("/");
	return files.find((one) => [target, `${target}.ts`, `${target}.tsx`].includes(one));
}

/** What a file imports of the page, and whether that is more than types. */
function importsOf(file: string) {
	const all = texts[`./${file}`].matchAll(
		/^(?:import|export)\s+(type\s)?[^"']*?from\s+"(\.[^"]+)"|import\("(\.[^"]+)"\)/gm,
	);
	return [...all].flatMap(([, type, fixed, lazy]) => {
		const target = found(file, fixed ?? lazy);
		return target ? [{ target, runs: !type && !lazy }] : [];
	});
}

const graph = new Map(files.map((file) => [file, importsOf(file)]));
const roomOf = (file: string) => file.split("/")[0];

test("nothing below knows what is above", () => {
	const wrong: string[] = [];
	for (const [file, imports] of graph)
		for (const { target } of imports)
			if (!target.startsWith("api/generated/") && rooms.indexOf(roomOf(target)) > rooms.indexOf(roomOf(file)))
				wrong.push(`${file} imports ${target}`);
	expect(wrong).toEqual([]);
	expect([...new Set(files.map(roomOf))].filter((room) => !rooms.includes(room))).toEqual([]);
});

test("no file comes to itself again by what it imports", () => {
	const done = new Set<string>();
	const circles: string[] = [];
	const walk = (file: string, path: string[]) => {
		if (path.includes(file)) {
			circles.push([...path.slice(path.indexOf(file)), file].join(" → "));
			return;
		}
		if (done.has(file)) return;
		for (const { target, runs } of graph.get(file) ?? []) if (runs) walk(target, [...path, file]);
		done.add(file);
	};
	for (const file of files) walk(file, []);
	expect(circles).toEqual([]);
});
