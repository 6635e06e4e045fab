/** A recorded loop comes in: how many bars it is, and where it is struck. */
import { Button, Group, Modal, NumberInput, Select, Stack, TextInput } from "@mantine/core";
import { useDebouncedValue } from "@mantine/hooks";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { client } from "../api/client";
import type { LaidLoop, SongDetail, SoundDetail } from "../api/generated/types";
import { EditedNumber } from "../lib/fields";
import { showError } from "../lib/notify";
import { plural } from "../lib/words";
import classes from "./Loops.module.css";
import { OnsetSlider } from "./OnsetSlider";
import { stem } from "./sound";
import { Wave } from "./Wave";

interface Props {
	sound: SoundDetail | null;
	/** The song that it is laid into; nothing begins one of its own. */
	song?: SongDetail;
	revision?: () => number;
	close: () => void;
	onLaid: (laid: LaidLoop) => void;
}

export function LoopDialog({ sound, close, ...rest }: Props) {
	return (
		<Modal
			opened={sound !== null}
			onClose={close}
			size={640}
			title={sound && `“${sound.name}”, ${sound.seconds.toFixed(2)} s`}
		>
			{sound && <LoopForm key={sound.sound} sound={sound} close={close} {...rest} />}
		</Modal>
	);
}

/** How many quarter notes so many bars of a song take from its beginning; what is longer than it goes on in its last metre. */
function quartersOf({ bars: { ticks }, ppq }: SongDetail, bars: number) {
	const last = ticks.length - 1;
	const whole = Math.min(bars, last);
	return (ticks[whole] + (bars - whole) * (ticks[last] - ticks[last - 1])) / ppq;
}

function LoopForm({ sound, song, revision, close, onLaid }: Props & { sound: SoundDetail }) {
	const [first] = sound.proposals;
	const [name, setName] = useState(stem(sound.name));
	const [bars, setBars] = useState(first?.bars ?? 1);
	const [metre, setMetre] = useState(`${first?.beats ?? 4}/4`);
	const [sensitivity, setSensitivity] = useState(50);
	/** Where the loop begins and ends, in s: a file may have something before and behind it. */
	const end = Math.round(1000 * sound.seconds) / 1000;
	const [stretch, setStretch] = useState<[number, number]>([0, end]);
	const [settled] = useDebouncedValue(sensitivity, 60);
	const [busy, setBusy] = useState(false);
	/** Somebody said how many bars it is. */
	const [chosen, setChosen] = useState(song !== undefined);
	const peaks = useQuery({
		queryKey: ["peaks", sound.sound],
		queryFn: () => client.peaks(sound.sound, 0, sound.seconds, 700),
		staleTime: Number.POSITIVE_INFINITY,
	});
	const found = useQuery({
		queryKey: ["onsets", sound.sound, settled],
		queryFn: () => client.onsets(sound.sound, settled),
		placeholderData: keepPreviousData,
		staleTime: Number.POSITIVE_INFINITY,
	});
	const onsets = found.data ?? sound.onsets;
	const [begins, ends] = stretch;
	const whole = begins === 0 && ends === end;
	const proposed = useQuery({
		queryKey: ["proposals", sound.sound, settled, begins, ends],
		queryFn: () => client.proposals(sound.sound, settled, stretch),
		placeholderData: keepPreviousData,
		enabled: !song && !whole && begins < ends,
		retry: false,
	});
	const proposals = whole ? sound.proposals : (proposed.data ?? []);
	const beats = Number(metre.split("/")[0]);
	const bpm = (60 * (song ? quartersOf(song, bars) : bars * beats)) / (ends - begins);
	// What was chosen by nobody follows where the loop begins and ends.
	const likeliest = proposals[0];
	useEffect(() => {
		if (chosen || !likeliest) return;
		setBars(likeliest.bars);
		setMetre(`${likeliest.beats}/4`);
	}, [chosen, likeliest]);
	const lay = async () => {
		setBusy(true);
		try {
			const request = {
				sound: sound.sound,
				file_name: sound.name,
				name: name.trim() || stem(sound.name),
				bars,
			};
			const place = song ? { song: song.id, revision: revision?.() ?? song.revision } : { beats };
			const within = whole ? {} : { from: begins, to: ends };
			onLaid(await client.layLoop({ ...request, ...place, ...within, sensitivity }));
			close();
		} catch (error) {
			showError(error);
			setBusy(false);
		}
	};
	return (
		<form
			onSubmit={(event) => {
				event.preventDefault();
				void lay();
			}}
			data-loop-form
		>
			<Stack gap={10}>
				<Wave peaks={peaks.data} onsets={onsets} seconds={sound.seconds} stretch={stretch} />
				<OnsetSlider
					value={sensitivity}
					onChange={setSensitivity}
					found={plural(onsets.seconds.length, "onset")}
					count={onsets.seconds.length}
				/>
				{sound.said.map((said) => (
					<p key={said} className={classes.facts}>
						{said}
					</p>
				))}
				<TextInput
					size="xs"
					label={song ? "Name of the part" : "Name of the song"}
					maxLength={80}
					value={name}
					onChange={(event) => setName(event.currentTarget.value)}
				/>
				<div className={classes.chips}>
					{(song ? [] : proposals).map((one) => (
						<Button
							key={`${one.bars} ${one.beats}`}
							size="compact-xs"
							variant={one.bars === bars && one.beats === beats ? "filled" : "default"}
							onClick={() => {
								setChosen(true);
								setBars(one.bars);
								setMetre(`${one.beats}/4`);
							}}
						>
							{plural(one.bars, "bar")} of {one.beats}/4, {one.bpm.toFixed(1)} bpm
						</Button>
					))}
				</div>
				<Group gap={8} align="end">
					<Second
						label="The loop begins at"
						value={begins}
						min={0}
						max={ends - 0.05}
						onChange={(second) => setStretch([second, ends])}
					/>
					<Second
						label="and ends at"
						value={ends}
						min={begins + 0.05}
						max={end}
						onChange={(second) => setStretch([begins, second])}
					/>
					{sound.begins > 0 && begins === 0 && sound.begins < ends - 0.05 && (
						<Button
							size="xs"
							variant="default"
							data-from-first
							onClick={() => setStretch([sound.begins, ends])}
						>
							Begin at the first stroke, {sound.begins.toFixed(3)} s
						</Button>
					)}
				</Group>
				<Group gap={8} grow>
					<NumberInput
						size="xs"
						label="It lasts"
						suffix={bars === 1 ? " bar" : " bars"}
						min={1}
						max={2000}
						value={bars}
						onChange={(value) => {
							if (typeof value !== "number" || value === bars) return;
							setChosen(true);
							setBars(value);
						}}
					/>
					{song ? (
						<TextInput size="xs" label="Metre of the song" readOnly value={song.metres[0][1]} />
					) : (
						<Select
							size="xs"
							label="Metre"
							allowDeselect={false}
							comboboxProps={{ withinPortal: false }}
							data={["2/4", "3/4", "4/4", "5/4", "6/4", "7/4"]}
							value={metre}
							onChange={(value) => {
								if (!value) return;
								setChosen(true);
								setMetre(value);
							}}
						/>
					)}
				</Group>
				<p className={classes.facts} data-loop-tempo>
					{song
						? `It was played at ${bpm.toFixed(1)} bpm; in this song it runs at ${song.bpm.toFixed(1)}.`
						: `The song will run at ${bpm.toFixed(2)} bpm, as the loop was recorded.`}
				</p>
				<Group justify="flex-end" gap={8}>
					<Button variant="default" onClick={close}>
						Cancel
					</Button>
					<Button type="submit" loading={busy}>
						{song ? "Add the part" : "Begin a song with it"}
					</Button>
				</Group>
			</Stack>
		</form>
	);
}

interface SecondProps {
	label: string;
	value: number;
	min: number;
	max: number;
	onChange: (value: number) => void;
}

/** A place in the file. */
function Second({ label, value, min, max, onChange }: SecondProps) {
	return (
		<EditedNumber
			w={150}
			label={label}
			suffix=" s"
			decimalScale={3}
			step={0.01}
			min={min}
			max={max}
			live
			value={value}
			onDone={(next) => next !== null && onChange(next)}
		/>
	);
}
