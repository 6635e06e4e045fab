/** The state of one open part, put together of its slices. The server does the work; this asks it. */
import { createContext, useContext } from "react";
import { createStore, type StoreApi, useStore } from "zustand";
import type {
	PartDetail,
	PartState,
	PocketCard,
	Problem,
	SongDetail,
	Vocabulary,
} from "../api/generated/types";
import { showError } from "../lib/notify";
import { ProblemError } from "../lib/problem";
import { received } from "./played";
import { type Around, openSession } from "./session";
import { createPencil } from "./state/pencil";
import { createPlayback } from "./state/playback";
import { createPocketeer } from "./state/pockets";
import { createRecording } from "./state/recording";
import { createSelection } from "./state/selection";
import type { View, WorkspaceState } from "./state/types";
import { createViewer, fittingView } from "./state/view";

export type { Against, Audition, PocketDrafts, Reading, View, WorkspaceState } from "./state/types";
export { viewName } from "./state/view";

export type Workspace = StoreApi<WorkspaceState>;

export type { Around } from "./session";

/** What it is that is read and by what; another part to the eye where that is another. */
export const readingKey = ({ id, drums, kit, source }: PartState) =>
	`${id} ${drums} ${kit?.id} ${kit?.revision} ${source}`;

const sameKit = (a: PartState, b: PartState) =>
	a.kit?.id === b.kit?.id && a.kit?.revision === b.kit?.revision;

export function createWorkspace(
	song: SongDetail,
	part: PartDetail,
	words: Vocabulary,
	pockets: PocketCard[],
	kept: Partial<View> | null,
	around: Around,
): Workspace {
	const { id } = part.state;
	return createStore<WorkspaceState>((set, get) => {
		// The slices ask the state for what is there already.
		const first = {
			...fittingView(song, part, kept),
			song,
			part,
			words,
			recipe: part.state.recipe,
			variation: part.state.variation,
			revision: part.state.revision,
			history: part.state.history,
			performance: received(null, null, part.performance, part),
			heardAs: null,
			wave: null,
			refused: null,
			pockets,
			pocketDrafts: {},
			screen: null,
			dialog: null,
		};
		const now = () => get() ?? (first as WorkspaceState);
		const session = openSession(part, set, now, around);
		const { part: client } = session;
		const pocketeer = createPocketeer(set, now, session);
		const viewer = createViewer(id, set, now);
		/** Says what went wrong with a call; answers whether nothing did. */
		const told = (problem: Problem | null) => {
			if (problem) showError(new ProblemError(problem));
			return problem === null;
		};
		const settled = () => {
			pocketeer.flushPockets();
			return session.settled();
		};
		const travel = (way: "back" | "on" | number) => {
			pocketeer.flushPockets();
			session.travel(way);
		};
		return {
			...first,
			...createSelection(id, set, now, session),
			...createPlayback(id, set, now, session),
			...pocketeer,
			...createPencil(set, now, session),
			...createRecording(set, now),
			begin: () => client.begin(),
			act: session.act,
			cancel: () => client.cancel(),
			asHeard: session.asHeard,
			vary: (variation) => client.vary(variation),
			commit: (label) => client.commit(label),
			commitSoon: (label) => client.commitSoon(label),
			undo: () => travel("back"),
			redo: () => travel("on"),
			travelTo: travel,
			change: async (call) => told(await session.call(call)),
			settled,
			setSong: (song) => {
				set({ song, history: song.history });
				// Sections may be what passes aim at.
				session.ask();
			},
			changeBars: async (call) => {
				await settled();
				try {
					// As it is shown: what was changed elsewhere meanwhile is noticed.
					await call(get().song.revision);
					viewer.flushView();
					around.reload();
					return true;
				} catch (error) {
					showError(error);
					return false;
				}
			},
			lookAgain: () => client.lookAgain(),
			setView: viewer.setView,
			showScreen: (screen) => {
				// Rows and passes go by the kit that they were opened with.
				if (screen !== "kit" && !sameKit(get().part.state, part.state)) {
					around.reload();
					return;
				}
				const heard = get().audition !== null;
				set({ screen, audition: null });
				if (heard) session.ask();
			},
			showDialog: (dialog) => set({ dialog }),
			leave: () => {
				const pockets = pocketeer.flushPockets();
				viewer.flushView();
				return session.leave() && pockets;
			},
		};
	});
}

/** The settings of a pocket as they are shown. */
export const settingsOf = ({ pocketDrafts }: Pick<WorkspaceState, "pocketDrafts">, pocket: PocketCard) =>
	pocketDrafts[pocket.id] ?? pocket.settings;

/** One pass is heard alone. A pass that was deleted meanwhile is not. */
export const isAlone = ({
	recipe,
	soloPass,
	soloGroup,
}: Pick<WorkspaceState, "recipe" | "soloPass" | "soloGroup">) =>
	recipe.passes.some(({ id, group }) => id === soloPass || (group !== undefined && group === soloGroup));

/** What Played is held against: Written, another take, or a part that is learned from. */
export const beforeOf = ({ against, studied, part }: Pick<WorkspaceState, "against" | "studied" | "part">) =>
	against?.reading ?? studied?.reading ?? part.reading;

export const WorkspaceContext = createContext<Workspace | null>(null);

/** The store of the open part. */
export function useWorkspaceStore(): Workspace {
	const store = useContext(WorkspaceContext);
	if (!store) throw new Error("this belongs inside a workspace");
	return store;
}

/** One thing of the open part's state. */
export const useWorkspace = <T>(select: (state: WorkspaceState) => T): T =>
	useStore(useWorkspaceStore(), select);
