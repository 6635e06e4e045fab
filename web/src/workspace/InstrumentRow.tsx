import { Tooltip } from "@mantine/core";
import type { Limb } from "../api/generated/types";
import { plural } from "../words";
import { HitsCanvas, hitsOf } from "./HitsCanvas";
import classes from "./Rows.module.css";
import { useWorkspace, useWorkspaceStore } from "./store";
import { TimePortrait } from "./TimePortrait";
import { TouchPortrait } from "./TouchPortrait";
import { isSilent } from "./usePlayer";

const limbs: Record<Limb, string> = {
	"right-hand": "R hand",
	"left-hand": "L hand",
	"either-hand": "hands",
	"right-foot": "R foot",
	"left-foot": "L foot",
	none: "",
};

/** One instrument's whole story: who, how hard, when, how early or late. */
export function InstrumentRow({ index, height }: { index: number; height: number }) {
	const store = useWorkspaceStore();
	const instrument = useWorkspace((state) => state.part.kit.instruments[index]);
	const count = useWorkspace((state) => hitsOf(state, index).length);
	const muted = useWorkspace((state) => state.muted.includes(instrument.id));
	const soloed = useWorkspace((state) => state.soloed.includes(instrument.id));
	const silent = useWorkspace((state) => isSilent(state, instrument.id));
	const opened = useWorkspace((state) => state.open === instrument.id);
	const toggled = (list: string[]) =>
		list.includes(instrument.id) ? list.filter((id) => id !== instrument.id) : [...list, instrument.id];
	const view = () => store.getState();
	const limb = limbs[instrument.limb];
	return (
		<article
			className={classes.row}
			style={{ height }}
			aria-label={instrument.name}
			data-instrument={instrument.id}
			data-open={opened}
			data-silent={silent}
		>
			<div className={classes.label}>
				<Tooltip label={opened ? "Close the row" : `Open the row of ${instrument.name}`}>
					<button
						type="button"
						className={classes.name}
						aria-expanded={opened}
						onClick={() =>
							view().aiming === null
								? view().setView({ open: opened ? null : instrument.id })
								: view().setAim((aim) => {
										const chosen = toggled(aim.instruments ?? []);
										return { ...aim, instruments: chosen.length > 0 ? chosen : undefined };
									})
						}
					>
						{instrument.name}
					</button>
				</Tooltip>
				<div className={classes.facts}>
					{limb && `${limb} · `}
					{plural(count, "hit")}
				</div>
				<div className={classes.toggles}>
					<button
						type="button"
						className={classes.toggle}
						aria-pressed={muted}
						aria-label={`Mute ${instrument.name}`}
						onClick={() => view().setView({ muted: toggled(view().muted) })}
					>
						mute
					</button>
					<button
						type="button"
						className={classes.toggle}
						aria-pressed={soloed}
						aria-label={`Solo ${instrument.name}`}
						onClick={() => view().setView({ soloed: toggled(view().soloed) })}
					>
						solo
					</button>
				</div>
			</div>
			<TouchPortrait index={index} height={height} />
			<HitsCanvas index={index} height={height} />
			<TimePortrait index={index} height={height} />
		</article>
	);
}
