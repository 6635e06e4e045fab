/** What of a row lies under the pointer, and what is said of it. */
import { noteName, signed } from "../lib/words";
import { gracesOf } from "../part/graces";
import { hitsOf, idOf } from "../part/hits";
import { hitPlacer, linesOf, shownWindow } from "../part/shown";
import type { WorkspaceState } from "../part/store";
import { heightsOf } from "../part/touch";
import { axis } from "./axis";
import { rowScale } from "./strokes";
import { lengthOf, showsTails, tailPlacer } from "./tails";

/** The hit of an instrument nearest to a place in its row, within a few px; −1 where there is none. */
export function hitAt(
	state: WorkspaceState,
	index: number,
	x: number,
	y: number,
	width: number,
	height: number,
) {
	const { part, performance, reading } = state;
	const time = axis(shownWindow(state), width);
	const at = hitPlacer(state);
	const [written, played] = heightsOf(state, index);
	const { y: heightOf } = rowScale(state, index, height);
	let nearest = -1;
	let least = 9;
	for (const hit of hitsOf(state, index)) {
		// A made hit was not written.
		const ticks = [part.written.ticks[hit], performance?.ticks[hit]];
		const velocities = [written[hit], played?.[hit]];
		const strokes = [part.written.strokes[hit], performance?.strokes[hit]];
		const notes = [part.written.notes[hit], performance?.notes[hit] ?? 0];
		for (const place of reading === "written" ? [0] : [0, 1]) {
			const [tick, velocity] = [ticks[place], velocities[place]];
			if (tick === undefined || velocity === undefined) continue;
			const dx = time.x(at(tick, hit)) - x;
			if (!(Math.abs(dx) < least)) continue;
			// What sounds is meant rather than what was written, where both are near.
			const away =
				Math.hypot(dx, heightOf(velocity, strokes[place], notes[place]) - y) + (place === 0 ? 1 : 0);
			if (away < least) [least, nearest] = [away, hit];
		}
	}
	return nearest;
}

/** The hit whose tail ends at a place in a row that shows lengths; −1 where none does. */
export function tailAt(
	state: WorkspaceState,
	index: number,
	x: number,
	y: number,
	width: number,
	height: number,
) {
	const { performance, reading } = state;
	if (!performance || reading === "written" || !showsTails(state, index)) return -1;
	const time = axis(shownWindow(state), width);
	const ends = tailPlacer(state);
	const [, played] = heightsOf(state, index);
	const { y: heightOf } = rowScale(state, index, height);
	const near = hitsOf(state, index).filter((hit) => {
		const dy = heightOf(played?.[hit] ?? 0, performance.strokes[hit], performance.notes[hit]) - y;
		return Math.abs(dy) <= 5 && Math.abs(time.x(ends.played(hit)) - x) <= 5;
	});
	return near.find((hit) => !performance.silenced.has(idOf(state, hit))) ?? -1;
}

/** “closed hat, bar 3 beat 2&, written 100, played 63, 4.1 ms late”. */
export function hitInWords(state: WorkspaceState, index: number, hit: number) {
	const { part, performance } = state;
	const lines = linesOf(state);
	const id = idOf(state, hit);
	const name = part.kit.instruments[index].name.toLowerCase();
	const words = [name, `bar ${lines.bars[hit]} ${lines.names[lines.places[hit]]}`];
	const made = performance?.made.get(id);
	const maker = 1 + state.recipe.passes.findIndex(({ id }) => id === made?.pass);
	words.push(made ? `made by pass ${maker}` : `written ${part.written.velocities[hit]}`);
	if (gracesOf(part).has(hit)) words.push("grace note");
	const { articulations, family } = part.kit.instruments[index];
	if (family === "tonal") words.splice(1, 0, noteName((performance ?? part.written).notes[hit]));
	const way = (stroke: number | null | undefined) => articulations[stroke ?? -1]?.name;
	if (articulations.length > 1 && family !== "tonal") {
		const [was, is] = [way(part.written.strokes[hit]), way(performance?.strokes[hit])];
		const other = hit < part.written.ids.length && was && is && was !== is;
		if (is ?? was) words.splice(2, 0, other ? `${is} (written ${was})` : `${is ?? was}`);
	}
	const side = { L: "left", R: "right" }[performance?.hands[hit] ?? ""];
	if (side) words.push(part.kit.instruments[index].limb.endsWith("foot") ? `${side} foot` : `${side} hand`);
	if (!performance) return words.join(", ");
	const silencer = performance.silenced.get(id);
	if (silencer !== undefined) {
		words.push(`silenced by pass ${1 + state.recipe.passes.findIndex(({ id }) => id === silencer)}`);
		const report = performance.passes.find(({ pass }) => pass === silencer);
		const reason = report?.reasons.find(({ hits }) => hits.includes(id));
		if (reason) words.push(reason.why);
		return words.join(", ");
	}
	const late = 1000 * (performance.seconds[hit] - lines.seconds[hit]);
	words.push(`played ${performance.velocities[hit]}`);
	for (const { name, noun, unit } of state.words.properties) {
		const value = performance.movement[name]?.[hit];
		if (value) words.push(`${noun} ${signed(value, 1, true)} ${unit}`);
	}
	const off = signed(Math.abs(late), 1);
	const [lasts] = lengthOf(state, hit);
	if (showsTails(state, index)) words.push(`${Math.round(lasts)} ms long`);
	words.push(off === "0.0" ? "on its line" : `${off} ms ${late > 0 ? "late" : "early"}`);
	return words.join(", ");
}
