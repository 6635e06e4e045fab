import { ActionIcon, Button, FileButton, Group, Modal, Stack, Text, TextInput, Tooltip } from "@mantine/core";
import { IconBook2, IconDownload, IconPencil, IconTrash } from "@tabler/icons-react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, files } from "../../api/client";
import type { Recipe, RecipeCard } from "../../api/generated/types";
import { DamageMark } from "../../lib/Damage";
import { NameField } from "../../lib/NameField";
import { doing, offerUndo, showError, showNote } from "../../lib/notify";
import { plural } from "../../lib/words";
import { readingKey, useWorkspace, useWorkspaceStore } from "../../part/store";
import classes from "./Passes.module.css";

/** Whole lists of passes: starting points made for the part, and the library. */
export function RecipesButton() {
	const store = useWorkspaceStore();
	const opened = useWorkspace((state) => state.dialog === "recipes");
	const { showDialog } = store.getState();
	return (
		<>
			<Button
				variant="default"
				size="sm"
				leftSection={<IconBook2 size={15} />}
				data-recipes
				onClick={() => showDialog("recipes")}
			>
				Recipes
			</Button>
			<Modal opened={opened} onClose={() => showDialog(null)} title="Recipes" size="lg">
				<Recipes close={() => showDialog(null)} />
			</Modal>
		</>
	);
}

const refresh = ["recipes"];

function Recipes({ close }: { close: () => void }) {
	const store = useWorkspaceStore();
	const part = useWorkspace((state) => state.part.state.id);
	const reading = useWorkspace((state) => readingKey(state.part.state));
	const points = useQuery({
		queryKey: ["starting-points", reading],
		queryFn: () => client.startingPoints(part),
	});
	const library = useQuery({ queryKey: refresh, queryFn: client.recipes });
	const use = async (name: string, recipe: Recipe, add: boolean) => {
		try {
			const fitted = await client.fit(part, recipe);
			for (const sentence of fitted.said) showNote(`“${name}”: not all of it fits`, sentence);
			if (fitted.recipe.passes.length === 0) return;
			const { act, commit } = store.getState();
			const { passes, groups } = fitted.recipe;
			// A recipe that has groups keeps them; else it is one.
			const named = groups ? undefined : name;
			act({ kind: "add-passes", passes, groups, instead: !add, named });
			commit(`${add ? "add" : "use"} “${name}”`);
			close();
		} catch (error) {
			showError(error);
		}
	};
	return (
		<Stack gap="sm">
			<SaveForm />
			<Text fw={700}>Starting points for this part</Text>
			<Stack gap={2}>
				{points.data?.map(({ name, explains, recipe }) => (
					<Offer
						key={name}
						name={name}
						note={explains}
						count={recipe.passes.length}
						onUse={(add) => void use(name, recipe, add)}
					/>
				))}
			</Stack>
			<Group justify="space-between">
				<Text fw={700}>Your recipes</Text>
				<ImportButton />
			</Group>
			{library.data?.length === 0 && (
				<Text size="sm" c="dimmed">
					None yet. Save the passes of a part that came out well, and use them on the next song.
				</Text>
			)}
			<Stack gap={2}>
				{library.data?.map((card) => (
					<LibraryLine key={card.id} card={card} onUse={(add) => void use(card.name, card.recipe, add)} />
				))}
			</Stack>
		</Stack>
	);
}

interface OfferProps {
	name: string;
	note: string;
	count: number;
	onUse: (add: boolean) => void;
	damage?: string | null;
	children?: React.ReactNode;
}

function Offer({ name, note, count, onUse, damage = null, children }: OfferProps) {
	return (
		<Group className={classes.recipe} gap={6} wrap="nowrap" data-recipe={name}>
			<div className={classes.recipeWords}>
				<strong>{name}</strong>{" "}
				{damage ? <DamageMark reason={damage} /> : <span>{plural(count, "pass", "passes")}</span>}
				<p>{note}</p>
			</div>
			{children}
			<Tooltip label="In the place of the passes that are there">
				<Button size="compact-xs" data-use disabled={damage !== null} onClick={() => onUse(false)}>
					Use
				</Button>
			</Tooltip>
			<Tooltip label="Behind the passes that are there">
				<Button size="compact-xs" variant="default" disabled={damage !== null} onClick={() => onUse(true)}>
					Add
				</Button>
			</Tooltip>
		</Group>
	);
}

function LibraryLine({ card, onUse }: { card: RecipeCard; onUse: (add: boolean) => void }) {
	const queries = useQueryClient();
	const [renaming, setRenaming] = useState(false);
	const change = (call: () => Promise<unknown>) =>
		doing(call).finally(() => void queries.invalidateQueries({ queryKey: refresh }));
	const remove = async () => {
		if (!(await change(() => client.deleteRecipe(card)))) return;
		offerUndo(`recipe-${card.id}`, `“${card.name}” was deleted`, () => void change(client.undoShelf));
	};
	if (renaming)
		return (
			<NameField
				label="Name of the recipe"
				value={card.name}
				onDone={(name) => {
					setRenaming(false);
					if (name) void change(() => client.renameRecipe(card, name, card.note));
				}}
			/>
		);
	return (
		<Offer
			name={card.name}
			note={card.note}
			count={card.recipe.passes.length}
			onUse={onUse}
			damage={card.damage}
		>
			<ActionIcon
				component="a"
				href={files.recipe(card.id)}
				download
				variant="subtle"
				color="gray"
				size={24}
				aria-label={`Export ${card.name}`}
			>
				<IconDownload size={14} />
			</ActionIcon>
			<ActionIcon
				variant="subtle"
				color="gray"
				size={24}
				aria-label={`Rename ${card.name}`}
				onClick={() => setRenaming(true)}
			>
				<IconPencil size={14} />
			</ActionIcon>
			<ActionIcon
				variant="subtle"
				color="gray"
				size={24}
				aria-label={`Delete ${card.name}`}
				onClick={() => void remove()}
			>
				<IconTrash size={14} />
			</ActionIcon>
		</Offer>
	);
}

function SaveForm() {
	const store = useWorkspaceStore();
	const queries = useQueryClient();
	const count = useWorkspace((state) => state.recipe.passes.length);
	const [name, setName] = useState("");
	const [note, setNote] = useState("");
	const save = async () => {
		try {
			await client.addRecipe(name, note, store.getState().recipe);
			setName("");
			setNote("");
			await queries.invalidateQueries({ queryKey: refresh });
		} catch (error) {
			showError(error);
		}
	};
	if (count === 0) return null;
	return (
		<form
			onSubmit={(event) => {
				event.preventDefault();
				void save();
			}}
		>
			<Group gap={6} wrap="nowrap" align="end">
				<TextInput
					size="xs"
					flex={2}
					label={`Save the ${plural(count, "pass", "passes")} of this part`}
					placeholder="Name"
					aria-label="Name for the recipe"
					value={name}
					maxLength={200}
					onChange={(event) => setName(event.currentTarget.value)}
				/>
				<TextInput
					size="xs"
					flex={3}
					placeholder="what it is for"
					aria-label="Note for the recipe"
					value={note}
					maxLength={200}
					onChange={(event) => setNote(event.currentTarget.value)}
				/>
				<Button size="xs" type="submit" disabled={!name.trim()}>
					Save
				</Button>
			</Group>
		</form>
	);
}

function ImportButton() {
	const queries = useQueryClient();
	const add = async (chosen: File[]) => {
		for (const file of chosen) await client.importRecipe(file).catch(showError);
		await queries.invalidateQueries({ queryKey: refresh });
	};
	return (
		<FileButton
			onChange={(chosen) => void add(chosen)}
			accept=".json,application/json"
			multiple
			inputProps={{ "aria-label": "Recipe files" }}
		>
			{(props) => (
				<Button {...props} size="compact-xs" variant="default">
					Import files …
				</Button>
			)}
		</FileButton>
	);
}
