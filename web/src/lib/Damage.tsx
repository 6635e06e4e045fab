import { Tooltip } from "@mantine/core";
import { IconFileBroken } from "@tabler/icons-react";

/** What cannot be read any more, and why. */
export function DamageMark({ reason }: { reason: string | null }) {
	if (!reason) return null;
	return (
		<Tooltip label={`Damaged: ${reason}`} multiline w={300} openDelay={0}>
			<IconFileBroken
				size={15}
				color="var(--played)"
				role="img"
				aria-label={`Damaged: ${reason}`}
				data-damage
			/>
		</Tooltip>
	);
}
