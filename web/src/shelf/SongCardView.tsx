import { ActionIcon, Menu, Tooltip } from "@mantine/core";
import {
	IconAlertTriangle,
	IconCopy,
	IconDots,
	IconDownload,
	IconHeartHandshake,
	IconPackage,
	IconPencil,
	IconTrash,
} from "@tabler/icons-react";
import { type MouseEvent, memo, useState } from "react";
import { Link } from "wouter";
import { files } from "../api/client";
import type { SongCard } from "../api/generated/types";
import { DamageMark } from "../lib/Damage";
import { NameField } from "../lib/NameField";
import { useAfterMenu } from "../lib/useAfterMenu";
import { duration, inOrder, percent, plural } from "../lib/words";
import { Picture } from "./Picture";
import classes from "./Shelf.module.css";

interface Props {
	song: SongCard;
	/** Where it lies and how large it is, in px. */
	left: number;
	top: number;
	width: number;
	height: number;
	scheme: "light" | "dark";
	selected: boolean;
	onSelect: (song: SongCard, event: MouseEvent) => void;
	actions: CardActions;
}

/** What its menu offers. */
interface CardActions {
	rename: (song: SongCard, name: string) => void;
	duplicate: (song: SongCard) => void;
	remove: (song: SongCard) => void;
	/** Give it what new songs are usually given. */
	usual: (song: SongCard) => void;
}

/** A song on the shelf. The whole card opens it. */
export const SongCardView = memo(function SongCardView(props: Props) {
	const { song, selected, onSelect, actions, scheme, ...box } = props;
	const { left, top, width, height } = box;
	const [renaming, setRenaming] = useState(false);
	const [first] = inOrder(song.parts);
	const bpm = `${Math.round(song.bpm * 10) / 10} bpm${song.tempo_changes ? ", changing" : ""}`;
	const parts = inOrder(song.parts)
		.map(({ name, drums }) => (drums ? `${name} (drums)` : name))
		.join(", ");
	const damage = song.damage ?? song.parts.find((part) => part.damage)?.damage ?? null;
	// Every song that can be read has a bar.
	const isLost = song.damage !== null && song.bars === 0;
	const facts = [bpm, song.metres.join(" then "), plural(song.bars, "bar"), duration(song.seconds)];
	return (
		<li
			className={classes.card}
			style={{ width, height, transform: `translate(${left}px, ${top}px)` }}
			data-song={song.name}
			data-song-id={song.id}
			data-selected={selected}
			onClickCapture={(event) => {
				if (!(event.ctrlKey || event.metaKey || event.shiftKey)) return;
				event.preventDefault();
				event.stopPropagation();
				onSelect(song, event);
			}}
		>
			<input
				type="checkbox"
				className={classes.check}
				checked={selected}
				aria-label={`Select ${song.name}`}
				onClick={(event) => onSelect(song, event)}
				onChange={() => undefined}
			/>
			<Picture
				picture={song.picture}
				instead={song.parts.length > 0 ? "no drum part" : ""}
				label={`The first bars of ${song.name}`}
				width={width}
				scheme={scheme}
			/>
			<div className={classes.body}>
				<div className={classes.line}>
					{!renaming ? (
						<Name song={song} part={first?.id} />
					) : (
						<NameField
							className={classes.above}
							label="Song name"
							value={song.name}
							onDone={(name) => {
								setRenaming(false);
								if (name) actions.rename(song, name);
							}}
						/>
					)}
					<div className={`${classes.line} ${classes.above}`}>
						<DamageMark reason={damage} />
						{song.mended.length > 0 && (
							<Tooltip label={song.mended.join(" ")} multiline w={300} openDelay={0}>
								<IconAlertTriangle
									size={16}
									color="var(--added)"
									role="img"
									aria-label={`Mended: ${song.mended.join(" ")}`}
								/>
							</Tooltip>
						)}
						{song.is_demo && <span className={classes.demo}>demo</span>}
						<CardMenu song={song} actions={actions} onRename={() => setRenaming(true)} />
					</div>
				</div>
				{isLost ? (
					<div className={classes.damage}>
						Its file cannot be read any more. Save it as it came, or delete the song.
					</div>
				) : (
					<div className={classes.facts}>{facts.join(" · ")}</div>
				)}
				<div className={classes.facts} title={parts}>
					{parts || (!isLost && "There is nothing to play in it.")}
				</div>
				{song.picture && (
					<div className={classes.figures}>
						<Figure label="identical neighbours" shares={song.picture.identical_neighbours} />
						<Figure label="exactly on its lines" shares={song.picture.on_grid} />
					</div>
				)}
			</div>
		</li>
	);
});

interface MenuProps {
	song: SongCard;
	actions: CardActions;
	onRename: () => void;
}

/** A shelf of many songs draws no menu before it is asked for. */
function CardMenu({ song, actions, onRename }: MenuProps) {
	const [opened, setOpened] = useState<boolean | null>(null);
	const rename = useAfterMenu(onRename);
	const label = `More for ${song.name}`;
	if (opened === null) {
		return (
			<button
				type="button"
				className={classes.more}
				aria-label={label}
				aria-haspopup="menu"
				onClick={() => setOpened(true)}
			>
				<IconDots size={16} />
			</button>
		);
	}
	return (
		<Menu opened={opened} onChange={setOpened} onExitTransitionEnd={rename.onExitTransitionEnd}>
			<Menu.Target>
				<ActionIcon variant="subtle" color="gray" aria-label={label}>
					<IconDots size={16} />
				</ActionIcon>
			</Menu.Target>
			<Menu.Dropdown>
				<Menu.Item leftSection={<IconPencil size={14} />} onClick={rename.choose}>
					Rename
				</Menu.Item>
				<Menu.Item leftSection={<IconCopy size={14} />} onClick={() => actions.duplicate(song)}>
					Duplicate
				</Menu.Item>
				<Menu.Item
					leftSection={<IconHeartHandshake size={14} />}
					disabled={song.parts.length === 0}
					onClick={() => actions.usual(song)}
				>
					Give it the usual feel
				</Menu.Item>
				<Menu.Item
					component="a"
					href={files.original(song.id)}
					download
					leftSection={<IconDownload size={14} />}
				>
					Save the file as it came
				</Menu.Item>
				<Menu.Item
					component="a"
					href={files.bundle(song.id)}
					download
					leftSection={<IconPackage size={14} />}
				>
					Pack for another machine
				</Menu.Item>
				<Menu.Item leftSection={<IconTrash size={14} />} onClick={() => actions.remove(song)}>
					Delete
				</Menu.Item>
			</Menu.Dropdown>
		</Menu>
	);
}

/** A song without a part has nothing to be opened. */
function Name({ song, part }: { song: SongCard; part: number | undefined }) {
	if (part === undefined) return <span className={classes.name}>{song.name}</span>;
	return (
		<Link href={`/songs/${song.id}/parts/${part}`} className={classes.name} title={song.name}>
			{song.name}
		</Link>
	);
}

function Figure({ label, shares: [written, played] }: { label: string; shares: [number, number] }) {
	return (
		<span className={classes.figure}>
			{label} {percent(written)}
			{percent(written) !== percent(played) && (
				<>
					{" → "}
					<strong>{percent(played)}</strong>
				</>
			)}
		</span>
	);
}
