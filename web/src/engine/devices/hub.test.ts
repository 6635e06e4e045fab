import { afterEach, beforeEach, expect, test, vi } from "vitest";

const view = vi.fn();
const setView = vi.fn(async (..._: unknown[]) => undefined);
vi.mock("../../api/client", () => ({ client: { view, setView } }));

beforeEach(() => {
	vi.resetModules();
	vi.useFakeTimers();
	view.mockReset();
	setView.mockClear();
	vi.stubGlobal("navigator", {});
});
afterEach(() => {
	vi.useRealTimers();
	vi.unstubAllGlobals();
});

const kept = { latencies: { Pads: 12 }, routes: { "1": { port: "Sampler", channel: 9 } }, deaf: ["Keys"] };

test("what could not be read is not overwritten: a change comes on top of it once it can", async () => {
	const away = new Error("no answer");
	view.mockRejectedValueOnce(away).mockRejectedValueOnce(away).mockResolvedValue(kept);
	const { devices, readDevices, setDevices } = await import("./hub");
	await readDevices();
	setDevices({ clockTo: ["Sampler"] });
	await vi.advanceTimersByTimeAsync(1000);
	expect(setView).not.toHaveBeenCalled();
	await vi.advanceTimersByTimeAsync(5000);
	expect(setView).toHaveBeenCalledTimes(1);
	expect(setView.mock.calls[0][1]).toMatchObject({ ...kept, clockTo: ["Sampler"] });
	expect(devices.getState()).toMatchObject({ ...kept, ready: true });
});

test("what is of no kind that it could be is as usual", async () => {
	const odd = {
		latencies: { Pads: 9000, Keys: 3 },
		routes: { "1": { port: 3, channel: 99 } },
		deaf: "all",
		pads: null,
	};
	view.mockResolvedValue(odd);
	const { devices, readDevices } = await import("./hub");
	await readDevices();
	const { latencies, routes, deaf, pads } = devices.getState();
	expect([latencies, routes, deaf, pads.figure]).toEqual([{ Keys: 3 }, {}, [], "beat"]);
});

test("many changes in a row are kept once", async () => {
	view.mockResolvedValue(null);
	const { readDevices, setDevices } = await import("./hub");
	await readDevices();
	for (let ms = 0; ms < 40; ms++) setDevices({ latencies: { Pads: ms } });
	await vi.advanceTimersByTimeAsync(400);
	expect(setView).toHaveBeenCalledTimes(1);
	expect(setView.mock.calls[0][1]).toMatchObject({ latencies: { Pads: 39 } });
});
