import { ActionIcon, Button, Menu, Tooltip } from "@mantine/core";
import {
	IconArrowBackUp,
	IconArrowForwardUp,
	IconChevronDown,
	IconPlayerPlayFilled,
	IconPlayerRecordFilled,
	IconPlayerStopFilled,
} from "@tabler/icons-react";
import { type ReactNode, Suspense } from "react";
import { Link } from "wouter";
import { HelpButton } from "../../help/HelpButton";
import { fetched } from "../../lib/fetched";
import { probe } from "../../lib/probe";
import { SchemeToggle } from "../../lib/SchemeToggle";
import { plain } from "../../lib/words";
import { louder } from "../../part/played";
import { magnifications } from "../../part/shown";
import { beforeOf, useWorkspace, useWorkspaceStore } from "../../part/store";
import { NumberToken } from "../passes/NumberToken";
import { useTransport } from "../transport/context";
import classes from "../Workspace.module.css";
import { ExportMenu } from "./ExportMenu";
import { HistoryMenu } from "./HistoryMenu";
import { Crumbs } from "./PartMenu";
import { TakesMenu } from "./TakesMenu";

const LoopMenu = fetched(() => import("./LoopMenu").then((all) => all.LoopMenu));

/** Of a recorded loop alone. */
function OfLoop() {
	const isLoop = useWorkspace((state) => state.part.audio !== null);
	return isLoop ? (
		<Suspense>
			<LoopMenu />
		</Suspense>
	) : null;
}

/** Where one is, what sounds, how it is seen, and the ways back and out. */
export function TopBar({ onHelp }: { onHelp: () => void }) {
	probe.rendered("top bar");
	return (
		<header className={classes.top}>
			<Link href="/" className={classes.brand} title="Back to the shelf">
				vivida
			</Link>
			<Crumbs />
			<OfLoop />
			<PlayControls />
			<Readings />
			<Views />
			<Histories />
			<TakesMenu />
			<ExportMenu />
			<span className={classes.spacious}>
				<SchemeToggle />
			</span>
			<HelpButton onHelp={onHelp} />
		</header>
	);
}

interface ToggleProps {
	tip: string;
	name?: string;
	on: boolean;
	onToggle: () => void;
	children: ReactNode;
}

/** A word that is on or off. */
function Toggle({ tip, name, on, onToggle, children }: ToggleProps) {
	return (
		<Tooltip label={tip}>
			<button
				type="button"
				className={classes.toggle}
				aria-pressed={on}
				data-toggle={name}
				onClick={onToggle}
			>
				{children}
			</button>
		</Tooltip>
	);
}

function PlayControls() {
	const transport = useTransport();
	const store = useWorkspaceStore();
	const [from, to] = useWorkspace((state) => state.loop);
	const looping = useWorkspace((state) => state.looping);
	const click = useWorkspace((state) => state.click);
	const others = useWorkspace((state) => state.others);
	const tempo = useWorkspace((state) => state.tempo);
	const { song, setView } = store.getState();
	const bpm = Math.round(song.bpm * tempo * 10) / 10;
	return (
		// biome-ignore lint/a11y/useSemanticElements: these are no fields of a form.
		<div className={classes.group} role="group" aria-label="Playing">
			<Tooltip label={transport.playing ? "Stop (Space)" : "Play (Space)"}>
				<button
					type="button"
					className={classes.play}
					onClick={() => transport.toggle()}
					aria-label={transport.playing ? "Stop" : "Play"}
				>
					{transport.playing ? <IconPlayerStopFilled size={16} /> : <IconPlayerPlayFilled size={16} />}
				</button>
			</Tooltip>
			<RecordButton />
			<Toggle
				tip="Loop these bars (L)"
				name="loop"
				on={looping}
				onToggle={() => setView({ looping: !looping })}
			>
				{from === to ? `bar ${from}` : `bars ${from}–${to}`}
			</Toggle>
			<span className={classes.bpm} title="Tempo for listening; the file keeps its own">
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
			</span>
			<Toggle tip="Click on every beat (C)" on={click} onToggle={() => setView({ click: !click })}>
				click
			</Toggle>
			{song.parts.length > 1 && (
				<Toggle
					tip="Hear the other parts of the song, too (O)"
					on={others}
					onToggle={() => setView({ others: !others })}
				>
					others
				</Toggle>
			)}
		</div>
	);
}

/** Opens the bar for it; there, and by its key, it begins and ends. */
function RecordButton() {
	const transport = useTransport();
	const store = useWorkspaceStore();
	const shown = useWorkspace((state) => state.recordBar);
	const taking = useWorkspace((state) => state.taking);
	const on = taking === "on" || taking === "armed";
	return (
		<Tooltip
			label={on ? "Stop recording (Shift R)" : "Record what is played on pads (Shift R begins at once)"}
		>
			<button
				type="button"
				className={classes.record}
				aria-label={on ? "Stop recording" : "Record"}
				aria-pressed={shown || on}
				data-on={on || undefined}
				onClick={() => {
					if (on) transport.record();
					else store.getState().setView({ recordBar: !shown });
				}}
			>
				<IconPlayerRecordFilled size={15} />
			</button>
		</Tooltip>
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
	const louderBy = `${difference.replace("-", "")} dB ${difference.startsWith("-") ? "softer" : "louder"}`;
	return (
		// biome-ignore lint/a11y/useSemanticElements: these are no fields of a form.
		<div className={classes.group} role="group" aria-label="What sounds">
			<div className={classes.readings} role="radiogroup" aria-label="Written or Played">
				{(["written", "played"] as const).map((one) => (
					<Tooltip key={one} label="Flip between the two (W)">
						<label className={classes.reading} data-reading={one} data-on={reading === one}>
							<input
								type="radio"
								name="reading"
								className="visually-hidden"
								checked={reading === one}
								onChange={() => setView({ reading: one })}
							/>
							<span>{one === "written" ? (against ?? "Written") : "Played"}</span>
						</label>
					</Tooltip>
				))}
			</div>
			<Toggle
				tip={`Compare at equal loudness: Played is ${louderBy} (E)`}
				on={equalLoudness}
				onToggle={() => setView({ equalLoudness: !equalLoudness })}
			>
				<span>
					equal<span className={classes.roomy}> loudness</span>
				</span>
			</Toggle>
		</div>
	);
}

/** How the hits are seen: how large their timing, all bars over one or not. */
function Views() {
	const store = useWorkspaceStore();
	const times = useWorkspace((state) => state.times);
	const stacked = useWorkspace((state) => state.stacked);
	const drawing = useWorkspace((state) => state.pencil !== null);
	const { setView, takeUp } = store.getState();
	return (
		// biome-ignore lint/a11y/useSemanticElements: these are no fields of a form.
		<div className={classes.group} role="group" aria-label="How hits are seen">
			<Menu position="bottom-start">
				<Menu.Target>
					<Tooltip label="See timing larger than it is (T)">
						<button type="button" className={classes.toggle} data-on={times > 1} data-times>
							<span className={classes.roomy}>timing </span>× {times} <IconChevronDown size={11} />
						</button>
					</Tooltip>
				</Menu.Target>
				<Menu.Dropdown>
					{magnifications.map((one) => (
						<Menu.Item key={one} fw={one === times ? 700 : undefined} onClick={() => setView({ times: one })}>
							{one === 1 ? "× 1: hits stand where they sound" : `× ${one}`}
						</Menu.Item>
					))}
					<Menu.Divider />
					<Menu.Label maw={240}>
						Hits stand this many times as far from their grid lines as they sound. Dragging them sideways is
						as much finer.
					</Menu.Label>
				</Menu.Dropdown>
			</Menu>
			<Toggle
				tip={stacked ? "Show the song from left to right (S)" : "Lay all bars over one (S)"}
				on={stacked}
				onToggle={() => setView({ stacked: !stacked, pencil: null })}
			>
				stacked
			</Toggle>
			<Toggle
				tip="Draw hits in the rows (B)"
				name="draw"
				on={drawing}
				onToggle={() => takeUp(drawing ? null : {})}
			>
				draw
			</Toggle>
		</div>
	);
}

function Histories() {
	const { undo, redo } = useWorkspaceStore().getState();
	const history = useWorkspace((state) => state.history);
	return (
		<Button.Group>
			<Tooltip label={history.undo ? `Undo: ${history.undo} (Ctrl Z)` : "Nothing to undo"}>
				<ActionIcon variant="default" size={30} aria-label="Undo" disabled={!history.undo} onClick={undo}>
					<IconArrowBackUp size={17} />
				</ActionIcon>
			</Tooltip>
			<Tooltip label={history.redo ? `Redo: ${history.redo} (Ctrl Shift Z)` : "Nothing to redo"}>
				<ActionIcon variant="default" size={30} aria-label="Redo" disabled={!history.redo} onClick={redo}>
					<IconArrowForwardUp size={17} />
				</ActionIcon>
			</Tooltip>
			<HistoryMenu />
		</Button.Group>
	);
}
