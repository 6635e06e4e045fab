/** Files become own sounds of a kit: brought in one after the other, then what is for which stroke is said and taken. */
import { Button, Group, Modal, Progress, ScrollArea, Select } from "@mantine/core";
import { useEffect, useRef, useState } from "react";
import { client } from "../../api/client";
import type { FittedSamples, FolderFile, FolderText, Kit } from "../../api/generated/types";
import { showError } from "../../lib/notify";
import { plural } from "../../lib/words";
import { isSound } from "../../loops/sound";
import classes from "./Kits.module.css";

/** Where a file lies in the folder that was chosen. */
const pathOf = (file: File) => file.webkitRelativePath.split("/").slice(1).join("/") || file.name;

const isSfz = (file: File) => /\.sfz$/i.test(file.name);
/** What an SFZ file may include. */
const isText = (file: File) => /\.(sfz|sfzh|txt|inc|h)$/i.test(file.name) && file.size < 8 * 2 ** 20;

interface Props {
	/** Nothing while none are chosen. */
	chosen: File[] | null;
	kit: Kit;
	close: () => void;
	onTake: (label: string, kit: Kit) => void;
}

export function OwnSoundsDialog({ chosen, kit, close, onTake }: Props) {
	return (
		<Modal opened={chosen !== null} onClose={close} size={480} title="Own sounds for this kit">
			{chosen && <Folder chosen={chosen} kit={kit} close={close} onTake={onTake} />}
		</Modal>
	);
}

function Folder({ chosen, kit, close, onTake }: Props & { chosen: File[] }) {
	const definitions = chosen.filter(isSfz);
	const [definition, setDefinition] = useState(definitions.length === 1 ? pathOf(definitions[0]) : null);
	const [done, setDone] = useState<number | null>(null);
	const [fitted, setFitted] = useState<FittedSamples | null>(null);
	const [refused, setRefused] = useState<string[]>([]);
	const sounds = chosen.filter(isSound);
	const stopped = useRef(false);
	const begun = useRef(false);
	useEffect(() => {
		stopped.current = false;
		return () => {
			stopped.current = true;
		};
	}, []);
	const name = chosen[0]?.webkitRelativePath.split("/")[0] || "files";
	const bring = async (sfz: string | null) => {
		setDone(0);
		const files: FolderFile[] = [];
		const wrong: string[] = [];
		for (const [place, file] of sounds.entries()) {
			if (stopped.current) return;
			try {
				files.push({ path: pathOf(file), sound: (await client.addSample(file)).sound });
			} catch (error) {
				wrong.push(error instanceof Error ? error.message : `“${file.name}” cannot be read.`);
			}
			setDone(place + 1);
		}
		const texts: FolderText[] = [];
		if (sfz)
			for (const file of chosen.filter(isText)) texts.push({ path: pathOf(file), text: await file.text() });
		setRefused(wrong);
		try {
			setFitted(await client.fitSamples({ kit, files, ...(sfz ? { sfz, texts } : {}) }));
		} catch (error) {
			showError(error);
			close();
		}
	};
	const several = definitions.length > 1 && done === null;
	useEffect(() => {
		if (begun.current || several || sounds.length === 0) return;
		begun.current = true;
		void bring(definition);
	});
	if (sounds.length === 0)
		return <p className={classes.said}>That folder holds no WAV, AIFF, FLAC, Ogg Vorbis or MP3 file.</p>;
	if (several)
		return (
			<>
				<Select
					label="The folder has several SFZ files"
					placeholder="Choose one"
					comboboxProps={{ withinPortal: false }}
					data={definitions.map(pathOf)}
					value={definition}
					onChange={setDefinition}
				/>
				<Group mt="sm" justify="end">
					<Button variant="default" onClick={close}>
						Cancel
					</Button>
					<Button disabled={definition === null} onClick={() => void bring(definition)}>
						Go on
					</Button>
				</Group>
			</>
		);
	if (!fitted)
		return (
			<div data-bringing>
				<p className={classes.said}>
					{done ?? 0} of {plural(sounds.length, "file")} read.
				</p>
				<Progress value={(100 * (done ?? 0)) / sounds.length} mt={6} />
			</div>
		);
	const said = [...fitted.said, ...refused];
	return (
		<div data-fitted>
			<p className={classes.said}>
				{fitted.samples === 0
					? "Nothing in it matches a stroke of this kit."
					: `${plural(fitted.samples, "sample")} for ${plural(fitted.strokes, "stroke")}. The other strokes keep the built-in sound.`}
			</p>
			{said.length > 0 && (
				<ScrollArea.Autosize mah={220} className={classes.saying}>
					<ul>
						{said.map((sentence) => (
							<li key={sentence}>{sentence}</li>
						))}
					</ul>
				</ScrollArea.Autosize>
			)}
			<Group mt="sm" justify="end">
				<Button variant="default" onClick={close}>
					{fitted.samples === 0 ? "Close" : "Cancel"}
				</Button>
				{fitted.samples > 0 && (
					<Button
						data-take-sounds
						onClick={() => {
							onTake(`own sounds from ${name}`, fitted.kit);
							close();
						}}
					>
						Use them
					</Button>
				)}
			</Group>
		</div>
	);
}
