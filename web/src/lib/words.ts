/** Numbers and counts as people read them. */

export const percent = (share: number) => `${Math.round(share * 100)} %`;

const counts = new Intl.NumberFormat("en");

/** With its stop. */
export const sentence = (text: string) => (/[.!?]$/.test(text) ? text : `${text}.`);

export const plural = (count: number, one: string, many = `${one}s`) =>
	`${counts.format(count)} ${count === 1 ? one : many}`;

const letters = ["C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B"];

/** The name of a note, middle C (60) being C4. */
export const noteName = (note: number) => `${letters[note % 12]}${Math.floor(note / 12) - 1}`;

/** “1st”, “2nd”, “11th”, “22nd”. */
export function ordinal(number: number) {
	const [tens, ones] = [Math.floor(number / 10) % 10, number % 10];
	const ending = tens === 1 ? "th" : (["th", "st", "nd", "rd"][ones] ?? "th");
	return `${number}${ending}`;
}

export function duration(seconds: number) {
	const whole = Math.round(seconds);
	return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}`;
}

/** With a real minus sign, and a plus where that is asked for. */
export function signed(value: number, digits = 0, plus = false) {
	const text = Math.abs(value).toFixed(digits);
	if (Number(text) === 0) return text;
	if (value < 0) return `−${text}`;
	return plus ? `+${text}` : text;
}

/** A number without needless decimals. */
export const plain = (value: number) => signed(value, Number.isInteger(value) ? 0 : 1);

/** Drum parts in front, else in their order. */
const drumsFirst = <T extends { drums: boolean }>(parts: T[]) => [
	...parts.filter(({ drums }) => drums),
	...parts.filter(({ drums }) => !drums),
];

/** What is heard in front of what is muted, drum parts first, else in their order. */
export const inOrder = <T extends { drums: boolean; muted: boolean }>(parts: T[]) => [
	...drumsFirst(parts.filter(({ muted }) => !muted)),
	...drumsFirst(parts.filter(({ muted }) => muted)),
];

/** “a, b and c”. */
export function listed(words: string[]) {
	if (words.length < 2) return words.join("");
	return `${words.slice(0, -1).join(", ")} and ${words[words.length - 1]}`;
}
