import { Button, Group, Tooltip } from "@mantine/core";
import { IconDice5, IconRotateClockwise } from "@tabler/icons-react";
import { useEffect, useRef } from "react";
import { sentence } from "../../words";
import { isAlone, useWorkspace, useWorkspaceStore } from "../store";
import { AddPass } from "./AddPass";
import { NumberToken } from "./NumberToken";
import { PassCard } from "./PassCard";
import classes from "./Passes.module.css";
import { RecipesButton } from "./RecipesButton";
import { SideTabs } from "./SideTabs";

/** The passes of the part, as sentences, in the order in which they are done. */
export function PassPanel() {
	const passes = useWorkspace((state) => state.recipe.passes);
	const list = useRef<HTMLOListElement>(null);
	const count = useRef(passes.length);
	// What was added is shown.
	useEffect(() => {
		if (passes.length > count.current)
			list.current?.querySelector("[data-pass]:last-of-type")?.scrollIntoView({ block: "nearest" });
		count.current = passes.length;
	}, [passes.length]);
	const alone = useWorkspace(isAlone);
	const { soloOn } = useWorkspaceStore().getState();
	return (
		<aside className={classes.panel} aria-label="Passes">
			<div className={classes.head}>
				<SideTabs />
				<Variation />
			</div>
			<Damaged />
			<Heard />
			{alone && (
				<p className={classes.notice} role="status">
					One pass is heard alone.{" "}
					<button type="button" className={classes.more} onClick={() => soloOn(null)}>
						Hear all again
					</button>
				</p>
			)}
			<ol className={classes.list} ref={list}>
				{passes.map((pass, index) => (
					<PassCard key={pass.id} pass={pass} number={index + 1} last={index === passes.length - 1} />
				))}
				{passes.length === 0 && (
					<li className={classes.empty}>
						Nothing is changed yet: Played is as it was Written. Drag a handle in the touch of an instrument,
						add a pass, or take a starting point from Recipes.
					</li>
				)}
			</ol>
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

function Variation() {
	const store = useWorkspaceStore();
	const variation = useWorkspace((state) => state.variation);
	const fresh = useWorkspace((state) => state.fresh);
	const change = (next: number) => store.getState().vary(next);
	return (
		<Group gap={6} wrap="nowrap" fz={12} c="dimmed">
			<span className={classes.roomy}>variation</span>
			<NumberToken
				label="Variation"
				value={variation}
				values={{ kind: "number", min: 1, max: 9999, step: 1, unit: "", neutral: 1, sides: null, none: null }}
				onChange={(value) => value !== null && change(value)}
				onDone={(soon) => {
					const { commit, commitSoon } = store.getState();
					(soon ? commitSoon : commit)("variation");
				}}
			/>
			<Tooltip label="Another variation in each round of the loop (R)">
				<Button
					size="compact-xs"
					variant={fresh ? "filled" : "default"}
					aria-label="Fresh each round"
					aria-pressed={fresh}
					onClick={() => store.getState().setFresh(!fresh)}
				>
					<IconRotateClockwise size={14} />
				</Button>
			</Tooltip>
			<Tooltip label="Next variation (V)">
				<Button
					size="compact-xs"
					variant="default"
					aria-label="Next variation"
					onClick={() => {
						change(variation + 1);
						store.getState().commit("next variation");
					}}
				>
					<IconDice5 size={14} />
				</Button>
			</Tooltip>
		</Group>
	);
}
