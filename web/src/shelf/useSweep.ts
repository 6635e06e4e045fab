import { type PointerEvent, type RefObject, useState } from "react";
import { follow } from "../lib/dragging";

interface Box {
	left: number;
	top: number;
	width: number;
	height: number;
}

/** A drag that begins between the cards selects those that it sweeps over; with Shift, those before, too. */
export function useSweep(
	list: RefObject<HTMLElement | null>,
	onSweep: (songs: number[], more: boolean) => void,
) {
	const [box, setBox] = useState<Box | null>(null);
	const onPointerDown = (event: PointerEvent<HTMLElement>) => {
		if (event.button !== 0 || event.target !== event.currentTarget || !list.current) return;
		const own = list.current;
		const area = own.getBoundingClientRect();
		const [x, y] = [event.clientX - area.left, event.clientY - area.top];
		let swept: Box | null = null;
		const move = (now: globalThis.PointerEvent) => {
			const moved = own.getBoundingClientRect();
			const [toX, toY] = [now.clientX - moved.left, now.clientY - moved.top];
			if (!swept && Math.hypot(toX - x, toY - y) < 5) return;
			swept = {
				left: Math.min(x, toX),
				top: Math.min(y, toY),
				width: Math.abs(toX - x),
				height: Math.abs(toY - y),
			};
			setBox(swept);
		};
		const end = () => {
			setBox(null);
			if (!swept) {
				if (!event.shiftKey) onSweep([], false);
				return;
			}
			const { left, top, width, height } = swept;
			const moved = own.getBoundingClientRect();
			const caught = [...own.querySelectorAll<HTMLElement>("[data-song-id]")].filter((card) => {
				const one = card.getBoundingClientRect();
				const [cardLeft, cardTop] = [one.left - moved.left, one.top - moved.top];
				return (
					cardLeft < left + width &&
					cardLeft + one.width > left &&
					cardTop < top + height &&
					cardTop + one.height > top
				);
			});
			onSweep(
				caught.map((card) => Number(card.dataset.songId)),
				event.shiftKey,
			);
		};
		const held = { currentTarget: own, pointerId: event.pointerId };
		follow(held, { move, end, cancel: () => setBox(null) });
	};
	return { box, onPointerDown };
}
