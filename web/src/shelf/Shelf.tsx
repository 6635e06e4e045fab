import { Button, Center, Loader, Select, TextInput, useComputedColorScheme } from "@mantine/core";
import { useElementSize, useMergedRef } from "@mantine/hooks";
import { IconFilePlus, IconSearch } from "@tabler/icons-react";
import { useQuery } from "@tanstack/react-query";
import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { type DragEvent, type MouseEvent, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useLocation } from "wouter";
import { client } from "../api/client";
import type { SongCard, SoundDetail } from "../api/generated/types";
import { ShelfHelp } from "../help/HelpButton";
import { Message } from "../lib/Message";
import { clearNotes, showError } from "../lib/notify";
import { SchemeToggle } from "../lib/SchemeToggle";
import { plural } from "../lib/words";
import { LoopDialog } from "../loops/LoopDialog";
import { isSound, soundEndings } from "../loops/sound";
import { BatchDialog, BatchReports } from "./Batch";
import { BeginButton } from "./Begin";
import { SelectionTools } from "./SelectionTools";
import classes from "./Shelf.module.css";
import { ShelfMenu } from "./ShelfMenu";
import { SongCardView } from "./SongCardView";
import { type Order, orders, sorted } from "./sorting";
import { useAlbums } from "./useAlbums";
import { useShelfActions } from "./useShelfActions";
import { useSweep } from "./useSweep";

/** The drums of a demo song, else of the first one: the walk goes through them. */
function walkedThrough(songs: SongCard[] = []) {
	const played = songs.filter(({ parts }) => parts.some(({ hits }) => hits > 0));
	const song = played.find(({ is_demo }) => is_demo) ?? played[0];
	const part = song?.parts.find(({ drums, hits }) => drums && hits > 0) ?? song?.parts[0];
	return part && `/songs/${song.id}/parts/${part.id}`;
}

/** All songs, and where new ones are dropped. */
export function Shelf() {
	const songs = useQuery({ queryKey: ["songs"], queryFn: client.songs });
	const actions = useShelfActions();
	const { add: addFiles, adding } = actions;
	const [, go] = useLocation();
	/** Recorded loops that were brought in and wait to be told how many bars they are. */
	const [sounds, setSounds] = useState<SoundDetail[]>([]);
	const add = async (files: File[]) => {
		addFiles(files.filter((file) => !isSound(file)));
		for (const file of files.filter(isSound)) {
			try {
				const sound = await client.addSound(file);
				setSounds((waiting) => [...waiting, sound]);
			} catch (error) {
				showError(error);
			}
		}
	};
	const [over, setOver] = useState(false);
	const [text, setText] = useState("");
	const [order, setOrder] = useState<Order>("newest");
	/** The report that is shown; 0 is the newest. */
	const [batch, setBatch] = useState<number | null>(null);
	const input = useRef<HTMLInputElement>(null);
	useEffect(() => clearNotes, []);
	const albums = useAlbums();
	const [album, setAlbum] = useState<string | null>(null);
	const own = albums.albums.find(({ name }) => name === album);
	const shown = useMemo(() => {
		const all = songs.data ?? [];
		return sorted(own ? all.filter(({ id }) => own.songs.includes(id)) : all, order, text);
	}, [songs.data, order, text, own]);

	const drop = (event: DragEvent) => {
		event.preventDefault();
		setOver(false);
		void add([...event.dataTransfer.files]);
	};
	if (songs.isError) {
		return <Message title="The shelf cannot be shown">{songs.error.message}</Message>;
	}
	const count = songs.data?.length ?? 0;
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
				<span className={classes.facts} role="status">
					{text.trim() || own ? `${shown.length} of ${plural(count, "song")}` : plural(count, "song")}
				</span>
				<span className={classes.grow} />
				{count > 1 && (
					<>
						<TextInput
							size="xs"
							style={{ flex: "0 1 210px" }}
							placeholder="Search by name, part or tempo"
							aria-label="Search the songs"
							leftSection={<IconSearch size={14} />}
							value={text}
							onChange={(event) => setText(event.currentTarget.value)}
						/>
						<Select
							size="xs"
							style={{ flex: "0 1 150px" }}
							aria-label="Order of the songs"
							allowDeselect={false}
							data={orders}
							value={order}
							onChange={(value) => value && setOrder(value as Order)}
						/>
					</>
				)}
				{albums.albums.length > 0 && (
					<Select
						size="xs"
						style={{ flex: "0 1 150px" }}
						aria-label="Album"
						allowDeselect={false}
						data={["All songs", ...albums.albums.map(({ name }) => name)]}
						value={own ? own.name : "All songs"}
						onChange={(value) => setAlbum(value === "All songs" ? null : value)}
						data-albums
					/>
				)}
				<SchemeToggle />
				<ShelfHelp part={walkedThrough(songs.data)} />
				<ShelfMenu onUnpack={addFiles} onReports={() => setBatch(0)} />
				<BeginButton />
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
					accept={[".mid", ".midi", ".smf", ".vivida", ...soundEndings].join()}
					aria-label="MIDI files or recorded loops"
					onChange={(event) => {
						void add([...(event.currentTarget.files ?? [])]);
						event.currentTarget.value = "";
					}}
				/>
			</header>
			<LoopDialog
				sound={sounds[0] ?? null}
				close={() => setSounds((waiting) => waiting.slice(1))}
				onLaid={({ song, part }) => {
					if (sounds.length === 1) go(`/songs/${song}/parts/${part}`);
					else void songs.refetch();
				}}
			/>
			<main>
				<h1 className="visually-hidden">Shelf</h1>
				{songs.isPending ? (
					<Center h={300}>
						<Loader />
					</Center>
				) : (
					<Cards
						songs={shown}
						empty={count > 0 && text.trim() ? `No song matches “${text.trim()}”.` : null}
						actions={actions}
						onChoose={() => input.current?.click()}
						onBatch={setBatch}
						albums={albums}
						album={own ? own.name : null}
					/>
				)}
			</main>
			<BatchReports opened={batch !== null} close={() => setBatch(null)} first={batch} />
		</div>
	);
}

const styleOf = ({ left, top, width, height }: Record<"left" | "top" | "width" | "height", number>) => ({
	width,
	height,
	transform: `translate(${left}px, ${top}px)`,
});

interface CardsProps {
	songs: SongCard[];
	/** Said where none is shown though there are some. */
	empty: string | null;
	actions: ReturnType<typeof useShelfActions>;
	onChoose: () => void;
	/** Songs are being treated together. */
	onBatch: (id: number) => void;
	albums: ReturnType<typeof useAlbums>;
	album: string | null;
}

const gap = 16;
const leastWidth = 290;
const cardHeight = 250;

/** The cards that are in view, in rows; those out of view are only room. */
function Cards({ songs, empty, actions, onChoose, onBatch, albums, album }: CardsProps) {
	const [selected, setSelected] = useState<Set<number>>(new Set());
	const scheme = useComputedColorScheme("light");
	const last = useRef<number | null>(null);
	const list = useRef<HTMLUListElement>(null);
	const { ref: size, width } = useElementSize();
	const merged = useMergedRef(list, size);
	const columns = Math.max(1, Math.floor((width + gap) / (leastWidth + gap)));
	// Behind the last song there is room for more.
	const rows = Math.ceil((songs.length + 1) / columns);
	const virtual = useWindowVirtualizer({
		count: rows,
		estimateSize: () => cardHeight + gap,
		overscan: 1,
		useFlushSync: false,
		scrollMargin: list.current?.offsetTop ?? 0,
	});
	const [treating, setTreating] = useState<SongCard[] | null>(null);
	const chosen = songs.filter(({ id }) => selected.has(id));
	const toggle = useCallback(
		(song: SongCard, event: MouseEvent) => {
			const from = songs.findIndex(({ id }) => id === last.current);
			const to = songs.indexOf(song);
			const ranged = event.shiftKey && from >= 0;
			const range = ranged ? songs.slice(Math.min(from, to), Math.max(from, to) + 1) : [];
			last.current = song.id;
			setSelected((selected) => {
				const next = new Set(selected);
				if (ranged) for (const one of range) next.add(one.id);
				else if (!next.delete(song.id)) next.add(song.id);
				return next;
			});
		},
		[songs],
	);
	const sweep = useSweep(list, (ids, more) => setSelected(new Set(more ? [...selected, ...ids] : ids)));
	useEffect(() => {
		const keys = (event: KeyboardEvent) => {
			if (event.key === "Escape") setSelected(new Set());
			const typing = document.activeElement?.matches("input, textarea");
			if ((event.ctrlKey || event.metaKey) && event.key === "a" && !typing) {
				event.preventDefault();
				setSelected(new Set(songs.map(({ id }) => id)));
			}
		};
		window.addEventListener("keydown", keys);
		return () => window.removeEventListener("keydown", keys);
	}, [songs]);
	return (
		<>
			{songs.length === 0 && empty && <p className={classes.none}>{empty}</p>}
			<ul
				ref={merged}
				className={classes.cards}
				style={{ height: virtual.getTotalSize() }}
				onPointerDown={sweep.onPointerDown}
				data-selecting={chosen.length > 0}
			>
				{width > 0 &&
					virtual.getVirtualItems().flatMap((row) => {
						const first = row.index * columns;
						const box = (column: number) => ({
							left: column * ((width + gap) / columns),
							top: row.start - virtual.options.scrollMargin,
							width: (width - gap * (columns - 1)) / columns,
							height: cardHeight,
						});
						const inRow = songs.slice(first, first + columns);
						return [
							...inRow.map((song, column) => (
								<SongCardView
									key={song.id}
									{...box(column)}
									song={song}
									scheme={scheme}
									selected={selected.has(song.id)}
									onSelect={toggle}
									actions={actions.cards}
								/>
							)),
							inRow.length < columns && first + inRow.length === songs.length && (
								<li key="more" className={classes.place} style={styleOf(box(inRow.length))}>
									<button type="button" className={classes.drop} onClick={onChoose} disabled={actions.adding}>
										<IconFilePlus size={26} stroke={1.4} />
										<strong>{actions.adding ? "Reading…" : "Drop MIDI files or a loop here"}</strong>
										<span>or click to choose them. They stay on this machine.</span>
									</button>
								</li>
							),
						];
					})}
				{sweep.box && <li aria-hidden className={classes.sweep} style={sweep.box} />}
			</ul>
			{chosen.length > 0 && (
				<SelectionTools
					songs={chosen}
					actions={actions}
					onDone={() => setSelected(new Set())}
					onTreat={() => setTreating(chosen)}
					albums={albums}
					album={album}
				/>
			)}
			<BatchDialog
				songs={treating ?? []}
				opened={treating !== null}
				close={() => setTreating(null)}
				onBegun={({ id }) => {
					setTreating(null);
					setSelected(new Set());
					onBatch(id);
				}}
			/>
		</>
	);
}
