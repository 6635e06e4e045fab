import {
	Button,
	Checkbox,
	Group,
	Menu,
	Popover,
	RangeSlider,
	SegmentedControl,
	Stack,
	Text,
} from "@mantine/core";
import { type ReactNode, useRef, useState } from "react";
import type { Aim, Near, Positions, RunPlace, Turned } from "../../api/generated/types";
import { listed, ordinal, plain, plural } from "../../lib/words";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useOffered } from "../../part/useUsed";
import { GridToken, gridInWords } from "./GridToken";
import { NumberToken, type NumberValues } from "./NumberToken";
import classes from "./Passes.module.css";
import { SlotStrip, useSlots } from "./SlotStrip";
import { isEveryBar } from "./words";

export interface AimProps {
	aim: Aim;
	/** What of it is turned round. */
	turned: Turned | null;
	onChange: (aim: Aim) => void;
	/** Light up whom the pass aims at while it is chosen. */
	onChoosing: (choosing: boolean) => void;
	/** How many hits are meant. */
	meant: number;
	/** It means bars alone: a line around the hits. */
	bars?: boolean;
}

/** What an aim can be narrowed by, beyond instruments and bars. */
type Condition = Exclude<
	keyof Aim,
	"instruments" | "bars" | "sections" | "invert" | "picked" | "articulations"
>;

const names: Record<Condition, string> = {
	positions: "positions in the bar",
	velocity: "velocity",
	length: "length",
	speed: "speed",
	run: "place in a run",
	with: "together with",
	without: "not together with",
	share: "a share of them",
};

const starts: Required<Pick<Aim, Condition>> = {
	positions: { grid: "1/16", slots: [5, 13], bars: 1, tolerance: 50 },
	velocity: { from: 1, to: 90 },
	length: { from: 0, to: 100 },
	speed: { at_most: 130 },
	run: { place: "first", every: 2, gap: 150 },
	with: { instruments: ["kick"], within: 20 },
	without: { instruments: ["kick"], within: 20 },
	share: 50,
};

const number = (min: number, max: number, unit: string, step = 1): NumberValues => ({
	kind: "number",
	min,
	max,
	step,
	unit,
	neutral: null,
	sides: null,
	none: null,
});

interface TokenProps extends AimProps {
	condition: Condition;
	words: string;
	children: ReactNode;
	width?: number;
}

/** A condition in words; pressed, it opens its editor and lights up whom the pass means. */
function ConditionToken({
	aim,
	onChange,
	onChoosing,
	meant,
	condition,
	words,
	children,
	width = 300,
}: TokenProps) {
	const [opened, setOpened] = useState(false);
	const open = (now: boolean) => {
		setOpened(now);
		onChoosing(now);
	};
	// While it is open the words stay, so that the editor under the pointer does not move.
	const shown = useRef(words);
	if (!opened) shown.current = words;
	return (
		<Popover opened={opened} onChange={open} position="bottom-start" trapFocus returnFocus width={width}>
			<Popover.Target>
				<button
					type="button"
					className={classes.token}
					data-condition={condition}
					aria-label={`${names[condition]}: ${words}`}
					onClick={() => open(!opened)}
				>
					{shown.current}
				</button>
			</Popover.Target>
			<Popover.Dropdown>
				<Stack gap="xs">
					{children}
					<Group justify="space-between">
						<span className={classes.counted}>{plural(meant, "hit")} meant</span>
						<Button
							size="compact-xs"
							variant="subtle"
							color="gray"
							onClick={() => {
								open(false);
								onChange({ ...aim, [condition]: undefined });
							}}
						>
							Drop this condition
						</Button>
					</Group>
				</Stack>
			</Popover.Dropdown>
		</Popover>
	);
}

/** “all but”, where the words behind it are what is turned round. */
export function AllBut({
	aim,
	turned,
	onChange,
	before,
}: Pick<AimProps, "aim" | "turned" | "onChange"> & { before: Turned }) {
	if (turned !== before) return null;
	return (
		<>
			<button
				type="button"
				className={classes.token}
				title="Press to aim at these instead of the others"
				onClick={() => onChange({ ...aim, invert: undefined })}
			>
				{{ articulations: "struck otherwise", instruments: "All but" }[before as string] ?? "all but"}
			</button>
			{before === "articulations" ? "" : " "}
		</>
	);
}

/** All conditions that an aim has, in words. */
export function conditionsOf(props: AimProps): [string, ReactNode][] {
	const { aim, onChange, turned } = props;
	const all: [string, ReactNode][] = [];
	if (aim.positions) all.push(["positions", <PositionsToken key="" {...props} positions={aim.positions} />]);
	if (aim.velocity) all.push(["velocity", <VelocityToken key="" {...props} />]);
	if (aim.length) all.push(["length", <LengthToken key="" {...props} />]);
	if (aim.speed) all.push(["speed", <SpeedToken key="" {...props} />]);
	if (aim.run) all.push(["run", <RunToken key="" {...props} />]);
	if (aim.with) all.push(["with", <NearToken key="" {...props} condition="with" near={aim.with} />]);
	if (aim.without)
		all.push(["without", <NearToken key="" {...props} condition="without" near={aim.without} />]);
	if (aim.share !== undefined) all.push(["share", <ShareToken key="" {...props} />]);
	if (aim.picked) {
		all.push([
			"picked",
			<button
				key=""
				type="button"
				className={classes.token}
				title="Press to aim at all of them again"
				onClick={() => onChange({ ...aim, picked: undefined })}
			>
				{plural(aim.picked.length, "picked hit")}
			</button>,
		]);
	}
	if (turned === "conditions" && all.length > 0) {
		const [key, node] = all[0];
		all[0] = [
			key,
			<>
				<AllBut {...props} before="conditions" />
				{node}
			</>,
		];
	}
	if (turned === "articulations") all.push(["all-but", <AllBut key="" {...props} before="articulations" />]);
	return all;
}

/** The way to more conditions. */
export function Narrow({ aim, onChange }: Pick<AimProps, "aim" | "onChange">) {
	const free = (Object.keys(names) as Condition[]).filter((name) => aim[name] === undefined);
	const store = useWorkspaceStore();
	// Positions begin as those that were chosen last: the next pass is often for all but these.
	const { grid, slots, bars } = starts.positions;
	const found = useSlots(grid, bars);
	const start = (name: Condition) => {
		if (name !== "positions") return starts[name];
		const { passes } = store.getState().recipe;
		const chosen = passes.findLast((pass) => pass.aim.positions)?.aim.positions;
		// In a shorter bar there are fewer.
		const there = slots.filter((slot) => slot <= (found?.slots.length ?? slot));
		return chosen ?? { ...starts.positions, slots: there };
	};
	const narrowToLoop = () => {
		const [from, to] = store.getState().loop;
		onChange({ ...aim, bars: [{ from, to }] });
	};
	return (
		<Menu position="bottom-start">
			<Menu.Target>
				<button type="button" className={classes.more} aria-label="only … Narrow the aim">
					only …
				</button>
			</Menu.Target>
			<Menu.Dropdown>
				<Menu.Label>Only some of the hits, by</Menu.Label>
				{isEveryBar(aim) && <Menu.Item onClick={narrowToLoop}>bars or sections</Menu.Item>}
				{free.map((name) => (
					<Menu.Item key={name} onClick={() => onChange({ ...aim, [name]: start(name) })}>
						{names[name]}
					</Menu.Item>
				))}
				<Menu.Divider />
				<Menu.Item onClick={() => onChange({ ...aim, invert: aim.invert ? undefined : true })}>
					all but these
				</Menu.Item>
			</Menu.Dropdown>
		</Menu>
	);
}

function PositionsToken(props: AimProps & { positions: Positions }) {
	const { aim, onChange, positions } = props;
	const { grid, slots, bars, tolerance } = positions;
	const found = useSlots(grid, bars);
	const choice = found?.choices.find(({ slots: some }) => some.join() === slots.join());
	const named = slots.map((slot) => found?.slots[slot - 1]?.name ?? `slot ${slot}`);
	const words =
		choice?.name ?? (slots.length > 0 && slots.length < 4 ? listed(named) : plural(slots.length, "slot"));
	const change = (next: Partial<Positions>) => onChange({ ...aim, positions: { ...positions, ...next } });
	return (
		<>
			<ConditionToken {...props} condition="positions" words={words} width={bars > 1 ? 520 : 380}>
				<Text size="sm">
					in <GridToken label="Grid" value={grid} onChange={(next) => change({ grid: next, slots: [] })} />{" "}
					over{" "}
					<NumberToken
						label="Bars"
						value={bars}
						values={number(1, 4, bars === 1 ? "bar" : "bars")}
						onChange={(value) => value !== null && change({ bars: value })}
						onDone={() => undefined}
					/>
					, up to{" "}
					<NumberToken
						label="Tolerance"
						value={tolerance}
						values={number(0, 50, "%")}
						onChange={(value) => value !== null && change({ tolerance: value })}
						onDone={() => undefined}
					/>{" "}
					of a slot off
				</Text>
				<SlotStrip grid={grid} bars={bars} chosen={slots} onChange={(next) => change({ slots: next })} />
				<Group gap={5}>
					{found?.choices.map(({ name, slots: some }) => (
						<Button
							key={name}
							size="compact-xs"
							variant={some.join() === slots.join() ? "filled" : "default"}
							onClick={() => change({ slots: some })}
						>
							{name}
						</Button>
					))}
				</Group>
			</ConditionToken>
			{grid === "1/16" ? "" : ` in ${gridInWords(grid)}`}
		</>
	);
}

function VelocityToken(props: AimProps) {
	const { aim, onChange } = props;
	const { from, to } = aim.velocity ?? starts.velocity;
	return (
		<ConditionToken {...props} condition="velocity" words={`velocity ${from}–${to}`}>
			<Text size="sm">As loud as this when they reach this pass</Text>
			<RangeSlider
				min={1}
				max={127}
				minRange={0}
				value={[from, to]}
				onChange={([low, high]) => onChange({ ...aim, velocity: { from: low, to: high } })}
				thumbFromLabel="Softest"
				thumbToLabel="Loudest"
			/>
		</ConditionToken>
	);
}

function LengthToken(props: AimProps) {
	const { aim, onChange } = props;
	const length = aim.length ?? starts.length;
	const field = (name: "from" | "to", label: string) => (
		<NumberToken
			label={label}
			value={length[name]}
			values={number(0, 10_000, "ms", 5)}
			onChange={(value) => {
				if (value === null) return;
				const next = { ...length, [name]: value };
				onChange({
					...aim,
					length: { from: Math.min(next.from, next.to), to: Math.max(next.from, next.to) },
				});
			}}
			onDone={() => undefined}
		/>
	);
	return (
		<ConditionToken {...props} condition="length" words={`${plain(length.from)}–${plain(length.to)} ms long`}>
			<Text size="sm">
				from {field("from", "Shortest")} to {field("to", "Longest")} long
			</Text>
		</ConditionToken>
	);
}

function SpeedToken(props: AimProps) {
	const { aim, onChange } = props;
	const speed = aim.speed ?? starts.speed;
	const kind = speed.value !== undefined ? "value" : speed.at_least !== undefined ? "at_least" : "at_most";
	const gap = speed.at_most ?? speed.at_least ?? 130;
	const words = {
		at_most: `at most ${plain(gap)} ms after the one before`,
		at_least: `at least ${plain(gap)} ms after the one before`,
		value: `in ${gridInWords(speed.value ?? "1/16")}`,
	};
	const by_limb = speed.by_limb;
	const set = (next: string, ms = gap, grid = speed.value ?? "1/16") =>
		onChange({ ...aim, speed: { by_limb, [next]: next === "value" ? grid : ms } });
	return (
		<ConditionToken {...props} condition="speed" words={words[kind]} width={340}>
			<SegmentedControl
				size="xs"
				value={kind}
				onChange={(next) => set(next)}
				data={[
					{ value: "at_most", label: "fast" },
					{ value: "at_least", label: "slow" },
					{ value: "value", label: "note value" },
				]}
			/>
			<Text size="sm">
				{kind === "value" ? (
					<GridToken
						label="Note value"
						value={speed.value ?? "1/16"}
						onChange={(grid) => set("value", gap, grid)}
					/>
				) : (
					<>
						gap {kind === "at_most" ? "at most" : "at least"}{" "}
						<NumberToken
							label="Gap"
							value={gap}
							values={number(1, 5000, "ms", 5)}
							onChange={(value) => value !== null && set(kind, value)}
							onDone={() => undefined}
						/>
					</>
				)}{" "}
				to the one before
			</Text>
			<Checkbox
				size="xs"
				label="of the same hand or foot, not the instrument alone"
				checked={by_limb ?? false}
				onChange={(event) =>
					onChange({ ...aim, speed: { ...speed, by_limb: event.currentTarget.checked || undefined } })
				}
			/>
		</ConditionToken>
	);
}

const runPlaces: Record<RunPlace, string> = {
	first: "the first of a run",
	last: "the last of a run",
	odd: "every other of a run, the first, too",
	even: "every other of a run, not the first",
	every: "every nth of a run",
	"all-but-first": "all but the first of a run",
};

function RunToken(props: AimProps) {
	const { aim, onChange } = props;
	const run = aim.run ?? starts.run;
	const words = run.place === "every" ? `every ${ordinal(run.every)} of a run` : runPlaces[run.place];
	const change = (next: Partial<typeof run>) => onChange({ ...aim, run: { ...run, ...next } });
	return (
		<ConditionToken {...props} condition="run" words={words} width={340}>
			<Stack gap={4}>
				{(Object.keys(runPlaces) as RunPlace[]).map((place) => (
					<Checkbox
						key={place}
						size="xs"
						radius="xl"
						label={runPlaces[place]}
						checked={run.place === place}
						onChange={() => change({ place })}
					/>
				))}
			</Stack>
			<Text size="sm">
				a gap over{" "}
				<NumberToken
					label="Gap"
					value={run.gap}
					values={number(10, 5000, "ms", 5)}
					onChange={(value) => value !== null && change({ gap: value })}
					onDone={() => undefined}
				/>{" "}
				ends a run
				{run.place === "every" && (
					<>
						; every{" "}
						<NumberToken
							label="Every"
							value={run.every}
							values={number(2, 64, "")}
							onChange={(value) => value !== null && change({ every: value })}
							onDone={() => undefined}
						/>
					</>
				)}
			</Text>
		</ConditionToken>
	);
}

function NearToken(props: AimProps & { condition: "with" | "without"; near: Near }) {
	const { aim, onChange, condition, near } = props;
	const instruments = useWorkspace((state) => state.part.kit.instruments);
	const offered = useOffered(near.instruments);
	const chosen = near.instruments.map(
		(id) => instruments.find((one) => one.id === id)?.name.toLowerCase() ?? `${id} (not here)`,
	);
	const words = `${condition === "with" ? "with" : "not with"} ${chosen.length > 0 ? chosen.join(" or ") : "nothing"}`;
	const change = (next: Partial<Near>) => onChange({ ...aim, [condition]: { ...near, ...next } });
	return (
		<ConditionToken {...props} condition={condition} words={words}>
			<Stack gap={4} mah={240} style={{ overflowY: "auto" }}>
				{offered.map(({ id, name }) => (
					<Checkbox
						key={id}
						size="xs"
						label={name}
						checked={near.instruments.includes(id)}
						onChange={() =>
							change({
								instruments: near.instruments.includes(id)
									? near.instruments.filter((one) => one !== id)
									: [...near.instruments, id],
							})
						}
					/>
				))}
			</Stack>
			<Text size="sm">
				within{" "}
				<NumberToken
					label="Within"
					value={near.within}
					values={number(0, 500, "ms")}
					onChange={(value) => value !== null && change({ within: value })}
					onDone={() => undefined}
				/>
			</Text>
		</ConditionToken>
	);
}

function ShareToken(props: AimProps) {
	const { aim, onChange } = props;
	return (
		<ConditionToken {...props} condition="share" words={`${plain(aim.share ?? 50)} % of them`}>
			<Text size="sm">
				<NumberToken
					label="Share"
					value={aim.share ?? 50}
					values={number(0, 100, "%")}
					onChange={(value) => value !== null && onChange({ ...aim, share: value })}
					onDone={() => undefined}
				/>{" "}
				of them, chosen by dice
			</Text>
		</ConditionToken>
	);
}
