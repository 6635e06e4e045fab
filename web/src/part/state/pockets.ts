/** Changes pockets, one change after the other, and who follows them. */
import isEqual from "fast-deep-equal";
import { client, outlivesThePage } from "../../api/client";
import type { PocketSettings, SongPockets } from "../../api/generated/types";
import { offerAgain, showError } from "../../lib/notify";
import { ProblemError } from "../../lib/problem";
import type { Session } from "../session";
import type { GetState, PocketDrafts, SetState } from "./types";

const five = ["pull", "swing", "groove", "lean", "loosen"] as const;

/** Other settings, with what was changed from `before` to `after` done to them, too. */
function merged(now: PocketSettings, before: PocketSettings, after: PocketSettings): PocketSettings {
	const changed = five.filter((kind) => !isEqual(before[kind], after[kind]));
	return { ...now, ...Object.fromEntries(changed.map((kind) => [kind, after[kind]])) };
}

export function createPocketeer(set: SetState, get: GetState, session: Session) {
	/** What waits to be kept, of each pocket by itself. */
	const waiting = new Map<number, { label: string; timer: number }>();
	/** What each draft was begun on. */
	const begun = new Map<number, { revision: number; settings: PocketSettings }>();
	/** The revisions that steps of this page made. */
	const own = new Map<number, number>();
	/** Changes on their way that would not get there when the page goes away. */
	let long = 0;

	const find = (id: number) => get().pockets.find((one) => one.id === id);
	/** Shows the pockets as they are, and answers the open part. */
	const take = ({ pockets, parts, history }: SongPockets, kept: PocketDrafts) => {
		// What was drafted meanwhile is newer than the answer.
		const drafts = Object.entries(get().pocketDrafts).filter(
			([id, settings]) => kept[Number(id)] !== settings,
		);
		set({ pockets, pocketDrafts: Object.fromEntries(drafts) });
		get().changedElsewhere(history);
		return parts.find((one) => one.id === get().part.state.id) ?? null;
	};
	/** `again` offers to do it once more on top of what others made of the pocket. */
	const changePockets = async (make: (key: string) => Promise<SongPockets>, again?: () => void) => {
		const { pocketDrafts } = get();
		const call = async (_: number, key: string) => take(await make(key), pocketDrafts);
		const problem = await session.call(call, again !== undefined);
		if (problem?.pockets) take(problem.pockets, get().pocketDrafts);
		if (problem?.pockets && again) offerAgain("The pocket was changed elsewhere meanwhile", again);
		else if (problem) showError(new ProblemError(problem));
		session.ask();
		return problem === null;
	};
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
		const make = async (key: string) => {
			const pocket = find(id);
			if (!pocket) throw new Error("The pocket was deleted meanwhile.");
			const { name } = pocket;
			// One's own steps before it are what it was made on.
			const revision = Math.max(from.revision, own.get(id) ?? 0);
			const change = { key, revision, label: `${name}: ${label}`, name, settings };
			const answer = await client.changePocket(id, change);
			const kept = answer.pockets.find((one) => one.id === id);
			if (kept) own.set(id, kept.revision);
			return answer;
		};
		void changePockets(make, again).then(() => {
			long -= weight;
		});
	};
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
		session.ask();
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
	};
}
