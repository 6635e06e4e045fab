/** What is heard otherwise than it is kept. */
import { client } from "../../api/client";
import { showError } from "../../lib/notify";
import type { Session } from "../session";
import type { GetState, PlaybackSlice, SetState, WorkspaceState } from "./types";

/** So many rounds can be told apart by their number. */
export const mostRounds = 1000;

/** Each round of the loop sounds otherwise. */
export const roundsDiffer = ({ fresh, recipe }: Pick<WorkspaceState, "fresh" | "recipe">) =>
	fresh || recipe.passes.some((pass) => pass.on && pass.fresh);

export function createPlayback(part: number, set: SetState, get: GetState, session: Session): PlaybackSlice {
	const compare = async (take: number | null) => {
		const known = get().part.state.takes.find(({ id }) => id === take);
		if (!known) {
			set({ against: null });
			return;
		}
		try {
			await session.settled();
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
		soloGroup: null,
		audition: null,
		trial: null,
		against: null,
		studied: null,
		setStudied: (studied) => set({ studied }),
		fresh: false,
		round: 0,
		heard: [],
		othersChanged: 0,
		soloOn: (soloPass) => {
			set({ soloPass, soloGroup: null });
			session.ask();
		},
		soloOnGroup: (soloGroup) => {
			set({ soloGroup, soloPass: null });
			session.ask();
		},
		listen: (audition) => {
			set({ audition });
			session.ask();
		},
		tryOut: (trial) => {
			set({ trial });
			session.ask();
		},
		setFresh: (fresh) => {
			if (!fresh && get().heard.length > 0) session.part.commit(`variation ${get().variation}`);
			set({ fresh, heard: fresh ? [] : get().heard });
		},
		keepRound: (variation) => {
			set({ fresh: false });
			session.part.commit(`keep variation ${variation}`);
		},
		enterRound: ({ variation, round, played }) => {
			const { fresh, heard } = get();
			set({
				variation,
				round,
				performance: played,
				heardAs: null,
				heard: fresh ? [...heard, variation].slice(-12) : heard,
			});
			session.part.enter(variation);
		},
		goToRound: (round) => {
			set({ round: Math.max(0, Math.min(mostRounds - 1, round)) });
			session.ask();
		},
		changedElsewhere: (history) => set({ history, othersChanged: get().othersChanged + 1 }),
		compare: (take) => void compare(take),
	};
}
