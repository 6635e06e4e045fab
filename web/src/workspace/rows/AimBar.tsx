import { Button, Group } from "@mantine/core";
import { plural } from "../../lib/words";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import classes from "./Rows.module.css";

/** While an aim is chosen by pointing: what can be pointed at, and how many hits are meant. */
export function AimBar() {
	const store = useWorkspaceStore();
	const aiming = useWorkspace((state) => state.aiming);
	const place = useWorkspace((state) => state.recipe.passes.findIndex(({ id }) => id === state.aiming));
	const count = useWorkspace((state) =>
		state.lit?.pass === state.aiming ? state.lit?.hits.size : undefined,
	);
	if (aiming === null) return null;
	return (
		<Group className={classes.selection} gap={10} wrap="nowrap" role="status" data-aiming>
			<strong>Aiming pass {place + 1}</strong>
			<span>sweep bars on the ruler, a band in a touch, hits in the rows; press names</span>
			<strong>{plural(count ?? 0, "hit")} meant</strong>
			<Button size="compact-xs" onClick={() => store.getState().aimAt(null)}>
				Done
			</Button>
		</Group>
	);
}
