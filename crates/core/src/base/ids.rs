//! Names of things, which stay what they are for good.

use serde::{Deserialize, Serialize};
use std::fmt;
use ts_rs::TS;

/// Names an instrument within a kit and across kits: `closed-hat`, `snare`.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "string")]
pub struct InstrumentId(String);

impl InstrumentId {
    /// An id from its text.
    pub fn new(id: impl Into<String>) -> InstrumentId {
        InstrumentId(id.into())
    }

    /// The text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for InstrumentId {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(&self.0)
    }
}

/// Names a pocket for ever.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct PocketId(pub u32);

/// Names a pass within its recipe; dice hang on it, so it stays when passes are reordered.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct PassId(pub u32);

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

/// Bits that hang on all of these bits, and look like none of them.
pub(crate) fn mix(mut bits: u64) -> u64 {
    bits = bits.wrapping_add(0x9e37_79b9_7f4a_7c15);
    bits = (bits ^ (bits >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    bits = (bits ^ (bits >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    bits ^ (bits >> 31)
}
