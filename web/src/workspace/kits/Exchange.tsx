import { Button, SegmentedControl } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client } from "../../api/client";
import { showError } from "../../lib/notify";
import { plural } from "../../lib/words";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import classes from "./Kits.module.css";
import type { ShownKit } from "./kits";

const count = (hits: number) => hits.toLocaleString("en");

interface Props {
	shown: ShownKit;
	/** The part has this kit now. */
	onTaken: (id: number | null) => void;
	refresh: () => Promise<void>;
}

/** A kit that the part does not have: what would become of the part with it. */
export function Exchange({ shown, onTaken, refresh }: Props) {
	const store = useWorkspaceStore();
	const { state: part } = useWorkspace((state) => state.part);
	const revision = useWorkspace((state) => state.revision);
	const [keepNotes, setKeepNotes] = useState<boolean | null>(null);
	const [busy, setBusy] = useState(false);
	const kit = shown.card?.id ?? null;
	const has = (part.kit?.id ?? null) === kit || (kit === null && part.kit?.deleted === true);
	const key = ["exchange", part.id, revision, kit, shown.card?.revision];
	const read = useQuery({
		queryKey: [...key, false],
		queryFn: () => client.tryKit(part.id, { revision, kit, keep_notes: false }),
		enabled: !has && part.drums && !shown.card?.damage,
		retry: false,
	});
	const sent = useQuery({
		queryKey: [...key, true],
		queryFn: () => client.tryKit(part.id, { revision, kit, keep_notes: true }),
		enabled: !has && part.drums && kit !== null && !shown.card?.damage,
		retry: false,
	});
	if (!part.drums)
		return <p className={classes.said}>This part is treated as tones; treat it as drums to give it a kit.</p>;
	if (has || !read.data) return null;
	const keeps = keepNotes ?? read.data.keep_notes;
	const answer = keeps ? sent.data : read.data;
	const take = async () => {
		setBusy(true);
		try {
			await store.getState().settled();
			await store
				.getState()
				.change((now) => client.exchangeKit(part.id, { revision: now, kit, keep_notes: keeps }));
			await refresh();
			onTaken(store.getState().part.state.kit?.id ?? null);
		} catch (error) {
			showError(error);
		}
		setBusy(false);
	};
	return (
		<div className={classes.exchange} data-exchange>
			<p>
				By their notes this kit knows <b>{count(read.data.known)}</b> of the part’s{" "}
				{plural(read.data.hits, "hit")}
				{read.data.alike < read.data.known &&
					`; ${count(read.data.known - read.data.alike)} would be another kind of drum than now`}
				.
			</p>
			{kit !== null && (
				<SegmentedControl
					size="xs"
					value={keeps ? "keep" : "read"}
					onChange={(value) => setKeepNotes(value === "keep")}
					data={[
						{ value: "read", label: "The part’s notes are this kit’s" },
						{ value: "keep", label: "The part stays as it is and is sent to this kit" },
					]}
				/>
			)}
			<Button size="compact-sm" loading={busy} data-take-kit onClick={() => void take()}>
				{kit === null ? "Go back to the usual kit" : "Take it for this part"}
			</Button>
			{answer && answer.said.length > 0 && (
				<details className={classes.saying}>
					<summary>{plural(answer.said.length, "thing does", "things do")} not follow</summary>
					<ul>
						{answer.said.map((sentence) => (
							<li key={sentence}>{sentence}</li>
						))}
					</ul>
				</details>
			)}
		</div>
	);
}
