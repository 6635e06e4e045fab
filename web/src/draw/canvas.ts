/** A canvas at the pixels of its screen. */
export function fitCanvas(element: HTMLCanvasElement) {
	const ratio = window.devicePixelRatio || 1;
	const width = element.clientWidth;
	const height = element.clientHeight;
	const [pixelWidth, pixelHeight] = [Math.round(width * ratio), Math.round(height * ratio)];
	if (element.width !== pixelWidth || element.height !== pixelHeight) {
		element.width = pixelWidth;
		element.height = pixelHeight;
	}
	const context = element.getContext("2d") as CanvasRenderingContext2D;
	context.setTransform(ratio, 0, 0, ratio, 0, 0);
	return { context, width, height };
}

/** A canvas off the screen made as large as one on it, empty. */
export function scaledLike(element: HTMLCanvasElement, other: HTMLCanvasElement) {
	element.width = other.width;
	element.height = other.height;
	const ratio = window.devicePixelRatio || 1;
	const context = element.getContext("2d") as CanvasRenderingContext2D;
	context.setTransform(ratio, 0, 0, ratio, 0, 0);
	return context;
}
