import { Button, Group, MultiSelect, Popover, Select, Text, Tooltip } from "@mantine/core";
import { IconPlayerRecordFilled, IconPlayerStopFilled } from "@tabler/icons-react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { client } from "../../api/client";
import type { LayingHow, RecordingCard } from "../../api/generated/types";
import { heard, useDevices } from "../../engine/devices/hub";
import { showError } from "../../lib/notify";
import { plain, plural } from "../../lib/words";
import type { CountInWay } from "../../part/state/recording";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useStruckFirst } from "../../part/useUsed";
import classes from "../rows/Rows.module.css";
import { useTransport } from "../transport/context";

const ways: { value: LayingHow; label: string }[] = [
	{ value: "over", label: "over what is there" },
	{ value: "takes", label: "each round as a take" },
	{ value: "replace", label: "instead of what is there" },
];
const countIns: { value: CountInWay; label: string }[] = [
	{ value: "none", label: "no count-in" },
	{ value: "1", label: "1 bar of click" },
	{ value: "2", label: "2 bars of click" },
	{ value: "hit", label: "from the first hit" },
];

/** How a recording begins and where it goes; what comes in, and what was recorded. */
export function RecordBar() {
	const transport = useTransport();
	const store = useWorkspaceStore();
	const recordAs = useWorkspace((state) => state.recordAs);
	const countIn = useWorkspace((state) => state.countIn);
	const only = useWorkspace((state) => state.recordOnly);
	const taking = useWorkspace((state) => state.taking);
	const instruments = useStruckFirst();
	const [from, to] = useWorkspace((state) => state.loop);
	const looping = useWorkspace((state) => state.looping);
	const { setView, showScreen } = store.getState();
	const busy = taking !== "idle";
	const bars = looping ? (from === to ? `bar ${from}` : `bars ${from}–${to}`) : "to the end";
	return (
		<Group
			className={classes.recordBar}
			gap={7}
			role="toolbar"
			aria-label="Recording"
			data-recording={taking}
		>
			<Button
				size="compact-sm"
				vars={() => ({
					root: {
						"--button-bg": busy ? "var(--ink)" : "var(--played)",
						"--button-hover": busy ? "var(--ink)" : "var(--played)",
						"--button-color": "var(--sheet)",
					},
				})}
				loading={taking === "keeping"}
				leftSection={busy ? <IconPlayerStopFilled size={13} /> : <IconPlayerRecordFilled size={13} />}
				onClick={transport.record}
			>
				{taking === "on" ? "Stop recording" : taking === "armed" ? "Waiting for a hit" : `Record ${bars}`}
			</Button>
			<Select
				size="xs"
				w={158}
				aria-label="Where it goes"
				allowDeselect={false}
				disabled={busy}
				data={ways}
				value={recordAs}
				comboboxProps={{ position: "top-start" }}
				onChange={(how) => how && setView({ recordAs: how as LayingHow })}
			/>
			<Select
				size="xs"
				w={122}
				aria-label="Count-in"
				allowDeselect={false}
				disabled={busy}
				data={countIns}
				value={countIn}
				comboboxProps={{ position: "top-start" }}
				onChange={(way) => way && setView({ countIn: way as CountInWay })}
			/>
			<MultiSelect
				size="xs"
				w={128}
				aria-label="Only these instruments"
				placeholder={only.length === 0 ? "all instruments" : undefined}
				disabled={busy}
				data={instruments.map(({ id, name }) => ({ value: id, label: name }))}
				value={only.filter((id) => instruments.some((one) => one.id === id))}
				comboboxProps={{ position: "top-start" }}
				onChange={(recordOnly) => setView({ recordOnly })}
			/>
			<Incoming />
			<Rounds />
			<Tooltip label="Lay in what was played in the last two minutes, though nobody pressed record">
				<Button size="compact-xs" variant="default" disabled={busy} onClick={transport.keepRemembered}>
					Last 2 min
				</Button>
			</Tooltip>
			<Tooltip label="Devices: what is played on, what plays, how late it comes">
				<Button size="compact-xs" variant="default" onClick={() => showScreen("devices")} data-open-devices>
					Devices
				</Button>
			</Tooltip>
		</Group>
	);
}

/** What is struck, as it comes. */
function Incoming() {
	const stroke = useWorkspace((state) => state.lastStroke);
	const count = useWorkspace((state) => state.struckCount);
	const taking = useWorkspace((state) => state.taking);
	const inputs = useDevices((state) => heard(state).length);
	const [now, setNow] = useState(false);
	useEffect(() => {
		if (!stroke) return;
		setNow(true);
		const timer = window.setTimeout(() => setNow(false), 250);
		return () => window.clearTimeout(timer);
	}, [stroke]);
	const words = stroke
		? `${stroke.name}: note ${stroke.note}, velocity ${stroke.velocity}`
		: inputs > 1
			? `${inputs} devices listen`
			: "Strike a pad (D shows them)";
	return (
		<span className={classes.incoming} data-now={now || undefined} title={words}>
			<i style={{ width: `${now && stroke ? (100 * stroke.velocity) / 127 : 0}%` }} />
			<span>{taking === "on" ? plural(count, "hit") : words}</span>
		</span>
	);
}

const key = (part: number) => ["recordings", part];

/** What was recorded in this part, with the figures of its rounds. */
function Rounds() {
	const store = useWorkspaceStore();
	const queries = useQueryClient();
	const part = useWorkspace((state) => state.part.state.id);
	const taking = useWorkspace((state) => state.taking);
	const [opened, setOpened] = useState(false);
	const { data } = useQuery({ queryKey: key(part), queryFn: () => client.recordings(part) });
	useEffect(() => {
		if (taking === "idle") void queries.invalidateQueries({ queryKey: key(part) });
	}, [queries, part, taking]);
	const all = (data ?? []).filter(({ open, rounds }) => !open && rounds.length > 0);
	const waiting = all.filter(({ kept }) => !kept).length;
	if (all.length === 0) return null;
	const { change } = store.getState();
	const lay = async (card: RecordingCard, how: LayingHow, rounds: number[]) => {
		setOpened(false);
		await change(async (revision) => {
			const laying = { how, instruments: [], rounds };
			return (await client.keepRecording(card.id, { revision, laying })).state;
		});
		void queries.invalidateQueries({ queryKey: key(part) });
	};
	const drop = async (card: RecordingCard) => {
		try {
			await client.deleteRecording(card.id);
		} catch (error) {
			showError(error);
		}
		void queries.invalidateQueries({ queryKey: key(part) });
	};
	return (
		<Popover opened={opened} onChange={setOpened} position="top-end" width={430} trapFocus returnFocus>
			<Popover.Target>
				<Button
					size="compact-xs"
					variant={waiting > 0 ? "filled" : "default"}
					onClick={() => setOpened(!opened)}
					data-rounds
				>
					{waiting > 0 ? `${plural(waiting, "recording")} not laid in` : "Recorded"}
				</Button>
			</Popover.Target>
			<Popover.Dropdown mah={360} style={{ overflowY: "auto" }}>
				{all.map((card) => (
					<div key={card.id} className={classes.recorded} data-recorded={card.id}>
						<Group gap={8} justify="space-between" wrap="nowrap">
							<Text size="sm" fw={600}>
								{card.kept ? "Recorded" : "Not laid in"} {clockTime(card.when)}
							</Text>
							<Group gap={4} wrap="nowrap">
								{!card.kept && (
									<Button size="compact-xs" onClick={() => void lay(card, "over", [])}>
										Lay it in
									</Button>
								)}
								<Button size="compact-xs" variant="default" onClick={() => void lay(card, "takes", [])}>
									Each round as a take
								</Button>
								<Button size="compact-xs" variant="subtle" color="gray" onClick={() => void drop(card)}>
									Delete
								</Button>
							</Group>
						</Group>
						{card.damage && <Text size="xs">A piece of it cannot be read: {card.damage}</Text>}
						<table className={classes.roundTable}>
							<tbody>
								{card.rounds.map(({ round, hits, spread, offset, strays }) => (
									<tr key={round} data-round={round}>
										<td>Round {round + 1}</td>
										<td>{plural(hits, "hit")}</td>
										<td>{spread === null ? "" : `± ${plain(Math.round(spread * 10) / 10)} ms`}</td>
										<td>{offset === null ? "" : lateness(offset)}</td>
										<td>{strays > 0 ? plural(strays, "stray") : ""}</td>
										<td>{card.steadiest === round && card.rounds.length > 1 ? "steadiest" : ""}</td>
										<td>
											<Tooltip label="As a take of its own, in the place of what its instruments play there">
												<Button
													size="compact-xs"
													variant="subtle"
													onClick={() => void lay(card, "takes", [round])}
												>
													Take
												</Button>
											</Tooltip>
										</td>
									</tr>
								))}
							</tbody>
						</table>
					</div>
				))}
			</Popover.Dropdown>
		</Popover>
	);
}

function lateness(offset: number) {
	const ms = Math.round(Math.abs(offset) * 10) / 10;
	return ms === 0 ? "on the beat" : `${plain(ms)} ms ${offset > 0 ? "late" : "early"}`;
}

/** The hour of a moment in UTC, here. */
const clockTime = (when: string) =>
	new Date(`${when.replace(" ", "T")}Z`).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
