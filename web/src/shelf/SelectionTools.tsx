import { Button, Group, Menu } from "@mantine/core";
import { IconBook2, IconDownload, IconHeartHandshake, IconTrash, IconX } from "@tabler/icons-react";
import { useQuery } from "@tanstack/react-query";
import { client, files } from "../api/client";
import type { SongCard } from "../api/generated/types";
import { plural } from "../words";
import classes from "./Shelf.module.css";
import type { useShelfActions } from "./useShelfActions";

interface Props {
	songs: SongCard[];
	actions: ReturnType<typeof useShelfActions>;
	onDone: () => void;
}

/** What can be done to several songs at once. */
export function SelectionTools({ songs, actions, onDone }: Props) {
	const recipes = useQuery({ queryKey: ["recipes"], queryFn: client.recipes });
	const good = recipes.data?.filter(({ damage }) => damage === null) ?? [];
	const words = songs.length === 1 ? `“${songs[0].name}”` : plural(songs.length, "song");
	return (
		<Group
			className={classes.tools}
			gap={8}
			wrap="nowrap"
			role="toolbar"
			aria-label="Selected songs"
			data-selected-songs={songs.length}
		>
			<strong className={classes.selectedName}>{words}</strong>
			<Button
				size="compact-sm"
				variant="default"
				component="a"
				href={files.songs(songs.map(({ id }) => id))}
				download
				leftSection={<IconDownload size={14} />}
			>
				Export as MIDI, zipped
			</Button>
			<Button
				size="compact-sm"
				variant="default"
				leftSection={<IconHeartHandshake size={14} />}
				onClick={() => {
					actions.usualAll(songs);
					onDone();
				}}
			>
				Give the usual feel
			</Button>
			<Menu position="top" shadow="md">
				<Menu.Target>
					<Button size="compact-sm" variant="default" leftSection={<IconBook2 size={14} />}>
						Use a recipe
					</Button>
				</Menu.Target>
				<Menu.Dropdown mah={320} style={{ overflowY: "auto" }}>
					<Menu.Label>Added behind the passes of their drum parts</Menu.Label>
					{good.map(({ id, name, recipe }) => (
						<Menu.Item
							key={id}
							onClick={() => {
								actions.giveRecipe(songs, name, recipe);
								onDone();
							}}
						>
							{name}
						</Menu.Item>
					))}
					{good.length === 0 && <Menu.Item disabled>No recipes yet: save one in a song</Menu.Item>}
				</Menu.Dropdown>
			</Menu>
			<Button
				size="compact-sm"
				variant="default"
				leftSection={<IconTrash size={14} />}
				onClick={() => {
					actions.removeAll(songs);
					onDone();
				}}
			>
				Delete
			</Button>
			<Button
				size="compact-sm"
				variant="subtle"
				color="gray"
				aria-label="Select nothing (Esc)"
				onClick={onDone}
			>
				<IconX size={14} />
			</Button>
		</Group>
	);
}
