/** The library of grooves, as the page holds it. */
import { useQuery } from "@tanstack/react-query";
import { client } from "../../api/client";
import type { GrooveCard } from "../../api/generated/types";

export const groovesKey = ["grooves"];

export const useGrooves = (enabled = true) =>
	useQuery({ queryKey: groovesKey, queryFn: client.grooves, enabled });

/** The grooves whose name, note, metre or grid answer to every word that was typed. */
export function matching(cards: GrooveCard[], text: string) {
	const words = text.toLowerCase().split(/\s+/).filter(Boolean);
	return cards.filter(({ note, groove: { name, metre, grid } }) => {
		const all = `${name} ${note} ${metre.numerator}/${metre.denominator} ${grid}`.toLowerCase();
		return words.every((word) => all.includes(word));
	});
}
