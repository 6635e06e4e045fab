/** The own sounds of a stroke: its samples by velocity and turn. */
import { ActionIcon, Button, FileButton, Group, Tooltip, UnstyledButton } from "@mantine/core";
import { IconX } from "@tabler/icons-react";
import { useState } from "react";
import { client } from "../../api/client";
import type { Kit, Sample } from "../../api/generated/types";
import { EditedNumber } from "../../lib/fields";
import { showError } from "../../lib/notify";
import { plural } from "../../lib/words";
import { isSound, soundEndings } from "../../loops/sound";
import classes from "./Kits.module.css";
import { type StrokeAt, strokeAt, withStroke } from "./kits";

interface Props {
	kit: Kit;
	at: StrokeAt;
	/** Undo says: … of snare, centre. */
	of: string;
	editable: boolean;
	/** Names of files that are gone. */
	missing: string[];
	onChange: (label: string, kit: Kit) => void;
}

export function OwnSounds({ kit, at, of, editable, missing, onChange }: Props) {
	const [opened, setOpened] = useState<number | null>(null);
	const [busy, setBusy] = useState(false);
	const [over, setOver] = useState(false);
	const samples = strokeAt(kit, at)?.samples ?? [];
	const add = async (chosen: File[]) => {
		setBusy(true);
		try {
			const files = samples.map(({ name, sound }) => ({ path: name, sound }));
			for (const file of chosen) {
				const { name, sound } = await client.addSample(file);
				if (!files.some((one) => one.sound === sound)) files.push({ path: name, sound });
			}
			// A file that was gone and came again is where it was.
			if (files.length === samples.length) onChange(`own sounds of ${of}`, kit);
			else {
				const stroke: [number, number] = [at.instrument, at.stroke];
				const fitted = await client.fitSamples({ kit, files, stroke });
				onChange(`own sounds of ${of}`, fitted.kit);
			}
		} catch (error) {
			showError(error);
		}
		setBusy(false);
	};
	const set = (next: Sample[], label: string) =>
		onChange(`${label} of ${of}`, withStroke(kit, at, { samples: next.length === 0 ? undefined : next }));
	return (
		<section
			aria-label="Own sounds"
			className={classes.own}
			data-over={over || undefined}
			onDragOver={(event) => {
				if (!editable || !event.dataTransfer.types.includes("Files")) return;
				event.preventDefault();
				setOver(true);
			}}
			onDragLeave={() => setOver(false)}
			onDrop={(event) => {
				event.preventDefault();
				setOver(false);
				const dropped = [...event.dataTransfer.files].filter(isSound);
				if (editable && dropped.length > 0) void add(dropped);
			}}
		>
			{samples.length === 0 ? (
				<p className={classes.hint}>
					The built-in kit plays this stroke.{editable && " Drop WAV or FLAC files here to hear your own."}
				</p>
			) : (
				<ul className={classes.samples} data-samples={samples.length}>
					{samples.map((sample, place) => (
						<li key={`${sample.sound} ${place}`} data-gone={missing.includes(sample.name) || undefined}>
							<UnstyledButton
								className={classes.sample}
								title={
									missing.includes(sample.name) ? `${sample.name} is gone; drop it here again` : sample.name
								}
								aria-expanded={opened === place}
								onClick={() => setOpened(opened === place ? null : place)}
							>
								<span>{sample.name}</span>
								<small>{saying(sample, samples)}</small>
							</UnstyledButton>
							{editable && (
								<ActionIcon
									variant="subtle"
									color="gray"
									size={20}
									aria-label={`Remove ${sample.name}`}
									onClick={() => {
										setOpened(null);
										set(
											samples.filter((_, other) => other !== place),
											"one sample less",
										);
									}}
								>
									<IconX size={12} />
								</ActionIcon>
							)}
							{opened === place && (
								<Fields
									sample={sample}
									disabled={!editable}
									onDone={(change) =>
										set(
											samples.map((one, other) => (other === place ? { ...one, ...change } : one)),
											"own sound",
										)
									}
								/>
							)}
						</li>
					))}
				</ul>
			)}
			{editable && (
				<Group gap={5}>
					<FileButton
						multiple
						accept={soundEndings.join(",")}
						onChange={(chosen) => void add(chosen)}
						inputProps={{ "aria-label": "Sound files for this stroke" }}
					>
						{(props) => (
							<Button {...props} size="compact-xs" variant="default" loading={busy}>
								{samples.length === 0 ? "Choose files …" : "Add files …"}
							</Button>
						)}
					</FileButton>
					{samples.length > 0 && (
						<Tooltip
							label={`${plural(samples.length, "sample")} will not be heard any more; undo brings them back`}
						>
							<Button
								size="compact-xs"
								variant="default"
								data-built-in
								onClick={() => set([], "the built-in sound")}
							>
								Built-in sound
							</Button>
						</Tooltip>
					)}
				</Group>
			)}
		</section>
	);
}

function saying(sample: Sample, samples: Sample[]) {
	const { from = 1, to = 127, turn = 1, volume = 0 } = sample;
	const turns = samples.filter((one) => (one.from ?? 1) === from && (one.to ?? 127) === to);
	const place = turns.filter((one) => (one.turn ?? 1) <= turn).length;
	const alternate = turns.length > 1 ? ` · ${place} of ${turns.length}` : "";
	const level = volume === 0 ? "" : ` · ${volume > 0 ? "+" : "−"}${Math.abs(volume)} dB`;
	return `${from}–${to}${alternate}${level}`;
}

interface FieldsProps {
	sample: Sample;
	disabled: boolean;
	onDone: (change: Partial<Sample>) => void;
}

function Fields({ sample, disabled, onDone }: FieldsProps) {
	const { from = 1, to = 127, volume = 0, pan = 0 } = sample;
	return (
		<div className={classes.sampleFields}>
			<Value
				label="from"
				value={from}
				min={1}
				max={to}
				disabled={disabled}
				onDone={(from) => onDone({ from })}
			/>
			<Value label="to" value={to} min={from} max={127} disabled={disabled} onDone={(to) => onDone({ to })} />
			<Value
				label="dB"
				value={volume}
				min={-96}
				max={24}
				disabled={disabled}
				onDone={(volume) => onDone({ volume })}
			/>
			<Value
				label="pan"
				value={pan}
				min={-100}
				max={100}
				disabled={disabled}
				onDone={(pan) => onDone({ pan })}
			/>
		</div>
	);
}

interface ValueProps {
	label: string;
	value: number;
	min: number;
	max: number;
	disabled: boolean;
	onDone: (value: number) => void;
}

const Value = ({ onDone, ...props }: ValueProps) => (
	<EditedNumber {...props} hideControls onDone={(value) => value !== null && onDone(value)} />
);
