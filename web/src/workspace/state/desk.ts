/** What is being made of the part: gestures on top of what is kept, played by the server as they change. */
import { client, ProblemError } from "../../api/client";
import type { Gesture, PerformRequest, Recipe } from "../../api/generated/types";
import { showError } from "../../notify";
import { probe } from "../../probe";
import { received } from "../played";
import type { GetState, SetState } from "./types";

/** Waits until what has changed is drawn. A page that is not seen draws nothing. */
const drawn = () =>
	new Promise<void>((resolve) => {
		requestAnimationFrame(() => resolve());
		window.setTimeout(resolve, 100);
	});

/** What can be said of a gesture before the answer comes; the rest comes with it. */
function echoed({ passes }: Recipe, gesture: Gesture): Recipe {
	switch (gesture.kind) {
		case "set": {
			const action = { [gesture.setting]: gesture.value };
			return {
				passes: passes.map((pass) =>
					pass.id === gesture.pass
						? { ...pass, action: { ...pass.action, ...action } as typeof pass.action }
						: pass,
				),
			};
		}
		case "change-pass": {
			const { kind: _, pass: id, ...change } = gesture;
			return { passes: passes.map((pass) => (pass.id === id ? { ...pass, ...change } : pass)) };
		}
		case "move-pass": {
			const moved = [...passes];
			const from = moved.findIndex(({ id }) => id === gesture.pass);
			if (from < 0) return { passes };
			const [pass] = moved.splice(from, 1);
			moved.splice(Math.max(0, Math.min(moved.length, from + gesture.by)), 0, pass);
			return { passes: moved };
		}
		case "delete-pass":
			return { passes: passes.filter(({ id }) => id !== gesture.pass) };
		default:
			return { passes };
	}
}

/**
 * The gestures that are not saved yet. One request is in flight; what is asked for meanwhile goes next, and
 * only the newest of it.
 */
export function createDesk(part: number, set: SetState, get: GetState) {
	/** What is kept, as far as it is known. */
	let base: Recipe = get().recipe;
	/** Done on top of it: kept soon, or on its way there. */
	let done: Gesture[] = [];
	/** Those that no step has yet. */
	let uncommitted: Gesture[] = [];
	/** What is being done: a drag says it again and again. */
	let running: Gesture | null = null;
	/** Of the part that the uncommitted ones are made on. */
	let revision: number | null = null;
	let busy = false;
	let wanted = false;
	let askedAt = 0;

	const pump = async () => {
		if (busy || !wanted) return;
		const { variation, round, soloPass, audition, trial, pocketDrafts: pockets, performance: before } = get();
		const asked = base;
		const { source } = get().part.state;
		const since = askedAt;
		const gestures = trial ? [] : running ? [...done, running] : done;
		wanted = false;
		busy = true;
		try {
			const heardAs: PerformRequest = {
				recipe: trial ?? asked,
				gestures,
				variation,
				round,
				alone: soloPass ?? undefined,
				audition: audition ?? undefined,
				pockets,
			};
			const known = { timing: before?.timingKey, touch: before?.touchKey, lanes: before?.lanesKey };
			const columns = await client.perform(part, { ...heardAs, ...known });
			// It is of another Written than the one that is shown: asked for again once that has changed.
			if (columns.source !== get().part.state.source) {
				if (get().part.state.source !== source) wanted = true;
				return;
			}
			const played = received(before, get().performance, columns, get().part);
			probe.answered(since);
			// What has become of the passes meanwhile is newer than the answer.
			const recipe = asked === base && !wanted && !trial ? { recipe: columns.recipe ?? base } : {};
			set({ performance: played, heardAs, ...recipe, ...(get().refused ? { refused: null } : {}) });
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
	const ask = () => {
		if (!wanted) askedAt = performance.now();
		wanted = true;
		void pump();
	};
	return {
		ask,
		/** The base and all that is done on top of it, for other questions about what is shown. */
		shown: () => ({ recipe: base, gestures: running ? [...done, running] : done }),
		act: (gesture: Gesture) => {
			revision ??= get().revision;
			running = gesture;
			const { lit, aiming, recipe } = get();
			const dark = lit && aiming === null ? { lit: null } : {};
			set({ recipe: echoed(recipe, gesture), ...dark });
			ask();
		},
		/** The gesture is made: the next one comes on top of it. */
		finish: () => {
			if (!running) return;
			done = [...done, running];
			uncommitted.push(running);
			running = null;
		},
		/** What was made since the last step, and on which revision; the step has it now. */
		step: () => {
			const made = { gestures: uncommitted, revision: revision ?? get().revision };
			uncommitted = [];
			revision = null;
			return made;
		},
		/** What is made on one revision is made on the one that came of it. */
		onto: (before: number, after: number) => {
			if (revision === before) revision = after;
		},
		/** So many of the gestures were kept, and this came of them. */
		kept: (count: number, recipe: Recipe) => {
			base = recipe;
			done = done.slice(count);
			if (done.length === 0 && !running) set({ recipe });
		},
		/** Something newer is kept; what is being done goes on from it. */
		restart: (recipe: Recipe) => {
			base = recipe;
			done = [];
			uncommitted = [];
			revision = null;
		},
		/** Puts gestures on top once more. */
		repeat: (gestures: Gesture[]) => {
			done = [...done, ...gestures];
			uncommitted.push(...gestures);
			revision = get().revision;
			ask();
		},
	};
}

export type Desk = ReturnType<typeof createDesk>;
