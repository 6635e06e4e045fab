//! The library of kits, and the kits of parts.

use serde::{Deserialize, Serialize};
use serde_json::Value;
use ts_rs::TS;
use vivida_core::{Channel, Kit, Note};
use vivida_sound::KitSounds;
use vivida_store::KitId;

/// A kit of the library.
#[derive(Clone, Debug, Serialize, TS)]
pub struct KitCard {
    pub id: KitId,
    pub revision: i32,
    /// It ships with Vivida and stays as it is.
    pub own: bool,
    /// So many parts have it.
    pub parts: u32,
    pub kit: Kit,
    /// How it sounds.
    pub sounds: KitSounds,
    /// Why it cannot be read.
    pub damage: Option<String>,
}

/// A kit for the library.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct NewKit {
    #[ts(type = "Kit")]
    pub kit: Value,
}

/// A change to a kit of the library.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct KitChange {
    #[ts(type = "number")]
    pub revision: i64,
    /// What undo calls it.
    pub label: String,
    #[ts(type = "Kit")]
    pub kit: Value,
}

/// The kit that a part has.
#[derive(Clone, Debug, Serialize, TS)]
pub struct PartKit {
    pub id: KitId,
    pub revision: i32,
    pub name: String,
    /// It ships with Vivida and stays as it is.
    pub own: bool,
    /// It was deleted from the library, and kept for the parts that have it.
    pub deleted: bool,
}

/// What a part has of a note on a channel.
#[derive(Clone, Debug, Serialize, TS)]
pub struct NoteUse {
    pub note: Note,
    pub channel: Channel,
    /// So many hits are written with it.
    pub written: u32,
    /// So many sound as it is played.
    pub played: u32,
    /// Of these so many in each sixteenth of the velocities.
    pub velocities: Vec<u32>,
}

/// Another kit for a part.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct ExchangeKit {
    #[ts(type = "number")]
    pub revision: i64,
    /// Nothing: the General MIDI map.
    pub kit: Option<KitId>,
    /// The part goes on being read as it is, and is sent out as this kit plays it.
    pub keep_notes: bool,
}

/// What a part becomes with another kit.
#[derive(Clone, Debug, Serialize, TS)]
pub struct Exchanged {
    /// Its hits, and how many of them the kit knows.
    pub hits: u32,
    pub known: u32,
    /// So many of those it knows stay the kind of drum that they are now, or become one.
    pub alike: u32,
    /// What it would have, in the order of the kit.
    pub instruments: Vec<ExchangedInstrument>,
    /// Sentences on what does not follow.
    pub said: Vec<String>,
}

/// An instrument that a part would have.
#[derive(Clone, Debug, Serialize, TS)]
pub struct ExchangedInstrument {
    pub name: String,
    pub hits: u32,
}
