//! Taking songs away.

use serde::{Deserialize, Serialize};
use ts_rs::TS;
use vivida_core::BarRange;
use vivida_store::{PartId, SongId};

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
    /// What comes of hits that move in pitch, place, level or brightness; nothing where none does.
    pub movement: Option<MovementInfo>,
}

/// What comes of hits that move in a MIDI file, in sentences; nothing where all of it comes through.
#[derive(Clone, Debug, Serialize, TS)]
pub struct MovementInfo {
    /// On the channels that they are on.
    pub own: Option<String>,
    /// With a channel for each instrument that moves.
    pub channels: Option<String>,
    /// With a channel for each hit in turn (MPE).
    pub mpe: Option<String>,
}

/// What of a song is taken away, and how it is laid out.
#[derive(Clone, Debug, Default, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
#[ts(optional_fields)]
pub struct Wanted {
    /// Only this part.
    pub part: Option<PartId>,
    /// Only these bars.
    pub bars: Option<BarRange>,
    /// A track or a file for each instrument.
    #[ts(as = "Option<bool>")]
    pub split: bool,
    /// Everything in one track.
    #[ts(as = "Option<bool>")]
    pub one_track: bool,
}

/// A WAV file to be made, or a zip file of several.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct NewRender {
    pub song: SongId,
    #[serde(default)]
    #[ts(optional, as = "Option<Wanted>")]
    pub wanted: Wanted,
    /// As it was written; else as it is played.
    #[serde(default)]
    #[ts(optional, as = "Option<bool>")]
    pub written: bool,
}

/// A WAV file that is being made.
#[derive(Clone, Debug, Serialize, TS)]
pub struct RenderState {
    pub id: u32,
    /// How many others are made before its turn comes.
    pub ahead: u32,
    /// 0 to 1.
    pub done: f64,
    /// It can be fetched.
    pub ready: bool,
    /// Why it could not be made.
    pub failed: Option<String>,
}
