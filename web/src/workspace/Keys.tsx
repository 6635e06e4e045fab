import { Kbd, Modal, Table } from "@mantine/core";
import { useHotkeys } from "@mantine/hooks";
import { useWorkspaceStore } from "./store";
import type { Transport } from "./usePlayer";
import { movedWindow } from "./useTimeGestures";

const keys: [string[], string][] = [
	[["Space"], "Play or stop"],
	[["W"], "Flip between Written and Played"],
	[["L"], "Loop on or off"],
	[["C"], "Click on or off"],
	[["V"], "Next variation"],
	[["/"], "Add a pass"],
	[["Ctrl", "Z"], "Undo"],
	[["Ctrl", "Shift", "Z"], "Redo"],
	[["+"], "Zoom in"],
	[["−"], "Zoom out"],
	[["0"], "Show the whole song"],
	[["Shift", "← →"], "Scroll by a quarter of the view"],
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
		view().draft({ variation: view().variation + 1 });
		view().commit("next variation");
	};
	// On a button that was reached by keyboard, Space presses it; after a click it plays.
	const playOrStop = (event: KeyboardEvent) => {
		const focused = document.activeElement;
		if (focused?.matches("button:focus-visible, a:focus-visible, [role=menuitem], [role=option]")) return;
		event.preventDefault();
		transport.toggle();
	};
	useHotkeys([
		["space", playOrStop, { preventDefault: false }],
		["w", () => view().setView({ reading: view().reading === "played" ? "written" : "played" })],
		["l", () => view().setView({ looping: !view().looping })],
		["c", () => view().setView({ click: !view().click })],
		["v", nextVariation],
		["/", () => document.querySelector<HTMLButtonElement>("[data-add-pass]")?.click()],
		["mod+z", () => view().undo()],
		["mod+shift+z", () => view().redo()],
		["mod+y", () => view().redo()],
		["shift+?", onHelp],
		["?", onHelp],
		["+", () => zoom(0.7)],
		["shift++", () => zoom(0.7)],
		["=", () => zoom(0.7)],
		["-", () => zoom(1 / 0.7)],
		["0", () => zoom(1e6)],
		["shift+ArrowLeft", () => scroll(-0.25)],
		["shift+ArrowRight", () => scroll(0.25)],
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
