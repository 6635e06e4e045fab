/** What is played on, and what plays: one interface, whatever stands behind it. */

/** A MIDI message: its bytes. */
export type Bytes = number[];

export type PortKind = "midi" | "pads" | "simulated";

/** Something to play on. */
export interface InPort {
	id: string;
	name: string;
	kind: PortKind;
	/** Its clock now, in ms. */
	now: () => number;
	/** Hears what it sends, and when by its clock; answers how to stop hearing. */
	listen: (hear: (data: Bytes, at: number) => void) => () => void;
}

/** Something that plays. */
export interface OutPort {
	id: string;
	name: string;
	kind: PortKind;
	/** To be heard at a time of the page's clock (`performance.now`), in ms. */
	send: (data: Bytes, at: number) => void;
}

export const isNoteOn = ([status, , velocity]: Bytes) => (status & 0xf0) === 0x90 && velocity > 0;

/** Those who listen to one port. */
export class Listeners<Heard extends unknown[]> {
	private readonly all = new Set<(...heard: Heard) => void>();

	readonly listen = (hear: (...heard: Heard) => void) => {
		this.all.add(hear);
		return () => {
			this.all.delete(hear);
		};
	};

	tell(...heard: Heard) {
		for (const hear of this.all) hear(...heard);
	}
}
