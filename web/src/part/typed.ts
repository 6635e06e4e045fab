/** Numbers as they are typed: with the units of the trade. */
import { secondsAt } from "./song";
import type { WorkspaceState } from "./store";

type Where = Pick<WorkspaceState, "song" | "loop" | "part">;

interface Range {
	min: number;
	unit: string;
}

/** The quarter notes in a cell of a grid: `1/16`, `1/8 triplet`, `1/4 dotted`, `1/16 5:4`. */
export function quartersOf(grid: string): number {
	const [value, more = ""] = grid.split(" ");
	const [count, of] = value.split("/").map(Number);
	const plain = (4 * count) / of;
	if (more === "dotted") return plain * 1.5;
	if (more === "triplet") return (plain * 2) / 3;
	const [n, space] = more.split(":").map(Number);
	return n && space ? (plain * space) / n : plain;
}

/** How many ms a tick lasts where the loop begins. */
function perTick({ song, loop }: Where) {
	const start = song.bars.ticks[loop[0] - 1];
	return (1000 * (secondsAt(song, start + song.ppq) - secondsAt(song, start))) / song.ppq;
}

/**
 * What a typed number means for a setting: `8ms` and `8` are ms; `12t` are ticks of the file and `15%` is a share of the
 * part's grid cell, both at the tempo where the loop begins. A swing of `15%` is 15 % of a cell beyond straight: 57.5 %.
 * Nothing where it is no number.
 */
export function readNumber(text: string, { min, unit }: Range, where: Where | null): number | null {
	const plain = text.trim().replaceAll("−", "-").replace(",", ".");
	const found = /^([+-]?(?:\d+\.?\d*|\.\d+))\s*(\D*)$/.exec(plain);
	if (!found) return null;
	const [number, own] = [Number(found[1]), found[2].trim().toLowerCase()];
	if (where && unit === "ms" && /^t(icks?)?$/.test(own))
		return (number * perTick(where) * where.song.ppq) / where.song.file_ppq;
	if (where && unit === "ms" && own === "%")
		return (number / 100) * quartersOf(where.part.grid) * where.song.ppq * perTick(where);
	if (unit === "%" && min === 25 && own === "%" && number < min) return 50 + number / 2;
	return own === "" || own === unit || unit.startsWith(own) ? number : null;
}
