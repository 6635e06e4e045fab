import { Menu } from "@mantine/core";
import { Fragment, memo, useRef, useState } from "react";
import type { ActionInfo, Aim, ByHand, Pass, Setting, TouchProfile } from "../../api/generated/types";
import { listed, plural } from "../../words";
import { withPass, withSetting } from "../edit";
import { useWorkspace, useWorkspaceStore } from "../store";
import { AimTokens } from "./AimTokens";
import { GridToken } from "./GridToken";
import { NumberToken } from "./NumberToken";
import classes from "./Passes.module.css";
import { PatternPicture } from "./PatternPicture";
import { TouchToken } from "./TouchToken";

/** The clauses of a sentence; those in brackets can be left out. */
function clausesOf(sentence: string) {
	return sentence.split(/(\[[^\]]*\])/).map((text) => ({
		optional: text.startsWith("["),
		words: text.replace(/[[\]]/g, "").split(/\{(\w+)\}/),
	}));
}

/** Whether a setting is where it changes nothing. */
function isNeutral(pass: Pass, { name, values }: Setting) {
	if (values.kind !== "number") return false;
	const value = (pass.action as unknown as Record<string, unknown>)[name];
	return value === (values.none === null ? values.neutral : null);
}

/** A pass as a sentence in which every underlined word is a control. */
export function Sentence({ pass, info }: { pass: Pass; info: ActionInfo }) {
	const [asked, setAsked] = useState<string[]>([]);
	if (pass.action.kind === "by-hand") return <HandSentence hand={pass.action} />;
	const find = (name: string) => info.settings.find((setting) => setting.name === name);
	const hidden: Setting[] = [];
	const shown = clausesOf(info.sentence).filter(({ optional, words }) => {
		const first = find(words[1]);
		if (!optional || !first || asked.includes(first.name) || !isNeutral(pass, first)) return true;
		hidden.push(first);
		return false;
	});
	return (
		<p className={classes.sentence}>
			<AimWords id={pass.id} aim={pass.aim} title={info.title.toLowerCase()} />
			{shown.map(({ words }) =>
				words.map((word, index) => {
					const setting = index % 2 === 1 && find(word);
					return (
						<Fragment key={`${words[1]} ${index}`}>
							{setting ? <SettingToken pass={pass} info={info} setting={setting} /> : word}
						</Fragment>
					);
				}),
			)}
			{hidden.map(({ name, label }) => (
				<Fragment key={name}>
					{" "}
					<button type="button" className={classes.more} onClick={() => setAsked([...asked, name])}>
						{label} …
					</button>
				</Fragment>
			))}
		</p>
	);
}

/** Whom a pass is for. A drag of its numbers leaves these words be. */
const AimWords = memo(function AimWords({ id, aim, title }: { id: number; aim: Aim; title: string }) {
	const store = useWorkspaceStore();
	const meant = useWorkspace((state) => state.performance?.passes.find((one) => one.pass === id)?.aimed ?? 0);
	const choosing = useRef(false);
	return (
		<AimTokens
			aim={aim}
			onChange={(next) => {
				const { recipe, draft, commitSoon, light } = store.getState();
				draft({ recipe: withPass(recipe, id, { aim: next }) });
				commitSoon(`aim ${title}`);
				if (choosing.current) light(id, true);
			}}
			onChoosing={(now) => {
				choosing.current = now;
				store.getState().light(now ? id : null, true);
			}}
			meant={meant}
		/>
	);
});

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
	const done = (soon: boolean) => {
		const { commit, commitSoon } = store.getState();
		(soon ? commitSoon : commit)(step);
	};
	const choose = (next: string) => {
		change(next);
		done(false);
	};
	if (values.kind === "grid") return <GridToken label={label} value={String(value)} onChange={choose} />;
	if (values.kind === "layer") return <LayerToken label={label} value={String(value)} onChange={choose} />;
	if (values.kind === "touch") {
		if (pass.action.kind !== "match") return null;
		const choose = (reference: TouchProfile) => {
			const { recipe, draft } = store.getState();
			draft({ recipe: withSetting(recipe, pass, setting.name, reference) });
			done(false);
		};
		return <TouchToken label={label} value={pass.action.reference} onChange={choose} />;
	}
	if (values.kind === "pattern") {
		if (pass.action.kind !== "accents") return null;
		return (
			<PatternPicture
				accents={pass.action}
				most={values.max}
				onChange={(pattern) => {
					const { recipe, draft } = store.getState();
					draft({ recipe: withSetting(recipe, pass, setting.name, pattern) });
				}}
				onDone={done}
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
					<Menu.Item key={name} onClick={() => choose(name)}>
						{words}
					</Menu.Item>
				))}
			</Menu.Dropdown>
		</Menu>
	);
}

/** What was done to single hits. */
function HandSentence({ hand: { moved, removed, added } }: { hand: ByHand }) {
	const words = [];
	if (moved.length > 0) words.push(`${plural(moved.length, "hit")} moved`);
	if (removed.length > 0) words.push(`${plural(removed.length, "hit")} taken out`);
	if (added.length > 0) words.push(`${plural(added.length, "hit")} added`);
	return (
		<p className={classes.sentence}>
			{words.length > 0 ? `${listed(words)}.` : "Nothing is changed by hand."}
		</p>
	);
}

/** The velocity layers of the part's kit by name. */
function LayerToken({
	label,
	value,
	onChange,
}: {
	label: string;
	value: string;
	onChange: (layer: string) => void;
}) {
	const instruments = useWorkspace((state) => state.part.kit.instruments);
	const names = [...new Set(instruments.flatMap(({ layers }) => layers.map((layer) => layer.name)))];
	return (
		<Menu>
			<Menu.Target>
				<button type="button" className={classes.token} aria-label={`${label}: ${value}`}>
					{value}
				</button>
			</Menu.Target>
			<Menu.Dropdown>
				{names.map((name) => (
					<Menu.Item key={name} onClick={() => onChange(name)}>
						{name}
					</Menu.Item>
				))}
			</Menu.Dropdown>
		</Menu>
	);
}
