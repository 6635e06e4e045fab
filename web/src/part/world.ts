/** A server, a network and windows for tests of the client: everything happens when the test says so. */
import type { Gesture, PartDetail, PartState, Problem, Recipe } from "../api/generated/types";
import { type Change, type Note, PartClient, type Port, type Question, type Shown } from "./client";
import type { Entry } from "./line";

/** What a picture is of. */
export interface Picture {
	recipe: Recipe;
	variation: number;
	question: number;
}

interface Kept {
	label: string;
	gestures: Gesture[];
	recipe: Recipe;
	variation: number;
	source: string;
	name: string;
}

/** Does what the real one does, as far as it matters here: settings are set, passes are doubled. */
export function done(recipe: Recipe, gesture: Gesture): Recipe {
	if (gesture.kind === "set") {
		const { pass: id, setting, value } = gesture;
		return {
			passes: recipe.passes.map((pass) =>
				pass.id === id
					? { ...pass, action: { ...pass.action, [setting]: value } as typeof pass.action }
					: pass,
			),
		};
	}
	if (gesture.kind === "change-pass") {
		const { kind: _, pass: id, ...change } = gesture;
		return { passes: recipe.passes.map((pass) => (pass.id === id ? { ...pass, ...change } : pass)) };
	}
	if (gesture.kind === "duplicate-pass") {
		const next = Math.max(...recipe.passes.map(({ id }) => id)) + 1;
		const found = recipe.passes.find(({ id }) => id === gesture.pass);
		return found ? { passes: [...recipe.passes, { ...found, id: next }] } : recipe;
	}
	return recipe;
}

const pass = (id: number) => ({ id, on: true, aim: {}, action: { kind: "level", a: 0, b: 0 } });
const begun = { passes: [1, 2, 3].map(pass) } as unknown as Recipe;

/** Keeps one part. */
export class Server {
	revision = 1;
	recipe = begun;
	variation = 1;
	written = 1;
	name = "";
	/** Every step that was ever kept. */
	readonly log: { key: string; label: string; gestures: Gesture[] }[] = [];
	readonly #keys = new Set<string>();
	readonly #undo: Kept[] = [];

	get source() {
		return `written ${this.written}`;
	}

	get state(): PartState {
		const { revision, recipe, variation, source, name } = this;
		const history = { undo: this.#undo.at(-1)?.label ?? null, redo: null };
		const fixed = { drums: true, take: 1, kit: null, layers: null, lines: {} };
		return { ...fixed, id: 1, revision, recipe, variation, source, name, history } as unknown as PartState;
	}

	get detail(): PartDetail {
		const picture: Picture = { recipe: this.recipe, variation: this.variation, question: 0 };
		return { state: this.state, performance: picture } as unknown as PartDetail;
	}

	/** Keeps a change under its name, once. */
	keep(key: string, revision: number, change: Exclude<Change, { kind: "call" }>): Problem | null {
		if (this.#keys.has(key)) return null;
		const late = this.#late(revision);
		if (late) return late;
		this.#keys.add(key);
		const gestures = change.kind === "gestures" ? change.gestures : [];
		this.log.push({ key, label: change.label, gestures });
		this.#remember(change.label, gestures);
		if (change.kind === "drawings") this.written += 1;
		else {
			this.recipe = gestures.reduce(done, this.recipe);
			this.variation = change.variation;
		}
		return null;
	}

	rename(revision: number, name: string): Problem | null {
		const late = this.#late(revision);
		if (late) return late;
		this.#remember("rename", []);
		this.name = name;
		return null;
	}

	/** Answers the gestures that were taken back. */
	undo(): Gesture[] | null {
		const before = this.#undo.pop();
		if (!before) return null;
		this.recipe = before.recipe;
		this.variation = before.variation;
		this.name = before.name;
		this.written = Number(before.source.split(" ")[1]);
		this.revision += 1;
		return before.gestures;
	}

	#remember(label: string, gestures: Gesture[]) {
		const { recipe, variation, source, name } = this;
		this.#undo.push({ label, gestures, recipe, variation, source, name });
		this.revision += 1;
	}

	#late(revision: number): Problem | null {
		if (revision === this.revision) return null;
		return { status: 409, title: "Changed elsewhere", detail: "", current: this.state } as Problem;
	}
}

/** Something on its way. */
export interface Message {
	what: string;
	/** It comes to the server, and its answer is on its way back. */
	arrive: () => void;
	/** The page gives it up. */
	lose: () => void;
}

export const silence = { status: 0, title: "Vivida does not answer", detail: "" } as Problem;

/** A page that shows the part. */
export class Window implements Port<Picture> {
	readonly client: PartClient<Picture>;
	readonly shown: Partial<Shown<Picture>> = {};
	readonly notes: Note[] = [];
	readonly lost: Change[] = [];
	waits: { what: "rest" | "patience"; number: number }[] = [];
	#toDraw = 0;
	/** Of the call that is being made. */
	#attempt = 0;
	reopened = 0;

	constructor(
		name: string,
		readonly server: Server,
		readonly network: Message[],
	) {
		this.client = new PartClient(server.state, name, this);
		this.show({ state: server.state, recipe: server.recipe, variation: server.variation });
	}

	keep(entry: Entry<Change>, revision: number, attempt: number) {
		const { key, change } = entry;
		if (change.kind === "call") {
			this.#attempt = attempt;
			void change.call(revision, key);
			return;
		}
		this.#send(
			`keep ${key}`,
			() => this.server.keep(key, revision, change),
			(problem) => {
				if (problem) return () => this.client.notKept(attempt, problem);
				const { detail } = this.server;
				if (change.kind === "drawings") return () => this.client.keptWritten(attempt, detail);
				return () => this.client.kept(attempt, detail.state);
			},
			() => this.client.notKept(attempt, silence),
		);
	}

	/** A change by another call. */
	rename(name: string) {
		this.client.call(async (revision, key) => {
			const attempt = this.#attempt;
			this.#send(
				`rename ${key}`,
				() => this.server.rename(revision, name),
				(problem) => {
					const { state } = this.server;
					return () => (problem ? this.client.notKept(attempt, problem) : this.client.kept(attempt, state));
				},
				() => this.client.notKept(attempt, silence),
			);
			return null;
		});
	}

	undo() {
		this.client.call(async () => {
			const attempt = this.#attempt;
			this.#send(
				"undo",
				() => this.server.undo(),
				() => {
					const { state } = this.server;
					return () => this.client.kept(attempt, state);
				},
				() => this.client.notKept(attempt, silence),
			);
			return null;
		});
	}

	perform(number: number, { recipe, gestures, variation }: Question) {
		this.#send(
			`perform ${number}`,
			() => null,
			() => {
				const { source } = this.server;
				const played = gestures.reduce(done, recipe);
				const answer = { source, recipe: gestures.length > 0 ? played : null };
				const picture = { recipe: played, variation, question: number };
				return () => this.client.performed(number, { ...answer, picture });
			},
			() => this.client.notPerformed(number, silence),
		);
	}

	draw() {
		this.#toDraw += 1;
	}

	read() {
		this.#send(
			"read",
			() => null,
			() => {
				const { detail } = this.server;
				return () => this.client.read(detail);
			},
			() => this.client.notRead(silence),
		);
	}

	wait(what: "rest" | "patience", number: number) {
		this.waits.push({ what, number });
	}

	show(change: Partial<Shown<Picture>>) {
		const { detail } = change;
		const picture = detail ? { picture: detail.performance as unknown as Picture } : {};
		Object.assign(this.shown, picture, change);
	}

	reopen() {
		this.reopened += 1;
	}

	say(note: Note) {
		this.notes.push(note);
		if (note.kind === "lost") this.lost.push(...note.entries.map(({ change }) => change));
	}

	/** A frame is on the screen. */
	frame() {
		if (this.#toDraw === 0) return;
		this.#toDraw -= 1;
		this.client.drawn();
	}

	/** The waits of a kind end. */
	endWaits(what: "rest" | "patience") {
		const over = this.waits.filter((one) => one.what === what);
		this.waits = this.waits.filter((one) => one.what !== what);
		for (const { number } of over)
			if (what === "rest") this.client.rested(number);
			else this.client.again(number);
	}

	#send<T>(what: string, arrive: () => T, back: (made: T) => () => void, lose: () => void) {
		this.network.push({
			what,
			arrive: () => {
				const come = back(arrive());
				this.network.push({ what: `answer to ${what}`, arrive: come, lose });
			},
			lose,
		});
	}
}
