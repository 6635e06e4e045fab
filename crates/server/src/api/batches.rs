//! Many songs at once.

use serde::{Deserialize, Serialize};
use serde_json::Value;
use ts_rs::TS;
use vivida_core::{Recipe, Treatment};
use vivida_store::{BatchId, BatchSongState, BatchState, KitId, SongId};

/// What several songs are given. Each song's drum part is found by itself.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct BatchRequest {
    pub songs: Vec<SongId>,
    /// What the step is called in each song.
    pub name: String,
    /// Passes, fitted to each song's drums by their families.
    #[ts(optional, as = "Option<Recipe>")]
    pub recipe: Option<Value>,
    /// In the place of the passes that are there.
    #[serde(default)]
    pub instead: bool,
    #[ts(optional)]
    pub kit: Option<KitId>,
    /// What new songs are usually given.
    #[serde(default)]
    pub usual: bool,
}

/// Songs that are, or were, treated together, in a list.
#[derive(Clone, Debug, Serialize, TS)]
pub struct BatchCard {
    pub id: BatchId,
    pub label: String,
    pub state: BatchState,
    /// When it began, in UTC.
    pub when: String,
    /// How many.
    pub songs: u32,
}

/// Songs that are, or were, treated together.
#[derive(Clone, Debug, Serialize, TS)]
pub struct BatchDetail {
    pub id: BatchId,
    pub label: String,
    pub state: BatchState,
    /// When it began, in UTC.
    pub when: String,
    pub songs: Vec<BatchSong>,
}

/// One of them.
#[derive(Clone, Debug, Serialize, TS)]
pub struct BatchSong {
    pub song: SongId,
    pub name: String,
    pub state: BatchSongState,
    pub report: Option<BatchReport>,
}

/// What was done to it.
#[derive(Clone, Debug, Default, Serialize, Deserialize, TS)]
pub struct BatchReport {
    /// Each drum part and what was done to it.
    pub parts: Vec<PartTreated>,
    /// What did not fit, in sentences.
    pub said: Vec<String>,
    /// Why it failed.
    pub why: Option<String>,
}

/// What was done to one part of a song.
#[derive(Clone, Debug, Default, Serialize, Deserialize, TS)]
pub struct PartTreated {
    pub part: String,
    pub treatment: Treatment,
}

/// What taking back a batch came to.
#[derive(Clone, Debug, Serialize, TS)]
pub struct BatchUndone {
    pub batch: BatchDetail,
    /// Songs that were changed since, and stay as they are.
    pub left: Vec<String>,
}
