/** The one client of the server's `/api/v1`. */
import type {
	ActionOffer,
	ExportInfo,
	KitManifest,
	PartChangeRequest,
	PartDetail,
	PartState,
	PerformanceColumns,
	PerformRequest,
	Problem,
	Slots,
	SongCard,
	SongDetail,
	Travelled,
} from "./generated/types";

/** An answer that says what went wrong. */
export class ProblemError extends Error {
	constructor(readonly problem: Problem) {
		super(problem.detail);
	}
}

const base = "/api/v1";

async function ask(method: string, path: string, init: RequestInit = {}): Promise<Response> {
	let response: Response;
	try {
		response = await fetch(base + path, { method, ...init });
	} catch (error) {
		if (error instanceof DOMException && error.name === "AbortError") throw error;
		throw new ProblemError({
			status: 0,
			title: "Vivida does not answer",
			detail: "The server has stopped or cannot be reached. Start it again; what was saved is safe.",
		});
	}
	if (response.ok) return response;
	const problem = response.headers.get("content-type")?.includes("problem+json")
		? ((await response.json()) as Problem)
		: { status: response.status, title: "Failed", detail: `The server answered ${response.status}.` };
	throw new ProblemError(problem);
}

async function json<T>(method: string, path: string, body?: unknown, init: RequestInit = {}): Promise<T> {
	const withBody =
		body === undefined
			? init
			: { ...init, body: JSON.stringify(body), headers: { "Content-Type": "application/json" } };
	const response = await ask(method, path, withBody);
	return response.status === 204 ? (undefined as T) : ((await response.json()) as T);
}

export const client = {
	songs: () => json<SongCard[]>("GET", "/songs"),
	addSong: (file: File) =>
		json<SongCard>("POST", `/songs?file_name=${encodeURIComponent(file.name)}`, undefined, {
			body: file,
			headers: { "Content-Type": "application/octet-stream" },
		}),
	renameSong: (song: SongCard, name: string) =>
		json<SongCard>("PATCH", `/songs/${song.id}`, { revision: song.revision, name }),
	duplicateSong: (id: number) => json<SongCard>("POST", `/songs/${id}/duplicate`),
	deleteSong: (song: SongCard) => json<void>("DELETE", `/songs/${song.id}?revision=${song.revision}`),
	undoShelf: () => json<Travelled>("POST", "/shelf/undo"),
	song: (id: number) => json<SongDetail>("GET", `/songs/${id}`),
	undo: (song: number) => json<Travelled>("POST", `/songs/${song}/undo`),
	redo: (song: number) => json<Travelled>("POST", `/songs/${song}/redo`),
	part: (id: number) => json<PartDetail>("GET", `/parts/${id}`),
	changePart: (id: number, change: PartChangeRequest, keepalive = false) =>
		json<PartState>("PUT", `/parts/${id}`, change, { keepalive }),
	perform: (id: number, request: PerformRequest) =>
		json<PerformanceColumns>("POST", `/parts/${id}/performance`, request),
	touched: (id: number, request: PerformRequest) => json<number[]>("POST", `/parts/${id}/touched`, request),
	slots: (song: number, grid: string, bars: number, bar = 1) =>
		json<Slots>("GET", `/songs/${song}/slots?grid=${encodeURIComponent(grid)}&bars=${bars}&bar=${bar}`),
	actions: () => json<ActionOffer[]>("GET", "/actions"),
	kit: () => json<KitManifest>("GET", "/sound/kit"),
	voice: async (voice: string) => (await ask("GET", `/sound/${voice}.wav`)).arrayBuffer(),
	exportInfo: (song: number) => json<ExportInfo>("GET", `/songs/${song}/export`),
	view: <T>(name: string) => json<T | null>("GET", `/views/${name}`),
	setView: (name: string, value: unknown) => json<void>("PUT", `/views/${name}`, value, { keepalive: true }),
};

/** Addresses of files to be saved. */
export const files = {
	midi: (song: number, resolution: "own" | "fine", leadIn: boolean) =>
		`${base}/songs/${song}/export.mid?resolution=${resolution}&lead_in=${leadIn}`,
	wav: (song: number, reading: "written" | "played") => `${base}/songs/${song}/export.wav?reading=${reading}`,
};
