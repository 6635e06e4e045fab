import { Button, Group, Text } from "@mantine/core";
import type { Positions } from "../../../api/generated/types";
import { listed, plural } from "../../../lib/words";
import { GridToken, gridInWords } from "../GridToken";
import { NumberToken } from "../NumberToken";
import { SlotStrip, useSlots } from "../SlotStrip";
import { type AimProps, ConditionToken, useAimNumbers } from "./ConditionToken";

export function PositionsToken(props: AimProps & { positions: Positions }) {
	const { aim, onChange, positions } = props;
	const { grid, slots, bars, tolerance } = positions;
	const found = useSlots(grid, bars);
	const number = useAimNumbers();
	const choice = found?.choices.find(({ slots: some }) => some.join() === slots.join());
	const named = slots.map((slot) => found?.slots[slot - 1]?.name ?? `slot ${slot}`);
	const words =
		choice?.name ?? (slots.length > 0 && slots.length < 4 ? listed(named) : plural(slots.length, "slot"));
	const change = (next: Partial<Positions>) => onChange({ ...aim, positions: { ...positions, ...next } });
	return (
		<>
			<ConditionToken {...props} condition="positions" words={words} width={bars > 1 ? 520 : 380}>
				<Text size="sm">
					in <GridToken label="Grid" value={grid} onChange={(next) => change({ grid: next, slots: [] })} />{" "}
					over{" "}
					<NumberToken
						label="Bars"
						value={bars}
						values={number("positions.bars", bars === 1 ? "bar" : "bars")}
						onChange={(value) => value !== null && change({ bars: value })}
						onDone={() => undefined}
					/>
					, up to{" "}
					<NumberToken
						label="Tolerance"
						value={tolerance}
						values={number("positions.tolerance")}
						onChange={(value) => value !== null && change({ tolerance: value })}
						onDone={() => undefined}
					/>{" "}
					of a slot off
				</Text>
				<SlotStrip grid={grid} bars={bars} chosen={slots} onChange={(next) => change({ slots: next })} />
				<Group gap={5}>
					{found?.choices.map(({ name, slots: some }) => (
						<Button
							key={name}
							size="compact-xs"
							variant={some.join() === slots.join() ? "filled" : "default"}
							onClick={() => change({ slots: some })}
						>
							{name}
						</Button>
					))}
				</Group>
			</ConditionToken>
			{grid === "1/16" ? "" : ` in ${gridInWords(grid)}`}
		</>
	);
}
