//! The last step of every performance: whole ticks, nothing before the start, hits of one note in
//! order and not overlapping.

use crate::hit::Hit;
use crate::units::{Ticks, whole};

/// Where the passes want a hit.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Draft {
    pub onset: f64,
    pub length: f64,
    /// It was added or plays another note than was written: it makes room for what was there.
    pub is_new: bool,
}

/// A hit on its way to its final place.
struct Settling {
    tick: f64,
    length: f64,
    /// Its note and channel: hits that share it may neither swap nor sound at once.
    key: u16,
    moved: bool,
    changed: bool,
    /// How far it must stay behind the one before it of its key: 1 tick, or 0 where they were
    /// written at one tick.
    gap: f64,
}

const KEYS: usize = 128 * 16;

/// The final (tick, length) of each hit.
///
/// Hits of one note keep their written order. A hit that no pass moved stays where it is, whatever
/// its neighbours do: moved ones stop one tick short of it. Where a hit would still sound when the
/// next one of its note begins it is cut there, unless they were written so and neither was moved.
pub(crate) fn settle(hits: impl Iterator<Item = (Hit, Draft)>, start: Ticks) -> Vec<(f64, f64)> {
    let mut rows: Vec<Settling> = Vec::with_capacity(hits.size_hint().0);
    // Of each key where the hit before was written and where it has come to lie.
    let mut before = vec![(f64::NEG_INFINITY, f64::NEG_INFINITY); KEYS];
    for (hit, draft) in hits {
        let mut tick = whole(draft.onset).max(start.0);
        let length = whole(draft.length).max(1.0);
        let moved = draft.is_new || tick != hit.tick.0;
        let key = u16::from(hit.note.get()) * 16 + u16::from(hit.channel.get());
        let (written, settled) = &mut before[usize::from(key)];
        let gap = (hit.tick.0 - *written).min(1.0);
        if moved {
            tick = tick.max(*settled + gap);
        }
        (*written, *settled) = (hit.tick.0, tick);
        let changed = moved || length != hit.length.0;
        rows.push(Settling { tick, length, key, moved, changed, gap });
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
