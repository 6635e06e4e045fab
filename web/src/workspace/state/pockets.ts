/** Changes pockets, one change after the other, and who follows them. */
import isEqual from "fast-deep-equal";
import { client, outlivesThePage, ProblemError } from "../../api/client";
import type { PartState, PocketSettings, SongPockets } from "../../api/generated/types";
import { offerAgain, showError } from "../../notify";
import type { Desk } from "./desk";
import type { Keeper } from "./keeper";
import type { GetState, PocketDrafts, SetState } from "./types";

const five = ["pull", "swing", "groove", "lean", "loosen"] as const;

/** Other settings, with what was changed from `before` to `after` done to them, too. */
function merged(now: PocketSettings, before: PocketSettings, after: PocketSettings): PocketSettings {
	const changed = five.filter((kind) => !isEqual(before[kind], after[kind]));
	return { ...now, ...Object.fromEntries(changed.map((kind) => [kind, after[kind]])) };
}

export function createPocketeer(
	part: number,
	set: SetState,
	get: GetState,
	desk: Desk,
	keeper: Keeper,
	take: (state: PartState) => void,
) {
	let queue: Promise<unknown> = Promise.resolve();
	/** What waits to be kept, of each pocket by itself. */
	const waiting = new Map<number, { label: string; timer: number }>();
	/** The revision that each draft was begun on. */
	const begun = new Map<number, { revision: number; settings: PocketSettings }>();

	const find = (id: number) => get().pockets.find((one) => one.id === id);
	const takeAll = ({ pockets, parts, history }: SongPockets, kept: PocketDrafts) => {
		// What was drafted meanwhile is newer than the answer.
		const drafts = Object.entries(get().pocketDrafts).filter(
			([id, settings]) => kept[Number(id)] !== settings,
		);
		set({ pockets, pocketDrafts: Object.fromEntries(drafts) });
		const state = parts.find((one) => one.id === part);
		if (state && state.revision !== get().revision) take(state);
		else desk.ask();
		get().changedElsewhere(history);
	};
	const changePockets = (call: () => Promise<SongPockets>, again?: () => void) => {
		const { pocketDrafts } = get();
		const done = queue
			.then(() => keeper.settled())
			.then(call)
			.then((answer) => {
				takeAll(answer, pocketDrafts);
				return true;
			})
			.catch((error) => {
				const newer = error instanceof ProblemError ? error.problem.pockets : undefined;
				if (newer) takeAll(newer, get().pocketDrafts);
				if (newer && again) offerAgain("The pocket was changed elsewhere meanwhile", again);
				else showError(error);
				return false;
			});
		queue = done;
		return done;
	};
	/** Changes on their way that would not get there when the page goes away. */
	let long = 0;
	const keep = (id: number, label: string) => {
		const settings = get().pocketDrafts[id];
		const from = begun.get(id);
		begun.delete(id);
		if (!settings || !from) return;
		const again = () => {
			const now = find(id);
			if (!now) return;
			draftPocket(id, merged(now.settings, from.settings, settings));
			keep(id, label);
		};
		const weight = outlivesThePage(settings) ? 0 : 1;
		long += weight;
		const sent = changePockets(() => {
			const pocket = find(id);
			if (!pocket) throw new Error("The pocket was deleted meanwhile.");
			const { name } = pocket;
			// One's own steps before it are what it was made on.
			const revision = Math.max(from.revision, own.get(id) ?? 0);
			return client
				.changePocket(id, { revision, label: `${name}: ${label}`, name, settings })
				.then((answer) => {
					const kept = answer.pockets.find((one) => one.id === id);
					if (kept) own.set(id, kept.revision);
					return answer;
				});
		}, again);
		void sent.then(() => {
			long -= weight;
		});
	};
	/** The revisions that steps of this page made. */
	const own = new Map<number, number>();
	const keepWaiting = (id: number) => {
		const one = waiting.get(id);
		if (!one) return;
		window.clearTimeout(one.timer);
		waiting.delete(id);
		keep(id, one.label);
	};
	const draftPocket = (id: number, settings: PocketSettings) => {
		const pocket = find(id);
		if (pocket && !begun.has(id))
			begun.set(id, { revision: pocket.revision, settings: get().pocketDrafts[id] ?? pocket.settings });
		set({ pocketDrafts: { ...get().pocketDrafts, [id]: settings } });
		desk.ask();
	};
	return {
		draftPocket,
		commitPocket: (id: number, label: string, soon = false) => {
			const one = waiting.get(id);
			if (one && one.label !== label) keepWaiting(id);
			else if (one) window.clearTimeout(one.timer);
			waiting.delete(id);
			if (!soon) {
				keep(id, label);
				return;
			}
			waiting.set(id, { label, timer: window.setTimeout(() => keepWaiting(id), 600) });
		},
		changePockets: (call: () => Promise<SongPockets>) => changePockets(call),
		/** Sends what waits; answers whether it gets there when the page goes away. */
		flushPockets: () => {
			for (const id of [...waiting.keys()]) keepWaiting(id);
			return long === 0;
		},
		/** Nothing of a pocket is being changed here. */
		isIdle: () => Object.keys(get().pocketDrafts).length === 0,
	};
}
