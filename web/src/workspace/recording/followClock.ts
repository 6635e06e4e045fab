import { type Followed, pulsesInAQuarter } from "../../engine/audio/follower";
import { secondsAt } from "../../part/song";
import type { Workspace } from "../../part/store";
import type { Played } from "./useRecording";

/** Another program starts, stops and keeps the time. */
export function followClock(
	store: Workspace,
	played: Played,
	clock: Followed,
	what: "start" | "stop" | "place" | "pulse",
) {
	const { song, tempo, setView } = store.getState();
	const quarter = song.ppq;
	const tick = (clock.pulses * quarter) / pulsesInAQuarter;
	if (what === "start") {
		played.startAt(secondsAt(song, tick));
		return;
	}
	if (what === "stop") {
		if (played.isPlaying()) played.stop();
		return;
	}
	if (what !== "pulse" || clock.bpm === null || clock.pulses % 12 !== 0 || !clock.running) return;
	const local = 60 / (secondsAt(song, tick + quarter) - secondsAt(song, tick));
	const wanted = clock.bpm / local;
	if (Math.abs(wanted / tempo - 1) > 0.002 && wanted > 0.05 && wanted < 20) setView({ tempo: wanted });
	const player = played.player();
	if (!player.playing || !player.awake) return;
	const audio = player.clock.audio(clock.at);
	const place = player.placeAt(audio);
	const second = secondsAt(song, tick);
	if (place && Math.abs(place.second - second) > 0.006) player.align(second, audio);
}
