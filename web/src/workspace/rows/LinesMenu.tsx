/** The lines that timing is measured against: found, or chosen for a drum or for all. */
import { Menu, NumberInput, TextInput } from "@mantine/core";
import { type ReactNode, useState } from "react";
import { client } from "../../api/client";
import type { Lines, LinesFrom, LinesSetting } from "../../api/generated/types";
import { isEnter } from "../../lib/fields";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { gridInWords } from "../passes/GridToken";
import classes from "./Rows.module.css";

const straight = (grid: string): Lines => ({ grid, swing: 50 });

const usual: [string, Lines][] = [
	["quarters", straight("1/4")],
	["8ths", straight("1/8")],
	["16ths", straight("1/16")],
	["32nds", straight("1/32")],
	["8th triplets", straight("1/8 triplet")],
	["16th triplets", straight("1/16 triplet")],
];

/** “16ths”, “16ths swung 58 %”. */
export function linesInWords({ grid, swing, of }: Lines) {
	if (swing === 50) return gridInWords(grid);
	return `${gridInWords(of ?? grid)} swung ${Math.round(10 * swing) / 10} %`;
}

/** “16ths”, “16ths 58 %”: there is little room beside a portrait. */
const inShort = ({ grid, swing, of }: Lines) =>
	swing === 50 ? gridInWords(grid) : `${gridInWords(of ?? grid)} ${Math.round(swing)} %`;

interface Props {
	/** Whose they are; without one those of all drums that have none of their own. */
	instrument?: string;
	/** As they are now, bar by bar. */
	lines: LinesFrom[];
	label: string;
	className: string;
	children: ReactNode;
}

/** A word that opens the choice of lines. */
export function LinesMenu({ instrument, lines, label, className, children }: Props) {
	const store = useWorkspaceStore();
	const id = useWorkspace((state) => state.part.state.id);
	const setting = useWorkspace((state) => state.part.state.lines);
	const swingNow = lines.find(({ lines }) => lines.swing !== 50)?.lines;
	const [swing, setSwing] = useState<number | string>(Math.round(swingNow?.swing ?? 58));
	const [other, setOther] = useState("");
	const isGrid = /^1\/(1|2|4|8|16|32|64|128)( dotted| triplet| [1-9]\d?:[1-9]\d?)?$/.test(other.trim());
	const change = (lines: LinesSetting) =>
		void store
			.getState()
			.change((revision) => client.changePart(id, { revision, label: "measure against other lines", lines }));
	const choose = (chosen: Lines | null) => {
		if (!instrument) return change(chosen ? { ...setting, all: chosen } : without(setting));
		const { [instrument]: _, ...others } = setting.drums ?? {};
		change({ ...setting, drums: chosen ? { ...others, [instrument]: chosen } : others });
	};
	const percent = Number(swing);
	const swung = percent >= 25 && percent <= 80 && swing !== "";
	const chosen = instrument ? setting.drums?.[instrument] : setting.all;
	return (
		<Menu position="bottom-end" withinPortal>
			<Menu.Target>
				<button type="button" className={className} aria-label={`${label}: ${textOf(children)}`}>
					{children}
				</button>
			</Menu.Target>
			<Menu.Dropdown data-lines-menu mah={320} style={{ overflowY: "auto" }}>
				<Menu.Label>{label}</Menu.Label>
				<Menu.Item onClick={() => choose(null)} data-chosen={!chosen || undefined}>
					{instrument && setting.all ? `as for all: ${linesInWords(setting.all)}` : "as it seems to be meant"}
				</Menu.Item>
				{usual.map(([name, one]) => (
					<Menu.Item key={name} onClick={() => choose(one)}>
						{name}
					</Menu.Item>
				))}
				<NumberInput
					size="xs"
					m={4}
					w={190}
					label="Swung to so many %"
					min={25}
					max={80}
					step={0.5}
					value={swing}
					onChange={setSwing}
					onKeyDown={(event) => event.stopPropagation()}
				/>
				<Menu.Item disabled={!swung} onClick={() => choose({ grid: "1/16", swing: percent })}>
					16ths, swung {swung ? percent : "…"} %
				</Menu.Item>
				<Menu.Item disabled={!swung} onClick={() => choose({ grid: "1/16", swing: percent, of: "1/8" })}>
					8ths, swung {swung ? percent : "…"} %
				</Menu.Item>
				<TextInput
					size="xs"
					m={4}
					w={190}
					placeholder="1/8 dotted, 1/16 5:4"
					aria-label="Another grid"
					value={other}
					error={other !== "" && !isGrid}
					onChange={(event) => setOther(event.currentTarget.value)}
					onKeyDown={(event) => {
						event.stopPropagation();
						if (isEnter(event) && isGrid) choose(straight(other.trim()));
					}}
				/>
				{instrument && chosen && (
					<Menu.Item onClick={() => change({ all: chosen })}>the same for all drums</Menu.Item>
				)}
			</Menu.Dropdown>
		</Menu>
	);
}

const without = ({ drums }: LinesSetting): LinesSetting => ({ drums: drums ?? {} });

const textOf = (children: ReactNode) => [children].flat().filter(Boolean).join("");

/** The lines of a drum, in its time portrait. */
export function LinesChip({ index, lines }: { index: number; lines: LinesFrom[] }) {
	const instrument = useWorkspace((state) => state.part.kit.instruments[index]);
	const isSet = useWorkspace((state) => {
		const { all, drums } = state.part.state.lines;
		return Boolean(all ?? drums?.[instrument.id]);
	});
	if (lines.length === 0) return null;
	const words = lines.length === 1 ? inShort(lines[0].lines) : "by bars";
	return (
		<LinesMenu
			instrument={instrument.id}
			lines={lines}
			label={`${instrument.name} is measured against`}
			className={classes.linesChip}
		>
			{isSet ? `${words} ·` : words}
		</LinesMenu>
	);
}
