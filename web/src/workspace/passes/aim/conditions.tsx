import { Checkbox, RangeSlider, Stack, Text } from "@mantine/core";
import type { ReactNode } from "react";
import type { Near, VelocityRange } from "../../../api/generated/types";
import { plain, plural } from "../../../lib/words";
import { useWorkspace } from "../../../part/store";
import { useOffered } from "../../../part/useUsed";
import { NumberToken } from "../NumberToken";
import classes from "../Passes.module.css";
import { type AimProps, AllBut, ConditionToken, useAimNumbers } from "./ConditionToken";
import { LengthToken, RunToken, SpeedToken } from "./InTime";
import { PositionsToken } from "./PositionsToken";
import { ChannelsToken, ChordToken, GraceToken, HandToken } from "./StruckBy";

/** All conditions that an aim has, in words. */
export function conditionsOf(props: AimProps): [string, ReactNode][] {
	const { aim, onChange, turned } = props;
	const all: [string, ReactNode][] = [];
	if (aim.positions) all.push(["positions", <PositionsToken key="" {...props} positions={aim.positions} />]);
	if (aim.velocity) all.push(["velocity", <VelocityToken key="" {...props} velocity={aim.velocity} />]);
	if (aim.length) all.push(["length", <LengthToken key="" {...props} length={aim.length} />]);
	if (aim.speed) all.push(["speed", <SpeedToken key="" {...props} speed={aim.speed} />]);
	if (aim.run) all.push(["run", <RunToken key="" {...props} run={aim.run} />]);
	if (aim.hand) all.push(["hand", <HandToken key="" {...props} hand={aim.hand} />]);
	if (aim.channels && aim.channels.length > 0)
		all.push(["channels", <ChannelsToken key="" {...props} channels={aim.channels} />]);
	if (aim.grace) all.push(["grace", <GraceToken key="" {...props} grace={aim.grace} />]);
	if (aim.chord) all.push(["chord", <ChordToken key="" {...props} chord={aim.chord} />]);
	if (aim.with) all.push(["with", <NearToken key="" {...props} condition="with" near={aim.with} />]);
	if (aim.without)
		all.push(["without", <NearToken key="" {...props} condition="without" near={aim.without} />]);
	if (aim.share !== undefined) all.push(["share", <ShareToken key="" {...props} share={aim.share} />]);
	if (aim.picked) {
		all.push([
			"picked",
			<button
				key=""
				type="button"
				className={classes.token}
				title="Press to aim at all of them again"
				onClick={() => onChange({ ...aim, picked: undefined })}
			>
				{plural(aim.picked.length, "picked hit")}
			</button>,
		]);
	}
	if (turned === "conditions" && all.length > 0) {
		const [key, node] = all[0];
		all[0] = [
			key,
			<>
				<AllBut {...props} before="conditions" />
				{node}
			</>,
		];
	}
	if (turned === "articulations") all.push(["all-but", <AllBut key="" {...props} before="articulations" />]);
	return all;
}

function VelocityToken(props: AimProps & { velocity: VelocityRange }) {
	const { aim, onChange } = props;
	const { from, to } = props.velocity;
	return (
		<ConditionToken {...props} condition="velocity" words={`velocity ${from}–${to}`}>
			<Text size="sm">As loud as this when they reach this pass</Text>
			<RangeSlider
				min={1}
				max={127}
				minRange={0}
				value={[from, to]}
				onChange={([low, high]) => onChange({ ...aim, velocity: { from: low, to: high } })}
				thumbFromLabel="Softest"
				thumbToLabel="Loudest"
			/>
		</ConditionToken>
	);
}

function NearToken(props: AimProps & { condition: "with" | "without"; near: Near }) {
	const { aim, onChange, condition, near } = props;
	const instruments = useWorkspace((state) => state.part.kit.instruments);
	const number = useAimNumbers();
	const offered = useOffered(near.instruments);
	const chosen = near.instruments.map(
		(id) => instruments.find((one) => one.id === id)?.name.toLowerCase() ?? `${id} (not here)`,
	);
	const words = `${condition === "with" ? "with" : "not with"} ${chosen.length > 0 ? chosen.join(" or ") : "nothing"}`;
	const change = (next: Partial<Near>) => onChange({ ...aim, [condition]: { ...near, ...next } });
	return (
		<ConditionToken {...props} condition={condition} words={words}>
			<Stack gap={4} mah={240} style={{ overflowY: "auto" }}>
				{offered.map(({ id, name }) => (
					<Checkbox
						key={id}
						size="xs"
						label={name}
						checked={near.instruments.includes(id)}
						onChange={() =>
							change({
								instruments: near.instruments.includes(id)
									? near.instruments.filter((one) => one !== id)
									: [...near.instruments, id],
							})
						}
					/>
				))}
			</Stack>
			<Text size="sm">
				within{" "}
				<NumberToken
					label="Within"
					value={near.within}
					values={number(`${condition}.within`)}
					onChange={(value) => value !== null && change({ within: value })}
					onDone={() => undefined}
				/>
			</Text>
		</ConditionToken>
	);
}

function ShareToken(props: AimProps & { share: number }) {
	const { aim, onChange, share } = props;
	const number = useAimNumbers();
	return (
		<ConditionToken {...props} condition="share" words={`${plain(share)} % of them`}>
			<Text size="sm">
				<NumberToken
					label="Share"
					value={share}
					values={number("share")}
					onChange={(value) => value !== null && onChange({ ...aim, share: value })}
					onDone={() => undefined}
				/>{" "}
				of them, chosen by dice
			</Text>
		</ConditionToken>
	);
}
