/** A condition of an aim: words that open an editor. */
import { Button, Group, Popover, Stack } from "@mantine/core";
import { type ReactNode, useRef, useState } from "react";
import type { Aim, Turned } from "../../../api/generated/types";
import { plural } from "../../../lib/words";
import { useWorkspace } from "../../../part/store";
import type { NumberValues } from "../NumberToken";
import classes from "../Passes.module.css";

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
export type Condition = Exclude<
	keyof Aim,
	"instruments" | "bars" | "sections" | "invert" | "picked" | "articulations"
>;

export const conditionNames: Record<Condition, string> = {
	positions: "positions in the bar",
	velocity: "velocity",
	length: "length",
	speed: "speed",
	run: "place in a run",
	hand: "hand or foot",
	channels: "channel",
	chord: "place in a chord",
	grace: "grace notes",
	with: "together with",
	without: "not together with",
	share: "a share of them",
};

/** The ranges of numbers in conditions, by their fields: `length.from`. */
export function useAimNumbers() {
	const numbers = useWorkspace((state) => state.words.aim.numbers);
	return (field: string, unit?: string): NumberValues => {
		const found = numbers.find((one) => one.field === field);
		if (!found) throw new Error(`no number of an aim is called ${field}`);
		const { min, max, step } = found;
		return {
			kind: "number",
			min,
			max,
			step,
			unit: unit ?? found.unit,
			neutral: null,
			sides: null,
			none: null,
		};
	};
}

export interface TokenProps extends AimProps {
	condition: Condition;
	words: string;
	children: ReactNode;
	width?: number;
}

/** A condition in words; pressed, it opens its editor and lights up whom the pass means. */
export function ConditionToken({
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
					aria-label={`${conditionNames[condition]}: ${words}`}
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
