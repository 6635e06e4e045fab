import { Button, Popover, TextInput } from "@mantine/core";
import { IconPlus, IconSearch } from "@tabler/icons-react";
import { useState } from "react";
import type { ActionInfo, ActionOffer } from "../../api/generated/types";
import { useWorkspaceStore } from "../store";
import classes from "./Passes.module.css";

/** How well an action answers to what was typed: its name before the trade's other words. */
function rank({ title, words, explains }: ActionInfo, text: string) {
	const wanted = text.trim().toLowerCase();
	if (title.toLowerCase().startsWith(wanted)) return 0;
	if (` ${title.toLowerCase()}`.includes(` ${wanted}`)) return 0.5;
	// The words of an action stand in the order in which they mean it.
	const begins = words.findIndex((word) => word.startsWith(wanted));
	if (begins >= 0) return 1 + begins / 100;
	if (words.some((word) => word.includes(wanted))) return 2;
	return explains.toLowerCase().includes(wanted) ? 3 : Number.POSITIVE_INFINITY;
}

/** Who types fast has begun before the list is unfolded. */
const focusAtOnce = (input: HTMLInputElement | null) => input?.focus({ preventScroll: true });

export function AddPass() {
	const store = useWorkspaceStore();
	const { offers } = store.getState();
	const [opened, setOpened] = useState(false);
	const [text, setText] = useState("");
	const [chosen, setChosen] = useState(0);
	const found = offers
		.filter(({ start }) => start.kind !== "by-hand")
		.map((offer) => ({ offer, rank: rank(offer.info, text) }))
		.filter((one) => Number.isFinite(one.rank))
		.sort((a, b) => a.rank - b.rank)
		.map((one) => one.offer);
	const add = ({ info, start }: ActionOffer) => {
		const { act, commit, open } = store.getState();
		const aim = open ? { instruments: [open] } : {};
		act({ kind: "add-passes", passes: [{ id: 1, on: true, aim, action: start }], instead: false });
		commit(`add ${info.title.toLowerCase()}`);
		setOpened(false);
	};
	const show = () => {
		setText("");
		setChosen(0);
		setOpened(!opened);
	};
	return (
		<Popover opened={opened} onChange={setOpened} position="top-start" width={290} trapFocus returnFocus>
			<Popover.Target>
				<Button
					variant="default"
					flex={1}
					size="sm"
					leftSection={<IconPlus size={15} />}
					data-add-pass
					onClick={show}
				>
					Add a pass
				</Button>
			</Popover.Target>
			<Popover.Dropdown p={6}>
				<TextInput
					ref={focusAtOnce}
					size="sm"
					mb={4}
					placeholder="humanize, compress, late …"
					aria-label="Search for an action"
					leftSection={<IconSearch size={14} />}
					value={text}
					onChange={(event) => {
						setText(event.currentTarget.value);
						setChosen(0);
					}}
					onKeyDown={(event) => {
						const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
						if (step) {
							event.preventDefault();
							setChosen(Math.max(0, Math.min(found.length - 1, chosen + step)));
						}
						if (event.key === "Enter" && found[chosen]) add(found[chosen]);
					}}
				/>
				{found.map((offer, index) => (
					<button
						key={offer.info.kind}
						type="button"
						className={classes.offer}
						data-chosen={index === chosen}
						data-offer={offer.info.kind}
						onClick={() => add(offer)}
					>
						<strong>{offer.info.title}</strong>
						<span>{offer.info.explains}</span>
					</button>
				))}
				{found.length === 0 && <p className={classes.empty}>No action answers to “{text}”.</p>}
			</Popover.Dropdown>
		</Popover>
	);
}
