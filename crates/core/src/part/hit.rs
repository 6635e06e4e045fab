//! Hits and parts as they came in.

use crate::base::units::{Channel, Note, Ticks, Velocity};
use crate::perform::dice::mix;
use crate::recipe::PassId;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Names a hit for the life of a take: below 2^53, so that every language counts it exactly.
///
/// Written hits count from 0; hits that were added by hand from 2^30 on; what passes make from
/// another hit has an id of 2^52 and above ([`HitId::made`]).
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(try_from = "u64", into = "u64")]
#[ts(type = "number")]
pub struct HitId(u64);

impl HitId {
    /// The highest id, 2^53 − 1.
    pub const MAX: HitId = HitId((1 << 53) - 1);
    /// Where the ids of hits begin that were added by hand.
    pub const FIRST_BY_HAND: HitId = HitId(1 << 30);
    /// Where the ids of hits begin that passes make from others.
    pub const FIRST_MADE: HitId = HitId(1 << 52);

    /// The id of a written hit, or of one that was added by hand.
    pub const fn new(id: u32) -> HitId {
        HitId(id as u64)
    }

    /// The id of the `ordinal`-th hit that a pass makes from `parent`: a function of these three alone.
    ///
    /// ```
    /// use vivida_core::{HitId, PassId};
    /// let ghost = HitId::made(PassId(3), HitId::new(7), 0);
    /// assert_eq!(ghost, HitId::made(PassId(3), HitId::new(7), 0));
    /// assert!(ghost != HitId::made(PassId(3), HitId::new(7), 1) && ghost >= HitId::FIRST_MADE);
    /// ```
    pub fn made(pass: PassId, parent: HitId, ordinal: u32) -> HitId {
        let bits = mix(mix(u64::from(pass.0) << 32 | u64::from(ordinal)) ^ parent.0);
        HitId(HitId::FIRST_MADE.0 | bits >> 12)
    }

    /// The number.
    pub const fn get(self) -> u64 {
        self.0
    }
}

impl TryFrom<u64> for HitId {
    type Error = String;
    fn try_from(value: u64) -> Result<HitId, String> {
        let id = HitId(value);
        if id <= HitId::MAX { Ok(id) } else { Err(format!("hit {value} is above {}", HitId::MAX.0)) }
    }
}

impl From<HitId> for u64 {
    fn from(id: HitId) -> u64 {
        id.0
    }
}

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
