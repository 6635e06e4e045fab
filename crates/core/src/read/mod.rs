//! What is read of a part, Written and Played: figures, portraits, findings, comparisons, and where to begin.

pub(crate) mod aim_rule;
pub(crate) mod findings;
pub(crate) mod movement;
pub(crate) mod played_lines;
pub(crate) mod report;
pub(crate) mod starting_points;
pub(crate) mod steadiness;
pub(crate) mod study;
pub(crate) mod touch_with_room;
pub(crate) mod treatment;
