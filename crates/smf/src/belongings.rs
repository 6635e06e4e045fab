//! What belongs to the notes of a treated part and goes where they go.

use crate::chunk::Event;
use crate::import::SongPart;
use crate::write::{Outgoing, Timing, rank};
use std::collections::HashMap;
use vivida_core::{Family, Kit, Performance};

/// The controller that says how far the hat's pedal is down.
const HAT_PEDAL: u8 = 4;

/// A note before and after, in ticks that are written.
#[derive(Clone, Copy)]
struct Moved {
    from: u64,
    on: u64,
    ended: u64,
    off: u64,
}

impl Moved {
    /// A tick moved as far as the note's start was.
    fn with_start(&self, tick: u64) -> u64 {
        (tick + self.on).saturating_sub(self.from)
    }

    /// A tick moved as far as the note's end was.
    fn with_end(&self, tick: u64) -> u64 {
        (tick + self.off).saturating_sub(self.ended)
    }
}

/// Moves what belongs to the notes of a part: the position of the hat's pedal with the hat that comes next, the
/// pressure on a note with its start, and a note-off that ends nothing with the note before it, so that it
/// never ends another one.
pub(crate) fn follow(
    out: &mut [Outgoing],
    file: &[u8],
    events: &[Event],
    part: &SongPart,
    performance: &Performance,
    timing: Timing,
) {
    let channel = part.channel.get();
    let is_own = |event: &Event| event.status() < 0xf0 && event.status() & 0x0f == channel;
    let belongs = |event: &Event| match event.status() & 0xf0 {
        0xa0 => true,
        0xb0 => event.data(file)[0] == HAT_PEDAL,
        _ => false,
    };
    let strays = part.has_stray_offs;
    if !strays && !events.iter().any(|event| is_own(event) && belongs(event)) {
        return;
    }
    let mut paired = vec![false; events.len()];
    part.notes.iter().filter_map(|note| note.off).for_each(|off| paired[off as usize] = true);
    // By the place of the note-on among the events.
    let mut moved: Vec<Option<Moved>> = vec![None; events.len()];
    for (hit, played) in part.part.hits().iter().zip(&performance.written) {
        let note = part.events_of(hit);
        if played.silenced.is_none() {
            let on = timing.played(played.tick.0);
            let off = timing.played(played.tick.0 + played.length.0).max(on + 1);
            let (from, ended) = (timing.note(note.tick), timing.note(note.end));
            moved[note.on as usize] = Some(Moved { from, on, ended, off });
        }
    }
    pedal(out, file, events, part, &moved, &is_own);
    let mut newest: [Option<Moved>; 128] = [None; 128];
    let sounding = if strays { Sounding::of(performance, timing) } else { Sounding::default() };
    for (place, event) in events.iter().enumerate().filter(|(_, event)| is_own(event)) {
        let [key, _] = event.data(file);
        let note = &mut newest[usize::from(key)];
        let tick = timing.note(event.tick);
        match event.status() & 0xf0 {
            0x80 | 0x90 => {
                if moved[place].is_some() {
                    *note = moved[place];
                } else if strays && !paired[place] && event.note(file).is_some_and(|one| one.ends()) {
                    let after = note.map_or(tick, |before| before.with_end(tick).max(before.off));
                    let (tick, moved) = sounding.outside(key, after);
                    let rank = if moved || tick != timing.note(event.tick) { rank::OFF } else { rank::AS_IT_STOOD };
                    out[place] = Outgoing { tick, rank, ..out[place] };
                }
            }
            0xa0 => {
                let Some(inside) = note.filter(|one| (one.from..=one.ended).contains(&tick)) else { continue };
                if inside.from != inside.on || inside.ended != inside.off {
                    let tick = inside.with_start(tick).clamp(inside.on, inside.off - 1);
                    out[place] = Outgoing { tick, rank: rank::BEHIND, ..out[place] };
                }
            }
            _ => {}
        }
    }
}

/// The pedal's positions go with the hat that comes next, and stay between it and the one before.
fn pedal(
    out: &mut [Outgoing],
    file: &[u8],
    events: &[Event],
    part: &SongPart,
    moved: &[Option<Moved>],
    is_own: &impl Fn(&Event) -> bool,
) {
    let map = Kit::general_midi().lookup_families();
    let is_hat = |key: u8| map.get(usize::from(key)).copied().flatten() == Some(Family::Hat);
    let hats = part.part.hits().iter().any(|hit| is_hat(hit.note.get()));
    let mut next: Option<Moved> = None;
    // From the back: of each position the next hat is known then; the one before is looked at afterwards.
    let mut positions: Vec<(usize, Moved)> = Vec::new();
    for (place, event) in events.iter().enumerate().rev().filter(|(_, event)| is_own(event)) {
        let [first, _] = event.data(file);
        match event.status() & 0xf0 {
            0x90 if !hats || is_hat(first) => next = moved[place].or(next),
            0xb0 if first == HAT_PEDAL => positions.extend(next.map(|hat| (place, hat))),
            _ => {}
        }
    }
    let mut before: Option<Moved> = None;
    let mut places = 0..events.len();
    for (place, hat) in positions.into_iter().rev() {
        for earlier in places.by_ref().take_while(|&earlier| earlier < place) {
            before = moved[earlier].or(before);
        }
        if hat.from == hat.on && before.is_none_or(|one| one.from == one.on) {
            continue;
        }
        let least = before.map_or(0, |one| one.on);
        let tick = hat.with_start(out[place].tick).clamp(least.min(hat.on), hat.on);
        let rank =
            if before.is_some_and(|one| one.on == tick && tick < hat.on) { rank::BEHIND } else { rank::AS_IT_STOOD };
        out[place] = Outgoing { tick, rank, ..out[place] };
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
