import { Button, Popover } from "@mantine/core";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client } from "../../api/client";
import type { Thresholds } from "../../api/generated/types";
import { EditedNumber } from "../../lib/fields";
import { showError } from "../../lib/notify";
import { keeping } from "../../part/keeping";
import passClasses from "../passes/Passes.module.css";
import classes from "./Findings.module.css";

const fields: [
	key: keyof Thresholds,
	label: string,
	min: number,
	max: number,
	step: number,
	suffix: string,
][] = [
	["alike", "Identical neighbours, share from", 0.1, 1, 0.05, ""],
	["on_grid", "Exactly on its lines, share from", 0.5, 1, 0.05, ""],
	["machine_gun", "Equal strokes in a row", 3, 64, 1, ""],
	["fast", "Fast is a gap below", 10, 300, 5, " ms"],
	["dense", "Dense is, strokes a second", 4, 30, 0.5, ""],
	["together", "At once is within", 0, 100, 1, " ms"],
	["travel", "A hand from drum to drum", 0, 300, 5, " ms"],
	["hand", "A hand on the same drum again", 0, 300, 5, " ms"],
	["foot", "A foot again", 0, 300, 5, " ms"],
	["ragged", "Ragged is a deviation from", 5, 60, 1, " ms"],
	["loose", "Loose is, of all drums, from", 5, 60, 1, " ms"],
	["rushing", "Rushing is, over eight bars, from", 5, 100, 1, " ms"],
];

/** What counts as too fast, too alike, too loose: for all songs. */
export function Measures() {
	const queries = useQueryClient();
	const [opened, setOpened] = useState(false);
	const kept = useQuery({ queryKey: ["thresholds"], queryFn: client.thresholds, enabled: opened });
	const put = async (thresholds: Partial<Thresholds>) => {
		try {
			await keeping.change("thresholds", 0, () => client.setThresholds(thresholds));
		} catch (error) {
			showError(error);
		}
		await queries.invalidateQueries({ queryKey: ["thresholds"] });
		await queries.invalidateQueries({ queryKey: ["findings"] });
	};
	const set = (change: Partial<Thresholds>) => {
		if (!kept.data) return;
		const next = { ...kept.data, ...change };
		queries.setQueryData(["thresholds"], next);
		void put(next);
	};
	return (
		<Popover position="top-end" width={300} trapFocus returnFocus opened={opened} onChange={setOpened}>
			<Popover.Target>
				<button type="button" className={passClasses.more} onClick={() => setOpened(!opened)}>
					What counts
				</button>
			</Popover.Target>
			<Popover.Dropdown p={10}>
				<p className={classes.measures}>What is said of a part, on the whole shelf:</p>
				{kept.data &&
					fields.map(([key, label, min, max, step, suffix]) => (
						<EditedNumber
							key={key}
							label={label}
							classNames={{ root: classes.measure }}
							min={min}
							max={max}
							step={step}
							suffix={suffix}
							live
							value={kept.data[key]}
							onDone={(value) => value !== null && set({ [key]: value })}
						/>
					))}
				<Button size="compact-xs" variant="default" mt={8} onClick={() => void put({})}>
					As usual
				</Button>
			</Popover.Dropdown>
		</Popover>
	);
}
