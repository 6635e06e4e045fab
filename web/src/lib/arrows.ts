/** How far keys go in steps, up or to the right; nothing for other keys. `page` is how far the page keys go. */

type Key = Pick<KeyboardEvent, "key">;

const steps = (more: string, less: string, page?: number): Record<string, number | undefined> => ({
	[more]: 1,
	[less]: -1,
	PageUp: page,
	PageDown: page && -page,
});

export const upwards = ({ key }: Key, page?: number) => steps("ArrowUp", "ArrowDown", page)[key];

export const downwards = ({ key }: Key) => steps("ArrowDown", "ArrowUp")[key];

export const rightwards = ({ key }: Key, page?: number) => steps("ArrowRight", "ArrowLeft", page)[key];

/** Up or to the right is more. */
export const more = (event: Key, page?: number) => upwards(event, page) ?? rightwards(event, page);
