/** The state of one open part, and how it changes. The server does the work; this asks it. */
import { createContext, useContext } from "react";
import { createStore, type StoreApi, useStore } from "zustand";
import { client, ProblemError } from "../api/client";
import type {
	Action,
	ActionOffer,
	Aim,
	History,
	PartDetail,
	PartState,
	PocketCard,
	PocketSettings,
	Recipe,
	SongDetail,
	SongPockets,
	TakeColumns,
} from "../api/generated/types";
import { showError, showNote } from "../notify";
import { probe } from "../probe";
import { type Played, received } from "./played";
import { barAt } from "./song";

export type Reading = "written" | "played";

/** How the screen was left; kept by the server, but no step of the history. */
export interface View {
	reading: Reading;
	equalLoudness: boolean;
	/** Instruments by id. */
	muted: string[];
	soloed: string[];
	/** First and last bar, counted from 1. */
	loop: [number, number];
	looping: boolean;
	click: boolean;
	others: boolean;
	/** A factor on the song's tempo, for listening. */
	tempo: number;
	/** The ticks that are shown. */
	window: [number, number];
	/** The instrument whose row is opened. */
	open: string | null;
	/** The table of figures is pinned. */
	table: boolean;
	/** All bars are laid over one. */
	stacked: boolean;
	/** What the right side shows. */
	side: "passes" | "pockets";
}

/** An action that is heard before it is taken: it stands behind the passes, and nothing keeps it. */
export interface Audition {
	aim: Aim;
	action: Action;
}

/** Settings of pockets that are being changed, by the pocket's id. */
export type PocketDrafts = Record<number, PocketSettings>;

/** Another take that the open one is held against, in the place of Written. */
export interface Against extends TakeColumns {
	take: number;
	name: string;
	/** The rows of each instrument. */
	rows: number[][];
}

export interface Draft {
	recipe: Recipe;
	variation: number;
}

export interface WorkspaceState extends View, Draft {
	song: SongDetail;
	part: PartDetail;
	offers: ActionOffer[];
	/** The bar (from 1) that each hit is meant for. */
	barOf: number[];
	revision: number;
	history: History;
	performance: Played | null;
	/** The pass under the pointer and the hits that it changes. */
	lit: { pass: number; hits: Set<number> } | null;
	/** The rows of the hits that are selected. */
	selected: Set<number>;
	/** The pass that was pointed at last: its picture lies over the hits. */
	focus: number | null;
	/** The pass whose aim is being chosen by pointing: bars, bands of velocity, hits. */
	aiming: number | null;
	/** The only pass that is heard. */
	soloPass: number | null;
	against: Against | null;
	/** Each round of the loop is another variation; those that were heard, the newest last. */
	fresh: boolean;
	heard: number[];
	/** Counts the steps here that changed other parts of the song. */
	othersChanged: number;
	/** What a setting was refused for, by its path. */
	refused: { field: string; detail: string } | null;
	/** The song's pockets as they are kept. */
	pockets: PocketCard[];
	pocketDrafts: PocketDrafts;
	audition: Audition | null;
	/** The groove screen is shown in the place of the rows. */
	grooves: boolean;

	/** Show other passes or another variation, without keeping them yet. */
	draft: (change: Partial<Draft>) => void;
	/** Keep what is shown, as one step of this name. */
	commit: (label: string) => void;
	/** Keep what is shown once nothing has changed for a moment. */
	commitSoon: (label: string) => void;
	undo: () => void;
	redo: () => void;
	setView: (change: Partial<View>) => void;
	/** Light up the hits that a pass changes, or all that it aims at. */
	light: (pass: number | null, aimed?: boolean) => void;
	select: (rows: Iterable<number>) => void;
	/** Point at a pass, so that its picture lies over the hits. */
	focusOn: (pass: number) => void;
	/** Choose the aim of a pass by pointing; nothing ends that. */
	aimAt: (pass: number | null) => void;
	/** Aim the pass that is being aimed at other hits, and count them. */
	setAim: (change: (aim: Aim) => Aim) => void;
	/** Hear one pass alone; nothing hears all again. */
	soloOn: (pass: number | null) => void;
	/** Let each round of the loop be another variation. */
	setFresh: (fresh: boolean) => void;
	/** Keep a variation that was heard; the rounds stay as it is. */
	keepRound: (variation: number) => void;
	/** A round of another variation begins. */
	enterRound: (variation: number, performance: Played) => void;
	/** A step of the song changed another part. */
	changedElsewhere: (history: History) => void;
	/** Change the part beyond passes and variation; answers whether that was done. */
	change: (call: (revision: number) => Promise<PartState>) => Promise<boolean>;
	/** Hold the open take against another one; against Written with none. */
	compare: (take: number | null) => void;
	setSong: (song: SongDetail) => void;
	/** Show other settings of a pocket, without keeping them yet. */
	draftPocket: (id: number, settings: PocketSettings) => void;
	/** Keep the pocket as it is shown, as one step of this name. */
	commitPocket: (id: number, label: string, soon?: boolean) => void;
	/** Change pockets or followers; answers whether that was done. */
	changePockets: (call: () => Promise<SongPockets>) => Promise<boolean>;
	/** Hear an action before it is taken; nothing ends that. */
	listen: (audition: Audition | null) => void;
	showGrooves: (shown: boolean) => void;
	/** Another tab may have changed the pockets meanwhile. */
	lookAgain: () => void;
	/** Send what waits, because the page goes away. */
	flush: () => void;
}

export type Workspace = StoreApi<WorkspaceState>;

const viewKeys = [
	"reading",
	"equalLoudness",
	"muted",
	"soloed",
	"loop",
	"looping",
	"click",
	"others",
	"tempo",
	"window",
	"open",
	"table",
	"stacked",
	"side",
] as const satisfies (keyof View)[];

function firstView(song: SongDetail): View {
	const bars = song.bars.ticks.length - 1;
	const last = Math.min(4, bars);
	return {
		reading: "played",
		equalLoudness: false,
		muted: [],
		soloed: [],
		loop: [1, last],
		looping: true,
		click: false,
		others: true,
		tempo: 1,
		window: [song.bars.ticks[0], song.bars.ticks[last]],
		open: null,
		table: false,
		stacked: false,
		side: "passes",
	};
}

export const viewName = (part: number) => `part-${part}`;

/** A kept view, as far as it still fits the song. */
function fittingView(song: SongDetail, kept: Partial<View> | null): View {
	const view = { ...firstView(song), ...kept };
	const bars = song.bars.ticks.length - 1;
	const [from, to] = view.loop;
	const [start, end] = view.window;
	if (!(from >= 1 && to >= from && to <= bars)) view.loop = firstView(song).loop;
	if (!(end > start)) view.window = firstView(song).window;
	return view;
}

export function createWorkspace(
	song: SongDetail,
	part: PartDetail,
	offers: ActionOffer[],
	pockets: PocketCard[],
	kept: Partial<View> | null,
	reload: () => void,
): Workspace {
	return createStore<WorkspaceState & { flushPockets: () => void }>((set, get) => {
		const performer = createPerformer(part.state.id, set, get);
		const saver = createSaver(part.state, set, get, performer.ask, reload);
		const pocketeer = createPocketeer(part.state.id, set, get, saver, performer.ask);
		let viewTimer = 0;
		const keepView = () => {
			window.clearTimeout(viewTimer);
			viewTimer = 0;
			const state = get();
			const view = Object.fromEntries(viewKeys.map((key) => [key, state[key]]));
			client.setView(viewName(part.state.id), view).catch(() => undefined);
		};
		const travel = async (back: boolean) => {
			await saver.settled();
			try {
				const { parts, label } = await (back ? client.undo(song.id) : client.redo(song.id));
				const state = parts.find((one) => one.id === part.state.id);
				if (!state || label === null) return;
				// The step may have been a pocket's, which other parts follow, too.
				const pockets = await client.pockets(song.id);
				const others = !alike(pockets, get().pockets);
				set({ pockets, pocketDrafts: {} });
				if (others) get().changedElsewhere(state.history);
				// The history is the song's: the step may have been another part's.
				if (state.revision !== get().revision) saver.take(state);
				else if (others) performer.ask();
				else {
					showNote(`${back ? "Undone" : "Done again"} in another part`, label);
					get().changedElsewhere(state.history);
				}
			} catch (error) {
				showError(error);
			}
		};
		const lookAgain = async () => {
			await saver.settled();
			try {
				const pockets = await client.pockets(song.id);
				if (alike(pockets, get().pockets)) return;
				const { state } = await client.part(part.state.id);
				// What is being changed here meets the newer state when it is kept.
				if (Object.keys(get().pocketDrafts).length > 0) return;
				// A gesture may have begun on the passes of before: it must not be kept as if on these.
				if (state.revision !== get().revision) {
					reload();
					return;
				}
				set({ pockets });
				performer.ask();
				get().changedElsewhere(state.history);
			} catch {
				// Nobody pressed anything: what is done next says what is the matter.
			}
		};
		const compare = async (take: number | null) => {
			const known = get().part.state.takes.find(({ id }) => id === take);
			if (!known) {
				set({ against: null });
				return;
			}
			try {
				await saver.settled();
				const columns = await client.takePlayed(part.state.id, known.id);
				const rows: number[][] = get().part.kit.instruments.map(() => []);
				columns.instruments.forEach((instrument, row) => {
					rows[instrument]?.push(row);
				});
				set({ against: { ...columns, take: known.id, name: known.name, rows } });
			} catch (error) {
				showError(error);
			}
		};
		return {
			...fittingView(song, kept),
			song,
			part,
			offers,
			barOf: part.written.grid_lines.map((line) => barAt(song, line)),
			recipe: part.state.recipe,
			variation: part.state.variation,
			revision: part.state.revision,
			history: part.state.history,
			performance: received(null, null, part.performance, part),
			lit: null,
			selected: new Set(),
			focus: null,
			aiming: null,
			soloPass: null,
			against: null,
			fresh: false,
			heard: [],
			othersChanged: 0,
			refused: null,
			pockets,
			pocketDrafts: {},
			audition: null,
			grooves: false,
			draft: (change) => {
				set(get().lit && get().aiming === null ? { ...change, lit: null } : change);
				performer.ask();
			},
			commit: saver.commit,
			commitSoon: saver.commitSoon,
			undo: () => void travel(true),
			redo: () => void travel(false),
			setView: (change) => {
				set(change);
				if (viewTimer === 0) viewTimer = window.setTimeout(keepView, 600);
			},
			light: (pass, aimed = false) => void performer.light(pass, aimed),
			select: (rows) => set({ selected: new Set(rows) }),
			focusOn: (pass) => {
				if (get().focus !== pass) set({ focus: pass });
			},
			aimAt: (pass) => {
				if (pass === null && get().aiming !== null) saver.commit("aim by pointing");
				set(pass === null ? { aiming: null } : { aiming: pass, focus: pass });
				void performer.light(pass, true);
			},
			setAim: (change) => {
				const { aiming, recipe } = get();
				if (aiming === null) return;
				const passes = recipe.passes.map((pass) =>
					pass.id === aiming ? { ...pass, aim: change(pass.aim) } : pass,
				);
				set({ recipe: { passes } });
				performer.ask();
				void performer.light(aiming, true);
			},
			soloOn: (soloPass) => {
				set({ soloPass });
				performer.ask();
			},
			setFresh: (fresh) => {
				if (!fresh && get().heard.length > 0) saver.commit(`variation ${get().variation}`);
				set({ fresh, heard: fresh ? [] : get().heard });
			},
			keepRound: (variation) => {
				set({ fresh: false });
				saver.commit(`keep variation ${variation}`);
			},
			enterRound: (variation, played) =>
				set({ variation, performance: played, heard: [...get().heard, variation].slice(-12) }),
			changedElsewhere: (history) => set({ history, othersChanged: get().othersChanged + 1 }),
			change: saver.change,
			compare: (take) => void compare(take),
			setSong: (song) => set({ song }),
			...pocketeer,
			listen: (audition) => {
				set({ audition });
				performer.ask();
			},
			lookAgain: () => void lookAgain(),
			showGrooves: (grooves) => {
				const heard = get().audition !== null;
				set({ grooves, audition: null });
				if (heard) performer.ask();
			},
			flush: () => {
				pocketeer.flushPockets();
				saver.flush();
				if (viewTimer !== 0) keepView();
			},
		};
	});
}

type SetState = (change: Partial<WorkspaceState>) => void;
type GetState = () => WorkspaceState;

/** Waits until what has changed is drawn. A page that is not seen draws nothing. */
const drawn = () =>
	new Promise<void>((resolve) => {
		requestAnimationFrame(() => resolve());
		window.setTimeout(resolve, 100);
	});

/** One request in flight; what is asked for meanwhile goes next, and only the newest of it. */
function createPerformer(part: number, set: SetState, get: GetState) {
	let busy = false;
	let wanted = false;
	let askedAt = 0;
	let lightings = 0;
	const pump = async () => {
		if (busy || !wanted) return;
		const { variation } = get();
		const recipe = heardRecipe(get());
		const since = askedAt;
		wanted = false;
		busy = true;
		try {
			const { performance: before, part: detail } = get();
			const pockets = get().pocketDrafts;
			const { timingKey: timing, touchKey: touch } = before ?? {};
			const request = { recipe, variation, round: 0, timing, touch, pockets };
			const columns = await client.perform(part, request);
			const played = received(before, get().performance, columns, detail);
			probe.answered(since);
			set(get().refused ? { performance: played, refused: null } : { performance: played });
			// What is newest by then is asked for once this answer is drawn, and works while the browser
			// brings it to the screen. Asked for sooner, it would be older when it can be drawn.
			await drawn();
		} catch (error) {
			const problem = error instanceof ProblemError ? error.problem : null;
			if (problem?.field) set({ refused: { field: problem.field, detail: problem.detail } });
			else showError(error);
		} finally {
			busy = false;
			void pump();
		}
	};
	return {
		ask: () => {
			if (!wanted) askedAt = performance.now();
			wanted = true;
			void pump();
		},
		light: async (pass: number | null, aimed: boolean) => {
			// While an aim is swept, answers may come late: only the newest counts.
			const own = ++lightings;
			if (pass === null) {
				set({ lit: null });
				return;
			}
			const { recipe, variation, pocketDrafts: pockets } = get();
			if (get().lit?.pass !== pass) set({ lit: { pass, hits: new Set() } });
			try {
				const hits = await client.touched(part, {
					recipe,
					variation,
					round: 0,
					touched_by: pass,
					aimed,
					pockets,
				});
				if (own === lightings && get().lit?.pass === pass) set({ lit: { pass, hits: new Set(hits) } });
			} catch {
				// The performance of the same recipe says what is wrong with it.
			}
		},
	};
}

const alike = <T>(a: T, b: T) => JSON.stringify(a) === JSON.stringify(b);

/** Whether what was written is read alike: by the same layers, against the same grid. */
const readAlike = (a: PartState, b: PartState) => alike(a.layers, b.layers) && a.grid === b.grid;

/** Keeps drafts, one after the other, each against the revision before it. */
function createSaver(
	{ id: part, drums, take: current }: PartState,
	set: SetState,
	get: GetState,
	perform: () => void,
	reload: () => void,
) {
	let queue: Promise<void> = Promise.resolve();
	let timer = 0;
	let waiting: { label: string; draft: Draft } | null = null;

	const take = (state: PartState) => {
		// Another kit or another Written: everything is fetched anew.
		if (state.drums !== drums || state.take !== current) {
			reload();
			return;
		}
		const read = readAlike(get().part.state, state);
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
		if (read) perform();
		else void refetch();
	};
	/** Other layers or another grid: what was written is read anew. */
	const refetch = async () => {
		const detail = await client.part(part);
		const barOf = detail.written.grid_lines.map((line) => barAt(get().song, line));
		set({ part: detail, barOf });
		perform();
	};
	const put = async (label: string, { recipe, variation }: Draft, keepalive: boolean) => {
		try {
			const request = { revision: get().revision, label, recipe, variation };
			const state = await client.changePart(part, request, keepalive);
			set({ revision: state.revision, history: state.history });
		} catch (error) {
			const problem = error instanceof ProblemError ? error.problem : null;
			if (problem?.current) take(problem.current);
			else if (problem?.field) set({ refused: { field: problem.field, detail: problem.detail } });
			showError(error);
		}
	};
	const keep = (label: string, { recipe, variation }: Draft, keepalive = false) => {
		queue = queue.then(() => put(label, { recipe, variation }, keepalive));
	};
	const keepWaiting = (keepalive = false) => {
		window.clearTimeout(timer);
		if (waiting) keep(waiting.label, waiting.draft, keepalive);
		waiting = null;
	};
	/** What waits under another name is a step of its own, as it was then. */
	const makeWay = (label: string) => {
		if (waiting?.label !== label) keepWaiting();
		window.clearTimeout(timer);
		waiting = null;
	};
	return {
		take,
		commit: (label: string) => {
			makeWay(label);
			keep(label, get());
		},
		commitSoon: (label: string) => {
			makeWay(label);
			const { recipe, variation } = get();
			waiting = { label, draft: { recipe, variation } };
			timer = window.setTimeout(keepWaiting, 600);
		},
		flush: () => keepWaiting(true),
		settled: () => {
			keepWaiting();
			return queue;
		},
		change: async (call: (revision: number) => Promise<PartState>) => {
			keepWaiting();
			await queue;
			try {
				take(await call(get().revision));
				return true;
			} catch (error) {
				const problem = error instanceof ProblemError ? error.problem : null;
				if (problem?.current) take(problem.current);
				showError(error);
				return false;
			}
		},
	};
}

/** Changes pockets, one change after the other, and who follows them. */
function createPocketeer(
	part: number,
	set: SetState,
	get: GetState,
	saver: ReturnType<typeof createSaver>,
	perform: () => void,
) {
	let queue: Promise<unknown> = Promise.resolve();
	let timer = 0;
	let waiting: (() => void) | null = null;
	const take = ({ pockets, parts, history }: SongPockets, kept: PocketDrafts) => {
		// What was drafted meanwhile is newer than the answer.
		const drafts = Object.entries(get().pocketDrafts).filter(
			([id, settings]) => kept[Number(id)] !== settings,
		);
		set({ pockets, pocketDrafts: Object.fromEntries(drafts) });
		const state = parts.find((one) => one.id === part);
		if (state && state.revision !== get().revision) saver.take(state);
		else perform();
		get().changedElsewhere(history);
	};
	const changePockets = (call: () => Promise<SongPockets>) => {
		const { pocketDrafts } = get();
		const done = queue
			.then(() => saver.settled())
			.then(call)
			.then((answer) => {
				take(answer, pocketDrafts);
				return true;
			})
			.catch((error) => {
				const newer = error instanceof ProblemError ? error.problem.pockets : undefined;
				if (newer) take(newer, get().pocketDrafts);
				showError(error);
				return false;
			});
		queue = done;
		return done;
	};
	const keep = (id: number, label: string) => {
		const settings = get().pocketDrafts[id];
		if (!settings) return;
		void changePockets(() => {
			const pocket = get().pockets.find((one) => one.id === id);
			if (!pocket) throw new Error("The pocket was deleted meanwhile.");
			const { revision, name } = pocket;
			return client.changePocket(id, { revision, label: `${name}: ${label}`, name, settings });
		});
	};
	const flushPockets = () => {
		window.clearTimeout(timer);
		waiting?.();
		waiting = null;
	};
	return {
		draftPocket: (id: number, settings: PocketSettings) => {
			set({ pocketDrafts: { ...get().pocketDrafts, [id]: settings } });
			perform();
		},
		commitPocket: (id: number, label: string, soon = false) => {
			window.clearTimeout(timer);
			waiting = () => keep(id, label);
			if (soon) timer = window.setTimeout(flushPockets, 600);
			else flushPockets();
		},
		changePockets,
		flushPockets,
	};
}

/** The settings of a pocket as they are shown. */
export const settingsOf = ({ pocketDrafts }: Pick<WorkspaceState, "pocketDrafts">, pocket: PocketCard) =>
	pocketDrafts[pocket.id] ?? pocket.settings;

type Heard = Pick<WorkspaceState, "recipe" | "soloPass" | "audition">;

/** The id of what is heard before it is taken: no pass has it. */
const auditionId = 2 ** 32 - 1;

/** One pass is heard alone. A pass that was deleted meanwhile is not. */
export const isAlone = ({ recipe, soloPass }: Omit<Heard, "audition">) =>
	recipe.passes.some(({ id }) => id === soloPass);

/** The recipe as it is heard: with one pass alone, the others are off; what is listened to comes last. */
export const heardRecipe = (state: Heard): Recipe => {
	const passes = isAlone(state)
		? state.recipe.passes.map((pass) => ({ ...pass, on: pass.id === state.soloPass }))
		: state.recipe.passes;
	if (!state.audition) return { passes };
	return { passes: [...passes, { id: auditionId, on: true, ...state.audition }] };
};

/** What Played is held against: Written, or another take. */
export const beforeOf = ({ against, part }: Pick<WorkspaceState, "against" | "part">) =>
	against?.reading ?? part.reading;

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
