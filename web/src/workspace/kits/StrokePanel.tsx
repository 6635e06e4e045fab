import { ActionIcon, Button, Group, Select, Tooltip } from "@mantine/core";
import { IconArrowDown, IconArrowUp } from "@tabler/icons-react";
import type { ReactNode } from "react";
import type { Family, Hand, Instrument, Kit, KitSounds, Limb } from "../../api/generated/types";
import { EditedNumber, EditedText } from "../../lib/fields";
import { noteName } from "../../lib/words";
import { familyNames } from "../grooves/families";
import classes from "./Kits.module.css";
import {
	freeNote,
	movedInstrument,
	type StrokeAt,
	withInstrument,
	withNewInstrument,
	withNewStroke,
	withNote,
	withoutStroke,
	withStroke,
} from "./kits";
import { LayerBar } from "./LayerBar";
import { OwnSounds } from "./OwnSounds";
import type { Hear } from "./useEar";

const limbNames: Record<Limb, string> = {
	"right-hand": "right hand",
	"left-hand": "left hand",
	"either-hand": "either hand",
	"right-foot": "right foot",
	"left-foot": "left foot",
	none: "nobody",
};
const handNames: Record<Hand, string> = { either: "either hand", left: "left", right: "right" };
const options = (names: Record<string, string>) =>
	Object.entries(names).map(([value, label]) => ({ value, label }));
const channels = (none: string) => [
	{ value: "", label: none },
	...Array.from({ length: 16 }, (_, channel) => ({ value: `${channel}`, label: `ch ${channel + 1}` })),
];

interface Props {
	kit: Kit;
	sounds: KitSounds;
	at: StrokeAt | null;
	editable: boolean;
	/** Own sounds whose files are gone. */
	missing: string[];
	learning: boolean;
	onLearning: (learning: boolean) => void;
	onChoose: (at: StrokeAt | null) => void;
	onDraft: (kit: Kit) => void;
	onChange: (label: string, kit: Kit) => void;
	hear: Hear;
}

/** The stroke that is chosen and its instrument: what they are, how they are sent, how they sound. */
export function StrokePanel(props: Props) {
	const { kit, at, editable, onChange, onChoose } = props;
	const instrument = at ? kit.instruments[at.instrument] : undefined;
	const free = freeNote(kit);
	return (
		<aside className={classes.panel} aria-label="Stroke">
			{at && instrument?.articulations[at.stroke] ? (
				<Chosen key={`${instrument.id} ${at.stroke}`} {...props} at={at} instrument={instrument} />
			) : (
				<p className={classes.hint}>
					Choose a stroke to hear it, and to see how it is sent. Higher on a pad is harder.
				</p>
			)}
			{editable && free !== null && (
				<Button
					size="compact-sm"
					variant="default"
					onClick={() => {
						onChange("add an instrument", withNewInstrument(kit, free));
						onChoose({ instrument: kit.instruments.length, stroke: 0 });
					}}
				>
					Add an instrument
				</Button>
			)}
		</aside>
	);
}

interface FieldProps {
	label: string;
	children: ReactNode;
}

function Field({ label, children }: FieldProps) {
	return (
		<div className={classes.field}>
			<span>{label}</span>
			{children}
		</div>
	);
}

/** A text that is kept when it is left or Enter is pressed. */
const Text = ({ label, ...props }: TextProps) => <EditedText {...props} aria-label={label} maxLength={80} />;

interface TextProps {
	label: string;
	value: string;
	disabled: boolean;
	placeholder?: string;
	onDone: (value: string) => void;
}

interface NumberProps {
	label: string;
	value: number | null;
	min: number;
	max: number;
	disabled: boolean;
	placeholder?: string;
	onDone: (value: number | null) => void;
}

const Numeric = ({ label, ...props }: NumberProps) => (
	<EditedNumber {...props} aria-label={label} hideControls />
);

interface ChosenProps extends Props {
	at: StrokeAt;
	instrument: Instrument;
}

function Chosen({
	kit,
	sounds,
	at,
	instrument,
	editable,
	missing,
	learning,
	onLearning,
	onChoose,
	onDraft,
	onChange,
	hear,
}: ChosenProps) {
	const way = instrument.articulations[at.stroke];
	const name = instrument.name.toLowerCase();
	const free = freeNote(kit);
	const of = (label: string, change: Partial<Instrument>) =>
		onChange(`${label} of ${name}`, withInstrument(kit, at.instrument, change));
	const stroke = (label: string, change: Parameters<typeof withStroke>[2]) =>
		onChange(`${label} of ${name}, ${way.name}`, withStroke(kit, at, change));
	const move = (by: number) => {
		onChange(`move ${name}`, movedInstrument(kit, at.instrument, by));
		onChoose({ ...at, instrument: at.instrument + by });
	};
	const channel = (value: string | null) => (value ? Number(value) : undefined);
	return (
		<>
			<h3>
				{instrument.name}, {way.name}
			</h3>
			<Field label="called">
				<Text
					label="Name of the stroke"
					value={way.name}
					disabled={!editable}
					onDone={(name) => stroke("name", { name })}
				/>
			</Field>
			<Field label="comes in as">
				<div className={classes.pair}>
					<Numeric
						key={way.note}
						label="Note that comes in"
						value={way.note}
						min={0}
						max={127}
						disabled={!editable}
						onDone={(note) =>
							note !== null &&
							onChange(`note ${note} for ${name}, ${way.name}`, withNote(kit, at, note, way.channel))
						}
					/>
					<Select
						size="xs"
						aria-label="Channel that it comes in on"
						allowDeselect={false}
						disabled={!editable}
						data={channels("any")}
						value={`${way.channel ?? ""}`}
						onChange={(value) => stroke("channel", { channel: channel(value) })}
					/>
				</div>
			</Field>
			{editable && (
				<Button
					size="compact-xs"
					variant={learning ? "filled" : "default"}
					data-learn
					onClick={() => onLearning(!learning)}
				>
					{learning ? "Choose a note, or strike a pad …" : "Learn it from a note or a pad"}
				</Button>
			)}
			<Field label="goes out as">
				<div className={classes.pair}>
					<Numeric
						key={way.note_out}
						label="Note that goes out"
						value={way.note_out ?? null}
						min={0}
						max={127}
						placeholder={`${way.note}`}
						disabled={!editable}
						onDone={(note) => stroke("note out", { note_out: note ?? undefined })}
					/>
					<Select
						size="xs"
						aria-label="Channel that it goes out on"
						allowDeselect={false}
						disabled={!editable}
						data={channels("as it came")}
						value={`${way.channel_out ?? ""}`}
						onChange={(value) => stroke("channel out", { channel_out: channel(value) })}
					/>
				</div>
			</Field>
			<Field label="sampled for">
				<Select
					size="xs"
					aria-label="Hand that it is sampled for"
					allowDeselect={false}
					disabled={!editable}
					data={options(handNames)}
					value={way.hand ?? "either"}
					onChange={(value) => stroke("hand", { hand: value as Hand })}
				/>
			</Field>
			<h4>Sounds</h4>
			<OwnSounds
				kit={kit}
				at={at}
				of={`${name}, ${way.name}`}
				editable={editable}
				missing={missing}
				onChange={onChange}
			/>
			<h4>{instrument.name}</h4>
			<LayerBar
				instrument={instrument}
				editable={editable}
				onHear={(velocity) => hear(way.note, velocity)}
				onDraft={(layers) => onDraft(withInstrument(kit, at.instrument, { layers }))}
				onChange={(layers) => of("layers", { layers })}
			/>
			{editable && (
				<Field label="layers">
					<Select
						size="xs"
						aria-label="How many layers"
						allowDeselect={false}
						data={[1, 2, 3, 4, 5, 6, 8, 10, 12, 16].map(String)}
						value={`${instrument.layers.length}`}
						onChange={(value) => of("layers", { layers: evenly(Number(value)) })}
					/>
				</Field>
			)}
			<Field label="sent at %, +">
				<Group gap={4} wrap="nowrap">
					<Numeric
						key={`scale ${instrument.scale}`}
						label="Scale of its velocities"
						value={instrument.scale ?? 100}
						min={1}
						max={400}
						disabled={!editable}
						onDone={(scale) => of("scale", { scale: scale ?? 100 })}
					/>
					<Numeric
						key={`offset ${instrument.offset}`}
						label="Offset of its velocities"
						value={instrument.offset ?? 0}
						min={-126}
						max={126}
						disabled={!editable}
						onDone={(offset) => of("offset", { offset: offset ?? 0 })}
					/>
					<Curve sent={sounds.kinds[sounds.responses[way.note]].sent} />
				</Group>
			</Field>
			<Field label="called">
				<Text
					label="Name of the instrument"
					value={instrument.name}
					disabled={!editable}
					onDone={(name) => of("name", { name })}
				/>
			</Field>
			<Field label="is a">
				<Select
					size="xs"
					aria-label="Family"
					allowDeselect={false}
					disabled={!editable}
					data={options(familyNames)}
					value={instrument.family}
					onChange={(value) => of("family", { family: value as Family })}
				/>
			</Field>
			<Field label="played by">
				<Select
					size="xs"
					aria-label="Limb"
					allowDeselect={false}
					disabled={!editable}
					data={options(limbNames)}
					value={instrument.limb}
					onChange={(value) => of("limb", { limb: value as Limb })}
				/>
			</Field>
			<Field label="chokes with">
				<Text
					label="Choke group"
					value={instrument.choke ?? ""}
					placeholder="nothing"
					disabled={!editable}
					onDone={(choke) => of("choke", { choke: choke === "" ? undefined : choke })}
				/>
			</Field>
			{editable && (
				<Group gap={5}>
					{free !== null && (
						<Button
							size="compact-xs"
							variant="default"
							onClick={() => {
								onChange(`another stroke of ${name}`, withNewStroke(kit, at.instrument, free));
								onChoose({ ...at, stroke: instrument.articulations.length });
							}}
						>
							Add a stroke
						</Button>
					)}
					<Button
						size="compact-xs"
						variant="default"
						disabled={kit.instruments.length === 1 && instrument.articulations.length === 1}
						onClick={() => {
							onChange(`remove ${name}, ${way.name}`, withoutStroke(kit, at));
							onChoose(null);
						}}
					>
						Remove this stroke
					</Button>
					{[-1, 1].map((by) => (
						<Tooltip key={by} label={by < 0 ? "Further up" : "Further down"}>
							<ActionIcon
								variant="default"
								size={22}
								aria-label={`Move ${instrument.name} ${by < 0 ? "up" : "down"}`}
								disabled={!kit.instruments[at.instrument + by]}
								onClick={() => move(by)}
							>
								{by < 0 ? <IconArrowUp size={14} /> : <IconArrowDown size={14} />}
							</ActionIcon>
						</Tooltip>
					))}
				</Group>
			)}
			<p className={classes.hint}>
				{noteName(way.note)} in{way.note_out !== undefined && `, ${noteName(way.note_out)} out`}.
			</p>
		</>
	);
}

/** Layers of one width. */
const evenly = (count: number) =>
	Array.from({ length: count }, (_, place) => ({
		name: `layer ${place + 1}`,
		from: 1 + Math.round((place * 127) / count),
	}));

/** What is sent for what is played. */
function Curve({ sent }: { sent: number[] }) {
	const room = 34;
	const points = sent
		.slice(1)
		.map((out, place) => `${((place + 1) / 127) * room},${room - (out / 127) * room}`);
	return (
		<svg
			width={room}
			height={room}
			className={classes.curve}
			role="img"
			aria-label="What is sent for what is played"
		>
			<line x1={0} y1={room} x2={room} y2={0} />
			<polyline points={points.join(" ")} />
		</svg>
	);
}
