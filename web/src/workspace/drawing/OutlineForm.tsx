import { ActionIcon, Button, Group, NumberInput, Stack, Text, TextInput } from "@mantine/core";
import { IconPlus, IconTrash } from "@tabler/icons-react";
import { useState } from "react";
import { client } from "../../api/client";
import type { Outline } from "../../api/generated/types";
import { useWorkspaceStore } from "../../part/store";

const isMetre = (text: string) => /^([1-9]|[12]\d|3[0-2])\/(1|2|4|8|16|32)$/.test(text.trim());

/** How many bars a song of one's own has, and the bars that its tempo and metre change at. */
export function OutlineForm({ outline, done }: { outline: Outline; done: () => void }) {
	const store = useWorkspaceStore();
	const [bars, setBars] = useState(outline.bars);
	const [tempos, setTempos] = useState(outline.tempos);
	const [metres, setMetres] = useState(outline.metres);
	const good = metres.every(({ metre }) => isMetre(metre));
	const keep = async () => {
		const byBar = <T extends { bar: number }>(all: T[]) => {
			const last = new Map(all.map((one) => [one.bar, one]));
			return [...last.values()].sort((a, b) => a.bar - b.bar);
		};
		const next = { bars, tempos: byBar(tempos), metres: byBar(metres) };
		const { song, changeBars } = store.getState();
		if (await changeBars((revision) => client.setOutline(song.id, revision, next))) done();
	};
	const at = (bar: number, label: string, first: boolean, onChange: (bar: number) => void) => (
		<NumberInput
			size="xs"
			w={62}
			min={1}
			max={bars}
			aria-label={label}
			value={bar}
			disabled={first}
			onChange={(next) => typeof next === "number" && onChange(next)}
		/>
	);
	const bin = (label: string, onClick: () => void) => (
		<ActionIcon variant="subtle" color="gray" size={24} aria-label={label} onClick={onClick}>
			<IconTrash size={14} />
		</ActionIcon>
	);
	const nextBar = (all: { bar: number }[]) => Math.min(bars, Math.max(...all.map(({ bar }) => bar)) + 1);
	return (
		<Stack gap={6}>
			<Group gap={6} fz={13}>
				The song has
				<NumberInput
					size="xs"
					w={76}
					min={1}
					max={2000}
					aria-label="Bars of the song"
					value={bars}
					onChange={(next) => typeof next === "number" && setBars(next)}
				/>
				bars.
			</Group>
			{tempos.map(({ bar, bpm }, place) => {
				const set = (change: Partial<(typeof tempos)[number]>) =>
					setTempos(tempos.map((one, other) => (other === place ? { ...one, ...change } : one)));
				return (
					<Group key={place} gap={6} fz={13} wrap="nowrap">
						from bar
						{at(bar, `Tempo ${place + 1} from bar`, place === 0, (next) => set({ bar: next }))}
						<NumberInput
							size="xs"
							w={92}
							min={20}
							max={400}
							decimalScale={2}
							suffix=" bpm"
							aria-label={`Tempo ${place + 1}`}
							value={bpm}
							onChange={(next) => typeof next === "number" && set({ bpm: next })}
						/>
						{place > 0 &&
							bin(`Delete tempo ${place + 1}`, () => setTempos(tempos.filter((_, other) => other !== place)))}
					</Group>
				);
			})}
			{metres.map(({ bar, metre }, place) => {
				const set = (change: Partial<(typeof metres)[number]>) =>
					setMetres(metres.map((one, other) => (other === place ? { ...one, ...change } : one)));
				return (
					<Group key={place} gap={6} fz={13} wrap="nowrap">
						from bar
						{at(bar, `Metre ${place + 1} from bar`, place === 0, (next) => set({ bar: next }))}
						<TextInput
							size="xs"
							w={92}
							aria-label={`Metre ${place + 1}`}
							value={metre}
							error={!isMetre(metre)}
							onChange={(event) => set({ metre: event.currentTarget.value.trim() })}
						/>
						{place > 0 &&
							bin(`Delete metre ${place + 1}`, () => setMetres(metres.filter((_, other) => other !== place)))}
					</Group>
				);
			})}
			<Group gap={6}>
				<Button
					size="compact-xs"
					variant="default"
					leftSection={<IconPlus size={12} />}
					onClick={() => setTempos([...tempos, { ...tempos[tempos.length - 1], bar: nextBar(tempos) }])}
				>
					Another tempo
				</Button>
				<Button
					size="compact-xs"
					variant="default"
					leftSection={<IconPlus size={12} />}
					onClick={() => setMetres([...metres, { ...metres[metres.length - 1], bar: nextBar(metres) }])}
				>
					Another metre
				</Button>
				<Button size="compact-xs" ml="auto" disabled={!good} onClick={() => void keep()}>
					Set bars and tempo
				</Button>
			</Group>
			<Text size="xs" c="dimmed">
				Hits stay where they are; bar lines and tempo move beneath them.
			</Text>
		</Stack>
	);
}
