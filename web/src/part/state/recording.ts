/** What is being recorded, as far as the rows show it. */
import type { LayingHow, Live } from "../../api/generated/types";
import type { GetState, SetState } from "./types";

/** When the song begins after the button: at once, after bars of click, or with the first hit. */
export type CountInWay = "none" | "1" | "2" | "hit";

/** A hit that was struck, before anything is kept of it. */
export interface StruckHit {
	round: number;
	tick: number;
	velocity: number;
	/** The place of its instrument in the kit; nothing where the kit does not know it. */
	instrument: number | null;
}

/** How recordings are made; kept with the view. */
export interface RecordView {
	/** The bar for it is shown. */
	recordBar: boolean;
	recordAs: LayingHow;
	countIn: CountInWay;
	/** Only these instruments, by id; all without any. */
	recordOnly: string[];
}

export interface RecordingSlice extends RecordView {
	/** Whether it records: not, armed until the first hit, or on. */
	taking: "idle" | "armed" | "on" | "keeping";
	/** What was struck while it records. Grows in place; the count tells. */
	struck: StruckHit[];
	struckCount: number;
	/** The places of the instruments that were struck: they have rows. */
	struckRows: number[];
	/** How loud each input was struck last, by its name, and when. */
	lastStroke: { name: string; velocity: number; note: number; at: number } | null;
	/** What strokes become by the part's passes. */
	live: Live | null;
	setTaking: (taking: RecordingSlice["taking"]) => void;
	addStruck: (hit: StruckHit) => void;
	hearStroke: (stroke: NonNullable<RecordingSlice["lastStroke"]>) => void;
	setLive: (live: Live | null) => void;
}

export function createRecording(set: SetState, get: GetState): Omit<RecordingSlice, keyof RecordView> {
	const struck: StruckHit[] = [];
	return {
		taking: "idle",
		struck,
		struckCount: 0,
		struckRows: [],
		lastStroke: null,
		live: null,
		setTaking: (taking) => {
			// What was recorded is shown until the part shows it itself.
			if (taking !== "keeping") struck.length = 0;
			set({ taking, struckCount: struck.length, ...(taking === "keeping" ? {} : { struckRows: [] }) });
		},
		addStruck: (hit) => {
			struck.push(hit);
			const { instrument } = hit;
			const rows = get().struckRows;
			const known = instrument === null || rows.includes(instrument);
			set({ struckCount: struck.length, ...(known ? {} : { struckRows: [...rows, instrument] }) });
		},
		hearStroke: (lastStroke) => set({ lastStroke }),
		setLive: (live) => set({ live }),
	};
}
