/**
 * Writes down what devices send, always: the last two minutes are kept even where nobody asked for it. Nothing is
 * reckoned here; the server's core makes hits of it.
 */
import type { ClockPair, Device, Message, Recording } from "../../api/generated/types";
import type { Bytes, InPort } from "../devices/ports";
import type { Anchor } from "./player";

/** So much is kept without being asked for, in s. */
export const remembered = 120;
/** Clocks are read against one another so often, in ms. */
const readings = 200;
/** More than this a second is no playing: what comes beyond is left out, and said. */
const mostInASecond = 1500;

/** Which clock all times are held against: the audio clock, or the page's while there is none. */
export interface Reference {
	read: () => number;
	/** Names the clock: another one begins anew. */
	which: string;
}

export interface HeardMessage {
	device: number;
	data: Bytes;
	/** About when, on the reference clock in s, without the latency. */
	at: number;
}

interface Own {
	port: InPort;
	stop: () => void;
}

export class Recorder {
	private own: Own[] = [];
	private devices: Device[] = [];
	private messages: (Message & { seen: number })[] = [];
	private pairs: ClockPair[] = [];
	/** Where the song went on, and when that was told: a song can have begun a while ago. */
	private course: (Anchor & { told: number })[] = [];
	private timer = 0;
	private which = "";
	private last: (() => number) | null = null;
	/** So many rounds there were, and before the song was begun last. */
	private rounds = 0;
	private before = 0;
	private storm = { second: 0, count: 0 };
	/** How many messages were left out as too many. */
	leftOut = 0;

	constructor(
		private readonly reference: () => Reference,
		private readonly hear: (message: HeardMessage) => void,
	) {
		this.timer = window.setInterval(() => this.read(), readings);
	}

	/** Listens to these ports from now on; others are heard no longer, what they sent stays. */
	open(ports: InPort[], latencyOf: (name: string) => number) {
		for (const { port, stop } of this.own) if (!ports.includes(port)) stop();
		this.own = ports.map((port) => {
			const before = this.own.find((one) => one.port === port);
			const known = this.devices.findIndex(({ name }) => name === port.name);
			const latency = latencyOf(port.name);
			const place = known < 0 ? this.devices.push({ name: port.name, latency }) - 1 : known;
			this.devices[place] = { name: port.name, latency };
			if (before) return before;
			return { port, stop: port.listen((data, at) => this.take(place, port, data, at)) };
		});
		this.read();
	}

	close() {
		for (const { stop } of this.own) stop();
		this.own = [];
		window.clearInterval(this.timer);
	}

	/** The song goes on from a place. Whenever it begins its rounds are counted on from those before. */
	onCourse(anchor: Anchor, begins: boolean) {
		if (begins) this.before = this.rounds;
		const round = this.before + anchor.round;
		this.rounds = round + 1;
		this.course.push({ ...anchor, round, told: this.now() });
	}

	/** Another clock to hold all others against. What came stays: the clocks of devices go on, and later readings tell of it. */
	private begin({ which, read }: Reference) {
		const shift = this.messages.length > 0 && this.last ? read() - this.last() : 0;
		for (const message of this.messages) message.seen += shift;
		this.which = which;
		this.last = read;
		this.pairs = [];
		this.course = [];
	}

	private read() {
		const reference = this.reference();
		if (reference.which !== this.which) this.begin(reference);
		const audio = reference.read();
		for (const { port } of this.own) {
			const device = this.devices.findIndex(({ name }) => name === port.name);
			this.pairs.push({ device, at: port.now(), audio });
		}
		const since = audio - remembered - 5;
		if (this.pairs.length > 4 && this.pairs[0].audio < since - 30) {
			this.pairs = this.pairs.filter((pair) => pair.audio >= since);
			this.messages = this.messages.filter(({ seen }) => seen >= since);
			const first = this.course.findLastIndex((anchor) => anchor.audio <= since);
			if (first > 0) this.course = this.course.slice(first);
		}
	}

	private take(device: number, port: InPort, data: Bytes, at: number) {
		const reference = this.reference();
		if (reference.which !== this.which) this.begin(reference);
		const now = reference.read();
		const second = Math.floor(now);
		if (second !== this.storm.second) this.storm = { second, count: 0 };
		if (++this.storm.count > mostInASecond) {
			this.leftOut++;
			return;
		}
		this.messages.push({ at, device, data, seen: now });
		const late = (port.now() - at) / 1000;
		this.hear({ device, data, at: now - late - this.devices[device].latency / 1000 });
	}

	/** What came since a time of the reference clock, up to another. */
	since(from: number, until = Number.POSITIVE_INFINITY): Recording {
		const messages = this.messages
			.filter(({ seen }) => seen >= from && seen < until)
			.map(({ at, device, data }) => ({ at, device, data }));
		const known = this.course.findLastIndex((anchor) => anchor.audio <= from);
		const news = this.course.findIndex(({ told }) => told >= from);
		const first = news < 0 ? known : Math.min(known, news);
		return {
			devices: this.devices,
			messages,
			clock: this.pairs.filter(({ audio }) => audio >= from && audio < until),
			course: this.course
				.slice(Math.max(0, first))
				.filter(({ audio }) => audio < until)
				.map(({ told: _, ...anchor }) => anchor),
		};
	}

	nameOf(device: number) {
		return this.devices[device]?.name ?? "";
	}

	/** The reference clock now. */
	now() {
		return this.reference().read();
	}

	/** When the first note since a time was struck. */
	firstNote(from: number) {
		return this.messages.find(({ seen, data }) => seen >= from && (data[0] & 0xf0) === 0x90 && data[2] > 0)
			?.seen;
	}
}
