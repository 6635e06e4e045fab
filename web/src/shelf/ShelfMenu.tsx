import { Button, Menu, Modal, Stack, Table, Text } from "@mantine/core";
import { IconChevronDown } from "@tabler/icons-react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { client, files } from "../api/client";
import { showError, showNote } from "../lib/notify";
import { useAfterMenu } from "../lib/useAfterMenu";
import { plural } from "../lib/words";

interface Props {
	/** Files of other shelves, or of this one. */
	onUnpack: (files: File[]) => void;
	onReports: () => void;
}

/** What concerns the shelf as a whole. */
export function ShelfMenu({ onUnpack, onReports }: Props) {
	const input = useRef<HTMLInputElement>(null);
	const [backups, setBackups] = useState(false);
	const wanted = useRef<() => void>(() => undefined);
	const after = useAfterMenu(() => wanted.current());
	const choose = (what: () => void) => () => {
		wanted.current = what;
		after.choose();
	};
	return (
		<>
			<Menu position="bottom-end" onExitTransitionEnd={after.onExitTransitionEnd}>
				<Menu.Target>
					<Button variant="default" rightSection={<IconChevronDown size={14} />} data-shelf-menu>
						Shelf
					</Button>
				</Menu.Target>
				<Menu.Dropdown>
					<Menu.Item onClick={choose(onReports)}>Songs treated together …</Menu.Item>
					<Menu.Divider />
					<Menu.Label>For another machine</Menu.Label>
					<Menu.Item component="a" href={files.shelf} download>
						Pack the whole shelf
					</Menu.Item>
					<Menu.Item component="a" href={files.shelfWithoutSounds} download>
						Pack it without own sounds
					</Menu.Item>
					<Menu.Item onClick={() => input.current?.click()}>Unpack a .vivida file …</Menu.Item>
					<Menu.Divider />
					<Menu.Item onClick={choose(() => setBackups(true))}>Backups …</Menu.Item>
				</Menu.Dropdown>
			</Menu>
			<input
				ref={input}
				type="file"
				multiple
				hidden
				accept=".vivida"
				aria-label="Packed songs"
				onChange={(event) => {
					onUnpack([...(event.currentTarget.files ?? [])]);
					event.currentTarget.value = "";
				}}
			/>
			<Modal opened={backups} onClose={() => setBackups(false)} size={620} title="Backups">
				<Backups />
			</Modal>
		</>
	);
}

const sizes = (bytes: number) =>
	bytes < 1 << 20 ? `${Math.ceil(bytes / 1024)} kB` : `${(bytes / (1 << 20)).toFixed(1)} MB`;

/** “2026-11-28 23.10.00.000, daily.sqlite”: when in UTC, and why. */
function inWords(name: string) {
	const [when, ...why] = name.replace(/\.sqlite$/, "").split(", ");
	const date = new Date(`${when.slice(0, 10)}T${when.slice(11).replaceAll(".", ":").slice(0, 8)}Z`);
	const shown = Number.isNaN(date.getTime()) ? when : date.toLocaleString();
	return { shown, why: why.join(", ") };
}

function Backups() {
	const queries = useQueryClient();
	const backups = useQuery({ queryKey: ["backups"], queryFn: client.backups });
	const [asking, setAsking] = useState<string | null>(null);
	const [busy, setBusy] = useState(false);
	const call = async (work: () => Promise<unknown>) => {
		setBusy(true);
		try {
			await work();
			await queries.invalidateQueries();
		} catch (error) {
			showError(error);
		}
		setBusy(false);
	};
	const restore = (name: string) =>
		call(async () => {
			await client.restore(name);
			setAsking(null);
			showNote("Restored", "A backup of what was there before lies beside the others.");
		});
	const all = backups.data ?? [];
	return (
		<Stack gap="sm" data-backups>
			<Text size="sm">
				Vivida backs up the shelf once a day, and before a newer version changes its database. The ten newest
				are kept, in the folder “backups” beside the database.
			</Text>
			{all.length === 0 && backups.isSuccess && <Text size="sm">There is no backup yet.</Text>}
			<Table fz="sm" verticalSpacing={4}>
				<Table.Tbody>
					{all.map(({ name, size }) => {
						const { shown, why } = inWords(name);
						return (
							<Table.Tr key={name}>
								<Table.Td>{shown}</Table.Td>
								<Table.Td>{why}</Table.Td>
								<Table.Td ta="right">{sizes(size)}</Table.Td>
								<Table.Td ta="right">
									{asking === name ? (
										<Button size="compact-xs" loading={busy} onClick={() => void restore(name)}>
											Put this in the place of the shelf
										</Button>
									) : (
										<Button size="compact-xs" variant="default" onClick={() => setAsking(name)}>
											Restore …
										</Button>
									)}
								</Table.Td>
							</Table.Tr>
						);
					})}
				</Table.Tbody>
			</Table>
			<Button variant="default" loading={busy} onClick={() => void call(client.takeBackup)}>
				Back up now
			</Button>
			<Text size="xs" c="dimmed">
				{plural(all.length, "backup")}. What is on the shelf when you restore is backed up first.
			</Text>
		</Stack>
	);
}
