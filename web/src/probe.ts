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
}

const most = 4000;

export const probe = {
	scheduled: [] as Scheduled[],
	/** From a change to the drawn performance, in ms. */
	latencies: [] as number[],
	/** Time spent drawing a frame, in ms. */
	drawing: [] as number[],
	waiting: [] as number[],

	answered(since: number) {
		probe.waiting.push(since);
	},
	drawn(took: number) {
		keep(probe.drawing, took);
		const now = performance.now();
		for (const since of probe.waiting) keep(probe.latencies, now - since);
		probe.waiting = [];
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
