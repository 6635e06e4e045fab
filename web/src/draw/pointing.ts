/** What of a row lies under the pointer, and what is said of it. */
import { signed } from "../lib/words";
import { hitsOf, idOf } from "../part/hits";
import { hitPlacer, linesOf, shownWindow } from "../part/shown";
import type { WorkspaceState } from "../part/store";
import { heightsOf } from "../part/touch";
import { axis } from "./axis";
import { velocityY } from "./hits";

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
	let nearest = -1;
	let least = 9;
	for (const hit of hitsOf(state, index)) {
		// A made hit was not written.
		const ticks = [part.written.ticks[hit], performance?.ticks[hit]];
		const velocities = [written[hit], played?.[hit]];
		for (const place of reading === "written" ? [0] : [0, 1]) {
			const [tick, velocity] = [ticks[place], velocities[place]];
			if (tick === undefined || velocity === undefined) continue;
			const dx = time.x(at(tick, hit)) - x;
			if (!(Math.abs(dx) < least)) continue;
			// What sounds is meant rather than what was written, where both are near.
			const away = Math.hypot(dx, velocityY(velocity, height) - y) + (place === 0 ? 1 : 0);
			if (away < least) [least, nearest] = [away, hit];
		}
	}
	return nearest;
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
	words.push(off === "0.0" ? "on the grid" : `${off} ms ${late > 0 ? "late" : "early"}`);
	return words.join(", ");
}
