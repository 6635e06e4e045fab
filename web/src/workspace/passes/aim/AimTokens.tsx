import { Button, Checkbox, Group, NumberInput, Popover, Stack, Text } from "@mantine/core";
import { Fragment, type ReactNode, useState } from "react";
import type { BarRange, Turned } from "../../../api/generated/types";
import { barCount } from "../../../part/song";
import { useWorkspace } from "../../../part/store";
import { useOffered } from "../../../part/useUsed";
import classes from "../Passes.module.css";
import { barsInWords, capital, familiesOf, instrumentsInWords, isEveryBar, several } from "../words";
import { type AimProps, AllBut } from "./ConditionToken";
import { conditionsOf } from "./conditions";

type Props = Pick<AimProps, "aim" | "onChange">;

/** “Closed hat, bars 1–8, offbeats:” whom a pass is for. What is not narrowed is not said. */
export function AimTokens(props: AimProps) {
	const { aim, turned, onChange } = props;
	if (props.bars)
		return (
			<>
				<span className={classes.stuck}>
					<BarsToken aim={aim} onChange={onChange} begins />:
				</span>{" "}
			</>
		);
	const but = (before: Turned) => <AllBut {...{ aim, turned, onChange }} before={before} />;
	const nodes: [string, ReactNode][] = [
		[
			"instruments",
			<>
				{but("instruments")}
				<InstrumentsToken aim={aim} onChange={onChange} begins={turned !== "instruments"} />
			</>,
		],
	];
	if (!isEveryBar(aim)) {
		nodes.push([
			"bars",
			<>
				{but("bars")}
				<BarsToken aim={aim} onChange={onChange} />
			</>,
		]);
	}
	nodes.push(...conditionsOf(props));
	return nodes.map(([key, node], place) => (
		<Fragment key={key}>
			<span className={classes.stuck}>
				{node}
				{place < nodes.length - 1 ? "," : ":"}
			</span>{" "}
		</Fragment>
	));
}

function InstrumentsToken({ aim, onChange, begins }: Props & { begins: boolean }) {
	const ids = aim.instruments ?? [];
	const offered = useOffered(ids);
	const named = instrumentsInWords(aim, offered);
	const words = begins ? capital(named) : named;
	const toggle = (id: string) => {
		const chosen = ids.includes(id) ? ids.filter((one) => one !== id) : [...ids, id];
		onChange({ ...aim, instruments: chosen.length > 0 ? chosen : undefined });
	};
	const toggleAll = (of: string[]) => {
		const others = ids.filter((id) => !of.includes(id));
		const chosen = of.every((id) => ids.includes(id)) ? others : [...others, ...of];
		onChange({ ...aim, instruments: chosen.length > 0 ? chosen : undefined });
	};
	const ways = aim.articulations ?? [];
	const toggleWay = (way: string) => {
		const chosen = ways.includes(way) ? ways.filter((one) => one !== way) : [...ways, way];
		onChange({ ...aim, articulations: chosen.length > 0 ? chosen : undefined });
	};
	return (
		<Popover position="bottom-start" trapFocus returnFocus>
			<Popover.Target>
				<button type="button" className={classes.token} aria-label={`Instruments: ${words}`}>
					{words}
				</button>
			</Popover.Target>
			<Popover.Dropdown mah={420} style={{ overflowY: "auto" }}>
				<Stack gap={7}>
					<Checkbox
						size="xs"
						label="everything"
						checked={ids.length === 0}
						onChange={() => onChange({ ...aim, instruments: undefined })}
					/>
					{familiesOf(offered).map(([family, of]) => (
						<Checkbox
							key={family}
							size="xs"
							label={`all ${several[family]}`}
							checked={of.every((id) => ids.includes(id))}
							indeterminate={of.some((id) => ids.includes(id)) && !of.every((id) => ids.includes(id))}
							onChange={() => toggleAll(of)}
						/>
					))}
					{offered.map(({ id, name, articulations }) => (
						<Fragment key={id}>
							<Checkbox size="xs" label={name} checked={ids.includes(id)} onChange={() => toggle(id)} />
							{ids.includes(id) &&
								articulations.length > 1 &&
								// Those of both hands have one name.
								[...new Set(articulations.map((way) => way.name))].map((way) => (
									<Checkbox
										key={way}
										size="xs"
										ml={20}
										label={`only ${way}`}
										checked={ways.includes(way)}
										onChange={() => toggleWay(way)}
									/>
								))}
						</Fragment>
					))}
				</Stack>
			</Popover.Dropdown>
		</Popover>
	);
}

function BarsToken({ aim, onChange, begins = false }: Props & { begins?: boolean }) {
	const [opened, setOpened] = useState(false);
	const song = useWorkspace((state) => state.song);
	const loop = useWorkspace((state) => state.loop);
	const bars = barCount(song);
	const ranges = aim.bars ?? [];
	const plain = barsInWords(aim);
	const words = begins ? capital(plain) : plain;
	const [first, last] = [ranges[0]?.from ?? 1, ranges[0]?.to ?? bars];
	const choose = (range: BarRange | null) => onChange({ ...aim, bars: range ? [range] : undefined });
	const chosen = aim.sections ?? [];
	const names = [...new Set([...song.sections.map(({ name }) => name), ...chosen])];
	const toggle = (name: string) => {
		const next = chosen.includes(name) ? chosen.filter((one) => one !== name) : [...chosen, name];
		onChange({ ...aim, sections: next.length > 0 ? next : undefined });
	};
	const set = (which: "from" | "to", value: number | string) => {
		if (typeof value !== "number" || !Number.isInteger(value)) return;
		if (which === "from") choose({ from: value, to: Math.max(value, last) });
		else choose({ from: Math.min(first, value), to: value });
	};
	return (
		<Popover opened={opened} onChange={setOpened} position="bottom-start" trapFocus returnFocus width={250}>
			<Popover.Target>
				<button
					type="button"
					className={classes.token}
					aria-label={`Bars: ${words}`}
					onClick={() => setOpened(!opened)}
				>
					{words}
				</button>
			</Popover.Target>
			<Popover.Dropdown>
				<Stack gap="xs">
					<Group gap={6} grow>
						<NumberInput
							size="xs"
							label="from bar"
							min={1}
							max={bars}
							value={first}
							onChange={(value) => set("from", value)}
						/>
						<NumberInput
							size="xs"
							label="to bar"
							min={1}
							max={bars}
							value={last}
							onChange={(value) => set("to", value)}
						/>
					</Group>
					<Group gap={6}>
						<Button
							size="compact-xs"
							variant="default"
							onClick={() => onChange({ ...aim, bars: undefined, sections: undefined })}
						>
							every bar
						</Button>
						<Button
							size="compact-xs"
							variant="default"
							onClick={() => choose({ from: loop[0], to: loop[1] })}
						>
							the loop
						</Button>
					</Group>
					{names.length > 0 && (
						<>
							<Text size="xs" c="dimmed">
								Sections, wherever they are
							</Text>
							<Group gap={6}>
								{names.map((name) => (
									<Button
										key={name}
										size="compact-xs"
										variant={chosen.includes(name) ? "filled" : "default"}
										aria-pressed={chosen.includes(name)}
										maw={200}
										onClick={() => toggle(name)}
									>
										{name}
									</Button>
								))}
							</Group>
						</>
					)}
				</Stack>
			</Popover.Dropdown>
		</Popover>
	);
}
