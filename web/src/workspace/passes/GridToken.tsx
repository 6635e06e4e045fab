import { Menu } from "@mantine/core";
import classes from "./Passes.module.css";

const grids = ["1/1", "1/2", "1/4", "1/8", "1/8 triplet", "1/16", "1/16 triplet", "1/32"];

const words: Record<string, string> = {
	"1/1": "bars",
	"1/2": "halves",
	"1/4": "quarters",
	"1/8": "8ths",
	"1/8 triplet": "8th triplets",
	"1/16": "16ths",
	"1/16 triplet": "16th triplets",
	"1/32": "32nds",
};

export const gridInWords = (grid: string) => words[grid] ?? grid;

export function GridToken({
	label,
	value,
	onChange,
}: {
	label: string;
	value: string;
	onChange: (grid: string) => void;
}) {
	return (
		<Menu>
			<Menu.Target>
				<button type="button" className={classes.token} aria-label={`${label}: ${gridInWords(value)}`}>
					{gridInWords(value)}
				</button>
			</Menu.Target>
			<Menu.Dropdown>
				{grids.map((grid) => (
					<Menu.Item key={grid} onClick={() => onChange(grid)}>
						{gridInWords(grid)}
					</Menu.Item>
				))}
			</Menu.Dropdown>
		</Menu>
	);
}
