/** The keys, by where they are used. */
export interface KeysOfPlace {
	place: string;
	keys: [names: string[], does: string][];
}

export const keysByPlace: KeysOfPlace[] = [
	{
		place: "Listening",
		keys: [
			[["Space"], "Play from the place chosen on the ruler, or stop"],
			[["Shift", "Space"], "Play from the beginning of the loop"],
			[["W"], "Flip between Written and Played"],
			[["E"], "Compare the two at equal loudness"],
			[["L"], "Loop on or off"],
			[["C"], "Click on or off"],
			[["O"], "Hear the other parts, or this one alone"],
			[["V"], "Next variation"],
			[["R"], "Another variation in each round of the loop"],
			[["Shift", "R"], "Record what is played on pads, or stop recording"],
		],
	},
	{
		place: "Looking",
		keys: [
			[["T"], "See timing 4, 8, 16 times larger; with Shift the other way"],
			[["S"], "Lay all bars over one, or unroll them"],
			[["F"], "Show or hide the figures"],
			[["D"], "Show or hide the pads; after a click on one its keys strike them, Escape ends that"],
			[["G"], "Grooves, or back to the hits"],
			[["K"], "The part’s kit, or back to the hits"],
			[["P"], "Passes or pockets"],
			[["N"], "Findings, then from one to the next; with Shift back"],
			[["1"], "Show the loop"],
			[["2"], "Show the section that is in view"],
			[["0"], "Show the whole song"],
			[["+", "−"], "Zoom in and out"],
			[["Shift", "← →"], "Scroll by a quarter of the view"],
		],
	},
	{
		place: "Drawing",
		keys: [
			[["B"], "Draw hits in the rows, or stop; Escape stops, too"],
			[["X"], "Rub out instead of drawing; Shift does while it is held"],
			[["Alt"], "While a hit is dragged: copy it"],
			[["Ctrl"], "While the pencil is in hand: sweep over hits to select them"],
		],
	},
	{
		place: "Hits",
		keys: [
			[["↑ ↓ ← →"], "Nudge the selected hits: velocity, ms; with Shift by ten"],
			[["Enter"], "Type the velocity of the selected hits"],
			[["Delete"], "Take the selected hits out"],
			[["Escape"], "Select nothing; end pointing at an aim; give up what is being dragged"],
			[["Ctrl", "A"], "Select what is in the loop, and then what is in the song"],
			[["Alt", "click"], "On a name: select its hits in the loop, and then in the song"],
			[
				["Shift", "click"],
				"On a name: select the row, so that its numbers are for several; on a hit: select it, too",
			],
			[
				["Alt"],
				"While hits are dragged: up and sideways at once; from an empty place: a brush, with Shift straight",
			],
			[["Ctrl"], "While hits are dragged up or down: in proportion"],
			[["Shift"], "While hits are dragged sideways: onto the lines of the grid"],
		],
	},
	{
		place: "Passes",
		keys: [
			[["/"], "Add a pass"],
			[["Alt", "↑ ↓"], "Move the pass in focus earlier or later"],
			[["Tab"], "Go from handle to handle and word to word"],
			[["↑ ↓"], "Change the handle or number in focus; Page up and down in larger steps"],
			[["Ctrl", "Z"], "Undo"],
			[["Ctrl", "Shift", "Z"], "Redo"],
			[["?"], "Help"],
		],
	},
	{
		place: "On the shelf",
		keys: [
			[
				["Ctrl", "click"],
				"Select a song, or take it out of what is selected; a sweep over the cards selects several",
			],
			[["Ctrl", "A"], "Select all songs that are shown"],
			[["Esc"], "Select none"],
			[["?"], "This help"],
		],
	},
];
