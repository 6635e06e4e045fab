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
	/** How it moves, where it does. */
	moves?: Partial<Record<string, number>>;
	/** By which note it is heard, or sent. */
	note: number;
}

/** A stroke of the simulated pads, as it was meant: on the audio clock, in s. */
export interface Struck {
	at: number;
	note: number;
	velocity: number;
	/** On the page's clock, in ms. */
	page: number;
}

const most = 4000;

export const probe = {
	scheduled: [] as Scheduled[],
	/** Stretches of recorded loops that were put on the audio clock: when, which frames, and whether in the midst of one. */
	loops: [] as { at: number; from: number; frames: number; late: boolean; page: number }[],
	/** What lanes were set to in the built-in kit: which, to what, and when on the audio clock. */
	lanes: [] as [string, number, number][],
	/** Single strokes that were heard: note, velocity sent, layer. */
	strokes: [] as [number, number, number][],
	/** Own sounds that were put on the audio clock: the file's name, and when. */
	own: [] as [string, number][],
	/** Clicks scheduled: on the audio clock, in s. */
	clicks: [] as number[],
	/** Where the song went on: on the audio clock and in the song, in s. */
	course: [] as { audio: number; second: number; tempo: number; round: number }[],
	/** When the audio clock lost time, on the page's clock, and how much, in ms. */
	jumps: [] as [number, number][],
	/** What the simulated pads struck, and when in truth. */
	script: [] as Struck[],
	/** What the simulated sampler was sent, for when and when that came: on the page's clock, in ms. */
	sampler: [] as { data: number[]; at: number; came: number }[],
	/** From a change until the frame that shows its performance is done, in ms. */
	latencies: [] as number[],
	/** When a performance was last on the screen. */
	shown: 0,
	/** Time spent drawing a frame, in ms. */
	drawing: [] as number[],
	/** How often parts of the page were drawn anew by React. */
	renders: {} as Record<string, number>,
	/** Questions to the server that are not answered yet, and when that last changed, on the page's clock, in ms. */
	asking: 0,
	asked: 0,

	rendered(what: string) {
		probe.renders[what] = (probe.renders[what] ?? 0) + 1;
	},
	/** An answer to what was asked for at `since` is taken up; the next frame shows it. */
	answered(since: number) {
		const shown = () => {
			probe.shown = performance.now();
			keep(probe.latencies, probe.shown - since);
		};
		requestAnimationFrame(() => setTimeout(shown));
	},
	/** A question goes out (1) or is answered (-1). */
	asks(by: 1 | -1) {
		probe.asking += by;
		probe.asked = performance.now();
	},
	drawn(took: number) {
		keep(probe.drawing, took);
	},
	struck(note: number, sent: number, layer: number) {
		keep(probe.strokes, [note, sent, layer]);
	},
	ownSound(name: string, at: number) {
		keep(probe.own, [name, at]);
	},
	onCourse(anchor: { audio: number; second: number; tempo: number; round: number }) {
		keep(probe.course, anchor);
	},
	jumped(by: number) {
		keep(probe.jumps, [performance.now(), by]);
	},
	struckBy(stroke: Struck) {
		keep(probe.script, stroke);
	},
	looped(entry: { at: number; from: number; frames: number; late: boolean }) {
		keep(probe.loops, { ...entry, page: performance.now() });
	},
	lane(kind: string, value: number, at: number) {
		keep(probe.lanes, [kind, value, at]);
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
