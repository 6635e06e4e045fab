import { Menu, TextInput } from "@mantine/core";
import { type ReactNode, useState } from "react";
import { isEnter } from "../../lib/fields";
import classes from "./Passes.module.css";

const grids = [
	"1/1",
	"1/2",
	"1/4",
	"1/4 triplet",
	"1/8",
	"1/8 dotted",
	"1/8 triplet",
	"1/16",
	"1/16 triplet",
	"1/32",
	"1/64",
];

const words: Record<string, string> = {
	"1/1": "bars",
	"1/2": "halves",
	"1/4": "quarters",
	"1/4 triplet": "quarter triplets",
	"1/8 dotted": "dotted 8ths",
	"1/64": "64ths",
	"1/8": "8ths",
	"1/8 triplet": "8th triplets",
	"1/16": "16ths",
	"1/16 triplet": "16th triplets",
	"1/32": "32nds",
};

export const gridInWords = (grid: string) => words[grid] ?? grid;

interface Props {
	label: string;
	value: string;
	onChange: (grid: string) => void;
	/** The words for a grid that nobody chose, where that is possible. */
	none?: { words: string; onChange: () => void };
	children?: ReactNode;
}

/** A note value: one of the usual ones, or any other, typed. */
export function GridToken({ label, value, onChange, none, children }: Props) {
	const [other, setOther] = useState("");
	const good = /^1\/(1|2|4|8|16|32|64|128)( dotted| triplet| [1-9]\d?:[1-9]\d?)?$/.test(other.trim());
	return (
		<Menu>
			<Menu.Target>
				<button type="button" className={classes.token} aria-label={`${label}: ${gridInWords(value)}`}>
					{children ?? gridInWords(value)}
				</button>
			</Menu.Target>
			<Menu.Dropdown>
				{none && <Menu.Item onClick={none.onChange}>{none.words}</Menu.Item>}
				{grids.map((grid) => (
					<Menu.Item key={grid} onClick={() => onChange(grid)}>
						{gridInWords(grid)}
					</Menu.Item>
				))}
				<TextInput
					size="xs"
					m={4}
					w={150}
					placeholder="1/8 dotted, 1/16 5:4"
					aria-label="Another grid"
					value={other}
					error={other !== "" && !good}
					onChange={(event) => setOther(event.currentTarget.value)}
					onKeyDown={(event) => {
						event.stopPropagation();
						if (isEnter(event) && good) onChange(other.trim());
					}}
				/>
			</Menu.Dropdown>
		</Menu>
	);
}
