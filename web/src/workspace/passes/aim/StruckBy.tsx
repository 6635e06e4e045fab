/** Conditions on how a hit is struck: by which hand, on which channel, where in a chord, as a grace note. */
import { Checkbox, Group, Stack } from "@mantine/core";
import type { ChordPlace, GraceNotes, Side } from "../../../api/generated/types";
import { listed } from "../../../lib/words";
import { type AimProps, ConditionToken } from "./ConditionToken";

const hands: Record<Side, string> = { left: "by the left hand or foot", right: "by the right hand or foot" };

const chords: Record<ChordPlace, string> = {
	any: "the notes of chords",
	top: "the top note of chords",
	bottom: "the bottom note of chords",
	inner: "the inner notes of chords",
};

interface OneOfProps<T extends string> extends AimProps {
	condition: "hand" | "chord" | "grace";
	value: T;
	words: Record<T, string>;
}

function OneOf<T extends string>({ value, words, ...props }: OneOfProps<T>) {
	const { aim, onChange, condition } = props;
	return (
		<ConditionToken {...props} words={words[value]}>
			<Stack gap={4}>
				{(Object.keys(words) as T[]).map((one) => (
					<Checkbox
						key={one}
						size="xs"
						radius="xl"
						label={words[one]}
						checked={one === value}
						onChange={() => onChange({ ...aim, [condition]: one })}
					/>
				))}
			</Stack>
		</ConditionToken>
	);
}

export const HandToken = (props: AimProps & { hand: Side }) => (
	<OneOf {...props} condition="hand" value={props.hand} words={hands} />
);

export const ChordToken = (props: AimProps & { chord: ChordPlace }) => (
	<OneOf {...props} condition="chord" value={props.chord} words={chords} />
);

const graceNotes: Record<GraceNotes, string> = {
	only: "grace notes alone",
	none: "all but grace notes",
	led: "hits with grace notes",
};

export const GraceToken = (props: AimProps & { grace: GraceNotes }) => (
	<OneOf {...props} condition="grace" value={props.grace} words={graceNotes} />
);

/** Channels count from 1 for people. */
export function ChannelsToken(props: AimProps & { channels: number[] }) {
	const { aim, onChange, channels } = props;
	const shown = [...channels].sort((a, b) => a - b).map((channel) => String(channel + 1));
	const toggled = (channel: number) => {
		const next = channels.includes(channel)
			? channels.filter((one) => one !== channel)
			: [...channels, channel];
		if (next.length > 0) onChange({ ...aim, channels: next });
	};
	return (
		<ConditionToken {...props} condition="channels" words={`on channel ${listed(shown)}`}>
			<Group gap={6}>
				{Array.from({ length: 16 }, (_, channel) => (
					<Checkbox
						key={shownChannel(channel)}
						size="xs"
						label={shownChannel(channel)}
						checked={channels.includes(channel)}
						onChange={() => toggled(channel)}
					/>
				))}
			</Group>
		</ConditionToken>
	);
}

const shownChannel = (channel: number) => String(channel + 1);
