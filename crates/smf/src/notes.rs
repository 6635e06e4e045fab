//! Which note-off ends which note-on.

use crate::chunk::Event;
use midly::{MidiMessage, TrackEventKind};
use std::collections::BTreeMap;
use std::collections::VecDeque;

/// A note of a track: the places of its two events among the track's.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct NoteEvents {
    pub channel: u8,
    pub note: u8,
    pub velocity: u8,
    pub release: u8,
    pub on: usize,
    pub off: Option<usize>,
    pub tick: u64,
    pub end: u64,
}

#[derive(Default)]
pub(crate) struct Pairing {
    pub notes: Vec<NoteEvents>,
    pub never_ended: usize,
    pub stray_offs: usize,
    pub zero_length: usize,
}

/// Pairs note-ons with note-offs: of several sounding notes of one key the one that began first
/// ends first. A note that is never ended lasts to the end of the track.
pub(crate) fn pair(events: &[Event<'_>]) -> Pairing {
    let mut pairing = Pairing::default();
    let mut sounding: BTreeMap<(u8, u8), VecDeque<usize>> = BTreeMap::new();
    for (place, event) in events.iter().enumerate() {
        let TrackEventKind::Midi { channel, message } = event.kind else { continue };
        let channel = channel.as_int();
        match message {
            MidiMessage::NoteOn { key, vel } if vel.as_int() > 0 => {
                sounding.entry((channel, key.as_int())).or_default().push_back(pairing.notes.len());
                pairing.notes.push(NoteEvents {
                    channel,
                    note: key.as_int(),
                    velocity: vel.as_int(),
                    release: 64,
                    on: place,
                    off: None,
                    tick: event.tick,
                    end: event.tick,
                });
            }
            MidiMessage::NoteOn { key, vel } | MidiMessage::NoteOff { key, vel } => {
                let first = sounding.get_mut(&(channel, key.as_int())).and_then(VecDeque::pop_front);
                let Some(note) = first.map(|index| &mut pairing.notes[index]) else {
                    pairing.stray_offs += 1;
                    continue;
                };
                note.off = Some(place);
                note.end = event.tick;
                // A note-on of velocity 0 has no release velocity of its own: 64 is the neutral one.
                note.release = if matches!(message, MidiMessage::NoteOn { .. }) { 64 } else { vel.as_int() };
                pairing.zero_length += usize::from(note.end == note.tick);
            }
            _ => {}
        }
    }
    let end = events.last().map_or(0, |event| event.tick);
    for index in sounding.into_values().flatten() {
        pairing.notes[index].end = end;
        pairing.never_ended += 1;
    }
    pairing
}
