/** Keeps what was made: one step after the other, each on what it was made on. */
import { client, outlivesThePage, ProblemError } from "../../api/client";
import type { Drawing, Gesture, PartDetail, PartState } from "../../api/generated/types";
import { hideNote, offerAgain, showError, showLasting } from "../../notify";
import type { Desk } from "./desk";
import type { GetState, SetState } from "./types";

interface Step {
	label: string;
	/** The revision that it was made on. */
	revision: number;
	gestures: Gesture[];
	variation: number;
	/** Strokes that change Written. */
	drawings?: Drawing[];
}

/** How long is waited before a server that did not answer is asked again, in ms. */
const patience = 2000;

const pause = (ms: number) => new Promise<void>((resolve) => window.setTimeout(resolve, ms));

/**
 * `take` shows a newer state of the part and is done when that is there, `show` the part with another Written. A step that was made on top of another one that is on its way is
 * made on what comes of that; where one comes too late, those behind it are not sent either.
 */
export function createKeeper(
	part: number,
	set: SetState,
	get: GetState,
	desk: Desk,
	take: (state: PartState) => Promise<void> | undefined,
	show: (detail: PartDetail) => void,
) {
	let queue: Step[] = [];
	let sending: Promise<void> | null = null;
	let timer = 0;
	let waiting: string | null = null;
	/** The server did not answer when it was asked last. */
	let unanswered = false;

	/** An answer that was lost on its way may have been that it was kept. */
	const answered = (error: unknown, step: Step, repeated: boolean): PartState => {
		const newest = error instanceof ProblemError ? error.problem.current : undefined;
		if (repeated && newest?.history.undo === step.label && newest.revision === step.revision + 1)
			return newest;
		throw error;
	};
	const written = async ({ drawings = [], ...step }: Step, repeated: boolean) => {
		const { revision, label } = step;
		try {
			return await client.write(part, { revision, label, drawings });
		} catch (error) {
			answered(error, step, repeated);
			return client.part(part);
		}
	};
	const sendOne = async (step: Step, repeated: boolean) => {
		const detail = step.drawings ? await written(step, repeated) : null;
		const state =
			detail?.state ??
			(await client.changePart(part, step).catch((error) => answered(error, step, repeated)));
		queue = queue.slice(1);
		const { revision } = step;
		for (const other of queue) if (other.revision === revision) other.revision = state.revision;
		desk.onto(revision, state.revision);
		if (detail) show(detail);
		else set({ part: { ...get().part, state }, revision: state.revision, history: state.history });
		desk.kept(step.gestures.length, state.recipe);
		// What is being done goes on, on the hits that there are now.
		if (detail && desk.shown().gestures.length > 0) desk.ask();
		hideNote("no-answer");
	};
	const refuse = async (error: unknown) => {
		const problem = error instanceof ProblemError ? error.problem : null;
		const lost = queue;
		queue = [];
		set({ sketch: null });
		if (problem?.current) {
			// Offered on top of what is shown, not of what is still on its way.
			await take(problem.current);
			const labels = lost.map(({ label }) => `“${label}”`).join(", ");
			offerAgain(`Changed elsewhere meanwhile: ${labels} was not kept`, () => again(lost));
			return;
		}
		showError(error);
		// What is shown is what is kept.
		await client
			.part(part)
			.then(({ state }) => take(state))
			.catch(() => undefined);
		if (problem?.field) set({ refused: { field: problem.field, detail: problem.detail } });
	};
	const send = async () => {
		while (queue.length > 0) {
			try {
				await sendOne(queue[0], unanswered);
				unanswered = false;
			} catch (error) {
				if (!(error instanceof ProblemError && error.problem.status === 0)) {
					unanswered = false;
					await refuse(error);
					continue;
				}
				// Nothing is lost: it waits here until the server is there again.
				showLasting(
					"no-answer",
					"Vivida does not answer",
					"What you did waits here and is kept as soon as Vivida answers again. Leave this page open.",
				);
				unanswered = true;
				await pause(patience);
			}
		}
	};
	const enqueue = (step: Step) => {
		const last = queue[queue.length - 1];
		queue.push({ ...step, revision: last?.revision ?? step.revision });
		sending ??= send().finally(() => {
			sending = null;
		});
	};
	const keep = (label: string) => {
		desk.finish();
		enqueue({ label, ...desk.step(), variation: get().variation });
	};
	const draw = (label: string, drawings: Drawing[]) => {
		keepWaiting();
		enqueue({ label, revision: get().revision, gestures: [], variation: get().variation, drawings });
	};
	const stopWaiting = () => {
		window.clearTimeout(timer);
		const label = waiting;
		waiting = null;
		return label;
	};
	const keepWaiting = () => {
		const label = stopWaiting();
		if (label !== null) keep(label);
	};
	/** What waits under another name is a step of its own, as it was then. */
	const makeWay = (label: string) => {
		if (waiting !== null && waiting !== label) keepWaiting();
		stopWaiting();
	};
	/** Does steps once more, on top of what is there now. */
	const again = (steps: Step[]) => {
		for (const { label, gestures, variation, drawings } of steps) {
			if (drawings) {
				draw(label, drawings);
				continue;
			}
			desk.repeat(gestures);
			set({ variation });
			keep(label);
		}
	};
	const settled = async () => {
		keepWaiting();
		while (sending) await sending;
	};
	return {
		commit: (label: string) => {
			makeWay(label);
			keep(label);
		},
		commitSoon: (label: string) => {
			makeWay(label);
			desk.finish();
			waiting = label;
			timer = window.setTimeout(keepWaiting, 600);
		},
		/** Keeps strokes that change Written, as one step of this name. */
		draw,
		settled,
		/** Changes the part by another call, behind what was done before. */
		change: async (call: (revision: number) => Promise<PartState>) => {
			await settled();
			try {
				take(await call(get().revision));
				return true;
			} catch (error) {
				const problem = error instanceof ProblemError ? error.problem : null;
				if (problem?.current) await take(problem.current);
				showError(error);
				return false;
			}
		},
		/** Sends what waits; answers whether it is on its way and gets there when the page goes away. */
		leave: () => {
			keepWaiting();
			return queue.length === 0 || (queue.length === 1 && !unanswered && outlivesThePage(queue[0]));
		},
	};
}

export type Keeper = ReturnType<typeof createKeeper>;
