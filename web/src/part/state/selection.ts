/** Hits and passes that are pointed at. */
import { client } from "../../api/client";
import type { Session } from "../session";
import type { GetState, SelectionSlice, SetState } from "./types";

/** What the step is called in which a pass is aimed. */
const pointing = "aim by pointing";

export function createSelection(
	part: number,
	set: SetState,
	get: GetState,
	session: Session,
): SelectionSlice {
	let lightings = 0;
	const light = async (pass: number | null, aimed: boolean) => {
		// While an aim is swept, answers may come late: only the newest counts.
		const own = ++lightings;
		if (pass === null) {
			set({ lit: null });
			return;
		}
		const { variation, pocketDrafts: pockets } = get();
		if (get().lit?.pass !== pass) set({ lit: { pass, hits: new Set() } });
		try {
			const asked = { ...session.part.question, variation, round: 0, touched_by: pass, aimed, pockets };
			const hits = await client.touched(part, asked);
			if (own === lightings && get().lit?.pass === pass) set({ lit: { pass, hits: new Set(hits) } });
		} catch {
			// The performance of the same recipe says what is wrong with it.
		}
	};
	return {
		lit: null,
		selected: new Set(),
		selectedRows: new Set(),
		selectRow: (instrument) => {
			const rows = new Set(instrument === null ? [] : get().selectedRows);
			if (instrument !== null && !rows.delete(instrument)) rows.add(instrument);
			set({ selectedRows: rows });
		},
		focus: null,
		unfolded: null,
		aiming: null,
		light: (pass, aimed = false) => void light(pass, aimed),
		lightHits: (hits) => {
			lightings += 1;
			set({ lit: hits.length === 0 ? null : { pass: 0, hits: new Set(hits) } });
		},
		selectedAim: null,
		aimSelected: (selectedAim) => set({ selectedAim }),
		select: (hits) => set({ selected: new Set(hits), selectedAim: null }),
		focusOn: (pass) => {
			if (get().focus !== pass) set({ focus: pass });
		},
		unfold: (pass) => set({ unfolded: pass }),
		aimAt: (pass) => {
			if (pass === null && get().aiming !== null) session.part.commit(pointing);
			set(pass === null ? { aiming: null } : { aiming: pass, focus: pass, unfolded: pass });
			void light(pass, true);
		},
		setAim: (change) => {
			const { aiming, recipe, act } = get();
			const found = recipe.passes.find(({ id }) => id === aiming);
			if (aiming === null || !found) return;
			act({ kind: "change-pass", pass: aiming, aim: change(found.aim) }, pointing);
			void light(aiming, true);
		},
	};
}
