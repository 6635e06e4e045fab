//! Findings, and how far parts are apart.

use serde::Serialize;
use ts_rs::TS;
use vivida_core::{Apart, Cure, Finding, Measured, TouchProfile};

/// A finding with what mends it.
#[derive(Clone, Debug, Serialize, TS)]
pub struct FindingCard {
    #[serde(flatten)]
    #[ts(flatten)]
    pub finding: Finding,
    /// Tried: each makes the finding vanish and brings no worse one.
    pub cures: Vec<Cure>,
}

/// A part beside another that it may learn from.
#[derive(Clone, Debug, Serialize, TS)]
pub struct StudyDetail {
    /// What the other part is called.
    pub name: String,
    /// Drum by drum.
    pub apart: Vec<Apart>,
    /// The touch of the other part, for Match.
    pub touch: TouchProfile,
    /// The other part as it is played, in the rows of this one.
    pub reading: Measured,
}
