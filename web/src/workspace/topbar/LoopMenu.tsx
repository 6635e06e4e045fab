/** What belongs to a part that is a recorded loop: its file, its onsets, and how it is taken away. */
import {
	ActionIcon,
	Anchor,
	Button,
	Group,
	Popover,
	SegmentedControl,
	Stack,
	Text,
	Tooltip,
} from "@mantine/core";
import { IconWaveSine } from "@tabler/icons-react";
import { useEffect, useRef, useState } from "react";
import { useLocation } from "wouter";
import { client, files } from "../../api/client";
import type { PartAudio } from "../../api/generated/types";
import { loopRate } from "../../engine/audio/loop";
import { showError } from "../../lib/notify";
import { plural } from "../../lib/words";
import { OnsetSlider } from "../../loops/OnsetSlider";
import { useWorkspace, useWorkspaceStore } from "../../part/store";

/** Fetches the wave that is drawn behind the hits. */
function useWave(audio: PartAudio | null) {
	const store = useWorkspaceStore();
	const sound = audio?.missing === false ? audio.source.sound : null;
	const seconds = (audio?.source.frames ?? 0) / loopRate;
	useEffect(() => {
		if (!sound) return;
		let here = true;
		// About as fine as four bars of it are drawn.
		const count = Math.max(4000, Math.min(20_000, Math.round(seconds * 400)));
		client
			.peaks(sound, 0, seconds, count)
			.then((wave) => here && store.setState({ wave }))
			.catch(showError);
		return () => {
			here = false;
		};
	}, [store, sound, seconds]);
}

export function LoopMenu() {
	const audio = useWorkspace((state) => state.part.audio);
	useWave(audio);
	const [opened, setOpened] = useState(false);
	if (!audio) return null;
	return (
		<Popover opened={opened} onChange={setOpened} width={340} position="bottom-start" trapFocus returnFocus>
			<Popover.Target>
				<Tooltip label={audio.missing ? "The loop’s file is gone" : "The recorded loop"} disabled={opened}>
					<ActionIcon
						variant={audio.missing ? "filled" : "subtle"}
						color={audio.missing ? "madder" : "gray"}
						size={26}
						aria-label="The recorded loop"
						onClick={() => setOpened(!opened)}
						data-loop-menu
					>
						<IconWaveSine size={16} />
					</ActionIcon>
				</Tooltip>
			</Popover.Target>
			<Popover.Dropdown>
				{audio.missing ? <Missing audio={audio} /> : <Options audio={audio} close={() => setOpened(false)} />}
			</Popover.Dropdown>
		</Popover>
	);
}

/** Its file is gone: dropped again it is the same part as before. */
function Missing({ audio }: { audio: PartAudio }) {
	const input = useRef<HTMLInputElement>(null);
	const [said, setSaid] = useState("");
	const bring = async (file: File) => {
		try {
			const { sound } = await client.addSound(file);
			if (sound === audio.source.sound) location.reload();
			else setSaid(`“${file.name}” is another file.`);
		} catch (error) {
			showError(error);
		}
	};
	return (
		<Stack gap={8}>
			<Text size="sm">
				The file “{audio.source.name}” is gone from the data folder, so this part is silent. Choose the same
				file again, and all is as it was.
			</Text>
			{said && <Text size="sm">{said}</Text>}
			<Button size="xs" onClick={() => input.current?.click()}>
				Choose “{audio.source.name}”
			</Button>
			<input
				ref={input}
				type="file"
				hidden
				aria-label="The missing file"
				onChange={(event) => {
					const [file] = event.currentTarget.files ?? [];
					if (file) void bring(file);
				}}
			/>
		</Stack>
	);
}

function Options({ audio, close }: { audio: PartAudio; close: () => void }) {
	const store = useWorkspaceStore();
	const [, go] = useLocation();
	const song = useWorkspace((state) => state.song);
	const { id } = useWorkspace((state) => state.part.state);
	const count = useWorkspace((state) => state.part.written.ids.length);
	const [sensitivity, setSensitivity] = useState(audio.source.sensitivity);
	const [found, setFound] = useState<number | null>(null);
	const [depth, setDepth] = useState("24");
	const [reading, setReading] = useState("played");
	const [busy, setBusy] = useState(false);
	const { slicing } = audio.source;
	const look = (value: number) =>
		client
			.onsets(audio.source.sound, value)
			.then(({ seconds }) => setFound(seconds.length * slicing.times))
			.catch(showError);
	const findAgain = async () => {
		setBusy(true);
		const find = async (revision: number) => (await client.findOnsets(id, { revision, sensitivity })).state;
		const done = await store.getState().change(find);
		setBusy(false);
		if (done) close();
	};
	const toKit = async () => {
		try {
			await store.getState().settled();
			const { parts } = await client.loopByKit(id);
			go(`/songs/${song.id}/parts/${parts[0]}`);
		} catch (error) {
			showError(error);
		}
	};
	const asRecorded = Math.abs(audio.bpm - song.bpm) < 0.005;
	return (
		<Stack gap={10} data-loop-options>
			<Text size="sm">
				“{audio.source.name}”, recorded at {audio.bpm.toFixed(2)} bpm
				{asRecorded ? "." : `, running at the song’s ${song.bpm.toFixed(2)} here.`}
			</Text>
			<OnsetSlider
				value={sensitivity}
				onChange={setSensitivity}
				onChangeEnd={look}
				found={plural(found ?? count, "hit")}
				count={found ?? count}
			/>
			<Button size="xs" variant="default" loading={busy} onClick={() => void findAgain()}>
				Find onsets again
			</Button>
			<Text size="xs" c="dimmed">
				This replaces every onset, including those you drew; undo brings them back. Add, move or erase single
				onsets with the pencil (B).
			</Text>
			<Group gap={8} grow>
				<SegmentedControl
					size="xs"
					aria-label="Bits a sample"
					data={["16", "24", "32f"]}
					value={depth}
					onChange={setDepth}
				/>
				<SegmentedControl
					size="xs"
					aria-label="Reading"
					data={[
						{ value: "played", label: "Played" },
						{ value: "written", label: "Written" },
					]}
					value={reading}
					onChange={setReading}
				/>
			</Group>
			<Button
				size="xs"
				component="a"
				href={files.loop(id, depth, reading === "written")}
				download
				data-save-loop
			>
				Save the loop as WAV
			</Button>
			<Group justify="space-between">
				<Anchor size="xs" href={files.onsets(id)} download>
					Onsets as CSV
				</Anchor>
				<Anchor size="xs" component="button" type="button" onClick={() => void toKit()}>
					Make a part for the kit
				</Anchor>
			</Group>
		</Stack>
	);
}
