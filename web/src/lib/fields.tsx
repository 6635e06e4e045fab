/** Fields whose text is kept once it is done: by Enter, or by leaving the field. Escape gives up. */
import { NumberInput, type NumberInputProps, TextInput, type TextInputProps } from "@mantine/core";
import { type KeyboardEvent, useEffect, useRef, useState } from "react";

/** Enter, but not the one that ends the conversion of an input method. */
export const isEnter = (event: KeyboardEvent) => event.key === "Enter" && !event.nativeEvent.isComposing;

/**
 * What is being typed over a value. Nothing is kept that was not typed since: where the value changes meanwhile, by
 * undo or elsewhere, the field shows that.
 */
export function useEdited<Text>(value: Text, keep: (text: Text) => void) {
	const [typed, setTyped] = useState<{ text: Text } | null>(null);
	/** Whether what is typed was kept already, and is shown until the value says the same. */
	const kept = useRef(false);
	useEffect(() => {
		// The value is another one: what was kept before it is over.
		void value;
		if (kept.current) setTyped(null);
		kept.current = false;
	}, [value]);
	return {
		text: typed ? typed.text : value,
		type: (text: Text) => {
			kept.current = false;
			setTyped({ text });
		},
		done: () => {
			if (!typed || kept.current) return;
			kept.current = true;
			keep(typed.text);
		},
		giveUp: () => {
			kept.current = false;
			setTyped(null);
		},
	};
}

type TextProps = Omit<TextInputProps, "value" | "onChange"> & {
	value: string;
	/** Another text, without blanks around it. */
	onDone: (text: string) => void;
};

export function EditedText({ value, onDone, ...others }: TextProps) {
	const { text, type, done, giveUp } = useEdited(value, (text) => {
		const trimmed = text.trim();
		if (trimmed === value) giveUp();
		else onDone(trimmed);
	});
	const onKeyDown = (event: KeyboardEvent) => {
		if (isEnter(event)) done();
		if (event.key === "Escape") giveUp();
	};
	return (
		<TextInput
			size="xs"
			{...others}
			value={text}
			onChange={(event) => type(event.currentTarget.value)}
			onBlur={done}
			onKeyDown={onKeyDown}
		/>
	);
}

type NumberProps = Omit<NumberInputProps, "value" | "onChange" | "min" | "max"> & {
	value: number | null;
	min: number;
	max: number;
	/** What is typed holds as soon as it is in range. */
	live?: boolean;
	/** Within the range; nothing where the field was emptied. */
	onDone: (value: number | null) => void;
};

/** Any digits can be typed; the number is brought into its range when it is done. */
export function EditedNumber({ value, min, max, live = false, onDone, ...others }: NumberProps) {
	const { text, type, done, giveUp } = useEdited<number | string>(value ?? "", (text) => {
		const next = text === "" ? null : Math.max(min, Math.min(max, Number(text)));
		if (next === value || Number.isNaN(next)) giveUp();
		else onDone(next);
	});
	const onKeyDown = (event: KeyboardEvent) => {
		if (isEnter(event)) done();
		if (event.key === "Escape") giveUp();
	};
	return (
		<NumberInput
			size="xs"
			clampBehavior="blur"
			{...others}
			min={min}
			max={max}
			value={text}
			onChange={(next) => {
				type(next);
				if (live && typeof next === "number" && next >= min && next <= max && next !== value) onDone(next);
			}}
			onBlur={done}
			onKeyDown={onKeyDown}
		/>
	);
}
