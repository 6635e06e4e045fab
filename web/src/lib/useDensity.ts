import { useEffect, useState } from "react";

/** How many pixels of the screen one of the page is. It changes where the window goes to another screen. */
export function useDensity() {
	const [density, setDensity] = useState(window.devicePixelRatio || 1);
	useEffect(() => {
		const here = window.matchMedia(`(resolution: ${density}dppx)`);
		const change = () => setDensity(window.devicePixelRatio || 1);
		here.addEventListener("change", change);
		return () => here.removeEventListener("change", change);
	}, [density]);
	return density;
}
