/**
 * Sends notes to ports, each with its end. Ends are held back until they are near, so that a note that is struck
 * again before is ended first, and so that everything can be ended at once: no note hangs.
 */
import type { OutPort } from "../devices/ports";

interface End {
	port: OutPort;
	channel: number;
	note: number;
	/** When it was struck, and when it ends, on the page's clock in ms. */
	struck: number;
	at: number;
}

/** An end comes no sooner than this after the stroke, in ms: some samplers miss shorter ones. */
const shortest = 15;

export class Sender {
	private ends: End[] = [];
	/** Ports and channels that were played on since all was silent, and when last. */
	private used = new Map<string, { port: OutPort; channel: number; last: number }>();

	strike(port: OutPort, channel: number, note: number, velocity: number, at: number, length: number) {
		this.ends = this.ends.filter((end) => {
			if (end.port !== port || end.channel !== channel || end.note !== note) return true;
			this.end(end, Math.min(end.at, at - 1));
			return false;
		});
		port.send([0x90 | channel, note, velocity], at);
		this.ends.push({ port, channel, note, struck: at, at: at + Math.max(shortest, length) });
		const key = `${port.id} ${channel}`;
		const before = this.used.get(key)?.last ?? 0;
		this.used.set(key, { port, channel, last: Math.max(at, before) });
	}

	private end({ port, channel, note, struck }: End, at: number) {
		port.send([0x80 | channel, note, 64], Math.max(struck + 1, at));
	}

	/** Sends the ends that are due by then. */
	pump(until: number) {
		this.ends = this.ends.filter((end) => {
			if (end.at > until) return true;
			this.end(end, end.at);
			return false;
		});
	}

	/** Ends everything, also what was sent ahead of time. */
	silence() {
		const now = performance.now();
		for (const end of this.ends) this.end(end, now);
		this.ends = [];
		for (const { port, channel, last } of this.used.values()) {
			port.send([0xb0 | channel, 123, 0], now);
			if (last > now) port.send([0xb0 | channel, 123, 0], last + shortest);
		}
		this.used.clear();
	}
}
