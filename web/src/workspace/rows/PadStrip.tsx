import { useMemo } from "react";
import { useDevices } from "../../engine/devices/hub";
import { strikePad } from "../../engine/devices/pads";
import { useWorkspace } from "../../part/store";
import { useUsed } from "../../part/useUsed";
import { Pads } from "../kits/Pads";
import { type Hear, useEar } from "../kits/useEar";
import classes from "../Workspace.module.css";

/** The part's kit to be struck, below its rows. */
export function PadStrip() {
	const whole = useWorkspace((state) => state.part.kit);
	const listed = useWorkspace((state) => state.part.listed);
	const kit = useMemo(() => ({ ...whole, instruments: whole.instruments.slice(0, listed) }), [whole, listed]);
	const ear = useEar(useWorkspace((state) => state.part.sounds));
	const live = useWorkspace((state) => state.live);
	const touched = useDevices((state) => state.touched);
	/** It is heard as the passes make it, and recorded as it was struck. */
	const hear: Hear = (note, velocity) => {
		const table = touched ? live?.notes[note] : null;
		ear(note, table == null ? velocity : (live?.tables[table][velocity] ?? velocity));
		strikePad(note, velocity, performance.now());
	};
	const used = useUsed();
	return (
		<div className={classes.padStrip}>
			<Pads kit={kit} hear={hear} at={null} played={used} whenFocused />
		</div>
	);
}
