/** Ticks in a worker: a page that is not seen has its own timers slowed down, and would fall behind the music. */
let timer = 0;
self.onmessage = ({ data }: MessageEvent<number>) => {
	self.clearInterval(timer);
	if (data > 0) timer = self.setInterval(() => self.postMessage(0), data);
};
