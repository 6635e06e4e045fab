import { ActionIcon, Menu, Switch } from "@mantine/core";
import { IconArrowDown, IconArrowUp, IconCopy, IconDots, IconTrash } from "@tabler/icons-react";
import type { Pass, PassReport } from "../../api/generated/types";
import { plain, plural } from "../../words";
import { moved, nextId, withPass } from "../edit";
import { useWorkspace, useWorkspaceStore } from "../store";
import classes from "./Passes.module.css";
import { Sentence } from "./Sentence";

/** What a pass did, in a few words. */
function touchedInWords(pass: Pass, report: PassReport | undefined) {
	if (!pass.on) return "off";
	if (!report) return "";
	const others = [];
	if (report.added > 0) others.push(`+${plural(report.added, "hit")}`);
	if (report.silenced > 0) others.push(`−${plural(report.silenced, "hit")}`);
	if (report.aimed === 0 && others.length === 0) return "hits nothing here";
	if (report.touched === 0 && others.length > 0) return others.join(" · ");
	if (report.touched === 0) return `changes none of ${plural(report.aimed, "hit")}`;
	const largest = [];
	if (report.largest_change >= 0.5) largest.push(`up to ${Math.round(report.largest_change)}`);
	if (report.largest_move >= 0.05)
		largest.push(`up to ${plain(Math.round(report.largest_move * 10) / 10)} ms`);
	return [plural(report.touched, "hit"), ...others, ...largest].join(" · ");
}

/** One pass: what it is, what it did, its sentence. Under the pointer it lights up its hits. */
export function PassCard({ pass, number, last }: { pass: Pass; number: number; last: boolean }) {
	const store = useWorkspaceStore();
	const info = store.getState().offers.find(({ start }) => start.kind === pass.action.kind)?.info;
	const report = useWorkspace((state) => state.performance?.passes.find((one) => one.pass === pass.id));
	const refused = useWorkspace((state) =>
		state.refused?.field.startsWith(`recipe.passes[${number - 1}]`) ? state.refused.detail : null,
	);
	if (!info) return null;
	const title = pass.name ?? info.title;
	const change = (label: string, recipe = store.getState().recipe) => {
		store.getState().draft({ recipe });
		store.getState().commit(`${label} ${title.toLowerCase()}`);
	};
	const { light } = store.getState();
	const recipe = () => store.getState().recipe;
	return (
		<li
			className={classes.card}
			data-on={pass.on}
			data-pass={pass.action.kind}
			onPointerEnter={() => light(pass.id)}
			onPointerLeave={() => light(null)}
		>
			<div className={classes.line}>
				<span className={classes.number}>{number}</span>
				<span className={classes.title}>{title}</span>
				<span className={classes.touched}>{touchedInWords(pass, report)}</span>
				<Switch
					size="xs"
					checked={pass.on}
					aria-label={`${title} on`}
					onChange={(event) => {
						const on = event.currentTarget.checked;
						change(on ? "switch on" : "switch off", withPass(recipe(), pass.id, { on }));
					}}
				/>
				<Menu position="bottom-end">
					<Menu.Target>
						<ActionIcon
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
							leftSection={<IconArrowUp size={14} />}
							disabled={number === 1}
							onClick={() => change("move up", moved(recipe(), pass.id, -1))}
						>
							Earlier
						</Menu.Item>
						<Menu.Item
							leftSection={<IconArrowDown size={14} />}
							disabled={last}
							onClick={() => change("move down", moved(recipe(), pass.id, 1))}
						>
							Later
						</Menu.Item>
						<Menu.Item
							leftSection={<IconCopy size={14} />}
							onClick={() => {
								const copy = { ...pass, id: nextId(recipe()) };
								const passes = recipe().passes.flatMap((one) => (one.id === pass.id ? [one, copy] : [one]));
								change("duplicate", { passes });
							}}
						>
							Duplicate
						</Menu.Item>
						<Menu.Item
							leftSection={<IconTrash size={14} />}
							onClick={() =>
								change("delete", { passes: recipe().passes.filter((one) => one.id !== pass.id) })
							}
						>
							Delete
						</Menu.Item>
					</Menu.Dropdown>
				</Menu>
			</div>
			<Sentence pass={pass} info={info} />
			{refused && (
				<p className={classes.refused} role="alert">
					{refused}
				</p>
			)}
		</li>
	);
}
