import { TextInput } from "@mantine/core";
import { useRef, useState } from "react";
import { isEnter } from "./fields";

interface Props {
	label: string;
	value: string;
	/** The new name; nothing where it was left as it is or given up. */
	onDone: (name: string | null) => void;
	className?: string;
}

/** A name in a field that has the focus: Enter or leaving it keeps, Escape gives up. */
export function NameField({ label, value, onDone, className }: Props) {
	const [name, setName] = useState(value);
	/** A field that goes away loses its focus, too. */
	const finished = useRef(false);
	const finish = (keep: boolean) => {
		if (finished.current) return;
		finished.current = true;
		const trimmed = name.trim();
		onDone(keep && trimmed && trimmed !== value ? trimmed : null);
	};
	return (
		<TextInput
			className={className}
			flex={1}
			size="xs"
			aria-label={label}
			value={name}
			autoFocus
			maxLength={200}
			onFocus={(event) => event.currentTarget.select()}
			onChange={(event) => setName(event.currentTarget.value)}
			onBlur={() => finish(true)}
			onKeyDown={(event) => {
				event.stopPropagation();
				if (isEnter(event)) finish(true);
				if (event.key === "Escape") finish(false);
			}}
		/>
	);
}
