import { Group, Slider, Text } from "@mantine/core";

interface Props {
	value: number;
	onChange: (value: number) => void;
	/** It was let go. */
	onChangeEnd?: (value: number) => void;
	/** How many are found: in words, and as a number. */
	found: string;
	count: number;
}

/** How little suffices to be an onset, and how many that finds. */
export function OnsetSlider({ value, onChange, onChangeEnd, found, count }: Props) {
	return (
		<Group gap={10} wrap="nowrap" align="center">
			<Text size="xs">Onsets</Text>
			<Slider
				style={{ flex: 1 }}
				min={0}
				max={100}
				label={null}
				value={value}
				onChange={onChange}
				onChangeEnd={onChangeEnd}
				thumbLabel="How little suffices to be an onset"
			/>
			<Text size="xs" style={{ fontVariantNumeric: "tabular-nums" }} role="status" data-onset-count={count}>
				{found}
			</Text>
		</Group>
	);
}
