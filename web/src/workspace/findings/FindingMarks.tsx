import { useWorkspaceStore } from "../../part/store";
import { showing } from "../rows/useTimeGestures";
import classes from "./Findings.module.css";
import { keyOf, useFindings } from "./useFindings";

/** Where in the song something was found, over the strip. */
export function FindingMarks({ barWidth }: { barWidth: number }) {
	const store = useWorkspaceStore();
	const { shown } = useFindings();
	const found = new Map<number, string[]>();
	for (const { bars, said } of shown)
		for (const { from, to } of bars)
			for (let bar = from; bar <= Math.min(to, from + 400); bar++)
				found.set(bar, [...(found.get(bar) ?? []), said]);
	return [...found].map(([bar, said]) => (
		<button
			key={bar}
			type="button"
			tabIndex={-1}
			className={classes.mark}
			data-mark={bar}
			aria-label={`Bar ${bar}: ${said.join(" ")}`}
			title={`Bar ${bar}: ${said.join(" ")}`}
			style={{ left: (bar - 0.5) * barWidth }}
			onPointerDown={(event) => event.stopPropagation()}
			onClick={() => {
				const { loop, song, setView } = store.getState();
				const last = song.bars.ticks.length - 1;
				setView({ loop: [bar, Math.min(last, bar + loop[1] - loop[0])], side: "findings" });
				showing(store.getState(), "loop");
			}}
		/>
	));
}

/** How many findings a drum has, beside its name. */
export function FoundMark({ instrument }: { instrument: string }) {
	const { shown } = useFindings();
	const own = shown.filter((one) => one.instrument === instrument);
	if (own.length === 0) return null;
	return (
		<i className={classes.found} title={own.map(({ said }) => said).join(" ")} data-found={keyOf(own[0])} />
	);
}
