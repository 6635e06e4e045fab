/** The state of one open part, slice by slice. */
import type {
	Action,
	Aim,
	Drawing,
	Gesture,
	History,
	Measured,
	PartDetail,
	PartState,
	PeakColumns,
	PerformRequest,
	PocketCard,
	PocketSettings,
	Property,
	Recipe,
	SongDetail,
	SongPockets,
	TakeColumns,
	Vocabulary,
} from "../../api/generated/types";
import type { Played } from "../played";
import type { RecordingSlice, RecordView } from "./recording";

export type Reading = "written" | "played";

/** How the screen was left; kept by the server, but no step of the history. */
export interface View extends RecordView {
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
	/** Where it plays from, in ticks; nothing means from the beginning of the loop, or of what is in view. */
	playFrom: number | null;
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
	/** Hits stand so many times as far from their grid lines as they sound. */
	times: number;
	/** The heights of rows that were dragged, in px, by their instruments. */
	heights: Record<string, number>;
	/** Instruments in the order of their rows; those that are not named follow. */
	order: string[];
	/** Instruments whose rows are not shown. */
	hidden: string[];
	/** Instruments without hits that have a row all the same. */
	extra: string[];
	/** All instruments of the kit have a row. */
	wholeKit: boolean;
	/** Whether the pads are shown below the rows. */
	pads: boolean;
	/** What the right side shows. */
	side: "passes" | "pockets" | "findings";
	/** Findings that are not said again: by rule and drum, or by rule and `*`. */
	dismissed: string[];
	/** What of hits the heights of dots and the touch portraits show. */
	property: Property;
	/** Lanes without values that have a row all the same. */
	extraLanes: string[];
	/** Hits are drawn in the rows. */
	pencil: Pencil | null;
	/** What stands beside hits, where there is room: the value that the row shows, ms early or late, or nothing. */
	numbers: "value" | "timing" | "none";
	/** Every row shows how long its hits last; an opened one does always. */
	tails: boolean;
	/** An opened row shows its strokes one below the other. */
	apart: boolean;
	/** A hit sounds when it is clicked or let go, and a drum when its name is clicked. */
	hearEdits: boolean;
}

/** What hits are drawn with. */
export interface Pencil {
	/** The lines that they are drawn on. */
	grid: string;
	/** As hard as they are drawn high, or as the drum typically is. */
	hard: "height" | "typical";
	/** It rubs out. */
	rubbing: boolean;
}

/** What is just being drawn in a row: hits that come or are rubbed out, or hits that are carried elsewhere. */
export interface Sketch {
	/** The row, by its place in the kit. */
	instrument: number;
	ticks?: number[];
	velocities?: number[] | null;
	rubs?: boolean;
	/** Hits by their ids. */
	carried?: number[];
	/** So many ticks later. */
	by?: number;
	copies?: boolean;
}

export interface PencilSlice {
	sketch: Sketch | null;
	setSketch: (sketch: Sketch | null) => void;
	/** Draw with a pencil that differs so from the one in hand; nothing puts it down. */
	takeUp: (change: Partial<Pencil> | null) => void;
	/** Keep what was drawn, as one step of this name. */
	draw: (drawings: Drawing[], label: string) => void;
}

export interface ViewSlice extends View {
	/** What is shown in the place of the rows. */
	screen: null | "grooves" | "kit" | "devices";
	/** What is open over everything, of what more than one way leads to. */
	dialog: null | "add-pass" | "recipes";
	setView: (change: Partial<View>) => void;
	showScreen: (screen: ViewSlice["screen"]) => void;
	showDialog: (dialog: ViewSlice["dialog"]) => void;
}

/** Another take that the open one is held against, in the place of Written. */
export interface Against extends TakeColumns {
	take: number;
	name: string;
	/** The indices of each instrument's hits. */
	ofInstruments: number[][];
}

/** A part, or a take of the open one, that is learned from. */
export interface Studied {
	part: number;
	take: number | null;
	name: string;
	reading: Measured;
}

/** An action that is heard before it is taken: it stands behind the passes, and nothing keeps it. */
export interface Audition {
	aim: Aim;
	action: Action;
}

/** What is shown and heard of the part, and what is kept of it. */
export interface KeptSlice {
	song: SongDetail;
	part: PartDetail;
	/** What can be added to a part, and what its words mean. */
	words: Vocabulary;
	/** The passes as they are shown. */
	recipe: Recipe;
	variation: number;
	/** Of the part as it is kept. */
	revision: number;
	history: History;
	performance: Played | null;
	/** What it is a performance of, where that is not simply what is kept. */
	heardAs: PerformRequest | null;
	/** The recorded loop that the part is, as it is drawn. */
	wave: PeakColumns | null;
	/** What a setting was refused for, by its path. */
	refused: { field: string; detail: string } | null;

	/** A hand takes hold of something. */
	begin: () => void;
	/**
	 * Do something to hits, portraits or passes. Until it is committed, it takes the place of what it was before. If
	 * something else breaks it off, it is kept as a step of this name.
	 */
	act: (gesture: Gesture, label?: string) => void;
	/** Give up what was not committed. */
	cancel: () => void;
	/** Another variation. */
	vary: (variation: number) => void;
	/** What is asked to see and hear the part as it is now. */
	asHeard: () => PerformRequest;
	/** Keep what is shown, as one step of this name. */
	commit: (label: string) => void;
	/** Keep what is shown once nothing has changed for a moment. */
	commitSoon: (label: string) => void;
	undo: () => void;
	redo: () => void;
	/** Go to where the song stood after a step of its history. */
	travelTo: (step: number) => void;
	/** Change the part beyond passes and variation; answers whether that was done. */
	change: (call: (revision: number) => Promise<PartState | null>) => Promise<boolean>;
	/** All that was done is kept. */
	settled: () => Promise<void>;
	setSong: (song: SongDetail) => void;
	/** Change the bars or the file of the song; answers whether that was done. */
	changeBars: (call: (revision: number) => Promise<unknown>) => Promise<boolean>;
	/** Another tab may have changed the song meanwhile. */
	lookAgain: () => void;
	/** Send what waits, because the page goes away; answers whether that will do. */
	leave: () => boolean;
}

/** Hits and passes that are pointed at. */
export interface SelectionSlice {
	/** The pass under the pointer and the ids of the hits that it changes. */
	lit: { pass: number; hits: Set<number> } | null;
	/** The ids of the hits that are selected. */
	selected: Set<number>;
	/** The instruments whose names are selected: what is done to one of their numbers is done to all. */
	selectedRows: ReadonlySet<string>;
	/** Select the name of a row, or no longer; nothing selects none. */
	selectRow: (instrument: string | null) => void;
	/** The pass that was pointed at last: its picture lies over the hits. */
	focus: number | null;
	/** The pass whose sentence is shown; the others are lines. */
	unfolded: number | null;
	/** The pass whose aim is being chosen by pointing: bars, bands of velocity, hits. */
	aiming: number | null;
	/** Light up the hits that a pass changes, or all that it aims at. */
	light: (pass: number | null, aimed?: boolean) => void;
	/** Light up some hits; none with no hits. */
	lightHits: (hits: number[]) => void;
	/** By their ids. */
	select: (hits: Iterable<number>) => void;
	/** Whom a pass for the hits that are selected aims at; nothing means just these. */
	selectedAim: Aim | null;
	aimSelected: (aim: Aim | null) => void;
	/** Point at a pass, so that its picture lies over the hits. */
	focusOn: (pass: number) => void;
	/** Show the sentence of a pass; nothing folds it. */
	unfold: (pass: number | null) => void;
	/** Choose the aim of a pass by pointing; nothing ends that. */
	aimAt: (pass: number | null) => void;
	/** Aim the pass that is being aimed at other hits, and count them. */
	setAim: (change: (aim: Aim) => Aim) => void;
}

/** Something that is tried out: gestures on a recipe. */
export interface Trial {
	recipe: Recipe;
	gestures: Gesture[];
}

/** What is heard otherwise than it is kept. */
export interface PlaybackSlice {
	/** The only pass that is heard. */
	soloPass: number | null;
	/** The only group that is heard. */
	soloGroup: number | null;
	audition: Audition | null;
	/** Passes that are tried out in the place of the part's own. */
	trial: Trial | null;
	against: Against | null;
	/** A part that is learned from: its reading stands in the place of Written in portraits and figures. */
	studied: Studied | null;
	setStudied: (studied: Studied | null) => void;
	/** Each round of the loop is another variation; those that were heard, the newest last. */
	fresh: boolean;
	/** The round that is seen and heard, from 0: passes may have other dice in each. */
	round: number;
	heard: number[];
	/** Counts the steps here that changed other parts of the song. */
	othersChanged: number;
	/** Hear one pass alone; nothing hears all again. */
	soloOn: (pass: number | null) => void;
	/** Hear one group alone; nothing hears all again. */
	soloOnGroup: (group: number | null) => void;
	/** Hear an action before it is taken; nothing ends that. */
	listen: (audition: Audition | null) => void;
	/** Hear and see passes in the place of the part's own; nothing ends that. */
	tryOut: (trial: Trial | null) => void;
	/** Let each round of the loop be another variation. */
	setFresh: (fresh: boolean) => void;
	/** Keep a variation that was heard; the rounds stay as it is. */
	keepRound: (variation: number) => void;
	/** The next round begins. */
	enterRound: (next: { variation: number; round: number; played: Played }) => void;
	/** See and hear another round, counted from 0. */
	goToRound: (round: number) => void;
	/** A step of the song changed another part. */
	changedElsewhere: (history: History) => void;
	/** Hold the open take against another one; against Written with none. */
	compare: (take: number | null) => void;
}

/** Settings of pockets that are being changed, by the pocket's id. */
export type PocketDrafts = Record<number, PocketSettings>;

export interface PocketSlice {
	/** The song's pockets as they are kept. */
	pockets: PocketCard[];
	pocketDrafts: PocketDrafts;
	/** Show other settings of a pocket, without keeping them yet. */
	draftPocket: (id: number, settings: PocketSettings) => void;
	/** Keep the pocket as it is shown, as one step of this name. */
	commitPocket: (id: number, label: string, soon?: boolean) => void;
	/** Change pockets or followers; answers whether that was done. */
	changePockets: (call: () => Promise<SongPockets>) => Promise<boolean>;
}

export type WorkspaceState = ViewSlice &
	KeptSlice &
	SelectionSlice &
	PlaybackSlice &
	PocketSlice &
	PencilSlice &
	RecordingSlice;

export type SetState = (change: Partial<WorkspaceState>) => void;
export type GetState = () => WorkspaceState;
