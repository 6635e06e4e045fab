//! Parts and takes.

use crate::api::{BarColumns, LaneColumns, LineColumns, MovementColumn, PartAudio, PartKit, PerformanceColumns};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use ts_rs::TS;
use vivida_core::{
    BarRange, Channel, Drawing, Gesture, Grid, HitId, InstrumentId, Kit, LayerBounds, LinesSetting, Measured, Note,
    Recipe, Ticks,
};
use vivida_sound::KitSounds;
use vivida_store::{History, PartId, SongId, TakeId};

/// The lines of a drum, to be drawn.
#[derive(Clone, Debug, Serialize, TS)]
pub struct DrumLines {
    /// In ticks; none where they are too many.
    pub lines: Vec<f64>,
}

/// A part in the workspace.
#[derive(Clone, Debug, Serialize, TS)]
pub struct PartDetail {
    pub state: PartState,
    /// 0 to 15.
    pub channel: Channel,
    pub kit: Kit,
    /// So many of its instruments are offered. Those behind stand for notes that neither the kit nor the part has, and
    /// that passes may lead to.
    pub listed: usize,
    /// How it sounds.
    pub sounds: KitSounds,
    /// The recorded loop that it is.
    pub audio: Option<PartAudio>,
    /// The grid that offsets are measured against, and the distance between two of its lines.
    pub grid: Grid,
    pub cell: Ticks,
    pub written: WrittenColumns,
    /// The Written reading, measured.
    pub reading: Measured,
    /// The take as it is kept, played.
    pub performance: PerformanceColumns,
}

/// What can change of a part.
#[derive(Clone, Debug, Serialize, TS)]
pub struct PartState {
    pub id: PartId,
    pub song: SongId,
    pub revision: i32,
    pub name: String,
    pub drums: bool,
    pub muted: bool,
    /// Where the layers of its kit begin, where they are its own.
    pub layers: Option<LayerBounds>,
    /// The kit that it is read by; nothing where that is the General MIDI map.
    pub kit: Option<PartKit>,
    /// The lines that its timing is measured against, where they were chosen.
    pub lines: LinesSetting,
    /// The take that is worked on.
    pub take: TakeId,
    pub takes: Vec<TakeCard>,
    pub recipe: Recipe,
    pub variation: u32,
    /// Names its Written, as a performance names the one that it is of.
    pub source: String,
    /// It was begun here: what is drawn in it changes its Written.
    pub drawn: bool,
    /// What of it cannot be read, and why.
    pub damage: Option<String>,
    pub history: History,
}

/// A take of a part.
#[derive(Clone, Debug, Serialize, TS)]
pub struct TakeCard {
    pub id: TakeId,
    pub name: String,
    /// Its Written was printed; else it is as the file has it.
    pub is_print: bool,
    pub passes: u32,
    /// Why its passes cannot be read; it is played as it was written until it has others.
    pub damage: Option<String>,
}

/// The hits of a take that sound, in the order of time, and their figures.
#[derive(Clone, Debug, Serialize, TS)]
pub struct TakeColumns {
    pub ticks: Vec<f64>,
    /// The grid line nearest to each, in ticks.
    pub lines: Vec<f64>,
    pub seconds: Vec<f64>,
    /// In seconds.
    pub lengths: Vec<f64>,
    pub velocities: Vec<u8>,
    pub notes: Vec<u8>,
    /// The same as they are heard: the hat's pedal opens and closes it.
    pub heard: Vec<u8>,
    /// The place of each hit's instrument in the kit of the take that is worked on.
    pub instruments: Vec<Option<u16>>,
    /// How hits move; of the properties in which any does.
    pub movement: Vec<MovementColumn>,
    pub lanes: Vec<LaneColumns>,
    pub reading: Measured,
}

/// A part cut up by its instruments.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct SplitRequest {
    #[ts(type = "number")]
    pub revision: i64,
    /// The instruments of each new part; what is in none of them becomes one more.
    pub groups: Vec<Vec<InstrumentId>>,
}

/// Parts of a song put together.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct JoinRequest {
    /// At least two, in the order in which their passes go.
    pub parts: Vec<PartToJoin>,
    /// What the new part is called.
    pub name: String,
}

/// One of the parts that are put together.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct PartToJoin {
    pub id: PartId,
    #[ts(type = "number")]
    pub revision: i64,
}

/// What came of splitting or joining. The parts that were split or joined are muted and stay.
#[derive(Clone, Debug, Serialize, TS)]
pub struct RegroupedParts {
    /// The new parts.
    pub parts: Vec<PartId>,
    /// Sentences on passes that did not go along, or mean something else now.
    pub said: Vec<String>,
    pub history: History,
}

/// A recipe as far as it fits a part.
#[derive(Clone, Debug, Serialize, TS)]
pub struct Fitted {
    pub recipe: Recipe,
    /// Sentences on what does not fit.
    pub said: Vec<String>,
}

/// What became of passes that were copied to another part.
#[derive(Clone, Debug, Serialize, TS)]
pub struct Received {
    /// So many were added.
    pub added: u32,
    /// Sentences on what does not fit.
    pub said: Vec<String>,
    pub history: History,
}

/// The written hits, in columns.
#[derive(Clone, Debug, Default, Serialize, TS)]
pub struct WrittenColumns {
    pub ids: Vec<HitId>,
    /// Grace notes, each with the hit that it belongs to, by their places in the columns.
    pub graces: Vec<(u32, u32)>,
    pub ticks: Vec<f64>,
    pub velocities: Vec<u8>,
    pub notes: Vec<u8>,
    /// The place of each hit's instrument in the kit.
    pub instruments: Vec<Option<u16>>,
    /// The place of each hit's stroke among those of its instrument; nothing where it is none of them.
    pub strokes: Vec<Option<u16>>,
    pub seconds: Vec<f64>,
    pub lengths: Vec<f64>,
    /// The grid line that each hit is meant for.
    pub lines: LineColumns,
    pub bars: BarColumns,
    /// The lines around the hits.
    pub lanes: Vec<LaneColumns>,
    /// How far a full bend goes, in cents.
    pub bend_range: f64,
    /// The hits of a hat that are heard by another note, because the pedal is elsewhere.
    #[ts(type = "[number, number][]")]
    pub by_pedal: Vec<(HitId, Note)>,
}

/// A change to a part; what is absent stays.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct PartChangeRequest {
    /// Names the change among those of this part, in at most 100 characters: one that arrives twice is made once.
    #[ts(optional)]
    pub key: Option<String>,
    #[ts(type = "number")]
    pub revision: i64,
    /// What undo calls it.
    pub label: String,
    /// Other passes for the take.
    #[ts(optional, type = "Recipe")]
    pub recipe: Option<Value>,
    /// What is done to these passes, or to those that are kept, one on top of the other.
    #[serde(default)]
    #[ts(optional, as = "Option<Vec<Gesture>>")]
    pub gestures: Vec<Gesture>,
    #[ts(optional)]
    pub variation: Option<u32>,
    #[ts(optional)]
    pub drums: Option<bool>,
    #[ts(optional)]
    pub name: Option<String>,
    #[ts(optional)]
    pub muted: Option<bool>,
    #[ts(optional)]
    pub take: Option<TakeId>,
    #[ts(optional)]
    pub layers: Option<LayerBounds>,
    /// True: the layers of every song hold for this part again.
    #[ts(optional)]
    pub shared_layers: Option<bool>,
    /// Other lines to measure against, of all drums.
    #[ts(optional)]
    pub lines: Option<LinesSetting>,
}

/// A name for something of a part.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Named {
    #[ts(type = "number")]
    pub revision: i64,
    pub name: String,
}

/// A take to be printed.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct PrintRequest {
    #[ts(type = "number")]
    pub revision: i64,
    pub name: String,
    /// Rounds of some bars, one behind the other; without it all that is played, once.
    #[serde(default)]
    #[ts(optional)]
    pub rounds: Option<RoundsToPrint>,
}

/// How often some bars are printed, each round with its own dice.
#[derive(Clone, Copy, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct RoundsToPrint {
    pub bars: BarRange,
    /// 1 to 64.
    pub count: u32,
}

/// Passes for a part.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct FitRequest {
    #[ts(type = "Recipe")]
    pub recipe: Value,
}

/// Strokes of the pencil in a part that was begun here.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct WriteRequest {
    /// Names the change among those of this part, in at most 100 characters: one that arrives twice is made once.
    #[ts(optional)]
    pub key: Option<String>,
    #[ts(type = "number")]
    pub revision: i64,
    /// What the step is called.
    pub label: String,
    pub drawings: Vec<Drawing>,
}
