//! From bytes to a song.

use crate::chunk::{Chunks, Meta, Track, chunks};
use crate::lanes::{self, FileLanes};
use crate::notes::{NoteEvents, pair};
use std::collections::HashMap;
use vivida_core::{
    BarRange, Channel, Chart, Hit, HitId, Kit, Lane, Metre, MetreMap, Note, Part, Ppq, Section, TempoMap, Ticks,
    Velocity,
};

/// The most notes that a song may have.
pub const MOST_HITS: usize = 500_000;
/// The most tracks that a file may have: its header counts them in 16 bits.
pub const MOST_TRACKS: usize = 65_535;
/// The most parts that a song may have.
pub const MOST_PARTS: usize = 1_000;
/// The most bars that a song may have.
pub const MOST_BARS: u32 = 10_000;

/// Why a file cannot be read. Each says what to do.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[allow(missing_docs)]
pub enum ReadError {
    #[error("the file is empty; export it again from where it came from")]
    Empty,
    #[error("offset 0: this is no Standard MIDI File: it does not begin with “MThd”; choose a .mid file")]
    NotMidi,
    #[error("offset {offset}: the file ends inside its header; it was cut short, so copy or export it again")]
    HeaderCut { offset: usize },
    #[error("offset 4: the header claims {length} bytes where 6 are the least; the file is damaged")]
    HeaderShort { length: usize },
    #[error("offset 8: format {format} is none of 0, 1 and 2; the file is damaged or of another kind")]
    Format { format: u16 },
    #[error("offset 12: the file has no resolution (0 ticks per quarter note); the file is damaged")]
    NoResolution,
    #[error("offset {offset}: the file has a header but no track; the file is damaged or holds no music")]
    NoTracks { offset: usize },
    #[error("the file holds {tracks} tracks; {MOST_TRACKS} are the most that the format can count, so split it")]
    TooManyTracks { tracks: usize },
    #[error(
        "the file holds {parts} parts (each channel of each track is one); {MOST_PARTS} are the most that Vivida takes, so split it"
    )]
    TooManyParts { parts: usize },
    #[error("the file holds {hits} notes; {MOST_HITS} are the most that Vivida takes, so split it")]
    TooManyNotes { hits: usize },
    #[error(
        "the file lasts {bars} bars; {MOST_BARS} are the most that Vivida takes, so split it or remove stray events at its end"
    )]
    TooLong { bars: u64 },
}

impl ReadError {
    /// Where in the file, if at one place.
    pub fn offset(&self) -> Option<usize> {
        match self {
            ReadError::NotMidi => Some(0),
            ReadError::HeaderShort { .. } => Some(4),
            ReadError::Format { .. } => Some(8),
            ReadError::NoResolution => Some(12),
            ReadError::HeaderCut { offset } | ReadError::NoTracks { offset } => Some(*offset),
            ReadError::Empty
            | ReadError::TooManyTracks { .. }
            | ReadError::TooManyParts { .. }
            | ReadError::TooManyNotes { .. }
            | ReadError::TooLong { .. } => None,
        }
    }
}

/// A name for a place in the song, from the file's markers.
#[derive(Clone, Debug, PartialEq)]
pub struct Marker {
    /// Where.
    pub tick: Ticks,
    /// verse, fill …
    pub name: String,
}

/// The notes of one channel of one track.
#[derive(Clone, Debug, PartialEq)]
pub struct SongPart {
    /// The track's place among the tracks, from 0.
    pub track: usize,
    /// The channel.
    pub channel: Channel,
    /// The track's name, with the channel where the track has several.
    pub name: String,
    /// Whether it looks like a drum part.
    pub drums: bool,
    /// The hits; hit n is the n-th note-on of the part in the track.
    pub part: Part,
    /// It was begun here and holds no notes: where its track ends. What is played in it is its takes' own.
    pub begun: Option<Ticks>,
    pub(crate) notes: Vec<NoteEvents>,
    pub(crate) lanes: FileLanes,
    /// The place of each hit's note, where its id is another number.
    pub(crate) numbers: HashMap<HitId, u32>,
    /// Its track has note-offs that end nothing.
    pub(crate) has_stray_offs: bool,
}

impl SongPart {
    /// Its chart when it is taken as drums or as tones.
    pub fn chart(&self, drums: bool) -> Chart {
        Chart::new(&self.part, self.kit(drums))
    }

    /// Its lanes, as they were written.
    pub fn lanes(&self) -> &[Lane] {
        &self.lanes.lanes
    }

    /// How far a full bend goes, in cents, where the file says so.
    pub fn bend_range(&self) -> Option<f64> {
        self.lanes.bend_range
    }

    /// The events of a hit of it.
    pub(crate) fn events_of(&self, hit: &Hit) -> &NoteEvents {
        let number = self.numbers.get(&hit.id).map_or(hit.id.get() as usize, |number| *number as usize);
        &self.notes[number]
    }

    /// Names its hits otherwise, in the order of its note-ons. Ids that are too few, too many or not all different
    /// are left.
    fn name_hits(&mut self, ids: &[HitId]) {
        let numbers: HashMap<HitId, u32> = ids.iter().copied().zip(0..).collect();
        let fits = numbers.len() == self.notes.len() && ids.len() == self.notes.len();
        if !fits || ids.iter().any(|id| *id >= HitId::FIRST_BY_HAND) {
            return;
        }
        let named = |hit: &Hit| Hit { id: ids[hit.id.get() as usize], ..*hit };
        self.part = Part::new(self.part.hits().iter().map(named).collect());
        self.numbers = numbers;
    }

    /// The ids of its hits, in the order of its note-ons.
    pub fn ids(&self) -> Vec<HitId> {
        let mut ids: Vec<(u32, HitId)> = self
            .part
            .hits()
            .iter()
            .map(|hit| (self.numbers.get(&hit.id).copied().unwrap_or(hit.id.get() as u32), hit.id))
            .collect();
        ids.sort_unstable();
        ids.into_iter().map(|(_, id)| id).collect()
    }

    /// Its kit when it is taken as drums or as tones.
    pub fn kit(&self, drums: bool) -> Kit {
        kit_of(&self.name, &self.part, drums)
    }
}

/// The kit of a part of this name when it is taken as drums or as tones.
pub fn kit_of(name: &str, part: &Part, drums: bool) -> Kit {
    if drums { Kit::of_drums(part) } else { Kit::of_tones(name, part) }
}

/// A Standard MIDI File, understood.
#[derive(Clone, Debug, PartialEq)]
pub struct SongFile {
    /// 0, 1 or 2.
    pub format: u16,
    /// The resolution of all positions here: the file's own times `factor`.
    pub ppq: Ppq,
    /// Ticks here for one tick of the file.
    pub factor: u32,
    /// The file counts in frames of film or video instead of quarter notes.
    pub smpte: bool,
    /// Ticks and seconds.
    pub tempo: TempoMap,
    /// Bars and beats.
    pub metre: MetreMap,
    /// Named places, in order.
    pub markers: Vec<Marker>,
    /// Those that hold notes; none where there is nothing to play.
    pub parts: Vec<SongPart>,
    /// How many notes they have together.
    pub hits: usize,
    /// Where the last event lies.
    pub end: Ticks,
    /// What was wrong with the file and how it was mended, in sentences.
    pub mended: Vec<String>,
    pub(crate) chunks: Chunks,
}

impl SongFile {
    /// Beats a minute at the start, by the beat of its first bar: the dotted quarter in 6/8, 9/8 and 12/8, else the quarter.
    pub fn bpm(&self) -> f64 {
        let quarters = self.tempo.bpm(Ticks(0.0));
        let beats = if self.metre.bar(1).metre.is_compound() { quarters / 1.5 } else { quarters };
        // A tempo event counts whole microseconds: 88 bpm come as 88.000088.
        (beats * 1000.0).round() / 1000.0
    }

    /// Where some bars begin and end, as far as they can be taken out by themselves; else why not.
    pub fn stretch(&self, BarRange { from, to }: BarRange) -> Result<(Ticks, Ticks), String> {
        let bars = self.bars();
        if from < 1 || to < from || to > bars {
            return Err(format!("bars {from} to {to} are not all there; the song has bars 1 to {bars}"));
        }
        if self.format == 2 {
            return Err("the tracks of a format 2 file are songs of their own; take it whole".to_owned());
        }
        Ok((self.metre.bar(from).start, self.metre.bar(to + 1).start))
    }

    /// The sections that the file's markers make: each lasts up to the next one.
    pub fn sections(&self) -> Vec<Section> {
        let bars = self.bars();
        let starts: Vec<u32> = self.markers.iter().map(|marker| self.metre.bar_at(marker.tick).number).collect();
        let section = |(marker, (index, &from)): (&Marker, (usize, &u32))| {
            let next = starts[index + 1..].iter().find(|&&start| start > from);
            let to = next.map_or(bars, |next| (next - 1).min(bars));
            Section { name: marker.name.chars().take(80).collect(), from, to }
        };
        let sections = self.markers.iter().zip(starts.iter().enumerate()).map(section);
        // A marker behind the last bar names nothing.
        sections.filter(|section| section.from <= section.to).take(Section::MOST).collect()
    }

    /// Whether all of it was begun here: its bars, tempo and metre are the person's own.
    pub fn is_begun(&self) -> bool {
        !self.parts.is_empty() && self.parts.iter().all(|part| part.begun.is_some())
    }

    /// Names the hits of parts otherwise: for each part its ids in the order of its note-ons, or nothing where they
    /// are numbered, as they are when a file is read.
    pub fn name_hits(&mut self, ids: &[Option<Vec<HitId>>]) {
        for (part, ids) in self.parts.iter_mut().zip(ids) {
            if let Some(ids) = ids {
                part.name_hits(ids);
            }
        }
    }

    /// The number of bars, at least 1.
    pub fn bars(&self) -> u32 {
        let ends = self.parts.iter().map(|part| part.begun.unwrap_or_default().0.max(part.part.end().0));
        let last = ends.fold(1.0, f64::max);
        self.metre.bar_at(Ticks(last - 1.0)).number
    }
}

/// The resolution: ticks per quarter note of the file, and for SMPTE timing the length of a
/// quarter in microseconds.
fn resolution(division: u16) -> (Ppq, u32, Option<u32>) {
    let [high, low] = division.to_be_bytes();
    if high < 0x80 {
        let own = Ppq::new(u32::from(division)).expect("0 was refused");
        let factor = own.factor_to_fine();
        return (Ppq::new(own.get() * factor).expect("not 0"), factor, None);
    }
    // At 120 bpm half a second is a quarter note. 29 stands for 30 frames at 29.97 a second.
    let frames = match high.wrapping_neg() {
        29 => 30,
        0 => 1,
        frames => u32::from(frames),
    };
    let micros = if high.wrapping_neg() == 29 { 500_500 } else { 500_000 };
    let per_second = frames * u32::from(low.max(1));
    let factor = (2 * Ppq::FINE).div_ceil(per_second);
    let factor = if per_second % 2 == 1 && factor % 2 == 1 { factor + 1 } else { factor };
    (Ppq::new(per_second * factor / 2).expect("not 0"), factor, Some(micros))
}

/// Read a file.
///
/// # Errors
///
/// What cannot be mended, with the offset where it stands.
pub fn read(bytes: &[u8]) -> Result<SongFile, ReadError> {
    let found = chunks(bytes)?;
    let (ppq, factor, smpte) = resolution(found.header.division);
    let tracks: Vec<&Track> = found.tracks().collect();
    if tracks.is_empty() {
        return Err(ReadError::NoTracks { offset: found.header.size });
    }
    if tracks.len() > MOST_TRACKS {
        return Err(ReadError::TooManyTracks { tracks: tracks.len() });
    }
    let mut mended = mended_chunks(&found, tracks.len());
    let conductors = if found.header.format == 2 { &tracks[..1] } else { &tracks[..] };
    let maps = Maps::collect(conductors, factor, &mut mended);
    let tempo = match smpte {
        None => TempoMap::new(ppq, maps.tempo),
        Some(micros) => {
            mended
                .push("The file counts in frames (SMPTE): it is shown at 120 bpm; times in seconds are exact.".into());
            TempoMap::new(ppq, [(Ticks(0.0), micros)])
        }
    };
    let mut song = SongFile {
        format: found.header.format,
        ppq,
        factor,
        smpte: smpte.is_some(),
        tempo,
        metre: MetreMap::new(ppq, maps.metre),
        markers: maps.markers,
        parts: Vec::new(),
        hits: 0,
        end: Ticks(0.0),
        mended,
        chunks: Chunks::none(found.header),
    };
    for (number, track) in tracks.iter().enumerate() {
        add_parts(&mut song, bytes, number, track);
        check_size(&song)?;
    }
    if song.bars() > MOST_BARS {
        return Err(ReadError::TooLong { bars: u64::from(song.bars()) });
    }
    song.chunks = found;
    Ok(song)
}

fn check_size(song: &SongFile) -> Result<(), ReadError> {
    if song.parts.len() > MOST_PARTS {
        return Err(ReadError::TooManyParts { parts: song.parts.len() });
    }
    if song.hits > MOST_HITS {
        return Err(ReadError::TooManyNotes { hits: song.hits });
    }
    Ok(())
}

fn mended_chunks(found: &Chunks, tracks: usize) -> Vec<String> {
    let mut mended = Vec::new();
    if usize::from(found.header.tracks) != tracks {
        mended.push(format!(
            "The header claims {} tracks; the file holds {tracks}, and all are read.",
            found.header.tracks
        ));
    }
    if let Some(offset) = found.cut_at {
        mended.push(format!("Offset {offset}: the file ends too early; all before is kept."));
    }
    if found.header.format == 2 && tracks > 1 {
        mended.push("Format 2: the patterns are shown side by side, with the tempo and metre of the first.".into());
    }
    mended
}

struct Maps {
    tempo: Vec<(Ticks, u32)>,
    metre: Vec<(Ticks, Metre)>,
    markers: Vec<Marker>,
}

impl Maps {
    fn collect(tracks: &[&Track], factor: u32, mended: &mut Vec<String>) -> Maps {
        let mut maps = Maps { tempo: Vec::new(), metre: Vec::new(), markers: Vec::new() };
        let mut odd_metres = 0;
        for (tick, meta) in tracks.iter().flat_map(|track| &track.metas) {
            let tick = Ticks(*tick as f64 * f64::from(factor));
            match meta {
                Meta::Tempo(micros) => maps.tempo.push((tick, *micros)),
                Meta::Metre(numerator, power) => {
                    let denominator = 1u8.checked_shl(u32::from(*power)).unwrap_or(0);
                    match Metre::new(*numerator, denominator) {
                        Some(metre) => maps.metre.push((tick, metre)),
                        None => odd_metres += 1,
                    }
                }
                Meta::Marker(name) => maps.markers.push(Marker { tick, name: name.clone() }),
                Meta::TrackName(_) | Meta::Begun(_) => {}
            }
        }
        if odd_metres > 0 {
            mended.push(match odd_metres {
                1 => "1 impossible time signature is passed over.".to_owned(),
                many => format!("{many} impossible time signatures are passed over."),
            });
        }
        maps.tempo.sort_by(|a, b| a.0.0.total_cmp(&b.0.0));
        maps.metre.sort_by(|a, b| a.0.0.total_cmp(&b.0.0));
        maps.markers.sort_by(|a, b| a.tick.0.total_cmp(&b.tick.0));
        maps.markers.retain(|marker| !marker.name.is_empty());
        maps
    }
}

fn add_parts(song: &mut SongFile, bytes: &[u8], number: usize, track: &Track) {
    let shown = number + 1;
    let pairing = pair(bytes, &track.events);
    if let Some(offset) = track.broken_at {
        song.mended.push(format!("Track {shown}: offset {offset}: the data stop making sense; all before is kept."));
    } else if !track.has_end {
        song.mended.push(format!("Track {shown}: its end is not marked; it ends with its last event."));
    }
    if let Some(offset) = track.cut_at {
        let what = "the last event claims more bytes than there are; its length is put right";
        song.mended.push(format!("Track {shown}: offset {offset}: {what}."));
    }
    let mut mend = |count: usize, one: &str, many: &str| match count {
        0 => {}
        1 => song.mended.push(format!("Track {shown}: {one}.")),
        count => song.mended.push(format!("Track {shown}: {count} {many}.")),
    };
    mend(
        track.carried_on,
        "1 event goes on with the status from before a meta or SysEx event; it is read so, and written with it",
        "events go on with the status from before a meta or SysEx event; they are read so, and written with it",
    );
    mend(
        track.high_data_bytes,
        "1 data byte above 127 is read without its top bit",
        "data bytes above 127 are read without their top bit",
    );
    mend(
        pairing.never_ended,
        "1 note is never ended; it lasts to the end of the track",
        "notes are never ended; they last to the end of the track",
    );
    mend(
        pairing.stray_offs,
        "1 note-off ends no note; it is passed over and kept in the file",
        "note-offs end no note; they are passed over and kept in the file",
    );
    mend(pairing.zero_length, "1 note has no length; it lasts one tick", "notes have no length; they last one tick");

    let has_stray_offs = pairing.stray_offs > 0;
    let channels = by_channel(pairing.notes);
    let name = track_name(track);
    let several = channels.len() > 1;
    let begun = track.metas.iter().find_map(|(_, meta)| match meta {
        Meta::Begun(channel) => Some(*channel),
        _ => None,
    });
    let fine = |tick: u64| Ticks(tick as f64 * f64::from(song.factor));
    let mut lanes = lanes::by_channel(bytes, track, song.factor);
    let last = fine(track.events.last().map_or(0, |event| event.tick));
    if let Some(channel) = begun.filter(|_| channels.is_empty()).map(Channel::from_status) {
        let name = if name.is_empty() { format!("Track {shown}, channel {}", channel.shown()) } else { name.clone() };
        song.parts.push(SongPart {
            track: number,
            channel,
            name,
            drums: channel == Channel::PERCUSSION,
            part: Part::default(),
            begun: Some(last),
            notes: Vec::new(),
            lanes: lanes.remove(&channel.get()).unwrap_or_default(),
            numbers: HashMap::new(),
            has_stray_offs,
        });
    }
    for notes in channels {
        let channel = Channel::from_status(notes[0].channel);
        let drums = looks_like_drums(&name, channel, &notes);
        let name = match (name.as_str(), several) {
            ("", _) if drums => format!("Drums (track {shown}, channel {})", channel.shown()),
            ("", _) => format!("Track {shown}, channel {}", channel.shown()),
            (name, true) => format!("{name} (channel {})", channel.shown()),
            (name, false) => name.to_owned(),
        };
        let part = Part::new(notes.iter().enumerate().map(|(id, note)| hit(id, note, song.factor)).collect());
        song.hits += part.hits().len();
        let (begun, numbers) = (None, HashMap::new());
        let lanes = lanes.remove(&channel.get()).unwrap_or_default();
        let track = number;
        song.parts.push(SongPart { track, channel, name, drums, part, begun, notes, lanes, numbers, has_stray_offs });
    }
    song.end = Ticks(song.end.0.max(last.0));
}

fn hit(id: usize, note: &NoteEvents, factor: u32) -> Hit {
    let fine = |tick: u64| Ticks(tick as f64 * f64::from(factor));
    Hit {
        id: HitId::new(id as u32),
        tick: fine(note.tick),
        length: Ticks(fine(note.end - note.tick).0.max(1.0)),
        velocity: Velocity::rounded(f64::from(note.velocity)),
        release: note.release,
        note: Note::from_data(note.note),
        channel: Channel::from_status(note.channel),
    }
}

/// The notes of each channel that has any, in the order of the channels.
fn by_channel(notes: Vec<NoteEvents>) -> Vec<Vec<NoteEvents>> {
    if notes.iter().all(|note| note.channel == notes[0].channel) {
        return if notes.is_empty() { Vec::new() } else { vec![notes] };
    }
    let mut channels = vec![Vec::new(); 16];
    for note in notes {
        channels[usize::from(note.channel)].push(note);
    }
    channels.retain(|notes| !notes.is_empty());
    channels
}

fn track_name(track: &Track) -> String {
    let names = track.metas.iter().filter_map(|(_, meta)| match meta {
        Meta::TrackName(name) if !name.is_empty() => Some(name.clone()),
        _ => None,
    });
    names.into_iter().next().unwrap_or_default()
}

/// Channel 10, or a name that says so over notes of the percussion map.
fn looks_like_drums(name: &str, channel: Channel, notes: &[NoteEvents]) -> bool {
    const WORDS: [&str; 14] = [
        "drum",
        "perc",
        "kit",
        "kick",
        "snare",
        "hat",
        "cymbal",
        "tom",
        "conga",
        "bongo",
        "shaker",
        "tambourine",
        "clap",
        "woodblock",
    ];
    let lower = name.to_lowercase();
    let named =
        WORDS.iter().any(|word| lower.split(|letter: char| !letter.is_alphabetic()).any(|part| part.starts_with(word)));
    channel == Channel::PERCUSSION || (named && notes.iter().all(|note| (27..=87).contains(&note.note)))
}
