import { useEffect } from "react";
import { client } from "../../api/client";
import { useDevices } from "../../engine/devices/hub";
import { useWorkspace, type Workspace } from "../../part/store";

/** What strokes become by the passes: asked for whenever these change. */
export function useLive(store: Workspace) {
	const kit = useWorkspace((state) => state.part.kit);
	const drums = useWorkspace((state) => state.part.state.drums);
	const touched = useDevices((state) => state.touched && state.ready);
	useEffect(() => {
		if (!touched || !drums || kit.instruments.length === 0) {
			store.getState().setLive(null);
			return;
		}
		let timer = 0;
		const ask = () => {
			const { part, recipe } = store.getState();
			client
				.live(part.state.id, { recipe })
				.then((live) => store.getState().setLive(live))
				.catch(() => undefined);
		};
		const soon = () => {
			window.clearTimeout(timer);
			timer = window.setTimeout(ask, 250);
		};
		soon();
		// Nothing is drawn anew for it: it changes with every move of a drag.
		const unsubscribe = store.subscribe((state, before) => state.recipe !== before.recipe && soon());
		return () => {
			unsubscribe();
			window.clearTimeout(timer);
		};
	}, [store, kit, drums, touched]);
}
