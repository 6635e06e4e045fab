import { Tooltip } from "@mantine/core";
import { type KeyboardEvent, type MouseEvent, type RefObject, useCallback, useRef } from "react";
import type { Instrument, Limb } from "../../api/generated/types";
import { downwards } from "../../lib/arrows";
import { probe } from "../../lib/probe";
import { plain, plural, signed } from "../../lib/words";
import { hitsOf, selectHitsOf } from "../../part/hits";
import { lineHeight, shownRows, tallest } from "../../part/rowHeights";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { useDrag } from "../../part/useDrag";
import { FoundMark } from "../findings/FindingMarks";
import { useTransport } from "../transport/context";
import { isSilent } from "../transport/usePlayer";
import { DrumNumbers } from "./DrumNumbers";
import { HitsCanvas } from "./HitsCanvas";
import classes from "./Rows.module.css";
import { StrokeList } from "./StrokeList";
import { TimePortrait } from "./TimePortrait";
import { TouchPortrait } from "./TouchPortrait";

const limbs: Record<Limb, string> = {
	"right-hand": "R hand",
	"left-hand": "L hand",
	"either-hand": "hands",
	"right-foot": "R foot",
	"left-foot": "L foot",
	none: "",
};

interface RowProps {
	index: number;
	height: number;
	/** It has hits in view, or is opened; else it is a line. */
	sounds: boolean;
}

/** One instrument's whole story: who, how hard, when, how early or late. */
export function InstrumentRow({ index, height, sounds }: RowProps) {
	probe.rendered("row");
	const instrument = useWorkspace((state) => state.part.kit.instruments[index]);
	const silent = useWorkspace((state) => isSilent(state, instrument.id));
	const opened = useWorkspace((state) => state.open === instrument.id);
	const selected = useWorkspace((state) => state.selectedRows.has(instrument.id));
	const row = useRef<HTMLElement>(null);
	return (
		<article
			ref={row}
			className={classes.row}
			style={{ height, containIntrinsicHeight: height }}
			aria-label={instrument.name}
			data-instrument={instrument.id}
			data-open={opened}
			data-silent={silent}
			data-line={!sounds}
			data-selected={selected}
		>
			<div className={classes.label}>
				<Name instrument={instrument} row={row} />
				{sounds && <Facts index={index} />}
				{sounds && height >= 96 && <DrumNumbers id={instrument.id} name={instrument.name} />}
				{sounds && <Toggles id={instrument.id} name={instrument.name} />}
				{opened && <StrokeList index={index} />}
			</div>
			{sounds ? (
				<TouchPortrait index={index} height={height} />
			) : (
				<div className={classes.lineFacts}>
					<Facts index={index} />
					<Toggles id={instrument.id} name={instrument.name} />
				</div>
			)}
			<HitsCanvas index={index} height={height} />
			{sounds ? <TimePortrait index={index} height={height} /> : <div />}
			{sounds && <Border instrument={instrument} height={height} />}
		</article>
	);
}

function Facts({ index }: { index: number }) {
	const { limb, offset = 0, scale = 100 } = useWorkspace((state) => state.part.kit.instruments[index]);
	const count = useWorkspace((state) => hitsOf(state, index).length);
	return (
		<div className={classes.facts}>
			{limbs[limb] && `${limbs[limb]} · `}
			{plural(count, "hit")}
			{(offset !== 0 || scale !== 100) && (
				<span title="The velocity that is sent: scaled, then offset, as the kit says">
					{` · sent ${scale === 100 ? "" : `${plain(scale)} %`}${offset === 0 ? "" : ` ${signed(offset, 0, true)}`}`}
				</span>
			)}
		</div>
	);
}

interface NameProps {
	instrument: Instrument;
	row: RefObject<HTMLElement | null>;
}

/** Its name: a click opens the row, a drag moves it to another place. */
function Name({ instrument, row }: NameProps) {
	const store = useWorkspaceStore();
	const { id, name } = instrument;
	const { hear } = useTransport();
	const opened = useWorkspace((state) => state.open === id);
	const moved = useRef(false);
	const selected = useWorkspace((state) => state.selectedRows.has(id));
	const choose = (event: MouseEvent) => {
		const { aiming, setView, setAim, selectRow } = store.getState();
		if (moved.current) return;
		if (event.shiftKey || event.ctrlKey || event.metaKey) {
			selectRow(id);
			return;
		}
		if (event.altKey) {
			selectHitsOf(store.getState(), id);
			return;
		}
		if (aiming === null && store.getState().hearEdits && instrument.articulations.length > 0) {
			const { performance, part } = store.getState();
			const index = part.kit.instruments.indexOf(instrument);
			const first = hitsOf(store.getState(), index)[0];
			const note = (performance?.notes ?? part.written.notes)[first] ?? instrument.articulations[0].note;
			hear(note, performance?.reading.instruments[index]?.figures.typical || 90);
		}
		if (aiming === null) setView({ open: opened ? null : id });
		else
			setAim((aim) => {
				const before = aim.instruments ?? [];
				const chosen = before.includes(id) ? before.filter((one) => one !== id) : [...before, id];
				return { ...aim, instruments: chosen.length > 0 ? chosen : undefined };
			});
	};
	const onPointerDown = useDrag(
		useCallback(() => {
			moved.current = false;
			const own = row.current;
			const others = [...(own?.parentElement?.children ?? [])].filter((one) =>
				one.matches("[data-instrument]"),
			);
			if (!own || others.length < 2) return null;
			const from = others.indexOf(own);
			const middles = others.map((one) => {
				const box = one.getBoundingClientRect();
				return box.top + box.height / 2;
			});
			let to = from;
			return {
				move: (_dx, dy) => {
					if (Math.abs(dy) < 6 && !moved.current) return;
					moved.current = true;
					own.style.transform = `translateY(${dy}px)`;
					own.dataset.dragged = "true";
					const y = middles[from] + dy;
					to = middles.filter((middle, place) => place !== from && middle < y).length;
				},
				end: () => {
					own.style.transform = "";
					delete own.dataset.dragged;
					if (to === from) return;
					const { part, order, setView } = store.getState();
					const { instruments } = part.kit;
					const shown = others.flatMap((one) => one.getAttribute("data-instrument") ?? []);
					const [one] = shown.splice(from, 1);
					shown.splice(to, 0, one);
					const all = shownRows(instruments, { order, hidden: [] }).map((index) => instruments[index].id);
					setView({ order: [...shown, ...all.filter((id) => !shown.includes(id))] });
				},
			};
		}, [store, row]),
	);
	return (
		<Tooltip
			multiline
			w={260}
			label={`${opened ? "Close" : "Open"} the row; drag to move it. With Shift or Ctrl: select the row, for one number on several. With Alt: select its hits.`}
		>
			<button
				type="button"
				className={classes.name}
				aria-expanded={opened}
				aria-pressed={selected || undefined}
				onPointerDown={onPointerDown}
				onClick={choose}
			>
				{name}
				<FoundMark instrument={id} />
			</button>
		</Tooltip>
	);
}

function Toggles({ id, name }: { id: string; name: string }) {
	const store = useWorkspaceStore();
	const muted = useWorkspace((state) => state.muted.includes(id));
	const soloed = useWorkspace((state) => state.soloed.includes(id));
	const toggled = (list: string[]) => (list.includes(id) ? list.filter((one) => one !== id) : [...list, id]);
	const { setView } = store.getState();
	return (
		<div className={classes.toggles}>
			<button
				type="button"
				className={classes.toggle}
				aria-pressed={muted}
				aria-label={`Mute ${name}`}
				onClick={() => setView({ muted: toggled(store.getState().muted) })}
			>
				mute
			</button>
			<button
				type="button"
				className={classes.toggle}
				aria-pressed={soloed}
				aria-label={`Solo ${name}`}
				onClick={() => setView({ soloed: toggled(store.getState().soloed) })}
			>
				solo
			</button>
		</div>
	);
}

/** The lower border of a row: dragged it makes the row higher or lower, a double click lets it share again. */
function Border({ instrument: { id, name }, height }: { instrument: Instrument; height: number }) {
	const store = useWorkspaceStore();
	const set = useCallback(
		(next: number) => {
			const { heights, setView } = store.getState();
			setView({
				heights: { ...heights, [id]: Math.max(lineHeight * 2, Math.min(tallest, Math.round(next))) },
			});
		},
		[store, id],
	);
	const onPointerDown = useDrag(
		useCallback(
			() => ({ move: (_dx: number, dy: number) => set(height + dy), end: () => undefined }),
			[set, height],
		),
	);
	const onDoubleClick = () => {
		const { [id]: _, ...heights } = store.getState().heights;
		store.getState().setView({ heights });
	};
	const onKeyDown = (event: KeyboardEvent) => {
		const by = downwards(event);
		if (by === undefined) return;
		event.preventDefault();
		event.stopPropagation();
		set(height + 8 * by);
	};
	return (
		// biome-ignore lint/a11y/useSemanticElements: a rule cannot be dragged.
		<div
			className={classes.border}
			role="separator"
			tabIndex={0}
			aria-orientation="horizontal"
			aria-label={`Height of ${name}`}
			aria-valuemin={lineHeight * 2}
			aria-valuemax={tallest}
			aria-valuenow={height}
			data-border
			onPointerDown={onPointerDown}
			onDoubleClick={onDoubleClick}
			onKeyDown={onKeyDown}
		/>
	);
}
