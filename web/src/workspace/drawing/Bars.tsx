import { Button, Divider, Group, Popover, SegmentedControl, Select, Stack, Text } from "@mantine/core";
import { type ReactNode, Suspense, useState } from "react";
import { client } from "../../api/client";
import type { BarsEdit } from "../../api/generated/types";
import { fetched } from "../../lib/fetched";
import { EditedNumber } from "../../lib/fields";
import { barCount } from "../../part/song";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useOffered } from "../../part/useUsed";
import classes from "../strip/SongStrip.module.css";

const OutlineForm = fetched(() => import("./OutlineForm").then((all) => all.OutlineForm));

/** What is done to whole bars: copied and cleared by hand; in a song that was begun here the bars themselves, too. */
export function BarsButton() {
	const [opened, setOpened] = useState(false);
	return (
		<Popover opened={opened} onChange={setOpened} position="top-start" width={440} trapFocus returnFocus>
			<Popover.Target>
				<button
					type="button"
					className={classes.link}
					title="Copy, clear, insert, repeat, move and delete bars"
					onClick={() => setOpened(!opened)}
					data-bars
				>
					Bars
				</button>
			</Popover.Target>
			<Popover.Dropdown mah={460} style={{ overflowY: "auto" }}>
				<BarsPanel done={() => setOpened(false)} />
			</Popover.Dropdown>
		</Popover>
	);
}

/** In a song that was begun here tempo and metre are set beside. */
function BarsPanel({ done }: { done: () => void }) {
	const outline = useWorkspace((state) => state.song.outline);
	const [shown, setShown] = useState("bars");
	if (outline === null) return <BarsForm done={done} />;
	return (
		<Stack gap={8}>
			<SegmentedControl
				size="xs"
				aria-label="What is changed"
				data={[
					{ value: "bars", label: "Bars" },
					{ value: "outline", label: "Tempo and metre" },
				]}
				value={shown}
				onChange={setShown}
			/>
			{shown === "bars" ? (
				<BarsForm done={done} />
			) : (
				<Suspense>
					<OutlineForm outline={outline} done={done} />
				</Suspense>
			)}
		</Stack>
	);
}

const all = "all drums";

function BarsForm({ done }: { done: () => void }) {
	const store = useWorkspaceStore();
	const loop = useWorkspace((state) => state.loop);
	const song = useWorkspace((state) => state.song);
	const instruments = useOffered();
	const open = useWorkspace((state) => state.open);
	const bars = barCount(song);
	const [from, setFrom] = useState(loop[0]);
	const [to, setTo] = useState(loop[1]);
	const [target, setTarget] = useState(Math.min(loop[1] + 1, bars));
	const [times, setTimes] = useState(1);
	const [count, setCount] = useState(1);
	const [repeats, setRepeats] = useState(1);
	const [before, setBefore] = useState(loop[0]);
	const [place, setPlace] = useState(Math.min(loop[1] + 2, bars + 1));
	const [whose, setWhose] = useState<string>(open ?? all);
	const range = { from, to: Math.max(from, to) };
	const where = range.from === range.to ? `bar ${from}` : `bars ${from}–${range.to}`;
	const own = whose === all ? [] : [whose];
	const fit = Math.floor((bars - target + 1) / (range.to - range.from + 1));
	const edit = async (edit: BarsEdit) => {
		done();
		await store.getState().changeBars((revision) => client.editBars(song.id, revision, edit));
	};
	return (
		<Stack gap={8}>
			<Group gap={6} wrap="nowrap">
				<Text size="sm">Bars</Text>
				<Bar label="First bar" value={from} max={bars} onChange={setFrom} />
				<Text size="sm">to</Text>
				<Bar label="Last bar" value={to} min={from} max={bars} onChange={setTo} />
				<Select
					size="xs"
					flex={1}
					aria-label="Which drums"
					allowDeselect={false}
					searchable
					comboboxProps={{ withinPortal: false }}
					data={[
						{ value: all, label: all },
						...instruments.map(({ id, name }) => ({ value: id, label: name })),
					]}
					value={whose}
					onChange={(value) => value && setWhose(value)}
				/>
			</Group>
			<Line
				button={`Copy ${where}`}
				disabled={fit < 1}
				onClick={() => {
					store
						.getState()
						.draw([{ kind: "copy-bars", bars: range, to: target, times, instruments: own }], `copy ${where}`);
					done();
				}}
			>
				over bar
				<Bar label="Laid over bar" value={target} max={bars} onChange={setTarget} />
				and on,
				<Bar label="How many times" value={times} max={Math.max(1, fit)} onChange={setTimes} />
				{times === 1 ? "time" : "times"}
			</Line>
			<Line
				button={`Clear ${where}`}
				onClick={() => {
					store.getState().draw([{ kind: "clear-bars", bars: range, instruments: own }], `clear ${where}`);
					done();
				}}
			>
				<Text size="xs" c="dimmed">
					The bars stay, empty.
				</Text>
			</Line>
			<Divider />
			{song.outline === null ? (
				<Text size="xs" c="dimmed">
					How many bars there are, their tempo and metre come from this song’s file.
				</Text>
			) : (
				<>
					<Text size="xs" c="dimmed">
						In all parts of the song, with everything that is aimed at bars:
					</Text>
					<Line button="Insert" onClick={() => void edit({ kind: "insert", before, count })}>
						<Bar label="How many bars" value={count} max={500} onChange={setCount} />
						empty before bar
						<Bar label="Before bar" value={before} max={bars + 1} onChange={setBefore} />
					</Line>
					<Line
						button={`Repeat ${where}`}
						onClick={() => void edit({ kind: "repeat", bars: range, times: repeats })}
					>
						right behind,
						<Bar label="How many times more" value={repeats} max={500} onChange={setRepeats} />
						{repeats === 1 ? "time" : "times"} more
					</Line>
					<Line
						button={`Move ${where}`}
						onClick={() => void edit({ kind: "move", bars: range, before: place })}
					>
						before bar
						<Bar label="To before bar" value={place} max={bars + 1} onChange={setPlace} />
					</Line>
					<Line
						button={`Delete ${where}`}
						disabled={range.to - range.from + 1 >= bars}
						onClick={() => void edit({ kind: "delete", bars: range })}
					>
						<Text size="xs" c="dimmed">
							What follows moves up.
						</Text>
					</Line>
				</>
			)}
		</Stack>
	);
}

interface BarProps {
	label: string;
	value: number;
	min?: number;
	max: number;
	onChange: (bar: number) => void;
}

function Bar({ label, value, min = 1, max, onChange }: BarProps) {
	return (
		<EditedNumber
			w={62}
			min={min}
			max={max}
			allowDecimal={false}
			live
			aria-label={label}
			value={value}
			onDone={(next) => next !== null && onChange(next)}
		/>
	);
}

interface LineProps {
	button: string;
	disabled?: boolean;
	onClick: () => void;
	children: ReactNode;
}

function Line({ button, disabled, onClick, children }: LineProps) {
	return (
		<Group gap={6} wrap="nowrap" fz={13} style={{ whiteSpace: "nowrap" }}>
			<Button size="compact-xs" variant="default" miw={112} disabled={disabled} onClick={onClick}>
				{button}
			</Button>
			{children}
		</Group>
	);
}
