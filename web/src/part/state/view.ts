/** How the screen was left. */
import { client } from "../../api/client";
import type { PartDetail, SongDetail } from "../../api/generated/types";
import { magnifications } from "../shown";
import type { GetState, SetState, View } from "./types";

const viewKeys = [
	"reading",
	"equalLoudness",
	"muted",
	"soloed",
	"loop",
	"looping",
	"click",
	"others",
	"playFrom",
	"tempo",
	"window",
	"open",
	"table",
	"stacked",
	"times",
	"heights",
	"order",
	"hidden",
	"extra",
	"wholeKit",
	"pads",
	"side",
	"dismissed",
	"property",
	"extraLanes",
	"pencil",
	"recordBar",
	"recordAs",
	"countIn",
	"recordOnly",
	"hearEdits",
	"numbers",
	"tails",
	"apart",
] as const satisfies (keyof View)[];

const properties = ["velocity", "pitch", "place", "level", "brightness"];

/** A part opens where it sounds: at the bar of its first hit. */
function firstView(song: SongDetail, part: PartDetail): View {
	const bars = song.bars.ticks.length - 1;
	const first = Math.max(1, Math.min(part.written.lines.bars[0] ?? 1, bars));
	const last = Math.min(first + 3, bars);
	return {
		reading: "played",
		equalLoudness: false,
		muted: [],
		soloed: [],
		loop: [first, last],
		looping: true,
		click: false,
		others: true,
		playFrom: null,
		tempo: 1,
		window: [song.bars.ticks[first - 1], song.bars.ticks[last]],
		open: null,
		table: false,
		stacked: false,
		times: 1,
		heights: {},
		order: [],
		hidden: [],
		extra: [],
		wholeKit: false,
		pads: false,
		side: "passes",
		dismissed: [],
		property: "velocity",
		extraLanes: [],
		recordBar: false,
		recordAs: "over",
		countIn: "1",
		recordOnly: [],
		hearEdits: true,
		numbers: "value",
		tails: false,
		apart: false,
		// What begins empty is there to be drawn in.
		pencil:
			part.state.drawn && part.written.ids.length === 0
				? { grid: "1/16", hard: "height", rubbing: false }
				: null,
	};
}

export const viewName = (part: number) => `part-${part}`;

/** A kept view, as far as it still fits the song. */
export function fittingView(song: SongDetail, part: PartDetail, kept: Partial<View> | null): View {
	const usual = firstView(song, part);
	const view = { ...usual, ...kept };
	const bars = song.bars.ticks.length - 1;
	const [from, to] = view.loop;
	const [start, end] = view.window;
	if (!(from >= 1 && to >= from && to <= bars)) view.loop = usual.loop;
	if (!(end > start)) view.window = usual.window;
	const last = song.bars.ticks[bars];
	if (!(typeof view.playFrom === "number" && view.playFrom >= 0 && view.playFrom < last))
		view.playFrom = null;
	if (!magnifications.includes(view.times)) view.times = 1;
	// Former versions, and other hands, may have kept something else.
	for (const key of [
		"order",
		"hidden",
		"extra",
		"muted",
		"soloed",
		"dismissed",
		"recordOnly",
		"extraLanes",
	] as const) {
		if (!Array.isArray(view[key])) view[key] = [];
	}
	if (!properties.includes(view.property)) view.property = "velocity";
	if (typeof view.pencil?.grid !== "string") view.pencil = kept ? null : usual.pencil;
	if (typeof view.heights !== "object" || view.heights === null) view.heights = {};
	return view;
}

export function createViewer(part: number, set: SetState, get: GetState) {
	let timer = 0;
	const keepView = () => {
		window.clearTimeout(timer);
		timer = 0;
		const state = get();
		const view = Object.fromEntries(viewKeys.map((key) => [key, state[key]]));
		client.setView(viewName(part), view).catch(() => undefined);
	};
	return {
		setView: (change: Partial<View>) => {
			set(change);
			if (timer === 0) timer = window.setTimeout(keepView, 600);
		},
		flushView: () => {
			if (timer !== 0) keepView();
		},
	};
}
