import { ActionIcon, Button, Checkbox, Group, Popover, Select, TextInput, Tooltip } from "@mantine/core";
import { IconArrowDown, IconArrowUp, IconChevronDown } from "@tabler/icons-react";
import { useState } from "react";
import { shownLanes } from "../../part/lanes";
import { shownRows } from "../../part/rowHeights";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useUsed } from "../../part/useUsed";
import classes from "./Rows.module.css";

/** A row for a controller that the part has none of. */
function AddLane() {
	const store = useWorkspaceStore();
	const { lanes, other_lanes } = useWorkspace((state) => state.words);
	const shown = useWorkspace((state) =>
		shownLanes(state)
			.map(({ kind }) => kind)
			.join(" "),
	).split(" ");
	return (
		<Select
			size="xs"
			searchable
			limit={9}
			mt={8}
			placeholder="Add a row for a controller: name or number …"
			aria-label="Add a row for a controller"
			comboboxProps={{ withinPortal: false }}
			data-add-lane
			value={null}
			data={[...lanes, ...other_lanes]
				.filter(({ kind }) => !shown.includes(kind))
				.map(({ kind, name }) => ({ value: kind, label: name }))}
			onChange={(kind) => {
				const { extraLanes, setView } = store.getState();
				if (!kind) return;
				setView({ extraLanes: [...extraLanes, kind] });
				// It stands below all others.
				requestAnimationFrame(() =>
					document.querySelector(`[data-lane='${kind}']`)?.scrollIntoView({ block: "nearest" }),
				);
			}}
		/>
	);
}

/** Which instruments have a row, and in which order. */
export function RowsMenu() {
	const store = useWorkspaceStore();
	const instruments = useWorkspace((state) => state.part.kit.instruments);
	const listed = useWorkspace((state) => state.part.listed);
	const order = useWorkspace((state) => state.order);
	const hidden = useWorkspace((state) => state.hidden);
	const dragged = useWorkspace((state) => Object.keys(state.heights).length > 0);
	const { setView } = store.getState();
	const used = useUsed();
	const extra = useWorkspace((state) => state.extra);
	const wholeKit = useWorkspace((state) => state.wholeKit);
	const pads = useWorkspace((state) => state.pads);
	const hearEdits = useWorkspace((state) => state.hearEdits);
	const [text, setText] = useState("");
	const wanted = text.trim().toLowerCase();
	const inOrder = shownRows(instruments, { order, hidden: [] }).filter(
		(index) => index < listed || used.has(index) || extra.includes(instruments[index].id),
	);
	const has = (index: number) => wholeKit || used.has(index) || extra.includes(instruments[index].id);
	// What has a row, then what could have one.
	const all = [...inOrder.filter(has), ...inOrder.filter((index) => !has(index))];
	const found = all.filter((index) => instruments[index].name.toLowerCase().includes(wanted));
	const isShown = (index: number) => has(index) && !hidden.includes(instruments[index].id);
	const gone = instruments.filter(({ id }, index) => used.has(index) && hidden.includes(id)).length;
	const moved = (place: number, by: number) => {
		const ids = all.map((index) => instruments[index].id);
		const [id] = ids.splice(place, 1);
		ids.splice(place + by, 0, id);
		setView({ order: ids });
	};
	const show = (index: number, shown: boolean) => {
		const { id } = instruments[index];
		const without = (ids: string[]) => ids.filter((one) => one !== id);
		setView({
			hidden: shown ? without(hidden) : [...without(hidden), id],
			extra: shown && !used.has(index) ? [...without(extra), id] : without(extra),
		});
	};
	/** The first that is found gets a row, and is gone to. */
	const showFirst = () => {
		const first = found.find((index) => !isShown(index)) ?? found[0];
		if (first === undefined) return;
		show(first, true);
		setText("");
		const row = `[data-instrument='${CSS.escape(instruments[first].id)}']`;
		requestAnimationFrame(() => document.querySelector(row)?.scrollIntoView({ block: "nearest" }));
	};
	return (
		<Popover position="bottom-start" width={280} trapFocus returnFocus>
			<Popover.Target>
				<button type="button" className={classes.rowsMenu} data-rows-menu>
					Instruments
					{gone > 0 && `, ${gone} hidden`}
					<IconChevronDown size={12} />
				</button>
			</Popover.Target>
			<Popover.Dropdown p={8} className={classes.rowsList}>
				<TextInput
					size="xs"
					mb={6}
					aria-label="Find a drum"
					placeholder="Find a drum; Enter gives it a row"
					value={text}
					onChange={(event) => setText(event.currentTarget.value)}
					onKeyDown={(event) => {
						if (event.key === "Enter") showFirst();
					}}
				/>
				<ol aria-label="Rows">
					{found.map((index) => {
						const { id, name } = instruments[index];
						const place = all.indexOf(index);
						return (
							<Group key={id} component="li" gap={2} wrap="nowrap">
								<Checkbox
									size="xs"
									flex={1}
									label={used.has(index) ? name : `${name}, no hits`}
									checked={isShown(index)}
									onChange={(event) => show(index, event.currentTarget.checked)}
								/>
								{[-1, 1].map((by) => (
									<ActionIcon
										key={by}
										size={22}
										variant="subtle"
										color="gray"
										aria-label={`Move ${name} ${by < 0 ? "up" : "down"}`}
										disabled={place + by < 0 || place + by >= all.length}
										onClick={() => moved(place, by)}
									>
										{by < 0 ? <IconArrowUp size={14} /> : <IconArrowDown size={14} />}
									</ActionIcon>
								))}
							</Group>
						);
					})}
				</ol>
				<Checkbox
					size="xs"
					mt={8}
					label="All drums of the kit have a row"
					checked={wholeKit}
					onChange={(event) => setView({ wholeKit: event.currentTarget.checked })}
				/>
				<AddLane />
				<Checkbox
					size="xs"
					mt={8}
					label="Pads to play below the rows (D)"
					checked={pads}
					onChange={(event) => setView({ pads: event.currentTarget.checked })}
				/>
				<Checkbox
					size="xs"
					mt={8}
					label="Hits sound when they are clicked or let go"
					checked={hearEdits}
					onChange={(event) => setView({ hearEdits: event.currentTarget.checked })}
				/>
				<Group gap={6} mt={8}>
					<Button
						size="compact-xs"
						variant="default"
						disabled={gone === 0}
						onClick={() => setView({ hidden: [] })}
					>
						Show all
					</Button>
					<Button
						size="compact-xs"
						variant="default"
						disabled={order.length === 0}
						onClick={() => setView({ order: [] })}
					>
						Usual order
					</Button>
					<Tooltip label="Rows share the height again">
						<Button
							size="compact-xs"
							variant="default"
							disabled={!dragged}
							onClick={() => setView({ heights: {} })}
						>
							Usual heights
						</Button>
					</Tooltip>
				</Group>
			</Popover.Dropdown>
		</Popover>
	);
}
