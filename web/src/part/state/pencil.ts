/** Drawing hits in the rows: the pencil, and what is just being drawn. */
import type { Session } from "../session";
import type { GetState, PencilSlice, SetState } from "./types";

/** Strokes in a part that was begun here change its Written; in a part of a file they are gestures like all others. */
export function createPencil(set: SetState, get: GetState, session: Session): PencilSlice {
	return {
		sketch: null,
		setSketch: (sketch) => set({ sketch }),
		takeUp: (change) => {
			const { pencil, setView, aimAt, screen } = get();
			if (change === null) {
				set({ sketch: null });
				setView({ pencil: null });
				return;
			}
			if (screen !== null) return;
			const usual = { grid: get().part.grid, hard: "height" as const, rubbing: false };
			// Hits are drawn where they sound.
			setView({ pencil: { ...usual, ...pencil, ...change }, stacked: false, times: 1 });
			aimAt(null);
		},
		draw: (drawings, label) => {
			if (get().part.state.drawn) {
				session.part.draw(label, drawings);
				return;
			}
			for (const drawing of drawings) {
				session.act({ kind: "draw", drawing }, label);
				session.part.finish();
			}
			session.part.commit(label);
			set({ sketch: null });
		},
	};
}
