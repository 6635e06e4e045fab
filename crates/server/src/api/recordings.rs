//! Recording: what devices sent, and what becomes of it.

use serde::{Deserialize, Serialize};
use serde_json::Value;
use ts_rs::TS;
use vivida_core::{Laying, Recipe, Recording, RoundFigures};
use vivida_store::RecordingId;

/// A recording begins.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct BeginRecording {
    /// Names the window that records, 1 to 64 letters: while its pieces come, no other one records into the part.
    pub client: String,
}

/// A piece of a recording, about a second of it.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct RecordingPiece {
    /// From 0; one that came already stays as it is.
    pub number: u32,
    /// What was added; its devices are all that there are by now.
    pub piece: Recording,
    /// Nothing comes after it.
    #[serde(default)]
    pub last: bool,
}

/// A recording of a part.
#[derive(Clone, Debug, Serialize, TS)]
pub struct RecordingCard {
    pub id: RecordingId,
    /// When it began, in UTC.
    pub when: String,
    /// It goes on in a window.
    pub open: bool,
    /// It was laid into the part.
    pub kept: bool,
    /// The rounds in which something was struck.
    pub rounds: Vec<RoundFigures>,
    /// The steadiest of them.
    pub steadiest: Option<u32>,
    /// What of it cannot be read.
    pub damage: Option<String>,
}

/// What was struck in a recording, by rounds.
#[derive(Clone, Debug, Serialize, TS)]
pub struct RecordedRounds {
    pub rounds: Vec<RoundColumns>,
}

/// What was struck in one round.
#[derive(Clone, Debug, Default, Serialize, TS)]
pub struct RoundColumns {
    /// From 0.
    pub round: u32,
    pub ticks: Vec<f64>,
    pub velocities: Vec<u8>,
    pub notes: Vec<u8>,
    /// The place of each hit's instrument in the part's kit.
    pub instruments: Vec<Option<u16>>,
}

/// How a recording is laid into its part: one step.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct KeepRecording {
    #[ts(type = "number")]
    pub revision: i64,
    #[serde(default)]
    #[ts(optional, as = "Option<Laying>")]
    pub laying: Laying,
}

/// Strokes along with a click.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct LatencyRequest {
    /// What one device sent.
    pub recording: Recording,
    /// When clicks were heard, on the audio clock in s; at most 10 000.
    pub clicks: Vec<f64>,
}

/// By which passes strokes are heard.
#[derive(Clone, Debug, Default, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct LiveRequest {
    /// Those of the part without it.
    #[ts(optional, as = "Option<Recipe>")]
    pub recipe: Option<Value>,
}
