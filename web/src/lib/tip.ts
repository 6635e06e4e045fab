/** The value of what is dragged, at the pointer. */
import classes from "./tip.module.css";

let shown: HTMLElement | null = null;

/** Puts words beside the pointer, within the window. */
export function showTip({ clientX, clientY }: { clientX: number; clientY: number }, words: string) {
	if (!shown) {
		shown = document.createElement("output");
		shown.className = classes.tip;
		shown.dataset.tip = "";
		document.body.append(shown);
	}
	if (shown.textContent !== words) shown.textContent = words;
	const { offsetWidth: width, offsetHeight: height } = shown;
	const left = Math.max(4, Math.min(window.innerWidth - width - 4, clientX + 14));
	const above = clientY - height - 12;
	const top = above < 4 ? clientY + 18 : above;
	shown.style.transform = `translate(${Math.round(left)}px, ${Math.round(top)}px)`;
}

export function hideTip() {
	shown?.remove();
	shown = null;
}
