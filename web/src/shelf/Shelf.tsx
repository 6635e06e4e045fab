import { Button, Center, Loader } from "@mantine/core";
import { notifications } from "@mantine/notifications";
import { IconFilePlus } from "@tabler/icons-react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type DragEvent, useRef, useState } from "react";
import { client } from "../api/client";
import type { SongCard } from "../api/generated/types";
import { Message } from "../Message";
import { showError, showNote } from "../notify";
import { offerUndo } from "../offerUndo";
import { SchemeToggle } from "../SchemeToggle";
import { plural } from "../words";
import classes from "./Shelf.module.css";
import { SongCardView } from "./SongCardView";

/** All songs, and where new ones are dropped. */
export function Shelf() {
	const songs = useQuery({ queryKey: ["songs"], queryFn: client.songs });
	const { add, rename, duplicate, remove, usual, adding } = useShelfActions();
	const [over, setOver] = useState(false);
	const input = useRef<HTMLInputElement>(null);

	const drop = (event: DragEvent) => {
		event.preventDefault();
		setOver(false);
		add([...event.dataTransfer.files]);
	};
	if (songs.isError) {
		return <Message title="The shelf cannot be shown">{songs.error.message}</Message>;
	}
	const chooser = (
		<button type="button" className={classes.drop} onClick={() => input.current?.click()} disabled={adding}>
			<IconFilePlus size={26} stroke={1.4} />
			<strong>{adding ? "Reading…" : "Drop MIDI files here"}</strong>
			<span>or click to choose them. They stay on this machine.</span>
		</button>
	);
	return (
		// biome-ignore lint/a11y/noStaticElementInteractions: the same files can be chosen with the button
		<div
			className={`${classes.page} ${over ? classes.over : ""}`}
			onDragOver={(event) => {
				event.preventDefault();
				setOver(true);
			}}
			onDragLeave={() => setOver(false)}
			onDrop={drop}
		>
			<header className={classes.top}>
				<span className={classes.brand}>vivida</span>
				<span className={classes.facts}>{songs.data && plural(songs.data.length, "song")}</span>
				<span className={classes.grow} />
				<SchemeToggle />
				<Button
					leftSection={<IconFilePlus size={16} />}
					loading={adding}
					onClick={() => input.current?.click()}
				>
					Add songs
				</Button>
				<input
					ref={input}
					type="file"
					multiple
					hidden
					accept=".mid,.midi,.smf,audio/midi,audio/x-midi"
					aria-label="MIDI files"
					onChange={(event) => {
						add([...(event.currentTarget.files ?? [])]);
						event.currentTarget.value = "";
					}}
				/>
			</header>
			<main>
				<h1 className="visually-hidden">Shelf</h1>
				{songs.isPending ? (
					<Center h={300}>
						<Loader />
					</Center>
				) : (
					<ul className={classes.cards}>
						{songs.data.map((song) => (
							<SongCardView
								key={song.id}
								song={song}
								onRename={rename}
								onDuplicate={duplicate}
								onDelete={remove}
								onUsual={usual}
							/>
						))}
						<li>{chooser}</li>
					</ul>
				)}
			</main>
		</div>
	);
}

function useShelfActions() {
	const queries = useQueryClient();
	const refresh = () => queries.invalidateQueries({ queryKey: ["songs"] });
	// Undo takes back the newest step, so an offer to undo ends with the next one.
	const offer = useRef<string | null>(null);
	const withdraw = () => {
		if (offer.current) notifications.hide(offer.current);
		offer.current = null;
	};
	const change = useMutation({
		mutationFn: (call: () => Promise<unknown>) => {
			withdraw();
			return call();
		},
		onError: showError,
		onSettled: refresh,
	});
	/** Gives a song what new songs are usually given. */
	const usual = (song: SongCard) =>
		change.mutate(async () => {
			const { parts, said } = await client.applyDefaults(song.id);
			for (const sentence of said) showNote(`“${song.name}”: it does not fit entirely`, sentence);
			const words = `${plural(parts, "part")} got it. Undo in the song takes it back.`;
			showNote(`“${song.name}”: the usual feel`, words);
		});
	/** A song that was added can be given the usual feel at once, where one is chosen. */
	const offerUsual = async (song: SongCard) => {
		const { recipe, pocket, grid } = await client.defaults();
		if (recipe === null && pocket === null && grid === null) return;
		const id = `added-${song.id}`;
		const give = () => {
			notifications.hide(id);
			usual(song);
		};
		notifications.show({
			id,
			title: `“${song.name}” was added`,
			autoClose: 20_000,
			message: (
				<Button size="compact-sm" variant="default" data-give-usual onClick={give}>
					Give it the usual feel
				</Button>
			),
		});
	};
	const adding = useMutation({
		mutationFn: async (files: File[]) => {
			withdraw();
			for (const file of files) {
				try {
					const song = await client.addSong(file);
					await offerUsual(song);
					for (const text of song.mended) {
						notifications.show({
							color: "yellow",
							title: `Mended: ${file.name}`,
							message: text,
							autoClose: 12_000,
						});
					}
				} catch (error) {
					showError(error);
				}
				await refresh();
			}
		},
	});
	return {
		adding: adding.isPending,
		usual,
		add: (files: File[]) => {
			if (files.length > 0) adding.mutate(files);
		},
		rename: (song: SongCard, name: string) => change.mutate(() => client.renameSong(song, name)),
		duplicate: (song: SongCard) => change.mutate(() => client.duplicateSong(song.id)),
		remove: (song: SongCard) =>
			change.mutate(async () => {
				await client.deleteSong(song);
				const undo = () => change.mutate(client.undoShelf);
				offer.current = offerUndo(`deleted-${song.id}`, `“${song.name}” was deleted`, undo, 15_000);
			}),
	};
}
