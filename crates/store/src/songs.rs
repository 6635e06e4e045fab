//! Songs and their parts.

use crate::history::{Scope, State};
use crate::{Store, StoreError};
use rusqlite::{OptionalExtension, Row, Transaction, params};
use serde::{Deserialize, Serialize};
use ts_rs::TS;
use vivida_core::Recipe;
use vivida_smf::SongFile;

/// Names a song for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct SongId(pub i64);

/// Names a part for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct PartId(pub i64);

/// A song on the shelf.
#[derive(Clone, Debug, PartialEq)]
pub struct SongRow {
    /// Its id.
    pub id: SongId,
    /// What the person calls it.
    pub name: String,
    /// The file that it came from.
    pub file_name: String,
    /// Counts its changes.
    pub revision: i64,
    /// It came with Vivida.
    pub is_demo: bool,
    /// Its parts, in the order of the file.
    pub parts: Vec<PartRow>,
}

/// What the person made of a part.
#[derive(Clone, Debug, PartialEq)]
pub struct PartRow {
    /// Its id.
    pub id: PartId,
    /// Its song.
    pub song: SongId,
    /// Its place among the parts of the file.
    pub position: usize,
    /// Taken as drums, else as tones.
    pub drums: bool,
    /// Its passes.
    pub recipe: Recipe,
    /// The number that its dice hang on.
    pub variation: u32,
    /// Counts its changes.
    pub revision: i64,
}

/// A change to a part; what is absent stays.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct PartChange {
    /// Other passes.
    pub recipe: Option<Recipe>,
    /// Another variation.
    pub variation: Option<u32>,
    /// Taken as drums or as tones.
    pub drums: Option<bool>,
}

const SONG: &str = "SELECT id, name, file_name, revision, is_demo FROM song";
const PART: &str = "SELECT id, song, position, drums, recipe, variation, revision FROM part";

impl Store {
    /// The songs that are not deleted, in the order in which they came.
    pub fn songs(&self) -> Result<Vec<SongRow>, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{SONG} WHERE deleted = 0 ORDER BY id"))?;
        let songs = query.query_map([], song_row)?.collect::<rusqlite::Result<Vec<_>>>()?;
        songs.into_iter().map(|song| self.with_parts(song)).collect()
    }

    /// One song that is not deleted.
    pub fn song(&self, id: SongId) -> Result<SongRow, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{SONG} WHERE id = ?1 AND deleted = 0"))?;
        let song = query.query_row([id.0], song_row).optional()?;
        self.with_parts(song.ok_or(StoreError::NotFound { what: "song", id: id.0 })?)
    }

    fn with_parts(&self, mut song: SongRow) -> Result<SongRow, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{PART} WHERE song = ?1 ORDER BY position"))?;
        let parts = query.query_map([song.id.0], raw_part)?.collect::<rusqlite::Result<Vec<_>>>()?;
        song.parts = parts.into_iter().map(part_row).collect::<Result<_, _>>()?;
        Ok(song)
    }

    /// One part.
    pub fn part(&self, id: PartId) -> Result<PartRow, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{PART} WHERE id = ?1"))?;
        let raw = query.query_row([id.0], raw_part).optional()?;
        part_row(raw.ok_or(StoreError::NotFound { what: "part", id: id.0 })?)
    }

    /// The bytes that a song came in as.
    pub fn original(&self, id: SongId) -> Result<Vec<u8>, StoreError> {
        let mut query = self.connection.prepare_cached("SELECT original FROM song WHERE id = ?1")?;
        let bytes = query.query_row([id.0], |row| row.get(0)).optional()?;
        bytes.ok_or(StoreError::NotFound { what: "song", id: id.0 })
    }

    /// Puts a song on the shelf, with all its parts or not at all. One step of the shelf.
    pub fn add_song(
        &mut self,
        name: &str,
        file_name: &str,
        bytes: &[u8],
        file: &SongFile,
    ) -> Result<SongId, StoreError> {
        let name = checked_name(name)?;
        self.change(Scope::Shelf, &format!("add “{name}”"), |transaction| {
            let id = insert_song(transaction, &name, file_name, bytes, file, false)?;
            let there = |deleted| State::Song { id, name: name.clone(), deleted };
            Ok((id, there(true), there(false)))
        })
    }

    /// Puts a demo song on the shelf if it has never been there. No step: it cannot be undone, only
    /// deleted, and does not come back then.
    pub fn add_demo(&mut self, name: &str, file_name: &str, bytes: &[u8], file: &SongFile) -> Result<(), StoreError> {
        let transaction = self.connection.transaction()?;
        let sql = "SELECT EXISTS (SELECT 1 FROM song WHERE is_demo = 1 AND file_name = ?1)";
        if !transaction.query_row(sql, [file_name], |row| row.get(0))? {
            insert_song(&transaction, name, file_name, bytes, file, true)?;
        }
        Ok(transaction.commit()?)
    }

    /// Calls a song something else. One step of the shelf.
    pub fn rename(&mut self, id: SongId, revision: i64, name: &str) -> Result<(), StoreError> {
        let name = checked_name(name)?;
        self.change(Scope::Shelf, &format!("rename to “{name}”"), |transaction| {
            let before = live_song(transaction, id, revision)?;
            Ok((
                (),
                State::Song { id, name: before, deleted: false },
                State::Song { id, name: name.clone(), deleted: false },
            ))
        })
    }

    /// Takes a song off the shelf. One step of the shelf: undo brings it back as it was.
    pub fn delete(&mut self, id: SongId, revision: i64) -> Result<(), StoreError> {
        let name = self.song(id)?.name;
        self.change(Scope::Shelf, &format!("delete “{name}”"), |transaction| {
            let name = live_song(transaction, id, revision)?;
            let state = |deleted| State::Song { id, name: name.clone(), deleted };
            Ok(((), state(false), state(true)))
        })
    }

    /// A second song from the same file, with what was made of its parts. One step of the shelf.
    pub fn duplicate(&mut self, id: SongId) -> Result<SongId, StoreError> {
        let name = self.song(id)?.name;
        let copy = checked_name(&format!("{name} (copy)"))?;
        self.change(Scope::Shelf, &format!("duplicate “{name}”"), |transaction| {
            let sql =
                "INSERT INTO song (name, file_name, original) SELECT ?2, file_name, original FROM song WHERE id = ?1";
            transaction.execute(sql, params![id.0, copy])?;
            let new = SongId(transaction.last_insert_rowid());
            let sql = "INSERT INTO part (song, position, drums, recipe, variation)
                       SELECT ?2, position, drums, recipe, variation FROM part WHERE song = ?1";
            transaction.execute(sql, params![id.0, new.0])?;
            let state = |deleted| State::Song { id: new, name: copy.clone(), deleted };
            Ok((new, state(true), state(false)))
        })
    }

    /// Changes what was made of a part. One step of its song.
    pub fn change_part(
        &mut self,
        id: PartId,
        revision: i64,
        label: &str,
        change: PartChange,
    ) -> Result<(), StoreError> {
        let part = self.part(id)?;
        check_revision("part", id.0, revision, part.revision)?;
        let before = State::of_part(&part);
        let after = State::Part {
            id,
            recipe: change.recipe.unwrap_or(part.recipe),
            variation: change.variation.unwrap_or(part.variation),
            drums: change.drums.unwrap_or(part.drums),
        };
        self.change(Scope::Song(part.song), label, |_| Ok(((), before, after)))
    }
}

fn song_row(row: &Row<'_>) -> rusqlite::Result<SongRow> {
    Ok(SongRow {
        id: SongId(row.get(0)?),
        name: row.get(1)?,
        file_name: row.get(2)?,
        revision: row.get(3)?,
        is_demo: row.get(4)?,
        parts: Vec::new(),
    })
}

type RawPart = (i64, i64, i64, bool, String, u32, i64);

fn raw_part(row: &Row<'_>) -> rusqlite::Result<RawPart> {
    Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?, row.get(4)?, row.get(5)?, row.get(6)?))
}

fn part_row((id, song, position, drums, recipe, variation, revision): RawPart) -> Result<PartRow, StoreError> {
    let damaged = |reason: String| StoreError::Damaged { what: format!("part {id}"), reason };
    let value = serde_json::from_str(&recipe).map_err(|error| damaged(error.to_string()))?;
    Ok(PartRow {
        id: PartId(id),
        song: SongId(song),
        position: usize::try_from(position).map_err(|error| damaged(error.to_string()))?,
        drums,
        recipe: Recipe::from_value(value).map_err(|error| damaged(error.to_string()))?,
        variation,
        revision,
    })
}

fn insert_song(
    transaction: &Transaction<'_>,
    name: &str,
    file_name: &str,
    bytes: &[u8],
    file: &SongFile,
    is_demo: bool,
) -> Result<SongId, StoreError> {
    let sql = "INSERT INTO song (name, file_name, original, is_demo) VALUES (?1, ?2, ?3, ?4)";
    transaction.execute(sql, params![name, file_name, bytes, is_demo])?;
    let id = SongId(transaction.last_insert_rowid());
    let mut insert = transaction.prepare("INSERT INTO part (song, position, drums) VALUES (?1, ?2, ?3)")?;
    for (position, part) in file.parts.iter().enumerate() {
        insert.execute(params![id.0, position as i64, part.drums])?;
    }
    Ok(id)
}

/// The name of a song that is not deleted and has the expected revision.
fn live_song(transaction: &Transaction<'_>, id: SongId, revision: i64) -> Result<String, StoreError> {
    let sql = "SELECT name, revision FROM song WHERE id = ?1 AND deleted = 0";
    let found = transaction.query_row(sql, [id.0], |row| Ok((row.get(0)?, row.get(1)?))).optional()?;
    let (name, newest) = found.ok_or(StoreError::NotFound { what: "song", id: id.0 })?;
    check_revision("song", id.0, revision, newest)?;
    Ok(name)
}

fn check_revision(what: &'static str, id: i64, expected: i64, found: i64) -> Result<(), StoreError> {
    if expected == found { Ok(()) } else { Err(StoreError::Conflict { what, id, expected, found }) }
}

fn checked_name(name: &str) -> Result<String, StoreError> {
    let shown = vivida_smf::readable(name.as_bytes());
    if shown.is_empty() {
        return Err(StoreError::Invalid { field: "name", message: "a song needs a name that can be read".to_owned() });
    }
    Ok(shown)
}
