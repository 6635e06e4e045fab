/** The state of one open part, put together of its slices. The server does the work; this asks it. */
import isEqual from "fast-deep-equal";
import { createContext, useContext } from "react";
import { createStore, type StoreApi, useStore } from "zustand";
import { client } from "../api/client";
import type { PartDetail, PartState, PocketCard, SongDetail, Vocabulary } from "../api/generated/types";
import { showError, showNote } from "../notify";
import { received } from "./played";
import { createRecording } from "./recording/state";
import { createDesk } from "./state/desk";
import { createKeeper } from "./state/keeper";
import { createPencil } from "./state/pencil";
import { createPlayback } from "./state/playback";
import { createPocketeer } from "./state/pockets";
import { createSelection } from "./state/selection";
import type { View, WorkspaceState } from "./state/types";
import { createViewer, fittingView } from "./state/view";

export type { Against, Audition, PocketDrafts, Reading, View, WorkspaceState } from "./state/types";
export { viewName } from "./state/view";

export type Workspace = StoreApi<WorkspaceState>;

/** What the workspace asks of the page around it. */
export interface Around {
	/** Another kit or another Written: open the part anew. */
	reload: () => void;
	/** This part is gone: open another one of the song. */
	open: (part: number) => void;
}

/** What it is that is read and by what; another part to the eye where that is another. */
export const readingKey = ({ id, drums, kit, source }: PartState) =>
	`${id} ${drums} ${kit?.id} ${kit?.revision} ${source}`;

const sameKit = (a: PartState, b: PartState) =>
	a.kit?.id === b.kit?.id && a.kit?.revision === b.kit?.revision;

/** Whether what was written is read alike: by the same layers, against the same grid. */
const readAlike = (a: PartState, b: PartState) => isEqual(a.layers, b.layers) && a.grid === b.grid;

export function createWorkspace(
	song: SongDetail,
	part: PartDetail,
	words: Vocabulary,
	pockets: PocketCard[],
	kept: Partial<View> | null,
	around: Around,
): Workspace {
	const { id, drums, take: current } = part.state;
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
		};
		const now = () => get() ?? (first as WorkspaceState);
		const desk = createDesk(id, set, now);

		/** Other layers or another grid: what was written is read anew. */
		const refetch = async () => {
			try {
				set({ part: await client.part(id) });
				desk.ask();
			} catch (error) {
				showError(error);
			}
		};
		/** Shows the part as it came, with another Written. */
		const show = (detail: PartDetail) => {
			const { state } = detail;
			const selected = new Set([...get().selected].filter((hit) => detail.written.ids.includes(hit)));
			set({
				part: detail,
				sketch: null,
				revision: state.revision,
				history: state.history,
				performance: received(null, null, detail.performance, detail),
				heardAs: null,
				selected,
				refused: null,
			});
		};
		const rewritten = async () => {
			try {
				const detail = await client.part(id);
				const { recipe, variation } = detail.state;
				desk.restart(recipe);
				set({ recipe, variation });
				show(detail);
			} catch (error) {
				showError(error);
			}
		};
		/** Shows a newer state of the part. */
		const take = (state: PartState): Promise<void> | undefined => {
			const otherKit = get().screen !== "kit" && !sameKit(state, part.state);
			if (state.drums !== drums || state.take !== current || otherKit) {
				around.reload();
				return;
			}
			if (state.source !== get().part.state.source) return rewritten();
			const read = readAlike(get().part.state, state);
			desk.restart(state.recipe);
			set({
				part: { ...get().part, state },
				recipe: state.recipe,
				variation: state.variation,
				revision: state.revision,
				history: state.history,
				lit: null,
				selected: new Set(),
				refused: null,
				// A take that is gone is nothing to be held against.
				against: state.takes.some(({ id }) => id === get().against?.take) ? get().against : null,
			});
			if (!read) return refetch();
			desk.ask();
		};
		const keeper = createKeeper(id, set, now, desk, take, show);
		const pocketeer = createPocketeer(id, set, now, desk, keeper, take);
		const viewer = createViewer(id, set, now);

		/** Shows the newest song, pockets and part, whatever of them changed. */
		const takeSong = (next: SongDetail, newPockets: PocketCard[], state: PartState | undefined) => {
			const others = !isEqual(newPockets, get().pockets);
			// Other bars are another picture altogether.
			if (!isEqual(next.bars, get().song.bars)) {
				around.reload();
				return "changed";
			}
			set({ song: next, pockets: newPockets, pocketDrafts: {}, history: next.history });
			if (!state) {
				const other = next.parts[0];
				if (other) around.open(other.id);
				return "gone";
			}
			if (state.revision !== get().revision || !sameKit(state, get().part.state)) take(state);
			else if (others) desk.ask();
			get().changedElsewhere(next.history);
			return state.revision !== get().part.state.revision || others ? "changed" : "alike";
		};
		const travel = async (way: "back" | "on" | number) => {
			pocketeer.flushPockets();
			await keeper.settled();
			try {
				const before = { song: get().song, revision: get().revision };
				const {
					label,
					song: next,
					parts,
					pockets,
				} = await (typeof way === "number"
					? client.travelTo(song.id, way)
					: way === "back"
						? client.undo(song.id)
						: client.redo(song.id));
				if (label === null || !next) return;
				const done = typeof way === "number" ? "Gone through" : way === "on" ? "Done again" : "Undone";
				const state = parts.find((one) => one.id === id);
				const sections = !isEqual(next.sections, before.song.sections);
				const found = takeSong(next, pockets, state);
				// The history is the song's: the step may have been another part's.
				if (found === "gone") showNote(done, label);
				else if (found === "alike" && state?.revision === before.revision && !sections)
					showNote(`${done} in another part`, label);
			} catch (error) {
				showError(error);
			}
		};
		const lookAgain = async () => {
			await keeper.settled();
			try {
				const [next, pockets, detail] = await Promise.all([
					client.song(song.id),
					client.pockets(song.id),
					client.part(id),
				]);
				// What is being changed here meets the newer state when it is kept.
				if (!pocketeer.isIdle()) return;
				const { state } = detail;
				const alike =
					isEqual(pockets, get().pockets) &&
					state.revision === get().revision &&
					sameKit(state, get().part.state);
				if (alike) {
					if (!isEqual(next, get().song)) set({ song: next, history: next.history });
					return;
				}
				takeSong(next, pockets, state);
			} catch {
				// Nobody pressed anything: what is done next says what is the matter.
			}
		};
		return {
			...first,
			...createSelection(id, set, now, desk, keeper.commit),
			...createPlayback(id, set, now, desk, keeper),
			...pocketeer,
			...createPencil(set, now, desk, keeper),
			...createRecording(set, now),
			act: desk.act,
			vary: (variation) => {
				set({ variation });
				desk.ask();
			},
			commit: keeper.commit,
			commitSoon: keeper.commitSoon,
			undo: () => void travel("back"),
			redo: () => void travel("on"),
			travelTo: (step) => void travel(step),
			change: keeper.change,
			settled: async () => {
				pocketeer.flushPockets();
				await keeper.settled();
			},
			setSong: (song) => {
				set({ song, history: song.history });
				// Sections may be what passes aim at.
				desk.ask();
			},
			changeBars: async (call) => {
				await keeper.settled();
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
			lookAgain: () => void lookAgain(),
			setView: viewer.setView,
			showScreen: (screen) => {
				// Rows and passes go by the kit that they were opened with.
				if (screen !== "kit" && !sameKit(get().part.state, part.state)) {
					around.reload();
					return;
				}
				const heard = get().audition !== null;
				set({ screen, audition: null });
				if (heard) desk.ask();
			},
			leave: () => {
				const pockets = pocketeer.flushPockets();
				viewer.flushView();
				return keeper.leave() && pockets;
			},
		};
	});
}

/** The settings of a pocket as they are shown. */
export const settingsOf = ({ pocketDrafts }: Pick<WorkspaceState, "pocketDrafts">, pocket: PocketCard) =>
	pocketDrafts[pocket.id] ?? pocket.settings;

/** One pass is heard alone. A pass that was deleted meanwhile is not. */
export const isAlone = ({ recipe, soloPass }: Pick<WorkspaceState, "recipe" | "soloPass">) =>
	recipe.passes.some(({ id }) => id === soloPass);

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
