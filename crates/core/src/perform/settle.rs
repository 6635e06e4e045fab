//! The last step of every performance: whole ticks, nothing before the start, hits of one voice in
//! order, and those of one note not overlapping.

use crate::base::units::{Ticks, whole};
use crate::kit::chart::{KEYS, MOST_INSTRUMENTS};

/// Where the passes want a hit.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Draft {
    /// Its place in the written order, in ticks.
    pub stands: f64,
    /// How long it was written.
    pub first_length: f64,
    /// Hits that share it may not sound at once: [`key`] of note and channel.
    pub key: u16,
    /// Hits that share it may not swap: the key, or [`choking`] where strokes choke each other.
    pub voice: u16,
    pub onset: f64,
    pub length: f64,
    /// It was made or plays another note than was written: it makes room for what was there.
    pub is_new: bool,
}

/// A hit on its way to its final place.
struct Settling {
    tick: f64,
    length: f64,
    key: u16,
    voice: u16,
    moved: bool,
    changed: bool,
    /// How far it must stay behind the one before it of its voice: 1 tick, or 0 where they stood at one tick.
    gap: f64,
}

/// The final (tick, length) of each hit.
///
/// Hits of one voice keep their written order. A hit that no pass moved stays where it is, whatever
/// its neighbours do: moved ones stop one tick short of it. Where a hit would still sound when the
/// next one of its note begins it is cut there, unless they were written so and neither was moved.
pub(crate) fn settle(hits: impl Iterator<Item = Draft>, start: Ticks) -> Vec<(f64, f64)> {
    let mut rows: Vec<Settling> = Vec::with_capacity(hits.size_hint().0);
    // Of each voice where the hit before stood and where it has come to lie.
    let mut before = vec![(f64::NEG_INFINITY, f64::NEG_INFINITY); KEYS + MOST_INSTRUMENTS];
    for draft in hits {
        let mut tick = whole(draft.onset).max(start.0);
        let length = whole(draft.length).max(1.0);
        let moved = draft.is_new || tick != draft.stands;
        // In whole ticks as the hits that stay are, so that there is always room between those.
        let stood = whole(draft.stands).max(start.0);
        let (before, settled) = &mut before[usize::from(draft.voice)];
        let gap = (stood - *before).min(1.0);
        if moved {
            tick = tick.max(*settled + gap);
        }
        (*before, *settled) = (stood, tick);
        let changed = moved || length != draft.first_length;
        rows.push(Settling { tick, length, key: draft.key, voice: draft.voice, moved, changed, gap });
    }
    // Backwards: of each voice where the next hit begins and its gap, of each key where it begins and whether
    // it was moved.
    let mut after = vec![(f64::INFINITY, 1.0); KEYS + MOST_INSTRUMENTS];
    let mut ends = vec![(f64::INFINITY, false); KEYS];
    for row in rows.iter_mut().rev() {
        let next = &mut after[usize::from(row.voice)];
        if row.moved {
            row.tick = row.tick.min(next.0 - next.1);
        }
        *next = (row.tick, row.gap);
        let end = &mut ends[usize::from(row.key)];
        if row.changed || end.1 {
            row.length = row.length.min((end.0 - row.tick).max(1.0));
        }
        *end = (row.tick, row.moved);
    }
    rows.into_iter().map(|row| (row.tick, row.length)).collect()
}
