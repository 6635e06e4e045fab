import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useFindings } from "../findings/useFindings";
import classes from "./Passes.module.css";

/** What the right side shows: passes, the pockets of the song, what a listener would notice. */
export function SideTabs() {
	const store = useWorkspaceStore();
	const side = useWorkspace((state) => state.side);
	const names = { passes: "Passes", pockets: "Pockets", findings: "Findings" };
	const { shown } = useFindings();
	return (
		<div className={classes.tabs}>
			{(["passes", "pockets", "findings"] as const).map((name) => (
				<h2 key={name}>
					<button
						type="button"
						className={classes.tab}
						aria-pressed={side === name}
						onClick={() => store.getState().setView({ side: name })}
					>
						{names[name]}
						{name === "findings" && shown.length > 0 && <small>{shown.length}</small>}
					</button>
				</h2>
			))}
		</div>
	);
}
