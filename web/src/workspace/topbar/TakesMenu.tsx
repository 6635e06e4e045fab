import {
	ActionIcon,
	Button,
	Group,
	NumberInput,
	Popover,
	Radio,
	Stack,
	Text,
	TextInput,
	Tooltip,
} from "@mantine/core";
import {
	IconArrowsDiff,
	IconChevronDown,
	IconDownload,
	IconPencil,
	IconPrinter,
	IconTrash,
} from "@tabler/icons-react";
import { useState } from "react";
import { client, files } from "../../api/client";
import type { TakeCard } from "../../api/generated/types";
import { DamageMark } from "../../lib/Damage";
import { NameField } from "../../lib/NameField";
import { plural } from "../../lib/words";
import { barCount } from "../../part/song";
import { roundsDiffer } from "../../part/state/playback";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import classes from "../Workspace.module.css";

/** The kept versions of the part: print, go back, compare, rename, delete. */
export function TakesMenu() {
	const [opened, setOpened] = useState(false);
	const { takes, take } = useWorkspace((state) => state.part.state);
	const current = takes.find(({ id }) => id === take);
	return (
		<Popover opened={opened} onChange={setOpened} position="bottom-end" width={360} trapFocus returnFocus>
			<Popover.Target>
				<Tooltip label={`Takes: this is “${current?.name ?? ""}”`} disabled={opened}>
					<Button
						size="compact-sm"
						h={30}
						variant="default"
						rightSection={<IconChevronDown size={12} />}
						aria-label="Takes"
						onClick={() => setOpened(!opened)}
					>
						{takes.length === 1 ? "Takes" : `Takes ${takes.length}`}
					</Button>
				</Tooltip>
			</Popover.Target>
			<Popover.Dropdown>
				<Takes close={() => setOpened(false)} />
			</Popover.Dropdown>
		</Popover>
	);
}

function Takes({ close }: { close: () => void }) {
	const store = useWorkspaceStore();
	const { id: part, takes, take: current } = useWorkspace((state) => state.part.state);
	const { change } = store.getState();
	const choose = (take: number, name: string) => {
		close();
		void change((revision) => client.changePart(part, { revision, label: `go to “${name}”`, take }));
	};
	return (
		<Stack gap="sm">
			<Stack gap={4} role="list">
				{takes.map((take) => (
					<TakeLine
						key={take.id}
						take={take}
						isCurrent={take.id === current}
						isOnly={takes.length === 1}
						onChoose={() => choose(take.id, take.name)}
					/>
				))}
			</Stack>
			<PrintForm count={takes.length} close={close} />
		</Stack>
	);
}

interface LineProps {
	take: TakeCard;
	isCurrent: boolean;
	isOnly: boolean;
	onChoose: () => void;
}

function TakeLine({ take, isCurrent, isOnly, onChoose }: LineProps) {
	const store = useWorkspaceStore();
	const part = useWorkspace((state) => state.part.state.id);
	const against = useWorkspace((state) => state.against?.take === take.id);
	const [renaming, setRenaming] = useState(false);
	const { change, compare } = store.getState();
	const rename = (name: string | null) => {
		setRenaming(false);
		if (name) void change((revision) => client.renameTake(part, take.id, revision, name));
	};
	return (
		<Group gap={4} wrap="nowrap" role="listitem" data-take={take.name}>
			{renaming ? (
				<NameField label="Name of the take" value={take.name} onDone={rename} />
			) : (
				<Radio
					size="xs"
					flex={1}
					checked={isCurrent}
					onChange={onChoose}
					label={
						<>
							{take.name}{" "}
							<Text span size="xs" c="dimmed">
								{take.passes > 0 ? plural(take.passes, "pass", "passes") : take.is_print ? "printed" : ""}
							</Text>
						</>
					}
				/>
			)}
			<DamageMark reason={take.damage} />
			{!isCurrent && (
				<Tooltip
					label={against ? "Hear Written again instead of this take" : "Hold this take against the open one"}
				>
					<ActionIcon
						size={24}
						variant={against ? "filled" : "subtle"}
						color={against ? undefined : "gray"}
						aria-label={`Compare with ${take.name}`}
						aria-pressed={against}
						onClick={() => compare(against ? null : take.id)}
					>
						<IconArrowsDiff size={15} />
					</ActionIcon>
				</Tooltip>
			)}
			<ActionIcon
				component="a"
				href={files.take(part, take.id)}
				download
				size={24}
				variant="subtle"
				color="gray"
				aria-label={`Save the passes of ${take.name} as a file`}
			>
				<IconDownload size={15} />
			</ActionIcon>
			<ActionIcon
				size={24}
				variant="subtle"
				color="gray"
				aria-label={`Rename ${take.name}`}
				onClick={() => setRenaming(true)}
			>
				<IconPencil size={15} />
			</ActionIcon>
			<ActionIcon
				size={24}
				variant="subtle"
				color="gray"
				disabled={isOnly}
				aria-label={`Delete ${take.name}`}
				onClick={() => void change((revision) => client.deleteTake(part, take.id, revision))}
			>
				<IconTrash size={15} />
			</ActionIcon>
		</Group>
	);
}

/** Writes Played out as the Written of a new take. */
function PrintForm({ count, close }: { count: number; close: () => void }) {
	const store = useWorkspaceStore();
	const part = useWorkspace((state) => state.part.state.id);
	const [name, setName] = useState(`Take ${count + 1}`);
	const differ = useWorkspace(roundsDiffer);
	const [from, to] = useWorkspace((state) => state.loop);
	const bars = useWorkspace((state) => barCount(state.song));
	const fit = Math.max(1, Math.min(64, Math.floor((bars + 1 - from) / (to + 1 - from))));
	const [rounds, setRounds] = useState(1);
	const last = to + (Math.min(rounds, fit) - 1) * (to + 1 - from);
	const where = last === to + 1 ? `bar ${last}` : `bars ${to + 1} to ${last}`;
	const over = differ && last > to ? ` The rounds take the place of what is played in ${where}.` : "";
	const print = () => {
		close();
		const count = Math.min(rounds, fit);
		const more = differ && count > 1 ? { rounds: { bars: { from, to }, count } } : {};
		void store.getState().change((revision) => client.print(part, { revision, name, ...more }));
	};
	return (
		<form
			className={classes.print}
			onSubmit={(event) => {
				event.preventDefault();
				print();
			}}
		>
			<Group gap={6} wrap="nowrap" align="end">
				<TextInput
					flex={1}
					size="xs"
					label="Print what is played as a new take"
					description={`Its Written is what is Played now; its passes begin empty. This take stays as it is.${over}`}
					value={name}
					maxLength={200}
					onChange={(event) => setName(event.currentTarget.value)}
				/>
				{differ && fit > 1 && (
					<NumberInput
						w={92}
						size="xs"
						label="Rounds"
						min={1}
						max={fit}
						value={rounds}
						onChange={(value) => setRounds(Number(value) || 1)}
						title={`Prints the loop, bars ${from} to ${to}, so many times, each round with its own dice; ${fit} fit`}
					/>
				)}
				<Button type="submit" size="xs" leftSection={<IconPrinter size={14} />} disabled={!name.trim()}>
					Print
				</Button>
			</Group>
		</form>
	);
}
