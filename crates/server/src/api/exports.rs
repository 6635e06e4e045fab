//! Taking songs away.

use serde::{Deserialize, Serialize};
use ts_rs::TS;
use vivida_store::SongId;

/// What an export would round away or hold back.
#[derive(Clone, Debug, Serialize, TS)]
pub struct ExportInfo {
    pub file_ppq: u32,
    pub fine_ppq: u32,
    /// By how much writing in the file's own ppq moves a hit at most, in ms.
    pub rounding: f64,
    /// Hits that want to be before the start and are held there without a lead-in bar.
    pub held_at_start: u32,
    /// The file counts in frames and keeps doing so.
    pub smpte: bool,
}

/// A WAV file to be made.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct NewRender {
    pub song: SongId,
    /// As it was written; else as it is played.
    #[serde(default)]
    #[ts(optional, as = "Option<bool>")]
    pub written: bool,
}

/// A WAV file that is being made.
#[derive(Clone, Debug, Serialize, TS)]
pub struct RenderState {
    pub id: u32,
    /// 0 to 1.
    pub done: f64,
    /// It can be fetched.
    pub ready: bool,
    /// Why it could not be made.
    pub failed: Option<String>,
}
