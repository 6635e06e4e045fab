/** Changing single hits in the rows: drag, lasso, double click. */
import { type MouseEvent, type PointerEvent, useCallback, useState } from "react";
import { axis } from "../../draw/axis";
import { hitAt, tailAt } from "../../draw/pointing";
import { rowScale } from "../../draw/strokes";
import { lengthOf } from "../../draw/tails";
import { follow } from "../../lib/dragging";
import { hideTip, showTip } from "../../lib/tip";
import { noteName, plain, plural, signed } from "../../lib/words";
import { hitsOf, idOf } from "../../part/hits";
import { hitPlacer, linesOf, shownWindow } from "../../part/shown";
import { barAt } from "../../part/song";
import { useWorkspaceStore, type WorkspaceState } from "../../part/store";
import { heightsOf, perStep, reachOf } from "../../part/touch";
import { useLines } from "../drawing/useLines";
import { usePencil } from "../drawing/usePencil";
import { useTransport } from "../transport/context";

/** Heights stand for velocities, so that a sweep gives them. */
const isBrushed = (state: WorkspaceState, index: number) =>
	state.property === "velocity" && rowScale(state, index, 100).pitch === null;

/** The line of the part's grid that is nearest to a place. */
function nearestLine({ song, part }: WorkspaceState, tick: number) {
	const { ticks } = song.bars;
	const bar = barAt(song, tick);
	const start = ticks[bar - 1];
	return Math.min(ticks[bar], start + Math.round((tick - start) / part.cell) * part.cell);
}

export interface Lasso {
	left: number;
	top: number;
	width: number;
	height: number;
}

/**
 * On a hit a drag moves it, and what is selected with it: up and down its velocity or sideways its
 * time, whichever came first; with Alt both, with Ctrl all in proportion, with Shift sideways onto the lines of the grid. Elsewhere a drag is a lasso, over as many rows as
 * it reaches, and with Alt a brush. The end of a tail is dragged sideways. In a row whose strokes are apart, a hit is dragged
 * from lane to lane. A double click takes a hit out or puts one in.
 */
export function useHitGestures(index: number, name: string) {
	const store = useWorkspaceStore();
	const { hear } = useTransport();
	const [lasso, setLasso] = useState<Lasso | null>(null);
	const lines = useLines();
	const pencil = usePencil(index, name, lines);

	const onPointerDown = useCallback(
		(event: PointerEvent<HTMLElement>) => {
			if (event.button !== 0 || pencil(event)) return;
			const area = event.currentTarget.getBoundingClientRect();
			const [x, y] = [event.clientX - area.left, event.clientY - area.top];
			const state = store.getState();
			const hit = hitAt(state, index, x, y, area.width, area.height);
			const tail = hit >= 0 ? -1 : tailAt(state, index, x, y, area.width, area.height);
			if (hit >= 0 && state.aiming === null) dragHits(event, hit, area);
			else if (tail >= 0 && state.aiming === null) dragEnd(event, tail, area);
			else if (event.altKey && state.aiming === null && isBrushed(state, index)) brush(event, area, x, y);
			else sweep(event, area, x, y);
		},
		[store, index, pencil],
	);

	function dragHits(event: PointerEvent<HTMLElement>, hit: number, area: DOMRect) {
		const state = store.getState();
		const id = idOf(state, hit);
		if (event.shiftKey) {
			const selected = new Set(state.selected);
			if (!selected.delete(id)) selected.add(id);
			state.select(selected);
			return;
		}
		if (!state.selected.has(id)) state.select([id]);
		const hits = [...store.getState().selected];
		const scale = rowScale(state, index, area.height);
		const { perPixel } = scale;
		const strokes = state.part.kit.instruments[index].articulations;
		const lane = scale.stroke(event.clientY - area.top);
		const note = (state.performance ?? state.part.written).notes[hit];
		const [start, end] = shownWindow(state);
		// Hits that stand n times as far from their lines move n times as finely.
		const ticks = (end - start) / area.width / state.times;
		const { property } = state;
		const step = perStep(reachOf(state, index));
		let way: "up" | "sideways" | null = null;
		const label = `move ${plural(hits.length, "hit")} of ${name}`;
		const was = state.performance?.velocities[hit] ?? state.part.written.velocities[hit];
		const lateness = (now: WorkspaceState) =>
			now.performance ? 1000 * (now.performance.seconds[hit] - linesOf(now).seconds[hit]) : 0;
		/** What the hit that is held comes to. */
		const inWords = (velocity: number) => {
			const ms = lateness(store.getState());
			const time =
				way === "sideways" || Math.abs(ms) >= 0.05
					? `${plain(Math.round(Math.abs(ms) * 10) / 10)} ms ${ms < 0 ? "early" : "late"}`
					: "";
			const hard = velocity === 0 ? `${was}` : `${was} → ${Math.max(1, Math.min(127, was + velocity))}`;
			return [hard, time].filter(Boolean).join(" · ");
		};
		/** As it is let go, or was clicked. */
		const sound = (velocity: number) => {
			const { hearEdits, performance, part, property } = store.getState();
			if (!hearEdits || property !== "velocity") return;
			hear((performance?.notes ?? part.written.notes)[hit], Math.max(1, Math.min(127, was + velocity)));
		};
		/** As loud as the one that is held, in proportion. */
		const before = new Map(
			state.performance?.ids.map((id, index) => [id, state.performance?.velocities[index] ?? 0]),
		);
		const inProportion = (velocity: number) => {
			const factor = Math.max(1, was + velocity) / was;
			return hits.map((id) => Math.max(1, Math.min(127, Math.round((before.get(id) ?? was) * factor))));
		};
		let louder = 0;
		let proportional = false;
		/** The stroke whose lane the pointer is over, where that is another one. */
		const otherLane = (now: globalThis.PointerEvent) => {
			const over = scale.stroke(now.clientY - area.top);
			return over === null || over === lane ? null : strokes[over].name;
		};
		const move = (now: globalThis.PointerEvent) => {
			const [dx, dy] = [now.clientX - event.clientX, now.clientY - event.clientY];
			if (!way && Math.abs(dx) + Math.abs(dy) < 3) return;
			// Once it goes in proportion it goes on so.
			if (!way) proportional = now.ctrlKey || now.metaKey;
			way ??= Math.abs(dy) >= Math.abs(dx) ? "up" : "sideways";
			const raw = way === "up" || now.altKey ? -dy * perPixel : 0;
			if (property !== "velocity" && way === "up") {
				const by = Math.round(raw * step * 10) / 10;
				store.getState().act({ kind: "move-in", hits, property, by }, label);
				showTip(now, signed(by, 1, true));
				return;
			}
			const stroke = way === "up" ? otherLane(now) : null;
			if (stroke !== null) {
				louder = 0;
				store.getState().act({ kind: "strike-by", hits, stroke }, label);
				showTip(now, stroke);
				return;
			}
			if (way === "up" && scale.pitch) {
				const keys = Math.round(-dy * scale.pitch.perPixel);
				louder = 0;
				store.getState().act({ kind: "transpose", hits, keys }, label);
				showTip(now, `${noteName(note + keys)} (${signed(keys, 0, true)})`);
				return;
			}
			const velocity = property === "velocity" ? Math.round(raw) : 0;
			const at = state.performance?.ticks[hit] ?? 0;
			const there = at + dx * ticks;
			const by = now.shiftKey && way === "sideways" ? nearestLine(state, there) - at : dx * ticks;
			const sideways = way === "sideways" || now.altKey ? { ticks: by, at } : {};
			const moved = { hits, velocity, time: 0, ticks: 0, at: 0, ...sideways };
			if (way === "up" && proportional)
				store.getState().act({ kind: "paint-hits", hits, velocities: inProportion(velocity) }, label);
			else store.getState().act({ kind: "move-hits", ...moved }, label);
			louder = velocity;
			showTip(now, inWords(velocity));
		};
		follow(event, {
			move,
			end: () => {
				hideTip();
				if (way) store.getState().commit(label);
				sound(louder);
			},
			cancel: () => {
				hideTip();
				store.getState().cancel();
			},
		});
	}

	/** The end of a hit's tail, and with it those of what else is selected. */
	function dragEnd(event: PointerEvent<HTMLElement>, hit: number, area: DOMRect) {
		const state = store.getState();
		const id = idOf(state, hit);
		const hits = state.selected.has(id) ? [...state.selected] : [id];
		const [start, end] = shownWindow(state);
		const perPixel = (end - start) / area.width;
		const label = `length of ${plural(hits.length, "hit")} of ${name}`;
		let moved = false;
		follow(event, {
			move: (now) => {
				moved = true;
				const ticks = Math.round((now.clientX - event.clientX) * perPixel);
				store.getState().act({ kind: "lengthen", hits, ticks }, label);
				showTip(now, `${Math.round(lengthOf(store.getState(), hit)[0])} ms long`);
			},
			end: () => {
				hideTip();
				if (moved) store.getState().commit(label);
			},
			cancel: () => {
				hideTip();
				store.getState().cancel();
			},
		});
	}

	/** A sweep over hits that are there: each gets the height of the sweep; with Shift of a straight line. */
	function brush(event: PointerEvent<HTMLElement>, area: DOMRect, x: number, y: number) {
		const state = store.getState();
		const { x: across } = axis(shownWindow(state), area.width);
		const { velocity: heardAt } = rowScale(state, index, area.height);
		const place = hitPlacer(state);
		const ticks = state.performance?.ticks ?? state.part.written.ticks;
		const hits = hitsOf(state, index).filter((hit) => !state.performance?.silenced.has(idOf(state, hit)));
		const places = hits.map((hit) => across(place(ticks[hit], hit)));
		const velocities = new Map<number, number>();
		const label = `brush ${name}`;
		let before: [number, number] = [x, y];
		const paint = (from: [number, number], to: [number, number]) => {
			const [left, right] = [Math.min(from[0], to[0]), Math.max(from[0], to[0])];
			for (const [nth, at] of places.entries()) {
				if (at < left || at > right) continue;
				const share = to[0] === from[0] ? 1 : (at - from[0]) / (to[0] - from[0]);
				const height = heardAt(from[1] + share * (to[1] - from[1]));
				velocities.set(hits[nth], Math.max(1, Math.min(127, Math.round(height))));
			}
		};
		const move = (now: globalThis.PointerEvent) => {
			const to: [number, number] = [now.clientX - area.left, now.clientY - area.top];
			if (now.shiftKey) {
				velocities.clear();
				paint([x, y], to);
			} else paint(before, to);
			before = to;
			showTip(now, `${Math.max(1, Math.min(127, Math.round(heardAt(to[1]))))}`);
			if (velocities.size === 0) return;
			const ids = [...velocities.keys()].map((hit) => idOf(state, hit));
			store.getState().act({ kind: "paint-hits", hits: ids, velocities: [...velocities.values()] }, label);
		};
		follow(event, {
			move,
			end: () => {
				hideTip();
				if (velocities.size > 0) store.getState().commit(label);
			},
			cancel: () => {
				hideTip();
				store.getState().cancel();
			},
		});
	}

	function sweep(event: PointerEvent<HTMLElement>, area: DOMRect, x: number, y: number) {
		const state = store.getState();
		const before = event.shiftKey ? [...state.selected] : [];
		let box: Lasso | null = null;
		const move = (now: globalThis.PointerEvent) => {
			const [toX, toY] = [now.clientX - area.left, now.clientY - area.top];
			if (!box && Math.abs(toX - x) + Math.abs(toY - y) < 4) return;
			box = {
				left: Math.min(x, toX),
				top: Math.min(y, toY),
				width: Math.abs(toX - x),
				height: Math.abs(toY - y),
			};
			setLasso(box);
		};
		const end = () => {
			setLasso(null);
			const caught = box ? inside(box, area) : [];
			if (state.aiming !== null) {
				if (caught.length > 0) pick(caught, event.shiftKey);
				return;
			}
			if (box || before.length === 0) store.getState().select([...before, ...caught]);
		};
		follow(event, { move, end, cancel: () => setLasso(null) });
	}

	/** Aims the pass that is being aimed at these hits; with Shift at those before, too. */
	function pick(ids: number[], more: boolean) {
		store
			.getState()
			.setAim((aim) => ({ ...aim, picked: [...new Set([...(more ? (aim.picked ?? []) : []), ...ids])] }));
	}

	/** The ids of the hits in a box, in whichever rows it reaches. */
	function inside(box: Lasso, area: DOMRect) {
		const { instruments } = store.getState().part.kit;
		return [...document.querySelectorAll<HTMLElement>("[data-instrument]")].flatMap((row) => {
			const own = row.querySelector("[data-hits]")?.getBoundingClientRect();
			const index = instruments.findIndex(({ id }) => id === row.dataset.instrument);
			if (!own || index < 0) return [];
			const [left, top] = [box.left + area.left - own.left, box.top + area.top - own.top];
			return top > own.height || top + box.height < 0 ? [] : insideRow(index, { ...box, left, top }, own);
		});
	}

	/** The ids of the hits of a row in a box. */
	function insideRow(index: number, box: Lasso, area: DOMRect) {
		const state = store.getState();
		const { performance, part } = state;
		const { x } = axis(shownWindow(state), area.width);
		const place = hitPlacer(state);
		const [written, played] = heightsOf(state, index);
		const { y } = rowScale(state, index, area.height);
		const { strokes, notes } = performance ?? part.written;
		const within = hitsOf(state, index).filter((hit) => {
			const tick = performance?.ticks[hit] ?? part.written.ticks[hit];
			const velocity = played?.[hit] ?? written[hit];
			const shown = place(tick, hit);
			const [left, top] = [x(shown) - box.left, y(velocity, strokes[hit], notes[hit]) - box.top];
			return left >= 0 && left <= box.width && top >= 0 && top <= box.height;
		});
		return within.map((hit) => idOf(state, hit));
	}

	const onDoubleClick = useCallback(
		(event: MouseEvent<HTMLElement>) => {
			// Two clicks with the pencil are two strokes.
			if (store.getState().pencil) return;
			const area = event.currentTarget.getBoundingClientRect();
			const [x, y] = [event.clientX - area.left, event.clientY - area.top];
			const state = store.getState();
			const hit = hitAt(state, index, x, y, area.width, area.height);
			const { act, commit, performance, part } = state;
			if (hit < 0) {
				const tick = axis(shownWindow(state), area.width).tick(x);
				const scale = rowScale(state, index, area.height);
				const high = Math.round(Math.max(1, Math.min(127, scale.velocity(y))));
				const lane = scale.stroke(y);
				const away = (note: number) => Math.abs(scale.y(0, null, note) - y);
				const usual = Math.round(performance?.reading.instruments[index].figures.typical || 90);
				const velocity = state.property === "velocity" && !scale.pitch ? high : usual;
				const { id: instrument, articulations } = part.kit.instruments[index];
				// By pitch it is the nearest note that the part has.
				const way = scale.pitch
					? [...articulations].sort((a, b) => away(a.note) - away(b.note))[0]
					: articulations[lane ?? -1];
				const stroke = way ? { stroke: way.name } : {};
				act({ kind: "add-hit", instrument, tick, velocity, snapped: !event.altKey, ...stroke });
				commit(`add a hit of ${name}`);
			} else if (performance?.silenced.has(idOf(state, hit))) {
				act({ kind: "bring-back", hits: [idOf(state, hit)] });
				commit(`bring back a hit of ${name}`);
			} else {
				act({ kind: "take-out", hits: [idOf(state, hit)] });
				commit(`take out a hit of ${name}`);
			}
			store.getState().select([]);
		},
		[store, index, name],
	);
	return { lasso, onPointerDown, onDoubleClick };
}
