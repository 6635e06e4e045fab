import { ActionIcon, Badge, Group, Menu, Tooltip } from "@mantine/core";
import {
	IconAlertTriangle,
	IconCopy,
	IconDots,
	IconHeartHandshake,
	IconPencil,
	IconTrash,
} from "@tabler/icons-react";
import { useState } from "react";
import { Link } from "wouter";
import type { SongCard } from "../api/generated/types";
import { NameField } from "../NameField";
import { useAfterMenu } from "../useAfterMenu";
import { duration, percent, plural } from "../words";
import { Picture } from "./Picture";
import classes from "./Shelf.module.css";

interface Props {
	song: SongCard;
	onRename: (song: SongCard, name: string) => void;
	onDuplicate: (song: SongCard) => void;
	onDelete: (song: SongCard) => void;
	/** Give it what new songs are usually given. */
	onUsual: (song: SongCard) => void;
}

/** A song on the shelf. The whole card opens it. */
export function SongCardView({ song, onRename, onDuplicate, onDelete, onUsual }: Props) {
	const [renaming, setRenaming] = useState(false);
	const rename = useAfterMenu(() => setRenaming(true));
	const first = song.parts.find((part) => part.drums) ?? song.parts[0];
	const bpm = `${Math.round(song.bpm * 10) / 10} bpm${song.tempo_changes ? ", changing" : ""}`;
	const parts = song.parts.map((part) => part.name).join(", ");
	return (
		<li className={classes.card} data-song={song.name}>
			<Picture picture={song.picture} label={`The first bars of ${song.name}`} />
			<div className={classes.body}>
				<Group justify="space-between" wrap="nowrap" gap="xs">
					{!renaming ? (
						<Link href={`/songs/${song.id}/parts/${first.id}`} className={classes.name} title={song.name}>
							{song.name}
						</Link>
					) : (
						<NameField
							className={classes.above}
							label="Song name"
							value={song.name}
							onDone={(name) => {
								setRenaming(false);
								if (name) onRename(song, name);
							}}
						/>
					)}
					<Group gap={4} wrap="nowrap" className={classes.above}>
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
						{song.is_demo && (
							<Badge size="xs" variant="default" radius="sm">
								demo
							</Badge>
						)}
						<Menu onExitTransitionEnd={rename.onExitTransitionEnd}>
							<Menu.Target>
								<ActionIcon variant="subtle" color="gray" aria-label={`More for ${song.name}`}>
									<IconDots size={16} />
								</ActionIcon>
							</Menu.Target>
							<Menu.Dropdown>
								<Menu.Item leftSection={<IconPencil size={14} />} onClick={rename.choose}>
									Rename
								</Menu.Item>
								<Menu.Item leftSection={<IconCopy size={14} />} onClick={() => onDuplicate(song)}>
									Duplicate
								</Menu.Item>
								<Menu.Item leftSection={<IconHeartHandshake size={14} />} onClick={() => onUsual(song)}>
									Give it the usual feel
								</Menu.Item>
								<Menu.Item leftSection={<IconTrash size={14} />} onClick={() => onDelete(song)}>
									Delete
								</Menu.Item>
							</Menu.Dropdown>
						</Menu>
					</Group>
				</Group>
				<div className={classes.facts}>
					{bpm} · {song.metres.join(" then ")} · {plural(song.bars, "bar")} · {duration(song.seconds)}
				</div>
				<div className={classes.facts} title={parts}>
					{parts}
				</div>
				{song.picture && (
					<div className={classes.figures}>
						<Figure label="identical neighbours" shares={song.picture.identical_neighbours} />
						<Figure label="exactly on grid" shares={song.picture.on_grid} />
					</div>
				)}
			</div>
		</li>
	);
}

function Figure({ label, shares: [written, played] }: { label: string; shares: [number, number] }) {
	return (
		<span>
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
