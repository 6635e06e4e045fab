import { Button, Checkbox, Loader, Select, Tooltip } from "@mantine/core";
import { IconArrowLeft } from "@tabler/icons-react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { client, files } from "../../api/client";
import type { Family, GrooveCard, GrooveFigures, GrooveProfile } from "../../api/generated/types";
import { Newest } from "../../lib/newest";
import { showError, showNote } from "../../lib/notify";
import { percent, plain, plural } from "../../lib/words";
import { keeping } from "../../part/keeping";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import { gridInWords } from "../passes/GridToken";
import { drawn } from "./draw";
import { ExtractForm } from "./ExtractForm";
import { familyNames } from "./families";
import { GrooveLibrary } from "./GrooveLibrary";
import { GroovePicture } from "./GroovePicture";
import classes from "./Grooves.module.css";
import { groovesKey, useGrooves } from "./library";
import { UseForm } from "./UseForm";

/** What is shown: a groove of the library, or one that was just taken or drawn and is not saved yet. */
export interface Shown {
	card: GrooveCard | null;
	groove: GrooveProfile;
	reading: GrooveFigures;
	/** It differs from what is kept. */
	changed: boolean;
	said: string[];
}

const ofCard = (card: GrooveCard): Shown => ({
	card,
	groove: card.groove,
	reading: card.reading,
	changed: false,
	said: [],
});

/** Grooves: the library, one of them as a picture, and its use on the open part. */
export function GrooveScreen() {
	const store = useWorkspaceStore();
	const library = useGrooves();
	const [shown, setShown] = useState<Shown | null>(null);
	useEffect(() => {
		const first = library.data?.find((card) => card.damage === null);
		if (!shown && first) setShown(ofCard(first));
	}, [shown, library.data]);
	return (
		<section className={classes.screen} aria-label="Grooves">
			<div className={classes.side}>
				<Button
					variant="subtle"
					color="gray"
					size="compact-sm"
					leftSection={<IconArrowLeft size={14} />}
					data-close-grooves
					onClick={() => store.getState().showScreen(null)}
				>
					Back to the hits
				</Button>
				<ExtractForm onTaken={setShown} />
				<GrooveLibrary chosen={shown?.card?.id ?? null} onChoose={(card) => setShown(ofCard(card))} />
			</div>
			{shown ? <Stage shown={shown} onChange={setShown} /> : <Loader m="auto" />}
		</section>
	);
}

/** The groove that is shown, and what can be done with it. */
function Stage({ shown, onChange }: { shown: Shown; onChange: (shown: Shown) => void }) {
	const { groove, reading } = shown;
	const [family, setFamily] = useState<Family | null>(null);
	const [over, setOver] = useState<string | null>(null);
	const [withHits, setWithHits] = useState(false);
	const library = useGrooves();
	const part = useWorkspace((state) => state.part.state.id);
	const revision = useWorkspace((state) => state.revision);
	const hits = useQuery({
		queryKey: ["laid", part, revision, groove.grid, groove.bars],
		queryFn: () => client.takeGroove(part, { take: { grid: groove.grid, length: groove.bars } }),
		enabled: withHits,
		retry: false,
	});
	const overlay = library.data?.find(({ id }) => `${id}` === over)?.reading ?? null;
	const voices = reading.voices.flatMap((voice) => (voice.family ? [voice.family] : []));
	const voice = family && voices.includes(family) ? family : null;
	/** As it is by now, drawn or not. */
	const newest = useRef(shown);
	const change = useRef(onChange);
	change.current = onChange;
	const [readings] = useState(
		() =>
			new Newest<Shown, GrooveFigures>(
				({ groove }) => client.readGroove(groove),
				(of, reading) => {
					newest.current = { ...of, reading };
					change.current(newest.current);
				},
				showError,
			),
	);
	if (newest.current.groove !== groove) {
		// Another groove was chosen: nobody waits for what was drawn in the one before.
		readings.forget();
		newest.current = shown;
	}
	const draw = (slot: number, change: { offset?: number; velocity?: number }) => {
		const { groove, reading } = newest.current;
		newest.current = {
			...newest.current,
			groove: drawn(groove, reading, voice, slot, change),
			changed: true,
		};
		onChange(newest.current);
		readings.ask(newest.current);
	};
	return (
		<div className={classes.stage}>
			<div className={classes.head}>
				<div>
					<h2>
						{groove.name} {shown.changed && <small>not saved yet</small>}
					</h2>
					<p>{shown.card?.note}</p>
				</div>
				<Keep shown={shown} onKept={onChange} />
			</div>
			<div className={classes.facts} data-facts>
				<Facts groove={groove} reading={reading} />
			</div>
			{[...new Set([...shown.said, ...(hits.data?.said ?? [])])].map((sentence) => (
				<p key={sentence} className={classes.said} role="status">
					{sentence}
				</p>
			))}
			<div className={classes.choices}>
				<Select
					size="xs"
					aria-label="Voice"
					allowDeselect={false}
					value={voice ?? "together"}
					data={[
						{ value: "together", label: "all together" },
						...voices.map((one) => ({ value: one as string, label: familyNames[one] })),
					]}
					onChange={(value) => setFamily(value === "together" ? null : (value as Family))}
				/>
				<Select
					size="xs"
					aria-label="Compare with another groove"
					placeholder="compare with …"
					clearable
					searchable
					selectFirstOptionOnChange
					value={over}
					data={(library.data ?? [])
						.filter((card) => card.damage === null)
						.map(({ id, groove: { name } }) => ({ value: `${id}`, label: name }))}
					onChange={setOver}
				/>
				<Checkbox
					size="xs"
					label="show the hits of this part"
					checked={withHits}
					onChange={(event) => setWithHits(event.currentTarget.checked)}
				/>
			</div>
			<GroovePicture
				reading={reading}
				family={voice}
				overlay={overlay}
				hits={withHits ? (hits.data?.hits ?? null) : null}
				onDraw={draw}
			/>
			<UseForm groove={groove} />
		</div>
	);
}

/** A groove in numbers that people read. */
function Facts({ groove, reading }: { groove: GrooveProfile; reading: GrooveFigures }) {
	const { metre, grid, bars, tempo } = groove;
	const facts = [
		`${plural(bars, "bar")} of ${metre.numerator}/${metre.denominator} in ${grid}`,
		`${plain(Math.round(tempo * 10) / 10)} bpm`,
		reading.hits > 0 ? `from ${plural(reading.hits, "hit")}` : "made by rule",
		`${percent(reading.coverage)} of the slots measured`,
		reading.steady === null ? null : `steady to ${plain(Math.round(reading.steady * 10) / 10)} ms`,
		...reading.swings
			.filter(({ heard }) => heard)
			.map((swing) => `${gridInWords(swing.of)} swung ${plain(swing.percent)} %`),
	];
	return facts.filter(Boolean).join(" · ");
}

function Keep({ shown, onKept }: { shown: Shown; onKept: (shown: Shown) => void }) {
	const queries = useQueryClient();
	const { card, groove, changed } = shown;
	const keep = async (anew: boolean) => {
		try {
			const name = anew && card ? `${groove.name}, drawn` : groove.name;
			const kept =
				anew || !card
					? await client.addGroove(card?.note ?? "", { ...groove, name })
					: await keeping.change(`groove ${card.id}`, card.revision, (revision, key) =>
							client.changeGroove(card.id, {
								key,
								revision,
								note: card.note,
								favourite: card.favourite,
								groove,
							}),
						);
			await queries.invalidateQueries({ queryKey: groovesKey });
			onKept(ofCard(kept));
			showNote("Kept in the library", kept.groove.name);
		} catch (error) {
			showError(error);
		}
	};
	return (
		<div className={classes.keep}>
			{changed && card && !card.own && (
				<Button size="compact-sm" onClick={() => void keep(false)}>
					Keep
				</Button>
			)}
			{changed && (
				<Button
					size="compact-sm"
					variant={card && !card.own ? "default" : "filled"}
					data-keep
					onClick={() => void keep(true)}
				>
					{card ? "Keep as a new groove" : "Keep in the library"}
				</Button>
			)}
			{card && !changed && (
				<>
					<Tooltip label="As documented JSON">
						<Button size="compact-sm" variant="default" component="a" href={files.groove(card.id)} download>
							JSON
						</Button>
					</Tooltip>
					<Tooltip label="As a plain MIDI clip">
						<Button size="compact-sm" variant="default" component="a" href={files.clip(card.id)} download>
							MIDI clip
						</Button>
					</Tooltip>
				</>
			)}
		</div>
	);
}
