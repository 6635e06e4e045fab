import { Menu } from "@mantine/core";
import { Fragment } from "react";
import type { ActionInfo, Pass, Setting } from "../../api/generated/types";
import { withPass, withSetting } from "../edit";
import { useWorkspace, useWorkspaceStore } from "../store";
import { AimTokens } from "./AimTokens";
import { NumberToken } from "./NumberToken";
import classes from "./Passes.module.css";

/** A pass as a sentence in which every underlined word is a control. */
export function Sentence({ pass, info }: { pass: Pass; info: ActionInfo }) {
	const store = useWorkspaceStore();
	const words = info.sentence.split(/\{(\w+)\}/);
	return (
		<p className={classes.sentence}>
			<AimTokens
				aim={pass.aim}
				onChange={(aim) => {
					const { recipe, draft, commit } = store.getState();
					draft({ recipe: withPass(recipe, pass.id, { aim }) });
					commit(`aim ${info.title.toLowerCase()}`);
				}}
			/>
			{words.map((word, index) => {
				const setting = index % 2 === 1 && info.settings.find(({ name }) => name === word);
				return (
					<Fragment key={index}>
						{setting ? <SettingToken pass={pass} info={info} setting={setting} /> : word}
					</Fragment>
				);
			})}
		</p>
	);
}

function SettingToken({ pass, info, setting }: { pass: Pass; info: ActionInfo; setting: Setting }) {
	const store = useWorkspaceStore();
	const field = useWorkspace((state) => state.refused?.field);
	const detail = useWorkspace((state) => state.refused?.detail);
	const place = useWorkspace((state) => state.recipe.passes.findIndex(({ id }) => id === pass.id));
	const wrong = field === `recipe.passes[${place}].action.${setting.name}` ? detail : null;
	const label = `${info.title}: ${setting.label}`;
	const step = `${info.title.toLowerCase()}: ${setting.label}`;
	const value = (pass.action as unknown as Record<string, number | string | null>)[setting.name];
	const change = (next: number | string | null) => {
		const { recipe, draft } = store.getState();
		draft({ recipe: withSetting(recipe, pass, setting.name, next) });
	};
	const { values } = setting;
	if (values.kind === "number") {
		return (
			<NumberToken
				label={label}
				value={value as number | null}
				values={values}
				wrong={wrong}
				onChange={change}
				onDone={(soon) => {
					const { commit, commitSoon } = store.getState();
					(soon ? commitSoon : commit)(step);
				}}
			/>
		);
	}
	const chosen = values.options.find(([name]) => name === value);
	return (
		<Menu>
			<Menu.Target>
				<button type="button" className={classes.token} aria-label={`${label}: ${chosen?.[1]}`}>
					{chosen?.[1]}
				</button>
			</Menu.Target>
			<Menu.Dropdown>
				{values.options.map(([name, words]) => (
					<Menu.Item
						key={name}
						onClick={() => {
							change(name);
							store.getState().commit(step);
						}}
					>
						{words}
					</Menu.Item>
				))}
			</Menu.Dropdown>
		</Menu>
	);
}
