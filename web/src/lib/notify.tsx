import { Button } from "@mantine/core";
import { notifications } from "@mantine/notifications";
import type { ReactNode } from "react";
import { ProblemError } from "../lib/problem";

/** What went wrong, in the server's own words. */
export function problemIn(error: unknown) {
	const problem = error instanceof ProblemError ? error.problem : null;
	return {
		title: problem?.title ?? "Something went wrong",
		detail: problem?.detail ?? String(error),
		/** The file that is the matter. */
		file: problem?.file ?? null,
	};
}

/** Say what went wrong. It stays until it is read. */
export function showError(error: unknown) {
	const { title, detail } = problemIn(error);
	// The same once more is the same note.
	showLasting(`error-${title}-${detail}`, title, detail);
}

/** Does something, and says what went wrong; answers whether nothing did. */
export async function doing(call: () => Promise<unknown>) {
	try {
		await call();
		return true;
	} catch (error) {
		showError(error);
		return false;
	}
}

/** Say what happened out of sight. */
export function showNote(title: string, message: string) {
	notifications.show({ title, message, autoClose: 6_000, withBorder: true });
}

/** Say what is the matter until it is over or read. */
export function showLasting(id: string, title: string, message: ReactNode, onClose?: () => void) {
	const note = { id, color: "madder", title, message, autoClose: false, withBorder: true, onClose } as const;
	notifications.hide(id);
	notifications.show(note);
}

/** It is over. */
export const hideNote = (id: string) => notifications.hide(id);

/** Notes belong to their screen: on another one they are gone. */
export const clearNotes = () => notifications.clean();

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
		withBorder: true,
		message: (
			<Button size="compact-sm" variant="default" onClick={take}>
				Undo
			</Button>
		),
	});
	return id;
}

let offers = 0;

/**
 * Says that something was not kept, and offers to do it again on top of what is there now. It is read once it is
 * closed.
 */
export function offerAgain(title: string, again: () => void, onRead?: () => void) {
	offers += 1;
	// What is called the same is not the same: one does not take the place of another.
	const id = `again-${offers}`;
	const take = () => {
		notifications.hide(id);
		again();
	};
	const message = (
		<>
			What is shown now is the newest.{" "}
			<Button size="compact-sm" variant="default" data-again onClick={take}>
				Do it again on top
			</Button>
		</>
	);
	showLasting(id, title, message, onRead);
}
