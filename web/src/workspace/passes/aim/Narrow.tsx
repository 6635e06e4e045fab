import { Menu } from "@mantine/core";
import type { Aim } from "../../../api/generated/types";
import { useWorkspace, useWorkspaceStore } from "../../../part/store";
import classes from "../Passes.module.css";
import { useSlots } from "../SlotStrip";
import { isEveryBar } from "../words";
import { type AimProps, type Condition, conditionNames } from "./ConditionToken";

/** The way to more conditions. */
export function Narrow({ aim, onChange }: Pick<AimProps, "aim" | "onChange">) {
	const free = (Object.keys(conditionNames) as Condition[]).filter((name) => aim[name] === undefined);
	const store = useWorkspaceStore();
	// Positions begin as those that were chosen last: the next pass is often for all but these.
	const starts = useWorkspace((state) => state.words.aim.starts);
	const { positions } = starts;
	const found = useSlots(positions?.grid ?? "1/16", positions?.bars ?? 1);
	const start = (name: Condition): Aim[Condition] => {
		if (name === "channels") return [store.getState().part.channel];
		if (name !== "positions" || !positions) return starts[name];
		const { passes } = store.getState().recipe;
		const chosen = passes.findLast((pass) => pass.aim.positions)?.aim.positions;
		// In a shorter bar there are fewer.
		const there = positions.slots.filter((slot) => slot <= (found?.slots.length ?? slot));
		return chosen ?? { ...positions, slots: there };
	};
	const narrowToLoop = () => {
		const [from, to] = store.getState().loop;
		onChange({ ...aim, bars: [{ from, to }] });
	};
	return (
		<Menu position="bottom-start">
			<Menu.Target>
				<button type="button" className={classes.more} aria-label="only … Narrow the aim">
					only …
				</button>
			</Menu.Target>
			<Menu.Dropdown>
				<Menu.Label>Only some of the hits, by</Menu.Label>
				{isEveryBar(aim) && <Menu.Item onClick={narrowToLoop}>bars or sections</Menu.Item>}
				{free.map((name) => (
					<Menu.Item key={name} onClick={() => onChange({ ...aim, [name]: start(name) })}>
						{conditionNames[name]}
					</Menu.Item>
				))}
				<Menu.Divider />
				<Menu.Item onClick={() => onChange({ ...aim, invert: aim.invert ? undefined : true })}>
					all but these
				</Menu.Item>
			</Menu.Dropdown>
		</Menu>
	);
}
