import { ActionIcon, Menu, Slider, Switch } from "@mantine/core";
import {
	IconArrowDown,
	IconArrowUp,
	IconChevronDown,
	IconChevronRight,
	IconDots,
	IconEar,
	IconFolderOff,
	IconPencil,
	IconTrash,
} from "@tabler/icons-react";
import { memo, useState } from "react";
import type { Gesture } from "../../api/generated/types";
import { NameField } from "../../lib/NameField";
import { useAfterMenu } from "../../lib/useAfterMenu";
import { plural } from "../../lib/words";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { NumberToken, type NumberValues } from "./NumberToken";
import classes from "./Passes.module.css";

const amounts: NumberValues = {
	kind: "number",
	min: 0,
	max: 150,
	step: 1,
	unit: "%",
	neutral: 100,
	sides: null,
	none: null,
};

interface Props {
	id: number;
	/** The ids of its passes. */
	holds: string;
	open: boolean;
	first: boolean;
	last: boolean;
	onFold: (group: number) => void;
}

/** Passes that came together: one line with their name, a switch and an amount; unfolded, they follow. */
export const GroupCard = memo(function GroupCard({ id, holds, open, first, last, onFold }: Props) {
	const store = useWorkspaceStore();
	const group = useWorkspace((state) => state.recipe.groups?.find((one) => one.id === id));
	const soloed = useWorkspace((state) => state.soloGroup === id);
	const [renaming, setRenaming] = useState(false);
	const rename = useAfterMenu(() => setRenaming(true));
	if (!group) return null;
	const { name, on, amount } = group;
	const count = holds.split(" ").length;
	const change = (label: string, gesture: Gesture) => {
		store.getState().act(gesture);
		store.getState().commit(`${label} “${name}”`);
	};
	const label = `amount of “${name}”`;
	const set = (amount: number) => store.getState().act({ kind: "change-group", group: id, amount }, label);
	const move = (by: number) =>
		change(by < 0 ? "move up" : "move down", { kind: "move-group", group: id, by });
	return (
		<li
			className={classes.group}
			data-group={id}
			data-on={on}
			data-holds={holds}
			data-counts={open ? 0 : count}
			onKeyDown={(event) => {
				const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
				if (!event.altKey || !by) return;
				event.preventDefault();
				event.stopPropagation();
				move(by);
			}}
		>
			<div className={classes.line}>
				{renaming ? (
					<NameField
						label="Name of the group"
						value={name}
						onDone={(next) => {
							setRenaming(false);
							if (next) change("rename", { kind: "change-group", group: id, name: next });
						}}
					/>
				) : (
					<button
						type="button"
						className={classes.fold}
						aria-expanded={open}
						data-group-fold={id}
						onClick={() => onFold(id)}
					>
						{open ? <IconChevronDown size={14} /> : <IconChevronRight size={14} />}
						<span className={classes.groupName}>{name}</span>
						<span className={classes.brief}>{plural(count, "pass", "passes")}</span>
					</button>
				)}
				{soloed && (
					<button type="button" className={classes.more} onClick={() => store.getState().soloOnGroup(null)}>
						alone
					</button>
				)}
				<Switch
					size="xs"
					checked={on}
					aria-label={`${name} on`}
					onChange={(event) => {
						const now = event.currentTarget.checked;
						change(now ? "switch on" : "switch off", { kind: "change-group", group: id, on: now });
					}}
				/>
				<Menu position="left-start" onExitTransitionEnd={rename.onExitTransitionEnd}>
					<Menu.Target>
						<ActionIcon
							className={classes.quietly}
							variant="subtle"
							color="gray"
							size="sm"
							aria-label={`More for the group ${name}`}
						>
							<IconDots size={15} />
						</ActionIcon>
					</Menu.Target>
					<Menu.Dropdown>
						<Menu.Item
							leftSection={<IconEar size={14} />}
							onClick={() => store.getState().soloOnGroup(soloed ? null : id)}
						>
							{soloed ? "Hear all passes again" : "Hear this group alone"}
						</Menu.Item>
						<Menu.Item leftSection={<IconPencil size={14} />} onClick={rename.choose}>
							Rename
						</Menu.Item>
						<Menu.Item leftSection={<IconArrowUp size={14} />} disabled={first} onClick={() => move(-1)}>
							Earlier (Alt ↑)
						</Menu.Item>
						<Menu.Item leftSection={<IconArrowDown size={14} />} disabled={last} onClick={() => move(1)}>
							Later (Alt ↓)
						</Menu.Item>
						<Menu.Item
							leftSection={<IconFolderOff size={14} />}
							onClick={() => change("ungroup", { kind: "ungroup", group: id })}
						>
							Ungroup
						</Menu.Item>
						<Menu.Divider />
						<Menu.Item
							leftSection={<IconTrash size={14} />}
							onClick={() => change("delete", { kind: "delete-group", group: id })}
						>
							Delete with its passes
						</Menu.Item>
					</Menu.Dropdown>
				</Menu>
			</div>
			<div className={classes.amount}>
				<span>amount</span>
				<Slider
					className={classes.amountSlider}
					size="xs"
					min={0}
					max={150}
					step={5}
					value={amount}
					label={null}
					thumbLabel={`Amount of ${name}`}
					marks={[{ value: 100 }]}
					onChange={set}
					onChangeEnd={() => store.getState().commit(label)}
				/>
				<NumberToken
					label={`Amount of ${name}`}
					value={amount}
					values={amounts}
					onChange={(next) => next !== null && set(next)}
					onDone={(soon) => (soon ? store.getState().commitSoon : store.getState().commit)(label)}
				/>
			</div>
		</li>
	);
});
