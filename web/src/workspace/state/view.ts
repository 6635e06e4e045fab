/** How the screen was left. */
import { client } from "../../api/client";
import type { SongDetail } from "../../api/generated/types";
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
	"tempo",
	"window",
	"open",
	"table",
	"stacked",
	"times",
	"heights",
	"order",
	"hidden",
	"side",
] as const satisfies (keyof View)[];

function firstView(song: SongDetail): View {
	const bars = song.bars.ticks.length - 1;
	const last = Math.min(4, bars);
	return {
		reading: "played",
		equalLoudness: false,
		muted: [],
		soloed: [],
		loop: [1, last],
		looping: true,
		click: false,
		others: true,
		tempo: 1,
		window: [song.bars.ticks[0], song.bars.ticks[last]],
		open: null,
		table: false,
		stacked: false,
		times: 1,
		heights: {},
		order: [],
		hidden: [],
		side: "passes",
	};
}

export const viewName = (part: number) => `part-${part}`;

/** A kept view, as far as it still fits the song. */
export function fittingView(song: SongDetail, kept: Partial<View> | null): View {
	const view = { ...firstView(song), ...kept };
	const bars = song.bars.ticks.length - 1;
	const [from, to] = view.loop;
	const [start, end] = view.window;
	if (!(from >= 1 && to >= from && to <= bars)) view.loop = firstView(song).loop;
	if (!(end > start)) view.window = firstView(song).window;
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
