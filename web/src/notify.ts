import { notifications } from "@mantine/notifications";
import { ProblemError } from "./api/client";

/** Say what went wrong, in the server's own words. */
export function showError(error: unknown) {
	const problem = error instanceof ProblemError ? error.problem : null;
	notifications.show({
		color: "madder",
		title: problem?.title ?? "Something went wrong",
		message: problem?.detail ?? String(error),
		autoClose: 12_000,
		withBorder: true,
	});
}

/** Say what happened out of sight. */
export function showNote(title: string, message: string) {
	notifications.show({ title, message, autoClose: 6_000, withBorder: true });
}

/** Say what is the matter until it is over. */
export function showLasting(id: string, title: string, message: string) {
	notifications.show({ id, color: "madder", title, message, autoClose: false, withBorder: true });
}

/** It is over. */
export const hideNote = (id: string) => notifications.hide(id);
