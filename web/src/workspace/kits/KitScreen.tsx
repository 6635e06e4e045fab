import { ActionIcon, Button, Group, Loader, Tooltip } from "@mantine/core";
import { IconArrowBackUp, IconArrowForwardUp } from "@tabler/icons-react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { client } from "../../api/client";
import type { Kit } from "../../api/generated/types";
import { showError, showNote } from "../../lib/notify";
import { plural } from "../../lib/words";
import { keeping } from "../../part/keeping";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { Exchange } from "./Exchange";
import { KitLibrary } from "./KitLibrary";
import classes from "./Kits.module.css";
import {
	byItself,
	kitsKey,
	playedBy,
	type ShownKit,
	type StrokeAt,
	strokeAt,
	useKits,
	withNote,
} from "./kits";
import { OwnSoundsDialog } from "./OwnSoundsDialog";
import { Pads } from "./Pads";
import { StrokePanel } from "./StrokePanel";
import { Threads } from "./Threads";
import { useEar } from "./useEar";

/** Kits: the library, one of them as threads from the notes that come in to those that go out, its pads. */
export function KitScreen() {
	const library = useKits();
	const part = useWorkspace((state) => state.part);
	const own = part.state.kit;
	const [chosen, setChosen] = useState<number | typeof byItself>(own && !own.deleted ? own.id : byItself);
	const card = library.data?.find(({ id }) => id === chosen) ?? null;
	const shown: ShownKit = card
		? { card, kit: card.kit, sounds: card.sounds, editable: !card.own && card.damage === null }
		: { card: null, kit: part.kit, sounds: part.sounds, editable: false };
	return (
		<section className={classes.screen} aria-label="Kit">
			<KitLibrary chosen={card ? card.id : byItself} onChoose={setChosen} />
			{library.data ? (
				<Stage key={card?.id ?? byItself} shown={shown} onChoose={setChosen} />
			) : (
				<Loader m="auto" />
			)}
		</section>
	);
}

interface StageProps {
	shown: ShownKit;
	onChoose: (chosen: number) => void;
}

function Stage({ shown, onChoose }: StageProps) {
	const store = useWorkspaceStore();
	const queries = useQueryClient();
	const { card, editable } = shown;
	/** Changes that are on their way. */
	const changes = useRef(0);
	/** As it is while it is dragged, and until the answer comes. */
	const [draft, setDraft] = useState<Kit | null>(null);
	const [at, setAt] = useState<StrokeAt | null>(null);
	const [learning, setLearning] = useState(false);
	/** The files of a folder that are to be own sounds. */
	const [samples, setSamples] = useState<File[] | null>(null);
	const folder = useRef<HTMLInputElement>(null);
	const part = useWorkspace((state) => state.part.state.id);
	const revision = useWorkspace((state) => state.revision);
	const ownKit = useWorkspace((state) => state.part.state.kit);
	const drums = useWorkspace((state) => state.part.state.drums);
	const notes = useQuery({ queryKey: ["notes", part, revision], queryFn: () => client.notes(part) });
	const kit = draft ?? shown.kit;
	const hear = useEar(shown.sounds);
	const played = useMemo(() => playedBy(kit, notes.data ?? []), [kit, notes.data]);
	const refresh = async () => {
		await queries.invalidateQueries({ queryKey: kitsKey });
		store.getState().lookAgain();
	};
	const change = async (label: string, next: Kit) => {
		if (!card || !editable) return;
		setDraft(next);
		changes.current += 1;
		try {
			await keeping.change(`kit ${card.id}`, card.revision, (revision, key) =>
				client.changeKit(card.id, { key, revision, label, kit: next }),
			);
		} catch (error) {
			showError(error);
		}
		await refresh();
		changes.current -= 1;
		// What was done meanwhile stands on this.
		if (changes.current === 0) setDraft(null);
	};
	const travel = async (back: boolean) => {
		try {
			const { label } = await (back ? client.undoShelf() : client.redoShelf());
			if (label) showNote(back ? "Undone" : "Done again", label);
			else showNote(back ? "Nothing to undo" : "Nothing to do again", "No kit was changed.");
		} catch (error) {
			showError(error);
		}
		await refresh();
	};
	/** A copy that can be changed; the part takes it where it had the one that is shown. */
	const duplicate = async () => {
		try {
			const name = card ? `${kit.name.slice(0, 73)}, mine` : "My kit";
			const made = await client.addKit({ ...kit, name });
			const had = ownKit ? ownKit.id === card?.id || (!card && ownKit.deleted) : !card;
			if (had) {
				await store.getState().settled();
				await store
					.getState()
					.change((now) => client.exchangeKit(part, { revision: now, kit: made.id, keep_notes: false }));
			}
			await refresh();
			onChoose(made.id);
			showNote(name, had ? "The part has it now. Change it as you like." : "Change it as you like.");
		} catch (error) {
			showError(error);
		}
	};
	const learn = (note: number, channel?: number) => {
		if (at && learning)
			void change(`note ${note} for ${strokeAt(kit, at)?.name}`, withNote(kit, at, note, channel));
		setLearning(false);
	};
	// A stroke on a pad or a port, since it was asked for, is as good as a note of the part.
	const stroke = useWorkspace((state) => state.lastStroke);
	const asked = useRef(0);
	const learnNow = useRef(learn);
	learnNow.current = learn;
	useEffect(() => {
		if (learning) asked.current = performance.now();
	}, [learning]);
	useEffect(() => {
		if (learning && stroke && stroke.at > asked.current) learnNow.current(stroke.note);
	}, [learning, stroke]);
	return (
		<>
			<div className={classes.stage}>
				<div className={classes.head}>
					<div>
						<h2>{card ? kit.name : ownKit?.deleted ? ownKit.name : "General MIDI, what the part uses"}</h2>
						<p>
							{plural(kit.instruments.length, "instrument")} ·{" "}
							{plural(
								kit.instruments.reduce((sum, one) => sum + one.articulations.length, 0),
								"stroke",
							)}
							{card && ` · ${card.parts === 0 ? "no part has it" : `${plural(card.parts, "part")} with it`}`}
							{!card && ownKit?.deleted && " · deleted from the library, kept for this part"}
						</p>
					</div>
					{editable && (
						<Group gap={4} wrap="nowrap">
							<Button
								size="compact-sm"
								variant="default"
								data-own-sounds
								onClick={() => folder.current?.click()}
							>
								Own sounds from a folder …
							</Button>
							<input
								ref={folder}
								type="file"
								hidden
								multiple
								aria-label="A folder of samples"
								{...{ webkitdirectory: "" }}
								onChange={(event) => {
									const files = [...(event.currentTarget.files ?? [])];
									event.currentTarget.value = "";
									if (files.length > 0) setSamples(files);
								}}
							/>
							<Tooltip label="Undo the last change to the kits or the shelf">
								<ActionIcon
									variant="default"
									size={26}
									aria-label="Undo in the kits"
									onClick={() => void travel(true)}
								>
									<IconArrowBackUp size={15} />
								</ActionIcon>
							</Tooltip>
							<Tooltip label="Do it again">
								<ActionIcon
									variant="default"
									size={26}
									aria-label="Redo in the kits"
									onClick={() => void travel(false)}
								>
									<IconArrowForwardUp size={15} />
								</ActionIcon>
							</Tooltip>
						</Group>
					)}
					{!editable && drums && card?.damage == null && (
						<Button size="compact-sm" data-make-mine onClick={() => void duplicate()}>
							Make it mine to change it
						</Button>
					)}
				</div>
				<Exchange shown={shown} onTaken={(id) => id !== null && onChoose(id)} refresh={refresh} />
				<Threads
					kit={kit}
					notes={notes.data ?? []}
					at={at}
					editable={editable}
					learning={learning}
					onChoose={(next) => {
						setAt(next);
						setLearning(false);
						const way = strokeAt(kit, next);
						if (way) hear(way.note, 96);
					}}
					onLearn={learn}
					onChange={(label, next) => void change(label, next)}
				/>
				<Pads kit={kit} hear={hear} at={at} played={played} />
			</div>
			<OwnSoundsDialog
				chosen={samples}
				kit={kit}
				close={() => setSamples(null)}
				onTake={(label, next) => void change(label, next)}
			/>
			<StrokePanel
				kit={kit}
				sounds={shown.sounds}
				at={at}
				editable={editable}
				missing={card?.missing ?? []}
				learning={learning}
				onLearning={setLearning}
				onChoose={setAt}
				onDraft={setDraft}
				onChange={(label, next) => void change(label, next)}
				hear={hear}
			/>
		</>
	);
}
