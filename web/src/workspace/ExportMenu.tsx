import { Button, Checkbox, Popover, Radio, Stack, Text } from "@mantine/core";
import { IconDownload } from "@tabler/icons-react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, files } from "../api/client";
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
			onOpen={() => store.getState().flush()}
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
			<Button component="a" variant="default" href={files.wav(song, "played")} download data-export="wav">
				WAV, played by the built-in kit
			</Button>
			<Text size="xs" c="dimmed">
				All parts of the song are exported, each as its passes make it.
			</Text>
		</Stack>
	);
}
