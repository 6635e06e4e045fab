import { Tooltip } from "@mantine/core";
import { useCallback, useEffect, useRef, useState } from "react";
import { useShallow } from "zustand/react/shallow";
import { probe } from "../../lib/probe";
import { sentence } from "../../lib/words";
import { mostRounds, roundsDiffer } from "../../part/state/playback";
import { isAlone, useWorkspace, useWorkspaceStore } from "../../part/store";
import { JoinOffer } from "../topbar/Regroup";
import { AddPass } from "./AddPass";
import { FirstMinute } from "./FirstMinute";
import { GroupCard } from "./GroupCard";
import { NumberToken } from "./NumberToken";
import { PassCard } from "./PassCard";
import classes from "./Passes.module.css";
import { RecipesButton } from "./RecipesButton";
import { SideTabs } from "./SideTabs";

/** The passes of the part, as sentences, in the order in which they are done. */
export function PassPanel() {
	probe.rendered("passes");
	const store = useWorkspaceStore();
	// Not the passes themselves: one of them changes with every move of a drag.
	const passes = useWorkspace(useShallow((state) => state.recipe.passes.map(({ id }) => id)));
	const groups = useWorkspace(useShallow((state) => state.recipe.passes.map(({ group }) => group ?? null)));
	const [open, setOpen] = useState<ReadonlySet<number>>(new Set());
	const toggle = useCallback(
		(group: number) =>
			setOpen(
				(open) => new Set(open.has(group) ? [...open].filter((one) => one !== group) : [...open, group]),
			),
		[],
	);
	const list = useRef<HTMLOListElement>(null);
	const known = useRef(passes);
	// What was added is shown, and unfolded where it is one pass.
	useEffect(() => {
		const added = passes.filter((id) => !known.current.includes(id));
		known.current = passes;
		if (added.length === 0) return;
		const [first] = added;
		if (added.length === 1) store.getState().unfold(first);
		requestAnimationFrame(() =>
			list.current
				?.querySelector(`[data-pass-id="${first}"], [data-holds~="${first}"]`)
				?.scrollIntoView({ block: "nearest" }),
		);
	}, [passes, store]);
	const alone = useWorkspace(isAlone);
	const group = useWorkspace((state) => state.soloGroup !== null);
	const { soloOn } = store.getState();
	return (
		<aside className={classes.panel} aria-label="Passes">
			<div className={classes.head}>
				<SideTabs />
			</div>
			<Damaged />
			<JoinOffer />
			<Heard />
			{alone && (
				<p className={classes.notice} role="status">
					{group ? "One group is heard alone." : "One pass is heard alone."}{" "}
					<button type="button" className={classes.more} onClick={() => soloOn(null)}>
						Hear all again
					</button>
				</p>
			)}
			{passes.length === 0 && <FirstMinute />}
			<ol className={classes.list} ref={list}>
				{passes.flatMap((id, index) => {
					const group = groups[index];
					const begins = group !== null && groups[index - 1] !== group;
					const card = (
						<PassCard
							key={id}
							id={id}
							number={index + 1}
							last={index === passes.length - 1}
							grouped={group !== null}
						/>
					);
					const unfolded = group === null || open.has(group);
					if (!begins) return unfolded ? [card] : [];
					const held = passes.filter((_, place) => groups[place] === group);
					const head = (
						<GroupCard
							key={`group ${group}`}
							id={group}
							holds={held.join(" ")}
							open={unfolded}
							first={index === 0}
							last={index + held.length === passes.length}
							onFold={toggle}
						/>
					);
					return unfolded ? [head, card] : [head];
				})}
			</ol>
			<Variation />
			<div className={classes.foot}>
				<AddPass />
				<RecipesButton />
			</div>
		</aside>
	);
}

/** Why the part is not played as it was kept, and what can be done. */
function Damaged() {
	const damage = useWorkspace((state) => state.part.state.damage);
	if (!damage) return null;
	return (
		<p className={classes.damage} role="status" data-damaged>
			<strong>What was made of this part cannot be read,</strong> so it is played as it was written. Undo may
			bring back what was there before, and Takes saves what is left as a file. A change takes its place.{" "}
			<span className={classes.reason}>{sentence(`Why: ${damage}`)}</span>
		</p>
	);
}

/** The variations of the rounds that were heard: press one to keep it. */
function Heard() {
	const store = useWorkspaceStore();
	const heard = useWorkspace((state) => state.heard);
	const fresh = useWorkspace((state) => state.fresh);
	const variation = useWorkspace((state) => state.variation);
	if (!fresh && heard.length === 0) return null;
	const keep = (one: number) => {
		const { vary, keepRound } = store.getState();
		vary(one);
		keepRound(one);
	};
	return (
		<p className={classes.notice} data-heard>
			{heard.length === 0
				? "Each round of the loop will be another variation. Play."
				: "Heard; press to keep: "}
			{heard.map((one, index) => (
				<button
					key={`${one} ${index}`}
					type="button"
					className={classes.round}
					aria-pressed={one === variation}
					aria-label={`Keep variation ${one}`}
					onClick={() => keep(one)}
				>
					{one}
				</button>
			))}
		</p>
	);
}

/** The number that all dice hang on, and ways to another one. */
function Variation() {
	const store = useWorkspaceStore();
	const variation = useWorkspace((state) => state.variation);
	const fresh = useWorkspace((state) => state.fresh);
	const change = (next: number) => store.getState().vary(next);
	return (
		<div className={classes.variation}>
			<span>
				variation{" "}
				<NumberToken
					label="Variation"
					value={variation}
					values={{
						kind: "number",
						min: 1,
						max: 9999,
						step: 1,
						unit: "",
						neutral: 1,
						sides: null,
						none: null,
					}}
					onChange={(value) => value !== null && change(value)}
					onDone={(soon) => {
						const { commit, commitSoon } = store.getState();
						(soon ? commitSoon : commit)("variation");
					}}
				/>
			</span>
			<Tooltip label="Deal the dice anew (V)">
				<button
					type="button"
					className={classes.word}
					onClick={() => {
						change(variation + 1);
						store.getState().commit("next variation");
					}}
				>
					next
				</button>
			</Tooltip>
			<Tooltip label="Another variation in each round of the loop (R)">
				<button
					type="button"
					className={classes.word}
					aria-pressed={fresh}
					onClick={() => store.getState().setFresh(!fresh)}
				>
					fresh each round
				</button>
			</Tooltip>
			<Round />
		</div>
	);
}

/** Where passes have fresh dice each round: which round is seen and heard. */
function Round() {
	const store = useWorkspaceStore();
	const round = useWorkspace((state) => state.round);
	const differ = useWorkspace((state) => !state.fresh && roundsDiffer(state));
	if (!differ) return null;
	const { goToRound } = store.getState();
	return (
		<span data-round={round + 1}>
			round{" "}
			<NumberToken
				label="Round"
				value={round + 1}
				values={{
					kind: "number",
					min: 1,
					max: mostRounds,
					step: 1,
					unit: "",
					neutral: 1,
					sides: null,
					none: null,
				}}
				onChange={(value) => value !== null && goToRound(value - 1)}
				onDone={() => undefined}
			/>
		</span>
	);
}
