//! Hits and parts as they came in.

pub use crate::base::ids::HitId;
use crate::base::units::{Channel, Note, Ticks, Velocity};
use serde::{Deserialize, Serialize};

/// One note as written.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Hit {
    /// Stable for the life of a take.
    pub id: HitId,
    /// Onset, whole ticks from the start of the song, never negative.
    pub tick: Ticks,
    /// Up to the note-off, at least 1.
    pub length: Ticks,
    /// How hard it is struck.
    pub velocity: Velocity,
    /// The note-off's velocity, 0 to 127, kept as it came.
    pub release: u8,
    /// Which key.
    pub note: Note,
    /// On which channel.
    pub channel: Channel,
}

/// One track's hits in order of (tick, id): the Written reading. Nothing changes it.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Part {
    pub(crate) hits: Vec<Hit>,
}

impl Part {
    /// A part of these hits, put in order.
    pub fn new(mut hits: Vec<Hit>) -> Part {
        hits.sort_by(|a, b| a.tick.0.total_cmp(&b.tick.0).then(a.id.cmp(&b.id)));
        Part { hits }
    }

    /// The hits in order of (tick, id).
    pub fn hits(&self) -> &[Hit] {
        &self.hits
    }

    /// Where the last hit ends, or 0.
    pub fn end(&self) -> Ticks {
        Ticks(self.hits.iter().map(|hit| hit.tick.0 + hit.length.0).fold(0.0, f64::max))
    }
}
