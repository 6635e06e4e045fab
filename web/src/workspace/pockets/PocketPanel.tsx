import { ActionIcon, Button, Menu, Switch } from "@mantine/core";
import { IconDots, IconPlus } from "@tabler/icons-react";
import { useRef, useState } from "react";
import { client, files } from "../../api/client";
import type { Action, Follower, Following, PocketCard, PocketSettings } from "../../api/generated/types";
import { DamageMark } from "../../lib/Damage";
import { NameField } from "../../lib/NameField";
import { showError } from "../../lib/notify";
import { useAfterMenu } from "../../lib/useAfterMenu";
import { listed } from "../../lib/words";
import { keeping } from "../../part/keeping";
import { settingsOf, useWorkspace, useWorkspaceStore } from "../../part/store";
import { useOffered } from "../../part/useUsed";
import { NumberToken } from "../passes/NumberToken";
import passClasses from "../passes/Passes.module.css";
import { ActionWords, type Editing } from "../passes/Sentence";
import { SideTabs } from "../passes/SideTabs";
import classes from "./Pockets.module.css";
import { UsualFeelButton } from "./UsualFeel";

const strength = {
	kind: "number",
	min: 0,
	max: 200,
	step: 1,
	unit: "%",
	neutral: 100,
	sides: null,
	none: null,
} as const;

/** The pockets of the song: what each says, and who follows it. */
export function PocketPanel() {
	const store = useWorkspaceStore();
	const pockets = useWorkspace((state) => state.pockets);
	const song = useWorkspace((state) => state.song.id);
	const make = () =>
		void store
			.getState()
			.changePockets(() => client.addPocket(song, { name: `Pocket ${pockets.length + 1}` }));
	return (
		<aside className={passClasses.panel} aria-label="Pockets">
			<div className={passClasses.head}>
				<SideTabs />
			</div>
			<div className={passClasses.list}>
				{pockets.map((pocket) => (
					<Pocket key={pocket.id} pocket={pocket} />
				))}
				{pockets.length === 0 && (
					<p className={passClasses.empty}>
						A pocket is a timing that several instruments and parts share: change it once, and all follow.
						Make one here, or press “pocket …” in the timing of an instrument.
					</p>
				)}
			</div>
			<div className={passClasses.foot}>
				<Button
					variant="default"
					flex={1}
					px={10}
					leftSection={<IconPlus size={15} />}
					data-make-pocket
					onClick={make}
				>
					New pocket
				</Button>
				<UsualFeelButton />
			</div>
		</aside>
	);
}

function Pocket({ pocket }: { pocket: PocketCard }) {
	const store = useWorkspaceStore();
	const [renaming, setRenaming] = useState(false);
	const { changePockets } = store.getState();
	const { id, name, revision } = pocket;
	return (
		<section className={classes.pocket} aria-label={name} data-pocket={name}>
			<div className={passClasses.line}>
				{renaming ? (
					<NameField
						label="Name of the pocket"
						value={name}
						onDone={(next) => {
							setRenaming(false);
							if (!next || next === name) return;
							const { settings } = pocket;
							void changePockets(() =>
								client.changePocket(id, { revision, label: "rename the pocket", name: next, settings }),
							);
						}}
					/>
				) : (
					<span className={passClasses.title}>{name}</span>
				)}
				<DamageMark reason={pocket.damage} />
				<PocketMenu pocket={pocket} onRename={() => setRenaming(true)} />
			</div>
			{pocket.damage !== null && (
				<p className={classes.none}>
					Its settings cannot be read, so it moves nothing. A change replaces them.
				</p>
			)}
			<Settings pocket={pocket} />
			<ul className={classes.followers}>
				{pocket.followers.map((follower) => (
					<FollowerLine key={`${follower.part} ${follower.pass}`} pocket={pocket} follower={follower} />
				))}
				{pocket.followers.length === 0 && <li className={classes.none}>Nothing follows it yet.</li>}
			</ul>
			<Join pocket={pocket} />
		</section>
	);
}

function PocketMenu({ pocket, onRename }: { pocket: PocketCard; onRename: () => void }) {
	const store = useWorkspaceStore();
	const after = useAfterMenu(onRename);
	const { changePockets } = store.getState();
	const usual = async () => {
		try {
			const defaults = await client.defaults();
			const own = { name: pocket.name, settings: pocket.settings };
			await keeping.change("defaults", 0, () => client.setDefaults({ ...defaults, pocket: own }));
		} catch (error) {
			showError(error);
		}
	};
	return (
		<Menu position="bottom-end" onExitTransitionEnd={after.onExitTransitionEnd}>
			<Menu.Target>
				<ActionIcon variant="subtle" color="gray" size="sm" aria-label={`More about ${pocket.name}`}>
					<IconDots size={15} />
				</ActionIcon>
			</Menu.Target>
			<Menu.Dropdown>
				<Menu.Item onClick={after.choose}>Rename</Menu.Item>
				<Menu.Item disabled={pocket.damage !== null} onClick={() => void usual()}>
					Use it for new songs
				</Menu.Item>
				<Menu.Item component="a" href={files.pocket(pocket.id)} download>
					Save as a file
				</Menu.Item>
				<Menu.Item color="red" onClick={() => void changePockets(() => client.deletePocket(pocket))}>
					Delete (its followers keep the timing)
				</Menu.Item>
			</Menu.Dropdown>
		</Menu>
	);
}

const parts = ["pull", "swing", "groove", "lean", "loosen"] as const;

/** The five actions of a pocket as sentences; those that say nothing wait to be asked for. */
function Settings({ pocket }: { pocket: PocketCard }) {
	const store = useWorkspaceStore();
	const settings = useWorkspace((state) => settingsOf(state, pocket));
	const { actions: offers } = store.getState().words;
	const [asked, setAsked] = useState<string[]>([]);
	const action = (kind: (typeof parts)[number]) => ({ kind, ...settings[kind] }) as Action;
	const shown = parts.filter((kind) => asked.includes(kind) || pocket.active.includes(kind));
	const hidden = parts.filter((kind) => !shown.includes(kind));
	const editing = (kind: (typeof parts)[number]): Editing => ({
		path: (setting) => `pockets.${pocket.id}.${kind}.${setting}`,
		change: (setting, value) => {
			const now = settingsOf(store.getState(), pocket);
			const next = { ...now, [kind]: { ...now[kind], [setting]: value } } as PocketSettings;
			store.getState().draftPocket(pocket.id, next);
		},
		done: (setting, soon) => store.getState().commitPocket(pocket.id, `${kind} ${setting.label}`, soon),
	});
	/** What is asked for starts where it is heard. */
	const ask = (kind: (typeof parts)[number]) => {
		setAsked([...asked, kind]);
		if (kind !== "groove") return;
		const now = settingsOf(store.getState(), pocket);
		const start = offers.find((one) => one.start.kind === "groove")?.start;
		const timing = start?.kind === "groove" ? start.timing : 100;
		store.getState().draftPocket(pocket.id, { ...now, groove: { ...now.groove, timing } });
	};
	return (
		<div className={classes.settings}>
			{shown.map((kind) => {
				const info = offers.find(({ start }) => start.kind === kind)?.info;
				if (!info) return null;
				return (
					<p key={kind} className={passClasses.sentence}>
						<ActionWords action={action(kind)} info={info} editing={editing(kind)} />
					</p>
				);
			})}
			{hidden.length > 0 && (
				<p className={passClasses.sentence}>
					{hidden.map((kind) => (
						<button key={kind} type="button" className={passClasses.more} onClick={() => ask(kind)}>
							{kind} …
						</button>
					))}
				</p>
			)}
		</div>
	);
}

/** “the whole part”, “Kick and Snare”. */
const who = ({ names, narrowed }: Follower) =>
	(names.length > 0 ? listed(names) : "the whole part") + (narrowed ? ", in part" : "");

function FollowerLine({ pocket, follower }: { pocket: PocketCard; follower: Follower }) {
	const store = useWorkspaceStore();
	const here = useWorkspace((state) => state.part.state.id === follower.part);
	const [drafted, setDrafted] = useState<number | null>(null);
	/** The same for what was begun before it was drawn. */
	const newest = useRef<number | null>(null);
	const change = (change: Following) =>
		store
			.getState()
			.changePockets(() =>
				client.changeFollower(pocket.id, { part: follower.part, pass: follower.pass, change }),
			);
	/** In the open part a strength is heard while it is dragged. */
	const draft = (value: number) => {
		newest.current = value;
		setDrafted(value);
		if (here) store.getState().act({ kind: "set", pass: follower.pass, setting: "strength", value });
	};
	const keep = () => {
		const strength = newest.current;
		if (strength === null) return;
		newest.current = null;
		// In the open part it is a step like any other of its passes.
		if (here) {
			store.getState().commit(`follow “${pocket.name}”: strength`);
			setDrafted(null);
			return;
		}
		void change({ kind: "strength", strength }).then(() => newest.current === null && setDrafted(null));
	};
	const words = `${follower.part_name}: ${who(follower)}`;
	return (
		<li className={classes.follower} data-on={follower.on} data-follower={words}>
			<Switch
				size="xs"
				checked={follower.on}
				aria-label={`${words} follows`}
				onChange={(event) => void change({ kind: "switch", on: event.currentTarget.checked })}
			/>
			<span className={classes.who} title={words}>
				{who(follower)} <small>{here ? "" : follower.part_name}</small>
			</span>
			<NumberToken
				label={`${words}, strength`}
				value={drafted ?? follower.strength}
				values={strength}
				onChange={(value) => value !== null && draft(value)}
				onDone={keep}
			/>
			<Menu position="bottom-end">
				<Menu.Target>
					<ActionIcon variant="subtle" color="gray" size="xs" aria-label={`More about ${words}`}>
						<IconDots size={13} />
					</ActionIcon>
				</Menu.Target>
				<Menu.Dropdown>
					<Menu.Item onClick={() => void change({ kind: "detach" })}>Detach into passes of its own</Menu.Item>
					<Menu.Item onClick={() => void change({ kind: "leave" })}>Leave the pocket</Menu.Item>
				</Menu.Dropdown>
			</Menu>
		</li>
	);
}

/** Who could follow, too: instruments of the open part, and whole parts. */
function Join({ pocket }: { pocket: PocketCard }) {
	const store = useWorkspaceStore();
	const instruments = useOffered();
	const open = useWorkspace((state) => state.part.state.id);
	const all = useWorkspace((state) => state.song.parts);
	const follows = (part: number, instrument: string | null) =>
		pocket.followers.some(
			(one) =>
				one.part === part && (instrument ? one.instruments.includes(instrument) : one.names.length === 0),
		);
	const join = (part: number, chosen: string[]) =>
		void store.getState().changePockets(() =>
			client.changeFollower(pocket.id, {
				part,
				change: { kind: "follow", instruments: chosen },
			}),
		);
	return (
		<Menu position="bottom-start">
			<Menu.Target>
				<button type="button" className={passClasses.more} aria-label={`Add a follower to ${pocket.name}`}>
					+ follower …
				</button>
			</Menu.Target>
			<Menu.Dropdown mah={320} style={{ overflowY: "auto" }}>
				<Menu.Label>Instruments of this part</Menu.Label>
				{instruments
					.filter(({ id }) => !follows(open, id))
					.map(({ id, name }) => (
						<Menu.Item key={id} onClick={() => join(open, [id])}>
							{name}
						</Menu.Item>
					))}
				<Menu.Label>Whole parts</Menu.Label>
				{all
					.filter(({ id }) => !follows(id, null))
					.map(({ id, name }) => (
						<Menu.Item key={id} onClick={() => join(id, [])}>
							{name}
						</Menu.Item>
					))}
			</Menu.Dropdown>
		</Menu>
	);
}
