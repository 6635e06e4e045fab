import { Select } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { client } from "../../api/client";
import type { Action, Apart, InstrumentId } from "../../api/generated/types";
import { showError } from "../../lib/notify";
import { plain } from "../../lib/words";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import passClasses from "../passes/Passes.module.css";
import classes from "./Findings.module.css";

/** Another part to learn from: how far this one is from it, drum by drum, and its touch and time to be taken over. */
export function Study() {
	const store = useWorkspaceStore();
	const own = useWorkspace((state) => state.part.state.id);
	const revision = useWorkspace((state) => state.revision);
	const studied = useWorkspace((state) => state.studied?.part ?? null);
	const take = useWorkspace((state) => state.studied?.take ?? null);
	const takes = useWorkspace((state) => state.part.state.takes);
	const worked = useWorkspace((state) => state.part.state.take);
	const [opened, setOpened] = useState(studied !== null);
	const songs = useQuery({ queryKey: ["songs"], queryFn: client.songs, enabled: opened });
	const study = useQuery({
		queryKey: ["study", own, studied, take, revision],
		queryFn: () => client.study(own, studied ?? own, take),
		enabled: studied !== null,
		placeholderData: (before) => before,
	});
	const { data, error } = study;
	// The newest reading stands in the portraits.
	useEffect(() => {
		if (data && studied !== null && !study.isPlaceholderData)
			store.getState().setStudied({ part: studied, take, name: data.name, reading: data.reading });
	}, [data, studied, take, study.isPlaceholderData, store]);
	if (!opened) {
		return (
			<p className={classes.note}>
				<button type="button" className={passClasses.more} data-study onClick={() => setOpened(true)}>
					Learn from another part
				</button>
			</p>
		);
	}
	const parts = (songs.data ?? []).map(({ name, parts }) => ({
		group: name,
		items: parts
			.filter((part) => part.drums && part.id !== own)
			.map((part) => ({ value: `${part.id}`, label: `${name}, ${part.name}` })),
	}));
	const ownTakes = {
		group: "Takes of this part",
		items: takes
			.filter(({ id }) => id !== worked)
			.map(({ id, name }) => ({ value: `take ${id}`, label: name })),
	};
	const choose = (value: string | null) => {
		const { setStudied, part: here } = store.getState();
		if (value === null) return setStudied(null);
		const number = Number(value.replace("take ", ""));
		const isTake = value.startsWith("take");
		setStudied({
			part: isTake ? own : number,
			take: isTake ? number : null,
			name: "",
			reading: here.reading,
		});
	};
	return (
		<section className={classes.study} aria-label="Learn from another part">
			<Select
				size="xs"
				label="Learn from"
				placeholder="A part of the shelf, a take of this one"
				data={[ownTakes, ...parts].filter(({ items }) => items.length > 0)}
				searchable
				clearable
				comboboxProps={{ position: "top", withinPortal: true }}
				value={studied === null ? null : take === null ? `${studied}` : `take ${take}`}
				onChange={choose}
			/>
			{error && <p className={classes.note}>{error.message}</p>}
			{data && studied !== null && !error && (
				<table>
					<thead>
						<tr>
							<th>apart by</th>
							<th title="How far velocities are from one another, in steps (Wasserstein distance)">touch</th>
							<th title="How far timing is, in ms, slot by slot of the bar (Wasserstein distance)">time</th>
							<th>take over</th>
						</tr>
					</thead>
					<tbody>
						{data.apart.map((one) => (
							<Drum
								key={one.instrument}
								one={one}
								other={studied}
								take={take}
								touch={data.touch}
								name={data.name}
							/>
						))}
						<tr>
							<td>all drums</td>
							<td />
							<td />
							<td>
								<Take
									other={studied}
									take={take}
									touch={data.touch}
									name={data.name}
									instruments={data.apart.flatMap(({ against, instrument }) => (against ? [instrument] : []))}
								/>
							</td>
						</tr>
					</tbody>
				</table>
			)}
		</section>
	);
}

interface From {
	/** The part that is learned from, and the take of it. */
	other: number;
	take: number | null;
	touch: Extract<Action, { kind: "match" }>["reference"];
	name: string;
}

function Drum({ one, ...from }: { one: Apart } & From) {
	if (!one.against) {
		return (
			<tr>
				<td>{one.name}</td>
				<td colSpan={3}>no such drum there</td>
			</tr>
		);
	}
	return (
		<tr data-apart={one.instrument}>
			<td>{one.name}</td>
			<td title={`typically ${one.typical.map((velocity) => Math.round(velocity)).join(" and ")}`}>
				{Math.round(one.velocity)}
			</td>
			<td
				title={`${one.late.map((ms) => (ms === null ? "–" : plain(Math.round(ms)))).join(" and ")} ms late on average`}
			>
				{one.timing === null ? "–" : `${one.timing.toFixed(1)} ms`}
			</td>
			<td>
				<Take {...from} instruments={[one.instrument]} />
			</td>
		</tr>
	);
}

/** Takes over the touch, or the time, of another part. */
function Take({ other, take, touch, name, instruments }: From & { instruments: InstrumentId[] }) {
	const store = useWorkspaceStore();
	const add = (action: Action, label: string) => {
		const { act, commit } = store.getState();
		act({
			kind: "add-passes",
			passes: [{ id: 1, on: true, fresh: false, aim: { instruments }, action }],
			instead: false,
		});
		commit(label);
	};
	const takeTime = async () => {
		try {
			const { groove } = await client.takeGroove(other, {
				take: { length: 1 },
				of_take: take ?? undefined,
				name: name.slice(0, 80),
			});
			const { actions: offers } = store.getState().words;
			const usual = offers.map(({ start }) => start).find(({ kind }) => kind === "groove");
			if (usual?.kind === "groove")
				add({ ...usual, groove, timing: 100, touch: 0, pull: 100 }, `the time of ${name}`);
		} catch (error) {
			showError(error);
		}
	};
	return (
		<span className={classes.takes}>
			<button
				type="button"
				className={passClasses.word}
				onClick={() => add({ kind: "match", reference: touch, amount: 100 }, `the touch of ${name}`)}
			>
				touch
			</button>
			<button type="button" className={passClasses.word} onClick={() => void takeTime()}>
				time
			</button>
		</span>
	);
}
