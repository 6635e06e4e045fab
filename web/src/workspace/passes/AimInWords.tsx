import type { Aim, Instrument, Positions, Run, VelocityRange } from "../../api/generated/types";
import { plural } from "../../lib/words";
import { useSlots } from "./SlotStrip";
import { barsInWords, instrumentsInWords, isEveryBar } from "./words";

/** Whom an aim means: “snare, 2 and 4, bars 5–20, softer than 40”. */
export function AimInWords({ aim, kit }: { aim: Aim; kit: Instrument[] }) {
	const { positions, velocity, run, picked } = aim;
	if (picked) return `just ${plural(picked.length, "hit")}`;
	return (
		<>
			{instrumentsInWords(aim, kit)}
			{positions && <PositionWords positions={positions} />}
			{!isEveryBar(aim) && `, ${barsInWords(aim)}`}
			{velocity && `, ${velocityInWords(velocity)}`}
			{run && `, ${runInWords(run)}`}
		</>
	);
}

export function PositionWords({ positions: { grid, slots, bars } }: { positions: Positions }) {
	const found = useSlots(grid, bars);
	const choice = found?.choices.find(({ slots: some }) => some.join() === slots.join());
	if (choice) return `, ${choice.name}`;
	const names = slots.length > 3 ? [] : slots.map((slot) => found?.slots[slot - 1]?.name ?? `slot ${slot}`);
	return `, ${names.length > 0 ? names.join(", ") : plural(slots.length, "slot")}`;
}

function velocityInWords({ from, to }: VelocityRange) {
	if (from <= 1) return `${to} or softer`;
	return to >= 127 ? `${from} or harder` : `velocity ${from} to ${to}`;
}

function runInWords({ place, every }: Run) {
	const words = {
		first: "the first of a run",
		last: "the last of a run",
		odd: "the odd strokes of a run",
		even: "every second stroke of a run",
		every: `every ${every}th of a run`,
		"all-but-first": "all but the first of a run",
	};
	return words[place];
}
