//! From what devices send to hits.

pub(crate) mod live_touch;
pub(crate) mod recording;
