import { ActionIcon, Button, Group, SegmentedControl, Tooltip } from "@mantine/core";
import { IconEraser } from "@tabler/icons-react";
import { barAt } from "../../part/song";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useFindings } from "../findings/useFindings";
import { GridToken, gridInWords } from "../passes/GridToken";
import classes from "../rows/Rows.module.css";

/** While hits are drawn: on which lines, how hard, and what a drummer could not play of it. */
export function DrawBar() {
	const store = useWorkspaceStore();
	const pencil = useWorkspace((state) => state.pencil);
	if (!pencil) return null;
	const { takeUp } = store.getState();
	return (
		<Group
			className={classes.drawBar}
			gap={10}
			wrap="nowrap"
			role="toolbar"
			aria-label="Drawing"
			data-drawing
		>
			<span>
				draw{" "}
				<GridToken label="Draw on" value={pencil.grid} onChange={(grid) => takeUp({ grid })}>
					{gridInWords(pencil.grid)}
				</GridToken>
			</span>
			<Tooltip label="As hard as you draw high, or as hard as the drum typically is">
				<SegmentedControl
					size="xs"
					aria-label="How hard"
					data={[
						{ value: "height", label: "by height" },
						{ value: "typical", label: "typical" },
					]}
					value={pencil.hard}
					onChange={(hard) => takeUp({ hard: hard as "height" | "typical" })}
				/>
			</Tooltip>
			<Tooltip label="Rub out instead of drawing (X; or hold Shift)">
				<ActionIcon
					variant={pencil.rubbing ? "filled" : "subtle"}
					color="gray"
					size={24}
					aria-label="Rub out"
					aria-pressed={pencil.rubbing}
					onClick={() => takeUp({ rubbing: !pencil.rubbing })}
				>
					<IconEraser size={15} />
				</ActionIcon>
			</Tooltip>
			<BeyondReach />
			<Button size="compact-xs" onClick={() => takeUp(null)}>
				Done
			</Button>
		</Group>
	);
}

/** Where more hands or feet are needed than there are, nearest to what is shown. */
function BeyondReach() {
	const { shown } = useFindings();
	const where = useWorkspace((state) => {
		const found = shown.filter(({ rule }) => rule === "too-many-limbs" || rule === "limb-too-fast");
		const { song, window } = state;
		const [first, last] = [barAt(song, window[0]), barAt(song, window[1] - 1)];
		const inView = found.find(({ bars }) => bars.some(({ from, to }) => from <= last && to >= first));
		return inView?.said ?? "";
	});
	return where && <span className={classes.warning}>{where}</span>;
}
