//! Note-offs of a treated part that end nothing.

use crate::chunk::Event;
use crate::outgoing::{Outgoing, Timing, rank};
use crate::song::SongPart;
use std::collections::HashMap;
use vivida_core::Performance;

/// A note before and after, in ticks that are written.
#[derive(Clone, Copy)]
struct Moved {
    ended: u64,
    off: u64,
}

/// Moves a note-off that ends nothing with the end of the note before it, so that it never ends another one.
pub(crate) fn follow(
    out: &mut [Outgoing],
    file: &[u8],
    events: &[Event],
    part: &SongPart,
    performance: &Performance,
    timing: Timing,
) {
    if !part.has_stray_offs {
        return;
    }
    let channel = part.channel.get();
    let mut paired = vec![false; events.len()];
    part.notes.iter().filter_map(|note| note.off).for_each(|off| paired[off as usize] = true);
    // By the place of the note-on among the events.
    let mut moved: Vec<Option<Moved>> = vec![None; events.len()];
    for (hit, played) in part.part.hits().iter().zip(&performance.written) {
        let note = part.events_of(hit);
        if played.silenced.is_none() {
            let on = timing.played(played.tick.0);
            let off = timing.played(played.tick.0 + played.length.0).max(on + 1);
            moved[note.on as usize] = Some(Moved { ended: timing.note(note.end), off });
        }
    }
    let sounding = Sounding::of(performance, timing);
    let mut newest: [Option<Moved>; 128] = [None; 128];
    let own = |event: &Event| event.is_note() && event.status() & 0x0f == channel;
    for (place, event) in events.iter().enumerate().filter(|(_, event)| own(event)) {
        let [key, _] = event.data(file);
        let note = &mut newest[usize::from(key)];
        if moved[place].is_some() {
            *note = moved[place];
        } else if !paired[place] && event.note(file).is_some_and(|one| one.ends()) {
            let stood = timing.note(event.tick);
            let after = note.map_or(stood, |before| (stood + before.off).saturating_sub(before.ended).max(before.off));
            let (tick, is_moved) = sounding.outside(key, after);
            let rank = if is_moved || tick != stood { rank::OFF } else { rank::AS_IT_STOOD };
            out[place] = Outgoing { tick, rank, ..out[place] };
        }
    }
}

/// When each key of a performance sounds, in ticks that are written, ascending.
#[derive(Default)]
struct Sounding(HashMap<u8, Vec<(u64, u64)>>);

impl Sounding {
    fn of(performance: &Performance, timing: Timing) -> Sounding {
        let mut keys: HashMap<u8, Vec<(u64, u64)>> = HashMap::new();
        for hit in performance.sounding() {
            let on = timing.played(hit.tick.0);
            let off = timing.played(hit.tick.0 + hit.length.0).max(on + 1);
            keys.entry(hit.note.get()).or_default().push((on, off));
        }
        keys.values_mut().for_each(|times| times.sort_unstable());
        Sounding(keys)
    }

    /// A tick where the key does not sound: this one, or the start of the note that it would cut off; and
    /// whether a note begins there.
    fn outside(&self, key: u8, tick: u64) -> (u64, bool) {
        let Some(times) = self.0.get(&key) else { return (tick, false) };
        let begun = times.partition_point(|&(on, _)| on <= tick);
        match times[..begun].last() {
            Some(&(on, off)) if tick < off => (on, true),
            _ => (tick, false),
        }
    }
}
