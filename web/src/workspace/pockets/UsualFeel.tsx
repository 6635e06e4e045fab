import { Button, Group, Modal, Select, Switch, Text, Tooltip } from "@mantine/core";
import { IconHeartHandshake } from "@tabler/icons-react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client } from "../../api/client";
import type { SessionDefaults } from "../../api/generated/types";
import { EditedText } from "../../lib/fields";
import { showError, showNote } from "../../lib/notify";
import { plural } from "../../lib/words";
import { keeping } from "../../part/keeping";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import classes from "./Pockets.module.css";

const key = ["defaults"];

/** What you usually give new songs, and giving it to this one. */
export function UsualFeelButton() {
	const [opened, setOpened] = useState(false);
	return (
		<>
			<Tooltip label="What you usually give new songs">
				<Button
					variant="default"
					px={10}
					leftSection={<IconHeartHandshake size={15} />}
					data-usual
					onClick={() => setOpened(true)}
				>
					Usual feel
				</Button>
			</Tooltip>
			<Modal opened={opened} onClose={() => setOpened(false)} title="The usual feel">
				<UsualFeel close={() => setOpened(false)} />
			</Modal>
		</>
	);
}

function UsualFeel({ close }: { close: () => void }) {
	const queries = useQueryClient();
	const store = useWorkspaceStore();
	const song = useWorkspace((state) => state.song);
	const part = useWorkspace((state) => state.part.state.id);
	const pockets = useWorkspace((state) => state.pockets);
	const defaults = useQuery({ queryKey: key, queryFn: client.defaults });
	const recipes = useQuery({ queryKey: ["recipes"], queryFn: client.recipes });
	if (!defaults.data) return null;
	const { recipe, pocket, grid, tones } = defaults.data;
	const set = (change: Partial<SessionDefaults>) => {
		// Shown at once: what is changed next stands on it.
		const next = { ...(queries.getQueryData<SessionDefaults>(key) ?? defaults.data), ...change };
		queries.setQueryData(key, next);
		keeping
			.change("defaults", 0, () => client.setDefaults(next))
			.catch(showError)
			.finally(() => void queries.invalidateQueries({ queryKey: key }));
	};
	const choosePocket = (id: string | null) => {
		const chosen = pockets.find((one) => `${one.id}` === id);
		if (id === "kept") return;
		set({ pocket: chosen ? { name: chosen.name, settings: chosen.settings } : null });
	};
	const apply = async () => {
		try {
			// What waits to be kept goes first.
			await store.getState().changePockets(async () => {
				const applied = await client.applyDefaults(song.id);
				for (const sentence of applied.said) showNote("Not all of it fits", sentence);
				const words = `${plural(applied.parts, "part")} of “${song.name}” got it; undo takes it back.`;
				showNote("The usual feel", words);
				return {
					pockets: await client.pockets(song.id),
					parts: [],
					history: (await client.song(song.id)).history,
				};
			});
			close();
			await queries.resetQueries({ queryKey: ["workspace", part] });
		} catch (error) {
			showError(error);
		}
	};
	const nothing = recipe === null && pocket === null && grid === null;
	const options = pockets.map(({ id, name }) => ({ value: `${id}`, label: `${name} (of this song)` }));
	return (
		<div className={classes.usual}>
			<Text size="sm" c="dimmed">
				What you usually give a newly imported song: one press does it, here or on the shelf, and undo takes
				it back.
			</Text>
			<Select
				label="Recipe for the drums"
				placeholder="none"
				clearable
				value={recipe === null ? null : `${recipe}`}
				data={(recipes.data ?? []).map(({ id, name }) => ({ value: `${id}`, label: name }))}
				onChange={(id) => set({ recipe: id === null ? null : Number(id) })}
			/>
			<Select
				label="Pocket"
				placeholder="none"
				clearable
				value={pocket === null ? null : "kept"}
				data={[...(pocket === null ? [] : [{ value: "kept", label: pocket.name }]), ...options]}
				onChange={choosePocket}
			/>
			<Switch
				size="xs"
				label="Bass and other tones follow the pocket, too"
				checked={tones}
				onChange={(event) => set({ tones: event.currentTarget.checked })}
			/>
			<GridField value={grid} onChange={(next) => set({ grid: next })} />
			<Group justify="flex-end">
				<Button size="sm" disabled={nothing} data-apply-usual onClick={() => void apply()}>
					Give it to “{song.name}”
				</Button>
			</Group>
		</div>
	);
}

function GridField({ value, onChange }: { value: string | null; onChange: (grid: string | null) => void }) {
	return (
		<EditedText
			size="sm"
			label="Grid that timing is measured against"
			placeholder="the one that fits best"
			description="1/16, 1/8 triplet, 1/8 dotted, 1/16 5:4"
			value={value ?? ""}
			onDone={(text) => onChange(text || null)}
		/>
	);
}
