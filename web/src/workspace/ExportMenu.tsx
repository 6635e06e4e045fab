import { Button, Checkbox, Group, Popover, Progress, Radio, Stack, Text } from "@mantine/core";
import { IconDownload } from "@tabler/icons-react";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { client, files } from "../api/client";
import type { RenderState } from "../api/generated/types";
import { showError, showNote } from "../notify";
import { plural } from "../words";
import { useWorkspace, useWorkspaceStore } from "./store";

/** Takes the result away: the whole song with what every part's passes make of it. */
export function ExportMenu() {
	const store = useWorkspaceStore();
	const [opened, setOpened] = useState(false);
	return (
		<Popover
			opened={opened}
			onChange={setOpened}
			position="bottom-end"
			width={330}
			trapFocus
			onOpen={() => void store.getState().leave()}
		>
			<Popover.Target>
				<Button
					size="compact-sm"
					h={30}
					leftSection={<IconDownload size={15} />}
					onClick={() => setOpened(!opened)}
				>
					Export
				</Button>
			</Popover.Target>
			<Popover.Dropdown>
				<ExportForm />
			</Popover.Dropdown>
		</Popover>
	);
}

function ExportForm() {
	const song = useWorkspace((state) => state.song.id);
	const revision = useWorkspace((state) => state.revision);
	const [resolution, setResolution] = useState<"own" | "fine">("own");
	const [leadIn, setLeadIn] = useState(false);
	const info = useQuery({
		queryKey: ["export", song, revision],
		queryFn: () => client.exportInfo(song),
		gcTime: 0,
	});
	const data = info.data;
	const rounding =
		data && (data.rounding < 0.05 ? "moves nothing" : `moves hits by up to ${data.rounding.toFixed(1)} ms`);
	return (
		<Stack gap="sm">
			<Radio.Group
				label="Resolution of the MIDI file"
				value={resolution}
				onChange={(value) => setResolution(value as "own" | "fine")}
			>
				<Stack gap={6} mt={6}>
					<Radio
						size="xs"
						value="own"
						label={data ? `its own ${data.file_ppq} ppq: rounding ${rounding}` : "its own"}
					/>
					<Radio
						size="xs"
						value="fine"
						disabled={data?.smpte || data?.file_ppq === data?.fine_ppq}
						label={data ? `fine, ${data.fine_ppq} ppq: as you hear it` : "fine"}
					/>
				</Stack>
			</Radio.Group>
			<Checkbox
				size="xs"
				checked={leadIn}
				onChange={(event) => setLeadIn(event.currentTarget.checked)}
				label="An empty bar in front"
				description={
					data &&
					(data.held_at_start > 0
						? `${plural(data.held_at_start, "hit wants", "hits want")} to come before the start and would be held there.`
						: "No hit wants to come before the start.")
				}
			/>
			<Button component="a" href={files.midi(song, resolution, leadIn)} download data-export="midi">
				MIDI file
			</Button>
			<WavButton song={song} />
			<Text size="xs" c="dimmed">
				All parts of the song are exported, each as its passes make it.
			</Text>
		</Stack>
	);
}

/** Makes a WAV file: says how far it is, can be stopped, and hands it over when it is ready. */
function WavButton({ song }: { song: number }) {
	const [making, setMaking] = useState<RenderState | null>(null);
	const stopped = useRef(false);
	const make = async () => {
		stopped.current = false;
		try {
			let state = await client.beginRender({ song });
			while (!state.ready && !state.failed && !stopped.current) {
				setMaking(state);
				await new Promise((resolve) => window.setTimeout(resolve, 150));
				state = await client.render(state.id);
			}
			if (stopped.current) await client.stopRender(state.id);
			else if (state.failed) showNote("No WAV file was made", state.failed);
			else download(files.render(state.id));
		} catch (error) {
			showError(error);
		}
		setMaking(null);
	};
	// Who closes the menu does not want it any more.
	const stop = useCallback(() => {
		stopped.current = true;
	}, []);
	useEffect(() => stop, [stop]);
	if (!making)
		return (
			<Button variant="default" data-export="wav" onClick={() => void make()}>
				WAV, played by the built-in kit
			</Button>
		);
	const done = Math.round(making.done * 100);
	return (
		<Group gap={8} wrap="nowrap">
			<Progress value={done} flex={1} aria-label="The WAV file is being made" />
			<Text size="xs">{done} %</Text>
			<Button size="compact-xs" variant="default" onClick={stop}>
				Stop
			</Button>
		</Group>
	);
}

function download(address: string) {
	const link = document.createElement("a");
	link.href = address;
	link.download = "";
	link.click();
}
