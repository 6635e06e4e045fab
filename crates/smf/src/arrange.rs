//! Files for the work that follows: some bars, one part, a track for each instrument, one track for all.

use crate::song::{SongFile, SongPart};
use crate::write::Export;
use midly::num::{u4, u28};
use midly::{Format, MetaMessage, MidiMessage, Smf, TrackEvent, TrackEventKind};
use std::collections::{BTreeMap, BTreeSet};
use vivida_core::{Channel, Kit, KitLookup, Note};

/// How a written file is arranged. The usual is as it stands.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Arrangement {
    /// Only the part of this index, with the song's tempo, metre and markers.
    pub only: Option<usize>,
    /// Only these bars; the first of them becomes the file's first. What is played outside of them must have
    /// been silenced.
    pub bars: Option<(u32, u32)>,
    /// A track for each instrument of the drum parts.
    pub split: bool,
    /// Everything in one track (a file of format 0).
    pub one_track: bool,
    /// By the index of a part the kit that reads what it sends; of others that is the General MIDI map.
    pub kits: BTreeMap<usize, Kit>,
    /// By the index of a part the channels that its hits are on besides its own and those that its kit fixes.
    pub apart: BTreeMap<usize, BTreeSet<u8>>,
}

impl Arrangement {
    fn is_usual(&self) -> bool {
        *self == Arrangement { kits: self.kits.clone(), apart: self.apart.clone(), ..Arrangement::default() }
    }
}

/// An event and where it lies in its file.
#[derive(Clone, Copy)]
struct Placed<'a> {
    tick: u64,
    kind: TrackEventKind<'a>,
}

type Track<'a> = Vec<Placed<'a>>;

/// Arranges a file that [`crate::write`] made of `song` by `export`. Files of format 2, whose tracks are songs
/// of their own, stay as they are.
pub fn arrange(bytes: &[u8], song: &SongFile, export: Export, arrangement: &Arrangement) -> Vec<u8> {
    let Ok(smf) = Smf::parse(bytes) else { return bytes.to_vec() };
    if arrangement.is_usual() || smf.header.format == Format::Sequential {
        return bytes.to_vec();
    }
    let mut tracks: Vec<Track<'_>> = smf.tracks.iter().map(placed).collect();
    let mut parts: Vec<(usize, &SongPart)> = song.parts.iter().enumerate().collect();
    let map = Kit::general_midi();
    let kit = |index: usize| arrangement.kits.get(&index).unwrap_or(&map);
    if let Some(only) = arrangement.only {
        parts.retain(|&(index, _)| index == only);
        if let Some(&(_, part)) = parts.first() {
            for (number, track) in tracks.iter_mut().enumerate() {
                let own = |kind| {
                    let zone = export.zone > 0 && number == part.track && on(kind, 0);
                    zone || (number == part.track && is_apart(arrangement.apart.get(&only), kind))
                };
                track.retain(|event| {
                    own(event.kind) || belongs(event.kind, number == part.track, part.channel, kit(only))
                });
            }
        }
    }
    if let Some((from, to)) = arrangement.bars {
        // With a lead-in bar all of the file lies a bar later; the excerpt has one in front of its own first bar.
        let lead = export.written(song, -export.start(song));
        let ticks = |bar: u32| lead + export.written(song, song.metre.bar(bar).start);
        let shift = if export.lead_in { ticks(from + 1) - ticks(from) } else { 0 };
        for track in &mut tracks {
            *track = excerpt(track, ticks(from), ticks(to + 1), shift);
        }
    }
    let unknown: Vec<String> = (0..128).map(|note| format!("Note {note}")).collect();
    if arrangement.split {
        split(&mut tracks, &parts, kit, &unknown, &arrangement.apart);
    }
    if arrangement.only.is_some() {
        let mut number = 0;
        tracks.retain(|track| {
            number += 1;
            number == 1 || !track.is_empty()
        });
    }
    if arrangement.one_track {
        tracks = vec![together(tracks)];
    }
    let format = match tracks.len() {
        1 if arrangement.one_track || smf.header.format == Format::SingleTrack => Format::SingleTrack,
        _ => Format::Parallel,
    };
    let header = midly::Header { format, timing: smf.header.timing };
    let tracks = tracks.iter().map(by_deltas).collect();
    let mut out = Vec::with_capacity(bytes.len());
    let written = Smf { header, tracks }.write_std(&mut out);
    if written.is_ok() { out } else { bytes.to_vec() }
}

/// Without the end of the track, which follows from the rest.
fn placed<'a>(track: &midly::Track<'a>) -> Track<'a> {
    let mut tick = 0;
    let mut placed = Vec::with_capacity(track.len());
    for event in track {
        tick += u64::from(event.delta.as_int());
        if event.kind != TrackEventKind::Meta(MetaMessage::EndOfTrack) {
            placed.push(Placed { tick, kind: event.kind });
        }
    }
    placed
}

/// Whether an event belongs to one part: on its track all but what other channels play that its kit does not send
/// to, elsewhere only what holds for the whole song.
fn belongs(kind: TrackEventKind<'_>, own_track: bool, of: Channel, kit: &Kit) -> bool {
    match kind {
        TrackEventKind::Midi { channel, message } => {
            own_track && (channel.as_int() == of.get() || sends(kit, channel, message))
        }
        TrackEventKind::Meta(
            MetaMessage::Tempo(_)
            | MetaMessage::TimeSignature(..)
            | MetaMessage::KeySignature(..)
            | MetaMessage::SmpteOffset(_)
            | MetaMessage::Marker(_),
        ) => true,
        _ => own_track,
    }
}

fn on(kind: TrackEventKind<'_>, wanted: u8) -> bool {
    matches!(kind, TrackEventKind::Midi { channel, .. } if channel.as_int() == wanted)
}

/// Whether an event is on one of some channels.
fn is_apart(channels: Option<&BTreeSet<u8>>, kind: TrackEventKind<'_>) -> bool {
    channels.is_some_and(|channels| channels.iter().any(|channel| on(kind, *channel)))
}

/// Whether a kit sends notes like this one to this channel.
fn sends(kit: &Kit, channel: u4, message: MidiMessage) -> bool {
    let Some(key) = key_of(message) else { return false };
    let mut ways = kit.instruments.iter().flat_map(|one| &one.articulations);
    ways.any(|way| way.note.get() == key && way.channel.is_some_and(|out| out.get() == channel.as_int()))
}

fn key_of(message: MidiMessage) -> Option<u8> {
    match message {
        MidiMessage::NoteOn { key, .. } | MidiMessage::NoteOff { key, .. } | MidiMessage::Aftertouch { key, .. } => {
            Some(key.as_int())
        }
        _ => None,
    }
}

/// What of a state is replaced by a later event of the same.
#[derive(PartialEq, Eq, PartialOrd, Ord)]
enum State {
    Tempo,
    Metre,
    Key,
    Name(u8),
    Port,
    Program(u8),
    Controller(u8, u8),
    Bend(u8),
    Pressure(u8),
}

fn state_of(kind: TrackEventKind<'_>) -> Option<State> {
    Some(match kind {
        TrackEventKind::Meta(MetaMessage::Tempo(_)) => State::Tempo,
        TrackEventKind::Meta(MetaMessage::TimeSignature(..)) => State::Metre,
        TrackEventKind::Meta(MetaMessage::KeySignature(..)) => State::Key,
        TrackEventKind::Meta(MetaMessage::TrackName(_)) => State::Name(0),
        TrackEventKind::Meta(MetaMessage::InstrumentName(_)) => State::Name(1),
        TrackEventKind::Meta(MetaMessage::DeviceName(_)) => State::Name(2),
        TrackEventKind::Meta(MetaMessage::MidiPort(_)) => State::Port,
        TrackEventKind::Midi { channel, message } => {
            let channel = channel.as_int();
            match message {
                MidiMessage::ProgramChange { .. } => State::Program(channel),
                MidiMessage::Controller { controller, .. } => State::Controller(channel, controller.as_int()),
                MidiMessage::PitchBend { .. } => State::Bend(channel),
                MidiMessage::ChannelAftertouch { .. } => State::Pressure(channel),
                _ => return None,
            }
        }
        _ => return None,
    })
}

const fn is_note(kind: TrackEventKind<'_>) -> bool {
    matches!(
        kind,
        TrackEventKind::Midi {
            message: MidiMessage::NoteOn { .. } | MidiMessage::NoteOff { .. } | MidiMessage::Aftertouch { .. },
            ..
        }
    )
}

/// What lies from one tick up to another, moved to the front; what held before still holds. Notes come along
/// wherever they are: of the others nothing sounds.
fn excerpt<'a>(track: &Track<'a>, from: u64, to: u64, shift: u64) -> Track<'a> {
    let mut held: BTreeMap<State, (usize, Placed<'a>)> = BTreeMap::new();
    let mut kept = Track::new();
    for (place, event) in track.iter().enumerate() {
        let tick = (event.tick + shift).saturating_sub(from);
        if is_note(event.kind) {
            kept.push(Placed { tick, ..*event });
        } else if event.tick < from {
            if let Some(state) = state_of(event.kind) {
                held.insert(state, (place, Placed { tick: 0, ..*event }));
            }
        } else if event.tick < to {
            // What sets up the first bar sets up the empty one in front of it, too.
            let tick = if event.tick == from && state_of(event.kind).is_some() { 0 } else { tick };
            kept.push(Placed { tick, ..*event });
        }
    }
    let mut held: Vec<(usize, Placed<'a>)> = held.into_values().collect();
    held.sort_by_key(|&(place, _)| place);
    let mut all: Track<'a> = held.into_iter().map(|(_, event)| event).collect();
    kept.sort_by_key(|event| event.tick);
    all.extend(kept);
    all
}

/// The notes of each instrument of the drum parts on tracks of their own, behind the track that they were on.
fn split<'a>(
    tracks: &mut Vec<Track<'a>>,
    parts: &[(usize, &SongPart)],
    kit: impl Fn(usize) -> &'a Kit,
    unknown: &'a [String],
    apart: &BTreeMap<usize, BTreeSet<u8>>,
) {
    let mut order: Vec<(usize, &SongPart)> = parts.iter().copied().filter(|(_, part)| part.drums).collect();
    // From the back, so that the places of the tracks in front stay.
    order.sort_by_key(|(_, part)| std::cmp::Reverse(part.track));
    for (index, part) in order {
        let kit = kit(index);
        let lookup = kit.lookup();
        let own = std::mem::take(&mut tracks[part.track]);
        let mut rest = Track::new();
        let mut of_instruments: BTreeMap<usize, Track<'a>> = BTreeMap::new();
        // What is sent on a channel that an instrument has to itself goes where its notes are.
        let mut homes: BTreeMap<u8, usize> = BTreeMap::new();
        for event in own.iter().filter(|event| is_apart(apart.get(&index), event.kind)) {
            let place = drum(event.kind, part.channel, kit, &lookup, apart.get(&index));
            if let (TrackEventKind::Midi { channel, .. }, Some(place)) = (event.kind, place) {
                homes.entry(channel.as_int()).or_insert(place);
            }
        }
        let home = |kind: TrackEventKind<'_>| match kind {
            TrackEventKind::Midi { channel, .. } => homes.get(&channel.as_int()).copied(),
            _ => None,
        };
        for event in own {
            match drum(event.kind, part.channel, kit, &lookup, apart.get(&index)).or(home(event.kind)) {
                Some(place) => of_instruments.entry(place).or_default().push(event),
                None => rest.push(event),
            }
        }
        tracks[part.track] = rest;
        for (offset, (place, mut events)) in of_instruments.into_iter().enumerate() {
            let name = match kit.instruments.get(place) {
                Some(instrument) => &instrument.name,
                None => &unknown[place - kit.instruments.len()],
            };
            let name = name.as_bytes();
            events.insert(0, Placed { tick: 0, kind: TrackEventKind::Meta(MetaMessage::TrackName(name)) });
            tracks.insert(part.track + 1 + offset, events);
        }
    }
}

/// The place of the instrument that a note of a part belongs to; behind the kit's, notes that it does not know.
fn drum(
    kind: TrackEventKind<'_>,
    of: Channel,
    kit: &Kit,
    lookup: &KitLookup,
    apart: Option<&BTreeSet<u8>>,
) -> Option<usize> {
    let TrackEventKind::Midi { channel, message } = kind else { return None };
    let key = key_of(message)?;
    if channel != u4::from(of.get()) && !sends(kit, channel, message) && !is_apart(apart, kind) {
        return None;
    }
    let found = lookup.instrument(Note::from_data(key), Channel::new(channel.as_int()).unwrap_or(of));
    Some(found.unwrap_or(kit.instruments.len() + usize::from(key)))
}

/// All tracks as one. Only the first keeps its name.
fn together(tracks: Vec<Track<'_>>) -> Track<'_> {
    let named = |kind: TrackEventKind<'_>| matches!(kind, TrackEventKind::Meta(MetaMessage::TrackName(_)));
    let mut all = Track::new();
    for (number, mut track) in tracks.into_iter().enumerate() {
        if number > 0 {
            track.retain(|event| !named(event.kind));
        }
        all.extend(track);
    }
    // Ends before what begins at the same tick, else a note of the next track is cut.
    let rank = |kind: TrackEventKind<'_>| match kind {
        TrackEventKind::Midi { message: MidiMessage::NoteOff { .. }, .. } => 0,
        TrackEventKind::Midi { message: MidiMessage::NoteOn { vel, .. }, .. } if vel == 0 => 0,
        TrackEventKind::Midi { message: MidiMessage::NoteOn { .. }, .. } => 2,
        _ => 1,
    };
    all.sort_by_key(|event| (event.tick, rank(event.kind)));
    all
}

fn by_deltas<'a>(track: &Track<'a>) -> midly::Track<'a> {
    const LONGEST: u64 = 0x0fff_ffff;
    let mut out = midly::Track::with_capacity(track.len() + 1);
    let mut now = 0;
    for event in track {
        let mut delta = event.tick.saturating_sub(now);
        // The format has no longer silences.
        while delta > LONGEST {
            let bridge = TrackEventKind::Meta(MetaMessage::Text(&[]));
            out.push(TrackEvent { delta: u28::max_value(), kind: bridge });
            delta -= LONGEST;
        }
        out.push(TrackEvent { delta: u28::new(delta as u32), kind: event.kind });
        now = event.tick;
    }
    out.push(TrackEvent { delta: u28::new(0), kind: TrackEventKind::Meta(MetaMessage::EndOfTrack) });
    out
}
