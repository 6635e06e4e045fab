import { ActionIcon, Button, Group, Popover, Stack, Text, TextInput } from "@mantine/core";
import { IconPlus, IconTrash } from "@tabler/icons-react";
import { useState } from "react";
import { client } from "../../api/client";
import type { Section } from "../../api/generated/types";
import { EditedNumber, EditedText } from "../../lib/fields";
import { showError } from "../../lib/notify";
import { barCount } from "../../part/song";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import classes from "./SongStrip.module.css";

/** Names stretches of bars: aims can speak of them. */
export function SectionsButton() {
	const [opened, setOpened] = useState(false);
	return (
		<Popover opened={opened} onChange={setOpened} position="top-start" width={380} trapFocus returnFocus>
			<Popover.Target>
				<button type="button" className={classes.link} onClick={() => setOpened(!opened)}>
					Sections
				</button>
			</Popover.Target>
			<Popover.Dropdown mah={420} style={{ overflowY: "auto" }}>
				<SectionsForm />
			</Popover.Dropdown>
		</Popover>
	);
}

function SectionsForm() {
	const store = useWorkspaceStore();
	const sections = useWorkspace((state) => state.song.sections);
	const loop = useWorkspace((state) => state.loop);
	const [name, setName] = useState("");
	const bars = barCount(store.getState().song);
	const keep = async (next: Section[]) => {
		const { song, setSong } = store.getState();
		try {
			setSong(await client.setSections(song.id, song.revision, next));
		} catch (error) {
			showError(error);
			setSong(await client.song(song.id));
		}
	};
	const changed = (index: number, change: Partial<Section>) =>
		void keep(sections.map((section, at) => (at === index ? { ...section, ...change } : section)));
	const where = loop[0] === loop[1] ? `bar ${loop[0]}` : `bars ${loop[0]}–${loop[1]}`;
	return (
		<Stack gap={6}>
			{sections.length === 0 && (
				<Text size="sm" c="dimmed">
					The song has no sections yet. Loop some bars and give them a name.
				</Text>
			)}
			{sections.map((section, index) => (
				<Group key={`${section.from} ${section.to} ${section.name}`} gap={6} wrap="nowrap">
					<EditedText
						flex={1}
						aria-label={`Name of section ${index + 1}`}
						value={section.name}
						maxLength={80}
						onDone={(next) => next && changed(index, { name: next })}
					/>
					{(["from", "to"] as const).map((side) => (
						<EditedNumber
							key={side}
							w={72}
							min={1}
							max={bars}
							aria-label={`${side === "from" ? "First" : "Last"} bar of ${section.name}`}
							value={section[side]}
							onDone={(bar) => bar !== null && changed(index, { [side]: bar })}
						/>
					))}
					<ActionIcon
						variant="subtle"
						color="gray"
						size={24}
						aria-label={`Delete the section ${section.name}`}
						onClick={() => void keep(sections.filter((_, at) => at !== index))}
					>
						<IconTrash size={14} />
					</ActionIcon>
				</Group>
			))}
			<form
				onSubmit={(event) => {
					event.preventDefault();
					if (!name.trim()) return;
					void keep([...sections, { name: name.trim(), from: loop[0], to: loop[1] }]);
					setName("");
				}}
			>
				<Group gap={6} wrap="nowrap" mt={4}>
					<TextInput
						size="xs"
						flex={1}
						placeholder="Verse, fill …"
						aria-label="Name for the loop"
						value={name}
						maxLength={80}
						onChange={(event) => setName(event.currentTarget.value)}
					/>
					<Button type="submit" size="xs" variant="default" leftSection={<IconPlus size={13} />}>
						Name {where}
					</Button>
				</Group>
			</form>
		</Stack>
	);
}
