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
