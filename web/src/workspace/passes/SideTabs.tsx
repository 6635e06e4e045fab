import { useWorkspace, useWorkspaceStore } from "../store";
import classes from "./Passes.module.css";

/** The two things that the right side shows: passes, and the pockets of the song. */
export function SideTabs() {
	const store = useWorkspaceStore();
	const side = useWorkspace((state) => state.side);
	const names = { passes: "Passes", pockets: "Pockets" };
	return (
		<div className={classes.tabs}>
			{(["passes", "pockets"] as const).map((name) => (
				<h2 key={name}>
					<button
						type="button"
						className={classes.tab}
						aria-pressed={side === name}
						onClick={() => store.getState().setView({ side: name })}
					>
						{names[name]}
					</button>
				</h2>
			))}
		</div>
	);
}
