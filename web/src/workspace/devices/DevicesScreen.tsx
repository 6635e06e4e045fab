import { Button, Group, NumberInput, Select, Switch, Text, Tooltip } from "@mantine/core";
import { useEffect, useState } from "react";
import {
	allowMidi,
	heard,
	mostLatency,
	setDevices,
	simulatedClock,
	simulatedSampler,
	useDevices,
} from "../../engine/devices/hub";
import type { InPort } from "../../engine/devices/ports";
import { type Figure, figureNames } from "../../engine/devices/simulated";
import { showNote } from "../../lib/notify";
import { plain, plural } from "../../lib/words";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useTransport } from "../transport/context";
import classes from "./Devices.module.css";
import { useCalibration } from "./useCalibration";

const permissionWords = {
	unasked: "The ports of this machine are not open yet; the browser will ask.",
	asking: "The browser asks whether Vivida may use MIDI ports; allow it there.",
	granted: "The ports of this machine are open; what is plugged in or out is seen at once.",
	refused:
		"The browser refuses MIDI ports to this page. Allow them in its settings for this page, then open them again.",
	missing: "This browser has no MIDI ports. The pads on the screen and their keys work all the same.",
};

/** What is played on, what plays, and whose tempo holds. */
export function DevicesScreen() {
	const store = useWorkspaceStore();
	return (
		<section className={classes.screen} aria-label="Devices">
			<Group justify="space-between">
				<h2>Devices</h2>
				<Button size="compact-sm" onClick={() => store.getState().showScreen(null)}>
					Back to the rows
				</Button>
			</Group>
			<Ports />
			<Inputs />
			<TouchWhilePlaying />
			<Outputs />
			<Tempo />
			<StandIns />
		</section>
	);
}

function Ports() {
	const permission = useDevices((state) => state.permission);
	return (
		<Group gap={10} className={classes.ports} data-permission={permission}>
			<span>{permissionWords[permission]}</span>
			{(permission === "unasked" || permission === "refused") && (
				<Button size="compact-sm" variant="default" onClick={() => void allowMidi()}>
					Open MIDI ports
				</Button>
			)}
		</Group>
	);
}

function Inputs() {
	const inputs = useDevices((state) => state.inputs).filter((port) => port !== simulatedClock.port);
	return (
		<section aria-label="What is played on">
			<h3>Played on</h3>
			<table className={classes.table}>
				<thead>
					<tr>
						<th>device</th>
						<th>listened to</th>
						<th>what comes</th>
						<th>comes late by</th>
						<th>by a click</th>
					</tr>
				</thead>
				<tbody>
					{inputs.map((port) => (
						<Input key={port.id} port={port} />
					))}
				</tbody>
			</table>
		</section>
	);
}

function Input({ port }: { port: InPort }) {
	const deaf = useDevices((state) => state.deaf);
	const latencies = useDevices((state) => state.latencies);
	const listens = useDevices((state) => heard(state).includes(port));
	const stroke = useWorkspace((state) => (state.lastStroke?.name === port.name ? state.lastStroke : null));
	const calibration = useCalibration(port);
	const latency = latencies[port.name] ?? 0;
	const setLatency = (value: number) => setDevices({ latencies: { ...latencies, [port.name]: value } });
	const find = async () => {
		const found = await calibration.begin();
		if (!found) return;
		setLatency(found.latency);
		showNote(
			`${port.name} comes ${plain(found.latency)} ms late`,
			`By ${plural(found.used, "stroke")}, which spread by ${plain(Math.round(found.spread * 10) / 10)} ms. It is taken out of what is recorded from now on.`,
		);
	};
	return (
		<tr data-input={port.name}>
			<td>{port.name}</td>
			<td>
				<Switch
					size="xs"
					aria-label={`Listen to ${port.name}`}
					checked={listens}
					onChange={() =>
						setDevices({ deaf: listens ? [...deaf, port.name] : deaf.filter((name) => name !== port.name) })
					}
				/>
			</td>
			<td className={classes.stroke}>
				{stroke ? `note ${stroke.note}, velocity ${stroke.velocity}` : "nothing yet"}
			</td>
			<td>
				<NumberInput
					size="xs"
					w={104}
					aria-label={`Latency of ${port.name}`}
					min={-mostLatency}
					max={mostLatency}
					step={1}
					decimalScale={1}
					suffix=" ms"
					value={latency}
					onChange={(value) =>
						typeof value === "number" && setLatency(Math.max(-mostLatency, Math.min(mostLatency, value)))
					}
				/>
			</td>
			<td>
				<Tooltip label="Eight bars of click: strike one pad on every beat, and the delay is found">
					<Button
						size="compact-xs"
						variant="default"
						disabled={!listens}
						onClick={() => (calibration.running ? calibration.cancel() : void find())}
						data-calibrate={port.name}
					>
						{calibration.running
							? `bar ${calibration.bar} of 8, ${plural(calibration.strokes, "stroke")}: cancel`
							: "Find it by the click"}
					</Button>
				</Tooltip>
			</td>
		</tr>
	);
}

function TouchWhilePlaying() {
	const touched = useDevices((state) => state.touched);
	const live = useWorkspace((state) => state.live);
	const recipe = useWorkspace((state) => state.recipe);
	const offers = useWorkspace((state) => state.words.actions);
	const title = (pass: number) => {
		const index = recipe.passes.findIndex(({ id }) => id === pass);
		const kind = recipe.passes[index]?.action.kind;
		return `${index + 1}. ${offers.find(({ info }) => info.kind === kind)?.info.title ?? kind}`;
	};
	return (
		<section aria-label="Touch while playing">
			<h3>Touch while playing</h3>
			<Switch
				size="sm"
				checked={touched}
				onChange={() => setDevices({ touched: !touched })}
				label="What is struck is heard as this part's passes make it; it is recorded as it was struck"
			/>
			{touched && live && (
				<ul className={classes.passes} data-live>
					{live.passes.length === 0 && <li>This part has no passes.</li>}
					{live.passes.map(({ pass, why_not }) => (
						<li key={pass} data-heard={why_not === null}>
							{title(pass)}: {why_not === null ? "heard at once" : `not heard while playing, ${why_not}`}
						</li>
					))}
				</ul>
			)}
		</section>
	);
}

const channels = Array.from({ length: 16 }, (_, channel) => ({
	value: `${channel}`,
	label: `channel ${channel + 1}`,
}));

function Outputs() {
	const store = useWorkspaceStore();
	const { song, part } = store.getState();
	const outputs = useDevices((state) => state.outputs);
	const routes = useDevices((state) => state.routes);
	const set = (id: number, port: string | null, channel: number) => {
		const { [id]: _, ...others } = routes;
		setDevices({ routes: port ? { ...others, [id]: { port, channel } } : others });
	};
	return (
		<section aria-label="What plays">
			<h3>Plays</h3>
			<table className={classes.table}>
				<tbody>
					{song.parts.map(({ id, name }) => {
						const route = routes[id];
						const channel = route?.channel ?? (id === part.state.id ? part.channel : 9);
						return (
							<tr key={id} data-route={id}>
								<td>{name}</td>
								<td>
									<Select
										size="xs"
										w={220}
										aria-label={`What plays ${name}`}
										allowDeselect={false}
										data={[
											{ value: "", label: "Vivida's own sounds" },
											...outputs.map((port) => ({ value: port.name, label: port.name })),
											...(route && !outputs.some((port) => port.name === route.port)
												? [{ value: route.port, label: `${route.port} (not there)` }]
												: []),
										]}
										value={route?.port ?? ""}
										onChange={(port) => set(id, port || null, channel)}
									/>
								</td>
								<td>
									{route && (
										<Select
											size="xs"
											w={120}
											aria-label={`Channel of ${name}`}
											allowDeselect={false}
											data={channels}
											value={`${channel}`}
											onChange={(value) => value !== null && set(id, route.port, Number(value))}
										/>
									)}
								</td>
								<td>
									{route && !outputs.some((port) => port.name === route.port) && (
										<Text size="xs">It is not plugged in; Vivida's own sounds play meanwhile.</Text>
									)}
								</td>
							</tr>
						);
					})}
				</tbody>
			</table>
			<p className={classes.hint}>
				Notes and channels go out as the part's kit says. “Equal loudness” holds for Vivida's own sounds only.
			</p>
		</section>
	);
}

function Tempo() {
	const transport = useTransport();
	const inputs = useDevices((state) => state.inputs);
	const outputs = useDevices((state) => state.outputs);
	const clockTo = useDevices((state) => state.clockTo);
	const clockFrom = useDevices((state) => state.clockFrom);
	const [followed, setFollowed] = useState({
		bpm: null as number | null,
		jitter: 0,
		running: false,
		lost: false,
	});
	useEffect(() => {
		const look = () => {
			const state = transport.follower()?.state;
			if (state)
				setFollowed({ bpm: state.bpm, jitter: state.jitter, running: state.running, lost: state.lost });
		};
		const timer = window.setInterval(look, 300);
		return () => window.clearInterval(timer);
	}, [transport]);
	const sources = inputs.filter(({ kind }) => kind !== "pads").map(({ name }) => name);
	return (
		<section aria-label="Tempo">
			<h3>Tempo</h3>
			<Group gap={10}>
				<span>Follow the clock of</span>
				<Select
					size="xs"
					w={200}
					aria-label="Follow the clock of"
					data={[
						{ value: "", label: "nobody" },
						...[...new Set([...sources, ...(clockFrom ? [clockFrom] : [])])],
					]}
					allowDeselect={false}
					value={clockFrom ?? ""}
					onChange={(name) => setDevices({ clockFrom: name || null })}
				/>
				{clockFrom && (
					<Text size="sm" data-followed>
						{followed.bpm === null
							? "no pulses yet"
							: `${plain(Math.round(followed.bpm * 10) / 10)} bpm, ${followed.running ? "running" : followed.lost ? "lost: its pulses stopped" : "stopped"}${followed.jitter > 2 ? `; it jitters by ${plain(Math.round(followed.jitter * 10) / 10)} ms` : ""}`}
					</Text>
				)}
			</Group>
			<Group gap={14} mt={8}>
				<span>Tell the tempo to</span>
				{outputs.length === 0 && <Text size="sm">no outputs yet</Text>}
				{outputs.map(({ id, name }) => (
					<Switch
						key={id}
						size="xs"
						label={name}
						checked={clockTo.includes(name)}
						onChange={() =>
							setDevices({
								clockTo: clockTo.includes(name) ? clockTo.filter((one) => one !== name) : [...clockTo, name],
							})
						}
					/>
				))}
			</Group>
		</section>
	);
}

/** Devices that are not there, to try everything without them. */
function StandIns() {
	const simulated = useDevices((state) => state.simulated);
	const pads = useDevices((state) => state.pads);
	const set = (change: Partial<typeof pads>) => setDevices({ pads: { ...pads, ...change } });
	const number = (
		label: string,
		key: "spread" | "late" | "latency" | "drift" | "doubles" | "crosstalk" | "seed",
		suffix: string,
		[min, max]: [number, number],
	) => (
		<NumberInput
			size="xs"
			w={112}
			label={label}
			min={min}
			max={max}
			suffix={suffix}
			value={pads[key]}
			onChange={(value) => typeof value === "number" && set({ [key]: Math.max(min, Math.min(max, value)) })}
		/>
	);
	return (
		<section aria-label="Stand-ins">
			<h3>Without hardware</h3>
			<Switch
				size="sm"
				checked={simulated}
				onChange={() => setDevices({ simulated: !simulated })}
				label="Simulated pads that play along, a simulated sampler that writes down what it is sent, and a simulated clock"
				data-simulated
			/>
			{simulated && (
				<>
					<Group gap={8} mt={8} align="end">
						<Select
							size="xs"
							w={170}
							label="The pads play"
							allowDeselect={false}
							data={Object.entries(figureNames).map(([value, label]) => ({ value, label }))}
							value={pads.figure}
							onChange={(figure) => figure && set({ figure: figure as Figure })}
						/>
						{number("spread", "spread", " ms", [0, 60])}
						{number("late by", "late", " ms", [-60, 60])}
						{number("latency", "latency", " ms", [0, 400])}
						{number("clock wrong by", "drift", " ppm", [-500, 500])}
						{number("double triggers", "doubles", " %", [0, 100])}
						{number("crosstalk", "crosstalk", " %", [0, 100])}
						{number("seed", "seed", "", [1, 9999])}
					</Group>
					<Group gap={10} mt={10}>
						<Sampler />
						<ClockOf />
					</Group>
				</>
			)}
		</section>
	);
}

function Sampler() {
	const [seen, setSeen] = useState({ count: 0, held: 0 });
	useEffect(() => {
		const look = () => setSeen({ count: simulatedSampler.received.length, held: simulatedSampler.held() });
		const timer = window.setInterval(look, 500);
		return () => window.clearInterval(timer);
	}, []);
	return (
		<Text size="sm" data-sampler>
			The sampler was sent {plural(seen.count, "message")}; {plural(seen.held, "note sounds", "notes sound")}.
		</Text>
	);
}

function ClockOf() {
	const [running, setRunning] = useState(simulatedClock.running);
	const [bpm, setBpm] = useState(simulatedClock.bpm);
	const [jitter, setJitter] = useState(simulatedClock.jitter);
	return (
		<Group gap={6}>
			<Text size="sm">The clock runs at</Text>
			<NumberInput
				size="xs"
				w={92}
				aria-label="Tempo of the simulated clock"
				min={30}
				max={300}
				suffix=" bpm"
				value={bpm}
				onChange={(value) => {
					if (typeof value !== "number") return;
					simulatedClock.bpm = Math.max(30, Math.min(300, value));
					setBpm(simulatedClock.bpm);
				}}
			/>
			<NumberInput
				size="xs"
				w={92}
				aria-label="Jitter of the simulated clock"
				min={0}
				max={20}
				suffix=" ms"
				value={jitter}
				onChange={(value) => {
					if (typeof value !== "number") return;
					simulatedClock.jitter = Math.max(0, Math.min(20, value));
					setJitter(simulatedClock.jitter);
				}}
			/>
			<Button
				size="compact-xs"
				variant="default"
				onClick={() => {
					if (running) simulatedClock.stop();
					else simulatedClock.start();
					setRunning(!running);
				}}
			>
				{running ? "Stop the clock" : "Start the clock"}
			</Button>
		</Group>
	);
}
