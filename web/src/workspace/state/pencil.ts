/** Drawing hits in the rows: the pencil, what is just being drawn, and how it is kept. */
import { client, ProblemError } from "../../api/client";
import type { Drawing, PartDetail, PartState } from "../../api/generated/types";
import { hideNote, showError, showLasting } from "../../notify";
import type { Desk } from "./desk";
import type { Keeper } from "./keeper";
import type { GetState, PencilSlice, SetState } from "./types";

/** How long is waited before a server that did not answer is asked again, in ms. */
const patience = 2000;

const pause = (ms: number) => new Promise<void>((resolve) => window.setTimeout(resolve, ms));

/**
 * Strokes in a part that was begun here change its Written, one after the other, each on what came of the one before; in
 * a part of a file they are gestures like all others. `show` shows the part as it came, `take` a newer state.
 */
export function createPencil(
	part: number,
	set: SetState,
	get: GetState,
	desk: Desk,
	keeper: Keeper,
	show: (detail: PartDetail) => void,
	take: (state: PartState) => void,
) {
	let waiting = 0;
	let last: Promise<void> = Promise.resolve();

	const write = async (drawings: Drawing[], label: string) => {
		await keeper.settled();
		const { revision } = get();
		let unanswered = false;
		for (;;) {
			try {
				show(await client.write(part, { revision, label, drawings }));
				hideNote("no-answer");
				return;
			} catch (error) {
				const problem = error instanceof ProblemError ? error.problem : null;
				if (problem?.status === 0) {
					showLasting(
						"no-answer",
						"Vivida does not answer",
						"What you drew waits here and is kept as soon as Vivida answers again. Leave this page open.",
					);
					unanswered = true;
					await pause(patience);
					continue;
				}
				hideNote("no-answer");
				const newest = problem?.current;
				// An answer that was lost on its way may have been that it was kept.
				const was = unanswered && newest?.history.undo === label && newest.revision === revision + 1;
				if (newest) take(newest);
				if (!was) showError(error);
				return;
			}
		}
	};
	const slice: PencilSlice = {
		sketch: null,
		setSketch: (sketch) => set({ sketch }),
		takeUp: (change) => {
			const { pencil, setView } = get();
			if (change === null) {
				set({ sketch: null });
				setView({ pencil: null });
				return;
			}
			const usual = { grid: get().part.grid, hard: "height" as const, rubbing: false };
			// Hits are drawn where they sound.
			setView({ pencil: { ...usual, ...pencil, ...change }, stacked: false, times: 1 });
			get().aimAt(null);
		},
		draw: (drawings, label) => {
			if (get().part.state.written === null) {
				for (const drawing of drawings) {
					desk.act({ kind: "draw", drawing });
					desk.finish();
				}
				keeper.commit(label);
				set({ sketch: null });
				return;
			}
			waiting += 1;
			last = last
				.then(() => write(drawings, label))
				.finally(() => {
					waiting -= 1;
					if (waiting === 0) set({ sketch: null });
				});
		},
	};
	return { slice, settled: () => last, isIdle: () => waiting <= 1 };
}
