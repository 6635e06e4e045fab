//! What travels: shapes of requests and answers, and their TypeScript.

#![allow(missing_docs)]

use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::HashMap;
use ts_rs::{Config, TS};
use vivida_core::{
    Action, ActionInfo, Aim, BarRange, Channel, Figures, Grid, InstrumentReading, Kit, Layers, Pass, PassId,
    PassReport, Portrait, Reading, Recipe, Section, Ticks,
};
use vivida_core::{GrooveProfile, GrooveReading, GrooveTake, InstrumentId, LaidHits, PocketId, PocketSettings};
use vivida_sound::{KitManifest, NoteSound, Voice, VoiceInfo};
use vivida_store::{GrooveId, History, PartId, RecipeId, SongId, TakeId};

/// A song on the shelf.
#[derive(Clone, Debug, Serialize, TS)]
pub struct SongCard {
    pub id: SongId,
    pub revision: i32,
    pub name: String,
    pub file_name: String,
    pub is_demo: bool,
    /// Beats a minute at the start; the beat of compound metres is dotted.
    pub bpm: f64,
    pub tempo_changes: bool,
    /// Every metre in order: 5/4, 7/8.
    pub metres: Vec<String>,
    pub bars: u32,
    pub seconds: f64,
    pub parts: Vec<PartCard>,
    pub picture: Option<Picture>,
    /// What was wrong with the file and how it was mended.
    pub mended: Vec<String>,
}

/// A part of a song on the shelf.
#[derive(Clone, Debug, Serialize, TS)]
pub struct PartCard {
    pub id: PartId,
    pub name: String,
    pub drums: bool,
    /// Neither heard nor exported.
    pub muted: bool,
    /// Made of a part of the file by duplicating it.
    pub is_second: bool,
    pub hits: u32,
    pub passes: u32,
}

/// The first drum part in small, and its two figures.
#[derive(Clone, Debug, Serialize, TS)]
pub struct Picture {
    /// Where in the shown bars, 0 to 1.
    pub places: Vec<f32>,
    /// Which row, from 0 at the top.
    pub rows: Vec<u8>,
    pub velocities: Vec<u8>,
    /// How many rows there are.
    pub row_count: u8,
    /// Shares (0 to 1), written and played.
    pub identical_neighbours: [f64; 2],
    pub on_grid: [f64; 2],
}

/// A song in the workspace.
#[derive(Clone, Debug, Serialize, TS)]
pub struct SongDetail {
    pub id: SongId,
    pub revision: i32,
    pub name: String,
    pub file_name: String,
    pub ppq: u32,
    pub file_ppq: u32,
    pub bpm: f64,
    /// Every metre and the bar that it begins with.
    pub metres: Vec<(u32, String)>,
    pub sections: Vec<Section>,
    pub bars: Bars,
    pub parts: Vec<PartCard>,
    pub mended: Vec<String>,
    pub history: History,
}

/// Bar lines and beats as columns.
#[derive(Clone, Debug, Default, Serialize, TS)]
pub struct Bars {
    /// Every bar line and the end of the last bar.
    pub ticks: Vec<f64>,
    /// The same in seconds.
    pub seconds: Vec<f64>,
    pub beat_ticks: Vec<f64>,
    pub beat_seconds: Vec<f64>,
    /// 1 on the first beat of a bar.
    pub downbeats: Vec<u8>,
}

/// A part in the workspace.
#[derive(Clone, Debug, Serialize, TS)]
pub struct PartDetail {
    pub state: PartState,
    /// 0 to 15.
    pub channel: Channel,
    pub kit: Kit,
    /// The grid that offsets are measured against, and the distance between two of its lines.
    pub grid: Grid,
    pub cell: Ticks,
    pub written: WrittenColumns,
    /// The Written reading, measured.
    pub reading: Reading,
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
    pub layers: Option<Layers>,
    /// The grid that its timing is measured against, where it was chosen.
    pub grid: Option<Grid>,
    /// The take that is worked on.
    pub take: TakeId,
    pub takes: Vec<TakeCard>,
    pub recipe: Recipe,
    pub variation: u32,
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
}

/// The hits of a take that sound, in the order of time, and their figures.
#[derive(Clone, Debug, Serialize, TS)]
pub struct TakeColumns {
    pub ticks: Vec<f64>,
    pub seconds: Vec<f64>,
    /// In seconds.
    pub lengths: Vec<f64>,
    pub velocities: Vec<u8>,
    pub notes: Vec<u8>,
    /// The place of each hit's instrument in the kit of the take that is worked on.
    pub instruments: Vec<u16>,
    pub reading: Reading,
}

/// A recipe of the library.
#[derive(Clone, Debug, Serialize, TS)]
pub struct RecipeCard {
    pub id: RecipeId,
    pub revision: i32,
    pub name: String,
    pub note: String,
    pub recipe: Recipe,
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
    pub ids: Vec<u32>,
    pub ticks: Vec<f64>,
    pub velocities: Vec<u8>,
    pub notes: Vec<u8>,
    /// The place of each hit's instrument in the kit.
    pub instruments: Vec<u16>,
    pub seconds: Vec<f64>,
    pub lengths: Vec<f64>,
    /// The tick of the grid line that each hit is meant for.
    pub grid_lines: Vec<f64>,
}

/// The played hits, in the order of the written ones and behind them those that were added, and
/// what is to be said of them.
#[derive(Clone, Debug, Serialize, TS)]
pub struct PerformanceColumns {
    /// Names the timing: where two performances agree in it, so do their timing columns.
    pub timing_key: String,
    /// Nothing where the request said that it has this timing.
    pub timing: Option<TimingColumns>,
    /// Names the velocities, likewise.
    pub touch_key: String,
    /// Nothing where the request said that it has them.
    pub velocities: Option<Vec<u8>>,
    /// The rows of hits that do not sound, and the pass that silenced each.
    pub silenced: Vec<(u32, PassId)>,
    /// The rows of hits that another instrument plays than was written: its place in the kit and
    /// the note.
    pub elsewhere: Vec<(u32, u16, u8)>,
    pub added: Vec<AddedHit>,
    pub passes: Vec<PassReport>,
    pub reading: Reading,
}

/// When the hits sound, by how much that is not as it was written: small whole numbers travel fast.
/// What was added counts from the start of the song.
#[derive(Clone, Debug, Default, Serialize, TS)]
pub struct TimingColumns {
    #[ts(type = "number[]")]
    pub ticks: Vec<i64>,
    /// In hundredths of a millisecond.
    #[ts(type = "number[]")]
    pub at: Vec<i64>,
    /// The rows of hits that do not last as long as they were written, and how long they do,
    /// likewise.
    #[ts(type = "[number, number][]")]
    pub lasts: Vec<(u32, i64)>,
}

/// A hit that is not in the written part.
#[derive(Clone, Debug, Serialize, TS)]
pub struct AddedHit {
    pub id: u32,
    /// Its instrument's place in the kit.
    pub instrument: u16,
    pub note: u8,
    /// The tick of the grid line that it is nearest to.
    pub grid_line: f64,
}

/// An action as it can be added.
#[derive(Clone, Debug, Serialize, TS)]
pub struct ActionOffer {
    pub info: ActionInfo,
    pub start: Action,
}

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

/// What undo or redo did.
#[derive(Clone, Debug, Serialize, TS)]
pub struct Travelled {
    /// The step, or nothing where there was none.
    pub label: Option<String>,
    pub parts: Vec<PartState>,
    pub history: History,
}

/// A change to a song on the shelf.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct SongChange {
    #[ts(type = "number")]
    pub revision: i64,
    pub name: String,
}

/// A change to a part; what is absent stays.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct PartChangeRequest {
    #[ts(type = "number")]
    pub revision: i64,
    /// What undo calls it.
    pub label: String,
    #[ts(optional, type = "Recipe")]
    pub recipe: Option<Value>,
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
    pub layers: Option<Layers>,
    /// True: the layers of every song hold for this part again.
    #[ts(optional)]
    pub shared_layers: Option<bool>,
    /// Another grid to measure against.
    #[ts(optional)]
    pub grid: Option<Grid>,
    /// True: the grid that fits best again.
    #[ts(optional)]
    pub fitting_grid: Option<bool>,
}

/// A name for something of a part.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Named {
    #[ts(type = "number")]
    pub revision: i64,
    pub name: String,
}

/// Other sections for a song.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct SectionsChange {
    #[ts(type = "number")]
    pub revision: i64,
    pub sections: Vec<Section>,
}

/// Passes for a part.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct FitRequest {
    #[ts(type = "Recipe")]
    pub recipe: Value,
}

/// Passes for the library.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct NewRecipe {
    pub name: String,
    #[serde(default)]
    pub note: String,
    #[ts(type = "Recipe")]
    pub recipe: Value,
}

/// Another name and note for a recipe.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct RecipeChange {
    #[ts(type = "number")]
    pub revision: i64,
    pub name: String,
    pub note: String,
}

/// A recipe to be played without keeping it.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct PerformRequest {
    #[ts(type = "Recipe")]
    pub recipe: Value,
    pub variation: u32,
    pub round: u32,
    /// Ask for the hits that this pass changes instead.
    #[ts(optional)]
    pub touched_by: Option<u32>,
    /// With `touched_by`: ask for the hits that it aims at, whether it changes them or not.
    #[serde(default)]
    #[ts(optional, as = "Option<bool>")]
    pub aimed: bool,
    /// The `timing_key` of the timing columns that are known already.
    #[serde(default)]
    #[ts(optional)]
    pub timing: Option<String>,
    /// The `touch_key` of the velocities that are known already.
    #[serde(default)]
    #[ts(optional)]
    pub touch: Option<String>,
    /// The settings of pockets that are being changed, in the place of those that are kept.
    #[serde(default)]
    #[ts(optional, as = "Option<HashMap<u32, PocketSettings>>")]
    pub pockets: HashMap<u32, Value>,
}

/// A pocket of a song.
#[derive(Clone, Debug, Serialize, TS)]
pub struct PocketCard {
    pub id: PocketId,
    pub revision: i32,
    pub name: String,
    pub settings: PocketSettings,
    pub followers: Vec<Follower>,
}

/// A pass that follows a pocket.
#[derive(Clone, Debug, Serialize, TS)]
pub struct Follower {
    pub part: PartId,
    pub part_name: String,
    pub pass: PassId,
    pub on: bool,
    /// %
    pub strength: f64,
    /// Empty: the whole part.
    pub instruments: Vec<InstrumentId>,
    /// The same for people.
    pub names: Vec<String>,
    /// Its aim asks for more than instruments.
    pub narrowed: bool,
}

/// The pockets of a song and what a change did to its parts.
#[derive(Clone, Debug, Serialize, TS)]
pub struct SongPockets {
    pub pockets: Vec<PocketCard>,
    pub parts: Vec<PartState>,
    pub history: History,
}

/// A pocket to be made.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct NewPocket {
    pub name: String,
    #[ts(optional, type = "PocketSettings")]
    pub settings: Option<Value>,
    #[serde(default)]
    #[ts(optional, as = "Option<Vec<Joining>>")]
    pub followers: Vec<Joining>,
}

/// Who follows a pocket from now on.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Joining {
    pub part: PartId,
    /// Empty: the whole part.
    #[serde(default)]
    pub instruments: Vec<InstrumentId>,
}

/// Another name or other settings for a pocket.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct PocketChange {
    #[ts(type = "number")]
    pub revision: i64,
    /// What undo calls it.
    pub label: String,
    pub name: String,
    #[ts(type = "PocketSettings")]
    pub settings: Value,
}

/// A change to one follower, wherever it is in the song.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct FollowerChange {
    pub part: PartId,
    /// The pass that follows; nothing for a new follower.
    #[ts(optional)]
    pub pass: Option<PassId>,
    pub change: Following,
}

/// What becomes of a follower.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "kebab-case", deny_unknown_fields)]
pub enum Following {
    /// It begins to follow: these instruments, or the whole part.
    Follow { instruments: Vec<InstrumentId> },
    /// It follows by so many %.
    Strength { strength: f64 },
    /// It pauses or goes on.
    Switch { on: bool },
    /// It keeps the settings as ordinary passes.
    Detach,
    /// It follows no more.
    Leave,
}

/// What new songs are usually given.
#[derive(Clone, Debug, Default, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct SessionDefaults {
    pub recipe: Option<RecipeId>,
    pub pocket: Option<UsualPocket>,
    pub grid: Option<Grid>,
    /// Tonal parts follow the pocket, too.
    pub tones: bool,
}

/// The pocket that new songs are usually given.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct UsualPocket {
    pub name: String,
    #[ts(type = "PocketSettings")]
    pub settings: Value,
}

/// What was given to a song.
#[derive(Clone, Debug, Serialize, TS)]
pub struct DefaultsApplied {
    /// To so many parts.
    pub parts: u32,
    /// Sentences on what does not fit.
    pub said: Vec<String>,
}

/// A groove of the library.
#[derive(Clone, Debug, Serialize, TS)]
pub struct GrooveCard {
    pub id: GrooveId,
    pub revision: i32,
    /// It ships with Vivida.
    pub own: bool,
    pub favourite: bool,
    pub note: String,
    pub groove: GrooveProfile,
    pub reading: GrooveReading,
}

/// A groove for the library.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct NewGroove {
    #[serde(default)]
    pub note: String,
    #[ts(type = "GrooveProfile")]
    pub groove: Value,
}

/// A change to a groove of the library.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct GrooveChange {
    #[ts(type = "number")]
    pub revision: i64,
    pub note: String,
    pub favourite: bool,
    #[ts(type = "GrooveProfile")]
    pub groove: Value,
}

/// A groove that was read from a file.
#[derive(Clone, Debug, Serialize, TS)]
pub struct ImportedGroove {
    pub card: GrooveCard,
    /// What was left out or mapped.
    pub said: Vec<String>,
}

/// Which groove of a part is wanted.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct TakeGroove {
    pub take: GrooveTake,
    /// As it is written; else as it is played.
    #[serde(default)]
    #[ts(optional, as = "Option<bool>")]
    pub written: bool,
    /// Played by these passes; else by those that are kept.
    #[ts(optional, type = "Recipe")]
    pub recipe: Option<Value>,
    #[ts(optional)]
    pub variation: Option<u32>,
    /// The settings of pockets that are being changed, in the place of those that are kept.
    #[serde(default)]
    #[ts(optional, as = "Option<HashMap<u32, PocketSettings>>")]
    pub pockets: HashMap<u32, Value>,
    #[ts(optional)]
    pub name: Option<String>,
}

/// The groove of a part.
#[derive(Clone, Debug, Serialize, TS)]
pub struct TakenGroove {
    pub groove: GrooveProfile,
    pub reading: GrooveReading,
    pub said: Vec<String>,
    /// The hits that it was taken from, laid over its bars.
    pub hits: LaidHits,
}

/// Everything that the front end knows of these types.
pub fn typescript() -> String {
    let config = Config::default();
    let mut out = String::from("// Generated by `cargo xtask types` from the Rust types. Do not edit.\n");
    macro_rules! declare {
        ($($name:ty),+ $(,)?) => {
            $(
                out.push_str("\nexport ");
                out.push_str(&<$name as TS>::decl(&config));
                out.push('\n');
            )+
        };
    }
    declare!(
        vivida_core::Velocity,
        vivida_core::Percent,
        vivida_core::Millis,
        vivida_core::InstrumentId,
        vivida_core::Note,
        vivida_core::Channel,
        Grid,
        vivida_core::PassId,
        SongId,
        PartId,
        TakeId,
        RecipeId,
        GrooveId,
        vivida_core::HitId,
        Ticks,
        vivida_core::action::Shape,
        vivida_core::action::Contrast,
        vivida_core::action::Level,
        vivida_core::action::Set,
        vivida_core::action::LimitsHow,
        vivida_core::action::Limits,
        vivida_core::action::Match,
        vivida_core::action::Spread,
        vivida_core::action::Vary,
        vivida_core::action::Draw,
        vivida_core::action::Accents,
        vivida_core::action::Curve,
        vivida_core::action::SwellOf,
        vivida_core::action::Swell,
        vivida_core::action::FastHands,
        vivida_core::action::TwinsMove,
        vivida_core::action::NoTwins,
        vivida_core::action::Layer,
        vivida_core::action::Lean,
        vivida_core::action::Wanders,
        vivida_core::action::Loosen,
        vivida_core::action::Pull,
        vivida_core::action::Swing,
        vivida_core::Metre,
        vivida_core::GrooveSlot,
        GrooveProfile,
        vivida_core::action::GrooveVoice,
        vivida_core::action::GrooveTempo,
        vivida_core::action::Groove,
        PocketId,
        vivida_core::action::Pocket,
        PocketSettings,
        GrooveTake,
        LaidHits,
        vivida_core::GrooveSwing,
        vivida_core::VoiceReading,
        GrooveReading,
        vivida_core::action::FanOrder,
        vivida_core::action::Fan,
        vivida_core::action::LengthOf,
        vivida_core::action::Length,
        vivida_core::action::HandMove,
        vivida_core::action::HandHit,
        vivida_core::action::ByHand,
        vivida_core::action::ActionFamily,
        vivida_core::action::Setting,
        vivida_core::action::Values,
        Action,
        ActionInfo,
        vivida_core::VelocityRange,
        vivida_core::TimeRange,
        vivida_core::Slot,
        vivida_core::SlotChoice,
        vivida_core::Slots,
        vivida_core::Positions,
        vivida_core::Speed,
        vivida_core::RunPlace,
        vivida_core::Run,
        vivida_core::Near,
        Aim,
        BarRange,
        Pass,
        Recipe,
        vivida_core::Family,
        vivida_core::Limb,
        vivida_core::Hand,
        vivida_core::Articulation,
        vivida_core::VelocityLayer,
        vivida_core::Instrument,
        Kit,
        Figures,
        Portrait,
        InstrumentReading,
        Reading,
        PassReport,
        Voice,
        NoteSound,
        VoiceInfo,
        KitManifest,
        History,
        SongCard,
        PartCard,
        Picture,
        SongDetail,
        Section,
        vivida_core::Quantiles,
        vivida_core::InstrumentTouch,
        vivida_core::TouchProfile,
        vivida_core::StartingPoint,
        Layers,
        Bars,
        PartDetail,
        PartState,
        TakeCard,
        TakeColumns,
        RecipeCard,
        Fitted,
        Received,
        Named,
        SectionsChange,
        FitRequest,
        NewRecipe,
        RecipeChange,
        WrittenColumns,
        TimingColumns,
        AddedHit,
        PerformanceColumns,
        ActionOffer,
        ExportInfo,
        Travelled,
        SongChange,
        PartChangeRequest,
        PerformRequest,
        PocketCard,
        Follower,
        SongPockets,
        NewPocket,
        Joining,
        PocketChange,
        FollowerChange,
        Following,
        SessionDefaults,
        UsualPocket,
        DefaultsApplied,
        GrooveCard,
        NewGroove,
        GrooveChange,
        ImportedGroove,
        TakeGroove,
        TakenGroove,
        crate::Problem,
    );
    out
}
