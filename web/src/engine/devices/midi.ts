/** Ports of the machine, by Web MIDI. */
import type { InPort, OutPort } from "./ports";

export type Permission = "unasked" | "asking" | "granted" | "refused" | "missing";

/** The same port is the same one, however often it is listed. */
function known<Port extends object, Made>(make: (port: Port) => Made) {
	const all = new WeakMap<Port, Made>();
	return (port: Port) => {
		const made = all.get(port) ?? make(port);
		all.set(port, made);
		return made;
	};
}

const input = known(
	(port: MIDIInput): InPort => ({
		id: `midi ${port.id}`,
		name: port.name ?? "A port without a name",
		kind: "midi",
		now: () => performance.now(),
		listen: (hear) => {
			const on = (event: MIDIMessageEvent) => {
				// What programs say to one another all the time is nobody's playing.
				if (event.data && event.data[0] !== 0xfe) hear([...event.data], event.timeStamp);
			};
			port.addEventListener("midimessage", on);
			void port.open();
			return () => port.removeEventListener("midimessage", on);
		},
	}),
);

const output = known(
	(port: MIDIOutput): OutPort => ({
		id: `midi ${port.id}`,
		name: port.name ?? "A port without a name",
		kind: "midi",
		send: (data, at) => {
			// A port that was pulled out refuses: the list tells of it.
			if (port.state === "connected") port.send(data, Math.max(at, performance.now()));
		},
	}),
);

export interface MidiPorts {
	inputs: InPort[];
	outputs: OutPort[];
}

/** Whether this browser knows of MIDI ports at all. */
export const knowsMidi = () => typeof navigator.requestMIDIAccess === "function";

/** Asks to use the ports, and tells of them whenever they change. */
export async function openMidi(changed: (ports: MidiPorts) => void): Promise<Permission> {
	if (!knowsMidi()) return "missing";
	try {
		const access = await navigator.requestMIDIAccess({ sysex: false });
		const connected = <T extends MIDIPort>(ports: Iterable<T>) =>
			[...ports].filter(({ state }) => state === "connected");
		const tell = () =>
			changed({
				inputs: connected(access.inputs.values()).map(input),
				outputs: connected(access.outputs.values()).map(output),
			});
		access.addEventListener("statechange", tell);
		tell();
		return "granted";
	} catch {
		return "refused";
	}
}
