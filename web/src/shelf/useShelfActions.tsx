import { Button } from "@mantine/core";
import { notifications } from "@mantine/notifications";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useMemo, useRef } from "react";
import { client } from "../api/client";
import type { SongCard } from "../api/generated/types";
import { offerUndo, problemIn, showError, showLasting, showNote } from "../lib/notify";
import { plural, sentence } from "../lib/words";

/** What can be done to the songs of the shelf. */
export function useShelfActions() {
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
	/** Gives songs what new ones are usually given. */
	const usualAll = (songs: SongCard[]) =>
		change.mutate(async () => {
			let given = 0;
			for (const song of songs) {
				const { parts, said } = await client.applyDefaults(song.id);
				given += parts;
				for (const one of said) showNote(`“${song.name}”: not all of it fits`, one);
			}
			const title = songs.length === 1 ? `“${songs[0].name}”` : plural(songs.length, "song");
			showNote(
				`${title}: the usual feel`,
				`${plural(given, "part")} got it. Undo in the song takes it back.`,
			);
		});
	/** A song that was added can be given the usual feel at once, where one is chosen. */
	const offerUsual = async (songs: SongCard[]) => {
		if (songs.length === 0) return;
		const { recipe, pocket, grid } = await client.defaults();
		if (recipe === null && pocket === null && grid === null) return;
		const id = `added-${songs[0].id}`;
		const give = () => {
			notifications.hide(id);
			usualAll(songs);
		};
		const [title, words] =
			songs.length === 1
				? [`“${songs[0].name}” was added`, "Give it the usual feel"]
				: [`${songs.length} songs were added`, "Give them the usual feel"];
		notifications.show({
			id,
			title,
			withBorder: true,
			autoClose: 20_000,
			message: (
				<Button size="compact-sm" variant="default" data-give-usual onClick={give}>
					{words}
				</Button>
			),
		});
	};
	const adding = useMutation({
		mutationFn: async (files: File[]) => {
			withdraw();
			const added: SongCard[] = [];
			const refused: Said[] = [];
			for (const file of files) {
				try {
					if (file.name.toLowerCase().endsWith(".vivida")) added.push(...(await client.unpack(file)));
					else added.push(await client.addSong(file));
				} catch (error) {
					const { file: named, detail } = problemIn(error);
					if (named === null) {
						// It is not the file that is the matter: the next one would fare no better.
						showError(error);
						break;
					}
					refused.push({ of: file.name, said: [detail] });
				}
				await refresh();
			}
			const mended = added
				.filter((song) => song.mended.length > 0)
				.map((song) => ({ of: song.name, said: song.mended }));
			if (refused.length > 0) {
				const title =
					files.length === 1
						? "The file was not imported"
						: `${refused.length} of ${files.length} files were not imported`;
				showLasting("not-imported", title, <Reasons all={refused} />);
			}
			if (mended.length > 0) {
				notifications.show({
					id: "mended",
					title: mended.length === 1 ? "A file was mended" : `${mended.length} files were mended`,
					message: <Reasons all={mended} />,
					withBorder: true,
					autoClose: 15_000,
				});
			}
			await offerUsual(added).catch(showError);
		},
	});
	const removeAll = (songs: SongCard[]) =>
		change.mutate(async () => {
			await client.deleteSongs(songs);
			const undo = () => change.mutate(client.undoShelf);
			const words =
				songs.length === 1 ? `“${songs[0].name}” was deleted` : `${songs.length} songs were deleted`;
			offer.current = offerUndo(`deleted-${songs[0].id}`, words, undo, 15_000);
		});
	// The cards of a long shelf are only drawn anew where their song has changed.
	const current = useRef({ usualAll, removeAll, change });
	current.current = { usualAll, removeAll, change };
	const cards = useMemo(
		() => ({
			usual: (song: SongCard) => current.current.usualAll([song]),
			remove: (song: SongCard) => current.current.removeAll([song]),
			rename: (song: SongCard, name: string) =>
				current.current.change.mutate(() => client.renameSong(song, name)),
			duplicate: (song: SongCard) => current.current.change.mutate(() => client.duplicateSong(song.id)),
		}),
		[],
	);
	return {
		adding: adding.isPending,
		removeAll,
		cards,
		add: (files: File[]) => {
			if (files.length > 0) adding.mutate(files);
		},
	};
}

interface Said {
	of: string;
	said: string[];
}

/** What is to be said of each file. */
function Reasons({ all }: { all: Said[] }) {
	return (
		<ul style={{ margin: 0, paddingLeft: 16, maxHeight: 180, overflowY: "auto" }}>
			{all.map(({ of, said }) => (
				<li key={of}>
					{said.some((one) => one.includes(of)) ? "" : <b>{of}: </b>}
					{said.map(sentence).join(" ")}
				</li>
			))}
		</ul>
	);
}
