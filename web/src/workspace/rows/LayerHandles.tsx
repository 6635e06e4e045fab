import { Button } from "@mantine/core";
import { type KeyboardEvent, type PointerEvent, useState } from "react";
import { client } from "../../api/client";
import type { LayerBounds } from "../../api/generated/types";
import { velocityAt, velocityY } from "../../draw/velocity";
import { upwards } from "../../lib/arrows";
import { follow } from "../../lib/dragging";
import { useLater } from "../../lib/later";
import { showError, showNote } from "../../lib/notify";
import { keeping } from "../../part/keeping";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { keepLayers } from "../kits/kits";
import classes from "./Rows.module.css";

/** In an opened row: where the velocity layers of its kit begin, to be dragged. */
export function LayerHandles({ index, height }: { index: number; height: number }) {
	const store = useWorkspaceStore();
	const instrument = useWorkspace((state) => state.part.kit.instruments[index]);
	const own = useWorkspace((state) => state.part.state.layers !== null);
	const [dragged, setDragged] = useState<number[] | null>(null);
	const bounds = dragged ?? instrument.layers.map(({ from }) => from);
	const keep = (next: number[]) => {
		const { part, change } = store.getState();
		const all = Object.fromEntries(
			part.kit.instruments.map(({ id, layers }) => [id, layers.map(({ from }) => from)]),
		);
		const layers: LayerBounds = { ...all, [instrument.id]: next };
		const label = `layers of ${instrument.name.toLowerCase()}`;
		void change((revision) => client.changePart(part.state.id, { revision, label, layers })).finally(() =>
			setDragged(null),
		);
	};
	const moved = (place: number, velocity: number) => {
		const next = [...bounds];
		next[place] = Math.max(next[place - 1] + 1, Math.min((next[place + 1] ?? 128) - 1, Math.round(velocity)));
		return next;
	};
	const drag = (place: number) => (event: PointerEvent<HTMLElement>) => {
		event.stopPropagation();
		const box = event.currentTarget.parentElement?.getBoundingClientRect();
		if (!box) return;
		let next = bounds;
		const move = (now: globalThis.PointerEvent) => {
			next = moved(place, velocityAt(now.clientY - box.top, height));
			setDragged(next);
		};
		follow(event, {
			move,
			end: () => next !== bounds && keep(next),
			cancel: () => setDragged(null),
		});
	};
	const { later } = useLater(600, keep);
	const keys = (place: number) => (event: KeyboardEvent) => {
		const by = upwards(event, 10);
		if (!by) return;
		event.preventDefault();
		event.stopPropagation();
		const next = moved(place, bounds[place] + by);
		setDragged(next);
		later(next);
	};
	const share = async () => {
		try {
			const { kit, layers } = store.getState().part.state;
			await (kit
				? keepLayers(kit.id, layers ?? {})
				: keeping.change("layers", 0, () => client.setLayers(layers ?? {})));
			await store.getState().change((revision) =>
				client.changePart(store.getState().part.state.id, {
					revision,
					label: "share the layers",
					shared_layers: true,
				}),
			);
			showNote("Kept with the kit", "These layers hold for every part that has none of its own.");
		} catch (error) {
			showError(error);
		}
	};
	return (
		<>
			{bounds.map((from, place) =>
				place === 0 ? null : (
					<div
						key={instrument.layers[place]?.name ?? place}
						className={classes.layer}
						style={{ top: velocityY(from - 0.5, height) }}
						role="slider"
						tabIndex={0}
						aria-label={`Layer ${instrument.layers[place]?.name} begins at`}
						aria-orientation="vertical"
						aria-valuemin={2}
						aria-valuemax={127}
						aria-valuenow={from}
						data-layer={instrument.layers[place]?.name}
						onPointerDown={drag(place)}
						onKeyDown={keys(place)}
					>
						<span>{from}</span>
					</div>
				),
			)}
			{own && (
				<Button
					className={classes.share}
					size="compact-xs"
					variant="default"
					onPointerDown={(event) => event.stopPropagation()}
					onDoubleClick={(event) => event.stopPropagation()}
					onClick={() => void share()}
				>
					Keep these layers with the kit, for every song
				</Button>
			)}
		</>
	);
}
