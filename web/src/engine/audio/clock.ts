import { probe } from "../../lib/probe";

/** The audio clock and the page's clock, held against one another. */
export class AudioClock {
	/** What is to be added to the page's clock, in s, to have the audio clock's; smoothed, as readings tremble. */
	private offset: number | null = null;
	/** How often in a row readings were far off: sound broke off, and the audio clock lost time. */
	private off = 0;

	constructor(private readonly context: AudioContext) {}

	/** Sound comes out: before that nobody can tell when what is played will be heard. */
	get ready() {
		return this.context.state === "running" && Boolean(this.context.getOutputTimestamp().contextTime);
	}

	/** Waits until sound comes out; where none does, a moment. */
	async heard() {
		const begun = performance.now();
		await this.context.resume();
		while (!this.ready && performance.now() < begun + 3000)
			await new Promise((resolve) => window.setTimeout(resolve, 20));
	}

	/** What is heard now, on the audio clock in s, as it is read. */
	read() {
		const { contextTime, performanceTime } = this.context.getOutputTimestamp();
		if (!contextTime || !performanceTime) return this.context.currentTime;
		return contextTime + (performance.now() - performanceTime) / 1000;
	}

	/** To be called now and then: each reading counts a little. */
	sample() {
		const found = this.read() - performance.now() / 1000;
		if (this.offset === null) {
			this.offset = found;
			return;
		}
		this.off = Math.abs(found - this.offset) > 0.004 ? this.off + 1 : 0;
		if (this.off > 2) {
			probe.jumped(1000 * (this.offset - found));
			this.offset = found;
			this.off = 0;
		} else if (this.off === 0) this.offset += 0.02 * (found - this.offset);
	}

	now() {
		if (this.offset === null) this.sample();
		return performance.now() / 1000 + (this.offset ?? 0);
	}

	/** The page's time, in ms, of a time of the audio clock. */
	page(audio: number) {
		if (this.offset === null) this.sample();
		return 1000 * (audio - (this.offset ?? 0));
	}

	/** The audio clock's time of a time of the page's, in ms. */
	audio(page: number) {
		if (this.offset === null) this.sample();
		return page / 1000 + (this.offset ?? 0);
	}

	/** It stood still, or was begun anew. */
	reset() {
		this.offset = null;
	}
}
