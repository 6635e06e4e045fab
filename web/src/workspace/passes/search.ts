/** What is typed when a pass is added: which actions answer to it, which way round they begin, and for which drums. */
import type { Action, ActionInfo, ActionOffer, Family, Instrument } from "../../api/generated/types";
import { isQuiet, several } from "./words";

export interface Found {
	info: ActionInfo;
	/** How the pass begins. */
	start: Action;
	/** Its dice are fresh each round. */
	fresh: boolean;
}

/** Letters and digits alone, in one spelling: “laid-back” and “humanise” are “laid back” and “humanize”. */
const spelt = (text: string) =>
	text
		.toLowerCase()
		.replace(/[^\p{L}\p{N}]+/gu, "")
		.replace(/is(e[drs]?|ing)$/, "iz$1");

/** All runs of consecutive words, the longest first. */
const runsOf = (words: string[]) =>
	words
		.flatMap((_, from) => words.slice(from).map((_, more) => words.slice(from, from + more + 1)))
		.sort((a, b) => b.length - a.length);

const ones = (drums: string) => (drums === "crashes" ? "crash" : drums.replace(/s$/, ""));

/** What a drum is called, alone or among its like. */
function calledBy(name: string) {
	const one = spelt(name);
	return [one, `${one}s`, `${one}es`];
}

/** The drums that a phrase names, and what it says of them: but a “double kick” is what is done. */
export function drumsIn(text: string, offers: ActionOffer[], kit: Instrument[]) {
	const isNamed = ({ info }: ActionOffer) => rank(info, text.trim()) < 3;
	if (text.trim() === "" || offers.some(isNamed)) return { instruments: [], rest: text.trim() };
	const words = text.trim().split(/\s+/).slice(0, 12);
	const families = Object.entries(several) as [Family, string][];
	for (const run of runsOf(words)) {
		const called = spelt(run.join(" "));
		const own = kit.filter(({ name }) => calledBy(name).includes(called));
		const family = families.find(
			([family, drums]) => family !== "other" && calledBy(ones(drums)).includes(called),
		)?.[0];
		const meant = own.length > 0 ? own : kit.filter((one) => one.family === family);
		if (meant.length === 0) continue;
		const from = words.findIndex((_, at) => run.every((word, place) => words[at + place] === word));
		const rest = [...words.slice(0, from), ...words.slice(from + run.length)].join(" ");
		return { instruments: meant.map(({ id }) => id), rest };
	}
	return { instruments: [], rest: text.trim() };
}

/** A word and another form of it: “tight” and “tighter”, “swing” and “swinging”; but “human” is not “humanize”. */
const isForm = (word: string, wanted: string) =>
	word.startsWith(wanted) ||
	(word.length > 3 && wanted.startsWith(word) && /^(s|es|er|est|ed|ing|ly)$/.test(wanted.slice(word.length)));

/** How well an action answers to what was typed: its name before the trade's other words. */
function rank({ title, words, points, explains }: ActionInfo, text: string) {
	const wanted = spelt(text);
	if (wanted === "") return text === "" ? 0 : Number.POSITIVE_INFINITY;
	if (spelt(title).startsWith(wanted)) return 0;
	if (points.some(({ word }) => spelt(word) === wanted)) return 0.1;
	if (points.some(({ word }) => isForm(spelt(word), wanted))) return 0.4;
	if (title.split(" ").some((word) => spelt(word).startsWith(wanted))) return 0.5;
	// The words of an action stand in the order in which they mean it.
	const begins = words.findIndex((word) => isForm(spelt(word), wanted));
	if (begins >= 0) return 1 + begins / 100;
	if (words.some((word) => spelt(word).includes(wanted))) return 2;
	return explains.toLowerCase().includes(text.toLowerCase()) ? 3 : Number.POSITIVE_INFINITY;
}

/** The more of its words answer, and the better, the further in front. */
function rankByWords(info: ActionInfo, runs: string[][]) {
	const ranks = runs
		.map((run) => ({ length: run.length, rank: rank(info, run.join(" ")) }))
		.filter((one) => Number.isFinite(one.rank));
	if (ranks.length === 0) return Number.POSITIVE_INFINITY;
	return -ranks.reduce((sum, { length, rank }) => sum + (10 - 3 * rank) * length, 0);
}

/** The setting that a phrase points at: by its longest run of words that points anywhere. */
function pointOf({ points }: ActionInfo, runs: string[][]) {
	for (const run of runs) {
		const wanted = spelt(run.join(" "));
		if (wanted.length < 2) continue;
		const point =
			points.find(({ word }) => spelt(word) === wanted) ??
			points.find(({ word }) => isForm(spelt(word), wanted));
		if (point) return point;
	}
}

/** The actions that answer to what was typed, the best first, beginning where its words point. */
export function search(offers: ActionOffer[], text: string): Found[] {
	const wanted = text.trim();
	const words = wanted === "" ? [] : wanted.split(/\s+/).slice(0, 12);
	const runs = runsOf(words);
	const telling = runs.filter((run) => run.some((word) => word.length > 2));
	const ranked = (rankOf: (info: ActionInfo) => number) =>
		offers
			.filter(({ start }) => start.kind !== "by-hand")
			.map((offer) => ({ offer, rank: rankOf(offer.info) }))
			.filter((one) => Number.isFinite(one.rank))
			.sort((a, b) => a.rank - b.rank);
	const whole = ranked((info) => rank(info, wanted));
	// Where nothing answers to all of it, what answers to most of its words.
	const found = whole.length > 0 ? whole : ranked((info) => rankByWords(info, telling));
	return found.map(({ offer: { info, start, dice } }) => {
		// What would do nothing begins where its first word points.
		const [first] = info.settings;
		const idle = first && isQuiet(start, first) && first.quiet === null;
		const to = pointOf(info, runs) ?? (idle ? info.points[0] : undefined);
		const begun = to ? ({ ...start, ...JSON.parse(to.to) } as Action) : start;
		return { info, start: begun, fresh: dice === "each-round" };
	});
}
