import { Loader, Menu, Text } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client } from "../../api/client";
import type { TouchProfile } from "../../api/generated/types";
import { showError } from "../../lib/notify";
import { useWorkspace } from "../../part/store";
import classes from "./Passes.module.css";

interface Props {
	label: string;
	value: TouchProfile;
	onChange: (reference: TouchProfile) => void;
}

/** The part whose touch is matched, chosen from the whole shelf. */
export function TouchToken({ label, value, onChange }: Props) {
	const [opened, setOpened] = useState(false);
	const here = useWorkspace((state) => state.part.state.id);
	const songs = useQuery({ queryKey: ["songs"], queryFn: client.songs, enabled: opened });
	const words = value.name || "another part …";
	const choose = (part: number) => client.touch(part).then(onChange).catch(showError);
	return (
		<Menu opened={opened} onChange={setOpened}>
			<Menu.Target>
				<button type="button" className={classes.token} aria-label={`${label}: ${words}`} title={words}>
					{words}
				</button>
			</Menu.Target>
			<Menu.Dropdown mah={360} style={{ overflowY: "auto" }} data-references>
				{songs.isPending && <Loader size="sm" m="sm" />}
				{songs.data?.map((song) => (
					<div key={song.id}>
						<Menu.Label>{song.name}</Menu.Label>
						{song.parts
							.filter(({ id }) => id !== here)
							.map((part) => (
								<Menu.Item key={part.id} onClick={() => void choose(part.id)}>
									{part.name}{" "}
									<Text span size="xs" c="dimmed">
										as it is played
									</Text>
								</Menu.Item>
							))}
					</div>
				))}
			</Menu.Dropdown>
		</Menu>
	);
}
