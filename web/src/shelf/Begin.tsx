import { Button, Group, NumberInput, Popover, Select, Stack, TextInput } from "@mantine/core";
import { IconPencilPlus } from "@tabler/icons-react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useLocation } from "wouter";
import { client } from "../api/client";
import { showError } from "../lib/notify";

const metres = ["4/4", "3/4", "2/4", "5/4", "6/8", "7/8", "12/8"];

/** A song that begins with nothing: a name, bars, tempo, metre and a kit. */
export function BeginButton() {
	const [opened, setOpened] = useState(false);
	return (
		<Popover opened={opened} onChange={setOpened} position="bottom-end" width={330} trapFocus returnFocus>
			<Popover.Target>
				<Button
					variant="default"
					leftSection={<IconPencilPlus size={16} />}
					onClick={() => setOpened(!opened)}
					data-begin
				>
					Begin a song
				</Button>
			</Popover.Target>
			<Popover.Dropdown>
				<BeginForm />
			</Popover.Dropdown>
		</Popover>
	);
}

function BeginForm() {
	const [, go] = useLocation();
	const kits = useQuery({ queryKey: ["kits"], queryFn: client.kits });
	const [name, setName] = useState("");
	const [bars, setBars] = useState(8);
	const [bpm, setBpm] = useState(100);
	const [metre, setMetre] = useState("4/4");
	const [kit, setKit] = useState<string | null>(null);
	const [busy, setBusy] = useState(false);
	const usable = (kits.data ?? []).filter(({ damage }) => !damage);
	// Most songs begin with the drums that everybody knows.
	const first = usable.find(({ kit }) => kit.name === "General MIDI") ?? usable[0];
	const chosen = kit ?? (first ? `${first.id}` : null);
	const begin = async () => {
		setBusy(true);
		try {
			const outline = { bars, tempos: [{ bar: 1, bpm }], metres: [{ bar: 1, metre }] };
			const request = { name: name.trim() || "New song", outline };
			const card = await client.beginSong(chosen ? { ...request, kit: Number(chosen) } : request);
			go(`/songs/${card.id}/parts/${card.parts[0].id}`);
		} catch (error) {
			showError(error);
			setBusy(false);
		}
	};
	return (
		<form
			onSubmit={(event) => {
				event.preventDefault();
				void begin();
			}}
		>
			<Stack gap={8}>
				<TextInput
					size="xs"
					label="Name"
					placeholder="New song"
					maxLength={80}
					value={name}
					onChange={(event) => setName(event.currentTarget.value)}
					data-autofocus
				/>
				<Group gap={8} grow>
					<NumberInput
						size="xs"
						label="Tempo"
						min={20}
						max={400}
						decimalScale={2}
						suffix=" bpm"
						value={bpm}
						onChange={(value) => typeof value === "number" && setBpm(value)}
					/>
					<Select
						size="xs"
						label="Metre"
						allowDeselect={false}
						comboboxProps={{ withinPortal: false }}
						data={metres}
						value={metre}
						onChange={(value) => value && setMetre(value)}
					/>
					<NumberInput
						size="xs"
						label="Bars"
						min={1}
						max={2000}
						value={bars}
						onChange={(value) => typeof value === "number" && setBars(value)}
					/>
				</Group>
				<Select
					size="xs"
					label="Kit"
					data-begin-kit
					allowDeselect={false}
					comboboxProps={{ withinPortal: false }}
					data={usable.map((one) => ({ value: `${one.id}`, label: one.kit.name }))}
					value={chosen}
					onChange={setKit}
				/>
				<Button type="submit" loading={busy}>
					Begin
				</Button>
			</Stack>
		</form>
	);
}
