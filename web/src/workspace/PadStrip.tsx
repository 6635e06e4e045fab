import { Pads } from "./kits/Pads";
import { useEar } from "./kits/useEar";
import { useWorkspace } from "./store";
import { useUsed } from "./useUsed";
import classes from "./Workspace.module.css";

/** The part's kit to be struck, below its rows. */
export function PadStrip() {
	const kit = useWorkspace((state) => state.part.kit);
	const hear = useEar(useWorkspace((state) => state.part.sounds));
	const used = useUsed();
	return (
		<div className={classes.padStrip}>
			<Pads kit={kit} hear={hear} at={null} played={used} whenFocused />
		</div>
	);
}
