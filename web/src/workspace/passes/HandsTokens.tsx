import { ActionIcon, Button, Menu, NumberInput, Popover, Select, TextInput } from "@mantine/core";
import { IconPlus, IconX } from "@tabler/icons-react";
import { useState } from "react";
import type { Values, Way } from "../../api/generated/types";
import { isEnter } from "../../lib/fields";
import { PickOne } from "../../lib/PickOne";
import { useWorkspace } from "../../part/store";
import { useOffered, useStruckFirst } from "../../part/useUsed";
import classes from "./Passes.module.css";
import { slotsInWords, wayInWords } from "./words";

interface AroundProps {
	label: string;
	slots: number[];
	farthest: number;
	onChange: (slots: number[]) => void;
}

/** Slots before and after a hit, pressed on and off. */
export function AroundToken({ label, slots, farthest, onChange }: AroundProps) {
	const all = Array.from({ length: 2 * farthest + 1 }, (_, place) => place - farthest);
	const toggle = (slot: number) =>
		onChange(
			slots.includes(slot) ? slots.filter((other) => other !== slot) : [...slots, slot].sort((a, b) => a - b),
		);
	return (
		<Popover position="bottom" trapFocus returnFocus>
			<Popover.Target>
				<button type="button" className={classes.token} aria-label={`${label}: ${slotsInWords(slots)}`}>
					{slotsInWords(slots)}
				</button>
			</Popover.Target>
			<Popover.Dropdown p={10}>
				<div className={classes.around}>
					{all.map((slot) =>
						slot === 0 ? (
							<span key={slot} className={classes.aroundHit} title="the hit itself" />
						) : (
							<button
								key={slot}
								type="button"
								aria-pressed={slots.includes(slot)}
								aria-label={`${Math.abs(slot)} ${slot < 0 ? "before" : "after"}`}
								title={`${Math.abs(slot)} ${slot < 0 ? "before" : "after"}`}
								data-slot={slot}
								onClick={() => toggle(slot)}
							>
								{Math.abs(slot)}
							</button>
						),
					)}
				</div>
			</Popover.Dropdown>
		</Popover>
	);
}

interface TextProps {
	label: string;
	value: string;
	onChange: (value: string) => void;
}

/** The strokes of what the part strikes, by name. */
function useStrokes() {
	const instruments = useOffered();
	return [...new Set(instruments.flatMap(({ articulations }) => articulations.map(({ name }) => name)))];
}

export function StrokeToken({ label, value, onChange }: TextProps) {
	const strokes = useStrokes();
	return (
		<Chooser
			label={label}
			shown={value}
			options={strokes.map((name) => ({ value: name, label: name }))}
			onChange={onChange}
		/>
	);
}

export function InstrumentToken({ label, value, onChange }: TextProps) {
	const instruments = useWorkspace((state) => state.part.kit.instruments);
	const offered = useStruckFirst();
	const shown = instruments.find(({ id }) => id === value)?.name.toLowerCase() ?? `${value} (not here)`;
	return (
		<PickOne
			what="a drum"
			options={offered.map(({ id, name }) => ({ value: id, label: name }))}
			onPick={onChange}
			target={(toggle) => (
				<button type="button" className={classes.token} aria-label={`${label}: ${shown}`} onClick={toggle}>
					{shown}
				</button>
			)}
		/>
	);
}

interface ChooserProps {
	label: string;
	shown: string;
	options: { value: string; label: string }[];
	onChange: (value: string) => void;
}

function Chooser({ label, shown, options, onChange }: ChooserProps) {
	return (
		<Menu>
			<Menu.Target>
				<button type="button" className={classes.token} aria-label={`${label}: ${shown}`}>
					{shown}
				</button>
			</Menu.Target>
			<Menu.Dropdown mah={320} style={{ overflowY: "auto" }}>
				{options.map((one) => (
					<Menu.Item key={one.value} onClick={() => onChange(one.value)}>
						{one.label}
					</Menu.Item>
				))}
			</Menu.Dropdown>
		</Menu>
	);
}

type WordValues = Extract<Values, { kind: "word" }>;

/** A few letters, typed. */
export function WordToken({ label, value, values, onChange }: TextProps & { values: WordValues }) {
	const [opened, setOpened] = useState(false);
	const [text, setText] = useState(value);
	const kept = [...text.toUpperCase()].filter((one) => values.letters.includes(one)).join("");
	const done = () => {
		setOpened(false);
		if (kept !== "" && kept !== value) onChange(kept.slice(0, values.most));
	};
	return (
		<Popover
			opened={opened}
			onChange={(next) => (next ? setOpened(true) : done())}
			position="bottom"
			trapFocus
			returnFocus
		>
			<Popover.Target>
				<button
					type="button"
					className={classes.token}
					aria-label={`${label}: ${value}`}
					onClick={() => {
						setText(value);
						setOpened(true);
					}}
				>
					{value}
				</button>
			</Popover.Target>
			<Popover.Dropdown p={8}>
				<TextInput
					size="xs"
					aria-label={label}
					description={`Letters ${[...values.letters].join(" and ")}`}
					value={text}
					maxLength={values.most}
					onChange={(event) => setText(event.currentTarget.value)}
					onKeyDown={(event) => isEnter(event) && done()}
				/>
			</Popover.Dropdown>
		</Popover>
	);
}

interface WaysProps {
	label: string;
	ways: Way[];
	onChange: (ways: Way[]) => void;
}

const mostWays = 16;

/** Sounds with their odds: a stroke of the kit, or so many keys away. */
export function WaysToken({ label, ways, onChange }: WaysProps) {
	const strokes = useStrokes();
	const shown = ways.map(wayInWords).join(", ");
	const set = (place: number, way: Partial<Way>) =>
		onChange(ways.map((one, other) => (other === place ? { ...one, ...way } : one)));
	const options = [
		{ group: "Strokes", items: strokes.map((name) => ({ value: `s ${name}`, label: name })) },
		{
			group: "Keys away",
			items: [0, 1, -1, 2, -2, 3, -3, 5, -5, 7, -7, 12, -12].map((keys) => ({
				value: `k ${keys}`,
				label: wayInWords({ keys, odds: 0 }),
			})),
		},
	];
	return (
		<Popover position="bottom" trapFocus returnFocus width={310}>
			<Popover.Target>
				<button type="button" className={classes.token} aria-label={`${label}: ${shown}`}>
					{shown}
				</button>
			</Popover.Target>
			<Popover.Dropdown p={10}>
				{ways.map((way, place) => (
					<div key={place} className={classes.way}>
						<Select
							size="xs"
							aria-label={`Sound ${place + 1}`}
							allowDeselect={false}
							comboboxProps={{ withinPortal: false }}
							data={options}
							value={way.stroke ? `s ${way.stroke}` : `k ${way.keys ?? 0}`}
							onChange={(value) => {
								if (!value) return;
								const rest = value.slice(2);
								const next = value.startsWith("s") ? { stroke: rest, keys: 0 } : { keys: Number(rest) };
								onChange(ways.map((one, other) => (other === place ? { odds: one.odds, ...next } : one)));
							}}
						/>
						<NumberInput
							size="xs"
							w={74}
							aria-label={`Odds of sound ${place + 1}`}
							min={0}
							max={100}
							suffix=" %"
							value={way.odds}
							onChange={(odds) => set(place, { odds: Number(odds) || 0 })}
						/>
						<ActionIcon
							variant="subtle"
							color="gray"
							size="sm"
							aria-label={`Without sound ${place + 1}`}
							disabled={ways.length === 1}
							onClick={() => onChange(ways.filter((_, other) => other !== place))}
						>
							<IconX size={14} />
						</ActionIcon>
					</div>
				))}
				<Button
					size="compact-xs"
					variant="default"
					leftSection={<IconPlus size={13} />}
					disabled={ways.length >= mostWays}
					onClick={() => onChange([...ways, { keys: ways.length, odds: 50 }])}
				>
					One more sound
				</Button>
			</Popover.Dropdown>
		</Popover>
	);
}
