import { ActionIcon, Tooltip, useComputedColorScheme, useMantineColorScheme } from "@mantine/core";
import { IconMoon, IconSun } from "@tabler/icons-react";

/** Light or dark. */
export function SchemeToggle() {
	const { setColorScheme } = useMantineColorScheme();
	const scheme = useComputedColorScheme("light");
	const other = scheme === "light" ? "dark" : "light";
	return (
		<Tooltip label={`Switch to ${other}`}>
			<ActionIcon
				variant="default"
				size={30}
				aria-label={`Switch to ${other}`}
				onClick={() => setColorScheme(other)}
			>
				{scheme === "light" ? <IconMoon size={16} /> : <IconSun size={16} />}
			</ActionIcon>
		</Tooltip>
	);
}
