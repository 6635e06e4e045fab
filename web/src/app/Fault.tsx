import { Component, type ReactNode } from "react";
import { Message } from "../lib/Message";

/** A fault of the page's own: says so instead of leaving nothing, and what to do. */
export class Fault extends Component<{ children: ReactNode }, { failed: boolean }> {
	state = { failed: false };

	static getDerivedStateFromError() {
		return { failed: true };
	}

	render() {
		if (!this.state.failed) return this.props.children;
		return (
			<Message title="The page has failed">
				This is a fault of Vivida’s own. What you made is kept; load the page again to go on.
			</Message>
		);
	}
}
