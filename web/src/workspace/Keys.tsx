import { Kbd, Modal, Table } from "@mantine/core";
import { useHotkeys } from "@mantine/hooks";
import { plural } from "../words";
import { magnifications } from "./shown";
import { barAt, barCount } from "./song";
import { useWorkspaceStore } from "./store";
import type { Transport } from "./usePlayer";
import { movedWindow } from "./useTimeGestures";

const keys: [string[], string][] = [
	[["Space"], "Play or stop"],
	[["W"], "Flip between Written and Played"],
	[["L"], "Loop on or off"],
	[["C"], "Click on or off"],
	[["V"], "Next variation"],
	[["R"], "Another variation in each round of the loop"],
	[["F"], "Show or hide the figures"],
	[["S"], "Lay all bars over one, or unroll them"],
	[["T"], "See timing 4, 8, 16 times larger; with Shift the other way"],
	[["O"], "Hear the other parts, or this one alone"],
	[["E"], "Compare Written and Played at equal loudness"],
	[["G"], "Grooves, or back to the hits"],
	[["P"], "Passes or pockets"],
	[["/"], "Add a pass"],
	[["Ctrl", "Z"], "Undo"],
	[["Ctrl", "Shift", "Z"], "Redo"],
	[["+"], "Zoom in"],
	[["−"], "Zoom out"],
	[["0"], "Show the whole song"],
	[["1"], "Show the loop"],
	[["2"], "Show the section that is in view"],
	[["Shift", "← →"], "Scroll by a quarter of the view"],
	[["↑ ↓ ← →"], "Nudge the selected hits: velocity, ms; with Shift by ten"],
	[["Enter"], "Type the velocity of the selected hits"],
	[["Delete"], "Take the selected hits out"],
	[["Alt", "↑ ↓"], "Move the pass in focus earlier or later"],
	[["Escape"], "Select nothing; end pointing at an aim"],
	[["Tab"], "Go from handle to handle and word to word"],
	[["↑ ↓"], "Change the handle or number in focus; Page up and down in larger steps"],
	[["?"], "Show the keys"],
];

/** The keys of the workspace. */
export function useKeys(transport: Transport, onHelp: () => void) {
	const store = useWorkspaceStore();
	const view = () => store.getState();
	const zoom = (scale: number) =>
		view().setView({ window: movedWindow(view().song, view().window, 0, scale, 0.5) });
	const scroll = (share: number) => {
		const [start, end] = view().window;
		view().setView({ window: movedWindow(view().song, view().window, (end - start) * share, 1, 0) });
	};
	const nextVariation = () => {
		view().vary(view().variation + 1);
		view().commit("next variation");
	};
	// On a button that was reached by keyboard, Space presses it; after a click it plays.
	const playOrStop = (event: KeyboardEvent) => {
		const focused = document.activeElement;
		if (focused?.matches("button:focus-visible, a:focus-visible, [role=menuitem], [role=option]")) return;
		event.preventDefault();
		transport.toggle();
	};
	/** Nudges what is selected; without a selection the key is for something else. */
	const nudge = (velocity: number, ms: number, otherwise?: () => void) => (event: KeyboardEvent) => {
		const { selected, act, commitSoon } = view();
		if (selected.size === 0) {
			if (otherwise) event.preventDefault();
			otherwise?.();
			return;
		}
		event.preventDefault();
		act({ kind: "move-hits", hits: [...selected], velocity, time: ms, ticks: 0, at: 0 });
		commitSoon("nudge hits");
	};
	const takeOut = () => {
		const { selected, act, commit, select } = view();
		if (selected.size === 0) return;
		act({ kind: "take-out", hits: [...selected] });
		commit(`take out ${plural(selected.size, "hit")}`);
		select([]);
	};
	const typeVelocity = () =>
		document.querySelector<HTMLButtonElement>("[data-selection] [role=spinbutton]")?.focus();
	const magnify = (by: number) => {
		const place = magnifications.indexOf(view().times) + by + magnifications.length;
		view().setView({ times: magnifications[place % magnifications.length] });
	};
	const fitLoop = () => {
		const { song, loop, setView } = view();
		setView({ window: [song.bars.ticks[loop[0] - 1], song.bars.ticks[loop[1]]] });
	};
	const fitSection = () => {
		const { song, window, setView } = view();
		const bar = barAt(song, (window[0] + window[1]) / 2);
		const section = song.sections.find(({ from, to }) => from <= bar && bar <= to);
		if (!section) return;
		const last = Math.min(section.to, barCount(song));
		setView({ window: [song.bars.ticks[section.from - 1], song.bars.ticks[last]] });
	};
	const loose = { preventDefault: false };
	useHotkeys([
		["ArrowUp", nudge(1, 0), loose],
		["ArrowDown", nudge(-1, 0), loose],
		["shift+ArrowUp", nudge(10, 0), loose],
		["shift+ArrowDown", nudge(-10, 0), loose],
		["ArrowLeft", nudge(0, -1), loose],
		["ArrowRight", nudge(0, 1), loose],
		["Delete", takeOut],
		["Backspace", takeOut],
		["Escape", () => (view().aiming === null ? view().select([]) : view().aimAt(null)), loose],
		["Enter", typeVelocity, loose],
		["space", playOrStop, { preventDefault: false }],
		["w", () => view().setView({ reading: view().reading === "played" ? "written" : "played" })],
		["l", () => view().setView({ looping: !view().looping })],
		["c", () => view().setView({ click: !view().click })],
		["v", nextVariation],
		["r", () => view().setFresh(!view().fresh)],
		["t", () => magnify(1)],
		["shift+t", () => magnify(-1)],
		["o", () => view().setView({ others: !view().others })],
		["e", () => view().setView({ equalLoudness: !view().equalLoudness })],
		["1", fitLoop],
		["2", fitSection],
		["s", () => view().setView({ stacked: !view().stacked })],
		["f", () => view().setView({ table: !view().table })],
		["g", () => view().showGrooves(!view().grooves)],
		["p", () => view().setView({ side: view().side === "pockets" ? "passes" : "pockets" })],
		[
			"/",
			() => {
				const add = () => document.querySelector<HTMLButtonElement>("[data-add-pass]")?.click();
				if (view().side === "passes") return add();
				view().setView({ side: "passes" });
				requestAnimationFrame(add);
			},
		],
		["mod+z", () => view().undo()],
		["mod+shift+z", () => view().redo()],
		["mod+y", () => view().redo()],
		["shift+?", onHelp],
		["?", onHelp],
		["[plus]", () => zoom(0.7)],
		["shift+[plus]", () => zoom(0.7)],
		["=", () => zoom(0.7)],
		["-", () => zoom(1 / 0.7)],
		["0", () => zoom(1e6)],
		["shift+ArrowLeft", nudge(0, -10, () => scroll(-0.25)), loose],
		["shift+ArrowRight", nudge(0, 10, () => scroll(0.25)), loose],
	]);
}

export function KeyHelp({ opened, onClose }: { opened: boolean; onClose: () => void }) {
	return (
		<Modal opened={opened} onClose={onClose} title="Keys">
			<Table withRowBorders={false} verticalSpacing={4}>
				<Table.Tbody>
					{keys.map(([names, does]) => (
						<Table.Tr key={does}>
							<Table.Td w={140}>
								{names.map((name) => (
									<Kbd key={name} mr={4}>
										{name}
									</Kbd>
								))}
							</Table.Td>
							<Table.Td>{does}</Table.Td>
						</Table.Tr>
					))}
				</Table.Tbody>
			</Table>
		</Modal>
	);
}
