import { Menu } from "@mantine/core";
import { memo } from "react";
import { client } from "../../api/client";
import type { Following } from "../../api/generated/types";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import classes from "./Pockets.module.css";

/** The pocket that an instrument is in; pressed, it lets it join, leave or make one. */
export const PocketChip = memo(function PocketChip({ index }: { index: number }) {
	const store = useWorkspaceStore();
	const instrument = useWorkspace((state) => state.part.kit.instruments[index]);
	const pockets = useWorkspace((state) => state.pockets);
	const open = useWorkspace((state) => state.part.state.id);
	const song = useWorkspace((state) => state.song.id);
	const pass = useWorkspace((state) =>
		state.recipe.passes.findLast(
			({ action, aim }) =>
				action.kind === "pocket" &&
				(!aim.instruments?.length || aim.instruments.includes(instrument.id)) &&
				state.pockets.some(({ id }) => id === action.pocket),
		),
	);
	const pocket = pockets.find(({ id }) => pass?.action.kind === "pocket" && pass.action.pocket === id);
	const { changePockets, setView } = store.getState();
	const change = (id: number, change: Following, of?: number) =>
		void changePockets(() => client.changeFollower(id, { part: open, pass: of, change }));
	const join = (id: number) => change(id, { kind: "follow", instruments: [instrument.id] });
	const make = () => {
		const name = `Pocket ${pockets.length + 1}`;
		const followers = [{ part: open, instruments: [instrument.id] }];
		void changePockets(() => client.addPocket(song, { name, followers })).then(
			(done) => done && setView({ side: "pockets" }),
		);
	};
	return (
		<Menu position="left">
			<Menu.Target>
				<button
					type="button"
					className={classes.chip}
					data-empty={!pocket}
					data-on={pass?.on}
					data-chip={pocket?.name ?? ""}
					title={pocket ? `${instrument.name} is in the pocket “${pocket.name}”` : undefined}
					aria-label={`Pocket of ${instrument.name}: ${pocket?.name ?? "none"}`}
				>
					{pocket?.name ?? "pocket …"}
				</button>
			</Menu.Target>
			<Menu.Dropdown>
				{pocket && pass && (
					<>
						<Menu.Item onClick={() => setView({ side: "pockets" })}>Show “{pocket.name}”</Menu.Item>
						<Menu.Item onClick={() => change(pocket.id, { kind: "detach" }, pass.id)}>
							Detach into passes of its own
						</Menu.Item>
						<Menu.Item onClick={() => change(pocket.id, { kind: "leave" }, pass.id)}>
							Leave the pocket
						</Menu.Item>
						<Menu.Divider />
					</>
				)}
				{pockets
					.filter(({ id }) => id !== pocket?.id)
					.map(({ id, name }) => (
						<Menu.Item key={id} onClick={() => join(id)}>
							Follow “{name}”
						</Menu.Item>
					))}
				<Menu.Item onClick={make}>A new pocket for {instrument.name.toLowerCase()}</Menu.Item>
			</Menu.Dropdown>
		</Menu>
	);
});
