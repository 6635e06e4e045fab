import { useCallback, useRef } from "react";
import { contrastOf, drumsWith, levelOf } from "../../part/drums";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { NumberToken, type NumberValues } from "../passes/NumberToken";
import classes from "./Rows.module.css";

const levels: NumberValues = {
	kind: "number",
	min: -126,
	max: 126,
	step: 1,
	unit: "",
	neutral: 0,
	sides: null,
	none: null,
};
const contrasts: NumberValues = { ...levels, min: 0, max: 300, unit: "%", neutral: 100 };

/** How much louder a drum is made, and how much wider its velocities are spread: for all rows that are selected. */
export function DrumNumbers({ id, name }: { id: string; name: string }) {
	const level = useWorkspace((state) => levelOf(state.recipe, id));
	const contrast = useWorkspace((state) => contrastOf(state.recipe, id));
	return (
		<div className={classes.numbers} data-numbers data-set={level !== 0 || contrast !== 100}>
			<DrumNumber kind="level-by" word="level" id={id} name={name} value={level} values={levels} />
			<DrumNumber
				kind="contrast-by"
				word="contrast"
				id={id}
				name={name}
				value={contrast}
				values={contrasts}
			/>
		</div>
	);
}

interface Props {
	kind: "level-by" | "contrast-by";
	word: string;
	id: string;
	name: string;
	value: number;
	values: NumberValues;
}

function DrumNumber({ kind, word, id, name, value, values }: Props) {
	const store = useWorkspaceStore();
	/** What it was when the hand began. */
	const from = useRef<number | null>(null);
	const set = useCallback(
		(next: number | null) => {
			if (next === null) return;
			from.current ??= value;
			const instruments = drumsWith(store.getState(), id);
			store
				.getState()
				.act({ kind, instruments, by: next - from.current }, `${word} of ${name.toLowerCase()}`);
		},
		[store, kind, word, id, name, value],
	);
	const done = useCallback(
		(soon: boolean) => {
			from.current = null;
			const { commit, commitSoon } = store.getState();
			(soon ? commitSoon : commit)(`${word} of ${name.toLowerCase()}`);
		},
		[store, word, name],
	);
	const signed = (shown: number) => (shown > 0 ? `+${shown}` : `${shown}`).replace("-", "−");
	return (
		<span>
			{word}{" "}
			<NumberToken
				label={`${name}, ${word}`}
				value={value}
				values={values}
				onChange={set}
				onDone={done}
				format={kind === "level-by" ? signed : undefined}
			/>
		</span>
	);
}
