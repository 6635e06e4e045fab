import { Center, Loader } from "@mantine/core";
import { lazy, Suspense, useEffect } from "react";
import { Route, Switch } from "wouter";
import { Message } from "../lib/Message";
import { Fault } from "./Fault";

const Shelf = lazy(() => import("../shelf/Shelf").then((all) => ({ default: all.Shelf })));
const Workspace = lazy(() => import("../workspace/Workspace").then((all) => ({ default: all.Workspace })));

/** A file that is dropped where nothing takes it would be opened in the place of the page. */
function useNoStrayDrops() {
	useEffect(() => {
		const refuse = (event: DragEvent) => {
			if (event.defaultPrevented || !event.dataTransfer?.types.includes("Files")) return;
			event.preventDefault();
			event.dataTransfer.dropEffect = "none";
		};
		window.addEventListener("dragover", refuse);
		window.addEventListener("drop", refuse);
		return () => {
			window.removeEventListener("dragover", refuse);
			window.removeEventListener("drop", refuse);
		};
	}, []);
}

export function App() {
	useNoStrayDrops();
	return (
		<Fault>
			<Suspense
				fallback={
					<Center h="100%">
						<Loader />
					</Center>
				}
			>
				<Switch>
					<Route path="/" component={Shelf} />
					<Route path="/songs/:song/parts/:part">
						{({ song, part }) => <Workspace key={part} songId={Number(song)} partId={Number(part)} />}
					</Route>
					<Route>
						<Message title="There is nothing here" link="Back to the shelf">
							The address does not lead to a song. It may have been deleted.
						</Message>
					</Route>
				</Switch>
			</Suspense>
		</Fault>
	);
}
