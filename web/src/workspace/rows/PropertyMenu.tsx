import { Menu } from "@mantine/core";
import { IconChevronDown } from "@tabler/icons-react";
import { useWorkspace, useWorkspaceStore, type View } from "../../part/store";
import classes from "./Rows.module.css";

const besides: [kind: View["numbers"], words: string][] = [
	["value", "The value"],
	["timing", "ms early or late"],
	["none", "Nothing"],
];

/** What the touch portraits and the heights of hits show: velocity, or how hits move besides. */
export function PropertyMenu() {
	const store = useWorkspaceStore();
	const property = useWorkspace((state) => state.property);
	const properties = useWorkspace((state) => state.words.properties);
	const numbers = useWorkspace((state) => state.numbers);
	const tails = useWorkspace((state) => state.tails);
	const moving = useWorkspace((state) => Object.keys(state.performance?.movement ?? {}).join(" "));
	const shown = properties.find(({ name }) => name === property) ?? properties[0];
	return (
		<Menu position="bottom-start" width={250}>
			<Menu.Target>
				<button
					type="button"
					className={classes.rowsMenu}
					aria-label={`Touch shows ${shown.noun}`}
					data-property-menu={property}
				>
					{property === "velocity" ? "touch" : shown.noun}
					<IconChevronDown size={12} />
				</button>
			</Menu.Target>
			<Menu.Dropdown>
				<Menu.Label>Shape hit by hit</Menu.Label>
				{properties.map(({ name, noun, unit }) => (
					<Menu.Item
						key={name}
						aria-current={name === property}
						fw={name === property ? 650 : undefined}
						onClick={() => store.getState().setView({ property: name })}
					>
						{noun}
						{unit && `, in ${unit}`}
						{moving.split(" ").includes(name) && " · shaped"}
					</Menu.Item>
				))}
				<Menu.Divider />
				<Menu.Label>Beside hits, where there is room</Menu.Label>
				{besides.map(([kind, words]) => (
					<Menu.Item
						key={kind}
						aria-current={kind === numbers}
						fw={kind === numbers ? 650 : undefined}
						onClick={() => store.getState().setView({ numbers: kind })}
					>
						{words}
					</Menu.Item>
				))}
				<Menu.Divider />
				<Menu.Item
					aria-current={tails}
					fw={tails ? 650 : undefined}
					onClick={() => store.getState().setView({ tails: !tails })}
				>
					{tails ? "Hide lengths, but in an opened row" : "Show lengths in every row"}
				</Menu.Item>
			</Menu.Dropdown>
		</Menu>
	);
}
