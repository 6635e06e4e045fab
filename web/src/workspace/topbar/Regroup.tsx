import { Button, Checkbox, Group, Modal, Radio, Stack, Text, TextInput } from "@mantine/core";
import { useLocalStorage } from "@mantine/hooks";
import { type ReactNode, useState } from "react";
import { useLocation } from "wouter";
import { client } from "../../api/client";
import type { RegroupedParts } from "../../api/generated/types";
import { showError, showNote } from "../../lib/notify";
import { inOrder, listed, plural } from "../../lib/words";
import { useWorkspace, useWorkspaceStore, type WorkspaceState } from "../../part/store";
import { useUsed } from "../../part/useUsed";
import classes from "../passes/Passes.module.css";

interface DialogProps {
	opened: boolean;
	close: () => void;
}

/** Does it, says what did not go along, and opens the first of the new parts. */
function useRegrouping(close: () => void) {
	const store = useWorkspaceStore();
	const [, go] = useLocation();
	const [busy, setBusy] = useState(false);
	const regroup = async (title: string, ask: () => Promise<RegroupedParts>) => {
		setBusy(true);
		try {
			await store.getState().settled();
			const { parts, said } = await ask();
			close();
			go(`/songs/${store.getState().song.id}/parts/${parts[0]}`);
			if (said.length > 0) showNote(title, said.join(" "));
		} catch (error) {
			showError(error);
			// Another part may have changed meanwhile: what is shown is what is there.
			store.getState().lookAgain();
		}
		setBusy(false);
	};
	return { busy, regroup };
}

interface FootProps {
	close: () => void;
	busy: boolean;
	disabled: boolean;
	onDo: () => void;
	children: ReactNode;
}

function Foot({ close, busy, disabled, onDo, children }: FootProps) {
	return (
		<Group justify="flex-end" gap={8}>
			<Button size="xs" variant="default" onClick={close}>
				Cancel
			</Button>
			<Button size="xs" disabled={disabled} loading={busy} onClick={onDo}>
				{children}
			</Button>
		</Group>
	);
}

/** A part's instruments as parts of their own. */
export function SplitDialog({ opened, close }: DialogProps) {
	return (
		<Modal opened={opened} onClose={close} title="Split by instruments" size={440}>
			{opened && <Split close={close} />}
		</Modal>
	);
}

function Split({ close }: { close: () => void }) {
	const store = useWorkspaceStore();
	const used = useUsed();
	const all = useWorkspace((state) => state.part.kit.instruments);
	const instruments = all.filter((_, index) => used.has(index));
	const [chosen, setChosen] = useState(instruments.map(({ id }) => id));
	const [apart, setApart] = useState(true);
	const { busy, regroup } = useRegrouping(close);
	const count =
		(apart ? chosen.length : Math.min(1, chosen.length)) + (chosen.length < instruments.length ? 1 : 0);
	const split = () =>
		regroup("Split", () => {
			const { part, revision } = store.getState();
			return client.splitPart(part.state.id, {
				revision,
				groups: apart ? chosen.map((id) => [id]) : [chosen],
			});
		});
	return (
		<Stack gap="sm">
			<Checkbox.Group value={chosen} onChange={setChosen} aria-label="Instruments">
				<Stack gap={6}>
					{instruments.map(({ id, name }) => (
						<Checkbox key={id} size="xs" value={id} label={name} />
					))}
				</Stack>
			</Checkbox.Group>
			<Radio.Group value={apart ? "apart" : "together"} onChange={(value) => setApart(value === "apart")}>
				<Stack gap={6}>
					<Radio size="xs" value="apart" label="Each of these becomes a part of its own" />
					<Radio size="xs" value="together" label="These become one part" />
				</Stack>
			</Radio.Group>
			<Text size="xs" c="dimmed">
				{chosen.length < instruments.length && chosen.length > 0 && "The others become one more part. "}
				Passes and edits by hand go along. This part stays as it is, muted.
			</Text>
			<Foot close={close} busy={busy} disabled={chosen.length === 0 || count < 2} onDo={() => void split()}>
				{count < 2 ? "Split" : `Split into ${plural(count, "part")}`}
			</Foot>
		</Stack>
	);
}

/** Parts of the song as one. */
export function JoinDialog({ opened, close }: DialogProps) {
	return (
		<Modal opened={opened} onClose={close} title="Join parts" size={440}>
			{opened && <Join close={close} />}
		</Modal>
	);
}

/** Joins parts by their ids, each as it is shown. */
function join({ song, part, revision }: WorkspaceState, ids: number[], name: string) {
	const shown = (id: number) => song.parts.find((one) => one.id === id)?.revision ?? 0;
	const parts = ids.map((id) => ({ id, revision: id === part.state.id ? revision : shown(id) }));
	return client.joinParts(song.id, { parts, name });
}

function Join({ close }: { close: () => void }) {
	const store = useWorkspaceStore();
	const song = useWorkspace((state) => state.song);
	const own = useWorkspace((state) => state.part.state.id);
	const parts = inOrder(song.parts);
	const likely = parts.filter(({ id, drums, muted }) => id === own || (drums && !muted));
	const [chosen, setChosen] = useState(likely.map(({ id }) => String(id)));
	const [name, setName] = useState("Drums");
	const { busy, regroup } = useRegrouping(close);
	const tones = parts.filter(({ id, drums }) => !drums && chosen.includes(String(id)));
	const ids = parts.map(({ id }) => id).filter((id) => chosen.includes(String(id)));
	return (
		<Stack gap="sm">
			<Checkbox.Group value={chosen} onChange={setChosen} aria-label="Parts">
				<Stack gap={6}>
					{parts.map((part) => (
						<Checkbox
							key={part.id}
							size="xs"
							value={String(part.id)}
							label={`${part.name} · ${plural(part.hits, "hit")}${part.muted ? ", muted" : ""}`}
						/>
					))}
				</Stack>
			</Checkbox.Group>
			<TextInput
				size="xs"
				label="Name of the new part"
				value={name}
				maxLength={100}
				onChange={(event) => setName(event.currentTarget.value)}
			/>
			<Text size="xs" c="dimmed">
				{tones.length > 0 && `${listed(tones.map((one) => one.name))} will be treated as drums. `}
				Passes and edits by hand go along. The parts stay as they are, muted.
			</Text>
			<Foot
				close={close}
				busy={busy}
				disabled={ids.length < 2 || name.trim() === ""}
				onDo={() => void regroup("Joined", () => join(store.getState(), ids, name))}
			>
				{ids.length < 2 ? "Join" : `Join ${plural(ids.length, "part")}`}
			</Foot>
		</Stack>
	);
}

/** A kit that came as a track for every drum is seen one drum at a time: says so, and offers to join them. */
export function JoinOffer() {
	const store = useWorkspaceStore();
	const { id, single_drums: drums } = useWorkspace((state) => state.song);
	const own = useWorkspace((state) => state.part.state.id);
	const [apart, setApart] = useLocalStorage<number[]>({
		key: "vivida-kept-apart",
		defaultValue: [],
		getInitialValueInEffect: false,
	});
	const { busy, regroup } = useRegrouping(() => undefined);
	if (!drums.includes(own) || apart.includes(id)) return null;
	return (
		<div className={classes.notice} role="status" data-join-offer>
			This kit came as {drums.length} tracks, one for each drum. As one part you see and shape all of it.
			<Group gap={8} mt={6}>
				<Button
					size="compact-xs"
					loading={busy}
					onClick={() => void regroup("Joined", () => join(store.getState(), drums, "Drums"))}
				>
					Join them
				</Button>
				<Button size="compact-xs" variant="default" onClick={() => setApart([...apart.slice(-200), id])}>
					Keep them apart
				</Button>
			</Group>
		</div>
	);
}
