/** All devices there are, which of them are listened to, and what plays where. One for the whole page. */
import { createStore, useStore } from "zustand";
import { client } from "../../api/client";
import { knowsMidi, openMidi, type Permission } from "./midi";
import { padsOnScreen } from "./pads";
import type { InPort, OutPort } from "./ports";
import {
	figureNames,
	type PadsSettings,
	SimulatedClock,
	SimulatedPads,
	SimulatedSampler,
	usualPads,
} from "./simulated";

/** What is kept of devices, by their names: ports have other ids after a restart. */
export interface Kept {
	/** Somebody allowed the machine's ports. */
	midi: boolean;
	/** The stand-ins are there. */
	simulated: boolean;
	pads: PadsSettings;
	/** Inputs that are not listened to. */
	deaf: string[];
	/** How late their messages come, in ms. */
	latencies: Record<string, number>;
	/** The port that plays a part, and the channel (0 to 15), by the part's id. */
	routes: Record<string, { port: string; channel: number }>;
	/** Outputs that are told the tempo. */
	clockTo: string[];
	/** The input whose tempo is followed. */
	clockFrom: string | null;
	/** What is struck is heard as the part's passes make it. */
	touched: boolean;
}

export interface Devices extends Kept {
	permission: Permission;
	inputs: InPort[];
	outputs: OutPort[];
	/** What was kept has been read. */
	ready: boolean;
}

const name = "devices";
/** In ms, to either side. */
export const mostLatency = 500;
const sixteenChannels = Array.from({ length: 16 }, (_, channel) => channel);

export const simulatedPads = new SimulatedPads(usualPads);
export const simulatedSampler = new SimulatedSampler();
export const simulatedClock = new SimulatedClock();

const usual: Kept = {
	midi: false,
	simulated: false,
	pads: usualPads,
	deaf: [],
	latencies: {},
	routes: {},
	clockTo: [],
	clockFrom: null,
	touched: true,
};

export const devices = createStore<Devices>(() => ({
	...usual,
	permission: knowsMidi() ? "unasked" : "missing",
	inputs: [padsOnScreen],
	outputs: [],
	ready: false,
}));

let machine: { inputs: InPort[]; outputs: OutPort[] } = { inputs: [], outputs: [] };

function list() {
	const { simulated, pads } = devices.getState();
	simulatedPads.settings = pads;
	devices.setState({
		inputs: [
			padsOnScreen,
			...machine.inputs,
			...(simulated ? [simulatedPads.port, simulatedClock.port] : []),
		],
		outputs: [...machine.outputs, ...(simulated ? [simulatedSampler.port] : [])],
	});
}

let saving = 0;

/** What was changed before it could be read what is kept: it comes on top of that. */
let early: Partial<Kept> = {};

/** Changes what is kept. */
export function setDevices(change: Partial<Kept>) {
	devices.setState(change);
	list();
	if (devices.getState().ready) save();
	else {
		early = { ...early, ...change };
		void readDevices();
	}
}

function save() {
	window.clearTimeout(saving);
	saving = window.setTimeout(() => {
		const state = devices.getState();
		const kept = Object.fromEntries(Object.keys(usual).map((key) => [key, state[key as keyof Kept]]));
		// How devices are set is no work: where it cannot be kept it holds for this page.
		client.setView(name, kept).catch(() => undefined);
	}, 300);
}

/** Asks to use the ports of the machine. */
export async function allowMidi() {
	devices.setState({ permission: "asking" });
	const permission = await openMidi((ports) => {
		machine = ports;
		list();
	});
	devices.setState({ permission });
	if (permission === "granted" && !devices.getState().midi) setDevices({ midi: true });
}

/** What was kept, as far as it is of its kind: other hands, or another version, may have kept something else. */
function fitting(kept: Partial<Kept> | null): Kept {
	const alike = (one: unknown, other: unknown) =>
		typeof one === typeof other && Array.isArray(one) === Array.isArray(other) && one !== null;
	const fits = ([key, value]: [string, unknown]) =>
		key === "clockFrom"
			? value === null || typeof value === "string"
			: key in usual && alike(value, usual[key as keyof Kept]);
	const read: Kept = { ...usual, ...Object.fromEntries(Object.entries(kept ?? {}).filter(fits)) };
	const latencies = Object.entries(read.latencies).filter(([, ms]) => Math.abs(Number(ms)) <= mostLatency);
	const routes = Object.entries(read.routes).filter(
		([, route]) => typeof route?.port === "string" && route.channel in sixteenChannels,
	);
	const settings = Object.entries(read.pads).filter(([key, value]) =>
		alike(value, usualPads[key as keyof PadsSettings]),
	);
	const pads: PadsSettings = { ...usualPads, ...Object.fromEntries(settings) };
	read.latencies = Object.fromEntries(latencies);
	read.routes = Object.fromEntries(routes);
	return { ...read, pads: pads.figure in figureNames ? pads : { ...pads, figure: usualPads.figure } };
}

let reading: Promise<void> | null = null;

/** How long is waited before what is kept is asked for again, in ms. */
const patience = 3000;

/** Reads what was kept, once. Until that could be read nothing is kept in its place. */
export function readDevices() {
	reading ??= client.view<Partial<Kept>>(name).then(
		(kept) => {
			devices.setState({ ...fitting(kept), ...early, ready: true });
			list();
			if (Object.keys(early).length > 0) save();
			early = {};
			if (devices.getState().midi) void allowMidi();
		},
		() => {
			reading = null;
			window.setTimeout(readDevices, patience);
		},
	);
	return reading;
}

/** The inputs that are listened to. */
export const heard = ({ inputs, deaf, clockFrom }: Devices) =>
	inputs.filter(
		(port) => !deaf.includes(port.name) && port.name !== clockFrom && port !== simulatedClock.port,
	);

export const useDevices = <T>(select: (state: Devices) => T): T => useStore(devices, select);
