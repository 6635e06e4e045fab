import { Button } from "@mantine/core";
import { notifications } from "@mantine/notifications";

/** Says that something is gone, and offers to bring it back while it is the newest step; answers its id. */
export function offerUndo(id: string, title: string, undo: () => void, autoClose = 12_000) {
	const take = () => {
		notifications.hide(id);
		undo();
	};
	notifications.show({
		id,
		title,
		autoClose,
		message: (
			<Button size="compact-sm" variant="default" onClick={take}>
				Undo
			</Button>
		),
	});
	return id;
}

/** Says that something was not kept, and offers to do it again on top of what is there now. */
export function offerAgain(title: string, again: () => void) {
	const id = `again-${title}`;
	const take = () => {
		notifications.hide(id);
		again();
	};
	notifications.show({
		id,
		title,
		color: "madder",
		withBorder: true,
		autoClose: false,
		message: (
			<>
				What is shown now is the newest.{" "}
				<Button size="compact-sm" variant="default" data-again onClick={take}>
					Do it again on top
				</Button>
			</>
		),
	});
}
