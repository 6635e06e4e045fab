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

struct Settling {
    tick: f64,
    length: f64,
    moved: bool,
    changed: bool,
    /// The next hit of the same note and channel, in written order.
    next: u32,
    /// How far it must stay from that one: 1 tick, or 0 where they were written at one tick.
    gap: f64,
}

const NONE: u32 = u32::MAX;

/// The final (tick, length) of each hit.
///
/// Hits of one note keep their written order. A hit that no pass moved stays where it is, whatever
/// its neighbours do: moved ones stop one tick short of it. Where a hit would still sound when the
/// next one of its note begins it is cut there, unless they were written so and neither was moved.
pub(crate) fn settle(hits: impl Iterator<Item = (Hit, Draft)>, start: Ticks) -> Vec<(f64, f64)> {
    let mut rows: Vec<Settling> = Vec::with_capacity(hits.size_hint().0);
    // Of each key the row that was last seen, and where it was written.
    let mut last = vec![(NONE, 0.0); 128 * 16];
    for (hit, draft) in hits {
        let row = rows.len() as u32;
        let tick = whole(draft.onset).max(start.0);
        let length = whole(draft.length).max(1.0);
        let moved = draft.is_new || tick != hit.tick.0;
        rows.push(Settling { tick, length, moved, changed: moved || length != hit.length.0, next: NONE, gap: 0.0 });
        let key = usize::from(hit.note.get()) * 16 + usize::from(hit.channel.get());
        let (previous, written) = std::mem::replace(&mut last[key], (row, hit.tick.0));
        if previous != NONE {
            let previous = &mut rows[previous as usize];
            previous.next = row;
            previous.gap = (hit.tick.0 - written).min(1.0);
        }
    }

    for row in 0..rows.len() {
        let (next, earliest) = (rows[row].next, rows[row].tick + rows[row].gap);
        if next == NONE {
            continue;
        }
        let next = &mut rows[next as usize];
        if next.moved && next.tick < earliest {
            next.tick = earliest;
        }
    }
    for row in (0..rows.len()).rev() {
        if rows[row].next == NONE {
            continue;
        }
        let next = rows[row].next as usize;
        let latest = rows[next].tick - rows[row].gap;
        if rows[row].moved && rows[row].tick > latest {
            rows[row].tick = latest;
        }
        if rows[row].changed || rows[next].moved {
            let room = (rows[next].tick - rows[row].tick).max(1.0);
            rows[row].length = rows[row].length.min(room);
        }
    }
    rows.into_iter().map(|row| (row.tick, row.length)).collect()
}
