/** Changing single hits: what gestures on them put into the by-hand pass. */
import type { ByHand, HandHit, HandMove, Pass, Recipe } from "../api/generated/types";
import { nextId } from "./edit";
import { barAt, secondsAt, tickAt } from "./song";
import type { WorkspaceState } from "./store";

type HandAction = ByHand & { kind: "by-hand" };

/** The ids of added hits begin here, as in core. */
const firstAdded = 2 ** 30;

/** The last by-hand pass that is on. */
const handPass = (recipe: Recipe) =>
	recipe.passes.findLast((pass) => pass.on && pass.action.kind === "by-hand");

/** The recipe with its by-hand pass changed; where there is none, one is put at the end. */
function withHand(recipe: Recipe, change: (hand: HandAction) => HandAction): Recipe {
	const known = handPass(recipe);
	const empty: HandAction = { kind: "by-hand", moved: [], removed: [], added: [] };
	const action = change(known ? (known.action as HandAction) : empty);
	const pass: Pass = { id: known?.id ?? nextId(recipe), on: true, aim: known?.aim ?? {}, action };
	return {
		passes: known
			? recipe.passes.map((one) => (one.id === known.id ? { ...known, action } : one))
			: [...recipe.passes, pass],
	};
}

/** The id of a row's hit. */
export function idOf({ part, performance }: WorkspaceState, row: number) {
	const { ids } = part.written;
	return row < ids.length ? ids[row] : (performance?.added[row - ids.length]?.id ?? -1);
}

const idsOf = (state: WorkspaceState, rows: Iterable<number>) => [...rows].map((row) => idOf(state, row));

const plainMove = (hit: number): HandMove => ({ hit, velocity: 0, time: 0 });

const moves = (move: HandMove) =>
	move.velocity !== 0 || move.time !== 0 || move.length !== undefined || move.note !== undefined;

/** The recipe with some hits changed by hand. */
function withMoves(
	recipe: Recipe,
	ids: number[],
	change: (move: HandMove, index: number) => HandMove,
): Recipe {
	return withHand(recipe, (hand) => {
		const known = new Map(hand.moved.map((move) => [move.hit, move]));
		ids.forEach((id, index) => {
			known.set(id, change(known.get(id) ?? plainMove(id), index));
		});
		return { ...hand, moved: [...known.values()].filter(moves) };
	});
}

const held = (value: number, most: number) => Math.max(-most, Math.min(most, value));

/** Hits harder by some steps of velocity and later by some ms. */
export const moved = (state: WorkspaceState, rows: Iterable<number>, velocity: number, ms: number): Recipe =>
	withMoves(state.recipe, idsOf(state, rows), (move) => ({
		...move,
		velocity: held(move.velocity + velocity, 126),
		time: held(Math.round((move.time + ms) * 10) / 10, 10_000),
	}));

/** Hits at one velocity, whatever it was. */
export function setTo(state: WorkspaceState, rows: number[], velocity: number): Recipe {
	const now = rows.map((row) => state.performance?.velocities[row] ?? velocity);
	return withMoves(state.recipe, idsOf(state, rows), (move, index) => ({
		...move,
		velocity: held(move.velocity + velocity - now[index], 126),
	}));
}

/** Hits on another instrument, their velocity kept. */
export function onInstrument(state: WorkspaceState, rows: Iterable<number>, instrument: number): Recipe {
	const note = state.part.kit.instruments[instrument].articulations[0].note;
	return withMoves(state.recipe, idsOf(state, rows), (move) => ({ ...move, note }));
}

/** Hits taken out: those that were added vanish, written ones stay visible, but do not sound. */
export function removed(state: WorkspaceState, rows: Iterable<number>): Recipe {
	const ids = new Set(idsOf(state, rows));
	return withHand(state.recipe, (hand) => ({
		...hand,
		added: hand.added.filter(({ id }) => !ids.has(id)),
		moved: hand.moved.filter(({ hit }) => hit < firstAdded || !ids.has(hit)),
		removed: [...new Set([...hand.removed, ...[...ids].filter((id) => id < firstAdded)])],
	}));
}

/** A hit that was taken out by hand, back again. */
export const restored = (state: WorkspaceState, row: number): Recipe =>
	withHand(state.recipe, (hand) => ({
		...hand,
		removed: hand.removed.filter((id) => id !== idOf(state, row)),
	}));

function freeId(recipe: Recipe) {
	const ids = recipe.passes.flatMap(({ action }) =>
		action.kind === "by-hand" ? action.added.map(({ id }) => id) : [],
	);
	return Math.max(firstAdded - 1, ...ids) + 1;
}

/** A new hit of an instrument at a tick. */
export function added(state: WorkspaceState, instrument: number, tick: number, velocity: number): Recipe {
	const { part, song } = state;
	const { instruments, articulations } = {
		instruments: part.kit.instruments,
		articulations: part.kit.instruments[instrument].articulations,
	};
	const like = part.written.instruments.indexOf(instrument);
	const note =
		like >= 0 ? part.written.notes[like] : (articulations[0] ?? instruments[0].articulations[0]).note;
	const hit: HandHit = {
		id: freeId(state.recipe),
		tick: Math.max(0, Math.round(tick)),
		length: Math.round(song.ppq / 8),
		velocity: Math.round(Math.max(1, Math.min(127, velocity))),
		note,
		channel: part.channel,
	};
	return withHand(state.recipe, (hand) => ({ ...hand, added: [...hand.added, hit] }));
}

/** Copies of hits, some ticks later. */
export function duplicated(state: WorkspaceState, rows: number[], by: number): Recipe {
	const { performance, part } = state;
	if (!performance) return state.recipe;
	const first = freeId(state.recipe);
	const copies: HandHit[] = rows.map((row, index) => ({
		id: first + index,
		tick: Math.max(0, performance.ticks[row] + by),
		length: Math.max(
			1,
			Math.round(
				tickAt(state.song, performance.seconds[row] + performance.lengths[row]) - performance.ticks[row],
			),
		),
		velocity: performance.velocities[row],
		note: performance.notes[row],
		channel: part.channel,
	}));
	return withHand(state.recipe, (hand) => ({ ...hand, added: [...hand.added, ...copies] }));
}

/** Each hit cut in two, the second half as loud. */
export function cut(state: WorkspaceState, rows: number[]): Recipe {
	const { performance, part } = state;
	if (!performance) return state.recipe;
	const first = freeId(state.recipe);
	const ends = rows.map((row) => nextOf(state, row));
	const halves: HandHit[] = rows.map((row, index) => {
		const half = Math.max(1, Math.round((ends[index] - performance.ticks[row]) / 2));
		return {
			id: first + index,
			tick: performance.ticks[row] + half,
			length: Math.max(1, Math.min(half, Math.round(state.song.ppq / 8))),
			velocity: performance.velocities[row],
			note: performance.notes[row],
			channel: part.channel,
		};
	});
	return withHand(state.recipe, (hand) => ({ ...hand, added: [...hand.added, ...halves] }));
}

/** Where the next hit of its instrument begins, at most a beat on. */
function nextOf({ performance, song }: WorkspaceState, row: number) {
	if (!performance) return 0;
	const rows = performance.rows.find((one) => one.includes(row)) ?? [];
	const tick = performance.ticks[row];
	const next = rows.map((other) => performance.ticks[other]).find((other) => other > tick + 1);
	return Math.min(next ?? Number.POSITIVE_INFINITY, tick + song.ppq);
}

/** The grid line nearest to a tick. */
export function onGrid({ song, part }: WorkspaceState, tick: number) {
	const { cell } = part;
	const bar = song.bars.ticks[barAt(song, tick) - 1];
	return bar + Math.round((tick - bar) / cell) * cell;
}

/** How many ms a step of ticks is at a place. */
export const millisOf = ({ song }: WorkspaceState, tick: number, by: number) =>
	1000 * (secondsAt(song, tick + by) - secondsAt(song, tick));
