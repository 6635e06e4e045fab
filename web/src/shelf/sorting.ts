/** Which songs of the shelf are shown, and in which order. */
import type { SongCard } from "../api/generated/types";

export type Order = "newest" | "name" | "tempo" | "stiff";

export const orders = [
	{ value: "newest", label: "Newest first" },
	{ value: "name", label: "By name" },
	{ value: "tempo", label: "By tempo" },
	{ value: "stiff", label: "Stiffest first" },
];

/** Identical neighbours and hits exactly on the grid, as they are played now. */
const stiffness = ({ picture }: SongCard) =>
	picture ? picture.identical_neighbours[1] + picture.on_grid[1] : -1;

const byName = new Intl.Collator(undefined, { numeric: true, sensitivity: "base" });

const comparisons: Record<Order, (a: SongCard, b: SongCard) => number> = {
	// The demo comes last, and in its own order.
	newest: (a, b) => Number(a.is_demo) - Number(b.is_demo) || (a.is_demo ? a.id - b.id : b.id - a.id),
	name: (a, b) => byName.compare(a.name, b.name),
	tempo: (a, b) => a.bpm - b.bpm,
	stiff: (a, b) => stiffness(b) - stiffness(a),
};

/** The songs whose words answer to all that was typed. */
export function sorted(songs: SongCard[], order: Order, text: string): SongCard[] {
	const wanted = text.toLowerCase().split(/\s+/).filter(Boolean);
	const words = (song: SongCard) =>
		[song.name, ...song.parts.map(({ name }) => name), `${Math.round(song.bpm)} bpm`, ...song.metres]
			.join(" ")
			.toLowerCase();
	return songs
		.filter((song) => {
			const own = words(song);
			return wanted.every((word) => own.includes(word));
		})
		.sort((a, b) => comparisons[order](a, b) || a.id - b.id);
}
