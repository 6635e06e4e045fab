import { Button, Group, Modal, ScrollArea, Stack, Table, Text } from "@mantine/core";
import { useState } from "react";
import { client } from "../../api/client";
import type { RefitPart, RefitReport } from "../../api/generated/types";
import { plural } from "../../lib/words";
import { useWorkspace, useWorkspaceStore } from "../../part/store";

interface Props {
	/** The newer file, and what would come of it. */
	found: { file: File; report: RefitReport } | null;
	close: () => void;
	/** It was brought in. */
	onDone: () => void;
}

const kinds = { came: "came", gone: "gone", moved: "moved" };

/** A newer file of the song: what came, went and moved, before it is brought in. */
export function NewerDialog({ found, close, onDone }: Props) {
	const store = useWorkspaceStore();
	const song = useWorkspace((state) => state.song);
	const [busy, setBusy] = useState(false);
	const bring = async () => {
		if (!found) return;
		setBusy(true);
		const done = await store
			.getState()
			.changeBars((revision) => client.replaceFile(song.id, revision, found.file));
		setBusy(false);
		if (done) {
			close();
			onDone();
		}
	};
	return (
		<Modal opened={found !== null} onClose={close} size={640} title={`A newer version of “${song.name}”`}>
			{found && (
				<Stack gap="sm" data-newer>
					{found.report.said.map((one) => (
						<Text key={one} size="sm">
							{one}
						</Text>
					))}
					<Parts parts={found.report.parts} />
					<Text size="xs" c="dimmed">
						Hits that were there before keep their passes, picks, dice and what you did by hand. Undo takes
						all of it back in one step.
					</Text>
					<Group justify="flex-end">
						<Button variant="default" onClick={close}>
							Leave it as it is
						</Button>
						<Button loading={busy} onClick={() => void bring()}>
							Bring it in
						</Button>
					</Group>
				</Stack>
			)}
		</Modal>
	);
}

function Parts({ parts }: { parts: RefitPart[] }) {
	const changes = parts.flatMap(({ name, changes }) => changes.map((change) => ({ name, ...change })));
	return (
		<>
			<Table fz="sm" verticalSpacing={4}>
				<Table.Thead>
					<Table.Tr>
						<Table.Th>Part</Table.Th>
						{["kept", "moved", "came", "gone"].map((one) => (
							<Table.Th key={one} ta="right">
								{one}
							</Table.Th>
						))}
					</Table.Tr>
				</Table.Thead>
				<Table.Tbody>
					{parts.map(({ name, fate, kept, moved, came, gone }) => (
						<Table.Tr key={`${name} ${fate}`}>
							<Table.Td>
								{name}
								{fate === "new" && " (new)"}
								{fate === "gone" && " (not in the newer file: goes with its passes)"}
							</Table.Td>
							{Object.entries({ kept, moved, came, gone }).map(([what, count]) => (
								<Table.Td key={what} ta="right">
									{count}
								</Table.Td>
							))}
						</Table.Tr>
					))}
				</Table.Tbody>
			</Table>
			{changes.length > 0 && (
				<ScrollArea.Autosize mah={190}>
					<Stack gap={2}>
						{changes.map(({ name, bar, kind, instrument, count }) => (
							<Text key={`${name} ${bar} ${kind} ${instrument}`} size="xs">
								Bar {bar}: {plural(count, "hit")} of {instrument.toLowerCase()} {kinds[kind]}
								{parts.length > 1 && ` (${name})`}
							</Text>
						))}
					</Stack>
				</ScrollArea.Autosize>
			)}
		</>
	);
}
