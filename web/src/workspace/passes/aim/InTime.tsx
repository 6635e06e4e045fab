/** Conditions on time: how long, how soon after the one before, where in a run. */
import { Checkbox, SegmentedControl, Stack, Text } from "@mantine/core";
import type { Run, RunPlace, Speed, TimeRange } from "../../../api/generated/types";
import { ordinal, plain } from "../../../lib/words";
import { GridToken, gridInWords } from "../GridToken";
import { NumberToken } from "../NumberToken";
import { type AimProps, ConditionToken, useAimNumbers } from "./ConditionToken";

export function LengthToken(props: AimProps & { length: TimeRange }) {
	const { aim, onChange, length } = props;
	const number = useAimNumbers();
	const field = (name: "from" | "to", label: string) => (
		<NumberToken
			label={label}
			value={length[name]}
			values={number(`length.${name}`)}
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

export function SpeedToken(props: AimProps & { speed: Speed }) {
	const { aim, onChange, speed } = props;
	const number = useAimNumbers();
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
							values={number(`speed.${kind}`)}
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

export function RunToken(props: AimProps & { run: Run }) {
	const { aim, onChange, run } = props;
	const number = useAimNumbers();
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
					values={number("run.gap")}
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
							values={number("run.every")}
							onChange={(value) => value !== null && change({ every: value })}
							onDone={() => undefined}
						/>
					</>
				)}
			</Text>
		</ConditionToken>
	);
}
