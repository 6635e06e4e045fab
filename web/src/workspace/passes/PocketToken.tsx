import { Menu } from "@mantine/core";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import classes from "./Passes.module.css";

interface Props {
	label: string;
	value: number;
	onChange: (pocket: number) => void;
}

/** One of the song's pockets, by its name. */
export function PocketToken({ label, value, onChange }: Props) {
	const store = useWorkspaceStore();
	const pockets = useWorkspace((state) => state.pockets);
	const words = pockets.find(({ id }) => id === value)?.name ?? "a pocket …";
	return (
		<Menu>
			<Menu.Target>
				<button type="button" className={classes.token} aria-label={`${label}: ${words}`} title={words}>
					{words}
				</button>
			</Menu.Target>
			<Menu.Dropdown>
				{pockets.map(({ id, name }) => (
					<Menu.Item key={id} onClick={() => onChange(id)}>
						{name}
					</Menu.Item>
				))}
				{pockets.length > 0 && <Menu.Divider />}
				<Menu.Item onClick={() => store.getState().setView({ side: "pockets" })}>
					{pockets.length > 0 ? "Show the pockets" : "Make a pocket …"}
				</Menu.Item>
			</Menu.Dropdown>
		</Menu>
	);
}
