import { ActionIcon, Button, Group, SegmentedControl, Tooltip } from "@mantine/core";
import {
	IconArrowBackUp,
	IconArrowForwardUp,
	IconKeyboard,
	IconPlayerPlayFilled,
	IconPlayerStopFilled,
	IconRepeat,
	IconScale,
	IconUsers,
} from "@tabler/icons-react";
import type { ReactNode } from "react";
import { Link } from "wouter";
import { SchemeToggle } from "../SchemeToggle";
import { plain } from "../words";
import { ExportMenu } from "./ExportMenu";
import { Crumbs } from "./PartMenu";
import { NumberToken } from "./passes/NumberToken";
import { louder } from "./played";
import { beforeOf, type Reading, useWorkspace, useWorkspaceStore } from "./store";
import { TakesMenu } from "./TakesMenu";
import type { Transport } from "./usePlayer";
import classes from "./Workspace.module.css";

/** Where one is, what sounds, and the ways back and out. */
export function TopBar({ transport, onHelp }: { transport: Transport; onHelp: () => void }) {
	return (
		<header className={classes.top}>
			<Link href="/" className={classes.brand} title="Back to the shelf">
				vivida
			</Link>
			<Crumbs />
			<PlayControls transport={transport} />
			<Readings />
			<Histories />
			<TakesMenu />
			<ExportMenu />
			<SchemeToggle />
			<Tooltip label="Keys (?)">
				<ActionIcon variant="default" size={30} aria-label="Show the keys" onClick={onHelp}>
					<IconKeyboard size={16} />
				</ActionIcon>
			</Tooltip>
		</header>
	);
}

interface ToggleProps {
	label: string;
	on: boolean;
	onToggle: () => void;
	children: ReactNode;
}

function Toggle({ label, on, onToggle, children }: ToggleProps) {
	return (
		<Tooltip label={label}>
			<Button
				size="compact-sm"
				h={30}
				px={8}
				variant={on ? "filled" : "default"}
				aria-pressed={on}
				aria-label={label}
				onClick={onToggle}
			>
				{children}
			</Button>
		</Tooltip>
	);
}

function PlayControls({ transport }: { transport: Transport }) {
	const store = useWorkspaceStore();
	const [from, to] = useWorkspace((state) => state.loop);
	const looping = useWorkspace((state) => state.looping);
	const click = useWorkspace((state) => state.click);
	const others = useWorkspace((state) => state.others);
	const tempo = useWorkspace((state) => state.tempo);
	const { song, setView } = store.getState();
	const bpm = Math.round(song.bpm * tempo * 10) / 10;
	return (
		<Group gap={6} wrap="nowrap">
			<Tooltip label={transport.playing ? "Stop (Space)" : "Play (Space)"}>
				<ActionIcon
					size={34}
					variant="filled"
					onClick={transport.toggle}
					aria-label={transport.playing ? "Stop" : "Play"}
				>
					{transport.playing ? <IconPlayerStopFilled size={17} /> : <IconPlayerPlayFilled size={17} />}
				</ActionIcon>
			</Tooltip>
			<Toggle label="Loop (L)" on={looping} onToggle={() => setView({ looping: !looping })}>
				<IconRepeat size={15} style={{ marginRight: 5 }} />
				{from === to ? `bar ${from}` : `bars ${from}–${to}`}
			</Toggle>
			<NumberToken
				label="Tempo for listening"
				value={bpm}
				values={{
					kind: "number",
					min: 20,
					max: 400,
					step: 1,
					unit: "bpm",
					neutral: song.bpm,
					sides: null,
					none: null,
				}}
				onChange={(value) =>
					value !== null && setView({ tempo: Math.abs(value - song.bpm) < 0.05 ? 1 : value / song.bpm })
				}
				onDone={() => undefined}
				format={(value) => `${plain(value)} bpm`}
			/>
			<Toggle label="Click (C)" on={click} onToggle={() => setView({ click: !click })}>
				Click
			</Toggle>
			{song.parts.length > 1 && (
				<Toggle label="Hear the other parts, too" on={others} onToggle={() => setView({ others: !others })}>
					<IconUsers size={15} />
				</Toggle>
			)}
		</Group>
	);
}

function Readings() {
	const store = useWorkspaceStore();
	const reading = useWorkspace((state) => state.reading);
	const equalLoudness = useWorkspace((state) => state.equalLoudness);
	const against = useWorkspace((state) => state.against?.name);
	const difference = useWorkspace((state) =>
		// To a tenth, so that it is drawn anew only when that changes.
		state.performance ? louder(beforeOf(state), state.performance.reading).toFixed(1) : "0.0",
	);
	const { setView } = store.getState();
	return (
		<Group gap={6} wrap="nowrap">
			<SegmentedControl
				size="xs"
				radius="lg"
				color={reading === "played" ? "madder.6" : "slateInk.6"}
				aria-label="What sounds (W flips)"
				data={[
					{
						value: "written",
						label: against ? <span className={classes.against}>{against}</span> : "Written",
					},
					{ value: "played", label: "Played" },
				]}
				value={reading}
				onChange={(value) => setView({ reading: value as Reading })}
			/>
			<Toggle
				label={`Equal loudness (Played is ${difference.replace("-", "")} dB ${difference.startsWith("-") ? "softer" : "louder"})`}
				on={equalLoudness}
				onToggle={() => setView({ equalLoudness: !equalLoudness })}
			>
				<IconScale size={15} />
			</Toggle>
		</Group>
	);
}

function Histories() {
	const { undo, redo } = useWorkspaceStore().getState();
	const history = useWorkspace((state) => state.history);
	return (
		<Group gap={4} wrap="nowrap">
			<Tooltip label={history.undo ? `Undo: ${history.undo}` : "Nothing to undo"}>
				<ActionIcon variant="default" size={30} aria-label="Undo" disabled={!history.undo} onClick={undo}>
					<IconArrowBackUp size={17} />
				</ActionIcon>
			</Tooltip>
			<Tooltip label={history.redo ? `Redo: ${history.redo}` : "Nothing to redo"}>
				<ActionIcon variant="default" size={30} aria-label="Redo" disabled={!history.redo} onClick={redo}>
					<IconArrowForwardUp size={17} />
				</ActionIcon>
			</Tooltip>
		</Group>
	);
}
