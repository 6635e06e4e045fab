import {
	Anchor,
	Button,
	Checkbox,
	Group,
	Modal,
	Progress,
	ScrollArea,
	Select,
	Stack,
	Table,
	Text,
} from "@mantine/core";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useState } from "react";
import { client, files } from "../api/client";
import type { BatchDetail, BatchSong, PartTreated, SongCard, Treated } from "../api/generated/types";
import { showError, showNote } from "../lib/notify";
import { percent, plural } from "../lib/words";

interface Props {
	songs: SongCard[];
	opened: boolean;
	close: () => void;
	/** The batch goes on. */
	onBegun: (batch: BatchDetail) => void;
}

/** What several songs are given at once. */
export function BatchDialog({ songs, opened, close, onBegun }: Props) {
	return (
		<Modal
			opened={opened}
			onClose={close}
			title={`Treat ${plural(songs.length, "song")} together`}
			size={440}
		>
			<BatchForm songs={songs} onBegun={onBegun} />
		</Modal>
	);
}

const none = "none";

function BatchForm({ songs, onBegun }: Pick<Props, "songs" | "onBegun">) {
	const recipes = useQuery({ queryKey: ["recipes"], queryFn: client.recipes });
	const kits = useQuery({ queryKey: ["kits"], queryFn: client.kits });
	const [recipe, setRecipe] = useState(none);
	const [kit, setKit] = useState(none);
	const [instead, setInstead] = useState(false);
	const [usual, setUsual] = useState(false);
	const [busy, setBusy] = useState(false);
	const good = (recipes.data ?? []).filter(({ damage }) => damage === null);
	const chosen = good.find(({ id }) => `${id}` === recipe);
	const fit = (kits.data ?? []).filter(({ damage }) => !damage);
	const chosenKit = fit.find(({ id }) => `${id}` === kit);
	const begin = async () => {
		setBusy(true);
		const parts = [chosen?.name, chosenKit?.kit.name, usual ? "the usual feel" : undefined];
		try {
			const batch = await client.beginBatch({
				songs: songs.map(({ id }) => id),
				name: parts.filter(Boolean).join(", "),
				instead,
				usual,
				...(chosen ? { recipe: chosen.recipe } : {}),
				...(chosenKit ? { kit: chosenKit.id } : {}),
			});
			onBegun(batch);
		} catch (error) {
			showError(error);
		}
		setBusy(false);
	};
	return (
		<Stack gap="sm">
			<Select
				label="Recipe"
				description="Fitted to every drum part that sounds."
				allowDeselect={false}
				data={[
					{ value: none, label: "none" },
					...good.map(({ id, name }) => ({ value: `${id}`, label: name })),
				]}
				value={recipe}
				onChange={(value) => value && setRecipe(value)}
			/>
			<Checkbox
				label="In the place of the passes that are there"
				disabled={!chosen}
				checked={instead}
				onChange={(event) => setInstead(event.currentTarget.checked)}
			/>
			<Select
				label="Kit"
				allowDeselect={false}
				data={[
					{ value: none, label: "as it is" },
					...fit.map((one) => ({ value: `${one.id}`, label: one.kit.name })),
				]}
				value={kit}
				onChange={(value) => value && setKit(value)}
			/>
			<Checkbox
				label="The usual feel"
				checked={usual}
				onChange={(event) => setUsual(event.currentTarget.checked)}
			/>
			<Button loading={busy} disabled={!chosen && !chosenKit && !usual} onClick={() => void begin()}>
				Treat {plural(songs.length, "song")}
			</Button>
		</Stack>
	);
}

const states: Record<BatchDetail["state"], string> = {
	running: "goes on",
	done: "done",
	cancelled: "stopped",
	interrupted: "broke off when Vivida ended",
	undone: "taken back",
};

/** What was done to songs that were treated together: those that go on, and those of before. */
export function BatchReports({
	opened,
	close,
	first,
}: {
	opened: boolean;
	close: () => void;
	first: number | null;
}) {
	const queries = useQueryClient();
	const [chosen, setChosen] = useState<number | null>(null);
	const batches = useQuery({ queryKey: ["batches"], queryFn: client.batches, enabled: opened });
	const all = batches.data ?? [];
	// One that was only just begun is in no list yet.
	const shown = chosen ?? (first || all[0]?.id);
	const report = useQuery({
		queryKey: ["batches", shown],
		queryFn: () => client.batch(shown ?? 0),
		enabled: opened && shown !== undefined,
		refetchInterval: (query) => (query.state.data?.state === "running" ? 300 : false),
	});
	const batch = report.data;
	// What was treated looks otherwise on the shelf.
	const state = batch?.state;
	useEffect(() => {
		if (opened && state && state !== "running") void queries.invalidateQueries({ queryKey: ["songs"] });
	}, [queries, opened, state]);
	return (
		<Modal
			opened={opened}
			onClose={() => {
				setChosen(null);
				close();
			}}
			size={820}
			title="Songs treated together"
		>
			<Stack gap="sm" data-batch-reports>
				{all.length > 1 && (
					<Select
						size="xs"
						aria-label="Which time"
						allowDeselect={false}
						data={all.map(({ id, label, when, songs }) => ({
							value: `${id}`,
							label: `${when} · ${label} · ${plural(songs, "song")}`,
						}))}
						value={shown ? `${shown}` : null}
						onChange={(value) => value && setChosen(Number(value))}
					/>
				)}
				{batch && <Report batch={batch} />}
				{batches.isSuccess && all.length === 0 && <Text size="sm">No songs were treated together yet.</Text>}
			</Stack>
		</Modal>
	);
}

function Report({ batch }: { batch: BatchDetail }) {
	const queries = useQueryClient();
	const refresh = () =>
		Promise.all([
			queries.invalidateQueries({ queryKey: ["batches"] }),
			queries.invalidateQueries({ queryKey: ["songs"] }),
		]);
	const over = batch.songs.filter(({ state }) => state !== "waiting").length;
	const running = batch.state === "running";
	const done = batch.songs.filter(({ state }) => state === "done");
	const treated = batch.songs.filter(({ state }) => state === "done" || state === "unchanged");
	const undo = async () => {
		try {
			const { left } = await client.undoBatch(batch.id);
			if (left.length > 0)
				showNote("Changed since, and left as they are", `${left.join(", ")}: undo it in the song.`);
		} catch (error) {
			showError(error);
		}
		await refresh();
	};
	return (
		<>
			<Group gap="sm" wrap="nowrap">
				<Text size="sm" fw={600}>
					{batch.label}: {states[batch.state]}, {over} of {plural(batch.songs.length, "song")}
				</Text>
				{running && <Progress flex={1} value={(100 * over) / batch.songs.length} aria-label="Progress" />}
				{running && (
					<Button
						size="compact-xs"
						variant="default"
						onClick={() => void client.cancelBatch(batch.id).then(refresh).catch(showError)}
					>
						Stop
					</Button>
				)}
			</Group>
			<ScrollArea.Autosize mah={420}>
				<Table fz="sm" verticalSpacing={4} stickyHeader>
					<Table.Thead>
						<Table.Tr>
							<Table.Th>Song</Table.Th>
							<Head>touched</Head>
							<Head>made</Head>
							<Head>silenced</Head>
							<Head>identical neighbours</Head>
							<Head>on grid</Head>
							<Head>findings</Head>
						</Table.Tr>
					</Table.Thead>
					<Table.Tbody>
						{batch.songs.map((song) => (
							<Rows key={song.song} song={song} />
						))}
					</Table.Tbody>
				</Table>
			</ScrollArea.Autosize>
			<Group gap="sm" justify="flex-end">
				<Button component="a" size="xs" variant="default" href={files.batch(batch.id)} download>
					Report as CSV
				</Button>
				<Button
					component="a"
					size="xs"
					variant="default"
					href={files.songs(treated.map(({ song }) => song))}
					download
					disabled={treated.length === 0}
				>
					Export as MIDI, zipped
				</Button>
				<Button size="xs" disabled={running || done.length === 0} onClick={() => void undo()}>
					Take it back in {plural(done.length, "song")}
				</Button>
			</Group>
		</>
	);
}

function Head({ children }: { children: ReactNode }) {
	return <Table.Th ta="right">{children}</Table.Th>;
}

const songStates: Record<BatchSong["state"], string> = {
	waiting: "waits",
	done: "",
	unchanged: "nothing changed",
	failed: "failed",
	left: "not treated",
	undone: "taken back",
};

function Counts({ of }: { of: Treated }) {
	return (
		<>
			<Table.Td ta="right">{of.touched}</Table.Td>
			<Table.Td ta="right">{of.made}</Table.Td>
			<Table.Td ta="right">{of.silenced}</Table.Td>
			<Table.Td ta="right">{of.identical_neighbours.map(percent).join(" → ")}</Table.Td>
			<Table.Td ta="right">{of.on_grid.map(percent).join(" → ")}</Table.Td>
		</>
	);
}

/** A line for each part that was treated, or one that says why none was. */
function Rows({ song }: { song: BatchSong }) {
	const parts = song.report?.parts ?? [];
	if (parts.length < 2) return <Row song={song} part={parts[0]} name={song.name} />;
	return parts.map((part, place) => (
		<Row key={place} song={song} part={part} name={`${song.name} · ${part.part}`} />
	));
}

function Row({ song, part, name }: { song: BatchSong; part?: PartTreated; name: string }) {
	const [open, setOpen] = useState(false);
	const { report, state } = song;
	const drums = part?.treatment.drums ?? [];
	const said = [...(report?.why ? [report.why] : []), ...(report?.said ?? [])];
	return (
		<>
			<Table.Tr>
				<Table.Td>
					<Anchor
						component="button"
						type="button"
						fz="sm"
						aria-expanded={open}
						onClick={() => setOpen(!open)}
					>
						{name}
					</Anchor>{" "}
					<Text span size="xs" c="dimmed">
						{songStates[state]}
						{state === "done" && said.length > 0 && "not all of it fits"}
					</Text>
				</Table.Td>
				{drums.length === 0 ? (
					<Table.Td colSpan={6}>
						<Text size="xs">{said.join(" ")}</Text>
					</Table.Td>
				) : (
					<>
						{part && <Counts of={part.treatment.all} />}
						<Table.Td ta="right">{part?.treatment.findings.join(" → ")}</Table.Td>
					</>
				)}
			</Table.Tr>
			{open && part && drums.length > 0 && (
				<>
					{drums.map((drum) => (
						<Table.Tr key={drum.instrument} c="dimmed">
							<Table.Td pl="lg">{drum.name}</Table.Td>
							<Counts of={drum} />
							<Table.Td />
						</Table.Tr>
					))}
					<Table.Tr>
						<Table.Td colSpan={7} pl="lg">
							{said.map((one) => (
								<Text key={one} size="xs">
									{one}
								</Text>
							))}
							{part.treatment.left.length > 0 && (
								<Text size="xs">
									A listener would still notice: {part.treatment.left.slice(0, 4).join(" ")}
									{part.treatment.left.length > 4 && ` And ${part.treatment.left.length - 4} more.`}
								</Text>
							)}
						</Table.Td>
					</Table.Tr>
				</>
			)}
		</>
	);
}
