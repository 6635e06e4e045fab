import { Menu, TextInput } from "@mantine/core";
import { IconSearch } from "@tabler/icons-react";
import { useState } from "react";
import type { GrooveProfile } from "../../api/generated/types";
import { useWorkspaceStore } from "../../part/store";
import { matching, useGrooves } from "../grooves/library";
import classes from "./Passes.module.css";

interface Props {
	label: string;
	value: GrooveProfile;
	onChange: (groove: GrooveProfile) => void;
}

/** A groove, chosen from the library by name; the groove screen shows and makes them. */
export function GrooveToken({ label, value, onChange }: Props) {
	const store = useWorkspaceStore();
	const [opened, setOpened] = useState(false);
	const [text, setText] = useState("");
	const library = useGrooves(opened);
	const words = value.name || "a groove …";
	const found = matching(library.data ?? [], text).filter((card) => card.damage === null);
	return (
		<Menu opened={opened} onChange={setOpened} width={260}>
			<Menu.Target>
				<button type="button" className={classes.token} aria-label={`${label}: ${words}`} title={words}>
					{words}
				</button>
			</Menu.Target>
			<Menu.Dropdown mah={360} style={{ overflowY: "auto" }} data-groove-menu>
				<Menu.Item onClick={() => store.getState().showScreen("grooves")}>Open the grooves …</Menu.Item>
				<TextInput
					size="xs"
					m={4}
					placeholder="swing, shuffle, late …"
					aria-label="Search for a groove"
					leftSection={<IconSearch size={13} />}
					value={text}
					onChange={(event) => setText(event.currentTarget.value)}
					onKeyDown={(event) => event.stopPropagation()}
				/>
				{found.map(({ id, groove, favourite }) => (
					<Menu.Item key={id} onClick={() => onChange(groove)}>
						{favourite ? "★ " : ""}
						{groove.name}
					</Menu.Item>
				))}
			</Menu.Dropdown>
		</Menu>
	);
}
