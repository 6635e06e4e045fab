import { useDebouncedValue } from "@mantine/hooks";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { client } from "../../api/client";
import type { FindingCard } from "../../api/generated/types";
import { useWorkspace } from "../../part/store";

/** What a finding goes by: its rule and its drum. */
export const keyOf = ({ rule, instrument }: FindingCard) => (instrument ? `${rule} ${instrument}` : rule);

/** So long after the last change, in ms, the part is read again. */
const rest = 500;

/** The findings of the part as it is kept, and those of them that were dismissed; with what mends them where asked. */
export function useFindings(cures = false) {
	const part = useWorkspace((state) => state.part.state.id);
	const revision = useWorkspace((state) => state.revision);
	const dismissed = useWorkspace((state) => state.dismissed);
	const [settled] = useDebouncedValue(revision, rest);
	const query = useQuery({
		queryKey: ["findings", part, settled, cures],
		queryFn: () => client.findings(part, cures),
		placeholderData: keepPreviousData,
	});
	const gone = (one: FindingCard) => dismissed.includes(keyOf(one)) || dismissed.includes(`${one.rule} *`);
	const all = query.data ?? [];
	return { ...query, shown: all.filter((one) => !gone(one)), dismissed: all.filter(gone) };
}
