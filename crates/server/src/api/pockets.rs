//! Pockets, who follows them, and what new songs are usually given.

use crate::api::PartState;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use ts_rs::TS;
use vivida_core::{Grid, InstrumentId, PassId, PocketId, PocketSettings};
use vivida_store::{History, PartId, RecipeId};

/// A pocket of a song.
#[derive(Clone, Debug, Serialize, TS)]
pub struct PocketCard {
    pub id: PocketId,
    pub revision: i32,
    pub name: String,
    pub settings: PocketSettings,
    /// Those of its five actions that do something.
    pub active: Vec<&'static str>,
    pub followers: Vec<Follower>,
    /// Why its settings cannot be read.
    pub damage: Option<String>,
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
    /// Names the change among those of this pocket, in at most 100 characters: one that arrives twice is made once.
    #[ts(optional)]
    pub key: Option<String>,
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
    /// Counts its changes; 0 where nothing was ever chosen.
    #[ts(type = "number")]
    pub revision: i64,
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
