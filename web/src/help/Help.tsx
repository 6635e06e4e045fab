import { Button, Kbd, Modal, Popover, Tabs, Text } from "@mantine/core";
import { useCallback, useEffect, useState } from "react";
import { SchemeToggle } from "../lib/SchemeToggle";
import classes from "./Help.module.css";
import { keysByPlace } from "./keyList";

interface Step {
	/** What it points at. */
	at: string;
	title: string;
	words: string;
}

/** Five steps that point at the real controls. */
const steps: Step[] = [
	{
		at: "[data-start], [data-pass], [data-add-pass]",
		title: "Begin with a whole idea",
		words:
			"An untouched part offers ways to begin, at the right. Hold one down to hear it on the loop; click it to use it. Whatever it does stands here as passes, one sentence each: switch them, change their words, drag their numbers.",
	},
	{
		at: "[data-instrument] [data-handle=soft]",
		title: "Pull the touch into shape",
		words:
			"Each row tells one instrument. These three handles are its soft, typical and hard strokes. Drag one up or down: the hits beside it move as you do, and the pass that does it appears at the right.",
	},
	{
		at: "[data-times]",
		title: "See five milliseconds",
		words:
			"Timing is too small to see at four bars. Here hits stand 4, 8 or 16 times as far from their grid lines as they sound, and dragging them sideways is as much finer. T is the key.",
	},
	{
		at: "[data-add-pass]",
		title: "Say whom you mean",
		words:
			"Open a row by its name and add a pass: it is aimed at that instrument. “only …” in its sentence narrows it: the offbeats, the fill bars, the soft ones, the last of each run.",
	},
	{
		at: "[data-export-menu]",
		title: "Take it with you",
		words:
			"W flips between Written and Played while it plays. When it is right, export the song as a MIDI file for your sampler, or as WAV played by the built-in kit.",
	},
];

interface HelpProps {
	opened: boolean;
	onClose: () => void;
	/** Nothing where there is no song to walk through. */
	onWalk: (() => void) | undefined;
	/** The keys that are shown first. */
	place?: string;
}

/** The keys by place, and the way into the walk. */
export function Help({ opened, onClose, onWalk, place = keysByPlace[0].place }: HelpProps) {
	return (
		<Modal opened={opened} onClose={onClose} title="Help" size={620}>
			<div className={classes.walk}>
				<Text size="sm" flex={1}>
					New here? Five steps show how a stiff part comes alive. Leave the walk whenever you like.
				</Text>
				<Button size="compact-sm" onClick={onWalk} disabled={!onWalk} data-walk>
					Start the walk
				</Button>
				<SchemeToggle />
			</div>
			<Tabs defaultValue={place}>
				<Tabs.List>
					{keysByPlace.map(({ place }) => (
						<Tabs.Tab key={place} value={place}>
							{place}
						</Tabs.Tab>
					))}
				</Tabs.List>
				{keysByPlace.map(({ place, keys }) => (
					<Tabs.Panel key={place} value={place}>
						<dl className={classes.keys}>
							{keys.map(([names, does]) => (
								<div key={does}>
									<dt>
										{names.map((name) => (
											<Kbd key={name}>{name}</Kbd>
										))}
									</dt>
									<dd>{does}</dd>
								</div>
							))}
						</dl>
					</Tabs.Panel>
				))}
			</Tabs>
		</Modal>
	);
}

const kept = "vivida-walk";

/** Points at one control after another. Where it was left it is taken up. */
export function Walk({ onEnd }: { onEnd: () => void }) {
	const [step, setStep] = useState(() => {
		const before = Number(localStorage.getItem(kept));
		return before > 0 && before < steps.length ? before : 0;
	});
	const [box, setBox] = useState<DOMRect | null>(null);
	// Each step takes the keyboard along.
	const onward = useCallback(
		(button: HTMLButtonElement | null) => button?.focus({ preventScroll: true }),
		[],
	);
	const { at, title, words } = steps[step];
	useEffect(() => {
		localStorage.setItem(kept, `${step}`);
		const target = document.querySelector(at);
		target?.scrollIntoView({ block: "nearest" });
		const look = () => setBox(document.querySelector(at)?.getBoundingClientRect() ?? null);
		look();
		const timer = window.setInterval(look, 300);
		return () => window.clearInterval(timer);
	}, [at, step]);
	useEffect(() => {
		const onKey = (event: KeyboardEvent) => {
			if (event.key !== "Escape") return;
			event.stopPropagation();
			onEnd();
		};
		window.addEventListener("keydown", onKey, true);
		return () => window.removeEventListener("keydown", onKey, true);
	}, [onEnd]);
	const last = step === steps.length - 1;
	const next = () => {
		if (!last) return setStep(step + 1);
		localStorage.removeItem(kept);
		onEnd();
	};
	if (!box) return null;
	return (
		<Popover
			key={step}
			opened
			position="bottom"
			withArrow
			width={320}
			shadow="lg"
			trapFocus={false}
			closeOnEscape={false}
		>
			<Popover.Target>
				<div
					className={classes.ring}
					style={{ left: box.left - 4, top: box.top - 4, width: box.width + 8, height: box.height + 8 }}
					aria-hidden
				/>
			</Popover.Target>
			<Popover.Dropdown data-walk-step={step + 1} role="dialog" aria-label={`Step ${step + 1}: ${title}`}>
				<Text size="xs" c="dimmed">
					Step {step + 1} of {steps.length}
				</Text>
				<Text fw={700} size="sm">
					{title}
				</Text>
				<Text size="sm" my={6}>
					{words}
				</Text>
				<div className={classes.buttons}>
					<Button size="compact-sm" variant="subtle" color="gray" onClick={onEnd}>
						Leave
					</Button>
					<span className={classes.grow} />
					{step > 0 && (
						<Button size="compact-sm" variant="default" onClick={() => setStep(step - 1)}>
							Back
						</Button>
					)}
					<Button size="compact-sm" onClick={next} ref={onward}>
						{last ? "Done" : "Next"}
					</Button>
				</div>
			</Popover.Dropdown>
		</Popover>
	);
}
