//! The shelf on disk: one SQLite file with songs, recipes, views and the history of every change.
//!
//! The bytes of a file never change; a newer one of a song stands beside it. What a person makes of its parts (takes with their recipe
//! and variation, drum or tonal, names, mutes, layers, kit), sections, pockets and the libraries of recipes,
//! grooves and kits are changed by **steps**: each is written in one transaction with the states before and after it, so
//! undo and redo work after a restart, and a kill at any moment loses at most the step being
//! written. Songs, parts, pockets, recipes, grooves and kits carry a **revision**; a change made against an older
//! one is refused as [`StoreError::Conflict`].
//!
//! There is one way to change anything: [`Store::change`]. What is read in it and what is written in it are one
//! transaction, and come to at most one step. Reading goes by [`Reads`]: within a [`Change`], or from a [`Reading`] of
//! [`Store::readers`], which waits for nobody who writes.
//!
//! # Properties
//!
//! * What is written can be read again: nothing is kept that does not pass the checks of reading.
//! * What cannot be read all the same (a newer or older program, a fault of the disk) is [`Damage`] of that one
//!   row: it has its reason and its text, hides nothing else, and can be changed, deleted and mended by undo.
//! * Histories are bounded in bytes; what is deleted and can no longer be undone gives its space back.
//! * One program at a time: a second one is refused with the address of the first.
//! * A song's history reaches nothing but that song, whatever its steps hold.
//! * A revision or an id is given out once, also where a backup is restored in between.
//!
//! ```
//! use vivida_store::{Reads, Store};
//! # let bytes = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x0c\0\x99\x24\x64\x60\x89\x24\x40\0\xff\x2f\0";
//! let mut store = Store::temporary()?;
//! let song = vivida_smf::read(bytes).unwrap();
//! let id = store.change(|change| change.add_song("One kick", "kick.mid", bytes, &song))?;
//! let revision = store.song(id)?.revision;
//! store.change(|change| change.rename(id, revision, "A kick"))?;
//! store.change(|change| change.undo(None))?;
//! assert_eq!(store.song(id)?.name, "One kick");
//! # Ok::<(), vivida_store::StoreError>(())
//! ```

mod backups;
mod batches;
mod change;
mod grooves;
mod history;
mod kept;
mod kits;
mod open;
mod packs;
mod parts;
mod pockets;
mod readers;
mod reads;
mod recipes;
mod recordings;
mod restore;
mod songs;
mod sounds;
mod state;
mod writing;

pub use backups::{Backup, BackupKind};
pub use batches::{BatchId, BatchSongState, BatchState, StoredBatch, StoredBatchSong};
pub use change::Change;
pub use grooves::{GrooveId, StoredGroove};
pub use history::{History, Scope, Step};
pub use kept::Damage;
pub use kits::{KitId, StoredKit};
pub use packs::{FilePack, KitPack, PartPack, PocketPack, SongPack, StepPack, TakePack};
pub use parts::{NewPart, PartChange, PartId, StoredPart, StoredTake, TakeId};
pub use pockets::StoredPocket;
pub use readers::{Readers, Reading};
pub use reads::Reads;
pub use recipes::{RecipeId, StoredRecipe};
pub use recordings::{RecordingId, StoredRecording};
pub use songs::{FileId, SongId, StoredFile, StoredSong};
pub use writing::{NewVersion, OwnPart};

use rusqlite::Connection;
use std::fs::File;
use std::path::PathBuf;
use std::sync::Arc;

/// The database.
#[derive(Debug)]
pub struct Store {
    connection: Connection,
    readers: Arc<Readers>,
    /// Held as long as the store is open; nothing where it is temporary.
    lock: Option<File>,
    /// Where it lies; nothing where it is temporary.
    path: Option<PathBuf>,
}

/// What went wrong, and while doing what.
#[derive(Debug, thiserror::Error)]
#[allow(missing_docs)]
pub enum StoreError {
    #[error("{path}: {why}")]
    Open { path: PathBuf, why: Unopened },
    #[error(
        "{folder} is in use by a Vivida that runs already{}; open that one, or choose another folder with --data",
        address.as_ref().map(|address| format!(" at {address}")).unwrap_or_default()
    )]
    InUse { folder: PathBuf, address: Option<String> },
    #[error("there is no {what} {id}; it may have been deleted")]
    NotFound { what: &'static str, id: i64 },
    #[error("{what} {id} was changed elsewhere: revision {expected} was expected, {found} is the newest")]
    Conflict { what: &'static str, id: i64, expected: i64, found: i64 },
    #[error("{field}: {message}")]
    Invalid { field: String, message: String },
    #[error("what the database holds for {what} cannot be read: {reason}")]
    Damaged { what: String, reason: String },
    #[error("{path}: {reason}")]
    Backup { path: PathBuf, reason: String },
    #[error("the disk is full")]
    Full,
    #[error("the database failed: {0}")]
    Database(#[from] rusqlite::Error),
}

/// Why a database could not be opened, and what to do.
#[derive(Debug, thiserror::Error)]
#[allow(missing_docs)]
pub enum Unopened {
    #[error("this is no database of Vivida: {0}; choose another folder with --data")]
    NotOurs(String),
    #[error(
        "a newer Vivida wrote this database (version {found}, and this one knows {known}); start that one, or choose \
         another folder with --data"
    )]
    Newer { found: i64, known: i64 },
    #[error("it cannot be written there; make the folder writable, or choose another one with --data")]
    ReadOnly,
    #[error("the disk is full; make room, and start Vivida again")]
    Full,
    #[error("it cannot be opened: {0}")]
    Failed(String),
}

impl Store {
    /// What reads beside it.
    pub fn readers(&self) -> Arc<Readers> {
        Arc::clone(&self.readers)
    }
}

impl StoreError {
    fn invalid(field: impl Into<String>, message: impl Into<String>) -> StoreError {
        StoreError::Invalid { field: field.into(), message: message.into() }
    }

    /// The disk has no room left.
    pub fn is_full(&self) -> bool {
        let is_full = |error: &rusqlite::Error| error.sqlite_error_code() == Some(rusqlite::ErrorCode::DiskFull);
        match self {
            StoreError::Full | StoreError::Open { why: Unopened::Full, .. } => true,
            StoreError::Database(error) => is_full(error),
            _ => false,
        }
    }
}
