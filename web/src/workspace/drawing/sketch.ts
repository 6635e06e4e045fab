/** Draws what the pencil is just drawing, before it is kept. */
import { axis } from "../../draw/axis";
import { velocityY } from "../../draw/velocity";
import type { Roles } from "../../lib/theme";
import type { WorkspaceState } from "../../part/store";

export function drawSketch(
	context: CanvasRenderingContext2D,
	width: number,
	height: number,
	state: WorkspaceState,
	index: number,
	colours: Roles,
) {
	const { sketch, window, performance, part } = state;
	if (sketch?.instrument !== index) return;
	const { x } = axis(window, width);
	const ring = (tick: number, velocity: number | null) => {
		context.beginPath();
		context.arc(x(tick), velocity === null ? height / 2 : velocityY(velocity, height), 4, 0, 2 * Math.PI);
		if (sketch.rubs) context.stroke();
		else context.fill();
	};
	context.globalAlpha = 0.75;
	context.fillStyle = colours.played;
	context.strokeStyle = colours.ink;
	context.lineWidth = 1.5;
	sketch.ticks?.forEach((tick, place) => {
		ring(tick, sketch.velocities?.[place] ?? null);
	});
	if (sketch.carried) {
		const ids = performance?.ids ?? part.written.ids;
		const [ticks, velocities] = [
			performance?.ticks ?? part.written.ticks,
			performance?.velocities ?? part.written.velocities,
		];
		const carried = new Set(sketch.carried);
		ids.forEach((id, hit) => {
			if (carried.has(id)) ring(ticks[hit] + (sketch.by ?? 0), velocities[hit]);
		});
	}
	context.globalAlpha = 1;
}
