import { ActionIcon, Button, Group, Menu, Tooltip } from "@mantine/core";
import { IconCopy, IconScissors, IconTarget, IconTrash, IconX } from "@tabler/icons-react";
import type { Recipe } from "../api/generated/types";
import { plural } from "../words";
import { nextId } from "./edit";
import { cut, duplicated, idOf, moved, onInstrument, removed, setTo } from "./hand";
import type { NumberValues } from "./passes/NumberToken";
import { NumberToken } from "./passes/NumberToken";
import classes from "./Rows.module.css";
import { useWorkspace, useWorkspaceStore } from "./store";

const number = (min: number, max: number, unit: string): NumberValues => ({
	kind: "number",
	min,
	max,
	step: unit === "ms" ? 0.5 : 1,
	unit,
	neutral: null,
	sides: null,
	none: null,
});

/** What can be done to the hits that are selected. */
export function SelectionBar() {
	const store = useWorkspaceStore();
	const selected = useWorkspace((state) => state.selected);
	const velocities = useWorkspace((state) => state.performance?.velocities);
	const instruments = useWorkspace((state) => state.part.kit.instruments);
	if (selected.size === 0 || !velocities) return null;
	const rows = [...selected];
	const mean = Math.round(rows.reduce((sum, row) => sum + velocities[row], 0) / rows.length);
	const hits = plural(rows.length, "hit");
	const change = (label: string, recipe: Recipe, keep = true) => {
		store.getState().draft({ recipe });
		store.getState().commit(label);
		if (!keep) store.getState().select([]);
	};
	const state = () => store.getState();
	const aim = () => {
		const { recipe, offers } = state();
		const start = offers.find((offer) => offer.start.kind === "level")?.start;
		if (!start) return;
		const picked = rows.map((row) => idOf(state(), row));
		change(`aim at ${hits}`, {
			passes: [...recipe.passes, { id: nextId(recipe), on: true, aim: { picked }, action: start }],
		});
	};
	return (
		<Group
			className={classes.selection}
			gap={8}
			wrap="nowrap"
			role="toolbar"
			aria-label="Selected hits"
			data-selection
		>
			<strong>{hits}</strong>
			<span>
				{rows.length > 1 ? "mean velocity " : "velocity "}
				<NumberToken
					label="Velocity of the selected hits"
					value={mean}
					values={number(1, 127, "")}
					onChange={(value) => value !== null && state().draft({ recipe: setTo(state(), rows, value) })}
					onDone={(soon) => (soon ? state().commitSoon : state().commit)(`velocity of ${hits}`)}
				/>
			</span>
			<span>
				<NumberToken
					label="Move the selected hits"
					value={0}
					values={number(-200, 200, "ms")}
					onChange={(value) => value && state().draft({ recipe: moved(state(), rows, 0, value) })}
					onDone={(soon) => (soon ? state().commitSoon : state().commit)(`move ${hits}`)}
					format={() => "move in time"}
				/>
			</span>
			<Menu>
				<Menu.Target>
					<Button size="compact-xs" variant="default">
						to instrument
					</Button>
				</Menu.Target>
				<Menu.Dropdown mah={360} style={{ overflowY: "auto" }}>
					{instruments.map((instrument, index) => (
						<Menu.Item
							key={instrument.id}
							onClick={() =>
								change(`${hits} to ${instrument.name.toLowerCase()}`, onInstrument(state(), rows, index))
							}
						>
							{instrument.name}
						</Menu.Item>
					))}
				</Menu.Dropdown>
			</Menu>
			<Tool label="A pass for these hits" onClick={aim}>
				<IconTarget size={15} />
			</Tool>
			<Tool
				label="Duplicate, one beat later"
				onClick={() => change(`duplicate ${hits}`, duplicated(state(), rows, state().song.ppq))}
			>
				<IconCopy size={15} />
			</Tool>
			<Tool label="Cut each in two" onClick={() => change(`cut ${hits}`, cut(state(), rows))}>
				<IconScissors size={15} />
			</Tool>
			<Tool
				label="Take out (Delete)"
				onClick={() => change(`take out ${hits}`, removed(state(), rows), false)}
			>
				<IconTrash size={15} />
			</Tool>
			<Tool label="Select nothing (Escape)" onClick={() => state().select([])}>
				<IconX size={15} />
			</Tool>
		</Group>
	);
}

function Tool({
	label,
	onClick,
	children,
}: {
	label: string;
	onClick: () => void;
	children: React.ReactNode;
}) {
	return (
		<Tooltip label={label}>
			<ActionIcon variant="subtle" color="gray" size={24} aria-label={label} onClick={onClick}>
				{children}
			</ActionIcon>
		</Tooltip>
	);
}
