/** What an action's words and settings come to for the property or the lane that it is about. */
import type {
	Action,
	ActionInfo,
	LaneOffer,
	PropertyInfo,
	Setting,
	Values,
	Vocabulary,
} from "../../api/generated/types";

type Choice = Extract<Values, { kind: "choice" }>;

/** The lanes that can be chosen: those of the part, and the usual ones. */
function laneChoices(own: LaneOffer[], usual: LaneOffer[]): LaneOffer[] {
	return [...own, ...usual.filter(({ kind }) => !own.some((one) => one.kind === kind))];
}

const number = (min: number, max: number, unit: string, neutral: number | null, step = 1): Values => ({
	kind: "number",
	min,
	max,
	step,
	unit,
	neutral,
	sides: null,
	none: null,
});

function valuesOf(
	values: Values,
	property: PropertyInfo,
	lane: LaneOffer,
	words: Vocabulary,
	lanes: LaneOffer[],
) {
	const { range, change, unit, step } = property;
	const velocity = property.name === "velocity";
	const side = (bound: number) => (velocity || bound === 0 ? bound : Math.sign(bound) * change);
	switch (values.kind) {
		case "value":
			return { ...number(range[0], range[1], unit, velocity ? null : 0, step), none: values.none };
		case "change":
			return number(side(values.min), side(values.max), unit, 0, step);
		case "pattern":
			return { ...values, min: side(values.min), max: side(values.max) };
		case "property":
			return {
				kind: "choice",
				options: words.properties.map(({ name, noun }) => [name, noun]),
			} satisfies Choice;
		case "lane":
			return { kind: "choice", options: lanes.map(({ kind, name }) => [kind, name]) } satisfies Choice;
		case "lane-value":
			return number(lane.range[0], lane.range[1], "", null);
		case "lane-change":
			return number(lane.range[0] - lane.range[1], lane.range[1] - lane.range[0], "", 0);
		default:
			return values;
	}
}

/** An action's words and settings, all of its numbers and choices known. */
export function resolved(info: ActionInfo, action: Action, words: Vocabulary, own: LaneOffer[]): ActionInfo {
	const { property: name = "velocity", lane: kind } = action as { property?: string; lane?: string };
	const property = words.properties.find((one) => one.name === name) ?? words.properties[0];
	const known = laneChoices(own, words.lanes);
	const lanes =
		kind === undefined || known.some((one) => one.kind === kind)
			? known
			: [{ kind, name: kind.replace("-", " "), range: [0, 127] as [number, number] }, ...known];
	const lane = lanes.find((one) => one.kind === kind) ?? lanes[0];
	const put = (text: string) =>
		text
			.replace("<less>", property.less_more[0])
			.replace("<more>", property.less_more[1])
			.replace("<low>", property.low_high[0])
			.replace("<high>", property.low_high[1]);
	const setting = (one: Setting): Setting => ({
		...one,
		label: put(one.label),
		values: valuesOf(one.values, property, lane, words, lanes) as Values,
	});
	return { ...info, sentence: put(info.sentence), settings: info.settings.map(setting) };
}
