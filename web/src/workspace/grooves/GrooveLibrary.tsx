import { ActionIcon, Button, FileButton, Menu, TextInput } from "@mantine/core";
import { IconDots, IconSearch, IconStar, IconStarFilled } from "@tabler/icons-react";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, files } from "../../api/client";
import type { GrooveCard } from "../../api/generated/types";
import { DamageMark } from "../../lib/Damage";
import { NameField } from "../../lib/NameField";
import { doing, offerUndo, showError, showNote } from "../../lib/notify";
import { useAfterMenu } from "../../lib/useAfterMenu";
import { keeping } from "../../part/keeping";
import classes from "./Grooves.module.css";
import { groovesKey, matching, useGrooves } from "./library";

interface Props {
	chosen: number | null;
	onChoose: (card: GrooveCard) => void;
}

/** The library: search, favourites, notes. */
export function GrooveLibrary({ chosen, onChoose }: Props) {
	const library = useGrooves();
	const queries = useQueryClient();
	const [text, setText] = useState("");
	const refresh = () => queries.invalidateQueries({ queryKey: groovesKey });
	const found = matching(library.data ?? [], text);
	const add = async (chosen: File[]) => {
		for (const file of chosen) {
			try {
				const { card, said } = await client.importGroove(file);
				for (const sentence of said) showNote(`“${file.name}”`, sentence);
				onChoose(card);
			} catch (error) {
				showError(error);
			}
		}
		await refresh();
	};
	return (
		<>
			<TextInput
				size="xs"
				placeholder="swing, shuffle, 6/8 …"
				aria-label="Search the grooves"
				leftSection={<IconSearch size={13} />}
				value={text}
				onChange={(event) => setText(event.currentTarget.value)}
			/>
			<ul className={classes.list} data-groove-list>
				{found.map((card) => (
					<Line
						key={card.id}
						card={card}
						chosen={card.id === chosen}
						onChoose={() => onChoose(card)}
						refresh={refresh}
					/>
				))}
				{found.length === 0 && library.data && <li className={classes.none}>No groove matches “{text}”.</li>}
			</ul>
			<FileButton
				onChange={(chosen) => void add(chosen)}
				accept=".mid,.midi,.smf,.json,audio/midi,application/json"
				multiple
				inputProps={{ "aria-label": "Groove files" }}
			>
				{(props) => (
					<Button {...props} size="compact-sm" variant="default">
						Import MIDI clips or JSON …
					</Button>
				)}
			</FileButton>
		</>
	);
}

interface LineProps {
	card: GrooveCard;
	chosen: boolean;
	onChoose: () => void;
	refresh: () => Promise<void>;
}

function Line({ card, chosen, onChoose, refresh }: LineProps) {
	const [editing, setEditing] = useState<"name" | "note" | null>(null);
	const { id, revision, note, favourite, groove } = card;
	const thing = `groove ${id}`;
	const change = (call: () => Promise<unknown>) => doing(call).finally(refresh);
	const set = (to: Partial<Pick<GrooveCard, "note" | "favourite">> & { name?: string }) =>
		change(() =>
			keeping.change(thing, revision, (revision, key) =>
				client.changeGroove(id, {
					key,
					revision,
					note: to.note ?? note,
					favourite: to.favourite ?? favourite,
					groove: { ...groove, name: to.name ?? groove.name },
				}),
			),
		);
	const remove = async () => {
		const remove = (revision: number) => client.deleteGroove({ ...card, revision });
		if (!(await change(() => keeping.change(thing, revision, remove, false)))) return;
		offerUndo(`groove-${id}`, `“${groove.name}” was deleted`, () => void change(client.undoShelf));
	};
	if (editing)
		return (
			<li className={classes.line}>
				<NameField
					label={editing === "name" ? "Name of the groove" : "Note on the groove"}
					value={editing === "name" ? groove.name : note}
					onDone={(text) => {
						setEditing(null);
						if (text) void set({ [editing]: text });
					}}
				/>
			</li>
		);
	return (
		<li className={classes.line} data-chosen={chosen} data-groove={groove.name}>
			<ActionIcon
				variant="transparent"
				color="gray"
				size={20}
				aria-label={`${groove.name} is a favourite`}
				aria-pressed={favourite}
				// A change would put an empty groove in its place.
				disabled={card.damage !== null}
				onClick={() => void set({ favourite: !favourite })}
			>
				{favourite ? <IconStarFilled size={13} /> : <IconStar size={13} />}
			</ActionIcon>
			<button
				type="button"
				className={classes.name}
				title={note}
				aria-pressed={chosen}
				disabled={card.damage !== null}
				onClick={onChoose}
			>
				<span>{groove.name}</span>
				<small>
					{groove.metre.numerator}/{groove.metre.denominator}
				</small>
			</button>
			<DamageMark reason={card.damage} />
			<LineMenu card={card} onEdit={setEditing} onDelete={() => void remove()} />
		</li>
	);
}

interface LineMenuProps {
	card: GrooveCard;
	onEdit: (what: "name" | "note") => void;
	onDelete: () => void;
}

function LineMenu({ card, onEdit, onDelete }: LineMenuProps) {
	const [what, setWhat] = useState<"name" | "note">("name");
	const after = useAfterMenu(() => onEdit(what));
	const edit = (next: "name" | "note") => {
		setWhat(next);
		after.choose();
	};
	return (
		<Menu position="bottom-end" onExitTransitionEnd={after.onExitTransitionEnd}>
			<Menu.Target>
				<ActionIcon variant="subtle" color="gray" size={20} aria-label={`More about ${card.groove.name}`}>
					<IconDots size={13} />
				</ActionIcon>
			</Menu.Target>
			<Menu.Dropdown>
				{card.damage === null ? (
					<>
						<Menu.Item onClick={() => edit("name")}>Rename</Menu.Item>
						<Menu.Item onClick={() => edit("note")}>Write a note</Menu.Item>
					</>
				) : (
					<Menu.Item component="a" href={files.groove(card.id)} download>
						Save what is left as a file
					</Menu.Item>
				)}
				<Menu.Item color="red" onClick={onDelete}>
					Delete
				</Menu.Item>
			</Menu.Dropdown>
		</Menu>
	);
}
