/** Drawing in a groove: a slot is moved or accented by hand. */
import type { Family, GrooveFigures, GrooveProfile, GrooveSlot } from "../../api/generated/types";

const plainSlot: GrooveSlot = {
	count: 0,
	offset: 0,
	spread: 0,
	velocity: 1,
	velocity_spread: 0,
	length: 1,
};

const held = (value: number, least: number, most: number) => Math.max(least, Math.min(most, value));

/** The groove with one slot (from 1) of a voice at another offset (in ms) or accent. */
export function drawn(
	groove: GrooveProfile,
	reading: GrooveFigures,
	family: Family | null,
	slot: number,
	change: { offset?: number; velocity?: number },
): GrooveProfile {
	const known = (family ? groove.families[family] : groove.together) ?? {};
	const voice = reading.voices.find((one) => one.family === family) ?? reading.voices[0];
	// A slot that was inferred becomes one that is known where it was drawn.
	const now: GrooveSlot = known[slot] ?? {
		...plainSlot,
		offset: voice.offsets[slot - 1] / reading.cell,
		spread: voice.spreads[slot - 1] / reading.cell,
		velocity: voice.velocities[slot - 1],
	};
	const next = { ...now };
	if (change.offset !== undefined) next.offset = held(change.offset / reading.cell, -0.5, 0.5);
	if (change.velocity !== undefined) next.velocity = held(change.velocity, 0.01, 20);
	const slots = { ...known, [slot]: next };
	return family
		? { ...groove, families: { ...groove.families, [family]: slots } }
		: { ...groove, together: slots };
}
