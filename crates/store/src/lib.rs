//! The shelf on disk: one SQLite file with songs, recipes, views and the history of every change.
//!
//! A song's original bytes never change. What a person makes of its parts (takes with their recipe
//! and variation, drum or tonal, names, mutes, layers), sections, pockets and the libraries of recipes and grooves are
//! changed by **steps**: each is written in one transaction with the states before and after it, so
//! undo and redo work after a restart, and a kill at any moment loses at most the step being
//! written. Songs, parts, pockets, recipes and grooves carry a **revision**; a change made against an older one is
//! refused as [`StoreError::Conflict`].
//!
//! ```
//! use vivida_store::Store;
//! # let bytes = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x0c\0\x99\x24\x64\x60\x89\x24\x40\0\xff\x2f\0";
//! let mut store = Store::in_memory()?;
//! let song = vivida_smf::read(bytes).unwrap();
//! let id = store.add_song("One kick", "kick.mid", bytes, &song)?;
//! store.rename(id, store.song(id)?.revision, "A kick")?;
//! store.undo(None)?;
//! assert_eq!(store.song(id)?.name, "One kick");
//! # Ok::<(), vivida_store::StoreError>(())
//! ```

mod grooves;
mod history;
mod parts;
mod pockets;
mod recipes;
mod songs;

pub use grooves::{GrooveId, GrooveRow};
pub use history::{History, Scope};
pub use parts::{PartChange, PartId, PartRow, TakeId, TakeRow};
pub use pockets::{PocketRow, Recipes, SetUp};
pub use recipes::{RecipeId, RecipeRow};
pub use songs::{SongId, SongRow};

use rusqlite::Connection;
use rusqlite_migration::{M, Migrations};
use std::path::{Path, PathBuf};

/// The database.
#[derive(Debug)]
pub struct Store {
    connection: Connection,
}

/// What went wrong, and while doing what.
#[derive(Debug, thiserror::Error)]
#[allow(missing_docs)]
pub enum StoreError {
    #[error(
        "{path}: this is no Vivida database, or a newer Vivida wrote it ({reason}); choose another folder with --data"
    )]
    Open { path: PathBuf, reason: String },
    #[error("there is no {what} {id}; it may have been deleted")]
    NotFound { what: &'static str, id: i64 },
    #[error("{what} {id} was changed elsewhere: revision {expected} was expected, {found} is the newest")]
    Conflict { what: &'static str, id: i64, expected: i64, found: i64 },
    #[error("{field}: {message}")]
    Invalid { field: &'static str, message: String },
    #[error("what the database holds for {what} cannot be read: {reason}")]
    Damaged { what: String, reason: String },
    #[error("the database failed: {0}")]
    Database(#[from] rusqlite::Error),
}

impl Store {
    /// Opens the database file, made anew where there is none, and brings it to this version.
    ///
    /// # Errors
    ///
    /// Where the file is none of ours, of a newer version, or cannot be written.
    pub fn open(path: &Path) -> Result<Store, StoreError> {
        let failed = |reason: String| StoreError::Open { path: path.to_owned(), reason };
        let connection = Connection::open(path).map_err(|error| failed(error.to_string()))?;
        Store::prepare(connection).map_err(failed)
    }

    /// A database that is gone when it is dropped.
    pub fn in_memory() -> Result<Store, StoreError> {
        let failed = |reason: String| StoreError::Open { path: ":memory:".into(), reason };
        Store::prepare(Connection::open_in_memory()?).map_err(failed)
    }

    fn prepare(mut connection: Connection) -> Result<Store, String> {
        let set_up = || -> rusqlite::Result<()> {
            connection.pragma_update(None, "journal_mode", "WAL")?;
            connection.pragma_update(None, "synchronous", "FULL")?;
            connection.pragma_update(None, "foreign_keys", "ON")?;
            connection.busy_timeout(std::time::Duration::from_secs(5))
        };
        set_up().map_err(|error| error.to_string())?;
        let migrations = Migrations::new(vec![
            M::up(include_str!("schema.sql")),
            M::up(include_str!("schema-2.sql")),
            M::up(include_str!("schema-3.sql")),
        ]);
        migrations.to_latest(&mut connection).map_err(|error| error.to_string())?;
        let mut store = Store { connection };
        store.lay_in_grooves(&vivida_core::GrooveProfile::own()).map_err(|error| error.to_string())?;
        Ok(store)
    }

    /// How a screen was left, as JSON; nothing the first time.
    pub fn view(&self, name: &str) -> Result<Option<String>, StoreError> {
        let mut query = self.connection.prepare_cached("SELECT value FROM view WHERE name = ?1")?;
        let mut rows = query.query_map([name], |row| row.get(0))?;
        Ok(rows.next().transpose()?)
    }

    /// What holds for every song, as JSON; nothing where it was never set.
    pub fn setting(&self, name: &str) -> Result<Option<String>, StoreError> {
        let mut query = self.connection.prepare_cached("SELECT value FROM setting WHERE name = ?1")?;
        let mut rows = query.query_map([name], |row| row.get(0))?;
        Ok(rows.next().transpose()?)
    }

    /// Let something hold for every song.
    pub fn set_setting(&mut self, name: &str, value: &str) -> Result<(), StoreError> {
        let sql = "INSERT INTO setting (name, value) VALUES (?1, ?2) ON CONFLICT DO UPDATE SET value = ?2";
        self.connection.execute(sql, [name, value])?;
        Ok(())
    }

    /// Remember how a screen was left.
    pub fn set_view(&mut self, name: &str, value: &str) -> Result<(), StoreError> {
        let sql = "INSERT INTO view (name, value) VALUES (?1, ?2) ON CONFLICT DO UPDATE SET value = ?2";
        self.connection.execute(sql, [name, value])?;
        Ok(())
    }
}
