//! A file, understood: its parts, tempo, metre and markers.

use crate::chunk::Chunks;
use crate::lanes::FileLanes;
use crate::notes::NoteEvents;
use std::collections::HashMap;
use vivida_core::{BarRange, Channel, Chart, Hit, HitId, Kit, Lane, MetreMap, Part, Ppq, Section, TempoMap, Ticks};

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
