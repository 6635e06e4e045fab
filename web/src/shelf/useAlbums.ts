/** Albums: songs that are worked on together, by their ids. Kept as a view is: no step. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { client } from "../api/client";
import { showError } from "../lib/notify";

export interface Album {
	name: string;
	songs: number[];
}

const key = ["albums"];

export function useAlbums() {
	const queries = useQueryClient();
	const kept = useQuery({
		queryKey: key,
		queryFn: async () => {
			const found = await client.view<Album[]>("albums");
			// Other hands may have kept something else.
			return Array.isArray(found) ? found.filter(({ name, songs }) => name && Array.isArray(songs)) : [];
		},
	});
	const albums = kept.data ?? [];
	const keep = (next: Album[]) => {
		queries.setQueryData(
			key,
			next.filter(({ songs }) => songs.length > 0),
		);
		void client
			.setView(
				"albums",
				next.filter(({ songs }) => songs.length > 0),
			)
			.catch(showError);
	};
	return {
		albums,
		/** Puts songs into an album, which is made where there is none of that name. */
		put: (name: string, songs: number[]) => {
			const known = albums.find((one) => one.name === name);
			const all = [...new Set([...(known?.songs ?? []), ...songs])];
			keep([...albums.filter((one) => one !== known), { name, songs: all }]);
		},
		/** Takes songs out of an album; one without songs is gone. */
		take: (name: string, songs: number[]) =>
			keep(
				albums.map((one) =>
					one.name === name ? { ...one, songs: one.songs.filter((id) => !songs.includes(id)) } : one,
				),
			),
	};
}
