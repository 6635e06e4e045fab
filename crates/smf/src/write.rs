//! From a song and its performances back to bytes.

use crate::chunk::{Chunk, Event, Track, write_variable_length};
use crate::outgoing::{Outgoing, Timing, What, rank, whole};
use crate::song::{SongFile, SongPart};
use crate::{lane_events, moving, strays};
use std::collections::BTreeMap;
use vivida_core::{Millis, Performance, PlayedHit, Ticks};

/// The ticks that a file is written in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Resolution {
    /// The file's own: moves are rounded to its ticks.
    #[default]
    Own,
    /// The fine one that Vivida works in. Files that count in frames keep their own.
    Fine,
}

/// How to write a file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Export {
    /// The ticks to write in.
    pub resolution: Resolution,
    /// Put an empty bar in front, so that early hits of the first bar survive. The performances
    /// must have been played with that bar's length before the start.
    pub lead_in: bool,
    /// Hits take turns on so many channels from the second on; 0 where they do not.
    pub zone: usize,
}

impl Export {
    /// The first tick that a performance for this export may use.
    pub fn start(self, song: &SongFile) -> Ticks {
        if self.lead_in { -song.metre.bar(1).length } else { Ticks(0.0) }
    }

    /// A tick of the song in ticks of the file, without a lead-in bar.
    pub(crate) fn written(self, song: &SongFile, tick: Ticks) -> u64 {
        whole(tick.0 / self.ticks_per_tick(song))
    }

    fn ticks_per_tick(self, song: &SongFile) -> f64 {
        if self.resolution == Resolution::Fine && !song.smpte { 1.0 } else { f64::from(song.factor) }
    }
}

/// By how much rounding to the ticks of an export moves a hit at most.
pub fn rounding(song: &SongFile, performances: &[(usize, Performance)], export: Export) -> Millis {
    let cell = export.ticks_per_tick(song);
    let moved = |hit: &PlayedHit| {
        let rounded = Ticks(hit.tick.0 / cell).rounded().0 * cell;
        song.tempo.millis_of(Ticks((rounded - hit.tick.0).abs()), hit.tick).0
    };
    Millis(performances.iter().flat_map(|(_, performance)| performance.hits().map(moved)).fold(0.0, f64::max))
}

/// Write the file that `song` was read from, with performances in the place of the parts whose
/// index they carry. Without performances the same bytes come out, unless the export asks for
/// another resolution or a lead-in bar.
pub fn write(bytes: &[u8], song: &SongFile, performances: &[(usize, Performance)], export: Export) -> Vec<u8> {
    let cell = export.ticks_per_tick(song);
    let same_ticks = cell == f64::from(song.factor);
    if performances.is_empty() && same_ticks && !export.lead_in {
        return bytes.to_vec();
    }
    rewritten(bytes, song, performances, export)
}

/// The same, with every chunk as long as it says.
pub(crate) fn rewritten(
    bytes: &[u8],
    song: &SongFile,
    performances: &[(usize, Performance)],
    export: Export,
) -> Vec<u8> {
    let cell = export.ticks_per_tick(song);
    let same_ticks = cell == f64::from(song.factor);
    let found = &song.chunks;
    let scale = f64::from(song.factor) / cell;
    let lead = (-export.start(song).0 / cell).round();
    let mut out = bytes[..found.header.size].to_vec();
    if !same_ticks {
        // A header's division counts up to 32767; the fine resolution never exceeds it, because
        // only files of less than 960 ppq are multiplied.
        out[12..14].copy_from_slice(&(song.ppq.get() as u16).to_be_bytes());
    }
    out.reserve(bytes.len() + bytes.len() / 4);
    out[10..12].copy_from_slice(&(found.tracks().count() as u16).to_be_bytes());
    let timing = Timing { scale, cell, lead };
    let (mut moves, _) = moving::messages(song, performances, Some(timing), export.zone);
    if export.zone > 0
        && let Some(messages) = moves.values_mut().next()
    {
        messages.splice(0..0, moving::zone(export.zone));
    }
    let mut of_tracks: BTreeMap<usize, Vec<Treated<'_>>> = BTreeMap::new();
    for (index, performance) in performances {
        let part = &song.parts[*index];
        let moves = moves.remove(index).unwrap_or_default();
        of_tracks.entry(part.track).or_default().push(Treated { part, performance, moves });
    }
    let mut number = 0;
    for chunk in &found.chunks {
        match chunk {
            Chunk::Other(place) => {
                // With the length that it has, where it claimed more.
                let (head, data) = bytes[place.clone()].split_at(8);
                out.extend_from_slice(&head[..4]);
                out.extend_from_slice(&(data.len() as u32).to_be_bytes());
                out.extend_from_slice(data);
            }
            Chunk::Track(track) => {
                let treated = of_tracks.remove(&number).unwrap_or_default();
                write_track(&mut out, bytes, track, &merge(bytes, track, &treated, timing));
                number += 1;
            }
        }
    }
    out
}

/// A part of a track, how it is played, and what is sent for its hits that move.
struct Treated<'a> {
    part: &'a SongPart,
    performance: &'a Performance,
    moves: Vec<Outgoing>,
}

fn merge(file: &[u8], track: &Track, treated: &[Treated<'_>], timing: Timing) -> Vec<Outgoing> {
    let (body, ends) = match track.events.split_last() {
        Some((last, body)) if last.is_end(file) => (body, Some(last)),
        _ => (&track.events[..], None),
    };
    let untouched = |(place, event): (usize, &Event)| Outgoing {
        tick: timing.event(file, *event),
        rank: rank::AS_IT_STOOD,
        what: What::AsItCame(place as u32),
    };
    let mut out: Vec<Outgoing> = Vec::with_capacity(body.len() + 1);
    out.extend(body.iter().enumerate().map(untouched));
    for Treated { part, performance, moves } in treated {
        for played in performance.made.iter().map(|made| &made.played).filter(|played| played.silenced.is_none()) {
            let on = timing.played(played.tick.0);
            let off = timing.played(played.tick.0 + played.length.0).max(on + 1);
            let (status, note) = (played.channel.get(), played.note.get());
            let what = What::Note([0x90 | status, note, played.velocity.get()]);
            out.push(Outgoing { tick: on, rank: rank::ON, what });
            out.push(Outgoing { tick: off, rank: rank::OFF, what: What::Note([0x80 | status, note, played.release]) });
        }
        for (hit, played) in part.part.hits().iter().zip(&performance.written) {
            let events = part.events_of(hit);
            if played.silenced.is_some() {
                out[events.on as usize].what = What::Nothing;
                if let Some(place) = events.off {
                    out[place as usize].what = What::Nothing;
                }
                continue;
            }
            let on = timing.played(played.tick.0);
            let off = timing.played(played.tick.0 + played.length.0).max(on + 1);
            let (status, note) = (played.channel.get(), played.note.get());
            let stays = moves.is_empty() && on == timing.note(events.tick);
            let rank = if stays { rank::AS_IT_STOOD } else { rank::ON };
            let what = What::Note([0x90 | status, note, played.velocity.get()]);
            out[events.on as usize] = Outgoing { tick: on, rank, what };
            let what = What::Note([0x80 | status, note, played.release]);
            match events.off {
                Some(place) => {
                    let stays = moves.is_empty() && off == timing.note(events.end);
                    let rank = if stays { rank::AS_IT_STOOD } else { rank::OFF };
                    out[place as usize] = Outgoing { tick: off, rank, what };
                }
                None => out.push(Outgoing { tick: off, rank: rank::OFF, what }),
            }
        }
        strays::follow(&mut out, file, body, part, performance, timing);
        lane_events::carry(&mut out, part, performance, timing, !moves.is_empty());
        lane_events::redraw(&mut out, part, &performance.lanes, timing);
        out.extend(moves);
    }
    // Stable: what shares tick and rank keeps the order of the file.
    out.sort_by_key(|event| event.tick << 3 | u64::from(event.rank));
    let last = out.last().map_or(0, |event| event.tick);
    let end = ends.map_or(last, |event| timing.event(file, *event).max(last));
    out.push(Outgoing { tick: end, rank: rank::END, what: What::End });
    out
}

fn write_track(out: &mut Vec<u8>, file: &[u8], track: &Track, events: &[Outgoing]) {
    out.extend_from_slice(b"MTrk\0\0\0\0");
    let start = out.len();
    let mut now = 0;
    for event in events.iter().filter(|event| !matches!(event.what, What::Nothing)) {
        write_delta(out, event.tick - now);
        match event.what {
            What::AsItCame(place) => track.events[place as usize].write(file, out),
            What::Note(bytes) => out.extend_from_slice(&bytes),
            What::Message(bytes, size) => out.extend_from_slice(&bytes[..usize::from(size)]),
            What::Nothing => {}
            What::End => out.extend_from_slice(&[0xff, 0x2f, 0]),
        }
        now = event.tick;
    }
    let length = (out.len() - start) as u32;
    out[start - 4..start].copy_from_slice(&length.to_be_bytes());
}

/// A variable-length quantity of at most four bytes. Longer silences are bridged by empty text
/// events, since the format has no longer delta times.
fn write_delta(out: &mut Vec<u8>, mut delta: u64) {
    const LONGEST: u64 = 0x0fff_ffff;
    while delta > LONGEST {
        out.extend_from_slice(&[0xff, 0xff, 0xff, 0x7f, 0xff, 0x01, 0]);
        delta -= LONGEST;
    }
    write_variable_length(out, delta as u32);
}
