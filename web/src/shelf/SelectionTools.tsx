import { Button, Group } from "@mantine/core";
import { IconDownload, IconStack2, IconTrash, IconX } from "@tabler/icons-react";
import { files } from "../api/client";
import type { SongCard } from "../api/generated/types";
import { plural } from "../lib/words";
import { AlbumMenu } from "./AlbumMenu";
import classes from "./Shelf.module.css";
import type { useAlbums } from "./useAlbums";
import type { useShelfActions } from "./useShelfActions";

interface Props {
	songs: SongCard[];
	actions: ReturnType<typeof useShelfActions>;
	onDone: () => void;
	/** Give them all something. */
	onTreat: () => void;
	albums: ReturnType<typeof useAlbums>;
	/** The album that is shown. */
	album: string | null;
}

/** What can be done to several songs at once. */
export function SelectionTools({ songs, actions, onDone, onTreat, albums, album }: Props) {
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
			<AlbumMenu songs={songs.map(({ id }) => id)} albums={albums} shown={album} onDone={onDone} />
			<Button size="compact-sm" leftSection={<IconStack2 size={14} />} onClick={onTreat} data-treat>
				Treat together …
			</Button>
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
