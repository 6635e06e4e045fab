/** Connects the client of a part to the server, the clock and the page. */
import isEqual from "fast-deep-equal";
import { client as api, outlivesThePage, thisWindow } from "../api/client";
import type {
	PartDetail,
	PartState,
	PerformRequest,
	PocketCard,
	Problem,
	SongDetail,
	Travelled,
} from "../api/generated/types";
import { hideNote, offerAgain, showError, showLasting, showNote } from "../lib/notify";
import { probe } from "../lib/probe";
import { ProblemError } from "../lib/problem";
import {
	type Call,
	type Change,
	type Note,
	PartClient,
	type Port,
	type Question,
	type Shown,
} from "./client";
import type { Entry } from "./line";
import { type Played, received } from "./played";
import type { GetState, SetState, WorkspaceState } from "./state/types";

/** What the session asks of the page around it. */
export interface Around {
	/** Another kit or other bars: open the part anew. */
	reload: () => void;
	/** This part is gone: open another one of the song. */
	open: (part: number) => void;
}

/** A picture, and what it is of. */
interface Picture {
	performance: Played | null;
	heardAs: PerformRequest;
}

/** How long is waited, in ms: for more of the same gesture, and for a server that did not answer. */
const waits = { rest: 600, patience: 2000 };

/** What was not kept of a part and was not read yet: it is said again when the part is opened anew in this window. */
const unread = (part: number) => {
	const name = `not-kept ${part}`;
	const read = (): Change[][] => {
		try {
			const all = JSON.parse(sessionStorage.getItem(name) ?? "[]");
			return Array.isArray(all) ? all : [];
		} catch {
			return [];
		}
	};
	const write = (all: Change[][]) => {
		try {
			sessionStorage.setItem(name, JSON.stringify(all));
		} catch {
			// There is no room for it: it is said as long as this page stays.
		}
	};
	return {
		read,
		add: (changes: Change[]) => write([...read(), changes]),
		remove: (changes: Change[]) => write(read().filter((other) => !isEqual(other, changes))),
	};
};

/** Counts how often a part was opened: each client names its changes otherwise than all before it. */
let openings = 0;

const tooLate: Problem = {
	status: 409,
	title: "Changed elsewhere",
	detail: "The part was changed elsewhere meanwhile. What is shown now is the newest.",
};

/** What went wrong, whatever it is. */
function problemOf(error: unknown): Problem {
	if (error instanceof ProblemError) return error.problem;
	return { status: 500, title: "Something went wrong", detail: String(error) };
}

/** Waits until what has changed is drawn. A page that is not seen draws nothing. */
function onceDrawn(then: () => void) {
	let done = false;
	const once = () => {
		if (!done) then();
		done = true;
	};
	requestAnimationFrame(once);
	window.setTimeout(once, 100);
}

export type Session = ReturnType<typeof openSession>;

export function openSession(first: PartDetail, set: SetState, get: GetState, around: Around) {
	const { id } = first.state;
	const notKept = unread(id);
	/** Whoever waits for a call, by its key. */
	const outcomes = new Map<string, (problem: Problem | null) => void>();
	/** Whoever waits until all is kept. */
	let settling: (() => void)[] = [];
	/** When what is asked was wanted first. */
	let wantedAt: number | null = null;

	const settle = (key: string, problem: Problem | null) => {
		outcomes.get(key)?.(problem);
		outcomes.delete(key);
	};
	const checkSettled = () => {
		if (part.unkept.length > 0) return;
		const all = settling;
		settling = [];
		for (const done of all) done();
	};
	const offer = (changes: Change[]) => {
		const labels = changes.map((change) => ("label" in change ? `“${change.label}”` : "")).join(", ");
		offerAgain(
			`Changed elsewhere meanwhile: ${labels} was not kept`,
			() => part.repeat(changes),
			() => notKept.remove(changes),
		);
	};
	const lose = (entries: readonly Entry<Change>[]) => {
		const again: Change[] = [];
		for (const { key, change } of entries)
			if (change.kind === "call") settle(key, tooLate);
			else again.push(change);
		set({ sketch: null });
		if (again.length > 0) {
			notKept.add(again);
			offer(again);
		}
		checkSettled();
	};

	const port: Port<Picture> = {
		keep: ({ key, change }: Entry<Change>, revision, attempt) => {
			const refused = (error: unknown) => {
				const problem = problemOf(error);
				const repeats = change.kind !== "call" || change.repeats;
				part.notKept(attempt, problem);
				if (!(repeats && part.unkept.some((one) => one.key === key))) settle(key, problem);
				checkSettled();
			};
			const sent =
				change.kind === "drawings"
					? api
							.write(id, { key, revision, label: change.label, drawings: change.drawings })
							.then((detail) => part.keptWritten(attempt, detail))
					: change.kind === "gestures"
						? api
								.changePart(id, { key, revision, ...stepOf(change) })
								.then((state) => part.kept(attempt, state))
						: change.call(revision, key).then((state) => part.kept(attempt, state));
			sent.then(() => {
				settle(key, null);
				checkSettled();
			}, refused);
		},
		perform: (number, question: Question) => {
			const { trial, performance: before } = get();
			const heardAs = asked(question, get());
			const known = { timing: before?.timingKey, touch: before?.touchKey, lanes: before?.lanesKey };
			const since = wantedAt ?? performance.now();
			wantedAt = null;
			api.perform(id, { ...heardAs, ...known }).then(
				(columns) => {
					const { source } = columns;
					const shown = get();
					const isOfShown = source === shown.part.state.source;
					const played = isOfShown ? received(before, shown.performance, columns, shown.part) : null;
					probe.answered(since);
					const recipe = trial ? null : columns.recipe;
					part.performed(number, { source, recipe, picture: { performance: played, heardAs } });
				},
				(error) => part.notPerformed(number, problemOf(error)),
			);
		},
		draw: () => onceDrawn(() => part.drawn()),
		read: () => {
			Promise.all([api.part(id), api.song(get().song.id), api.pockets(get().song.id)]).then(
				([detail, song, pockets]) => {
					if (takeSong(song, pockets)) part.read(detail);
				},
				(error) => part.notRead(problemOf(error)),
			);
		},
		wait: (what, number) => {
			const over = () => (what === "rest" ? part.rested(number) : part.again(number));
			window.setTimeout(over, waits[what]);
		},
		show: (change, renewed) => {
			set({ ...shownOf(change, get), ...(renewed ? letGo(change, get) : {}) });
			const { against } = get();
			// It may be read or played by something else now.
			if (renewed && against) get().compare(against.take);
		},
		reopen: () => {
			const { screen, part: shown } = get();
			const { drums, take } = first.state;
			// The kit screen shows a kit as it is; the rows come with it when that is closed.
			if (screen === "kit" && shown.state.drums === drums && shown.state.take === take) return;
			around.reload();
		},
		say: (note: Note) => {
			if (note.kind === "lost") lose(note.entries);
			else if (note.kind === "refused") {
				set({ sketch: null });
				showError(new ProblemError(note.problem));
			} else if (note.problem === null) hideNote("no-answer");
			// Nothing is lost: it waits here until the server is there again.
			else if (note.problem.status === 507)
				showLasting(
					"no-answer",
					note.problem.title,
					"What you did waits here and is kept as soon as there is room. Leave this page open.",
				);
			else
				showLasting(
					"no-answer",
					"Vivida does not answer",
					"What you did waits here and is kept as soon as Vivida answers again. Leave this page open.",
				);
		},
	};
	openings += 1;
	const part = new PartClient<Picture>(first.state, `${thisWindow} ${openings}`, port);

	/** What of a song is heard beside this part. */
	const ofOthers = ({ sections, parts }: SongDetail) => [sections, parts.filter((one) => one.id !== id)];

	/** Shows the newest song and pockets, whatever of them changed; answers whether the part is still open. */
	const takeSong = (song: SongDetail, pockets: PocketCard[]) => {
		const shown = get();
		if (song.revision < shown.song.revision) return true;
		// Other bars are another picture altogether.
		if (!isEqual(song.bars, shown.song.bars)) {
			around.reload();
			return false;
		}
		if (!isEqual(song, shown.song)) set({ song, history: song.history });
		const others = [ofOthers(song), pockets];
		if (!isEqual(others, [ofOthers(shown.song), shown.pockets])) shown.changedElsewhere(song.history);
		// What is being changed here meets the newer state when it is kept.
		const isIdle = Object.keys(shown.pocketDrafts).length === 0;
		if (isIdle && !isEqual(pockets, shown.pockets)) {
			set({ pockets });
			part.ask();
		}
		return true;
	};

	/** Changes the part by a call, behind what was done before; answers what went wrong. */
	const call = (make: Call, repeats = false) =>
		new Promise<Problem | null>((done) => {
			outcomes.set(part.call(make, repeats), done);
		});
	const settled = () => {
		part.flush();
		return new Promise<void>((done) => {
			settling.push(done);
			checkSettled();
		});
	};

	/** Goes through the history of the song. */
	const travel = (way: "back" | "on" | number) => {
		const before = { song: get().song, revision: get().revision };
		let travelled: Travelled | null = null;
		const make = async () => {
			const { song } = get();
			travelled = await (typeof way === "number"
				? api.travelTo(song.id, way)
				: way === "back"
					? api.undo(song.id)
					: api.redo(song.id));
			const { label, song: next, parts, pockets } = travelled;
			if (label === null || !next) return null;
			set({ pocketDrafts: {} });
			if (!takeSong(next, pockets)) return null;
			get().changedElsewhere(next.history);
			return parts.find((one) => one.id === id) ?? null;
		};
		void call(make).then((problem) => {
			if (problem) showError(new ProblemError(problem));
			if (!travelled?.label || !travelled.song) return;
			const { label, song: next, parts } = travelled;
			const done = typeof way === "number" ? "Gone through" : way === "on" ? "Done again" : "Undone";
			const state = parts.find((one) => one.id === id);
			if (!state) {
				showNote(done, label);
				const other = next.parts[0];
				if (other) around.open(other.id);
				return;
			}
			// The history is the song's: the step may have been another part's.
			const alike =
				isEqual(next.sections, before.song.sections) &&
				isEqual(next.bars, before.song.bars) &&
				state.revision === before.revision;
			if (alike) showNote(`${done} in another part`, label);
			part.ask();
		});
	};

	for (const changes of notKept.read()) offer(changes);
	return {
		part,
		call,
		settled,
		travel,
		asHeard: () => asked(part.question, get()),
		ask: () => {
			wantedAt ??= performance.now();
			part.ask();
		},
		act: (...made: Parameters<typeof part.act>) => {
			wantedAt ??= performance.now();
			const { lit, aiming } = get();
			if (lit && aiming === null) set({ lit: null });
			part.act(...made);
		},
		/** Sends what waits; answers whether it is on its way and gets there when the page goes away. */
		leave: () => {
			part.close();
			const [one, ...more] = part.unkept;
			if (!one) return true;
			if (more.length > 0 || part.isSilent) return false;
			// Of what is sent until it is answered, whoever made it knows how long it is.
			return one.change.kind === "call" ? one.change.repeats : outlivesThePage(one.change);
		},
	};
}

/** A question about what is to be heard: of a pass alone, with something that is tried, in a round of the loop. */
function asked(question: Question, state: WorkspaceState): PerformRequest {
	const { round, soloPass, soloGroup, audition, trial, pocketDrafts: pockets } = state;
	return {
		...question,
		...trial,
		round,
		alone: soloPass ?? undefined,
		alone_group: soloGroup ?? undefined,
		audition: audition ?? undefined,
		pockets,
	};
}

const stepOf = ({ label, gestures, variation }: Change & { kind: "gestures" }) => ({
	label,
	gestures,
	variation,
});

/** What the client shows, as the page holds it. */
function shownOf({ state, detail, picture, ...rest }: Partial<Shown<Picture>>, get: GetState) {
	const part = detail ?? get().part;
	const kept = state && {
		part: { ...part, state },
		revision: state.revision,
		history: state.history,
	};
	const written = detail && {
		sketch: null,
		performance: received(null, null, detail.performance, detail),
		heardAs: null,
		selected: new Set([...get().selected].filter((hit) => detail.written.ids.includes(hit))),
	};
	return { ...kept, ...written, ...picture, ...rest };
}

/** What may be something else after a change that was not made by hand here. */
function letGo({ state }: { state?: PartState }, get: GetState) {
	const { against } = get();
	// A take that is gone is nothing to be held against.
	const isThere = !state || state.takes.some(({ id }) => id === against?.take);
	return { lit: null, selected: new Set<number>(), against: isThere ? against : null };
}
