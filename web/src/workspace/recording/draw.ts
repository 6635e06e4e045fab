/** Draws what was just struck into a row: rounds over one another, the newest strongest. */
import { axis } from "../../draw/axis";
import { velocityY } from "../../draw/velocity";
import type { Roles } from "../../lib/theme";
import type { WorkspaceState } from "../../part/store";

export function drawStruck(
	context: CanvasRenderingContext2D,
	width: number,
	height: number,
	state: WorkspaceState,
	index: number,
	colours: Roles,
) {
	const { struck, window } = state;
	if (struck.length === 0) return;
	const { x } = axis(window, width);
	const newest = struck[struck.length - 1].round;
	context.fillStyle = colours.played;
	context.strokeStyle = colours.ink;
	for (const { round, tick, velocity, instrument } of struck) {
		if (instrument !== index) continue;
		context.globalAlpha = Math.max(0.12, 0.95 - 0.3 * (newest - round));
		context.beginPath();
		context.arc(x(tick), velocityY(velocity, height), 3.6, 0, 2 * Math.PI);
		context.fill();
		if (round === newest) context.stroke();
	}
	context.globalAlpha = 1;
}
