import { Combobox, useCombobox } from "@mantine/core";
import { type ReactElement, useState } from "react";

interface Props {
	options: { value: string; label: string }[];
	onPick: (value: string) => void;
	/** What is searched for. */
	what: string;
	/** A button that opens the list; it is told how. */
	target: (toggle: () => void) => ReactElement;
}

/** One of a list; a long list is searched. */
export function PickOne({ options, onPick, what, target }: Props) {
	const [text, setText] = useState("");
	const combobox = useCombobox({
		onDropdownClose: () => {
			combobox.resetSelectedOption();
			setText("");
		},
		onDropdownOpen: () => combobox.focusSearchInput(),
	});
	const wanted = text.trim().toLowerCase();
	const found = options.filter(({ label }) => label.toLowerCase().includes(wanted));
	return (
		<Combobox
			store={combobox}
			width={220}
			position="bottom-start"
			onOptionSubmit={(value) => {
				combobox.closeDropdown();
				onPick(value);
			}}
		>
			<Combobox.Target withAriaAttributes={false}>{target(() => combobox.toggleDropdown())}</Combobox.Target>
			<Combobox.Dropdown>
				<Combobox.Search
					value={text}
					aria-label={`Find ${what}`}
					placeholder={`Find ${what} …`}
					onChange={(event) => {
						setText(event.currentTarget.value);
						combobox.selectFirstOption();
					}}
				/>
				<Combobox.Options mah={300} style={{ overflowY: "auto" }} aria-label={what}>
					{found.map(({ value, label }) => (
						<Combobox.Option key={value} value={value}>
							{label}
						</Combobox.Option>
					))}
					{found.length === 0 && <Combobox.Empty>None of that name</Combobox.Empty>}
				</Combobox.Options>
			</Combobox.Dropdown>
		</Combobox>
	);
}
