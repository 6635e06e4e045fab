import { useEffect } from "react";
import { client } from "../../api/client";
import { useDevices } from "../../devices/hub";
import { useWorkspace, type Workspace } from "../store";

/** What strokes become by the passes: asked for whenever these change. */
export function useLive(store: Workspace) {
	const recipe = useWorkspace((state) => state.recipe);
	const kit = useWorkspace((state) => state.part.kit);
	const drums = useWorkspace((state) => state.part.state.drums);
	const touched = useDevices((state) => state.touched && state.ready);
	useEffect(() => {
		if (!touched || !drums || kit.instruments.length === 0) {
			store.getState().setLive(null);
			return;
		}
		const timer = window.setTimeout(() => {
			client
				.live(store.getState().part.state.id, { recipe })
				.then((live) => store.getState().setLive(live))
				.catch(() => undefined);
		}, 250);
		return () => window.clearTimeout(timer);
	}, [store, recipe, kit, drums, touched]);
}
