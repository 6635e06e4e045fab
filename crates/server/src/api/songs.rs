//! Songs, on the shelf and in the workspace.

use crate::api::{PartState, PocketCard};
use rocket::FromForm;
use serde::{Deserialize, Serialize};
use ts_rs::TS;
use vivida_core::{BarsEdit, LeftAlone, Outline, Section};
use vivida_store::{History, KitId, PartId, SongId};

/// A song on the shelf.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
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
    /// What of it cannot be read, and why.
    pub damage: Option<String>,
}

/// A part of a song on the shelf.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
pub struct PartCard {
    pub id: PartId,
    /// Counts its changes.
    pub revision: i32,
    pub name: String,
    pub drums: bool,
    /// Neither heard nor exported.
    pub muted: bool,
    /// Made of a part of the file by duplicating it.
    pub is_second: bool,
    pub hits: u32,
    pub passes: u32,
    /// What of it cannot be read, and why.
    pub damage: Option<String>,
}

/// The first drum part in small, and its two figures.
#[derive(Clone, Debug, Serialize, Deserialize, TS)]
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
    /// Parts that are one drum each, where there are several: a kit that came as a track for every drum.
    pub single_drums: Vec<PartId>,
    pub mended: Vec<String>,
    /// Its bars, where they are the person's own: the song was begun here.
    pub outline: Option<Outline>,
    pub history: History,
}

/// A song that begins with nothing.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct BeginRequest {
    pub name: String,
    pub outline: Outline,
    /// The kit of its drums; the General MIDI map where there is none.
    #[ts(optional)]
    pub kit: Option<KitId>,
}

/// Other bars, tempo or metre for a song that was begun here.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct OutlineRequest {
    /// Of the song.
    #[ts(type = "number")]
    pub revision: i64,
    pub outline: Outline,
}

/// Bars inserted, repeated, moved or taken out.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct BarsRequest {
    /// Of the song.
    #[ts(type = "number")]
    pub revision: i64,
    pub edit: BarsEdit,
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
    /// The beginning, every change of tempo and the end: between two of them time goes evenly.
    pub even_ticks: Vec<f64>,
    /// The same in seconds.
    pub even_seconds: Vec<f64>,
}

/// Which lines are asked for.
#[derive(Clone, Debug, FromForm)]
pub struct GridLinesAsked {
    pub grid: String,
    /// 25 to 80 %; without it straight.
    pub swing: Option<f64>,
    /// 0 to 100 ms: nearer to its line a hit is left as it was played.
    pub forgive: Option<f64>,
    /// 0 to 500 ms: further off a hit is left alone; without it none is.
    pub reach: Option<f64>,
    /// In ticks.
    pub from: f64,
    pub to: f64,
}

/// The lines of a grid, and where hits are left alone by an action that moves them by it.
#[derive(Clone, Debug, Serialize, TS)]
pub struct GridLines {
    /// In ticks; none where they are too many.
    pub lines: Vec<f64>,
    pub left_alone: LeftAlone,
}

/// What undo or redo did.
#[derive(Clone, Debug, Serialize, TS)]
pub struct Travelled {
    /// The step, or nothing where there was none.
    pub label: Option<String>,
    /// The song with what it holds, where the step was one of its workspace.
    pub song: Option<SongDetail>,
    pub parts: Vec<PartState>,
    pub pockets: Vec<PocketCard>,
    pub history: History,
}

/// Songs that are deleted together.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct SongsToDelete {
    pub songs: Vec<SongToDelete>,
}

/// One of them, as it was last seen.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct SongToDelete {
    pub id: SongId,
    #[ts(type = "number")]
    pub revision: i64,
}

/// A change to a song on the shelf.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct SongChange {
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

/// What would come, or came, of a newer file for a song.
#[derive(Clone, Debug, Serialize, TS)]
pub struct RefitReport {
    pub file_name: String,
    /// What is otherwise in the song itself, and what could not be carried over, in sentences.
    pub said: Vec<String>,
    pub parts: Vec<RefitPart>,
}

/// A part in its old and its newer version.
#[derive(Clone, Debug, Serialize, TS)]
pub struct RefitPart {
    pub name: String,
    pub fate: RefitFate,
    /// Hits that were there before and keep what was made of them.
    pub kept: u32,
    /// Those of them that lie elsewhere in their bar.
    pub moved: u32,
    pub came: u32,
    pub gone: u32,
    /// At most 300, in the order of their bars.
    pub changes: Vec<RefitChange>,
}

/// What becomes of a part.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum RefitFate {
    /// It is in both files.
    Kept,
    /// It is in the newer one alone.
    New,
    /// It is in the former one alone, and goes with what was made of it.
    Gone,
}

/// Hits of one drum in one bar that came, went or moved.
#[derive(Clone, Debug, Serialize, TS)]
pub struct RefitChange {
    /// As it is counted now; of what is gone as it was before.
    pub bar: u32,
    pub kind: RefitKind,
    pub instrument: String,
    pub count: u32,
}

/// What happened to hits.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, TS)]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum RefitKind {
    Came,
    Gone,
    Moved,
}
