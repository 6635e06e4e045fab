/** Passes in words: sentences and short forms. */
import type {
	Action,
	ActionInfo,
	Aim,
	ArcPoint,
	Family,
	Instrument,
	Setting,
	Way,
} from "../../api/generated/types";
import { listed, plural, signed } from "../../lib/words";
import { gridInWords } from "./GridToken";
import { numberInWords } from "./NumberToken";

/** The clauses of a sentence; those in brackets can be left out. */
export function clausesOf(sentence: string) {
	return sentence.split(/(\[[^\]]*\])/).map((text) => ({
		optional: text.startsWith("["),
		words: text.replace(/[[\]]/g, "").split(/\{(\w+)\}/),
	}));
}

/** It changes a line around the hits, and means bars, not hits. */
export const isLine = ({ kind }: Action) => kind.startsWith("lane-") && kind !== "lane-follow";

export const settingOf = (action: Action, name: string) =>
	(action as unknown as Record<string, unknown>)[name];

/** Whether a setting means something: what hangs on another one does only while that is so. */
const means = (action: Action, { when }: Setting) => !when || String(settingOf(action, when[0])) === when[1];

/** The clauses that are shown, and the settings of those that are left out but can be asked for. */
export function clausesShown(action: Action, info: ActionInfo, asked: string[] = []) {
	const find = (name: string) => info.settings.find((setting) => setting.name === name);
	const all = clausesOf(info.sentence);
	const hidden: Setting[] = [];
	/** What means something only while another setting is so goes with that one. */
	const isMeant = (setting: Setting): boolean => {
		if (!setting.when) return true;
		if (!means(action, setting)) return false;
		const [other, is] = setting.when;
		const its = all.find(({ optional, words }) => optional && words.includes(other));
		const first = its && find(its.words[1]);
		const away = first && isQuiet(action, first) && !asked.includes(first.name);
		return is === "null" || !away;
	};
	const shown = all.filter(({ optional, words }) => {
		const first = find(words[1]);
		if (!optional || !first) return true;
		if (!isMeant(first)) return false;
		if (asked.includes(first.name) || !isQuiet(action, first)) return true;
		hidden.push(first);
		return false;
	});
	return { shown, hidden };
}

/** Whether a setting is where it need not be in the sentence. */
export function isQuiet(action: Action, { name, values, quiet }: Setting) {
	if (name === "property") return settingOf(action, name) === "velocity";
	const value = settingOf(action, name);
	if (values.kind === "choice") return quiet !== null && values.options[quiet]?.[0] === value;
	if (values.kind !== "number") return false;
	return value === (quiet ?? (values.none === null ? values.neutral : null));
}

/** A setting as it reads in a sentence. */
function settingInWords(action: Action, { name, values }: Setting, pocketName: (id: number) => string) {
	const value = settingOf(action, name);
	switch (values.kind) {
		case "number":
			return numberInWords(value as number | null, values);
		case "choice":
			return values.options.find(([option]) => option === value)?.[1] ?? "";
		case "grid":
			return gridInWords(String(value));
		case "groove":
			return action.kind === "groove" ? action.groove.name : "";
		case "touch":
			return action.kind === "match" ? action.reference.name || "a reference" : "";
		case "pocket":
			return pocketName(Number(value));
		case "pattern":
			return "a pattern";
		case "around":
			return action.kind === "ghosts" ? slotsInWords(action.slots) : "";
		case "ways":
			return action.kind === "recolour" ? waysInWords(action.ways) : "";
		case "lane-points":
			return action.kind === "lane-line" && action.points.length > 0
				? plural(action.points.length, "point")
				: "a line";
		case "line":
			return action.kind === "arc" && action.points.length > 0 ? arcInWords(action.points) : "a line";
		default:
			return String(value);
	}
}

/** “1 before, 1 and 2 after”. */
export function slotsInWords(slots: number[]) {
	const side = (sign: number) => {
		const own = slots
			.filter((slot) => slot * sign > 0)
			.map(Math.abs)
			.sort((a, b) => a - b);
		return own.length === 0 ? [] : [`${listed(own.map(String))} ${sign < 0 ? "before" : "after"}`];
	};
	return [...side(-1), ...side(1)].join(", ") || "nowhere";
}

export const wayInWords = ({ stroke, keys = 0 }: Way) => {
	if (stroke) return stroke;
	return keys === 0 ? "as it is" : `${plural(Math.abs(keys), "key")} ${keys > 0 ? "up" : "down"}`;
};

const waysInWords = (ways: Way[]) => listed(ways.map(wayInWords));

/** How many points an arc has, and between which values. */
export function arcInWords(points: ArcPoint[]) {
	if (points.length === 0) return "no points";
	const values = points.map(({ by }) => by);
	const [low, high] = [Math.min(...values), Math.max(...values)].map((by) => signed(by, 0, true));
	return `${plural(points.length, "point")}, ${low === high ? low : `${low} to ${high}`}`;
}

export type PocketNames = (id: number) => string;

/** Words with settings in braces, filled in. */
function filled(
	text: string,
	action: Action,
	info: ActionInfo,
	pocketName: PocketNames,
	instead?: (name: string) => string | null,
) {
	return text.replace(/\{(\w+)\}/g, (_, name) => {
		const short = instead?.(name);
		if (short) return short;
		const setting = info.settings.find((one) => one.name === name);
		return setting ? settingInWords(action, setting, pocketName) : "";
	});
}

/** The settings that matter most: “37 · 59 · 100”; of `{one|other}` the first that means something. */
export function briefly(action: Action, info: ActionInfo, pocketName: PocketNames) {
	const chosen = info.brief.replace(/\{([\w|]+)\}/g, (_, names: string) => {
		const settings = names.split("|").flatMap((name) => info.settings.filter((one) => one.name === name));
		return `{${(settings.find((setting) => means(action, setting)) ?? settings[0])?.name}}`;
	});
	// What is left as it is need not be said at length.
	return filled(chosen, action, info, pocketName, (name) => (settingOf(action, name) === null ? "–" : null));
}

/** What an action does, without what is as usual. */
export function actionInWords(action: Action, info: ActionInfo, pocketName: PocketNames) {
	const text = clausesShown(action, info).shown.map(({ words }) =>
		words.map((word, place) => (place % 2 ? `{${word}}` : word)).join(""),
	);
	return filled(text.join(""), action, info, pocketName).replace(/[.:]?\s*(a pattern|a line)?$/, "");
}

/** What several instruments of a family are called. */
export const several: Record<Family, string> = {
	kick: "kicks",
	snare: "snares",
	tom: "toms",
	hat: "hats",
	ride: "rides",
	crash: "crashes",
	"hand-percussion": "hand percussion",
	tonal: "tones",
	other: "others",
};

/** The families of which a kit has several instruments, and those. */
export function familiesOf(kit: Instrument[]): [Family, string[]][] {
	const families = new Map<Family, string[]>();
	for (const { id, family } of kit) families.set(family, [...(families.get(family) ?? []), id]);
	return [...families].filter(([family, of]) => of.length > 1 && family !== "other");
}

/** Whom an aim means, by their names. */
export function instrumentsInWords({ instruments: ids = [], articulations }: Aim, kit: Instrument[]) {
	if (ids.length === 0) return "everything";
	// A family that is there as a whole is named as one.
	const whole = familiesOf(kit).filter(([, of]) => of.every((id) => ids.includes(id)));
	const rest = ids.filter((id) => !whole.some(([, of]) => of.includes(id)));
	const names = [
		...whole.map(([family]) => several[family]),
		...rest.map((id) => kit.find((one) => one.id === id)?.name.toLowerCase() ?? `${id} (not here)`),
	];
	const only = articulations?.length ? ` (${articulations.join(", ")})` : "";
	return names.length > 3
		? `${names.slice(0, 2).join(", ")} and ${names.length - 2} more${only}`
		: listed(names) + only;
}

export function barsInWords({ bars: ranges = [], sections = [] }: Aim) {
	if (ranges.length === 0 && sections.length === 0) return "every bar";
	const words = ranges.map(({ from, to }) => (from === to ? `${from}` : `${from}–${to}`)).join(", ");
	const single = ranges.length === 1 && ranges[0].from === ranges[0].to;
	const bars = ranges.length === 0 ? [] : [single ? `bar ${words}` : `bars ${words}`];
	return listed([...bars, ...sections]);
}

export const isEveryBar = ({ bars = [], sections = [] }: Aim) => bars.length === 0 && sections.length === 0;

/** With its first letter large. */
export const capital = (words: string) => words.charAt(0).toUpperCase() + words.slice(1);
