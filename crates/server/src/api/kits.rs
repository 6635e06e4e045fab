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
    /// Own sounds whose files are gone, by their names.
    pub missing: Vec<String>,
    /// Why it cannot be read.
    pub damage: Option<String>,
}

/// A file that a stroke can be heard by.
#[derive(Clone, Debug, Serialize, TS)]
pub struct SampleDetail {
    /// Names it for ever: the SHA-256 of its bytes.
    pub sound: String,
    pub name: String,
    /// At 44 100 a second.
    #[ts(type = "number")]
    pub frames: u64,
    /// 1 or 2.
    pub channels: u32,
    /// In its loudest 50 ms, in dB of full scale.
    pub loudness: f64,
    /// Sentences: what was amiss and how it was mended.
    pub said: Vec<String>,
}

/// A file of a folder that was brought in.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct FolderFile {
    /// Where it lies in the folder, with `/` between folders.
    pub path: String,
    pub sound: String,
}

/// A file of text of a folder.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct FolderText {
    pub path: String,
    pub text: String,
}

/// Files that are to become own sounds of a kit: of one stroke, as an SFZ file says, or by their names.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct FitSamples {
    #[ts(type = "Kit")]
    pub kit: Value,
    pub files: Vec<FolderFile>,
    /// The places of an instrument and of its stroke that all files are for.
    #[serde(default)]
    #[ts(optional)]
    pub stroke: Option<[usize; 2]>,
    /// The SFZ file that says what is for which, by its path in the folder.
    #[serde(default)]
    #[ts(optional)]
    pub sfz: Option<String>,
    /// That file, and those that it includes.
    #[serde(default)]
    #[ts(as = "Option<Vec<FolderText>>", optional)]
    pub texts: Vec<FolderText>,
}

/// A kit with own sounds; it is kept as any change to a kit.
#[derive(Clone, Debug, Serialize, TS)]
pub struct FittedSamples {
    pub kit: Kit,
    /// So many samples came to so many strokes.
    pub samples: u32,
    pub strokes: u32,
    /// Sentences: what found no place, and what of an SFZ file was left alone.
    pub said: Vec<String>,
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
    /// Names the change among those of this kit, in at most 100 characters: one that arrives twice is made once.
    #[ts(optional)]
    pub key: Option<String>,
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
    /// It reads so few of them alike that the part had better keep its notes.
    pub keep_notes: bool,
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
