import { Button, Menu } from "@mantine/core";
import {
	IconArrowsJoin2,
	IconArrowsSplit2,
	IconChevronDown,
	IconCircleDot,
	IconCopy,
	IconFileImport,
	IconFilePlus,
	IconMusic,
	IconPencil,
	IconPlugConnected,
	IconTrash,
	IconVolume,
	IconVolumeOff,
} from "@tabler/icons-react";
import { Suspense, useRef, useState } from "react";
import { useLocation } from "wouter";
import { client } from "../../api/client";
import type { RefitReport, SoundDetail } from "../../api/generated/types";
import { fetched } from "../../lib/fetched";
import { NameField } from "../../lib/NameField";
import { showError } from "../../lib/notify";
import { useAfterMenu } from "../../lib/useAfterMenu";
import { inOrder, plural } from "../../lib/words";
import { LoopDialog } from "../../loops/LoopDialog";
import { isSound, soundEndings } from "../../loops/sound";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useUsed } from "../../part/useUsed";
import classes from "../Workspace.module.css";
import { JoinDialog, SplitDialog } from "./Regroup";

// It is fetched when a newer file was found.
const NewerDialog = fetched(() => import("./Newer").then((all) => all.NewerDialog));

/** The song and its parts: another one, a second one of this, another name, silence. */
export function Crumbs() {
	const store = useWorkspaceStore();
	const song = useWorkspace((state) => state.song);
	const { state: part } = useWorkspace((state) => state.part);
	const [, go] = useLocation();
	const [renaming, setRenaming] = useState(false);
	const [dialog, setDialog] = useState<"split" | "join" | null>(null);
	const wanted = useRef<"rename" | "split" | "join">("rename");
	const after = useAfterMenu(() => {
		if (wanted.current === "rename") setRenaming(true);
		else setDialog(wanted.current);
	});
	const choose = (what: "rename" | "split" | "join") => () => {
		wanted.current = what;
		after.choose();
	};
	const instruments = useUsed().size;
	const { change, setSong } = store.getState();
	const second = song.parts.find(({ id }) => id === part.id)?.is_second ?? false;
	const open = (id: number) => go(`/songs/${song.id}/parts/${id}`);
	const refresh = async () => setSong(await client.song(song.id));
	const set = async (label: string, fields: { drums?: boolean; name?: string; muted?: boolean }) => {
		const done = await change((revision) => client.changePart(part.id, { revision, label, ...fields }));
		if (done) await refresh().catch(showError);
	};
	const duplicate = async () => {
		try {
			open((await client.duplicatePart(part.id)).id);
		} catch (error) {
			showError(error);
		}
	};
	const file = useRef<HTMLInputElement>(null);
	const newer = useRef<HTMLInputElement>(null);
	const [sound, setSound] = useState<SoundDetail | null>(null);
	const [found, setFound] = useState<{ file: File; report: RefitReport } | null>(null);
	const addFrom = async (chosen: File) => {
		const known = new Set(song.parts.map(({ id }) => id));
		try {
			if (isSound(chosen)) {
				setSound(await client.addSound(chosen));
				return;
			}
			await store.getState().settled();
			const next = await client.addParts(song.id, store.getState().song.revision, chosen);
			const added = next.parts.find(({ id }) => !known.has(id));
			if (added) open(added.id);
		} catch (error) {
			showError(error);
		}
	};
	const remove = async () => {
		try {
			await client.deletePart(part.id, store.getState().revision);
			open(song.parts.find(({ id }) => id !== part.id)?.id ?? part.id);
		} catch (error) {
			showError(error);
		}
	};
	return (
		<nav className={classes.crumbs} aria-label="Song and part">
			<h1 className="visually-hidden">
				{song.name}, {part.name}
			</h1>
			<span title={song.name}>{song.name}</span>›
			{renaming ? (
				<NameField
					label="Name of the part"
					value={part.name}
					onDone={(name) => {
						setRenaming(false);
						if (name) void set("rename the part", { name });
					}}
				/>
			) : (
				<Menu onExitTransitionEnd={after.onExitTransitionEnd}>
					<Menu.Target>
						<Button
							variant="subtle"
							color="gray"
							size="compact-sm"
							rightSection={<IconChevronDown size={12} />}
							classNames={{ label: classes.partButton }}
							title={part.name}
						>
							{part.name}
							{part.muted && " (muted)"}
						</Button>
					</Menu.Target>
					<Menu.Dropdown>
						<Menu.Label>Parts of the song</Menu.Label>
						<div className={classes.parts}>
							{inOrder(song.parts).map((one) => (
								<Menu.Item
									key={one.id}
									leftSection={one.drums ? <IconCircleDot size={14} /> : <IconMusic size={14} />}
									disabled={one.id === part.id}
									onClick={() => open(one.id)}
								>
									{one.name} · {one.drums ? "drums" : "tones"}, {plural(one.hits, "hit")}
									{one.muted && ", muted"}
								</Menu.Item>
							))}
						</div>
						<Menu.Item leftSection={<IconFilePlus size={14} />} onClick={() => file.current?.click()}>
							Add a part from a file …
						</Menu.Item>
						{song.outline === null && (
							<Menu.Item leftSection={<IconFileImport size={14} />} onClick={() => newer.current?.click()}>
								Bring in a newer file …
							</Menu.Item>
						)}
						<Menu.Divider />
						<Menu.Label>This part</Menu.Label>
						<Menu.Item leftSection={<IconCopy size={14} />} onClick={() => void duplicate()}>
							Duplicate
						</Menu.Item>
						<Menu.Item
							leftSection={part.muted ? <IconVolume size={14} /> : <IconVolumeOff size={14} />}
							onClick={() => void set(part.muted ? "unmute" : "mute", { muted: !part.muted })}
						>
							{part.muted ? "Unmute" : "Mute, here and in exports"}
						</Menu.Item>
						<Menu.Item leftSection={<IconPencil size={14} />} onClick={choose("rename")}>
							Rename
						</Menu.Item>
						<Menu.Item
							onClick={() =>
								void set(part.drums ? "treat as a tonal part" : "treat as drums", { drums: !part.drums })
							}
						>
							{part.drums ? "Treat as a tonal part" : "Treat as drums"}
						</Menu.Item>
						{part.drums && (
							<Menu.Item
								leftSection={<IconPlugConnected size={14} />}
								onClick={() => store.getState().showScreen("kit")}
								data-open-kit
							>
								Kit: {part.kit?.name ?? "General MIDI"} …
							</Menu.Item>
						)}
						{instruments > 1 && (
							<Menu.Item leftSection={<IconArrowsSplit2 size={14} />} onClick={choose("split")}>
								Split by instruments …
							</Menu.Item>
						)}
						{song.parts.length > 1 && (
							<Menu.Item leftSection={<IconArrowsJoin2 size={14} />} onClick={choose("join")}>
								Join with other parts …
							</Menu.Item>
						)}
						{(second || (part.drawn && song.parts.length > 1)) && (
							<Menu.Item leftSection={<IconTrash size={14} />} onClick={() => void remove()}>
								Delete
							</Menu.Item>
						)}
					</Menu.Dropdown>
				</Menu>
			)}
			<input
				ref={file}
				type="file"
				hidden
				accept={[".mid", ".midi", ".smf", ...soundEndings].join()}
				aria-label="MIDI file with a part, or a recorded loop"
				onChange={(event) => {
					const [chosen] = event.currentTarget.files ?? [];
					event.currentTarget.value = "";
					if (chosen) void addFrom(chosen);
				}}
			/>
			<input
				ref={newer}
				type="file"
				hidden
				accept=".mid,.midi,.smf,audio/midi,audio/x-midi"
				aria-label="Newer MIDI file of the song"
				onChange={(event) => {
					const [file] = event.currentTarget.files ?? [];
					event.currentTarget.value = "";
					if (file)
						client
							.previewFile(song.id, file)
							.then((report) => setFound({ file, report }))
							.catch(showError);
				}}
			/>
			<LoopDialog
				sound={sound}
				song={song}
				revision={() => store.getState().song.revision}
				close={() => setSound(null)}
				onLaid={(laid) => open(laid.part)}
			/>
			{found && (
				<Suspense>
					<NewerDialog
						found={found}
						close={() => setFound(null)}
						onDone={() => void refresh().catch(showError)}
					/>
				</Suspense>
			)}
			<SplitDialog opened={dialog === "split"} close={() => setDialog(null)} />
			<JoinDialog opened={dialog === "join"} close={() => setDialog(null)} />
		</nav>
	);
}
