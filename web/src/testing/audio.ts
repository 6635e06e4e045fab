/** An audio context whose clock stands until a test moves it, and that writes down what is put on it. */
import { vi } from "vitest";

/** Something that sounds: when it was put on the clock, and when it ends. */
export interface Source {
	at: number;
	until: number;
	stopped: number | null;
	connected: boolean;
}

class Param {
	value = 0;
	setValueAtTime() {}
	setTargetAtTime() {}
	cancelScheduledValues() {}
}

class Node_ {
	isPanner = false;
	static connected = new Set<Node_>();
	readonly gain = new Param();
	readonly pan = new Param();
	readonly detune = new Param();
	readonly playbackRate = new Param();
	readonly threshold = new Param();
	readonly ratio = new Param();
	readonly frequency = new Param();
	readonly offset = new Param();
	connect<Target>(target: Target) {
		Node_.connected.add(this);
		return target;
	}
	disconnect() {
		Node_.connected.delete(this);
	}
}

export class FakeContext extends EventTarget {
	static last: FakeContext;
	currentTime = 0;
	state: AudioContextState = "suspended";
	/** Whether the system lets it run. */
	allowed = true;
	readonly destination = new Node_();
	readonly sources: Source[] = [];

	constructor() {
		super();
		FakeContext.last = this;
	}

	resume = async () => {
		if (!this.allowed) return new Promise<void>(() => {});
		this.state = "running";
	};
	close = async () => {};
	createGain = () => new Node_();
	createStereoPanner = () => Object.assign(new Node_(), { isPanner: true });
	createDynamicsCompressor = () => new Node_();
	decodeAudioData = async () => ({ duration: 1, length: 44_100, numberOfChannels: 1 });
	getOutputTimestamp = () => ({ contextTime: this.currentTime, performanceTime: 1000 * this.currentTime });

	createBufferSource = () => {
		const { sources } = this;
		return Object.assign(new Node_(), {
			entry: null as Source | null,
			buffer: null,
			start(at: number, _from: number, seconds: number) {
				this.entry = { at, until: at + seconds, stopped: null, connected: true };
				sources.push(this.entry);
			},
			stop(at = 0) {
				if (this.entry) this.entry.stopped = at;
			},
		});
	};

	/** The system takes the sound away, or gives it back. */
	interrupt(state: AudioContextState) {
		this.state = state;
		this.dispatchEvent(new Event("statechange"));
	}
}

/** How many sources and gains are connected by now. A panner that nothing is connected to is no more. */
export const connectedNodes = () => [...Node_.connected].filter((node) => !node.isPanner).length;

/** The worker that ticks: it does when the test says so. */
export class FakeTicker {
	static last: FakeTicker;
	every = 0;
	onmessage: () => void = () => {};
	constructor() {
		FakeTicker.last = this;
	}
	postMessage(every: number) {
		this.every = every;
	}
	terminate() {}
}

export function useFakeAudio() {
	Node_.connected.clear();
	vi.stubGlobal("AudioContext", FakeContext);
	vi.stubGlobal("Worker", FakeTicker);
	vi.spyOn(performance, "now").mockImplementation(() => 1000 * (FakeContext.last?.currentTime ?? 0));
}

/** Time goes by, a tick after the other. */
export function pass(seconds: number) {
	const context = FakeContext.last;
	const until = context.currentTime + seconds;
	while (context.currentTime < until - 1e-9) {
		if (context.state === "running") context.currentTime = Math.min(until, context.currentTime + 0.04);
		else return;
		if (FakeTicker.last.every > 0) FakeTicker.last.onmessage();
	}
}
