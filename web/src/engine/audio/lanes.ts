/** Lanes while a song plays: followed along its rounds, heard in the built-in kit, and sent to samplers. */
import type { HeardController } from "../../api/generated/types";
import { firstAfter } from "../../lib/ascending";
import { probe } from "../../lib/probe";

/** A lane as it is played: values from their seconds on, each up to the next. */
export interface PlayedLane {
	kind: string;
	/** In s of the song, ascending. */
	seconds: number[];
	values: number[];
	/** What holds before the first. */
	rest: number;
}

/** A stretch of the song on the audio clock, at a tempo. */
export interface Stretch {
	at: number;
	until: number;
	/** In s of the song where it begins. */
	second: number;
	lanes: PlayedLane[];
}

type Tell = (kind: string, value: number, at: number) => void;

/** Tells each change of a part's lanes once, a little ahead of time. */
export class LaneCourse {
	private to = Number.NEGATIVE_INFINITY;
	/** What was told last; no value where that may not hold any more. */
	private held = new Map<string, { value: number | null; rest: number }>();

	/** What was told for later counts no longer. */
	restart() {
		this.to = Number.NEGATIVE_INFINITY;
		for (const held of this.held.values()) held.value = null;
	}

	/** Tells what changes from now, or from where it last came to, up to a time of the audio clock. */
	follow(stretches: Stretch[], tempo: number, now: number, until: number, tell: Tell) {
		const anew = this.to === Number.NEGATIVE_INFINITY;
		let from = Math.max(this.to, now);
		const say = ({ kind, rest }: PlayedLane, value: number, at: number) => {
			if (this.held.get(kind)?.value === value) return;
			this.held.set(kind, { value, rest });
			tell(kind, value, at);
		};
		// Where the page stood still for too long, what holds by now is told once more.
		let first = anew || now > this.to;
		for (const stretch of stretches) {
			const begins = stretch.at >= from;
			const starts = Math.max(from, stretch.at);
			const ends = Math.min(until, stretch.until);
			if (starts >= ends) continue;
			const second = stretch.second + (starts - stretch.at) * tempo;
			const last = stretch.second + (ends - stretch.at) * tempo;
			for (const lane of stretch.lanes) {
				const { seconds, values, rest } = lane;
				let next = firstAfter(seconds, first || begins ? second : second - 1e-9);
				if (first || begins) say(lane, next > 0 ? values[next - 1] : rest, starts);
				for (; next < seconds.length && seconds[next] < last; next++)
					say(lane, values[next], stretch.at + (seconds[next] - stretch.second) / tempo);
			}
			first = false;
			from = ends;
		}
		// A lane that is there no longer comes to rest.
		if (anew && stretches.length > 0) {
			const there = new Set(stretches.flatMap(({ lanes }) => lanes.map(({ kind }) => kind)));
			for (const [kind, { rest }] of this.held)
				if (!there.has(kind)) {
					this.held.delete(kind);
					tell(kind, rest, now);
				}
		}
		this.to = Math.max(this.to, until);
	}
}

/** What lanes do to the sound of a part: all of it goes through here. */
export class Strip {
	readonly input: AudioNode;
	/** In cents: added to what each source plays at. */
	readonly bend: ConstantSourceNode;
	private readonly params = new Map<string, { param: AudioParam; values: (value: number) => number }>();
	private readonly last: AudioNode;
	private readonly begun = new Set<string>();

	constructor(
		context: AudioContext,
		out: AudioNode,
		controllers: HeardController[],
		private readonly glide: number,
		bendRange: number,
	) {
		this.input = new GainNode(context);
		let last = this.input;
		for (const { lane, effect, values } of controllers) {
			const level = effect === "level";
			const node = level ? new GainNode(context) : new StereoPannerNode(context);
			const param = node instanceof GainNode ? node.gain : node.pan;
			this.params.set(lane, { param, values: (value) => values[value] });
			last = last.connect(node);
		}
		last.connect(out);
		this.last = last;
		this.bend = new ConstantSourceNode(context, { offset: 0 });
		this.bend.start();
		this.params.set("bend", { param: this.bend.offset, values: (value) => (value / 8192) * bendRange });
	}

	set(kind: string, value: number, at: number) {
		const found = this.params.get(kind);
		if (!found) return;
		probe.lane(kind, found.values(value), at);
		// What holds when it begins is there at once; later nothing jumps.
		if (this.begun.has(kind)) found.param.setTargetAtTime(found.values(value), at, this.glide);
		else found.param.setValueAtTime(found.values(value), at);
		this.begun.add(kind);
	}

	takeBack(at: number) {
		for (const { param } of this.params.values()) param.cancelScheduledValues(at);
	}

	close() {
		this.bend.stop();
		this.last.disconnect();
	}
}

/** A value of a lane as a MIDI message. */
export function laneMessage(kind: string, channel: number, value: number): number[] {
	const [what, number] = kind.split("-");
	if (what === "bend") return [0xe0 | channel, (value + 8192) & 0x7f, (value + 8192) >> 7];
	if (number === undefined) return [0xd0 | channel, value];
	return [(what === "pressure" ? 0xa0 : 0xb0) | channel, Number(number), value];
}
