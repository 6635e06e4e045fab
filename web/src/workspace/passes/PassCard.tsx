import { ActionIcon, Menu, Switch, Tooltip } from "@mantine/core";
import {
	IconArrowDown,
	IconArrowsSplit2,
	IconArrowUp,
	IconCopy,
	IconCopyPlus,
	IconDots,
	IconEar,
	IconFolder,
	IconFolderOff,
	IconLayoutList,
	IconPencil,
	IconRefresh,
	IconTarget,
	IconTrash,
} from "@tabler/icons-react";
import { type KeyboardEvent, memo, type RefObject, useCallback, useMemo, useRef, useState } from "react";
import { client } from "../../api/client";
import type { ActionInfo, Aim, Gesture, Pass, PassReport } from "../../api/generated/types";
import { downwards } from "../../lib/arrows";
import { NameField } from "../../lib/NameField";
import { showError, showNote } from "../../lib/notify";
import { probe } from "../../lib/probe";
import { useAfterMenu } from "../../lib/useAfterMenu";
import { plain, plural } from "../../lib/words";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useDrag } from "../../part/useDrag";
import { useOffered } from "../../part/useUsed";
import { PositionWords } from "./AimInWords";
import classes from "./Passes.module.css";
import { Sentence } from "./Sentence";
import { ShapePicture } from "./ShapePicture";
import { useInfo } from "./useInfo";
import { barsInWords, briefly, instrumentsInWords, isEveryBar, isLine } from "./words";

/** What a pass did, in a few words. */
function touchedInWords(pass: Pass, info: ActionInfo, report: PassReport | undefined) {
	const shaped = info.settings.find(({ name }) => ["soft", "by", "from"].includes(name))?.values;
	const unit = "property" in pass.action && shaped?.kind === "number" ? shaped.unit : "";
	if (!pass.on) return "off";
	if (!report) return "";
	if (report.lane_values !== undefined) {
		if (pass.action.kind === "lane-anchor") return "";
		return report.lane_values === 0 ? "changes no value" : plural(report.lane_values, "value");
	}
	const others = [];
	if (report.added > 0) others.push(`+${plural(report.added, "hit")}`);
	if (report.left_out > 0) others.push(`${report.left_out} left out`);
	if (report.silenced > 0) others.push(`−${plural(report.silenced, "hit")}`);
	if (report.aimed === 0 && others.length === 0) return "hits nothing here";
	if (report.touched === 0 && others.length > 0) return others.join(" · ");
	if (report.touched === 0) return `changes none of ${plural(report.aimed, "hit")}`;
	const largest = [];
	if (report.largest_change >= 0.5)
		largest.push(`≤ ${[Math.round(report.largest_change), unit].filter(Boolean).join(" ")}`);
	if (report.largest_move >= 0.05) largest.push(`≤ ${plain(Math.round(report.largest_move * 10) / 10)} ms`);
	return [plural(report.touched, "hit"), ...others, ...largest].join(" · ");
}

interface CardProps {
	id: number;
	number: number;
	last: boolean;
	/** It is in a group. */
	grouped: boolean;
}

export function PassCard({ id, ...place }: CardProps) {
	const pass = useWorkspace((state) => state.recipe.passes.find((pass) => pass.id === id));
	return pass ? <Card pass={pass} {...place} /> : null;
}

type PassProps = Omit<CardProps, "id"> & { pass: Pass };

/** One pass: a line; unfolded, what it did and its sentence. Under the pointer it lights up its hits. */
const Card = memo(function Card({ pass, number, last, grouped }: PassProps) {
	probe.rendered("pass");
	const store = useWorkspaceStore();
	const card = useRef<HTMLLIElement>(null);
	const info = useInfo(pass.action);
	const unfolded = useWorkspace((state) => state.unfolded === pass.id);
	const aiming = useWorkspace((state) => state.aiming === pass.id);
	const soloed = useWorkspace((state) => state.soloPass === pass.id);
	const refused = useWorkspace((state) =>
		state.refused?.field.startsWith(`recipe.passes[${number - 1}]`) ? state.refused.detail : null,
	);
	const [renaming, setRenaming] = useState(false);
	const title = pass.name ?? info?.title ?? "";
	const { id } = pass;
	const change = useCallback(
		(label: string, gesture: Gesture) => {
			store.getState().act(gesture);
			store.getState().commit(`${label} ${title.toLowerCase()}`);
		},
		[store, title],
	);
	const move = useCallback(
		(by: number) => change(by < 0 ? "move up" : "move down", { kind: "move-pass", pass: id, by }),
		[change, id],
	);
	const rename = useCallback(() => setRenaming(true), []);
	const controls = useMemo(
		() => (
			<Controls
				id={id}
				number={number}
				title={title}
				last={last}
				grouped={grouped}
				on={pass.on}
				soloed={soloed}
				aiming={pass.action.kind === "by-hand" ? null : aiming}
				change={change}
				onMove={move}
				onRename={rename}
			/>
		),
		[id, number, title, last, grouped, pass.on, soloed, aiming, pass.action.kind, change, move, rename],
	);
	if (!info) return null;
	const { light, focusOn, unfold } = store.getState();
	const onKeyDown = (event: KeyboardEvent) => {
		const by = downwards(event);
		if (!event.altKey || !by) return;
		event.preventDefault();
		event.stopPropagation();
		move(by);
		requestAnimationFrame(() => card.current?.querySelector<HTMLElement>("[data-grip]")?.focus());
	};
	return (
		<li
			ref={card}
			className={classes.card}
			data-on={pass.on}
			data-pass={pass.action.kind}
			data-pass-id={pass.id}
			data-grouped={grouped}
			data-counts={1}
			data-unfolded={unfolded}
			data-aiming={aiming}
			onPointerEnter={() => {
				focusOn(pass.id);
				if (store.getState().aiming === null) light(pass.id);
			}}
			onPointerLeave={() => store.getState().aiming === null && light(null)}
			onFocus={() => focusOn(pass.id)}
			onKeyDown={onKeyDown}
		>
			<div className={classes.line}>
				<Grip number={number} title={title} card={card} onMove={move} />
				{renaming ? (
					<NameField
						label="Name of the pass"
						value={title}
						onDone={(name) => {
							setRenaming(false);
							if (name) change("rename", { kind: "change-pass", pass: pass.id, name });
						}}
					/>
				) : (
					<button
						type="button"
						className={classes.fold}
						aria-expanded={unfolded}
						data-pass-fold={pass.id}
						title={pass.name ? `${pass.name} (${info.title})` : undefined}
						onClick={() => unfold(unfolded ? null : pass.id)}
					>
						<span className={classes.title}>{title}</span>
						{unfolded ? <Touched pass={pass} info={info} /> : <Short pass={pass} info={info} />}
					</button>
				)}
				{controls}
			</div>
			{unfolded && (
				<>
					<Sentence pass={pass} info={info} />
					{pass.action.kind === "shape" && <ShapePicture pass={pass} shape={pass.action} />}
					<Said pass={pass} />
				</>
			)}
			{refused && (
				<p className={classes.refused} role="alert">
					{refused}
				</p>
			)}
		</li>
	);
});

/** Whom it is for and the settings that matter; where it does nothing, that. */
function Short({ pass, info }: { pass: Pass; info: ActionInfo }) {
	const instruments = useOffered(pass.aim.instruments);
	const pockets = useWorkspace((state) => state.pockets);
	const idle = useWorkspace((state) => {
		const report = state.performance?.passes.find((one) => one.pass === pass.id);
		if (pass.action.kind === "lane-anchor") return null;
		if (!report || !pass.on || report.lane_values) return null;
		if (report.lane_values === 0) return "changes no value";
		if (report.touched + report.added + report.silenced > 0) return null;
		return report.aimed === 0 ? "hits nothing here" : "changes nothing";
	});
	const said = useWorkspace(
		(state) => state.performance?.passes.find((one) => one.pass === pass.id)?.said ?? null,
	);
	const hand = pass.action.kind === "by-hand" ? pass.action : null;
	const named = (id: number) => pockets.find((one) => one.id === id)?.name ?? "a pocket that is gone";
	const brief = hand
		? plural(
				hand.moved.length + hand.removed.length + (hand.recalled?.length ?? 0) + hand.added.length,
				"hit",
			)
		: briefly(pass.action, info, named);
	return (
		<>
			<span className={classes.whom}>
				{isLine(pass.action)
					? !isEveryBar(pass.aim) && barsInWords(pass.aim)
					: !hand && instrumentsInWords(pass.aim, instruments)}
				{!isLine(pass.action) && <Where aim={pass.aim} />}
			</span>
			<span className={classes.brief} data-idle={idle !== null} title={said ?? undefined}>
				{pass.on ? (idle ?? brief) : "off"}
				{pass.fresh && pass.on && " ↻"}
				{said && pass.on && " !"}
			</span>
		</>
	);
}

/** Where in the song and in the bar. */
function Where({ aim }: { aim: Aim }) {
	const more = (["velocity", "length", "speed", "run", "with", "without", "share", "picked"] as const).some(
		(name) => aim[name] !== undefined,
	);
	return (
		<>
			{aim.positions && <PositionWords positions={aim.positions} />}
			{!isEveryBar(aim) && `, ${barsInWords(aim)}`}
			{more && " …"}
			{aim.invert && " (all but)"}
		</>
	);
}

/** What the person should know about doing it here. */
function Said({ pass }: { pass: Pass }) {
	const said = useWorkspace(
		(state) => state.performance?.passes.find((one) => one.pass === pass.id)?.said ?? null,
	);
	return said && pass.on ? (
		<p className={classes.said} role="status">
			{said}
		</p>
	) : null;
}

function Touched({ pass, info }: { pass: Pass; info: ActionInfo }) {
	const report = useWorkspace((state) => state.performance?.passes.find((one) => one.pass === pass.id));
	const words = touchedInWords(pass, info, report);
	return (
		<span className={classes.touched} title={words}>
			{words}
		</span>
	);
}

interface MenuProps {
	id: number;
	number: number;
	title: string;
	last: boolean;
	grouped: boolean;
	on: boolean;
	soloed: boolean;
	/** Nothing where the pass has no aim to be chosen. */
	aiming: boolean | null;
	change: (label: string, gesture: Gesture) => void;
	onMove: (by: number) => void;
	onRename: () => void;
}

/** Aim, switch and menu of a pass. They know it by its id, so a drag of its numbers leaves them be. */
function Controls(props: MenuProps) {
	const { id, title, on, soloed, aiming, change } = props;
	const store = useWorkspaceStore();
	const unfolded = useWorkspace((state) => state.unfolded === id);
	return (
		<>
			{soloed && (
				<button type="button" className={classes.more} onClick={() => store.getState().soloOn(null)}>
					alone
				</button>
			)}
			{aiming !== null && (unfolded || aiming) && (
				<Tooltip label="Aim by pointing: bars, touch, hits">
					<ActionIcon
						variant={aiming ? "filled" : "subtle"}
						color={aiming ? undefined : "gray"}
						size="sm"
						aria-label={`Aim ${title} by pointing`}
						aria-pressed={aiming}
						onClick={() => store.getState().aimAt(aiming ? null : id)}
					>
						<IconTarget size={15} />
					</ActionIcon>
				</Tooltip>
			)}
			<Switch
				size="xs"
				checked={on}
				aria-label={`${title} on`}
				onChange={(event) => {
					const now = event.currentTarget.checked;
					change(now ? "switch on" : "switch off", { kind: "change-pass", pass: id, on: now });
				}}
			/>
			<CardMenu {...props} />
		</>
	);
}

function CardMenu({ id, number, title, last, grouped, soloed, change, onMove, onRename }: MenuProps) {
	const store = useWorkspaceStore();
	const fresh = useWorkspace((state) => state.recipe.passes.find((pass) => pass.id === id)?.fresh ?? false);
	/** Its action or its aim draws something. */
	const dice = useWorkspace((state) => {
		const pass = state.recipe.passes.find((one) => one.id === id);
		const offer = state.words.actions.find(({ start }) => start.kind === pass?.action.kind);
		return pass?.aim.share !== undefined || (offer !== undefined && offer.dice !== "none");
	});
	const rename = useAfterMenu(onRename);
	/** It and the one behind it. */
	const withNext = (id: number) => {
		const ids = store.getState().recipe.passes.map((pass) => pass.id);
		const place = ids.indexOf(id);
		return ids.slice(place, place + 2);
	};
	/** The same again; or aimed at what this one leaves out. */
	const duplicate = (others: boolean) =>
		change(others ? "one more for the others of" : "duplicate", { kind: "duplicate-pass", pass: id, others });
	return (
		<Menu position="left-start" onExitTransitionEnd={rename.onExitTransitionEnd}>
			<Menu.Target>
				<ActionIcon
					className={classes.quietly}
					variant="subtle"
					color="gray"
					size="sm"
					aria-label={`More for pass ${number}, ${title}`}
				>
					<IconDots size={15} />
				</ActionIcon>
			</Menu.Target>
			<Menu.Dropdown>
				<Menu.Item
					leftSection={<IconEar size={14} />}
					onClick={() => store.getState().soloOn(soloed ? null : id)}
				>
					{soloed ? "Hear all passes again" : "Hear this pass alone"}
				</Menu.Item>
				<Menu.Item leftSection={<IconPencil size={14} />} onClick={rename.choose}>
					Rename
				</Menu.Item>
				<Menu.Item leftSection={<IconArrowUp size={14} />} disabled={number === 1} onClick={() => onMove(-1)}>
					Earlier (Alt ↑)
				</Menu.Item>
				<Menu.Item leftSection={<IconArrowDown size={14} />} disabled={last} onClick={() => onMove(1)}>
					Later (Alt ↓)
				</Menu.Item>
				{dice && (
					<Menu.Item
						leftSection={<IconRefresh size={14} />}
						onClick={() =>
							change(fresh ? "same each round" : "fresh each round", {
								kind: "change-pass",
								pass: id,
								fresh: !fresh,
							})
						}
					>
						{fresh ? "The same in every round" : "Fresh each round"}
					</Menu.Item>
				)}
				<Menu.Item leftSection={<IconCopy size={14} />} onClick={() => duplicate(false)}>
					Duplicate
				</Menu.Item>
				<Menu.Item leftSection={<IconArrowsSplit2 size={14} />} onClick={() => duplicate(true)}>
					One more for all the others
				</Menu.Item>
				<Menu.Item
					leftSection={<IconLayoutList size={14} />}
					onClick={() => change("one for each drum of", { kind: "pass-for-each", pass: id })}
				>
					One pass for each drum
				</Menu.Item>
				{grouped ? (
					<Menu.Item
						leftSection={<IconFolderOff size={14} />}
						onClick={() => change("take out of its group", { kind: "leave-group", pass: id })}
					>
						Take out of the group
					</Menu.Item>
				) : (
					<Menu.Item
						leftSection={<IconFolder size={14} />}
						onClick={() => change("group", { kind: "group-passes", passes: withNext(id), name: "Group" })}
					>
						Group with the next pass
					</Menu.Item>
				)}
				<CopyItems id={id} />
				<Menu.Divider />
				<Menu.Item
					leftSection={<IconTrash size={14} />}
					onClick={() => change("delete", { kind: "delete-pass", pass: id })}
				>
					Delete
				</Menu.Item>
			</Menu.Dropdown>
		</Menu>
	);
}

/** To the other parts of the song, as far as the pass fits there. */
function CopyItems({ id }: { id: number }) {
	const store = useWorkspaceStore();
	const { song, part } = store.getState();
	const copy = async (to: number, name: string) => {
		const passes = store
			.getState()
			.recipe.passes.filter((pass) => pass.id === id)
			.map(({ group: _, ...pass }) => pass);
		try {
			const { added, said, history } = await client.receive(to, { passes });
			for (const sentence of said) showNote(`To ${name}`, sentence);
			if (added > 0) showNote(`Copied to ${name}`, plural(added, "pass", "passes"));
			store.getState().changedElsewhere(history);
		} catch (error) {
			showError(error);
		}
	};
	return song.parts
		.filter((one) => one.id !== part.state.id)
		.map((one) => (
			<Menu.Item
				key={one.id}
				leftSection={<IconCopyPlus size={14} />}
				onClick={() => void copy(one.id, one.name)}
			>
				Copy to {one.name}
			</Menu.Item>
		));
}

interface GripProps {
	number: number;
	title: string;
	card: RefObject<HTMLLIElement | null>;
	onMove: (by: number) => void;
}

/** The number of a pass, by which it is dragged to another place. */
function Grip({ number, title, card, onMove }: GripProps) {
	const onPointerDown = useDrag(
		useCallback(() => {
			const own = card.current;
			const list = own?.parentElement;
			if (!own || !list) return null;
			const others = [...list.children].filter((one) => one !== own && one.matches("[data-counts]"));
			const middle = (one: Element) => {
				const box = one.getBoundingClientRect();
				return box.top + box.height / 2;
			};
			const start = middle(own);
			const middles = others.map((one) => [middle(one), Number(one.getAttribute("data-counts"))]);
			// Passes that are folded away count, too.
			const placeAt = (y: number) => middles.reduce((sum, [other, many]) => sum + (other < y ? many : 0), 0);
			const from = placeAt(start);
			let to = from;
			return {
				move: (_dx: number, dy: number) => {
					own.style.transform = `translateY(${dy}px)`;
					own.dataset.dragged = "true";
					to = placeAt(start + dy);
				},
				end: () => {
					own.style.transform = "";
					delete own.dataset.dragged;
					if (to !== from) onMove(to - from);
				},
			};
		}, [card, onMove]),
	);
	return (
		<button
			type="button"
			className={classes.grip}
			data-grip
			aria-label={`Pass ${number}, ${title}: drag it, or Alt with up and down, to move it`}
			onPointerDown={onPointerDown}
		>
			{number}
		</button>
	);
}
