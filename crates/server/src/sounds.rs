//! Recorded loops: parts that are made of files of sound, and how they sound.

use crate::api::*;
use crate::app::{Answer, App, Loaded, Opened, locked};
use crate::csv_table::Table;
use crate::files_of_sound::Sounds;
use crate::problem::Problem;
use crate::writing::{check_size, free_id};
use lru::LruCache;
use rocket::http::Status;
use std::collections::HashSet;
use std::fs::File;
use std::io::{Seek, SeekFrom};
use std::ops::Range;
use std::sync::{Arc, Mutex, OnceLock};
use vivida_audio::{
    Analysis, Arranged, Clip, Heard, OnDisk, Onset, Peaks, Played, Proposal, RATE, ReadError, Sensitivity, beginning,
    part_of, struck, tempos, write_wav,
};
use vivida_core::{AudioSource, Channel, Outline, Performance, Slicing, Ticks};
use vivida_smf::{NewTrack, begin, read, with_tracks};
use vivida_sound::Passage;
use vivida_store::{NewVersion, OwnPart, PartId, Reads, SongId, StoreError, StoredFile};

/// The file of a recorded loop that has been read.
pub(crate) struct Sound {
    pub heard: Heard<OnDisk>,
    analysis: OnceLock<Analysis>,
    peaks: OnceLock<Peaks>,
}

impl Sound {
    fn new(heard: Heard<OnDisk>) -> Sound {
        Sound { heard, analysis: OnceLock::new(), peaks: OnceLock::new() }
    }

    fn onsets(&self, sensitivity: Sensitivity) -> Vec<Onset> {
        self.analysis.get_or_init(|| Analysis::of(&self.heard.clip)).onsets(sensitivity)
    }
}

/// Sounds that are kept listened to have no more frames together, where they are more than one: 20 minutes.
pub(crate) const KEPT_FRAMES: usize = 20 * 60 * RATE as usize;

/// Loops that were used last.
pub(crate) struct Read(Mutex<LruCache<String, Arc<Sound>>>);

impl Default for Read {
    fn default() -> Read {
        Read(Mutex::new(LruCache::unbounded()))
    }
}

impl Read {
    fn get(&self, name: &str) -> Option<Arc<Sound>> {
        locked(&self.0).get(name).cloned()
    }

    fn put(&self, name: &str, sound: Sound) -> Arc<Sound> {
        let sound = Arc::new(sound);
        let mut read = locked(&self.0);
        read.put(name.to_owned(), sound.clone());
        let frames = |one: &Arc<Sound>| one.heard.clip.frames();
        while read.len() > 1 && read.iter().map(|(_, one)| frames(one)).sum::<usize>() > KEPT_FRAMES {
            read.pop_lru();
        }
        sound
    }
}

impl Sounds {
    /// A loop, read where it is not in use.
    fn sound(&self, name: &str, called: &str) -> Answer<Arc<Sound>> {
        if let Some(found) = self.read.get(name) {
            return Ok(found);
        }
        // One at a time: what is decoded and listened to takes room.
        let _turn = locked(&self.turn);
        if let Some(found) = self.read.get(name) {
            return Ok(found);
        }
        let file = self.file(name).map_err(|missing| missing.problem(called, "Drop it on the page again."))?;
        Ok(self.read.put(name, Sound::new(heard_on_disk(called, file)?)))
    }
}

fn unreadable(called: &str, error: &ReadError) -> Problem {
    if *error == ReadError::Full {
        return Problem::full();
    }
    let problem = Problem::new(Status::UnprocessableEntity, "The file cannot be read", format!("“{called}” {error}."));
    Problem { file: Some(called.to_owned()), ..problem }
}

fn heard_on_disk(called: &str, file: File) -> Answer<Heard<OnDisk>> {
    vivida_audio::read_onto_disk(file).map_err(|error| unreadable(called, &error))
}

/// A file that is short enough to be held.
pub(crate) fn heard_of(called: &str, bytes: Vec<u8>) -> Answer<Heard> {
    vivida_audio::read(bytes).map_err(|error| unreadable(called, &error))
}

/// A loop as a part of a mixdown.
#[derive(Debug)]
struct LoopPassage {
    arranged: Arranged,
    sound: Arc<Sound>,
    /// The frames of the song that it goes over.
    frames: Range<i64>,
}

impl std::fmt::Debug for Sound {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.heard.fmt(formatter)
    }
}

impl Passage for LoopPassage {
    fn frames(&self) -> u64 {
        (self.frames.end - self.frames.start).max(0) as u64
    }

    fn stretch(&self, from: u64, frames: usize) -> Vec<Vec<f32>> {
        let from = self.frames.start + from as i64;
        self.arranged.render(&self.sound.heard.clip, from..from + frames as i64).into_channels()
    }
}

fn onset_columns(onsets: &[Onset]) -> OnsetColumns {
    OnsetColumns {
        seconds: onsets.iter().map(Onset::seconds).collect(),
        strengths: onsets.iter().map(|onset| onset.strength as f32).collect(),
        velocities: onsets.iter().map(|onset| onset.velocity.get()).collect(),
        families: onsets.iter().map(|onset| onset.family).collect(),
    }
}

fn earlier(a: Ticks, b: Ticks) -> Ticks {
    if a < b { a } else { b }
}

/// The tempo at which a loop sounds as it was recorded.
fn own_bpm(slicing: &Slicing, song: &Loaded) -> f64 {
    let seconds = (slicing.to - slicing.from) as f64 / f64::from(RATE);
    60.0 * slicing.ticks.0 / song.file.ppq.as_f64() / seconds
}

const MOST_BARS: u32 = 2000;

/// The frames of a file that are the loop, by where it begins and ends in s.
fn stretch_of(sound: &Sound, from: Option<f64>, to: Option<f64>) -> Answer<Range<u64>> {
    let (clip, rate) = (&sound.heard.clip, f64::from(RATE));
    let (frames, seconds) = (clip.frames() as u64, clip.seconds());
    let frame = |field: &str, second: Option<f64>, usual: u64| match second {
        None => Ok(usual),
        // Typed to the thousandth: the end of the file is the end.
        Some(second) if (-1e-9..=seconds + 1e-3).contains(&second) => Ok(((second * rate).round() as u64).min(frames)),
        Some(second) => Err(Problem::field(field, format!("{second} s is not within the file's {seconds:.3} s"))),
    };
    let (start, end) = (frame("from", from, 0)?, frame("to", to, frames)?);
    if start + u64::from(RATE) / 20 > end {
        return Err(Problem::field("to", "a loop lasts 50 ms at least, from where it begins to where it ends"));
    }
    Ok(start..end)
}

impl App {
    /// Takes a file in, and says what it may be.
    pub(crate) fn add_sound(&self, file_name: &str, file: File) -> Answer<SoundDetail> {
        let file_name = vivida_smf::readable(file_name.as_bytes());
        let _turn = locked(&self.sounds.turn);
        let again = |error: std::io::Error| Problem::field("file", error.to_string());
        let heard = heard_on_disk(&file_name, file.try_clone().map_err(again)?)?;
        let mut file = file;
        file.seek(SeekFrom::Start(0)).map_err(again)?;
        let name = self.sounds.keep_from(&mut file)?;
        let sound = self.sounds.read.put(&name, Sound::new(heard));
        let onsets = sound.onsets(Sensitivity::default());
        let Heard { clip, format, rate, bits, said } = &sound.heard;
        let mut said = said.clone();
        if onsets.is_empty() {
            said.push("Nothing in it stands out as struck; raise the sensitivity, or draw the onsets.".to_owned());
        }
        Ok(SoundDetail {
            sound: name,
            name: file_name,
            format: *format,
            rate: *rate,
            bits: *bits,
            channels: clip.channels() as u32,
            frames: clip.frames(),
            seconds: clip.seconds(),
            begins: beginning(&onsets),
            said,
            proposals: tempos(clip.frames(), &onsets),
            onsets: onset_columns(&onsets),
        })
    }

    pub(crate) fn onsets_of(&self, sound: &str, sensitivity: f64) -> Answer<OnsetColumns> {
        let sensitivity = Sensitivity::try_from(sensitivity).map_err(|why| Problem::field("sensitivity", why))?;
        Ok(onset_columns(&self.sounds.sound(sound, "the loop")?.onsets(sensitivity)))
    }

    /// A stretch of a sound as it is drawn, in at least so many steps.
    pub(crate) fn peaks_of(&self, sound: &str, from: f64, to: f64, count: u32) -> Answer<PeakColumns> {
        const MOST: u32 = 20_000;
        if !(from.is_finite() && to.is_finite() && 0.0 <= from && from < to) {
            return Err(Problem::field("from", "a stretch begins before it ends, both in s"));
        }
        let sound = self.sounds.sound(sound, "the loop")?;
        let clip = &sound.heard.clip;
        let peaks = sound.peaks.get_or_init(|| Peaks::of(clip));
        let whole = f64::from(count.clamp(1, MOST)) * clip.seconds() / (to - from).min(clip.seconds()).max(1e-6);
        let (step, all) = peaks.with_at_least(whole.min(1e9) as usize);
        let place = |seconds: f64| ((seconds * f64::from(RATE) / step as f64) as usize).min(all.len());
        let stretch = &all[place(from)..all.len().min(place(to) + 1)];
        Ok(PeakColumns {
            step: step as f64 / f64::from(RATE),
            low: stretch.iter().map(|one| one[0]).collect(),
            high: stretch.iter().map(|one| one[1]).collect(),
        })
    }

    /// Lays a loop into a song, as a part of its own: from the first bar on, as often as it fits; or begins a song
    /// with it.
    pub(crate) fn lay_loop(&self, request: &LoopRequest) -> Answer<LaidLoop> {
        if !(1..=MOST_BARS).contains(&request.bars) {
            return Err(Problem::field("bars", format!("a loop has 1 to {MOST_BARS} bars")));
        }
        if !(1..=200).contains(&request.name.trim().chars().count()) || request.name.chars().any(char::is_control) {
            return Err(Problem::field("name", "a name has 1 to 200 letters in one line"));
        }
        let sound = self.sounds.sound(&request.sound, &request.file_name)?;
        let onsets = sound.onsets(request.sensitivity);
        match request.song {
            None => self.begin_with_loop(request, &sound, &onsets),
            Some(song) => self.lay_into(song, request, &sound, &onsets),
        }
    }

    fn source_of(
        request: &LoopRequest,
        sound: &Sound,
        stretch: &Range<u64>,
        ticks: Ticks,
        times: u32,
    ) -> Answer<AudioSource> {
        let frames = sound.heard.clip.frames() as u64;
        let slicing = Slicing { from: stretch.start, to: stretch.end, start: Ticks(0.0), ticks, times };
        slicing.check(frames).map_err(|(field, why)| Problem::field(field, why))?;
        Ok(AudioSource {
            sound: request.sound.clone(),
            name: vivida_smf::readable(request.file_name.chars().take(250).collect::<String>().as_bytes()),
            frames,
            slicing,
            sensitivity: request.sensitivity.get(),
        })
    }

    /// What a file may be that begins and ends elsewhere.
    pub(crate) fn proposals_of(&self, sound: &str, sensitivity: f64, from: f64, to: f64) -> Answer<Vec<Proposal>> {
        let sensitivity = Sensitivity::try_from(sensitivity).map_err(|why| Problem::field("sensitivity", why))?;
        let sound = self.sounds.sound(sound, "the loop")?;
        let Range { start, end } = stretch_of(&sound, Some(from), Some(to))?;
        let within = sound.onsets(sensitivity).into_iter().filter(|onset| (start..end).contains(&(onset.frame as u64)));
        let onsets: Vec<Onset> = within.map(|onset| Onset { frame: onset.frame - start as usize, ..onset }).collect();
        Ok(tempos((end - start) as usize, &onsets))
    }

    fn begin_with_loop(&self, request: &LoopRequest, sound: &Sound, onsets: &[Onset]) -> Answer<LaidLoop> {
        let beats = request.beats.unwrap_or(4);
        if !(1..=12).contains(&beats) {
            return Err(Problem::field("beats", "a bar has 1 to 12 quarter notes"));
        }
        let stretch = stretch_of(sound, request.from, request.to)?;
        let bpm = 60.0 * f64::from(request.bars * beats) * f64::from(RATE) / (stretch.end - stretch.start) as f64;
        let outline = Outline::plain(request.bars, bpm, &format!("{beats}/4"));
        outline.check().map_err(|(_, why)| {
            let detail = format!("{} bars of {beats}/4 would be {bpm:.1} bpm: {why}", request.bars);
            Problem::field("bars", detail)
        })?;
        let track = NewTrack { name: request.name.clone(), channel: Channel::PERCUSSION };
        let bytes = begin(&outline, &[track]);
        let file = read(&bytes).map_err(|error| Problem::of_file("the new song", &error))?;
        let ticks = file.metre.bar(request.bars + 1).start;
        let source = App::source_of(request, sound, &stretch, ticks, 1)?;
        let hits = part_of(onsets, &source.slicing, ticks, 0);
        check_size(&hits)?;
        let (song, part) = self.change(|change| {
            let song = change.begin_song(&request.name, &bytes, &file, None)?;
            let part = change.song(song)?.parts[0].id;
            change.lay_audio(part, None, &source, &hits)?;
            Ok::<_, Problem>((song, part))
        })?;
        Ok(LaidLoop { song, part })
    }

    fn lay_into(&self, id: SongId, request: &LoopRequest, sound: &Sound, onsets: &[Onset]) -> Answer<LaidLoop> {
        let revision = request.revision.ok_or_else(|| Problem::field("revision", "say which state of the song"))?;
        let song = self.load(&self.reading()?, id)?;
        let metre = &song.file.metre;
        let ticks = metre.bar(request.bars + 1).start;
        let end = song.end();
        let times = ((end.0 / ticks.0 - 1e-9).ceil() as u32).clamp(1, Slicing::MOST_TIMES);
        let source = App::source_of(request, sound, &stretch_of(sound, request.from, request.to)?, ticks, times)?;
        let hits = part_of(onsets, &source.slicing, end, 0);
        check_size(&hits)?;
        let position = song.file.parts.len();
        let track = NewTrack { name: request.name.clone(), channel: Channel::PERCUSSION };
        let bytes = with_tracks(&song.bytes, &song.file, &[track], end).map_err(|why| Problem::field("song", why))?;
        let ((), reading) = self.changed(|change| {
            let stored = change.song_alone(id)?;
            if stored.file != song.id {
                let (what, id, expected, found) = ("song", id.0, revision, stored.revision);
                return Err(StoreError::Conflict { what, id, expected, found }.into());
            }
            let kept = change.file(stored.file)?;
            let mut version = NewVersion::of(StoredFile { bytes, ..kept });
            let audio = Some(source);
            version.own.push(OwnPart { position, name: None, drums: true, hits, kit: None, audio });
            Ok::<(), Problem>(change.new_version(id, revision, &format!("add “{}”", request.name), version)?)
        })?;
        let part = reading.song(id)?.parts.iter().find(|part| part.position == position).map(|part| part.id);
        let part = part.ok_or_else(|| Problem::field("song", "the part did not come to its place"))?;
        Ok(LaidLoop { song: id, part })
    }

    /// Finds the onsets of a part anew: what it was cut at goes, one step.
    pub(crate) fn find_onsets(&self, id: PartId, request: &OnsetsRequest) -> Answer<PartDetail> {
        // Listened to before the store is asked for more, so that nobody waits for that. A part's file never changes.
        let onsets = self.sound_of(&self.open(id, None)?)?.1.onsets(request.sensitivity);
        self.changing(id, |reading| {
            reading.expected_part(id, request.revision)?;
            let opened = self.open_in(reading, id, None)?;
            let (source, _) = self.sound_of(&opened)?;
            let source = AudioSource { sensitivity: request.sensitivity.get(), ..source.clone() };
            let first = free_id(opened.part(), &[&opened.take.recipe]);
            let hits = part_of(&onsets, &source.slicing, opened.song.end(), first);
            check_size(&hits)?;
            Ok(Box::new(move |change| Ok(change.lay_audio(id, Some("find onsets"), &source, &hits)?)))
        })?;
        self.part_detail(id)
    }

    fn sound_of<'a>(&self, opened: &'a Opened) -> Answer<(&'a AudioSource, Arc<Sound>)> {
        let source = opened.row.audio.as_ref();
        let source = source.ok_or_else(|| Problem::field("part", "this part is no recorded loop"))?;
        let sound = self.sounds.sound(&source.sound, &source.name)?;
        let frames = sound.heard.clip.frames() as u64;
        if source.frames != frames || source.slicing.to > frames {
            let why = format!("lasts {frames} frames, and this part is cut as if there were {}", source.frames);
            let detail = format!("The file “{}” {why}. Drop the file on the page again.", source.name);
            let problem = Problem::new(Status::UnprocessableEntity, "The loop does not fit its file", detail);
            return Err(Problem { file: Some(source.name.clone()), ..problem });
        }
        Ok((source, sound))
    }

    pub(crate) fn audio_of(&self, opened: &Opened) -> Option<PartAudio> {
        let source = opened.row.audio.clone()?;
        let bpm = own_bpm(&source.slicing, &opened.song);
        // A file that is there and cannot be read any more is as good as gone.
        let sound = self.sound_of(opened).ok().map(|(_, sound)| sound);
        let channels = sound.as_ref().map_or(1, |sound| sound.heard.clip.channels() as u32);
        Some(PartAudio { bpm, channels, missing: sound.is_none(), source })
    }

    /// A stretch of a part as it sounds: 32-bit floats, one channel behind the other.
    pub(crate) fn hear(&self, id: PartId, request: HearRequest) -> Answer<Vec<u8>> {
        const MOST: u32 = 120 * RATE;
        if request.frames > MOST {
            return Err(Problem::field("frames", format!("{MOST} are the most at once")));
        }
        const FAR: i64 = 1 << 40;
        if !(0.05..=20.0).contains(&request.speed) || !(-FAR..=FAR).contains(&request.from) {
            return Err(Problem::field("speed", "the speed is 0.05 to 20, and frames are those of a song"));
        }
        let (opened, performance) = match request.played {
            None => {
                let opened = self.open(id, None)?;
                let performance = opened.play_written();
                (opened, performance)
            }
            Some(mut wanted) => {
                let (opened, _, performance) = self.played_as_asked(id, "played.recipe", &mut wanted)?;
                (opened, performance)
            }
        };
        let round = request.round.map(|bars| opened.song.file.stretch(bars)).transpose();
        let round = round.map_err(|why| Problem::field("round", why))?.map(|(from, to)| from..to);
        let without: HashSet<&str> = request.without.iter().map(|one| one.as_str()).collect();
        let (_, sound) = self.sound_of(&opened)?;
        let arranged = arranged(&opened, &performance, request.speed, round, &without);
        let clip = arranged.render(&sound.heard.clip, request.from..request.from + i64::from(request.frames));
        Ok(clip.channels().iter().flatten().flat_map(|value| value.to_le_bytes()).collect())
    }

    /// The loop as a WAV file, as it is played or as it was written: so many bars that follow upon themselves.
    pub(crate) fn loop_wav(&self, id: PartId, wanted: LoopFile) -> Answer<(String, Vec<u8>)> {
        let opened = self.open(id, None)?;
        let (source, sound) = self.sound_of(&opened)?;
        let file = &opened.song.file;
        let (name, bars) = match wanted.bars {
            Some(bars) => {
                let stretch = file.stretch(bars).map_err(|why| Problem::field("bars", why))?;
                (format!("{}, bars {}–{}", opened.name(), bars.from, bars.to), stretch)
            }
            // Once round, as it is recorded.
            None => (opened.name(), (source.slicing.start, source.slicing.tick(source.slicing.frames().end, 0))),
        };
        let performance = if wanted.written { opened.play_written() } else { opened.play(Ticks(0.0)) };
        let frame = |tick: Ticks| (file.tempo.seconds(tick) * f64::from(RATE)).round() as i64;
        let frames = frame(bars.0)..frame(bars.1);
        if frames.end - frames.start > Clip::MOST_FRAMES as i64 {
            let detail = format!("that lasts longer than {} minutes; choose fewer bars", Clip::MOST_MINUTES);
            return Err(Problem::field("bars", detail));
        }
        let arranged = arranged(&opened, &performance, 1.0, Some(bars.0..bars.1), &HashSet::new());
        let clip = arranged.render(&sound.heard.clip, frames);
        let bytes = write_wav(&clip, wanted.depth).map_err(|error| Problem::field("depth", error.to_string()))?;
        Ok((name, bytes))
    }

    /// The onsets of a part as it is cut, as CSV.
    pub(crate) fn onsets_csv(&self, id: PartId) -> Answer<(String, Vec<u8>)> {
        let opened = self.open(id, None)?;
        let (source, _) = self.sound_of(&opened)?;
        let mut table = Table::new(Vec::new());
        let failed = |error: std::io::Error| Problem::field("part", error.to_string());
        table.row(["seconds", "frame", "instrument", "velocity"]).map_err(failed)?;
        for hit in opened.part().hits() {
            let Some((0, frame)) = source.slicing.place(hit.tick) else { continue };
            let place = opened.chart().instrument_of(hit.note, hit.channel);
            let instrument = place.map_or("", |place| opened.chart().kit.instruments[place].id.as_str());
            let seconds = format!("{:.5}", frame as f64 / f64::from(RATE));
            let row = [&seconds, &frame.to_string(), instrument, &hit.velocity.get().to_string()];
            table.row(row).map_err(failed)?;
        }
        Ok((opened.name(), table.done().map_err(failed)?))
    }

    /// A part of the same hits, played by a kit.
    pub(crate) fn loop_as_midi(&self, id: PartId) -> Answer<RegroupedParts> {
        let song = self.warm(id)?;
        let (parts, reading) = self.work_out(song, |reading| {
            let opened = self.open_in(reading, id, None)?;
            if opened.row.audio.is_none() {
                return Err(Problem::field("part", "this part is no recorded loop"));
            }
            let name = format!("{}, by the kit", opened.name());
            let new = vivida_store::NewPart {
                beside: id,
                name: name.clone(),
                drums: true,
                hits: opened.part().clone(),
                recipe: opened.take.recipe.clone(),
                variation: opened.take.variation,
            };
            Ok(Box::new(move |change| Ok(change.regroup(song, &format!("make “{name}”"), &[new], &[])?)))
        })?;
        Ok(RegroupedParts { parts: parts?, said: Vec::new(), history: reading.history(Some(song))? })
    }

    /// What a loop adds to a mixdown: its frames from a tick of the song on.
    pub(crate) fn loop_in_mix(
        &self,
        opened: &Opened,
        performance: &Performance,
        range: Option<(Ticks, Ticks)>,
    ) -> Answer<Option<Arc<dyn Passage>>> {
        if opened.row.audio.is_none() {
            return Ok(None);
        }
        let (source, sound) = self.sound_of(opened)?;
        let frame = |tick: Ticks| (opened.song.file.tempo.seconds(tick) * f64::from(RATE)).round() as i64;
        let (from, to) = range.unwrap_or((Ticks(0.0), earlier(opened.song.end(), source.slicing.end())));
        let arranged = arranged(opened, performance, 1.0, None, &HashSet::new());
        Ok(Some(Arc::new(LoopPassage { arranged, sound, frames: frame(from)..frame(to) })))
    }
}

/// A performance of a part that is a recorded loop, as slices.
fn arranged(
    opened: &Opened,
    performance: &Performance,
    speed: f64,
    round: Option<Range<Ticks>>,
    without: &HashSet<&str>,
) -> Arranged {
    let Some(source) = &opened.row.audio else { return Arranged::default() };
    let tempo = &opened.song.file.tempo;
    let kit = &opened.chart().kit;
    let (cuts, struck) = struck(opened.part(), performance, tempo, |hit| {
        let place = opened.chart().instrument_of(hit.note, hit.channel);
        place.is_none_or(|place| !without.contains(kit.instruments[place].id.as_str()))
    });
    let played = Played { slicing: &source.slicing, cuts: &cuts, struck: &struck, tempo, speed };
    match round {
        Some(bars) => played.arrange_round(bars),
        None => played.arrange(),
    }
}
