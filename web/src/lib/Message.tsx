import { Anchor, Center, Stack, Text, Title } from "@mantine/core";
import type { ReactNode } from "react";
import { Link } from "wouter";

/** A whole page that says one thing and where to go from here. */
export function Message({ title, link, children }: { title: string; link?: string; children: ReactNode }) {
	return (
		<Center h="100%">
			<Stack gap="xs" maw={460} align="center">
				<Title order={3}>{title}</Title>
				<Text ta="center" c="dimmed">
					{children}
				</Text>
				{link && (
					<Anchor component={Link} href="/">
						{link}
					</Anchor>
				)}
			</Stack>
		</Center>
	);
}
