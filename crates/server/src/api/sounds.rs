//! Recorded loops.

use super::PerformRequest;
use serde::{Deserialize, Serialize};
use ts_rs::TS;
use vivida_audio::{Depth, Format, Proposal, Sensitivity};
use vivida_core::{AudioSource, BarRange, Family, InstrumentId};
use vivida_store::{PartId, SongId};

/// A file of sound that was brought in.
#[derive(Clone, Debug, Serialize, TS)]
pub struct SoundDetail {
    /// Names it for ever: the SHA-256 of its bytes.
    pub sound: String,
    pub name: String,
    pub format: Format,
    /// Samples a second, as the file has them.
    pub rate: u32,
    pub bits: Option<u32>,
    /// 1 or 2.
    pub channels: u32,
    /// At 44 100 a second.
    #[ts(type = "number")]
    pub frames: usize,
    pub seconds: f64,
    /// Where the loop may begin, in s.
    pub begins: f64,
    /// Sentences: what was amiss and how it was mended.
    pub said: Vec<String>,
    /// What it may be, the likeliest first.
    pub proposals: Vec<Proposal>,
    pub onsets: OnsetColumns,
}

/// The onsets of a sound, in columns.
#[derive(Clone, Debug, Default, Serialize, TS)]
pub struct OnsetColumns {
    /// In s.
    pub seconds: Vec<f64>,
    /// 0 to 1.
    pub strengths: Vec<f32>,
    pub velocities: Vec<u8>,
    pub families: Vec<Family>,
}

/// A sound as it is drawn.
#[derive(Clone, Debug, Default, Serialize, TS)]
pub struct PeakColumns {
    /// How long each stretch is, in s.
    pub step: f64,
    /// The lowest and highest sample of each stretch, as shares of full scale.
    pub low: Vec<f32>,
    pub high: Vec<f32>,
}

/// A recorded loop for a song: what a person says that it is.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct LoopRequest {
    /// A file that was brought in.
    pub sound: String,
    /// What the song or the part is called.
    pub name: String,
    /// What the file was called.
    pub file_name: String,
    /// How many bars it lasts.
    pub bars: u32,
    /// Quarter notes a bar; what is laid into a song goes by the song's metre.
    #[serde(default)]
    #[ts(optional)]
    pub beats: Option<u32>,
    #[serde(default)]
    #[ts(optional, type = "number")]
    pub sensitivity: Sensitivity,
    /// Where in the file the loop begins and ends, in s; the whole of it without them.
    #[serde(default)]
    #[ts(optional)]
    pub from: Option<f64>,
    #[serde(default)]
    #[ts(optional)]
    pub to: Option<f64>,
    /// The song that it is laid into, and its revision; nothing begins one of its own.
    #[serde(default)]
    #[ts(optional)]
    pub song: Option<SongId>,
    #[serde(default)]
    #[ts(optional, type = "number")]
    pub revision: Option<i64>,
}

/// What came of a loop.
#[derive(Clone, Debug, Serialize, TS)]
pub struct LaidLoop {
    pub song: SongId,
    pub part: PartId,
}

/// Onsets found anew, in the place of all that a part is cut at.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct OnsetsRequest {
    #[ts(type = "number")]
    pub revision: i64,
    #[ts(type = "number")]
    pub sensitivity: Sensitivity,
}

/// The recorded loop that a part is.
#[derive(Clone, Debug, Serialize, TS)]
pub struct PartAudio {
    pub source: AudioSource,
    /// The tempo at which it sounds as it was recorded.
    pub bpm: f64,
    /// 1 or 2.
    pub channels: u32,
    /// Its file is gone from the data folder.
    pub missing: bool,
}

/// How a stretch of a part that is a recorded loop sounds.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct HearRequest {
    /// The passes; nothing is as it was written.
    #[ts(optional)]
    pub played: Option<PerformRequest>,
    /// In frames of 44 100 a second from the song's beginning, at the speed.
    #[ts(type = "number")]
    pub from: i64,
    #[ts(type = "number")]
    pub frames: u32,
    /// How much faster than the song it goes.
    pub speed: f64,
    /// The bars that go round.
    #[serde(default)]
    #[ts(optional)]
    pub round: Option<BarRange>,
    /// Instruments that are not heard.
    #[serde(default)]
    #[ts(optional, as = "Option<Vec<InstrumentId>>")]
    pub without: Vec<InstrumentId>,
}

/// How a loop is written.
#[derive(Clone, Copy, Debug, Default)]
pub struct LoopFile {
    pub depth: Depth,
    /// As it was written, without passes.
    pub written: bool,
    pub bars: Option<BarRange>,
}
