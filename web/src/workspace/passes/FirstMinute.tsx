import { useComputedColorScheme } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { client } from "../../api/client";
import type { Recipe, StartingPoint } from "../../api/generated/types";
import { axis } from "../../draw/axis";
import { fitCanvas } from "../../draw/canvas";
import { drawHits } from "../../draw/hits";
import { velocityY } from "../../draw/velocity";
import { colours } from "../../lib/theme";
import { useDensity } from "../../lib/useDensity";
import { useWheel } from "../../lib/useWheel";
import { plural } from "../../lib/words";
import { countIn } from "../../part/hits";
import { type Played, received, writtenOf } from "../../part/played";
import { readingKey, useWorkspace, useWorkspaceStore } from "../../part/store";
import { useFindings } from "../findings/useFindings";
import classes from "./Passes.module.css";
import { useHold } from "./useHold";

/** How many starting points are shown at once. */
const shownAtOnce = 3;

/** A part that nothing was done to: ways to begin, seen and heard before they are taken. */
export function FirstMinute() {
	const part = useWorkspace((state) => state.part.state.id);
	const reading = useWorkspace((state) => readingKey(state.part.state));
	const points = useQuery({
		queryKey: ["starting-points", reading],
		queryFn: () => client.startingPoints(part),
	});
	const empty = useWorkspace((state) => state.part.written.ids.length === 0);
	const store = useWorkspaceStore();
	const more = () => store.getState().showDialog("recipes");
	if (empty) return <Nothing />;
	return (
		<section className={classes.first} aria-label="Ways to begin">
			<Noticed />
			<h3>Ways to begin</h3>
			<p>
				Hold one down to hear it on the loop, and turn the wheel for more or less of it; click it to use it.
			</p>
			{points.data?.slice(0, shownAtOnce).map((point) => (
				<Start key={point.name} point={point} />
			))}
			<p>
				<button type="button" className={classes.more} onClick={more}>
					{points.data && points.data.length > shownAtOnce
						? `${points.data.length - shownAtOnce} more, and your recipes`
						: "Your recipes"}
				</button>{" "}
				· or drag a handle in the touch of an instrument.
			</p>
		</section>
	);
}

/** Nothing is written yet. */
function Nothing() {
	const store = useWorkspaceStore();
	const drawing = useWorkspace((state) => state.pencil !== null);
	return (
		<section className={classes.first} aria-label="Nothing is written yet">
			<h3>Nothing is written yet</h3>
			<p>
				Drag along a drum’s row to draw hits on the grid, or click to put in one. Drag a hit to move it, click
				it to take it out, hold Shift to rub out.
			</p>
			{!drawing && (
				<p>
					<button type="button" className={classes.more} onClick={() => store.getState().takeUp({})}>
						Draw (B)
					</button>
				</p>
			)}
		</section>
	);
}

/** How many findings are said before anything was done. */
const saidAtOnce = 3;

/** What a listener would notice first. */
function Noticed() {
	const store = useWorkspaceStore();
	const { shown } = useFindings();
	if (shown.length === 0) return null;
	const more = shown.length - saidAtOnce;
	return (
		<div className={classes.noticed} data-noticed>
			<h3>What a listener would notice</h3>
			<ul>
				{shown.slice(0, saidAtOnce).map(({ rule, instrument, said }) => (
					<li key={`${rule} ${instrument}`}>{said}</li>
				))}
			</ul>
			<button
				type="button"
				className={classes.more}
				onClick={() => store.getState().setView({ side: "findings" })}
			>
				{more > 0 ? `${more} more, and what mends them` : "What mends it"}
			</button>
		</div>
	);
}

function Start({ point }: { point: StartingPoint }) {
	const store = useWorkspaceStore();
	const { name, explains, recipe } = point;
	const [amount, setAmount] = useState(100);
	const trial = (so: number) => ({ recipe: asGroup(recipe, name, so), gestures: [] });
	const take = () => {
		const { act, commit } = store.getState();
		act({ kind: "add-passes", ...asGroup(recipe, name, amount), instead: true });
		commit(`use “${name}”`);
	};
	const hold = useHold(() => trial(amount), take);
	const [, button] = useWheel<HTMLButtonElement>((steps) => {
		if (!hold["data-heard"]) return false;
		const next = Math.max(0, Math.min(150, amount + 5 * steps));
		setAmount(next);
		store.getState().tryOut(trial(next));
		return true;
	});
	return (
		<button ref={button} type="button" className={classes.start} data-start={name} {...hold}>
			<strong>{name}</strong> <span>{plural(recipe.passes.length, "pass", "passes")}</span>
			{amount !== 100 && <span data-amount>{amount} % of it</span>}
			<StartPicture point={point} />
			<span>{explains}</span>
		</button>
	);
}

/** Passes as one group of some amount. */
function asGroup({ passes }: Recipe, name: string, amount: number): Recipe {
	if (passes.length < 2) return { passes };
	return {
		passes: passes.map((pass) => ({ ...pass, group: 1 })),
		groups: [{ id: 1, name, on: true, amount }],
	};
}

/** The busiest instrument of the loop, before and after. */
function StartPicture({ point }: { point: StartingPoint }) {
	const store = useWorkspaceStore();
	const canvas = useRef<HTMLCanvasElement>(null);
	const scheme = useComputedColorScheme("light");
	const density = useDensity();
	const [from, to] = useWorkspace((state) => state.loop);
	const part = useWorkspace((state) => state.part);
	const variation = useWorkspace((state) => state.variation);
	const played = useQuery({
		queryKey: ["start-played", readingKey(part.state), point.name, variation],
		queryFn: async (): Promise<Played | null> =>
			received(
				null,
				null,
				await client.perform(part.state.id, { recipe: point.recipe, variation, round: 0 }),
				part,
			),
		staleTime: Number.POSITIVE_INFINITY,
	});
	useEffect(() => {
		const element = canvas.current;
		if (!element || !played.data || density <= 0) return;
		const { context, width, height } = fitCanvas(element);
		const { ticks } = store.getState().song.bars;
		const window: [number, number] = [ticks[from - 1], ticks[Math.min(to, from + 1)]];
		const counts = writtenOf(part).map((hits) => countIn(hits, part.written.ticks, window));
		const busiest = counts.indexOf(Math.max(...counts));
		const { x } = axis(window, width);
		context.clearRect(0, 0, width, height);
		context.strokeStyle = colours(scheme).line;
		for (const beat of store.getState().song.bars.beat_ticks) {
			if (beat < window[0] || beat > window[1]) continue;
			context.beginPath();
			context.moveTo(x(beat), 0);
			context.lineTo(x(beat), height);
			context.stroke();
		}
		drawHits(context, width, height, {
			hits: played.data.ofInstruments[busiest],
			written: part.written,
			played: played.data,
			window,
			all: false,
			place: (tick) => tick,
			times: 1,
			dense: false,
			reading: "played",
			against: null,
			lit: null,
			selected: new Set(),
			silent: false,
			y: (velocity) => velocityY(velocity, height),
			tails: null,
			flags: false,
			number: null,
			hands: false,
			kin: false,
			graces: null,
			colours: colours(scheme),
		});
	}, [store, played.data, part, from, to, scheme, density]);
	return <canvas ref={canvas} className={classes.startPicture} aria-hidden />;
}
