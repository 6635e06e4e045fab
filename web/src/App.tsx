import { Center, Loader } from "@mantine/core";
import { lazy, Suspense } from "react";
import { Route, Switch } from "wouter";
import { Fault } from "./Fault";
import { Message } from "./Message";

const Shelf = lazy(() => import("./shelf/Shelf").then((all) => ({ default: all.Shelf })));
const Workspace = lazy(() => import("./workspace/Workspace").then((all) => ({ default: all.Workspace })));

export function App() {
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
