/** Every colour, radius and size, once. */
import {
	type CSSVariablesResolver,
	createTheme,
	defaultVariantColorsResolver,
	type MantineColorsTuple,
	type VariantColorsResolver,
} from "@mantine/core";

const madder: MantineColorsTuple = [
	"#fdeeea",
	"#f8d8d0",
	"#efb0a2",
	"#e58672",
	"#dd644b",
	"#d44e34",
	"#c43a26",
	"#a92f1e",
	"#8c2718",
	"#6e1d11",
];

const slateInk: MantineColorsTuple = [
	"#f4f3f0",
	"#e5e3de",
	"#cbc8c1",
	"#aca9a3",
	"#8d8b89",
	"#6f6f73",
	"#565962",
	"#3d414c",
	"#2a2d38",
	"#1d2029",
];

/** The colour of each role: what a thing means, not where it stands. */
export interface Roles {
	paper: string;
	sheet: string;
	band: string;
	line: string;
	strongLine: string;
	ink: string;
	quiet: string;
	written: string;
	/** Figures of what was written. */
	writtenInk: string;
	played: string;
	/** Figures of what is played. */
	playedInk: string;
	/** A ground of that colour, and what is written on it. */
	playedSolid: string;
	onPlayed: string;
	playedFill: string;
	added: string;
	time: string;
	timeFill: string;
}

const light: Roles = {
	paper: "#f6f2ea",
	sheet: "#fdfbf6",
	band: "#f1ece1",
	line: "#e4decf",
	strongLine: "#bdb5a3",
	ink: "#23252e",
	quiet: "#6a665c",
	written: "#767d8c",
	writtenInk: "#585f6e",
	played: "#c43a26",
	playedInk: "#b23120",
	playedSolid: "#c43a26",
	onPlayed: "#ffffff",
	playedFill: "rgba(196, 58, 38, 0.2)",
	added: "#b67c0d",
	time: "#1b7671",
	timeFill: "rgba(27, 118, 113, 0.22)",
};

const dark: Roles = {
	paper: "#191a1e",
	sheet: "#212227",
	band: "#292a30",
	line: "#35363d",
	strongLine: "#5d5d66",
	ink: "#ece8df",
	quiet: "#a8a398",
	written: "#939bab",
	writtenInk: "#a9b0be",
	played: "#f0705a",
	playedInk: "#f58470",
	playedSolid: "#f0705a",
	onPlayed: "#191a1e",
	playedFill: "rgba(240, 112, 90, 0.26)",
	added: "#e0aa3e",
	time: "#55b8b0",
	timeFill: "rgba(85, 184, 176, 0.25)",
};

const kebab = (name: string) => name.replace(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`);
const variables = (colours: Roles) =>
	Object.fromEntries(Object.entries(colours).map(([role, colour]) => [`--${kebab(role)}`, colour]));

export const roles: CSSVariablesResolver = () => ({
	variables: {},
	light: {
		...variables(light),
		"--mantine-color-body": light.paper,
		"--mantine-color-text": light.ink,
		"--mantine-color-default-border": light.line,
		"--mantine-color-default": light.sheet,
		"--mantine-color-dimmed": light.quiet,
	},
	dark: {
		...variables(dark),
		"--mantine-color-body": dark.paper,
		"--mantine-color-text": dark.ink,
		"--mantine-color-default-border": dark.line,
		"--mantine-color-default": dark.sheet,
		"--mantine-color-dimmed": dark.quiet,
	},
});

/** What drawing code paints with, in the scheme that is on. */
export const colours = (scheme: "light" | "dark"): Roles => (scheme === "dark" ? dark : light);

/** Ink on chalk in the dark, chalk on ink in the light. */
const variantColorResolver: VariantColorsResolver = (input) => {
	const resolved = defaultVariantColorsResolver(input);
	const primary = !input.color || input.color === input.theme.primaryColor;
	if (input.variant !== "filled" || !primary) return resolved;
	return { ...resolved, color: "var(--mantine-primary-color-contrast)" };
};

export const theme = createTheme({
	respectReducedMotion: true,
	primaryColor: "slateInk",
	primaryShade: { light: 8, dark: 2 },
	autoContrast: true,
	variantColorResolver,
	colors: { madder, slateInk },
	fontFamily: "'Public Sans Variable', system-ui, sans-serif",
	fontSizes: { xs: "11px", sm: "12.5px", md: "14px", lg: "16px", xl: "20px" },
	defaultRadius: "md",
	radius: { sm: "4px", md: "7px", lg: "11px" },
	cursorType: "pointer",
	components: {
		Tooltip: { defaultProps: { openDelay: 500, withArrow: true } },
		Menu: { defaultProps: { shadow: "md", withinPortal: true } },
		Popover: { defaultProps: { shadow: "md", withinPortal: true } },
		Modal: {
			defaultProps: {
				lockScroll: false,
				centered: true,
				closeButtonProps: { "aria-label": "Close" },
				// The head of a dialog is not the head of the page.
				attributes: { header: { role: "presentation" } },
			},
		},
		Notification: { defaultProps: { closeButtonProps: { "aria-label": "Close" } } },
		Button: { defaultProps: { size: "sm" } },
		// A form that opens puts the focus into its first field: that is not yet a wish to choose there.
		Select: { defaultProps: { openOnFocus: false } },
		MultiSelect: { defaultProps: { openOnFocus: false } },
	},
});
