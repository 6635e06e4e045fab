/** The pads on the screen and their keys, as a device like all others. */
import { type Bytes, type InPort, Listeners } from "./ports";

const listeners = new Listeners<[Bytes, number]>();

/** They send on the drums' channel, as most pads do. */
const channel = 9;

export const padsOnScreen: InPort = {
	id: "pads",
	name: "Pads on the screen",
	kind: "pads",
	now: () => performance.now(),
	listen: listeners.listen,
};

/** A pad is struck, at a time of the page's clock. */
export function strikePad(note: number, velocity: number, at: number) {
	listeners.tell([0x90 | channel, note, velocity], at);
	listeners.tell([0x80 | channel, note, 64], at + 60);
}
