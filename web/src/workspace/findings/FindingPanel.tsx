import { ActionIcon, Loader, Menu } from "@mantine/core";
import { IconDots } from "@tabler/icons-react";
import { useEffect, useRef, useState } from "react";
import type { Cure, FindingCard, Gesture } from "../../api/generated/types";
import { useShortcuts } from "../../lib/shortcuts";
import { plural } from "../../lib/words";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import passClasses from "../passes/Passes.module.css";
import { SideTabs } from "../passes/SideTabs";
import { useHold } from "../passes/useHold";
import { showing } from "../rows/useTimeGestures";
import classes from "./Findings.module.css";
import { Measures } from "./Measures";
import { Study } from "./Study";
import { keyOf, useFindings } from "./useFindings";

/** What a listener would notice, what concerns most of the song first, each with passes that mend it. */
export function FindingPanel() {
	const store = useWorkspaceStore();
	const { shown, dismissed, isLoading, error } = useFindings(true);
	const [focus, setFocus] = useState<string | null>(null);
	const { setView } = store.getState();
	const walk = (by: number) => {
		if (shown.length === 0) return;
		const place = shown.findIndex((one) => keyOf(one) === focus);
		const next = place < 0 ? (by > 0 ? 0 : shown.length - 1) : (place + by + shown.length) % shown.length;
		setFocus(keyOf(shown[next]));
		go(shown[next]);
	};
	/** To where it is. */
	const go = ({ bars, hits, instrument }: FindingCard) => {
		const state = store.getState();
		state.lightHits(hits);
		if (instrument) state.setView({ hidden: state.hidden.filter((id) => id !== instrument) });
		const [first] = bars;
		if (!first) return;
		const most = Math.max(0, state.loop[1] - state.loop[0]);
		const last = state.song.bars.ticks.length - 1;
		const to = Math.min(last, first.from + Math.max(most, Math.min(first.to - first.from, 3)));
		state.setView({ loop: [first.from, to] });
		showing(store.getState(), "loop");
	};
	useShortcuts([
		["n", () => walk(1)],
		["shift+n", () => walk(-1)],
	]);
	// What is hit by a finding is no longer lit where the panel is left.
	useEffect(() => () => store.getState().lightHits([]), [store]);
	const dismiss = (key: string) => setView({ dismissed: [...store.getState().dismissed, key] });
	return (
		<aside className={passClasses.panel} aria-label="Findings">
			<div className={passClasses.head}>
				<SideTabs />
			</div>
			{isLoading && <Loader size="sm" m="lg" />}
			{error && <p className={classes.note}>{error.message}</p>}
			{!isLoading && !error && shown.length === 0 && (
				<p className={classes.note} data-nothing-found>
					{dismissed.length > 0
						? "Nothing else that a listener would notice."
						: "Nothing that a listener would notice: it sounds played."}
				</p>
			)}
			<ol className={passClasses.list}>
				{shown.map((finding) => (
					<Card
						key={keyOf(finding)}
						finding={finding}
						kin={shown.filter(({ rule }) => rule === finding.rule)}
						focused={keyOf(finding) === focus}
						onFocus={() => {
							setFocus(keyOf(finding));
							go(finding);
						}}
						onDismiss={dismiss}
					/>
				))}
			</ol>
			{dismissed.length > 0 && (
				<p className={classes.note}>
					{plural(dismissed.length, "finding")} dismissed.{" "}
					<button type="button" className={passClasses.more} onClick={() => setView({ dismissed: [] })}>
						Say them again
					</button>
				</p>
			)}
			<Study />
			<div className={classes.foot}>
				<span>
					<kbd>N</kbd> goes from one to the next
				</span>
				<Measures />
			</div>
		</aside>
	);
}

interface CardProps {
	finding: FindingCard;
	/** All findings of its rule, itself among them. */
	kin: FindingCard[];
	focused: boolean;
	onFocus: () => void;
	onDismiss: (key: string) => void;
}

function Card({ finding, kin, focused, onFocus, onDismiss }: CardProps) {
	const store = useWorkspaceStore();
	const { said, rule, hits, cures, instrument } = finding;
	const own = useRef<HTMLLIElement>(null);
	const name = useWorkspace((state) => state.part.kit.instruments.find(({ id }) => id === instrument)?.name);
	useEffect(() => {
		if (focused) own.current?.scrollIntoView({ block: "nearest" });
	}, [focused]);
	return (
		<li
			ref={own}
			className={classes.card}
			data-finding={rule}
			data-focused={focused}
			onPointerEnter={() => store.getState().lightHits(hits)}
			onPointerLeave={() => store.getState().lightHits([])}
		>
			<div className={classes.said}>
				<button type="button" aria-expanded={focused} onClick={onFocus}>
					{said}
				</button>
				<Menu position="bottom-end">
					<Menu.Target>
						<ActionIcon variant="subtle" color="gray" size={22} aria-label={`Dismiss: ${said}`}>
							<IconDots size={14} />
						</ActionIcon>
					</Menu.Target>
					<Menu.Dropdown>
						<Menu.Item onClick={() => onDismiss(keyOf(finding))}>
							{name ? `Dismiss this for the ${name.toLowerCase()}` : "Dismiss this"}
						</Menu.Item>
						<Menu.Item onClick={() => onDismiss(`${rule} *`)}>Dismiss all of this kind here</Menu.Item>
					</Menu.Dropdown>
				</Menu>
			</div>
			{rule === "silent" && (
				<button
					type="button"
					className={classes.cure}
					data-open-kit
					onClick={() => store.getState().showScreen("kit")}
				>
					Open the kit to map it
				</button>
			)}
			{cures.map((cure) => (
				<div key={cure.name} className={classes.ways}>
					<CureButton cure={cure} said={said} />
					<ForAll name={cure.name} kin={kin} />
				</div>
			))}
		</li>
	);
}

/** The same for every drum of which the same is said, in one step. */
function ForAll({ name, kin }: { name: string; kin: FindingCard[] }) {
	const store = useWorkspaceStore();
	const cures = kin.flatMap((one) => one.cures.filter((cure) => cure.name === name));
	if (cures.length < 2) return null;
	const take = () => {
		const { act, commit } = store.getState();
		const passes = cures.flatMap((cure) => cure.passes).map((pass, place) => ({ ...pass, id: place + 1 }));
		act({ kind: "add-passes", passes, instead: false, named: name });
		commit(`mend ${cures.length} drums: ${name.toLowerCase()}`);
	};
	return (
		<button
			type="button"
			className={classes.all}
			title={`The same for all ${cures.length} drums of which this is said`}
			data-cure-all={name}
			onClick={take}
		>
			all {cures.length}
		</button>
	);
}

/** So long the pointer rests on it, in ms, before it is seen in the rows. */
const pointed = 150;

/** Pointed at, it is seen in the rows; held down, it is heard; clicked, it is taken. */
function CureButton({ cure, said }: { cure: Cure; said: string }) {
	const store = useWorkspaceStore();
	const timer = useRef(0);
	const leave = () => {
		window.clearTimeout(timer.current);
		if (store.getState().trial) store.getState().tryOut(null);
	};
	const left = useRef(leave);
	left.current = leave;
	useEffect(() => () => left.current(), []);
	const gesture: Gesture = { kind: "add-passes", passes: cure.passes, instead: false, named: cure.name };
	const trial = () => ({ recipe: store.getState().recipe, gestures: [gesture] });
	const take = () => {
		leave();
		const { act, commit } = store.getState();
		act(gesture);
		commit(`mend: ${said.replace(/[.]$/, "")}`.slice(0, 80));
	};
	const hold = useHold(trial, take);
	return (
		<button
			type="button"
			className={classes.cure}
			data-cure={cure.name}
			title={`${plural(cure.passes.length, "pass", "passes")}: point to see it in the rows, hold to hear it, click to take it`}
			{...hold}
			onPointerEnter={() => {
				timer.current = window.setTimeout(() => store.getState().tryOut(trial()), pointed);
			}}
			onPointerLeave={leave}
		>
			{cure.name}
		</button>
	);
}
