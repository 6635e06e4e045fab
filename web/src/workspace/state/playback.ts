/** What is heard otherwise than it is kept. */
import { client } from "../../api/client";
import { showError } from "../../notify";
import type { Desk } from "./desk";
import type { Keeper } from "./keeper";
import type { GetState, PlaybackSlice, SetState } from "./types";

export function createPlayback(
	part: number,
	set: SetState,
	get: GetState,
	desk: Desk,
	keeper: Keeper,
): PlaybackSlice {
	const compare = async (take: number | null) => {
		const known = get().part.state.takes.find(({ id }) => id === take);
		if (!known) {
			set({ against: null });
			return;
		}
		try {
			await keeper.settled();
			const columns = await client.takePlayed(part, known.id);
			const ofInstruments: number[][] = get().part.kit.instruments.map(() => []);
			columns.instruments.forEach((instrument, index) => {
				if (instrument !== null) ofInstruments[instrument]?.push(index);
			});
			set({ against: { ...columns, take: known.id, name: known.name, ofInstruments } });
		} catch (error) {
			showError(error);
		}
	};
	return {
		soloPass: null,
		audition: null,
		trial: null,
		against: null,
		fresh: false,
		heard: [],
		othersChanged: 0,
		soloOn: (soloPass) => {
			set({ soloPass });
			desk.ask();
		},
		listen: (audition) => {
			set({ audition });
			desk.ask();
		},
		tryOut: (trial) => {
			set({ trial });
			desk.ask();
		},
		setFresh: (fresh) => {
			if (!fresh && get().heard.length > 0) keeper.commit(`variation ${get().variation}`);
			set({ fresh, heard: fresh ? [] : get().heard });
		},
		keepRound: (variation) => {
			set({ fresh: false });
			keeper.commit(`keep variation ${variation}`);
		},
		enterRound: (variation, played) =>
			set({ variation, performance: played, heard: [...get().heard, variation].slice(-12) }),
		changedElsewhere: (history) => set({ history, othersChanged: get().othersChanged + 1 }),
		compare: (take) => void compare(take),
	};
}
