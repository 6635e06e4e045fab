import { ActionIcon, Popover, ScrollArea, Text, Tooltip } from "@mantine/core";
import { IconHistory } from "@tabler/icons-react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client } from "../../api/client";
import { useWorkspace, useWorkspaceStore } from "../../part/store";
import classes from "../Workspace.module.css";

/** A step's time as the clock on the wall says it; with the day where that is another one. */
function clock(utc: string) {
	const at = new Date(`${utc.replace(" ", "T")}Z`);
	const time = at.toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
	if (at.toDateString() === new Date().toDateString()) return time;
	return `${at.toLocaleDateString([], { day: "numeric", month: "short" })}, ${time}`;
}

/** The steps of the song, the newest on top, any of them to go back to. */
export function HistoryMenu() {
	const [opened, setOpened] = useState(false);
	return (
		<Popover opened={opened} onChange={setOpened} position="bottom-end" width={310} trapFocus returnFocus>
			<Popover.Target>
				<Tooltip label="History of the song" disabled={opened}>
					<ActionIcon variant="default" size={30} aria-label="History" onClick={() => setOpened(!opened)}>
						<IconHistory size={16} />
					</ActionIcon>
				</Tooltip>
			</Popover.Target>
			<Popover.Dropdown p={6}>
				<Steps />
			</Popover.Dropdown>
		</Popover>
	);
}

function Steps() {
	const store = useWorkspaceStore();
	const song = useWorkspace((state) => state.song.id);
	// Whatever is done or undone here changes the list.
	const history = useWorkspace((state) => state.history);
	const revision = useWorkspace((state) => state.revision);
	const steps = useQuery({
		queryKey: ["history", song, revision, history],
		queryFn: () => client.steps(song),
		gcTime: 0,
		placeholderData: (before) => before,
	});
	if (!steps.data) return null;
	if (steps.data.length === 0) {
		return (
			<Text size="sm" c="dimmed" p={6}>
				Nothing has been done to this song yet. Every change becomes a line here, and none is ever lost.
			</Text>
		);
	}
	const current = steps.data.find(({ undone }) => !undone)?.id;
	return (
		<ScrollArea.Autosize mah={380} type="auto">
			<ol className={classes.steps} aria-label="Steps of the song">
				{steps.data.map(({ id, label, when, undone }) => (
					<li key={id}>
						<button
							type="button"
							className={classes.step}
							data-undone={undone}
							aria-current={id === current ? "step" : undefined}
							title={undone ? "Do everything again up to here" : "Go back to here"}
							onClick={() => store.getState().travelTo(id)}
						>
							<span>{label}</span>
							<time dateTime={when}>{clock(when)}</time>
						</button>
					</li>
				))}
			</ol>
		</ScrollArea.Autosize>
	);
}
