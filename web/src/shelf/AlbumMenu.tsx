import { Button, Menu, TextInput } from "@mantine/core";
import { IconDisc } from "@tabler/icons-react";
import { useState } from "react";
import { plural } from "../lib/words";
import type { useAlbums } from "./useAlbums";

interface Props {
	songs: number[];
	albums: ReturnType<typeof useAlbums>;
	/** The album that is shown. */
	shown: string | null;
	onDone: () => void;
}

/** Songs that go into an album, or out of the one that is shown. */
export function AlbumMenu({ songs, albums, shown, onDone }: Props) {
	const [name, setName] = useState("");
	const [opened, setOpened] = useState(false);
	const put = (into: string) => {
		albums.put(into, songs);
		setOpened(false);
		onDone();
	};
	return (
		<Menu position="top" shadow="md" opened={opened} onChange={setOpened}>
			<Menu.Target>
				<Button size="compact-sm" variant="default" leftSection={<IconDisc size={14} />} data-album>
					Album
				</Button>
			</Menu.Target>
			<Menu.Dropdown mah={320} style={{ overflowY: "auto" }}>
				{albums.albums.map((one) => (
					<Menu.Item key={one.name} onClick={() => put(one.name)}>
						Put into “{one.name}” ({plural(one.songs.length, "song")})
					</Menu.Item>
				))}
				{shown !== null && (
					<Menu.Item
						onClick={() => {
							albums.take(shown, songs);
							onDone();
						}}
					>
						Take out of “{shown}”
					</Menu.Item>
				)}
				<form
					onSubmit={(event) => {
						event.preventDefault();
						if (name.trim()) put(name.trim());
					}}
				>
					<TextInput
						size="xs"
						m={4}
						w={200}
						maxLength={80}
						placeholder="A new album, then Enter"
						aria-label="Name of a new album"
						value={name}
						onChange={(event) => setName(event.currentTarget.value)}
						onKeyDown={(event) => event.stopPropagation()}
					/>
				</form>
			</Menu.Dropdown>
		</Menu>
	);
}
