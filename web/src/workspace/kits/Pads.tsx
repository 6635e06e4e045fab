import { type PointerEvent, useEffect, useState } from "react";
import type { Kit } from "../../api/generated/types";
import { plural } from "../../lib/words";
import classes from "./Kits.module.css";
import type { StrokeAt } from "./kits";
import type { Hear } from "./useEar";

/** Their keys; the one that leaves the screen is none of them. */
const keys = [
	"z",
	"x",
	"c",
	"v",
	"b",
	"n",
	"m",
	"a",
	"s",
	"d",
	"f",
	"h",
	"j",
	"l",
	"q",
	"w",
	"e",
	"r",
	"y",
	"u",
];

interface Props {
	kit: Kit;
	hear: Hear;
	at: StrokeAt | null;
	/** The places of the instruments that the part plays. */
	played: Set<number>;
	/** Their keys strike them only while one of them has the focus: elsewhere the keys mean something else. */
	whenFocused?: boolean;
}

const most = 12;

/** Those that are played, and others as far as there is room; the chosen one is always there. The others have pages of their own. */
function padded(kit: Kit, played: Set<number>, at: StrokeAt | null, page: number) {
	const places = kit.instruments.map((_, place) => place);
	const wanted = (place: number) => (place === at?.instrument ? 2 : played.has(place) ? 1 : 0);
	const ranked = [...places].sort((a, b) => wanted(b) - wanted(a) || a - b);
	const first = ranked.slice(page * most, (page + 1) * most);
	// What is played has the first keys, whatever else there is room for.
	const later = (place: number) => Number(!played.has(place));
	return first.sort((a, b) => later(a) - later(b) || a - b);
}

/** The kit to be struck: how high a pad is struck is how hard; by keys firm, with Shift hard. */
export function Pads({ kit, hear, at, played, whenFocused = false }: Props) {
	const [focused, setFocused] = useState(false);
	const listening = !whenFocused || focused;
	const [struck, setStruck] = useState<{ pad: number; velocity: number } | null>(null);
	const pages = Math.ceil(kit.instruments.length / most);
	const [turned, setTurned] = useState(0);
	const page = Math.min(turned, pages - 1);
	const pads = padded(kit, played, at, page).map((place) => {
		const { id, name, articulations } = kit.instruments[place];
		// The instrument whose stroke is chosen shows that one, the others their first.
		const stroke = at?.instrument === place ? at.stroke : 0;
		return { id, name, way: articulations[stroke] ?? articulations[0] };
	});
	const strike = (pad: number, velocity: number) => {
		setStruck({ pad, velocity });
		hear(pads[pad].way.note, velocity);
	};
	useEffect(() => {
		if (!listening) return;
		const onKey = (event: KeyboardEvent) => {
			if (event.ctrlKey || event.metaKey || event.altKey || event.repeat) return;
			if (document.activeElement?.matches("input, textarea")) return;
			if (document.querySelector("[role=dialog], [role=menu]")) return;
			const pad = keys.indexOf(event.key.toLowerCase());
			if (pad < 0 || pad >= pads.length) return;
			event.preventDefault();
			event.stopPropagation();
			strike(pad, event.shiftKey ? 118 : 88);
		};
		window.addEventListener("keydown", onKey, true);
		return () => window.removeEventListener("keydown", onKey, true);
	});
	const down = (pad: number) => (event: PointerEvent<HTMLElement>) => {
		if (event.button !== 0) return;
		event.currentTarget.focus();
		const { top, height } = event.currentTarget.getBoundingClientRect();
		strike(pad, Math.max(1, Math.min(127, Math.round(127 * (1 - (event.clientY - top) / height)))));
	};
	return (
		// biome-ignore lint/a11y/useSemanticElements: these are no fields of a form.
		<div
			className={classes.pads}
			role="group"
			aria-label="Pads"
			onFocus={() => setFocused(true)}
			onBlur={() => setFocused(false)}
		>
			{pads.map(({ id, name, way }, pad) => (
				<button
					type="button"
					key={id}
					className={classes.pad}
					data-pad={id}
					title={`${name}, ${way.name}: higher is harder (${keys[pad].toUpperCase()}${whenFocused ? " after a click on a pad" : ""})`}
					onPointerDown={down(pad)}
					onKeyDown={(event) => {
						if (event.key === "Escape") event.currentTarget.blur();
						if (event.key !== "Enter") return;
						event.preventDefault();
						event.stopPropagation();
						strike(pad, 88);
					}}
				>
					{struck?.pad === pad && <u style={{ height: `${(struck.velocity / 127) * 100}%` }} />}
					<span>{name}</span>
					<small>{struck?.pad === pad ? struck.velocity : listening ? keys[pad].toUpperCase() : ""}</small>
				</button>
			))}
			{pages > 1 && (
				<button
					type="button"
					className={classes.morePads}
					title={`${plural(kit.instruments.length, "drum")} in the kit`}
					onClick={() => setTurned((page + 1) % pages)}
					data-more-pads
				>
					{page + 1 < pages ? "more drums" : "first drums"}
				</button>
			)}
		</div>
	);
}
