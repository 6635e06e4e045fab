import type { OnsetColumns, PeakColumns } from "../api/generated/types";
import { loudestOf } from "../draw/wave";
import classes from "./Loops.module.css";

const width = 1000;
const height = 100;

/** A sound and its onsets: as high as they are loud. */
export function Wave({
	peaks,
	onsets,
	seconds,
	stretch,
}: {
	peaks?: PeakColumns;
	onsets: OnsetColumns;
	seconds: number;
	/** Where the loop begins and ends, in s. */
	stretch: [number, number];
}) {
	const x = (second: number) => ((width * second) / seconds).toFixed(1);
	const scale = loudestOf(peaks);
	const y = (value: number) => (height / 2 - (scale * value * height) / 2).toFixed(1);
	const top = peaks?.high.map((value, place) => `${x(place * peaks.step)},${y(value)}`) ?? [];
	const bottom = peaks?.low.map((value, place) => `${x(place * peaks.step)},${y(value)}`).reverse() ?? [];
	return (
		<svg
			className={classes.wave}
			viewBox={`0 0 ${width} ${height}`}
			preserveAspectRatio="none"
			role="img"
			aria-label={`The sound and its ${onsets.seconds.length} onsets`}
		>
			<polygon points={[...top, ...bottom].join(" ")} />
			<rect x={0} width={x(stretch[0])} height={height} />
			<rect x={x(stretch[1])} width={x(Math.max(0, seconds - stretch[1]))} height={height} />
			{onsets.seconds.map((second, place) => (
				<line
					key={second}
					x1={x(second)}
					x2={x(second)}
					y1={height * (1 - onsets.velocities[place] / 127)}
					y2={height}
					data-family={onsets.families[place]}
				/>
			))}
		</svg>
	);
}
