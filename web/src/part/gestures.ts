/** What the page knows of gestures: which ones are the same one going on, and what can be shown of them at once. */
import type { Gesture, Recipe } from "../api/generated/types";

/** What a gesture is about. While that stays, a gesture says anew what the same hand is doing. */
export function aboutOf(gesture: Gesture): string {
	switch (gesture.kind) {
		case "set":
			return `set ${gesture.pass} ${gesture.setting}`;
		case "change-pass": {
			const { kind, pass, ...change } = gesture;
			return `${kind} ${pass} ${Object.keys(change).sort().join(" ")}`;
		}
		case "shape-by": {
			const { kind, instrument, property, ...handles } = gesture;
			return `${kind} ${instrument} ${property} ${Object.keys(handles).sort().join(" ")}`;
		}
		case "spread-by":
		case "lean-by":
			return `${gesture.kind} ${gesture.instrument}`;
		case "move-hits":
		case "set-hits":
		case "move-in":
			return `move ${gesture.hits.join(" ")}`;
		case "draw-slot":
			return `draw-slot ${gesture.instrument} ${gesture.slot}`;
		default:
			return gesture.kind;
	}
}

/** What can be said of a gesture before the answer comes; the rest comes with it. */
export function echoed({ passes }: Recipe, gesture: Gesture): Recipe {
	switch (gesture.kind) {
		case "set": {
			const action = { [gesture.setting]: gesture.value };
			return {
				passes: passes.map((pass) =>
					pass.id === gesture.pass
						? { ...pass, action: { ...pass.action, ...action } as typeof pass.action }
						: pass,
				),
			};
		}
		case "change-pass": {
			const { kind: _, pass: id, ...change } = gesture;
			return { passes: passes.map((pass) => (pass.id === id ? { ...pass, ...change } : pass)) };
		}
		case "move-pass": {
			const moved = [...passes];
			const from = moved.findIndex(({ id }) => id === gesture.pass);
			if (from < 0) return { passes };
			const [pass] = moved.splice(from, 1);
			moved.splice(Math.max(0, Math.min(moved.length, from + gesture.by)), 0, pass);
			return { passes: moved };
		}
		case "delete-pass":
			return { passes: passes.filter(({ id }) => id !== gesture.pass) };
		default:
			return { passes };
	}
}
