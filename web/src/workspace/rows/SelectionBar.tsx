import { ActionIcon, Button, Group, Menu, Tooltip } from "@mantine/core";
import {
	IconChevronDown,
	IconChevronsRight,
	IconCopy,
	IconGridDots,
	IconScissors,
	IconTrash,
	IconX,
} from "@tabler/icons-react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client } from "../../api/client";
import type { Aim, AimRule, Gesture } from "../../api/generated/types";
import { PickOne } from "../../lib/PickOne";
import { plural, signed } from "../../lib/words";
import { invertSelection, moreLikeThese, strokesOfSelected } from "../../part/hits";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useOffered, useStruckFirst } from "../../part/useUsed";
import { AimInWords } from "../passes/AimInWords";
import type { NumberValues } from "../passes/NumberToken";
import { NumberToken } from "../passes/NumberToken";
import { isEveryBar } from "../passes/words";
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
	const [moving, setMoving] = useState(0);
	if (selected.size === 0 || !performance) return null;
	const ids = [...selected];
	const played = performance.velocities.filter((_, hit) => selected.has(performance.ids[hit]));
	const mean = Math.round(played.reduce((sum, velocity) => sum + velocity, 0) / Math.max(1, played.length));
	const [least, most] = [Math.min(...played), Math.max(...played)];
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
	return (
		<div className={classes.selection} role="toolbar" aria-label="Selected hits" data-selection>
			<Group gap={8} wrap="nowrap">
				<strong>{hits}</strong>
				{ids.length > 1 && (
					<span title="The softest, the mean and the hardest velocity" data-spread>
						{least} · {mean} · {most}
					</span>
				)}
				<span>
					{ids.length > 1 ? "all to " : "velocity "}
					<NumberToken
						label="Velocity of the selected hits"
						value={mean}
						values={number(1, 127, "")}
						onChange={(velocity) =>
							velocity !== null && state().act({ kind: "set-hits", hits: ids, velocity })
						}
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
				<ToInstrument ids={ids} change={change} />
				<ToStroke ids={ids} change={change} />
				<More />
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
						<Tool
							label="Take every second one out"
							onClick={() => draw(`every second of ${hits} out`, "thin")}
						>
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
			<PassForThese ids={ids} />
		</div>
	);
}

function ToInstrument({ ids, change }: { ids: number[]; change: (label: string, gesture: Gesture) => void }) {
	const instruments = useStruckFirst();
	const put = (instrument: string) => {
		const name = instruments.find(({ id }) => id === instrument)?.name.toLowerCase();
		change(`${plural(ids.length, "hit")} to ${name}`, { kind: "put-on", hits: ids, instrument });
	};
	return (
		<PickOne
			what="a drum"
			options={instruments.map(({ id, name }) => ({ value: id, label: name }))}
			onPick={put}
			target={(toggle) => (
				<Button size="compact-xs" variant="default" onClick={toggle}>
					to instrument
				</Button>
			)}
		/>
	);
}

/** By another stroke: those that the drums of these hits have. */
function ToStroke({ ids, change }: { ids: number[]; change: (label: string, gesture: Gesture) => void }) {
	const strokes = useWorkspace((state) => strokesOfSelected(state).join("\n"));
	if (!strokes.includes("\n")) return null;
	return (
		<Menu>
			<Menu.Target>
				<Button size="compact-xs" variant="default">
					to stroke
				</Button>
			</Menu.Target>
			<Menu.Dropdown mah={320} style={{ overflowY: "auto" }}>
				{strokes.split("\n").map((stroke) => (
					<Menu.Item
						key={stroke}
						onClick={() =>
							change(`${plural(ids.length, "hit")} by ${stroke}`, { kind: "strike-by", hits: ids, stroke })
						}
					>
						{stroke}
					</Menu.Item>
				))}
			</Menu.Dropdown>
		</Menu>
	);
}

/** More hits than these, or others. */
function More() {
	const store = useWorkspaceStore();
	return (
		<Menu>
			<Menu.Target>
				<Button size="compact-xs" variant="default">
					select more
				</Button>
			</Menu.Target>
			<Menu.Dropdown>
				<Menu.Item onClick={() => moreLikeThese(store.getState(), "slots")}>
					Those at the same places of every bar
				</Menu.Item>
				<Menu.Item onClick={() => moreLikeThese(store.getState(), "loudness")}>
					Those that are as loud, in the loop
				</Menu.Item>
				<Menu.Item onClick={() => invertSelection(store.getState())}>
					The others in the loop instead
				</Menu.Item>
			</Menu.Dropdown>
		</Menu>
	);
}

/** Actions that are offered at once; all others behind “more”. */
const offered: [kind: string, word: string][] = [
	["level", "level"],
	["contrast", "contrast"],
	["limits", "limits"],
	["vary", "vary"],
	["humanize", "humanize"],
	["set", "set"],
	["lean", "lean"],
	["pull", "pull"],
	["length", "length"],
	["swap", "stroke"],
	["silence", "silence"],
];

/** A pass for them: aimed by the rule that names them, where there is one, so that it holds elsewhere, too. */
function PassForThese({ ids }: { ids: number[] }) {
	const store = useWorkspaceStore();
	const part = useWorkspace((state) => state.part.state.id);
	const revision = useWorkspace((state) => state.revision);
	const chosen = useWorkspace((state) => state.selectedAim);
	const rules = useQuery({
		queryKey: ["rules", part, revision, ids.join(" ")],
		queryFn: () => {
			const { audition: _, ...asked } = store.getState().asHeard();
			return client.rules(part, { ...asked, rules_for: ids });
		},
		staleTime: Number.POSITIVE_INFINITY,
		gcTime: 10_000,
	});
	const exact = rules.data?.find(({ adds, misses }) => adds === 0 && misses === 0);
	const just: Aim = { picked: ids };
	const aim = chosen ?? exact?.aim ?? just;
	const kit = useOffered(aim.instruments);
	const add = (kind: string, word: string) => {
		const { words, act, commit, select } = store.getState();
		const offer = words.actions.find(({ start }) => start.kind === kind);
		if (!offer) return;
		const pass = { id: 1, on: true, aim, action: offer.start };
		act({ kind: "add-passes", passes: [pass], instead: false });
		commit(`${word} for ${plural(ids.length, "hit")}`);
		select([]);
	};
	const more = () => {
		const { aimSelected, setView, showDialog } = store.getState();
		aimSelected(aim);
		setView({ side: "passes" });
		showDialog("add-pass");
	};
	return (
		<Group gap={8} wrap="nowrap" data-rule>
			<span>pass for</span>
			<Menu>
				<Menu.Target>
					<button type="button" className={classes.ruleWords} data-rule-aim>
						<AimInWords aim={aim} kit={kit} />
						<IconChevronDown size={12} />
					</button>
				</Menu.Target>
				<Menu.Dropdown maw={420}>
					{rules.data?.map((rule) => (
						<RuleItems key={JSON.stringify(rule.aim)} rule={rule} />
					))}
					<Menu.Item onClick={() => store.getState().aimSelected(just)}>
						{`Just ${ids.length === 1 ? "this hit" : `these ${ids.length} hits`}`}
					</Menu.Item>
				</Menu.Dropdown>
			</Menu>
			{offered.map(([kind, word]) => (
				<button
					key={kind}
					type="button"
					className={classes.ruleAction}
					data-pass-for={kind}
					title={`Add a pass: ${word}`}
					onClick={() => add(kind, word)}
				>
					{word}
				</button>
			))}
			<button type="button" className={classes.ruleAction} onClick={more}>
				more …
			</button>
		</Group>
	);
}

function RuleItems({ rule: { aim, adds } }: { rule: AimRule }) {
	const store = useWorkspaceStore();
	const kit = useOffered(aim.instruments);
	const { aimSelected } = store.getState();
	const { bars: _, sections: __, ...everywhere } = aim;
	return (
		<>
			<Menu.Item onClick={() => aimSelected(aim)}>
				<AimInWords aim={aim} kit={kit} />
				{adds > 0 ? ` (and ${plural(adds, "other hit")})` : " (exactly these)"}
			</Menu.Item>
			{!isEveryBar(aim) && (
				<Menu.Item onClick={() => aimSelected(everywhere)}>
					<AimInWords aim={everywhere} kit={kit} /> in all bars
				</Menu.Item>
			)}
		</>
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
