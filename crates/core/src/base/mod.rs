//! What everything stands on: units that cannot be wrong, statistics, what of a hit can be shaped, and words for what is wrong.

pub(crate) mod field_error;
pub(crate) mod ids;
pub(crate) mod property;
pub(crate) mod refused;
pub mod stats;
pub(crate) mod steps;
pub(crate) mod units;
