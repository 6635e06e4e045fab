import { Center, Loader } from "@mantine/core";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Suspense, useEffect, useState } from "react";
import { useLocation } from "wouter";
import { client } from "../api/client";
import type { PartDetail, PocketCard, SongDetail, Vocabulary } from "../api/generated/types";
import { Help, useWanted, Walk, walkAsked } from "../help/HelpButton";
import { fetchAhead, fetched } from "../lib/fetched";
import { Message } from "../lib/Message";
import { clearNotes } from "../lib/notify";
import { probe } from "../lib/probe";
import { createWorkspace, useWorkspace, type View, viewName, WorkspaceContext } from "../part/store";
import { PassPanel } from "./passes/PassPanel";
import { Rows } from "./rows/Rows";
import { SongStrip } from "./strip/SongStrip";
import { TopBar } from "./topbar/TopBar";
import { TransportContext } from "./transport/context";
import { usePlayer, useVocabulary } from "./transport/usePlayer";
import { useKeys } from "./useKeys";
import classes from "./Workspace.module.css";

// What is not shown at first is fetched when it is.
const GrooveScreen = fetched(() => import("./grooves/GrooveScreen").then((all) => all.GrooveScreen));
const DevicesScreen = fetched(() => import("./devices/DevicesScreen").then((all) => all.DevicesScreen));
const FindingPanel = fetched(() => import("./findings/FindingPanel").then((all) => all.FindingPanel));
const PocketPanel = fetched(() => import("./pockets/PocketPanel").then((all) => all.PocketPanel));
const FiguresTable = fetched(() => import("./rows/FiguresTable").then((all) => all.FiguresTable));
const PadStrip = fetched(() => import("./rows/PadStrip").then((all) => all.PadStrip));
const KitScreen = fetched(() => import("./kits/KitScreen").then((all) => all.KitScreen));

interface Loaded {
	song: SongDetail;
	part: PartDetail;
	pockets: PocketCard[];
	view: Partial<View> | null;
}

/** Where a part is worked on. */
export function Workspace({ songId, partId }: { songId: number; partId: number }) {
	const words = useVocabulary();
	const loaded = useQuery({
		queryKey: ["workspace", partId],
		queryFn: async (): Promise<Loaded> => {
			const [song, part, pockets, view] = await Promise.all([
				client.song(songId),
				client.part(partId),
				client.pockets(songId),
				client.view<Partial<View>>(viewName(partId)),
			]);
			return { song, part, pockets, view };
		},
		gcTime: 0,
		staleTime: Number.POSITIVE_INFINITY,
	});
	const error = loaded.error ?? words.error;
	if (error) {
		return (
			<Message title="The part cannot be shown" link="Back to the shelf">
				{error.message}
			</Message>
		);
	}
	if (!loaded.data || !words.data) {
		return <Waiting />;
	}
	return <Opened loaded={loaded.data} words={words.data} />;
}

function Waiting() {
	return (
		<Center h="100%">
			<Loader />
		</Center>
	);
}

function Opened({ loaded, words }: { loaded: Loaded; words: Vocabulary }) {
	const queries = useQueryClient();
	const [, go] = useLocation();
	const [store] = useState(() => {
		const { song, part, pockets, view } = loaded;
		return createWorkspace(song, part, words, pockets, view, {
			reload: () => void queries.resetQueries({ queryKey: ["workspace", part.state.id] }),
			open: (other) => go(`/songs/${song.id}/parts/${other}`),
		});
	});
	useEffect(() => {
		const leave = () => void store.getState().leave();
		// What cannot be sent while the page goes away is asked about.
		const ask = (event: BeforeUnloadEvent) => {
			if (!store.getState().leave()) event.preventDefault();
		};
		const { lookAgain, begin } = store.getState();
		// Before whatever was pressed hears of it.
		window.addEventListener("pointerdown", begin, true);
		window.addEventListener("beforeunload", ask);
		window.addEventListener("pagehide", leave);
		window.addEventListener("focus", lookAgain);
		document.title = `${loaded.song.name} – Vivida`;
		return () => {
			window.removeEventListener("pointerdown", begin, true);
			window.removeEventListener("beforeunload", ask);
			window.removeEventListener("pagehide", leave);
			window.removeEventListener("focus", lookAgain);
			document.title = "Vivida";
			leave();
			clearNotes();
		};
	}, [store, loaded.song.name]);
	return (
		<WorkspaceContext.Provider value={store}>
			<Desk />
		</WorkspaceContext.Provider>
	);
}

function Table() {
	return useWorkspace((state) => state.table) ? <FiguresTable /> : null;
}

function Strip() {
	return useWorkspace((state) => state.pads && state.screen === null) ? <PadStrip /> : null;
}

function Screen() {
	const screen = useWorkspace((state) => state.screen);
	if (screen === null) return <Rows />;
	return (
		<Suspense fallback={<Waiting />}>
			{screen === "grooves" && <GrooveScreen />}
			{screen === "kit" && <KitScreen />}
			{screen === "devices" && <DevicesScreen />}
		</Suspense>
	);
}

function Side() {
	const side = useWorkspace((state) => state.side);
	return (
		<Suspense fallback={<aside aria-busy />}>
			{side === "passes" && <PassPanel />}
			{side === "pockets" && <PocketPanel />}
			{side === "findings" && <FindingPanel />}
		</Suspense>
	);
}

function Desk() {
	probe.rendered("workspace");
	const transport = usePlayer();
	const [help, setHelp] = useState(false);
	const wanted = useWanted(help);
	const [walking, setWalking] = useState(walkAsked);
	useKeys(transport, () => setHelp((shown) => !shown));
	const kit = useWorkspace((state) => state.screen === "kit");
	useEffect(() => {
		probe.answered(performance.now());
		const timer = window.setTimeout(() => void fetchAhead(), 500);
		return () => window.clearTimeout(timer);
	}, []);
	return (
		<TransportContext.Provider value={transport}>
			<div className={`${classes.desk} ${kit ? classes.wide : ""}`}>
				<TopBar onHelp={() => setHelp(true)} />
				<main className={classes.middle}>
					<Screen />
					<Suspense>
						<Table />
						<Strip />
					</Suspense>
					<SongStrip />
				</main>
				{!kit && <Side />}
				<Suspense>
					{wanted && (
						<Help
							opened={help}
							onClose={() => setHelp(false)}
							onWalk={() => {
								setHelp(false);
								setWalking(true);
							}}
						/>
					)}
					{walking && <Walk onEnd={() => setWalking(false)} />}
				</Suspense>
			</div>
		</TransportContext.Provider>
	);
}
