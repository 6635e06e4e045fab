import { Button, Group, Tooltip } from "@mantine/core";
import { IconDice5 } from "@tabler/icons-react";
import { useWorkspace, useWorkspaceStore } from "../store";
import { AddPass } from "./AddPass";
import { NumberToken } from "./NumberToken";
import { PassCard } from "./PassCard";
import classes from "./Passes.module.css";

/** The passes of the part, as sentences, in the order in which they are done. */
export function PassPanel() {
	const passes = useWorkspace((state) => state.recipe.passes);
	const on = passes.filter((pass) => pass.on).length;
	return (
		<aside className={classes.panel} aria-label="Passes">
			<div className={classes.head}>
				<h2>Passes</h2>
				<Variation on={on} />
			</div>
			<ol className={classes.list}>
				{passes.map((pass, index) => (
					<PassCard key={pass.id} pass={pass} number={index + 1} last={index === passes.length - 1} />
				))}
				{passes.length === 0 && (
					<li className={classes.empty}>
						Nothing is changed yet: Played is as it was Written. Drag a handle in the touch of an instrument,
						or add a pass below.
					</li>
				)}
			</ol>
			<div className={classes.foot}>
				<AddPass />
			</div>
		</aside>
	);
}

function Variation({ on }: { on: number }) {
	const store = useWorkspaceStore();
	const variation = useWorkspace((state) => state.variation);
	const change = (next: number) => store.getState().draft({ variation: next });
	return (
		<Group gap={6} wrap="nowrap" fz={12} c="dimmed">
			{on > 0 && <span>{on} on ·</span>}
			<span>variation</span>
			<NumberToken
				label="Variation"
				value={variation}
				values={{ kind: "number", min: 1, max: 9999, step: 1, unit: "", neutral: 1, sides: null, none: null }}
				onChange={(value) => value !== null && change(value)}
				onDone={(soon) => {
					const { commit, commitSoon } = store.getState();
					(soon ? commitSoon : commit)("variation");
				}}
			/>
			<Tooltip label="Next variation (V)">
				<Button
					size="compact-xs"
					variant="default"
					aria-label="Next variation"
					onClick={() => {
						change(variation + 1);
						store.getState().commit("next variation");
					}}
				>
					<IconDice5 size={14} />
				</Button>
			</Tooltip>
		</Group>
	);
}
