import { type KeyboardEvent, type PointerEvent, useState } from "react";
import type { Instrument } from "../../api/generated/types";
import { more } from "../../lib/arrows";
import { follow } from "../../lib/dragging";
import classes from "./Kits.module.css";
import { layerOf } from "./kits";

interface Props {
	instrument: Instrument;
	editable: boolean;
	/** A velocity was chosen: it is heard. */
	onHear: (velocity: number) => void;
	/** While it is dragged, and when it was. */
	onDraft: (layers: Instrument["layers"]) => void;
	onChange: (layers: Instrument["layers"]) => void;
}

/** The velocity layers from soft to hard: their bounds are dragged, every place is heard. */
export function LayerBar({ instrument, editable, onHear, onDraft, onChange }: Props) {
	const [velocity, setVelocity] = useState(96);
	const { layers } = instrument;
	const share = (value: number) => `${((value - 1) / 127) * 100}%`;
	const hear = (next: number) => {
		const held = Math.max(1, Math.min(127, Math.round(next)));
		setVelocity(held);
		onHear(held);
	};
	const moved = (place: number, to: number) =>
		layers.map((layer, index) =>
			index === place
				? {
						...layer,
						from: Math.max(
							layers[place - 1].from + 1,
							Math.min((layers[place + 1]?.from ?? 128) - 1, Math.round(to)),
						),
					}
				: layer,
		);
	const at = (event: { clientX: number }, box: DOMRect) => 1 + ((event.clientX - box.left) / box.width) * 127;
	const walk = (event: PointerEvent<HTMLElement>) => {
		if (event.button !== 0) return;
		const box = event.currentTarget.getBoundingClientRect();
		let last = Math.round(at(event, box));
		hear(last);
		const move = (now: globalThis.PointerEvent) => {
			const next = Math.round(at(now, box));
			if (next === last) return;
			last = next;
			hear(next);
		};
		follow(event, { move, end: () => undefined, cancel: () => undefined });
	};
	const walkKeys = (event: KeyboardEvent) => {
		const layer = layerOf(instrument, velocity);
		const next = {
			ArrowRight: velocity + 1,
			ArrowUp: velocity + 1,
			ArrowLeft: velocity - 1,
			ArrowDown: velocity - 1,
			PageUp: layers[layer + 1]?.from ?? 127,
			PageDown: velocity > layers[layer].from ? layers[layer].from : (layers[layer - 1]?.from ?? 1),
			Home: 1,
			End: 127,
			Enter: velocity,
		}[event.key];
		if (next === undefined) return;
		event.preventDefault();
		event.stopPropagation();
		hear(next);
	};
	const drag = (place: number) => (event: PointerEvent<HTMLElement>) => {
		event.stopPropagation();
		const box = event.currentTarget.parentElement?.getBoundingClientRect();
		if (!editable || !box) return;
		let next = layers;
		follow(event, {
			move: (now) => {
				next = moved(place, at(now, box));
				onDraft(next);
			},
			end: () => next !== layers && onChange(next),
			cancel: () => onDraft(layers),
		});
	};
	const boundKeys = (place: number) => (event: KeyboardEvent) => {
		const by = more(event, 10);
		if (!by || !editable) return;
		event.preventDefault();
		event.stopPropagation();
		onChange(moved(place, layers[place].from + by));
	};
	const now = layers[layerOf(instrument, velocity)];
	return (
		<div className={classes.layers}>
			<div className={classes.bar}>
				<div
					className={classes.walk}
					role="slider"
					tabIndex={0}
					aria-label="Hear a velocity"
					aria-valuemin={1}
					aria-valuemax={127}
					aria-valuenow={velocity}
					aria-valuetext={`${velocity}, ${now?.name}`}
					data-velocity-walk
					onPointerDown={walk}
					onKeyDown={walkKeys}
				>
					{layers.map((layer, place) => (
						<span
							key={layer.name}
							style={{
								left: share(layer.from),
								right: `calc(100% - ${share(layers[place + 1]?.from ?? 128)})`,
							}}
							data-now={layer === now}
						/>
					))}
					<u style={{ left: share(velocity) }} />
				</div>
				{layers.map((layer, place) =>
					place === 0 ? null : (
						<div
							key={layer.name}
							className={classes.bound}
							style={{ left: share(layer.from) }}
							role="slider"
							tabIndex={editable ? 0 : -1}
							aria-label={`Layer ${layer.name} begins at`}
							aria-valuemin={2}
							aria-valuemax={127}
							aria-valuenow={layer.from}
							aria-disabled={!editable}
							data-bound={layer.name}
							onPointerDown={drag(place)}
							onKeyDown={boundKeys(place)}
						/>
					),
				)}
			</div>
			<p>
				Velocity <b>{velocity}</b>, {now?.name.startsWith("layer ") ? now.name : `layer ${now?.name}`} (
				{layers.map(({ from }) => from).join(" · ")})
			</p>
		</div>
	);
}
