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
		case "change-group": {
			const { kind, group, ...change } = gesture;
			return `${kind} ${group} ${Object.keys(change).sort().join(" ")}`;
		}
		case "level-by":
		case "contrast-by":
			return `${gesture.kind} ${gesture.instruments.join(" ")}`;
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
export function echoed(recipe: Recipe, gesture: Gesture): Recipe {
	const { passes, groups } = recipe;
	switch (gesture.kind) {
		case "set": {
			const action = { [gesture.setting]: gesture.value };
			return {
				...recipe,
				passes: passes.map((pass) =>
					pass.id === gesture.pass
						? { ...pass, action: { ...pass.action, ...action } as typeof pass.action }
						: pass,
				),
			};
		}
		case "change-pass": {
			const { kind: _, pass: id, ...change } = gesture;
			return { ...recipe, passes: passes.map((pass) => (pass.id === id ? { ...pass, ...change } : pass)) };
		}
		case "change-group": {
			const { kind: _, group: id, ...change } = gesture;
			return { ...recipe, groups: groups?.map((one) => (one.id === id ? { ...one, ...change } : one)) };
		}
		case "move-pass": {
			const moved = [...passes];
			const from = moved.findIndex(({ id }) => id === gesture.pass);
			if (from < 0) return { passes };
			const [pass] = moved.splice(from, 1);
			moved.splice(Math.max(0, Math.min(moved.length, from + gesture.by)), 0, pass);
			return { ...recipe, passes: moved };
		}
		case "delete-pass":
			return { ...recipe, passes: passes.filter(({ id }) => id !== gesture.pass) };
		default:
			return recipe;
	}
}
