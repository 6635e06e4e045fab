import { Menu } from "@mantine/core";
import { memo, type ReactNode, useCallback, useRef, useState } from "react";
import type { Action, ActionInfo, Aim, ByHand, Pass, Setting } from "../../api/generated/types";
import { listed, plural } from "../../lib/words";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { AimTokens } from "./aim/AimTokens";
import { Narrow } from "./aim/Narrow";
import { GridToken } from "./GridToken";
import { GrooveToken } from "./GrooveToken";
import { AroundToken, InstrumentToken, StrokeToken, WaysToken, WordToken } from "./HandsTokens";
import { NumberToken } from "./NumberToken";
import classes from "./Passes.module.css";
import { PatternPicture } from "./PatternPicture";
import { PocketToken } from "./PocketToken";
import { TouchToken } from "./TouchToken";
import { arcInWords, clausesShown, isLine, settingOf } from "./words";

/** How the settings of an action are changed. */
export interface Editing {
	/** Where a setting stands in what the server may refuse. */
	path: (setting: string) => string;
	/** Shown at once. */
	change: (setting: string, value: unknown) => void;
	/** Kept, at once or in a moment. */
	done: (setting: Setting, soon: boolean) => void;
}

interface WordsProps {
	action: Action;
	info: ActionInfo;
	editing: Editing;
}

/** A word and the mark that must not begin a line. */
function marked(text: string): [mark: string, rest: string] {
	const mark = /^[.,;:]/.exec(text)?.[0] ?? "";
	return [mark, text.slice(mark.length)];
}

/** What an action does, in which every underlined word is a control. */
export function ActionWords({ action, info, editing, more }: WordsProps & { more?: ReactNode }) {
	const [asked, setAsked] = useState<string[]>([]);
	const find = (name: string) => info.settings.find((setting) => setting.name === name);
	const { shown, hidden } = clausesShown(action, info, asked);
	// Words and settings take turns; a clause that is left out leaves two words beside one another.
	const words = shown.reduce<string[]>((all, clause) => {
		if (all.length === 0) return clause.words;
		return [...all.slice(0, -1), all[all.length - 1] + clause.words[0], ...clause.words.slice(1)];
	}, []);
	return (
		<>
			{words.map((word, index) => {
				if (index % 2 === 0) return index === 0 ? word : marked(word)[1];
				const setting = find(word);
				return (
					<span key={word} className={classes.stuck}>
						{setting && <SettingToken action={action} info={info} editing={editing} setting={setting} />}
						{marked(words[index + 1])[0]}
					</span>
				);
			})}
			{(more || hidden.length > 0) && (
				<span className={classes.asides}>
					{more}
					{hidden.map(({ name, label }) => (
						<button
							key={name}
							type="button"
							className={classes.more}
							onClick={() => setAsked([...asked, name])}
						>
							{label} …
						</button>
					))}
				</span>
			)}
		</>
	);
}

/** A pass as a sentence. */
export function Sentence({ pass, info }: { pass: Pass; info: ActionInfo }) {
	const store = useWorkspaceStore();
	const place = useWorkspace((state) => state.recipe.passes.findIndex(({ id }) => id === pass.id));
	if (pass.action.kind === "by-hand") return <HandSentence hand={pass.action} />;
	const editing: Editing = {
		path: (setting) => `recipe.passes[${place}].action.${setting}`,
		change: (setting, value) => {
			store.getState().act({ kind: "set", pass: pass.id, setting, value });
		},
		done: (setting, soon) => {
			const { commit, commitSoon } = store.getState();
			(soon ? commitSoon : commit)(`${info.title.toLowerCase()}: ${setting.label}`);
		},
	};
	return (
		<p className={classes.sentence}>
			<AimWords id={pass.id} aim={pass.aim} title={info.title.toLowerCase()} bars={isLine(pass.action)} />
			<ActionWords
				action={pass.action}
				info={info}
				editing={editing}
				more={
					!isLine(pass.action) && <NarrowAim id={pass.id} aim={pass.aim} title={info.title.toLowerCase()} />
				}
			/>
		</p>
	);
}

/** Aims a pass, and keeps it in a moment. */
function useAimChange(id: number, title: string) {
	const store = useWorkspaceStore();
	return useCallback(
		(next: Aim) => {
			const { act, commitSoon } = store.getState();
			act({ kind: "change-pass", pass: id, aim: next });
			commitSoon(`aim ${title}`);
		},
		[store, id, title],
	);
}

const NarrowAim = memo(function NarrowAim({ id, aim, title }: { id: number; aim: Aim; title: string }) {
	return <Narrow aim={aim} onChange={useAimChange(id, title)} />;
});

/** Whom a pass is for. A drag of its numbers leaves these words be. */
const AimWords = memo(function AimWords({
	id,
	aim,
	title,
	bars,
}: {
	id: number;
	aim: Aim;
	title: string;
	bars: boolean;
}) {
	const store = useWorkspaceStore();
	const turned = useWorkspace(
		(state) => state.performance?.turned.find(([pass]) => pass === id)?.[1] ?? null,
	);
	const meant = useWorkspace((state) => state.performance?.passes.find((one) => one.pass === id)?.aimed ?? 0);
	const choosing = useRef(false);
	const change = useAimChange(id, title);
	return (
		<AimTokens
			aim={aim}
			bars={bars}
			turned={turned}
			onChange={(next) => {
				change(next);
				if (choosing.current) store.getState().light(id, true);
			}}
			onChoosing={(now) => {
				choosing.current = now;
				store.getState().light(now ? id : null, true);
			}}
			meant={meant}
		/>
	);
});

function SettingToken({ action, info, editing, setting }: WordsProps & { setting: Setting }) {
	const field = useWorkspace((state) => state.refused?.field);
	const detail = useWorkspace((state) => state.refused?.detail);
	const wrong = field === editing.path(setting.name) ? detail : null;
	const label = `${info.title}: ${setting.label}`;
	const value = (action as unknown as Record<string, number | string | null>)[setting.name];
	const usual = useWorkspace(({ words }) => {
		// What is usual for velocities need not be for another property.
		if ("property" in action && action.property !== "velocity") return undefined;
		const start = words.actions.find((offer) => offer.start.kind === action.kind)?.start;
		return start && (settingOf(start, setting.name) as number | null | undefined);
	});
	const change = (next: unknown) => editing.change(setting.name, next);
	const done = (soon: boolean) => editing.done(setting, soon);
	const choose = (next: unknown) => {
		change(next);
		done(false);
	};
	const { values } = setting;
	if (values.kind === "number") {
		return (
			<NumberToken
				label={label}
				value={value as number | null}
				values={values}
				usual={usual}
				wrong={wrong}
				onChange={change}
				onDone={done}
			/>
		);
	}
	if (values.kind === "grid") return <GridToken label={label} value={String(value)} onChange={choose} />;
	if (values.kind === "layer") return <LayerToken label={label} value={String(value)} onChange={choose} />;
	if (values.kind === "touch") {
		if (action.kind !== "match") return null;
		return <TouchToken label={label} value={action.reference} onChange={choose} />;
	}
	if (values.kind === "groove") {
		if (action.kind !== "groove") return null;
		return <GrooveToken label={label} value={action.groove} onChange={choose} />;
	}
	if (values.kind === "pocket") {
		if (action.kind !== "pocket") return null;
		return <PocketToken label={label} value={action.pocket} onChange={choose} />;
	}
	if (values.kind === "pattern") {
		if (action.kind !== "accents") return null;
		return <PatternPicture accents={action} most={values.max} onChange={change} onDone={done} />;
	}
	if (values.kind === "around") {
		if (action.kind !== "ghosts") return null;
		return <AroundToken label={label} slots={action.slots} farthest={values.farthest} onChange={choose} />;
	}
	if (values.kind === "stroke") return <StrokeToken label={label} value={String(value)} onChange={choose} />;
	if (values.kind === "instrument")
		return <InstrumentToken label={label} value={String(value)} onChange={choose} />;
	if (values.kind === "word")
		return <WordToken label={label} value={String(value)} values={values} onChange={choose} />;
	if (values.kind === "ways") {
		if (action.kind !== "recolour") return null;
		return <WaysToken label={label} ways={action.ways} onChange={choose} />;
	}
	if (values.kind === "line") {
		if (action.kind !== "arc") return null;
		return (
			<button
				type="button"
				className={classes.token}
				title="On the song strip, below: drag a point, press on the line to add one, double-click one to take it out"
				onClick={() => document.querySelector<HTMLElement>("[data-arc-point]")?.focus()}
			>
				{arcInWords(action.points)}
			</button>
		);
	}
	if (values.kind === "lane-points") {
		if (action.kind !== "lane-line") return null;
		return (
			<button
				type="button"
				className={classes.token}
				title="In its row, below the instruments: press to add a point, drag it, double-click to take it out"
				onClick={() =>
					(
						document.querySelector<HTMLElement>(`[data-lane='${action.lane}'] [data-lane-point]`) ??
						document.querySelector<HTMLElement>(`[data-lane='${action.lane}'] [data-lane-area]`)
					)?.focus()
				}
			>
				{action.points.length === 0 ? "a line, in its row below" : plural(action.points.length, "point")}
			</button>
		);
	}
	if (values.kind !== "choice") return null;
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
function HandSentence({ hand: { moved, removed, recalled = [], added } }: { hand: ByHand }) {
	const words = [];
	if (moved.length > 0) words.push(`${plural(moved.length, "hit")} moved`);
	if (removed.length > 0) words.push(`${plural(removed.length, "hit")} taken out`);
	if (recalled.length > 0) words.push(`${plural(recalled.length, "hit")} called back`);
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
