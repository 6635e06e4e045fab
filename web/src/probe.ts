/**
 * What the page measures of itself, for the browser tests and the curious: `window.vividaProbe`.
 * It keeps the newest entries only and changes nothing.
 */
export interface Scheduled {
	part: number;
	hit: number;
	reading: string;
	velocity: number;
	/** On the audio clock, in s. */
	at: number;
	/** In the song, in s. */
	seconds: number;
	/** The gain that makes readings equally loud. */
	level: number;
}

const most = 4000;

export const probe = {
	scheduled: [] as Scheduled[],
	/** Single strokes that were heard: note, velocity sent, layer. */
	strokes: [] as [number, number, number][],
	/** Clicks scheduled: on the audio clock, in s. */
	clicks: [] as number[],
	/** From a change until the frame that shows its performance is done, in ms. */
	latencies: [] as number[],
	/** When a performance was last on the screen. */
	shown: 0,
	/** Time spent drawing a frame, in ms. */
	drawing: [] as number[],

	/** An answer to what was asked for at `since` is taken up; the next frame shows it. */
	answered(since: number) {
		const shown = () => {
			probe.shown = performance.now();
			keep(probe.latencies, probe.shown - since);
		};
		requestAnimationFrame(() => setTimeout(shown));
	},
	drawn(took: number) {
		keep(probe.drawing, took);
	},
	struck(note: number, sent: number, layer: number) {
		keep(probe.strokes, [note, sent, layer]);
	},
	click(at: number) {
		keep(probe.clicks, at);
	},
	schedule(entry: Scheduled) {
		keep(probe.scheduled, entry);
	},
};

function keep<T>(list: T[], entry: T) {
	list.push(entry);
	if (list.length > most) list.splice(0, list.length - most);
}

declare global {
	interface Window {
		vividaProbe: typeof probe;
	}
}
window.vividaProbe = probe;
