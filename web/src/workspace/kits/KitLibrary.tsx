import { ActionIcon, Button, FileButton, Menu } from "@mantine/core";
import { IconArrowLeft, IconDots } from "@tabler/icons-react";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, files } from "../../api/client";
import type { KitCard } from "../../api/generated/types";
import { DamageMark } from "../../lib/Damage";
import { NameField } from "../../lib/NameField";
import { doing, offerUndo, showError } from "../../lib/notify";
import { useAfterMenu } from "../../lib/useAfterMenu";
import { keeping } from "../../part/keeping";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import lists from "../grooves/Grooves.module.css";
import classes from "./Kits.module.css";
import { byItself, kitsKey, useKits } from "./kits";

interface Props {
	chosen: number | typeof byItself;
	onChoose: (chosen: number | typeof byItself) => void;
}

/** The kits there are: what the part has by itself, one's own, ours. */
export function KitLibrary({ chosen, onChoose }: Props) {
	const store = useWorkspaceStore();
	const queries = useQueryClient();
	const library = useKits();
	const own = useWorkspace((state) => state.part.state.kit);
	const refresh = async () => {
		await queries.invalidateQueries({ queryKey: kitsKey });
		store.getState().lookAgain();
	};
	const add = async (chosen: File[]) => {
		for (const file of chosen) {
			try {
				onChoose((await client.importKit(file)).id);
			} catch (error) {
				showError(error);
			}
		}
		await refresh();
	};
	return (
		<div className={`${lists.side} ${classes.library}`}>
			<Button
				variant="subtle"
				color="gray"
				size="compact-sm"
				leftSection={<IconArrowLeft size={14} />}
				data-close-kit
				onClick={() => store.getState().showScreen(null)}
			>
				Back to the hits
			</Button>
			<ul className={lists.list} data-kit-list aria-label="Kits">
				{(!own || own.deleted) && (
					<li className={lists.line} data-chosen={chosen === byItself}>
						<button type="button" className={lists.name} onClick={() => onChoose(byItself)}>
							<span>{own ? own.name : "What the part uses"}</span>
							<small>this part</small>
						</button>
					</li>
				)}
				{library.data?.map((card) => (
					<Line
						key={card.id}
						card={card}
						chosen={card.id === chosen}
						ofPart={card.id === own?.id}
						onChoose={() => onChoose(card.id)}
						refresh={refresh}
					/>
				))}
			</ul>
			<FileButton
				onChange={(chosen) => void add(chosen)}
				accept=".json,application/json"
				multiple
				inputProps={{ "aria-label": "Kit files" }}
			>
				{(props) => (
					<Button {...props} size="compact-sm" variant="default">
						Import kits …
					</Button>
				)}
			</FileButton>
		</div>
	);
}

interface LineProps {
	card: KitCard;
	chosen: boolean;
	ofPart: boolean;
	onChoose: () => void;
	refresh: () => Promise<void>;
}

function Line({ card, chosen, ofPart, onChoose, refresh }: LineProps) {
	const [renaming, setRenaming] = useState(false);
	const after = useAfterMenu(() => setRenaming(true));
	const { id, revision, kit, own, damage } = card;
	const change = (call: () => Promise<unknown>) => doing(call).finally(refresh);
	const remove = async () => {
		const remove = (revision: number) => client.deleteKit({ ...card, revision });
		if (!(await change(() => keeping.change(`kit ${id}`, revision, remove, false)))) return;
		offerUndo(`kit-${id}`, `“${kit.name}” was deleted`, () => void change(client.undoShelf));
	};
	if (renaming)
		return (
			<li className={lists.line}>
				<NameField
					label="Name of the kit"
					value={kit.name}
					onDone={(name) => {
						setRenaming(false);
						if (name)
							void change(() =>
								keeping.change(`kit ${id}`, revision, (revision, key) =>
									client.changeKit(id, {
										key,
										revision,
										label: `rename the kit to “${name}”`,
										kit: { ...kit, name },
									}),
								),
							);
					}}
				/>
			</li>
		);
	return (
		<li className={lists.line} data-chosen={chosen} data-kit={kit.name}>
			<button type="button" className={lists.name} title={kit.name} onClick={onChoose}>
				<span>{kit.name}</span>
				{ofPart && <small>this part</small>}
			</button>
			<DamageMark reason={damage} />
			<Menu position="bottom-end" onExitTransitionEnd={after.onExitTransitionEnd}>
				<Menu.Target>
					<ActionIcon variant="subtle" color="gray" size={22} aria-label={`What to do with ${kit.name}`}>
						<IconDots size={14} />
					</ActionIcon>
				</Menu.Target>
				<Menu.Dropdown>
					{damage === null && (
						<Menu.Item
							onClick={() =>
								void change(async () => {
									const name = `${kit.name.slice(0, 72)}, copy`;
									await client.addKit({ ...kit, name });
								})
							}
						>
							Duplicate
						</Menu.Item>
					)}
					{!own && damage === null && <Menu.Item onClick={after.choose}>Rename</Menu.Item>}
					<Menu.Item component="a" href={files.kit(id)} download>
						Export as JSON
					</Menu.Item>
					<Menu.Item onClick={() => void remove()}>Delete</Menu.Item>
				</Menu.Dropdown>
			</Menu>
		</li>
	);
}
