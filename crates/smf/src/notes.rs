//! Which note-off ends which note-on.

use crate::chunk::{Event, NoteMessage};

/// A note of a track: the places of its two events among the track's.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct NoteEvents {
    pub channel: u8,
    pub note: u8,
    pub velocity: u8,
    pub release: u8,
    pub on: u32,
    pub off: Option<u32>,
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

/// The notes of one key that sound, the one that began first in front: a chain through `later`.
#[derive(Clone, Copy)]
struct Sounding {
    first: u32,
    last: u32,
}

const NONE: u32 = u32::MAX;

/// Pairs note-ons with note-offs: of several sounding notes of one key the one that began first
/// ends first. A note that is never ended lasts to the end of the track.
pub(crate) fn pair(file: &[u8], events: &[Event]) -> Pairing {
    let mut pairing = Pairing { notes: Vec::with_capacity(events.len() / 2), ..Pairing::default() };
    let mut keys = vec![Sounding { first: NONE, last: NONE }; 16 * 128];
    let mut later: Vec<u32> = Vec::with_capacity(events.len() / 2);
    for (place, event) in events.iter().enumerate() {
        let Some(NoteMessage { channel, key: note, velocity, is_on }) = event.note(file) else { continue };
        let sounding = &mut keys[usize::from(channel) * 128 + usize::from(note)];
        if is_on && velocity > 0 {
            let index = pairing.notes.len() as u32;
            if sounding.first == NONE {
                sounding.first = index;
            } else {
                later[sounding.last as usize] = index;
            }
            sounding.last = index;
            later.push(NONE);
            let (on, tick) = (place as u32, event.tick);
            pairing.notes.push(NoteEvents { channel, note, velocity, release: 64, on, off: None, tick, end: tick });
            continue;
        }
        if sounding.first == NONE {
            pairing.stray_offs += 1;
            continue;
        }
        let ended = &mut pairing.notes[sounding.first as usize];
        sounding.first = later[sounding.first as usize];
        ended.off = Some(place as u32);
        ended.end = event.tick;
        // A note-on of velocity 0 has no release velocity of its own: 64 is the neutral one.
        ended.release = if is_on { 64 } else { velocity };
        pairing.zero_length += usize::from(ended.end == ended.tick);
    }
    let end = events.last().map_or(0, |event| event.tick);
    for note in pairing.notes.iter_mut().filter(|note| note.off.is_none()) {
        note.end = end;
        pairing.never_ended += 1;
    }
    pairing
}
