/** What there is to say of actions in this part. */
import { useMemo } from "react";
import type { Action, ActionInfo, LaneOffer } from "../../api/generated/types";
import { useWorkspace, type WorkspaceState } from "../../part/store";
import { resolved } from "./resolved";

const known = new WeakMap<object, LaneOffer[]>();

/** The part's own lanes: those that were written, and those that passes draw. */
export function ownLanes({ part, performance }: Pick<WorkspaceState, "part" | "performance">): LaneOffer[] {
	const lanes = performance?.lanes ?? part.written.lanes;
	const before = known.get(lanes);
	if (before) return before;
	const own = lanes.map(({ kind, name, range }) => ({ kind, name, range }));
	known.set(lanes, own);
	return own;
}

/** An action's words and settings; nothing for an action that this page does not know. */
export function useInfo(action: Action): ActionInfo | null {
	const words = useWorkspace((state) => state.words);
	const own = useWorkspace(ownLanes);
	return useMemo(() => {
		const info = words.actions.find(({ start }) => start.kind === action.kind)?.info;
		return info ? resolved(info, action, words, own) : null;
	}, [words, own, action]);
}
