import { ActionIcon, Button, Group, Menu, Tooltip } from "@mantine/core";
import {
	IconChevronsRight,
	IconCopy,
	IconGridDots,
	IconScissors,
	IconTarget,
	IconTrash,
	IconX,
} from "@tabler/icons-react";
import { useState } from "react";
import type { Gesture } from "../../api/generated/types";
import { plural, signed } from "../../lib/words";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useStruckFirst } from "../../part/useUsed";
import type { NumberValues } from "../passes/NumberToken";
import { NumberToken } from "../passes/NumberToken";
import classes from "./Rows.module.css";

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
	return useWorkspace((state) => state.selected.size > 0) ? <Selected /> : null;
}

function Selected() {
	const store = useWorkspaceStore();
	const selected = useWorkspace((state) => state.selected);
	const performance = useWorkspace((state) => state.performance);
	const instruments = useStruckFirst();
	const [moving, setMoving] = useState(0);
	if (selected.size === 0 || !performance) return null;
	const ids = [...selected];
	const played = performance.velocities.filter((_, hit) => selected.has(performance.ids[hit]));
	const mean = Math.round(played.reduce((sum, velocity) => sum + velocity, 0) / Math.max(1, played.length));
	const hits = plural(ids.length, "hit");
	const state = () => store.getState();
	const change = (label: string, gesture: Gesture) => {
		state().act(gesture);
		state().commit(label);
	};
	const draw = (label: string, kind: "thin" | "faster") => {
		const grid = state().pencil?.grid ?? state().part.grid;
		state().draw([kind === "thin" ? { kind, hits: ids } : { kind, hits: ids, times: 2, grid }], label);
	};
	const aim = () => {
		const start = state().words.actions.find((offer) => offer.start.kind === "level")?.start;
		if (!start) return;
		const pass = { id: 1, on: true, aim: { picked: ids }, action: start };
		change(`aim at ${hits}`, { kind: "add-passes", passes: [pass], instead: false });
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
				{ids.length > 1 ? "mean velocity " : "velocity "}
				<NumberToken
					label="Velocity of the selected hits"
					value={mean}
					values={number(1, 127, "")}
					onChange={(velocity) => velocity !== null && state().act({ kind: "set-hits", hits: ids, velocity })}
					onDone={(soon) => (soon ? state().commitSoon : state().commit)(`velocity of ${hits}`)}
				/>
			</span>
			<span>
				<NumberToken
					label="Move the selected hits"
					value={moving}
					values={number(-200, 200, "ms")}
					onChange={(time) => {
						if (time === null) return;
						setMoving(time);
						state().act({ kind: "move-hits", hits: ids, velocity: 0, time, ticks: 0, at: 0 });
					}}
					onDone={(soon) => {
						(soon ? state().commitSoon : state().commit)(`move ${hits}`);
						setMoving(0);
					}}
					format={(time) => (time === 0 ? "move in time" : `${signed(time, 1, true)} ms`)}
				/>
			</span>
			<Menu>
				<Menu.Target>
					<Button size="compact-xs" variant="default">
						to instrument
					</Button>
				</Menu.Target>
				<Menu.Dropdown mah={360} style={{ overflowY: "auto" }}>
					{instruments.map((instrument) => (
						<Menu.Item
							key={instrument.id}
							onClick={() =>
								change(`${hits} to ${instrument.name.toLowerCase()}`, {
									kind: "put-on",
									hits: ids,
									instrument: instrument.id,
								})
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
				onClick={() => change(`duplicate ${hits}`, { kind: "copy-hits", hits: ids, quarters: 1 })}
			>
				<IconCopy size={15} />
			</Tool>
			<Tool label="Cut each in two" onClick={() => change(`cut ${hits}`, { kind: "cut-hits", hits: ids })}>
				<IconScissors size={15} />
			</Tool>
			{ids.length > 1 && (
				<>
					<Tool label="Take every second one out" onClick={() => draw(`every second of ${hits} out`, "thin")}>
						<IconGridDots size={15} />
					</Tool>
					<Tool
						label="Play the figure twice as fast, and twice"
						onClick={() => draw(`${hits} twice as fast`, "faster")}
					>
						<IconChevronsRight size={15} />
					</Tool>
				</>
			)}
			<Tool
				label="Take out (Delete)"
				onClick={() => {
					change(`take out ${hits}`, { kind: "take-out", hits: ids });
					state().select([]);
				}}
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
