/** The heights of velocities in a row. */

/** The room above and below the velocity scale of a row, in px. */
export const inset = 9;

/** The height of a velocity in a row. */
export const velocityY = (velocity: number, height: number) =>
	inset + ((127 - velocity) / 126) * (height - 2 * inset);

/** The velocity at a height in a row. */
export const velocityAt = (y: number, height: number) => 127 - ((y - inset) / (height - 2 * inset)) * 126;
