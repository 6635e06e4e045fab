//! Recorded loops: their files, kept in the data folder by their hash; parts that are made of them; how they sound.

use crate::api::*;
use crate::app::{Answer, App, Loaded, Opened, locked};
use crate::own_sounds::Samples;
use crate::problem::Problem;
use crate::writing::{check_size, free_id};
use lru::LruCache;
use rocket::http::Status;
use sha2::{Digest, Sha256};
use std::collections::{HashMap, HashSet};
use std::fs::File;
use std::io::Write;
use std::ops::Range;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, OnceLock};
use vivida_audio::{
    Analysis, Arranged, Clip, Heard, Onset, Peaks, Played, Proposal, RATE, Sensitivity, beginning, part_of, struck,
    tempos, write_wav,
};
use vivida_core::{AudioSource, Channel, Outline, Performance, Sample, Slicing, Ticks};
use vivida_smf::{NewTrack, begin, read, with_tracks};
use vivida_store::{NewVersion, OwnPart, PartId, Reads, SongId, StoredFile};

/// Files of sound: in the data folder, or in memory where the database is there, too.
pub struct Sounds {
    folder: Option<PathBuf>,
    memory: Mutex<HashMap<String, Arc<Vec<u8>>>>,
    /// Those that were read and used last.
    read: Mutex<LruCache<String, Arc<Sound>>>,
    /// Samples of strokes that were used last.
    pub(crate) samples: Samples,
}

/// A file that has been read.
pub(crate) struct Sound {
    pub heard: Heard,
    analysis: OnceLock<Analysis>,
    peaks: OnceLock<Peaks>,
}

impl Sound {
    fn onsets(&self, sensitivity: Sensitivity) -> Vec<Onset> {
        self.analysis.get_or_init(|| Analysis::of(&self.heard.clip)).onsets(sensitivity)
    }
}

/// Sounds that are kept read have no more frames together, where they are more than one: half an hour.
const KEPT_FRAMES: usize = 30 * 60 * RATE as usize;

fn failed(error: &std::io::Error) -> Problem {
    if error.kind() == std::io::ErrorKind::StorageFull {
        let detail = "The disk is full: nothing was changed. Make room, and do it again.";
        return Problem::new(Status::InsufficientStorage, "The disk is full", detail);
    }
    let detail = format!("The file could not be kept in the data folder: {error}.");
    Problem::new(Status::InternalServerError, "Not kept", detail)
}

impl Sounds {
    /// Beside a database in this folder; in memory where there is none.
    pub fn beside(folder: Option<&Path>) -> Sounds {
        Sounds {
            folder: folder.map(|folder| folder.join("sounds")),
            memory: Mutex::default(),
            read: Mutex::new(LruCache::unbounded()),
            samples: Samples::default(),
        }
    }

    /// Keeps the bytes of a file: its name. One that is there already, and as it was, stays.
    pub(crate) fn keep(&self, bytes: &[u8]) -> Answer<String> {
        let name: String = Sha256::digest(bytes).iter().map(|byte| format!("{byte:02x}")).collect();
        let Some(folder) = &self.folder else {
            locked(&self.memory).insert(name.clone(), Arc::new(bytes.to_vec()));
            return Ok(name);
        };
        let keep = || {
            std::fs::create_dir_all(folder)?;
            let path = folder.join(&name);
            if std::fs::read(&path).is_ok_and(|there| there == bytes) {
                return Ok(());
            }
            // It is there whole or not at all, however the program ends.
            let mut file = tempfile::NamedTempFile::new_in(folder)?;
            file.write_all(bytes)?;
            file.as_file().sync_all()?;
            file.persist(&path).map_err(|error| error.error)?;
            File::open(folder)?.sync_all()
        };
        keep().map_err(|error: std::io::Error| failed(&error))?;
        Ok(name)
    }

    /// The bytes of a file; nothing where it is gone.
    pub(crate) fn bytes(&self, name: &str) -> Option<Vec<u8>> {
        if !Sample::is_sound(name) {
            return None;
        }
        match &self.folder {
            Some(folder) => std::fs::read(folder.join(name)).ok(),
            None => locked(&self.memory).get(name).map(|bytes| bytes.to_vec()),
        }
    }

    /// Whether a file is there.
    pub(crate) fn has(&self, name: &str) -> bool {
        let is_there = || match &self.folder {
            Some(folder) => folder.join(name).is_file(),
            None => locked(&self.memory).contains_key(name),
        };
        Sample::is_sound(name) && is_there()
    }

    /// A file, read where it is not in use.
    fn sound(&self, name: &str, called: &str) -> Answer<Arc<Sound>> {
        if let Some(found) = locked(&self.read).get(name) {
            return Ok(found.clone());
        }
        let bytes = self.bytes(name).ok_or_else(|| gone(called, "Drop it on the page again."))?;
        Ok(self.remember(name, heard_of(called, bytes)?))
    }

    fn remember(&self, name: &str, heard: Heard) -> Arc<Sound> {
        let sound = Arc::new(Sound { heard, analysis: OnceLock::new(), peaks: OnceLock::new() });
        let mut read = locked(&self.read);
        read.put(name.to_owned(), sound.clone());
        let frames = |one: &Arc<Sound>| one.heard.clip.frames();
        while read.len() > 1 && read.iter().map(|(_, one)| frames(one)).sum::<usize>() > KEPT_FRAMES {
            read.pop_lru();
        }
        sound
    }
}

/// A file of sound is not in its folder any more.
pub(crate) fn gone(called: &str, then: &str) -> Problem {
    let detail = format!("The file “{called}” is gone from the folder “sounds” beside the database. {then}");
    Problem { file: Some(called.to_owned()), ..Problem::new(Status::NotFound, "Not there", detail) }
}

/// The bytes of a file, read and kept without a copy.
#[derive(Clone)]
pub(crate) struct Shared(pub Arc<Vec<u8>>);

impl AsRef<[u8]> for Shared {
    fn as_ref(&self) -> &[u8] {
        &self.0
    }
}

pub(crate) fn heard_of(called: &str, bytes: impl AsRef<[u8]> + Send + Sync + 'static) -> Answer<Heard> {
    vivida_audio::read(bytes).map_err(|error| {
        let problem =
            Problem::new(Status::UnprocessableEntity, "The file cannot be read", format!("“{called}” {error}."));
        Problem { file: Some(called.to_owned()), ..problem }
    })
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
    pub(crate) fn add_sound(&self, file_name: &str, bytes: Vec<u8>) -> Answer<SoundDetail> {
        let file_name = vivida_smf::readable(file_name.as_bytes());
        let bytes = Shared(Arc::new(bytes));
        let heard = heard_of(&file_name, bytes.clone())?;
        let name = self.sounds.keep(bytes.as_ref())?;
        let sound = self.sounds.remember(&name, heard);
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
            channels: clip.channels().len() as u32,
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
        let (song, part) = self.store().change(|change| {
            let song = change.begin_song(&request.name, &bytes, &file, None)?;
            let part = change.song(song)?.parts[0].id;
            change.lay_audio(part, None, &source, &hits)?;
            Ok::<_, Problem>((song, part))
        })?;
        Ok(LaidLoop { song, part })
    }

    fn lay_into(&self, id: SongId, request: &LoopRequest, sound: &Sound, onsets: &[Onset]) -> Answer<LaidLoop> {
        let revision = request.revision.ok_or_else(|| Problem::field("revision", "say which state of the song"))?;
        self.warm_song(id)?;
        let mut store = self.store();
        let song = self.load(&*store, id)?;
        let metre = &song.file.metre;
        let ticks = metre.bar(request.bars + 1).start;
        let end = song.end();
        let times = ((end.0 / ticks.0 - 1e-9).ceil() as u32).clamp(1, Slicing::MOST_TIMES);
        let source = App::source_of(request, sound, &stretch_of(sound, request.from, request.to)?, ticks, times)?;
        let hits = part_of(onsets, &source.slicing, end, 0);
        check_size(&hits)?;
        let position = song.file.parts.len();
        store.change(|change| {
            let stored = change.song_alone(id)?;
            let track = NewTrack { name: request.name.clone(), channel: Channel::PERCUSSION };
            let bytes =
                with_tracks(&song.bytes, &song.file, &[track], end).map_err(|why| Problem::field("song", why))?;
            let kept = change.file(stored.file)?;
            let mut version = NewVersion::of(StoredFile { bytes, ..kept });
            let audio = Some(source);
            version.own.push(OwnPart { position, name: None, drums: true, hits, kit: None, audio });
            Ok::<(), Problem>(change.new_version(id, revision, &format!("add “{}”", request.name), version)?)
        })?;
        let part = store.song(id)?.parts.iter().find(|part| part.position == position).map(|part| part.id);
        let part = part.ok_or_else(|| Problem::field("song", "the part did not come to its place"))?;
        Ok(LaidLoop { song: id, part })
    }

    /// Finds the onsets of a part anew: what it was cut at goes, one step.
    pub(crate) fn find_onsets(&self, id: PartId, request: &OnsetsRequest) -> Answer<PartDetail> {
        // Listened to before the store is asked for more, so that nobody waits for that. A part's file never changes.
        let onsets = self.sound_of(&self.open(id, None)?)?.1.onsets(request.sensitivity);
        self.changing(id, |change| {
            change.expected_part(id, request.revision)?;
            let opened = self.open_in(&*change, id, None)?;
            let (source, _) = self.sound_of(&opened)?;
            let source = AudioSource { sensitivity: request.sensitivity.get(), ..source.clone() };
            let first = free_id(opened.part(), &[&opened.take.recipe]);
            let hits = part_of(&onsets, &source.slicing, opened.song.end(), first);
            check_size(&hits)?;
            Ok(change.lay_audio(id, Some("find onsets"), &source, &hits)?)
        })?;
        self.part_detail(id)
    }

    fn sound_of<'a>(&self, opened: &'a Opened) -> Answer<(&'a AudioSource, Arc<Sound>)> {
        let source = opened.row.audio.as_ref();
        let source = source.ok_or_else(|| Problem::field("part", "this part is no recorded loop"))?;
        Ok((source, self.sounds.sound(&source.sound, &source.name)?))
    }

    pub(crate) fn audio_of(&self, opened: &Opened) -> Option<PartAudio> {
        let source = opened.row.audio.clone()?;
        let bpm = own_bpm(&source.slicing, &opened.song);
        // A file that is there and cannot be read any more is as good as gone.
        let sound = self.sounds.sound(&source.sound, &source.name).ok();
        let channels = sound.as_ref().map_or(1, |sound| sound.heard.clip.channels().len() as u32);
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
        let mut table = csv::Writer::from_writer(Vec::new());
        let failed = |error: csv::Error| Problem::field("part", error.to_string());
        table.write_record(["seconds", "frame", "instrument", "velocity"]).map_err(failed)?;
        for hit in opened.part().hits() {
            let Some((0, frame)) = source.slicing.place(hit.tick) else { continue };
            let place = opened.chart().instrument_of(hit.note, hit.channel);
            let instrument = place.map_or("", |place| opened.chart().kit.instruments[place].id.as_str());
            let seconds = format!("{:.5}", frame as f64 / f64::from(RATE));
            let row = [&seconds, &frame.to_string(), instrument, &hit.velocity.get().to_string()];
            table.write_record(row).map_err(failed)?;
        }
        let bytes = table.into_inner().map_err(|error| Problem::field("part", error.to_string()))?;
        Ok((opened.name(), bytes))
    }

    /// A part of the same hits, played by a kit.
    pub(crate) fn loop_as_midi(&self, id: PartId) -> Answer<RegroupedParts> {
        self.warm(id)?;
        let mut store = self.store();
        let (song, parts) = store.change(|change| {
            let opened = self.open_in(&*change, id, None)?;
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
            Ok::<_, Problem>((
                opened.row.song,
                change.regroup(opened.row.song, &format!("make “{name}”"), &[new], &[])?,
            ))
        })?;
        Ok(RegroupedParts { parts, said: Vec::new(), history: store.history(Some(song))? })
    }

    /// What a loop adds to a mixdown: its frames from a tick of the song on.
    pub(crate) fn loop_in_mix(
        &self,
        opened: &Opened,
        performance: &Performance,
        range: Option<(Ticks, Ticks)>,
    ) -> Answer<Option<Clip>> {
        if opened.row.audio.is_none() {
            return Ok(None);
        }
        let (source, sound) = self.sound_of(opened)?;
        let frame = |tick: Ticks| (opened.song.file.tempo.seconds(tick) * f64::from(RATE)).round() as i64;
        let (from, to) = range.unwrap_or((Ticks(0.0), earlier(opened.song.end(), source.slicing.end())));
        let length = frame(to) - frame(from);
        if length > Clip::MOST_FRAMES as i64 {
            let detail = format!("a loop is mixed down for {} minutes at most; choose bars", Clip::MOST_MINUTES);
            return Err(Problem::field("bars", detail));
        }
        let arranged = arranged(opened, performance, 1.0, None, &HashSet::new());
        Ok(Some(arranged.render(&sound.heard.clip, frame(from)..frame(to))))
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
