/** What an action does to a few hits, before and after, as a small picture. */
type Hit = [x: number, y: number];
type Done = (hit: Hit, place: number) => Hit;

const [width, height] = [46, 26];
/** Time to the right, loud on top. */
const hits: Hit[] = [7, 15, 23, 31, 39].map((x, place) => [x, [9, 16, 11, 18, 10][place]]);
const alike: Hit[] = hits.map(([x]) => [x, 9]);
const off: Hit[] = hits.map(([x, y], place) => [x + [2, -2.4, 1.6, 2.4, -1.8][place], y]);
const dice = [0.4, -0.9, 0.7, -0.3, 0.9];
const middle = 13;

const touch = (change: (y: number, place: number) => number, from = hits): [Hit[], Done] => [
	from,
	([x, y], place) => [x, change(y, place)],
];
const time = (change: (x: number, place: number) => number, from = hits): [Hit[], Done] => [
	from,
	([x, y], place) => [change(x, place), y],
];

const pictures: Record<string, [Hit[], Done]> = {
	shape: touch((_, place) => [6, 17, 9, 20, 12][place], alike),
	contrast: touch((y) => middle + (y - middle) * 1.7),
	level: touch((y) => y - 5),
	set: touch(() => 10),
	limits: touch((y) => Math.max(10.5, Math.min(15.5, y))),
	match: touch((_, place) => [7, 18, 12, 20, 8][place], alike),
	vary: touch((y, place) => y + dice[place] * 4),
	draw: touch((_, place) => 12 + dice[place] * 8),
	accents: touch((y, place) => y - [4, 0, 4, 0, 4][place], alike),
	swell: touch((_, place) => 21 - place * 3.6, alike),
	arc: touch((y, place) => y - [-4, -1, 5, 4, -2][place]),
	"fast-hands": touch((_, place) => [6, 10, 13, 15, 16][place], alike),
	"no-twins": touch((y, place) => y + [0, 4, 0, 3, 0][place], alike),
	layer: touch((y) => 17 + (y - middle) * 0.4),
	pull: time((_, place) => hits[place][0], off),
	swing: time((x, place) => x + (place % 2) * 3.4),
	groove: time((x, place) => x + [0, 2.6, -1.6, 2.2, 0.8][place]),
	pocket: time((x, place) => x + [1.2, 2.8, 1.2, 2.8, 1.2][place]),
	lean: time((x) => x + 3.4),
	humanize: [hits, ([x, y], place) => [x + dice[place] * 2.2, y + dice[4 - place] * 3.4]],
	loosen: time((x, place) => x + dice[place] * 3),
	flam: touch((y) => y),
	drag: touch((y) => y),
	ghosts: touch((y) => y),
	roll: touch((y) => y),
	sticking: touch((y, place) => y + (place % 2) * 5, alike),
	swap: touch((y) => y),
	recolour: touch((y) => y),
	odds: touch((y) => y),
	fan: [[6, 11, 16, 21].map((y) => [22, y]), ([, y], place) => [17 + place * 4, y]],
	length: time((x) => x),
};

/** What is made, as diamonds; what is silenced or sounds otherwise. */
const madeOf: Record<string, Hit[]> = {
	flam: [
		[20, 17],
		[36, 17],
	],
	drag: [
		[17, 19],
		[20, 18],
		[33, 19],
		[36, 18],
	],
	ghosts: [
		[3, 21],
		[11, 21],
		[19, 21],
		[27, 21],
		[35, 21],
	],
	roll: [
		[26, 17],
		[29, 16],
		[32, 15],
		[35, 13],
	],
};
/** What becomes of lines around the hits: as it was, and as it is. */
const nervous = "M3,12L7,17L11,9L15,16L19,8L23,15L27,7L31,14L35,6L39,12L43,5";
const steps = "M3,19H11V16H19V11H27V13H35V7H43";
const lines: Record<string, [before: string, after: string]> = {
	"lane-line": ["M3,17H43", "M3,18L15,6L29,15L43,8"],
	"lane-ramp": ["M3,9H43", "M3,20L43,5"],
	"lane-scale": [steps, "M3,16H11V14.5H19V12H27V13H35V10H43"],
	"lane-offset": [steps, "M3,14H11V11H19V6H27V8H35V3H43"],
	"lane-smooth": [nervous, "M3,14C15,13 28,11 43,8"],
	"lane-thin": [nervous, "M3,13L23,12L43,6"],
	"lane-follow": ["M3,22H43", "M3,9H15V16H23V11H31V18H39V10H43"],
	"lane-anchor": [steps, "M5,19H13V16H21V11H29V13H37V7H43"],
};

const missing: Record<string, number[]> = { odds: [1, 3] };
const other: Record<string, number[]> = { swap: [0, 2, 4], recolour: [1, 2, 4] };

export function ActionPicture({ kind }: { kind: string }) {
	const line = lines[kind];
	if (line)
		return (
			<svg width={width} height={height} viewBox={`0 0 ${width} ${height}`} aria-hidden>
				<path d={line[0]} fill="none" stroke="var(--written)" strokeDasharray="2.5 2" />
				<path d={line[1]} fill="none" stroke="var(--played)" strokeWidth={1.5} />
			</svg>
		);
	const [before, done] = pictures[kind] ?? [hits, (hit) => hit];
	return (
		<svg width={width} height={height} viewBox={`0 0 ${width} ${height}`} aria-hidden>
			{[7, 23, 39].map((x) => (
				<line key={x} x1={x} x2={x} y1={2} y2={height - 2} stroke="var(--line)" />
			))}
			{before.map((hit, place) => {
				const [x, y] = done(hit, place);
				return (
					<g key={`${hit}`}>
						<circle cx={hit[0]} cy={hit[1]} r={1.9} fill="none" stroke="var(--written)" strokeWidth={0.9} />
						<line
							x1={hit[0]}
							y1={hit[1]}
							x2={x}
							y2={y}
							stroke="var(--played)"
							strokeWidth={0.7}
							opacity={0.6}
						/>
						{kind === "length" && <rect x={x} y={y - 1} width={6} height={2} fill="var(--played)" />}
						<circle
							cx={x}
							cy={y}
							r={other[kind]?.includes(place) ? 2.6 : 1.9}
							fill={missing[kind]?.includes(place) ? "none" : "var(--played)"}
						/>
						{other[kind]?.includes(place) && <circle cx={x} cy={y} r={1} fill="var(--sheet)" />}
					</g>
				);
			})}
			{madeOf[kind]?.map(([x, y]) => (
				<path key={`${x}`} d={`M${x} ${y - 2.4}l2.4 2.4l-2.4 2.4l-2.4 -2.4z`} fill="var(--added)" />
			))}
		</svg>
	);
}
