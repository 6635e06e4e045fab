/** All that is known of the open part, and what becomes of it with each thing that happens. */
import type { Drawing, Gesture, PartDetail, PartState, Problem, Recipe } from "../api/generated/types";
import { aboutOf, echoed } from "./gestures";
import { type Entry, Line } from "./line";

/** A step that was made here. */
export type Change =
	| { kind: "gestures"; label: string; gestures: Gesture[]; variation: number }
	/** Strokes that change Written. */
	| { kind: "drawings"; label: string; drawings: Drawing[] }
	/**
	 * Anything else that changes the part. Where it names itself to the server, so that it is done once however often
	 * it arrives, it is sent again until it is answered; else whoever called is told that it was not done.
	 */
	| { kind: "call"; call: Call; repeats: boolean };

/** Answers the part as it is then; nothing where it has not changed, or is gone. */
export type Call = (revision: number, key: string) => Promise<PartState | null>;

/** What is to be heard and seen. */
export interface Question {
	recipe: Recipe;
	gestures: Gesture[];
	variation: number;
}

/** What came back to a question. `Picture` is whatever the page draws. */
export interface Answer<Picture> {
	/** Names the Written that it is of. */
	source: string;
	/** The passes with all gestures done to them, where there were any. */
	recipe: Recipe | null;
	picture: Picture;
}

/** What the page shows of the part. */
export interface Shown<Picture> {
	state: PartState;
	recipe: Recipe;
	variation: number;
	picture: Picture;
	/** With another Written, and the picture that belongs to it. */
	detail: PartDetail;
	/** What a setting was refused for, by its path. */
	refused: { field: string; detail: string } | null;
}

export type Note =
	/** These were not kept, because the part was changed elsewhere meanwhile. */
	| { kind: "lost"; entries: readonly Entry<Change>[] }
	| { kind: "refused"; problem: Problem }
	/** The server cannot keep anything now, and why; or it can again. */
	| { kind: "silence"; problem: Problem | null };

/** What the client asks for. Each answer is an event of its own. */
export interface Port<Picture> {
	/** Answered by `kept`, `keptWritten` or `notKept`, with the number of the attempt. */
	keep: (entry: Entry<Change>, revision: number, attempt: number) => void;
	/** Answered by `performed` or `notPerformed`. */
	perform: (number: number, question: Question) => void;
	/** Answered by `drawn`, when the picture is on the screen. */
	draw: () => void;
	/** Answered by `read` or `notRead`. */
	read: () => void;
	/** Answered by `rested` after a moment without changes, or by `again` when the server may be there again. */
	wait: (what: "rest" | "patience", number: number) => void;
	/** `renewed`: not by what was done here; what is pointed at may be something else. */
	show: (change: Partial<Shown<Picture>>, renewed: boolean) => void;
	/** The part is another one to the eye: it is opened anew. */
	reopen: () => void;
	say: (note: Note) => void;
}

/** A step that may still grow. */
interface Resting {
	label: string;
	gestures: Gesture[];
	number: number;
}

/** A gesture that goes on: a drag says it again and again. */
interface Running {
	gesture: Gesture;
	about: string;
	label: string;
}

/** By what the part is read: with another one it is another part to the eye. */
const readBy = ({ drums, take, kit }: PartState) => `${drums} ${take} ${kit?.id} ${kit?.revision}`;

/** What of Written the page draws: another source, other layers, other lines. */
const writtenBy = ({ source, layers, lines }: PartState) => JSON.stringify([source, layers, lines]);

/** The server, or its disk, cannot do it now. */
const notNow = [0, 502, 503, 504, 507];

/**
 * One client of one part. Events go in, and requests go out of its port; it has no clock, no connection and no screen
 * of its own. What holds always:
 *
 * - What is shown is what is kept, with what was made here on top, in the order in which it was made.
 * - A change is sent when those before it were answered, on the revision that they led to. It stays in the line until
 *   it is kept, or until it is said that it is not.
 * - A gesture that begins ends what was pending before it, as a step of its own.
 * - A picture is shown only if nothing newer is shown already.
 */
export class PartClient<Picture> {
	readonly #port: Port<Picture>;
	readonly #name: string;
	readonly #line: Line<Change>;
	/** As it is kept. */
	#state: PartState;
	/** What the Written that is shown was read by; and its source alone. */
	#written: string;
	#source: string;
	/** The passes as they are shown. */
	#recipe: Recipe;
	#variation: number;
	#running: Running | null = null;
	/** What a newer gesture broke off. Its hand may go on: that means nothing until it lets go. */
	#brokenOff: string | null = null;
	/** Finished, of no step yet. */
	#made: Gesture[] = [];
	#resting: Resting | null = null;
	/** Names entries, questions and waits. */
	#numbers = 0;
	/** The question that is on its way. */
	#asked: { number: number; changes: number } | null = null;
	#wanted = false;
	#drawing = false;
	#reading = false;
	/** The server did not answer when it was asked last. */
	#silent = false;
	/** The wait until it is asked again. */
	#patience: number | null = null;
	/** Counts what changes the passes as they are shown. */
	#changes = 0;

	/** `name` is this client's alone: it tells its changes from those of all others. */
	constructor(state: PartState, name: string, port: Port<Picture>) {
		this.#port = port;
		this.#name = name;
		this.#state = state;
		this.#written = writtenBy(state);
		this.#source = state.source;
		this.#recipe = state.recipe;
		this.#variation = state.variation;
		this.#line = new Line(state.revision, (...sent) => port.keep(...sent));
	}

	/** What was made and is not acknowledged. */
	get unkept(): readonly Entry<Change>[] {
		return this.#line.entries;
	}

	/** The server did not answer when it was asked last. */
	get isSilent() {
		return this.#silent;
	}

	/** What is kept, and all that was done on top of it. */
	get question(): Question {
		const gestures = this.#line.entries.flatMap(({ change }) =>
			change.kind === "gestures" ? change.gestures : [],
		);
		gestures.push(...(this.#resting?.gestures ?? []), ...this.#made);
		if (this.#running) gestures.push(this.#running.gesture);
		return { recipe: this.#state.recipe, gestures, variation: this.#variation };
	}

	// What is done here.

	/** A hand begins something: whatever was broken off is over. */
	begin() {
		this.#brokenOff = null;
	}

	/** Something is done, or goes on. `label` is what it is called should something else break it off. */
	act(gesture: Gesture, label: string = gesture.kind.replaceAll("-", " ")) {
		const about = aboutOf(gesture);
		if (about === this.#brokenOff) return;
		if (this.#running?.about !== about) this.#breakOff();
		const last = this.#resting?.gestures.at(-1);
		if (last && aboutOf(last) !== about) this.#keepResting();
		this.#running = { gesture, about, label };
		this.#changes += 1;
		this.#recipe = echoed(this.#recipe, gesture);
		this.#port.show({ recipe: this.#recipe }, false);
		this.ask();
	}

	/** The gesture is made: the next one comes on top of it. */
	finish() {
		if (this.#running) this.#made.push(this.#running.gesture);
		this.#running = null;
	}

	/** The gesture is given up. */
	cancel() {
		if (!this.#running) return;
		this.#running = null;
		this.#reckon();
		this.ask();
	}

	/** Another variation is to be shown. */
	vary(variation: number) {
		this.#breakOff();
		this.#keepResting();
		this.#variation = variation;
		this.#port.show({ variation }, false);
		this.ask();
	}

	/** Another variation is shown already: the next round of the loop. What was asked before is older. */
	enter(variation: number) {
		this.#variation = variation;
		if (!this.#asked) return;
		this.#asked = null;
		this.ask();
	}

	/** Keeps what is shown, as one step of this name. */
	commit(label: string) {
		this.#keepResting();
		if (!this.#running && this.#made.length === 0) this.#brokenOff = null;
		this.finish();
		const gestures = this.#made;
		this.#made = [];
		this.#keep(label, gestures);
	}

	/** Keeps what is shown once nothing has been added to it for a moment. */
	commitSoon(label: string) {
		if (this.#resting?.label !== label) this.#keepResting();
		this.finish();
		const gestures = [...(this.#resting?.gestures ?? []), ...this.#made];
		this.#made = [];
		const number = ++this.#numbers;
		this.#resting = { label, gestures, number };
		this.#port.wait("rest", number);
	}

	/** Keeps strokes that change Written, as one step of this name. */
	draw(label: string, drawings: Drawing[]) {
		this.flush();
		this.#push({ kind: "drawings", label, drawings });
	}

	/** Changes the part by another call, behind what was done before; answers the key of that. */
	call(call: Call, repeats = false): string {
		this.flush();
		return this.#push({ kind: "call", call, repeats });
	}

	/** Does once more what was not kept, on top of what is there now. */
	repeat(changes: Change[]) {
		this.flush();
		for (const change of changes) this.#push(change);
		this.#reckon();
		this.ask();
	}

	/** Sends what is pending; a drag goes on. */
	flush() {
		this.#keepResting();
		if (this.#made.length > 0 && !this.#running) this.commit("changes");
	}

	/** The page goes away, or what is shown is to be taken along: also what goes on is a step. */
	close() {
		this.flush();
		this.#breakOff();
	}

	/** What is heard or seen of the part is another thing. */
	ask() {
		this.#wanted = true;
		this.#pump();
	}

	/** Other windows may have changed it. */
	lookAgain() {
		if (this.#reading) return;
		this.#reading = true;
		this.#port.read();
	}

	// What comes back.

	/** The change that this attempt sent is kept, and this came of it. */
	kept(attempt: number, state: PartState | null) {
		const before = this.#line.revision;
		const entry = this.#line.kept(attempt, state?.revision ?? before);
		if (!entry) return;
		if (state) this.#take(state, entry.change.kind === "gestures" && state.revision === before + 1);
		this.#goOn();
	}

	/** Strokes are kept, and the part has another Written. */
	keptWritten(attempt: number, detail: PartDetail) {
		if (!this.#line.kept(attempt, detail.state.revision)) return;
		this.#takeWritten(detail);
		this.#goOn();
	}

	/** The change that this attempt sent is not kept. */
	notKept(attempt: number, problem: Problem) {
		const first = this.#line.sent(attempt);
		if (!first) return;
		const isCall = first.change.kind === "call";
		const repeats = first.change.kind !== "call" || first.change.repeats;
		if (notNow.includes(problem.status) && repeats) {
			this.#line.unanswered(attempt);
			this.#fallSilent(problem);
			return;
		}
		if (problem.current) {
			this.#port.say({ kind: "lost", entries: this.#line.refused(attempt) });
			this.#take(problem.current, false);
			this.#variation = this.#state.variation;
			this.#port.show({ variation: this.#variation }, false);
			this.#reckon();
			this.ask();
			this.#goOn();
			return;
		}
		this.#line.dropped(attempt);
		if (!isCall) {
			this.#port.say({ kind: "refused", problem });
			this.#reckon();
			if (problem.field)
				this.#port.show({ refused: { field: problem.field, detail: problem.detail } }, false);
			this.ask();
		}
		// What is shown is what is kept.
		this.lookAgain();
		if (notNow.includes(problem.status)) this.#line.next();
		else this.#goOn();
	}

	/** What there is, read anew. */
	read(detail: PartDetail) {
		this.#reading = false;
		this.#hear();
		const { state } = detail;
		const older = state.revision < this.#line.revision;
		const rewritten = writtenBy(this.#state) !== this.#written;
		if (older && rewritten) this.lookAgain();
		else if (!older && readBy(state) === readBy(this.#state) && writtenBy(state) !== this.#written)
			this.#takeWritten(detail);
		// What was made here says itself what has become of it.
		else if (!older && this.#line.entries.length === 0) this.#take(state, false);
		this.#goOn();
	}

	notRead(problem: Problem) {
		this.#reading = false;
		if (notNow.includes(problem.status)) this.#fallSilent(problem);
	}

	/** An answer to the question of this number. */
	performed(number: number, { source, recipe, picture }: Answer<Picture>) {
		if (this.#asked?.number !== number) return;
		const { changes } = this.#asked;
		this.#asked = null;
		this.#hear();
		if (source === this.#source) {
			// What has become of the passes meanwhile is newer than the answer.
			if (recipe && changes === this.#changes) this.#recipe = recipe;
			this.#port.show({ picture, recipe: this.#recipe, refused: null }, false);
			// The next question is asked once this picture is drawn, and is answered while the browser brings it
			// to the screen. Asked sooner, its answer would be older when it can be drawn.
			this.#drawing = true;
			this.#port.draw();
		} else {
			// It has another Written meanwhile. What is asked for is asked on that.
			this.lookAgain();
		}
		this.#goOn();
	}

	notPerformed(number: number, problem: Problem) {
		if (this.#asked?.number !== number) return;
		this.#asked = null;
		if (notNow.includes(problem.status)) {
			this.#wanted = true;
			this.#fallSilent(problem);
			return;
		}
		this.#hear();
		if (problem.field) this.#port.show({ refused: { field: problem.field, detail: problem.detail } }, false);
		else this.#port.say({ kind: "refused", problem });
		this.#goOn();
	}

	drawn() {
		this.#drawing = false;
		this.#pump();
	}

	/** Nothing was added for a moment. */
	rested(number: number) {
		if (this.#resting?.number === number) this.#keepResting();
	}

	/** The server may be there again. */
	again(number: number) {
		if (this.#patience !== number) return;
		this.#patience = null;
		this.#line.next();
		// A call whose answer was lost may have been done all the same.
		this.lookAgain();
	}

	#push(change: Change): string {
		const key = `${this.#name}-${++this.#numbers}`;
		this.#line.push({ key, change });
		return key;
	}

	#keep(label: string, gestures: Gesture[]) {
		const variation = this.#variation;
		if (gestures.length === 0 && variation === this.#keptVariation()) return;
		this.#push({ kind: "gestures", label, gestures, variation });
	}

	/** What goes on is a step of its own, and no longer goes on. */
	#breakOff() {
		if (!this.#running) return;
		const { about, label } = this.#running;
		this.commit(label);
		this.#brokenOff = about;
	}

	#keepResting() {
		const resting = this.#resting;
		this.#resting = null;
		if (resting) this.#keep(resting.label, resting.gestures);
	}

	/** The variation that is kept, once all that waits is. */
	#keptVariation() {
		const last = this.#line.entries.findLast(({ change }) => change.kind === "gestures")?.change;
		return last?.kind === "gestures" ? last.variation : this.#state.variation;
	}

	/** The passes as far as they can be told without the server. */
	#reckon() {
		const { recipe, gestures } = this.question;
		this.#changes += 1;
		this.#recipe = gestures.reduce(echoed, recipe);
		this.#port.show({ recipe: this.#recipe }, false);
	}

	/** Shows a newer state of the part; what is being done goes on from it. `own` came of what is shown. */
	#take(state: PartState, own: boolean) {
		const before = this.#state;
		if (state.revision < before.revision) return;
		this.#line.onto(state.revision);
		this.#state = state;
		if (readBy(state) !== readBy(before)) {
			// What waits was made on the other take.
			const behind = state.take === before.take ? [] : this.#line.takeOut();
			if (behind.length > 0) this.#port.say({ kind: "lost", entries: behind });
			this.#port.show({ state }, true);
			this.#port.reopen();
			return;
		}
		if (own && state.source === before.source) {
			const plain = this.question.gestures.length === 0;
			if (plain) this.#recipe = state.recipe;
			this.#port.show(plain ? { state, recipe: state.recipe } : { state }, false);
			return;
		}
		if (state.revision === before.revision) return;
		// It is shown with its Written.
		if (writtenBy(state) !== this.#written) {
			this.lookAgain();
			return;
		}
		if (!this.#resting) this.#variation = this.#keptVariation();
		this.#port.show({ state, variation: this.#variation, refused: null }, true);
		this.#reckon();
		this.ask();
	}

	#takeWritten(detail: PartDetail) {
		this.#line.onto(detail.state.revision);
		this.#state = detail.state;
		this.#written = writtenBy(detail.state);
		this.#source = detail.state.source;
		this.#asked = null;
		if (!this.#resting) this.#variation = this.#keptVariation();
		this.#port.show({ detail, state: detail.state, variation: this.#variation, refused: null }, false);
		this.#reckon();
		this.ask();
	}

	#hear() {
		if (this.#silent) this.#port.say({ kind: "silence", problem: null });
		this.#silent = false;
	}

	#fallSilent(problem: Problem) {
		if (!this.#silent) this.#port.say({ kind: "silence", problem });
		this.#silent = true;
		if (this.#patience !== null) return;
		this.#patience = ++this.#numbers;
		this.#port.wait("patience", this.#patience);
	}

	/** An answer came, and is taken up. */
	#goOn() {
		this.#hear();
		this.#line.next();
		this.#pump();
	}

	#pump() {
		if (!this.#wanted || this.#asked || this.#drawing || this.#silent) return;
		this.#wanted = false;
		this.#asked = { number: ++this.#numbers, changes: this.#changes };
		this.#port.perform(this.#asked.number, this.question);
	}
}
