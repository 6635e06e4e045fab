/** The way to the help, which is fetched when somebody asks for it. */
import { ActionIcon, Tooltip } from "@mantine/core";
import { IconQuestionMark } from "@tabler/icons-react";
import { Suspense, useRef, useState } from "react";
import { useLocation } from "wouter";
import { fetched } from "../lib/fetched";
import { useShortcuts } from "../lib/shortcuts";

export const Help = fetched(() => import("./Help").then((all) => all.Help));
export const Walk = fetched(() => import("./Help").then((all) => all.Walk));

/** What a song is opened with so that it begins with the walk. */
const asked = { walk: true };

/** Whether the page that is open was asked to begin with the walk; once. */
export function walkAsked() {
	const state: unknown = history.state;
	const is = typeof state === "object" && state !== null && "walk" in state;
	if (is) history.replaceState(null, "");
	return is;
}

/** Whether something was ever opened: from then on it is there. */
export function useWanted(opened: boolean) {
	const wanted = useRef(opened);
	wanted.current ||= opened;
	return wanted.current;
}

/** The button that opens the help, and its key. */
export function HelpButton({ onHelp }: { onHelp: () => void }) {
	return (
		<Tooltip label="Keys and a walk through (?)">
			<ActionIcon variant="default" size={30} aria-label="Help" onClick={onHelp} data-help>
				<IconQuestionMark size={16} />
			</ActionIcon>
		</Tooltip>
	);
}

/** The help of the shelf: the walk goes through a song that is on it. */
export function ShelfHelp({ part }: { part: string | undefined }) {
	const [opened, setOpened] = useState(false);
	const wanted = useWanted(opened);
	const [, go] = useLocation();
	useShortcuts([], [["?", () => setOpened((shown) => !shown)]]);
	return (
		<>
			<HelpButton onHelp={() => setOpened(true)} />
			{wanted && (
				<Suspense>
					<Help
						opened={opened}
						onClose={() => setOpened(false)}
						onWalk={part ? () => go(part, { state: asked }) : undefined}
						place="On the shelf"
					/>
				</Suspense>
			)}
		</>
	);
}
