import { Button, Modal, TextInput } from "@mantine/core";
import { useLocalStorage } from "@mantine/hooks";
import { IconPlus, IconSearch } from "@tabler/icons-react";
import { useEffect, useRef, useState } from "react";
import { useShallow } from "zustand/react/shallow";
import type { ActionFamily, Aim } from "../../api/generated/types";
import { downwards } from "../../lib/arrows";
import { isEnter } from "../../lib/fields";
import { plural } from "../../lib/words";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useOffered, useUsed } from "../../part/useUsed";
import { ActionPicture } from "./ActionPicture";
import { AimInWords } from "./AimInWords";
import classes from "./Passes.module.css";
import { resolved } from "./resolved";
import { drumsIn, type Found, search } from "./search";
import { ownLanes } from "./useInfo";
import { actionInWords, capital } from "./words";

/** What is done without a pass, and how: the words that ask for it. */
const tips: [words: string[], tip: string][] = [
	[
		["delete", "remove", "erase", "mute a hit"],
		"To take hits out, select them and press Delete, or double-click one.",
	],
	[["double", "duplicate", "add a hit", "insert"], "To add a hit, double-click where it belongs in a row."],
	[["undo", "revert", "reset"], "Ctrl Z takes back the last step; History goes back further."],
	[["split", "join", "merge"], "Parts are split and joined in the menu beside the part’s name, at the top."],
	[
		["freeze", "commit", "bake", "print", "flatten passes"],
		"Takes, at the top, prints the part: what is played becomes the Written of a new take.",
	],
	[
		["tempo", "bpm", "slower", "faster"],
		"The tempo for listening is at the top left; a song’s own comes from its file.",
	],
	[["choke"], "Choke groups belong to the kit: K opens it."],
	[
		["reverse", "backwards"],
		"Nothing is played backwards. Swell turns a rise into a fall, Roll has its main stroke first or last.",
	],
	[["export", "save", "bounce", "wav"], "Export is at the top right."],
];

const families: [ActionFamily, string][] = [
	["touch", "Touch"],
	["time", "Time"],
	["hands", "Hands"],
	["tidy", "Tidy"],
	["lanes", "Controllers"],
];

interface Group {
	title: string | null;
	found: Found[];
}

/** All actions by family, what was used last on top; or those that answer to what was typed. */
function groupsOf(found: Found[], text: string, recent: string[]): Group[] {
	if (text.trim() !== "") return [{ title: null, found }];
	const last = recent.flatMap((kind) => found.filter(({ info }) => info.kind === kind));
	const groups = families.map(([family, title]) => ({
		title,
		found: found.filter(({ info }) => info.family === family),
	}));
	return [{ title: "Used last", found: last.slice(0, 4) }, ...groups].filter(({ found }) => found.length > 0);
}

export function AddPass() {
	const store = useWorkspaceStore();
	const opened = useWorkspace((state) => state.dialog === "add-pass");
	const { showDialog } = store.getState();
	const button = useRef<HTMLButtonElement>(null);
	const passes = useWorkspace(useShallow((state) => state.recipe.passes.map(({ id }) => id)));
	/** The passes that there were when one was added: the keyboard goes on in that one when it is there. */
	const waiting = useRef<number[] | null>(null);
	useEffect(() => {
		const added = passes.find((id) => waiting.current && !waiting.current.includes(id));
		if (added === undefined) return;
		waiting.current = null;
		if (document.activeElement !== button.current) return;
		document.querySelector<HTMLElement>(`[data-pass-fold="${added}"]`)?.focus();
	}, [passes]);
	return (
		<>
			<Button
				ref={button}
				variant="default"
				flex={1}
				size="sm"
				leftSection={<IconPlus size={15} />}
				data-add-pass
				onClick={() => showDialog("add-pass")}
			>
				Add a pass
			</Button>
			<Modal
				opened={opened}
				onClose={() => {
					showDialog(null);
					button.current?.focus();
				}}
				withCloseButton={false}
				size={860}
				padding={0}
				centered={false}
				yOffset={56}
				title={<span className="visually-hidden">Add a pass</span>}
				styles={{ header: { minHeight: 0, padding: 0 } }}
				transitionProps={{ duration: 0 }}
				returnFocus={false}
			>
				<Palette
					close={() => showDialog(null)}
					onAdded={() => {
						waiting.current = passes;
						button.current?.focus();
					}}
				/>
			</Modal>
		</>
	);
}

function Palette({ close, onAdded }: { close: () => void; onAdded: () => void }) {
	const used = useUsed();
	const store = useWorkspaceStore();
	const { words, part, open } = store.getState();
	const pockets = useWorkspace((state) => state.pockets);
	const [text, setText] = useState("");
	const [chosen, setChosen] = useState(0);
	const [recent, setRecent] = useLocalStorage<string[]>({
		key: "vivida-used-last",
		defaultValue: [],
		getInitialValueInEffect: false,
	});
	const list = useRef<HTMLDivElement>(null);
	const property = useWorkspace((state) => state.property);
	/** What is shown in the rows is what is shaped. */
	const startOf = ({ start }: Found) =>
		words.properties.find(({ name }) => name === property)?.starts.find(({ kind }) => kind === start.kind);
	const begun = (one: Found): Found =>
		property === "velocity" ? one : { ...one, start: startOf(one) ?? one.start };
	const known = (one: Found) => ({
		...one,
		info: resolved(one.info, one.start, words, ownLanes(store.getState())),
	});
	// A drum that is named is whom the pass means; the other words say what is done.
	const all = part.kit.instruments;
	const struck = drumsIn(
		text,
		words.actions,
		all.filter((_, index) => used.has(index)),
	);
	const { instruments, rest } = struck.instruments.length > 0 ? struck : drumsIn(text, words.actions, all);
	const groups = groupsOf(search(words.actions, rest).map(begun).map(known), rest, recent);
	const found = groups.flatMap((group) => group.found);
	const count = new Set(found.map(({ info }) => info.kind)).size;
	const { selected, selectedAim } = store.getState();
	const chosenAim: Aim | null = selected.size > 0 ? (selectedAim ?? { picked: [...selected] }) : null;
	const usual: Aim = open ? { instruments: [open] } : {};
	const aim: Aim = instruments.length > 0 ? { instruments } : (chosenAim ?? usual);
	const offered = useOffered(aim.instruments);
	const wanted = text.trim().toLowerCase();
	const tip = tips.find(([words]) => wanted.length > 1 && words.some((word) => word.startsWith(wanted)))?.[1];
	const pocketName = (id: number) => pockets.find((one) => one.id === id)?.name ?? "a pocket";
	const add = ({ info, start, fresh }: Found) => {
		const { act, commit } = store.getState();
		act({ kind: "add-passes", passes: [{ id: 1, on: true, fresh, aim, action: start }], instead: false });
		commit(`add ${info.title.toLowerCase()}`);
		setRecent([info.kind, ...recent.filter((kind) => kind !== info.kind)].slice(0, 4));
		close();
		onAdded();
	};
	useEffect(() => {
		list.current?.querySelectorAll("[role=option]")[chosen]?.scrollIntoView({ block: "nearest" });
	}, [chosen]);
	let place = -1;
	return (
		<div className={classes.palette}>
			<TextInput
				data-autofocus
				size="md"
				placeholder="compress, laid back, humanize, crescendo …"
				aria-label="Search for an action"
				role="combobox"
				aria-expanded
				aria-controls="actions"
				aria-activedescendant={found[chosen] ? `action-${chosen}` : undefined}
				aria-autocomplete="list"
				leftSection={<IconSearch size={16} />}
				value={text}
				onChange={(event) => {
					setText(event.currentTarget.value);
					setChosen(0);
				}}
				onKeyDown={(event) => {
					const step = downwards(event);
					if (step) {
						event.preventDefault();
						setChosen(Math.max(0, Math.min(found.length - 1, chosen + step)));
					}
					if (event.key !== "Enter" || !found[chosen]) return;
					// Else it would press what has the focus next.
					event.preventDefault();
					add(found[chosen]);
				}}
			/>
			<div
				className={classes.offers}
				id="actions"
				role="listbox"
				aria-label="Actions"
				ref={list}
				data-columns={rest === ""}
			>
				{groups.map((group) => (
					// biome-ignore lint/a11y/useSemanticElements: options are grouped, not fields.
					<div key={group.title} role="group" aria-label={group.title ?? "Found"}>
						{group.title && <div className={classes.family}>{group.title}</div>}
						{group.found.map((one) => {
							place += 1;
							const at = place;
							return (
								<div
									key={one.info.kind}
									id={`action-${at}`}
									role="option"
									tabIndex={-1}
									aria-selected={at === chosen}
									className={classes.offer}
									data-chosen={at === chosen}
									data-offer={one.info.kind}
									onPointerMove={() => setChosen(at)}
									onClick={() => add(one)}
									onKeyDown={(event) => isEnter(event) && add(one)}
								>
									<ActionPicture kind={one.info.kind} />
									<div>
										<strong>{one.info.title}</strong>{" "}
										<em>{capital(actionInWords(one.start, one.info, pocketName))}.</em>
										<span>{one.info.explains}</span>
									</div>
								</div>
							);
						})}
					</div>
				))}
				{found.length === 0 && !tip && (
					<p className={classes.empty}>
						Nothing matches “{text}”. Try what it should sound like: late, soft, loose.
					</p>
				)}
			</div>
			<div className={classes.paletteFoot}>
				<span role="status">
					{tip ?? (
						<>
							{plural(count, "action")}, for{" "}
							<b>
								<AimInWords aim={aim} kit={offered} />
							</b>
							{aim.instruments || aim.picked ? "" : "; open a row or name a drum to aim at it"}
						</>
					)}
				</span>
				<span>↑ ↓ choose · Enter adds · Esc closes</span>
			</div>
		</div>
	);
}
