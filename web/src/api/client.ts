/** The one client of the server's `/api/v1`. */
import { probe } from "../lib/probe";
import { ProblemError } from "../lib/problem";
import type {
	AimRule,
	Backup,
	BarsEdit,
	BatchCard,
	BatchDetail,
	BatchRequest,
	BatchUndone,
	BeginRecording,
	BeginRequest,
	DefaultsApplied,
	DrumLines,
	Exchanged,
	ExchangeKit,
	ExportInfo,
	ExtractedGroove,
	ExtractGroove,
	FindingCard,
	FitSamples,
	Fitted,
	FittedSamples,
	FollowerChange,
	GridLines,
	GrooveCard,
	GrooveChange,
	GrooveFigures,
	GrooveProfile,
	HearRequest,
	ImportedGroove,
	JoinRequest,
	KeepRecording,
	Kit,
	KitCard,
	KitChange,
	KitManifest,
	LaidLoop,
	Latency,
	LatencyRequest,
	LayerBounds,
	Live,
	LiveRequest,
	LoopRequest,
	MovementInfo,
	MovesBy,
	NewPocket,
	NewRender,
	NoteUse,
	OnsetColumns,
	OnsetsRequest,
	Outline,
	PartChangeRequest,
	PartDetail,
	PartState,
	PeakColumns,
	PerformanceColumns,
	PerformRequest,
	PocketCard,
	PocketChange,
	PrintRequest,
	Problem,
	Proposal,
	Received,
	Recipe,
	RecipeCard,
	RecordingCard,
	RecordingPiece,
	RefitReport,
	RegroupedParts,
	RenderState,
	SampleDetail,
	Section,
	SessionDefaults,
	Slots,
	SongCard,
	SongDetail,
	SongPockets,
	SoundDetail,
	SplitRequest,
	StartingPoint,
	Step,
	StudyDetail,
	TakeColumns,
	Thresholds,
	TouchProfile,
	Travelled,
	Vocabulary,
	Wanted,
	WriteRequest,
} from "./generated/types";

const base = "/api/v1";

/** Names this window. */
export const thisWindow = Math.random().toString(36).slice(2) + Date.now().toString(36);

/** Browsers refuse bodies of more than 64 KiB on their way while a page goes away. */
const mostKeptAlive = 20_000;

/** Whether it can still be sent while the page goes away. */
export const outlivesThePage = (body: unknown) => JSON.stringify(body).length < mostKeptAlive;

/** How long is waited for an answer that is made at once, in ms. */
const patience = 30_000;

const noAnswer = () =>
	new ProblemError({
		status: 0,
		title: "Vivida does not answer",
		detail: "The server has stopped or cannot be reached. Start it again; what was saved is safe.",
	});

/** What `read` makes of an answer. One that never comes, or breaks off, is none. */
async function ask<T>(
	method: string,
	path: string,
	init: RequestInit,
	read: (response: Response) => Promise<T>,
): Promise<T> {
	probe.asks(1);
	try {
		const response = await fetch(base + path, { method, ...init });
		if (response.ok) return await read(response);
		const problem = response.headers.get("content-type")?.includes("problem+json")
			? ((await response.json()) as Problem)
			: { status: response.status, title: "Failed", detail: `The server answered ${response.status}.` };
		throw new ProblemError(problem);
	} catch (error) {
		throw error instanceof ProblemError ? error : noAnswer();
	} finally {
		probe.asks(-1);
	}
}

async function json<T>(method: string, path: string, body?: unknown, init: RequestInit = {}): Promise<T> {
	const text = body === undefined ? undefined : JSON.stringify(body);
	const headers = { "Content-Type": "application/json" };
	// What is being written survives that the page goes away, as far as browsers let it.
	const keepalive = method === "PUT" && (text?.length ?? 0) < mostKeptAlive;
	const withBody = text === undefined ? init : { ...init, body: text, headers, keepalive };
	return ask(method, path, withBody, async (response) =>
		response.status === 204 ? (undefined as T) : ((await response.json()) as T),
	);
}

/** The same for what is answered at once: a server that is silent for long does not answer. */
const soon = <T>(method: string, path: string, body?: unknown) =>
	json<T>(method, path, body, { signal: AbortSignal.timeout(patience) });

const bytes = (method: string, path: string, init: RequestInit = {}) =>
	ask(method, path, init, (response) => response.arrayBuffer());

export const client = {
	songs: () => json<SongCard[]>("GET", "/songs"),
	addSong: (file: File) =>
		json<SongCard>("POST", `/songs?file_name=${encodeURIComponent(file.name)}`, undefined, {
			body: file,
			headers: { "Content-Type": "application/octet-stream" },
		}),
	beginSong: (request: BeginRequest) => json<SongCard>("POST", "/songs/begun", request),
	setOutline: (song: number, revision: number, outline: Outline) =>
		json<SongDetail>("PUT", `/songs/${song}/outline`, { revision, outline }),
	editBars: (song: number, revision: number, edit: BarsEdit) =>
		json<SongDetail>("PUT", `/songs/${song}/bars`, { revision, edit }),
	addParts: (song: number, revision: number, file: File) =>
		json<SongDetail>(
			"POST",
			`/songs/${song}/parts?file_name=${encodeURIComponent(file.name)}&revision=${revision}`,
			undefined,
			{ body: file, headers: { "Content-Type": "application/octet-stream" } },
		),
	previewFile: (song: number, file: File) =>
		json<RefitReport>("POST", `/songs/${song}/file?file_name=${encodeURIComponent(file.name)}`, undefined, {
			body: file,
			headers: { "Content-Type": "application/octet-stream" },
		}),
	replaceFile: (song: number, revision: number, file: File) =>
		json<RefitReport>(
			"PUT",
			`/songs/${song}/file?file_name=${encodeURIComponent(file.name)}&revision=${revision}`,
			undefined,
			{ body: file, headers: { "Content-Type": "application/octet-stream" } },
		),
	beginBatch: (request: BatchRequest) => json<BatchDetail>("POST", "/batches", request),
	batches: () => json<BatchCard[]>("GET", "/batches"),
	batch: (id: number) => json<BatchDetail>("GET", `/batches/${id}`),
	cancelBatch: (id: number) => json<void>("DELETE", `/batches/${id}`),
	undoBatch: (id: number) => json<BatchUndone>("POST", `/batches/${id}/undo`),
	unpack: (file: File) =>
		json<SongCard[]>("POST", `/bundles?file_name=${encodeURIComponent(file.name)}`, undefined, {
			body: file,
			headers: { "Content-Type": "application/octet-stream" },
		}),
	backups: () => json<Backup[]>("GET", "/backups"),
	takeBackup: () => json<Backup[]>("POST", "/backups"),
	restore: (name: string) => json<Backup[]>("POST", `/backups/${encodeURIComponent(name)}/restore`),
	write: (id: number, request: WriteRequest) => soon<PartDetail>("PUT", `/parts/${id}/written`, request),
	renameSong: (song: SongCard, name: string) =>
		json<SongCard>("PATCH", `/songs/${song.id}`, { revision: song.revision, name }),
	duplicateSong: (id: number) => json<SongCard>("POST", `/songs/${id}/duplicate`),
	deleteSong: (song: SongCard) => json<void>("DELETE", `/songs/${song.id}?revision=${song.revision}`),
	deleteSongs: (songs: SongCard[]) =>
		json<void>("POST", "/songs/delete", { songs: songs.map(({ id, revision }) => ({ id, revision })) }),
	undoShelf: () => json<Travelled>("POST", "/shelf/undo"),
	redoShelf: () => json<Travelled>("POST", "/shelf/redo"),
	song: (id: number) => soon<SongDetail>("GET", `/songs/${id}`),
	undo: (song: number) => json<Travelled>("POST", `/songs/${song}/undo`),
	steps: (song: number) => json<Step[]>("GET", `/songs/${song}/history`),
	travelTo: (song: number, step: number) => json<Travelled>("POST", `/songs/${song}/history/${step}`),
	redo: (song: number) => json<Travelled>("POST", `/songs/${song}/redo`),
	/** The other parts that are heard along with an open one. */
	others: (song: number, open: number) => json<PartDetail[]>("GET", `/songs/${song}/parts?open=${open}`),
	part: (id: number) => soon<PartDetail>("GET", `/parts/${id}`),
	changePart: (id: number, change: PartChangeRequest) => soon<PartState>("PUT", `/parts/${id}`, change),
	perform: (id: number, request: PerformRequest) =>
		soon<PerformanceColumns>("POST", `/parts/${id}/performance`, request),
	rules: (id: number, request: PerformRequest) => soon<AimRule[]>("POST", `/parts/${id}/rules`, request),
	touched: (id: number, request: PerformRequest) => soon<number[]>("POST", `/parts/${id}/touched`, request),
	slots: (song: number, grid: string, bars: number, bar = 1) =>
		json<Slots>("GET", `/songs/${song}/slots?grid=${encodeURIComponent(grid)}&bars=${bars}&bar=${bar}`),
	vocabulary: () => json<Vocabulary>("GET", "/vocabulary"),
	manifest: () => json<KitManifest>("GET", "/sound/kit"),
	voice: (voice: string) => bytes("GET", `/sound/${voice}.wav`),
	addSample: (file: File) =>
		json<SampleDetail>("POST", `/samples?file_name=${encodeURIComponent(file.name)}`, undefined, {
			body: file,
			headers: { "Content-Type": "application/octet-stream" },
		}),
	sample: (sound: string) => bytes("GET", `/samples/${sound}`),
	fitSamples: (request: FitSamples) => json<FittedSamples>("POST", "/kits/samples", request),
	duplicatePart: (id: number) => json<PartState>("POST", `/parts/${id}/duplicate`),
	splitPart: (id: number, request: SplitRequest) =>
		json<RegroupedParts>("POST", `/parts/${id}/split`, request),
	joinParts: (song: number, request: JoinRequest) =>
		json<RegroupedParts>("POST", `/songs/${song}/join`, request),
	deletePart: (id: number, revision: number) => json<void>("DELETE", `/parts/${id}?revision=${revision}`),
	print: (id: number, request: PrintRequest) => json<PartState>("POST", `/parts/${id}/takes`, request),
	renameTake: (id: number, take: number, revision: number, name: string) =>
		json<PartState>("PATCH", `/parts/${id}/takes/${take}`, { revision, name }),
	deleteTake: (id: number, take: number, revision: number) =>
		json<PartState>("DELETE", `/parts/${id}/takes/${take}?revision=${revision}`),
	takePlayed: (id: number, take: number) =>
		json<TakeColumns>("GET", `/parts/${id}/takes/${take}/performance`),
	setSections: (song: number, revision: number, sections: Section[]) =>
		json<SongDetail>("PUT", `/songs/${song}/sections`, { revision, sections }),
	startingPoints: (id: number) => json<StartingPoint[]>("GET", `/parts/${id}/starting-points`),
	findings: (id: number, cures: boolean) =>
		json<FindingCard[]>("GET", `/parts/${id}/findings?cures=${cures}&window=${thisWindow}`),
	study: (id: number, other: number, take: number | null) =>
		json<StudyDetail>("GET", `/parts/${id}/study/${other}${take === null ? "" : `?take=${take}`}`),
	thresholds: () => json<Thresholds>("GET", "/findings/thresholds"),
	/** What is left out is as usual. */
	setThresholds: (thresholds: Partial<Thresholds>) => json<void>("PUT", "/findings/thresholds", thresholds),
	touch: (id: number) => json<TouchProfile>("GET", `/parts/${id}/touch`),
	fit: (id: number, recipe: Recipe) => json<Fitted>("POST", `/parts/${id}/fit`, { recipe }),
	receive: (id: number, recipe: Recipe) => json<Received>("POST", `/parts/${id}/passes`, { recipe }),
	setLayers: (layers: LayerBounds) => json<void>("PUT", "/kit/layers", layers),
	recipes: () => json<RecipeCard[]>("GET", "/recipes"),
	addRecipe: (name: string, note: string, recipe: Recipe) =>
		json<RecipeCard>("POST", "/recipes", { name, note, recipe }),
	importRecipe: (file: File) =>
		json<RecipeCard>("POST", `/recipes/file?file_name=${encodeURIComponent(file.name)}`, undefined, {
			body: file,
			headers: { "Content-Type": "application/json" },
		}),
	renameRecipe: ({ id, revision }: RecipeCard, name: string, note: string) =>
		json<RecipeCard>("PATCH", `/recipes/${id}`, { revision, name, note }),
	deleteRecipe: ({ id, revision }: RecipeCard) => json<void>("DELETE", `/recipes/${id}?revision=${revision}`),
	grooves: () => json<GrooveCard[]>("GET", "/grooves"),
	addGroove: (note: string, groove: GrooveProfile) => json<GrooveCard>("POST", "/grooves", { note, groove }),
	changeGroove: (id: number, change: GrooveChange) => json<GrooveCard>("PUT", `/grooves/${id}`, change),
	deleteGroove: ({ id, revision }: GrooveCard) => json<void>("DELETE", `/grooves/${id}?revision=${revision}`),
	importGroove: (file: File) =>
		json<ImportedGroove>("POST", `/grooves/file?file_name=${encodeURIComponent(file.name)}`, undefined, {
			body: file,
			headers: { "Content-Type": "application/octet-stream" },
		}),
	readGroove: (groove: GrooveProfile) => json<GrooveFigures>("POST", "/grooves/reading", groove),
	takeGroove: (part: number, request: ExtractGroove) =>
		json<ExtractedGroove>("POST", `/parts/${part}/groove`, request),
	kits: () => json<KitCard[]>("GET", "/kits"),
	addKit: (kit: Kit) => json<KitCard>("POST", "/kits", { kit }),
	changeKit: (id: number, change: KitChange) => json<KitCard>("PUT", `/kits/${id}`, change),
	deleteKit: ({ id, revision }: KitCard) => json<void>("DELETE", `/kits/${id}?revision=${revision}`),
	importKit: (file: File) =>
		json<KitCard>("POST", `/kits/file?file_name=${encodeURIComponent(file.name)}`, undefined, {
			body: file,
			headers: { "Content-Type": "application/json" },
		}),
	notes: (part: number) => json<NoteUse[]>("GET", `/parts/${part}/notes`),
	tryKit: (part: number, request: ExchangeKit) =>
		json<Exchanged>("POST", `/parts/${part}/kit/reading`, request),
	exchangeKit: (part: number, request: ExchangeKit) => json<PartState>("PUT", `/parts/${part}/kit`, request),
	pockets: (song: number) => soon<PocketCard[]>("GET", `/songs/${song}/pockets`),
	addPocket: (song: number, pocket: NewPocket) => json<SongPockets>("POST", `/songs/${song}/pockets`, pocket),
	changePocket: (id: number, change: PocketChange) => soon<SongPockets>("PUT", `/pockets/${id}`, change),
	deletePocket: ({ id, revision }: PocketCard) =>
		json<SongPockets>("DELETE", `/pockets/${id}?revision=${revision}`),
	changeFollower: (pocket: number, change: FollowerChange) =>
		json<SongPockets>("POST", `/pockets/${pocket}/followers`, change),
	defaults: () => json<SessionDefaults>("GET", "/defaults"),
	setDefaults: (defaults: SessionDefaults) => json<SessionDefaults>("PUT", "/defaults", defaults),
	applyDefaults: (song: number) => json<DefaultsApplied>("POST", `/songs/${song}/defaults`),
	drumLines: (part: number, instrument: string, from: number, to: number) =>
		json<DrumLines>(
			"GET",
			`/parts/${part}/lines?instrument=${encodeURIComponent(instrument)}&from=${from}&to=${to}`,
		),
	gridLines: (song: number, { grid, swing, forgive, reach }: MovesBy, from: number, to: number) => {
		const rule = `grid=${encodeURIComponent(grid)}&swing=${swing}&forgive=${forgive}`;
		const within = reach === null ? "" : `&reach=${reach}`;
		return json<GridLines>("GET", `/songs/${song}/grid-lines?${rule}${within}&from=${from}&to=${to}`);
	},
	exportInfo: (song: number) => json<ExportInfo>("GET", `/songs/${song}/export`),
	recordings: (part: number) => json<RecordingCard[]>("GET", `/parts/${part}/recordings`),
	beginRecording: (part: number, request: BeginRecording) =>
		json<RecordingCard>("POST", `/parts/${part}/recordings`, request),
	addPiece: (id: number, piece: RecordingPiece) => json<void>("POST", `/recordings/${id}/pieces`, piece),
	keepRecording: (id: number, request: KeepRecording) =>
		json<PartDetail>("PUT", `/recordings/${id}`, request),
	deleteRecording: (id: number) => json<void>("DELETE", `/recordings/${id}`),
	latency: (request: LatencyRequest) => json<Latency>("POST", "/latency", request),
	live: (part: number, request: LiveRequest) => json<Live>("POST", `/parts/${part}/live`, request),
	addSound: (file: File) =>
		json<SoundDetail>("POST", `/sounds?file_name=${encodeURIComponent(file.name)}`, undefined, {
			body: file,
			headers: { "Content-Type": "application/octet-stream" },
		}),
	onsets: (sound: string, sensitivity: number) =>
		json<OnsetColumns>("GET", `/sounds/${sound}/onsets?sensitivity=${sensitivity}`),
	proposals: (sound: string, sensitivity: number, [from, to]: [number, number]) =>
		json<Proposal[]>("GET", `/sounds/${sound}/proposals?sensitivity=${sensitivity}&from=${from}&to=${to}`),
	peaks: (sound: string, from: number, to: number, count: number) =>
		json<PeakColumns>("GET", `/sounds/${sound}/peaks?from=${from}&to=${to}&count=${count}`),
	layLoop: (request: LoopRequest) => json<LaidLoop>("POST", "/loops", request),
	findOnsets: (part: number, request: OnsetsRequest) =>
		json<PartDetail>("PUT", `/parts/${part}/onsets`, request),
	loopByKit: (part: number) => json<RegroupedParts>("POST", `/parts/${part}/by-the-kit`),
	hear: (part: number, request: HearRequest) => {
		const headers = { "Content-Type": "application/json" };
		return bytes("POST", `/parts/${part}/heard`, { body: JSON.stringify(request), headers });
	},
	view: <T>(name: string) => json<T | null>("GET", `/views/${name}`),
	setView: (name: string, value: unknown) => json<void>("PUT", `/views/${name}`, value),
	beginRender: (request: NewRender) => json<RenderState>("POST", "/renders", request),
	render: (id: number) => json<RenderState>("GET", `/renders/${id}`),
	stopRender: (id: number) => json<void>("DELETE", `/renders/${id}`),
};

/** Addresses of files to be saved. */
export const files = {
	midi: (
		song: number,
		resolution: "own" | "fine",
		leadIn: boolean,
		wanted: Wanted,
		movement: keyof MovementInfo = "own",
	) => {
		const { part, bars, split, one_track } = wanted;
		const query = new URLSearchParams({ resolution, lead_in: `${leadIn}` });
		if (part !== undefined) query.set("part", `${part}`);
		if (bars) query.set("bars", `${bars.from}-${bars.to}`);
		if (split) query.set("split", "true");
		if (one_track) query.set("format", "0");
		if (movement !== "own") query.set("movement", movement);
		return `${base}/songs/${song}/export.mid?${query}`;
	},
	loop: (part: number, depth: string, written: boolean) =>
		`${base}/parts/${part}/loop.wav?depth=${depth}&written=${written}`,
	onsets: (part: number) => `${base}/parts/${part}/onsets.csv`,
	table: (part: number) => `${base}/parts/${part}/hits.csv`,
	recipe: (id: number) => `${base}/recipes/${id}/file`,
	groove: (id: number) => `${base}/grooves/${id}/file`,
	kit: (id: number) => `${base}/kits/${id}/file`,
	pocket: (id: number) => `${base}/pockets/${id}/file`,
	clip: (id: number) => `${base}/grooves/${id}/clip.mid`,
	render: (id: number) => `${base}/renders/${id}/file`,
	original: (song: number) => `${base}/songs/${song}/original`,
	bundle: (song: number) => `${base}/songs/${song}/bundle.vivida`,
	shelf: `${base}/shelf/bundle.vivida`,
	shelfWithoutSounds: `${base}/shelf/bundle.vivida?sounds=false`,
	batch: (id: number) => `${base}/batches/${id}/report.csv`,
	songs: (ids: number[]) => `${base}/songs/export.zip?ids=${ids.join(",")}`,
	take: (part: number, take: number) => `${base}/parts/${part}/takes/${take}/file`,
};
