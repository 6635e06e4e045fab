/** The library of kits, and changes to one. */
import { useQuery } from "@tanstack/react-query";
import { client } from "../../api/client";
import type {
	Articulation,
	Instrument,
	Kit,
	KitCard,
	KitSounds,
	LayerBounds,
	NoteUse,
} from "../../api/generated/types";
import { keeping } from "../../part/keeping";

export const kitsKey = ["kits"];

export const useKits = () => useQuery({ queryKey: kitsKey, queryFn: client.kits });

/** A kit on the screen. */
export interface ShownKit {
	/** Of the library; nothing where it is what the part has by itself. */
	card: KitCard | null;
	kit: Kit;
	sounds: KitSounds;
	/** It can be changed as it is. */
	editable: boolean;
}

/** A stroke by its places in the kit. */
export interface StrokeAt {
	instrument: number;
	stroke: number;
}

export const strokeAt = (kit: Kit, at: StrokeAt | null): Articulation | null =>
	(at && kit.instruments[at.instrument]?.articulations[at.stroke]) ?? null;

/** A kit with one of its instruments changed. */
export const withInstrument = (kit: Kit, place: number, change: Partial<Instrument>): Kit => ({
	...kit,
	instruments: kit.instruments.map((one, index) => (index === place ? { ...one, ...change } : one)),
});

export const withStroke = (kit: Kit, at: StrokeAt, change: Partial<Articulation>): Kit =>
	withInstrument(kit, at.instrument, {
		articulations: kit.instruments[at.instrument].articulations.map((one, index) =>
			index === at.stroke ? { ...one, ...change } : one,
		),
	});

/** A note for a stroke; the stroke that had it gets the other's in exchange, so that no note is there twice. */
export function withNote(kit: Kit, at: StrokeAt, note: number, channel?: number): Kit {
	const now = strokeAt(kit, at);
	if (!now) return kit;
	const has = (one: Articulation) => one.note === note && one.channel === channel;
	const instruments = kit.instruments.map((instrument, place) => ({
		...instrument,
		articulations: instrument.articulations.map((one, stroke) => {
			if (place === at.instrument && stroke === at.stroke) return { ...one, note, channel };
			return has(one) ? { ...one, note: now.note, channel: now.channel } : one;
		}),
	}));
	return { ...kit, instruments };
}

/** The lowest note that no stroke of the kit has. */
export function freeNote(kit: Kit) {
	const used = new Set(kit.instruments.flatMap(({ articulations }) => articulations.map(({ note }) => note)));
	for (let note = 24; note < 152; note++) if (!used.has(note % 128)) return note % 128;
	return null;
}

const freeName = (taken: string[], name: string) => {
	let free = name;
	for (let number = 2; taken.includes(free); number++) free = `${name} ${number}`;
	return free;
};

/** Another way of striking an instrument. */
export function withNewStroke(kit: Kit, place: number, note: number): Kit {
	const { articulations } = kit.instruments[place];
	const name = freeName(
		articulations.map((one) => one.name),
		"struck",
	);
	return withInstrument(kit, place, { articulations: [...articulations, { name, note }] });
}

/** Another instrument. */
export function withNewInstrument(kit: Kit, note: number): Kit {
	const ids = kit.instruments.map(({ id }) => id);
	const names = kit.instruments.map((one) => one.name);
	const added: Instrument = {
		id: freeName(ids, `note-${note}`).replace(" ", "-"),
		name: freeName(names, `Note ${note}`),
		family: "other",
		limb: "either-hand",
		articulations: [{ name: "struck", note }],
		layers: [
			{ name: "soft", from: 1 },
			{ name: "medium", from: 42 },
			{ name: "firm", from: 77 },
			{ name: "hard", from: 108 },
		],
	};
	return { ...kit, instruments: [...kit.instruments, added] };
}

export function withoutStroke(kit: Kit, at: StrokeAt): Kit {
	const instruments = kit.instruments.map((one, place) =>
		place === at.instrument
			? { ...one, articulations: one.articulations.filter((_, stroke) => stroke !== at.stroke) }
			: one,
	);
	return { ...kit, instruments: instruments.filter(({ articulations }) => articulations.length > 0) };
}

export function movedInstrument(kit: Kit, place: number, by: number): Kit {
	const instruments = [...kit.instruments];
	const [one] = instruments.splice(place, 1);
	instruments.splice(place + by, 0, one);
	return { ...kit, instruments };
}

/** The stroke that a note on a channel is; those that hold for one channel go before the others. */
export function strokeOfNote(kit: Kit, note: number, channel: number): StrokeAt | null {
	let found: StrokeAt | null = null;
	for (const [instrument, { articulations }] of kit.instruments.entries())
		for (const [stroke, way] of articulations.entries()) {
			if (way.note !== note) continue;
			if (way.channel === channel) return { instrument, stroke };
			if (way.channel === undefined) found = { instrument, stroke };
		}
	return found;
}

/** The places of the instruments that a part plays. */
export const playedBy = (kit: Kit, notes: NoteUse[]) =>
	new Set(notes.flatMap(({ note, channel }) => strokeOfNote(kit, note, channel)?.instrument ?? []));

/** The layer that a velocity falls into. */
export const layerOf = ({ layers }: Instrument, velocity: number) =>
	layers.findLastIndex(({ from }) => velocity >= from);

/** Layers that begin elsewhere, kept in a kit of the library. */
export async function keepLayers(id: number, bounds: LayerBounds) {
	const card = (await client.kits()).find((one) => one.id === id);
	if (!card) throw new Error("The kit was deleted; keep it as a new one first.");
	const instruments = card.kit.instruments.map((one) => {
		const own = bounds[one.id];
		if (!own) return one;
		const named = (from: number, place: number) => ({
			name: own.length === one.layers.length ? one.layers[place].name : `layer ${place + 1}`,
			from,
		});
		return { ...one, layers: own.map(named) };
	});
	await keeping.change(`kit ${id}`, card.revision, (revision, key) =>
		client.changeKit(id, { key, revision, label: "layers", kit: { ...card.kit, instruments } }),
	);
}

/** What a part has by itself: of the General MIDI map what it uses, or a kit that was deleted. */
export const byItself = "by itself";
