import { Button, MultiSelect, Switch } from "@mantine/core";
import { useEffect, useState } from "react";
import type { Action, GrooveProfile } from "../../api/generated/types";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useOffered } from "../../part/useUsed";
import passClasses from "../passes/Passes.module.css";
import { ActionWords } from "../passes/Sentence";
import classes from "./Grooves.module.css";

type Strengths = Omit<Extract<Action, { kind: "groove" }>, "groove">;

/** The groove on the open part: listened to, and then taken as a pass. Nothing changes before. */
export function UseForm({ groove }: { groove: GrooveProfile }) {
	const store = useWorkspaceStore();
	const instruments = useOffered();
	const said = useWorkspace((state) =>
		state.audition ? (state.performance?.passes.at(-1)?.said ?? null) : null,
	);
	const offer = store.getState().words.actions.find(({ start }) => start.kind === "groove");
	const [on, setOn] = useState<string[]>([]);
	const [listening, setListening] = useState(false);
	const [strengths, setStrengths] = useState<Strengths | null>(
		offer?.start.kind === "groove" ? offer.start : null,
	);
	const action = strengths && ({ ...strengths, groove } as Action);
	useEffect(() => {
		if (!listening || !action) return;
		store.getState().listen({ aim: { instruments: on }, action });
	}, [store, listening, groove, on, strengths]);
	if (!offer || !action || !strengths) return null;
	const listen = (now: boolean) => {
		setListening(now);
		if (!now) store.getState().listen(null);
	};
	const use = () => {
		const { act, commit, showScreen } = store.getState();
		const pass = { id: 1, on: true, aim: { instruments: on }, action };
		act({ kind: "add-passes", passes: [pass], instead: false });
		commit(`take the groove “${groove.name}”`);
		showScreen(null);
	};
	const info = { ...offer.info, sentence: offer.info.sentence.replace(" of {groove}", "") };
	return (
		<div className={classes.use}>
			<Switch
				label="Hear it on this part"
				size="sm"
				checked={listening}
				data-listen
				onChange={(event) => listen(event.currentTarget.checked)}
			/>
			<MultiSelect
				size="xs"
				className={classes.on}
				aria-label="On which instruments"
				placeholder={on.length === 0 ? "on all instruments" : ""}
				value={on}
				data={instruments.map(({ id, name }) => ({ value: id, label: name }))}
				onChange={setOn}
			/>
			<p className={passClasses.sentence}>
				<ActionWords
					action={action}
					info={info}
					editing={{
						path: (setting) => `audition.${setting}`,
						change: (setting, value) => setStrengths({ ...strengths, [setting]: value } as Strengths),
						done: () => undefined,
					}}
				/>
			</p>
			{said && (
				<p className={classes.said} role="status">
					{said}
				</p>
			)}
			<Button size="sm" data-use-groove onClick={use}>
				Add as a pass
			</Button>
		</div>
	);
}
