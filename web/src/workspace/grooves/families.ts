/** What the families of drums are called on this screen. */
import type { Family } from "../../api/generated/types";

export const familyNames: Record<Family, string> = {
	kick: "kick",
	snare: "snare",
	tom: "toms",
	hat: "hats",
	ride: "ride",
	crash: "crash",
	"hand-percussion": "hand percussion",
	tonal: "tones",
	other: "others",
};
