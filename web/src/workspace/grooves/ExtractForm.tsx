import { Button, Group, Loader, NumberInput, Popover, Select, Text, TextInput } from "@mantine/core";
import { IconEar } from "@tabler/icons-react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client } from "../../api/client";
import type { PartDetail } from "../../api/generated/types";
import { showError } from "../../lib/notify";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import type { Shown } from "./GrooveScreen";

/** The instruments of a part that are struck as it is written. */
function struckBy(part: PartDetail | undefined) {
	const struck = new Set(part?.written.instruments);
	return part?.kit.instruments.filter((_, index) => struck.has(index)) ?? [];
}

/** Takes the groove of a part: of this one or another, of one instrument or all, of some bars or all. */
export function ExtractForm({ onTaken }: { onTaken: (shown: Shown) => void }) {
	const [opened, setOpened] = useState(false);
	return (
		<Popover opened={opened} onChange={setOpened} position="right-start" width={300} trapFocus returnFocus>
			<Popover.Target>
				<Button
					size="sm"
					leftSection={<IconEar size={15} />}
					data-take-groove
					onClick={() => setOpened(!opened)}
				>
					Take a groove from a part
				</Button>
			</Popover.Target>
			<Popover.Dropdown>
				<Form
					onTaken={(shown) => {
						setOpened(false);
						onTaken(shown);
					}}
				/>
			</Popover.Dropdown>
		</Popover>
	);
}

function Form({ onTaken }: { onTaken: (shown: Shown) => void }) {
	const store = useWorkspaceStore();
	const open = useWorkspace((state) => state.part.state.id);
	const songs = useQuery({ queryKey: ["songs"], queryFn: client.songs });
	const [part, setPart] = useState(`${open}`);
	const [instrument, setInstrument] = useState<string | null>(null);
	const [bars, setBars] = useState("");
	const [length, setLength] = useState<number>(1);
	const [grid, setGrid] = useState("");
	const [reading, setReading] = useState("played");
	const detail = useQuery({ queryKey: ["kit-of", part], queryFn: () => client.part(Number(part)) });
	if (!songs.data) return <Loader size="sm" />;
	const range = /^\s*(\d+)\s*(?:[-–]\s*(\d+))?\s*$/.exec(bars);
	const take = async () => {
		try {
			// What is shown of the open part is taken, kept or not.
			const { recipe, variation } = store.getState();
			const own = Number(part) === open ? { recipe, variation } : {};
			const taken = await client.takeGroove(Number(part), {
				...own,
				written: reading === "written",
				take: {
					length,
					instruments: instrument ? [instrument] : [],
					bars: range ? { from: Number(range[1]), to: Number(range[2] ?? range[1]) } : undefined,
					grid: grid.trim() || undefined,
				},
			});
			onTaken({ card: null, groove: taken.groove, reading: taken.reading, changed: true, said: taken.said });
		} catch (error) {
			showError(error);
		}
	};
	return (
		<form
			onSubmit={(event) => {
				event.preventDefault();
				void take();
			}}
		>
			<Select
				size="xs"
				label="Part"
				searchable
				selectFirstOptionOnChange
				onClick={(event) => event.currentTarget.select()}
				allowDeselect={false}
				comboboxProps={{ withinPortal: false }}
				value={part}
				data={songs.data.map((song) => ({
					group: song.name,
					items: song.parts.map(({ id, name }) => ({ value: `${id}`, label: `${name} (${song.name})` })),
				}))}
				onChange={(value) => {
					setPart(value ?? `${open}`);
					setInstrument(null);
				}}
			/>
			<Group gap={6} grow>
				<Select
					size="xs"
					label="Instrument"
					placeholder="all"
					clearable
					comboboxProps={{ withinPortal: false }}
					value={instrument}
					data={struckBy(detail.data).map(({ id, name }) => ({ value: id, label: name }))}
					onChange={setInstrument}
				/>
				<Select
					size="xs"
					label="Reading"
					allowDeselect={false}
					comboboxProps={{ withinPortal: false }}
					value={reading}
					data={["played", "written"]}
					onChange={(value) => setReading(value ?? "played")}
				/>
			</Group>
			<Group gap={6} grow align="start">
				<TextInput
					size="xs"
					label="Bars"
					placeholder="all"
					value={bars}
					error={bars !== "" && !range}
					onChange={(event) => setBars(event.currentTarget.value)}
				/>
				<NumberInput
					size="xs"
					label="Length in bars"
					min={1}
					max={16}
					value={length}
					onChange={(value) => setLength(Number(value) || 1)}
				/>
				<TextInput
					size="xs"
					label="Grid"
					placeholder={detail.data?.grid}
					value={grid}
					onChange={(event) => setGrid(event.currentTarget.value)}
				/>
			</Group>
			<Text size="xs" c="dimmed" my={6}>
				Every so many bars are laid over one another. The hits in each slot give its usual place, and how much
				that varies.
			</Text>
			<Button type="submit" size="xs" fullWidth data-take>
				Take the groove
			</Button>
		</form>
	);
}
