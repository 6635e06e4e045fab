import {
	Button,
	Checkbox,
	Group,
	Popover,
	Progress,
	SegmentedControl,
	Select,
	Stack,
	Text,
} from "@mantine/core";
import { useLocalStorage } from "@mantine/hooks";
import { IconDownload, IconGripVertical } from "@tabler/icons-react";
import { useQuery } from "@tanstack/react-query";
import { type DragEvent, useCallback, useEffect, useRef, useState } from "react";
import { client, files } from "../../api/client";
import type { BarRange, MovementInfo, RenderState, Wanted } from "../../api/generated/types";
import { showError, showNote } from "../../lib/notify";
import { plural } from "../../lib/words";
import { barCount } from "../../part/song";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import classes from "../Workspace.module.css";

/** What was chosen last; it is offered again. */
interface Choices {
	what: "song" | "part";
	/** `all`, `loop`, or the place of a section. */
	bars: string;
	tracks: "as-is" | "split" | "one";
	resolution: "own" | "fine";
	leadIn: boolean;
	stems: boolean;
	/** Which channels hits are sent on that move. */
	movement: keyof MovementInfo;
}

const usual: Choices = {
	what: "song",
	bars: "all",
	tracks: "as-is",
	resolution: "own",
	leadIn: false,
	stems: false,
	movement: "own",
};

/** Takes the result away. */
export function ExportMenu() {
	const store = useWorkspaceStore();
	const [opened, setOpened] = useState(false);
	return (
		<Popover
			opened={opened}
			onChange={setOpened}
			position="bottom-end"
			width={350}
			trapFocus
			returnFocus
			onOpen={() => void store.getState().leave()}
		>
			<Popover.Target>
				<Button
					size="compact-sm"
					h={30}
					leftSection={<IconDownload size={15} />}
					data-export-menu
					onClick={() => setOpened(!opened)}
				>
					Export
				</Button>
			</Popover.Target>
			<Popover.Dropdown className={classes.exporting}>
				<ExportForm />
			</Popover.Dropdown>
		</Popover>
	);
}

/** The bars that are chosen; nothing for all. A section may be gone meanwhile. */
function useBars(chosen: string): BarRange | null {
	const song = useWorkspace((state) => state.song);
	const [from, to] = useWorkspace((state) => state.loop);
	if (chosen === "loop") return { from, to };
	const section = song.sections[Number(chosen)];
	return section ? { from: section.from, to: Math.min(section.to, barCount(song)) } : null;
}

function ExportForm() {
	const song = useWorkspace((state) => state.song);
	const part = useWorkspace((state) => state.part.state);
	const revision = useWorkspace((state) => state.revision);
	const [from, to] = useWorkspace((state) => state.loop);
	const [choices, setChoices] = useLocalStorage<Choices>({
		key: "vivida-export",
		defaultValue: usual,
		getInitialValueInEffect: false,
	});
	const chosen = { ...usual, ...choices };
	const set = (change: Partial<Choices>) => setChoices({ ...chosen, ...change });
	const bars = useBars(chosen.bars);
	const info = useQuery({
		queryKey: ["export", song.id, revision],
		queryFn: () => client.exportInfo(song.id),
		gcTime: 0,
	});
	const data = info.data;
	const rounding =
		data && (data.rounding < 0.05 ? "moves nothing" : `moves hits by up to ${data.rounding.toFixed(1)} ms`);
	const wanted: Wanted = {
		...(chosen.what === "part" ? { part: part.id } : {}),
		...(bars ? { bars } : {}),
		split: chosen.tracks === "split",
		one_track: chosen.tracks === "one",
	};
	const fineIsOwn = data?.smpte || data?.file_ppq === data?.fine_ppq;
	const address = files.midi(
		song.id,
		fineIsOwn ? "own" : chosen.resolution,
		chosen.leadIn,
		wanted,
		data?.movement ? chosen.movement : "own",
	);
	const name = `${song.name}.mid`;
	return (
		<Stack gap={10}>
			<SegmentedControl
				size="xs"
				fullWidth
				aria-label="What is exported"
				value={chosen.what}
				onChange={(what) => set({ what: what as Choices["what"] })}
				data={[
					{ value: "song", label: "Whole song" },
					{ value: "part", label: `Only ${part.name}` },
				]}
			/>
			<Select
				size="xs"
				comboboxProps={{ withinPortal: false }}
				label="Bars"
				allowDeselect={false}
				value={bars ? chosen.bars : "all"}
				onChange={(value) => value && set({ bars: value })}
				data={[
					{ value: "all", label: "All" },
					{ value: "loop", label: from === to ? `The loop, bar ${from}` : `The loop, bars ${from}–${to}` },
					...song.sections.map((section, place) => ({
						value: `${place}`,
						label: `${section.name}, bars ${section.from}–${section.to}`,
					})),
				]}
			/>
			<Select
				size="xs"
				comboboxProps={{ withinPortal: false }}
				label="Tracks of the MIDI file"
				allowDeselect={false}
				value={chosen.tracks}
				onChange={(value) => value && set({ tracks: value as Choices["tracks"] })}
				data={[
					{ value: "as-is", label: "As in the file that came" },
					{ value: "split", label: "A track for each instrument" },
					{ value: "one", label: "Everything in one track (format 0)" },
				]}
			/>
			<Select
				size="xs"
				comboboxProps={{ withinPortal: false }}
				label="Resolution of the MIDI file"
				allowDeselect={false}
				disabled={fineIsOwn}
				value={fineIsOwn ? "own" : chosen.resolution}
				onChange={(value) => value && set({ resolution: value as Choices["resolution"] })}
				data={[
					{ value: "own", label: data ? `Its own ${data.file_ppq} ppq: rounding ${rounding}` : "Its own" },
					{ value: "fine", label: data ? `Fine, ${data.fine_ppq} ppq: as you hear it` : "Fine" },
				]}
			/>
			{data?.movement && (
				<Select
					size="xs"
					comboboxProps={{ withinPortal: false }}
					label="Hits that move in pitch, place, level or brightness"
					allowDeselect={false}
					value={chosen.movement}
					onChange={(value) => value && set({ movement: value as Choices["movement"] })}
					data={[
						{ value: "own", label: "On the channel that they are on" },
						{ value: "channels", label: "A channel for each instrument that moves" },
						{ value: "mpe", label: "A channel for each hit in turn (MPE)" },
					]}
					description={data.movement[chosen.movement] ?? "All of it goes out as bends and controllers."}
					inputWrapperOrder={["label", "input", "description"]}
					data-movement
				/>
			)}
			<Checkbox
				size="xs"
				checked={chosen.leadIn}
				onChange={(event) => set({ leadIn: event.currentTarget.checked })}
				label="An empty bar in front"
				description={
					data &&
					(data.held_at_start > 0
						? `${plural(data.held_at_start, "hit wants", "hits want")} to come before the start and would be held there.`
						: "No hit wants to come before the start.")
				}
			/>
			<Button
				component="a"
				href={address}
				download
				draggable
				onDragStart={(event: DragEvent) => {
					// Browsers that can hand over a file while it is dragged out of the window take it from here.
					const full = new URL(address, window.location.href).href;
					event.dataTransfer.setData("DownloadURL", `audio/midi:${name}:${full}`);
					event.dataTransfer.setData("text/uri-list", full);
				}}
				leftSection={<IconGripVertical size={14} />}
				data-export="midi"
				title="Click to save it, or drag it to another program"
			>
				MIDI file
			</Button>
			<WavButton song={song.id} wanted={{ ...wanted, split: chosen.stems, one_track: false }} />
			<Checkbox
				size="xs"
				checked={chosen.stems}
				onChange={(event) => set({ stems: event.currentTarget.checked })}
				label="WAV: a file for each instrument, zipped"
			/>
			<Button component="a" variant="default" href={files.table(part.id)} download data-export="csv">
				Hits of this part as CSV
			</Button>
			<Text size="xs" c="dimmed">
				{chosen.what === "song"
					? "All parts are exported, each as its passes make it."
					: "The song's tempo, metre and markers come along."}
			</Text>
		</Stack>
	);
}

/** Makes a WAV file: says how far it is, can be stopped, and hands it over when it is ready. */
function WavButton({ song, wanted }: { song: number; wanted: Wanted }) {
	const [making, setMaking] = useState<RenderState | null>(null);
	const stopped = useRef(false);
	const make = async () => {
		stopped.current = false;
		try {
			let state = await client.beginRender({ song, wanted });
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
			<Text size="xs">{making.ahead > 0 ? `${plural(making.ahead, "export")} first` : `${done} %`}</Text>
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
