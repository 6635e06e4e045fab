//! The last step of every performance: whole ticks, nothing before the start, hits of one note in
//! order and not overlapping.

use crate::units::{Channel, Note, Ticks, whole};

/// Where the passes want a hit.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Draft {
    /// Its place in the written order, in ticks.
    pub stands: f64,
    /// How long it was written.
    pub first_length: f64,
    /// Hits that share it may neither swap nor sound at once: [`key`] of note and channel.
    pub key: u16,
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
    moved: bool,
    changed: bool,
    /// How far it must stay behind the one before it of its key: 1 tick, or 0 where they were
    /// written at one tick.
    gap: f64,
}

const KEYS: usize = 128 * 16;

/// What a note on a channel goes by.
pub(crate) fn key(note: Note, channel: Channel) -> u16 {
    u16::from(note.get()) * 16 + u16::from(channel.get())
}

/// The final (tick, length) of each hit.
///
/// Hits of one note keep their written order. A hit that no pass moved stays where it is, whatever
/// its neighbours do: moved ones stop one tick short of it. Where a hit would still sound when the
/// next one of its note begins it is cut there, unless they were written so and neither was moved.
pub(crate) fn settle(hits: impl Iterator<Item = Draft>, start: Ticks) -> Vec<(f64, f64)> {
    let mut rows: Vec<Settling> = Vec::with_capacity(hits.size_hint().0);
    // Of each key where the hit before was written and where it has come to lie.
    let mut before = vec![(f64::NEG_INFINITY, f64::NEG_INFINITY); KEYS];
    for draft in hits {
        let mut tick = whole(draft.onset).max(start.0);
        let length = whole(draft.length).max(1.0);
        let moved = draft.is_new || tick != draft.stands;
        let (written, settled) = &mut before[usize::from(draft.key)];
        let gap = (draft.stands - *written).min(1.0);
        if moved {
            tick = tick.max(*settled + gap);
        }
        (*written, *settled) = (draft.stands, tick);
        let changed = moved || length != draft.first_length;
        rows.push(Settling { tick, length, key: draft.key, moved, changed, gap });
    }
    // Backwards: of each key where the next hit begins, whether it was moved and its gap.
    let mut after = vec![(f64::INFINITY, false, 1.0); KEYS];
    for row in rows.iter_mut().rev() {
        let next = &mut after[usize::from(row.key)];
        if row.moved {
            row.tick = row.tick.min(next.0 - next.2);
        }
        if row.changed || next.1 {
            row.length = row.length.min((next.0 - row.tick).max(1.0));
        }
        *next = (row.tick, row.moved, row.gap);
    }
    rows.into_iter().map(|row| (row.tick, row.length)).collect()
}
