/**
 * Follows the tempo of another program by its MIDI clock. An alpha-beta filter: each pulse is held against where it
 * was expected; a share α of the difference moves the phase, a share β the period. With α = 0.1 and β = 0.005 it
 * settles within about a quarter note and a half, and a jitter of some ms comes to some tenths of a bpm.
 */
import type { Bytes } from "../devices/ports";

const alpha = 0.1;
const beta = 0.005;
/** Pulses that fill a quarter note. */
export const pulsesInAQuarter = 24;
/** No pulse for so long, in ms: it has stopped. */
const patience = 600;

export interface Followed {
	/** Whether it runs, by its start and stop messages. */
	running: boolean;
	/** Nothing before two pulses have come. */
	bpm: number | null;
	/** How far pulses stray about where they are expected, in ms. */
	jitter: number;
	/** Pulses since the beginning of the song. */
	pulses: number;
	/** When the last pulse was due by the filter, on the page's clock in ms. */
	at: number;
	/** It stopped without saying so. */
	lost: boolean;
}

export class Follower {
	private expected: number | null = null;
	private period: number | null = null;
	private last = 0;
	private timer = 0;
	readonly state: Followed = { running: false, bpm: null, jitter: 0, pulses: 0, at: 0, lost: false };

	constructor(
		private readonly changed: (state: Followed, what: "start" | "stop" | "place" | "pulse") => void,
	) {
		this.timer = window.setInterval(() => {
			if (!this.state.running || performance.now() - this.last < patience) return;
			this.state.running = false;
			this.state.lost = true;
			this.changed(this.state, "stop");
		}, 200);
	}

	close() {
		window.clearInterval(this.timer);
	}

	hear([status, low = 0, high = 0]: Bytes, at: number) {
		const { state } = this;
		switch (status) {
			case 0xf2:
				state.pulses = 6 * (low | (high << 7));
				this.changed(state, "place");
				break;
			case 0xfa:
			case 0xfb:
				if (status === 0xfa) state.pulses = 0;
				state.running = true;
				state.lost = false;
				this.last = performance.now();
				// The next pulse is the first one.
				this.expected = null;
				this.changed(state, "start");
				break;
			case 0xfc:
				state.running = false;
				this.changed(state, "stop");
				break;
			case 0xf8:
				this.pulse(at);
				break;
		}
	}

	private pulse(at: number) {
		const { state } = this;
		const gap = at - this.last;
		this.last = at;
		if (this.expected === null || this.period === null || Math.abs(at - this.expected) > 4 * this.period) {
			// It begins, or jumped: what was known of its phase is worth nothing, its period is where one was.
			if (this.expected !== null || this.period === null)
				this.period = gap > 4 && gap < 200 ? gap : this.period;
			this.expected = at;
		} else {
			const error = at - this.expected;
			this.expected += alpha * error;
			this.period += beta * error;
			state.jitter += 0.05 * (Math.abs(error) - state.jitter);
		}
		state.at = this.expected;
		state.bpm = this.period ? 60_000 / (pulsesInAQuarter * this.period) : null;
		this.changed(state, "pulse");
		if (state.running) state.pulses++;
		if (this.period) this.expected += this.period;
	}
}
