import { Route, Switch } from "wouter";
import { Fault } from "./Fault";
import { Message } from "./Message";
import { Shelf } from "./shelf/Shelf";
import { Workspace } from "./workspace/Workspace";

export function App() {
	return (
		<Fault>
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
		</Fault>
	);
}
