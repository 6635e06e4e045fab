//! Songs and their parts.

use crate::history::{Scope, State};
use crate::parts::{PartId, PartRow, copy_part, insert_part};
use crate::pockets::copy_pockets;
use crate::{Store, StoreError};
use rusqlite::{OptionalExtension, Row, Transaction, params};
use serde::{Deserialize, Serialize};
use ts_rs::TS;
use vivida_core::Section;
use vivida_smf::SongFile;

/// Names a song for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct SongId(pub i64);

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
    /// The sections that the person set; nothing where they are the file's markers.
    pub sections: Option<Vec<Section>>,
    /// Its parts, in the order of the file.
    pub parts: Vec<PartRow>,
}

const SONG: &str = "SELECT id, name, file_name, revision, is_demo, sections FROM song";

impl Store {
    /// The songs that are not deleted, in the order in which they came.
    pub fn songs(&self) -> Result<Vec<SongRow>, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{SONG} WHERE deleted = 0 ORDER BY id"))?;
        let songs = query.query_map([], song_row)?.collect::<rusqlite::Result<Vec<_>>>()?;
        songs.into_iter().map(|song| self.with_parts(song)).collect()
    }

    /// One song that is not deleted.
    pub fn song(&self, id: SongId) -> Result<SongRow, StoreError> {
        self.with_parts(self.song_alone(id)?)
    }

    /// One song that is not deleted, without its parts.
    pub fn song_alone(&self, id: SongId) -> Result<SongRow, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{SONG} WHERE id = ?1 AND deleted = 0"))?;
        let song = query.query_row([id.0], song_row).optional()?;
        song.ok_or(StoreError::NotFound { what: "song", id: id.0 })
    }

    fn with_parts(&self, mut song: SongRow) -> Result<SongRow, StoreError> {
        song.parts = self.parts_of(song.id)?;
        Ok(song)
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
            Ok((id, vec![there(true)], vec![there(false)]))
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
                vec![State::Song { id, name: before, deleted: false }],
                vec![State::Song { id, name: name.clone(), deleted: false }],
            ))
        })
    }

    /// Takes a song off the shelf. One step of the shelf: undo brings it back as it was.
    pub fn delete(&mut self, id: SongId, revision: i64) -> Result<(), StoreError> {
        let name = self.song(id)?.name;
        self.change(Scope::Shelf, &format!("delete “{name}”"), |transaction| {
            let name = live_song(transaction, id, revision)?;
            let state = |deleted| State::Song { id, name: name.clone(), deleted };
            Ok(((), vec![state(false)], vec![state(true)]))
        })
    }

    /// A second song from the same file, with what was made of its parts. One step of the shelf.
    pub fn duplicate(&mut self, id: SongId) -> Result<SongId, StoreError> {
        let name = self.song(id)?.name;
        let copy = checked_name(&format!("{name} (copy)"))?;
        self.change(Scope::Shelf, &format!("duplicate “{name}”"), |transaction| {
            let sql = "INSERT INTO song (name, file_name, original, sections)
                       SELECT ?2, file_name, original, sections FROM song WHERE id = ?1";
            transaction.execute(sql, params![id.0, copy])?;
            let new = SongId(transaction.last_insert_rowid());
            let sql = "SELECT id FROM part WHERE song = ?1 AND deleted = 0 ORDER BY id";
            let parts: Vec<i64> =
                transaction.prepare(sql)?.query_map([id.0], |row| row.get(0))?.collect::<rusqlite::Result<_>>()?;
            for part in parts {
                copy_part(transaction, PartId(part), new)?;
            }
            copy_pockets(transaction, id, new)?;
            let state = |deleted| State::Song { id: new, name: copy.clone(), deleted };
            Ok((new, vec![state(true)], vec![state(false)]))
        })
    }

    /// Sets the sections of a song. One step of its workspace.
    pub fn set_sections(&mut self, id: SongId, revision: i64, sections: Vec<Section>) -> Result<(), StoreError> {
        let song = self.song(id)?;
        check_revision("song", id.0, revision, song.revision)?;
        self.change(Scope::Song(id), "sections", |_| {
            let state = |sections| vec![State::Sections { song: id, sections }];
            Ok(((), state(song.sections), state(Some(sections))))
        })
    }
}

fn song_row(row: &Row<'_>) -> rusqlite::Result<SongRow> {
    let sections: Option<String> = row.get(5)?;
    Ok(SongRow {
        id: SongId(row.get(0)?),
        name: row.get(1)?,
        file_name: row.get(2)?,
        revision: row.get(3)?,
        is_demo: row.get(4)?,
        sections: sections.and_then(|sections| serde_json::from_str(&sections).ok()),
        parts: Vec::new(),
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
    for (position, part) in file.parts.iter().enumerate() {
        insert_part(transaction, id, position, part.drums)?;
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

pub(crate) fn check_revision(what: &'static str, id: i64, expected: i64, found: i64) -> Result<(), StoreError> {
    if expected == found { Ok(()) } else { Err(StoreError::Conflict { what, id, expected, found }) }
}

pub(crate) fn checked_name(name: &str) -> Result<String, StoreError> {
    let shown = vivida_smf::readable(name.as_bytes());
    if shown.is_empty() {
        return Err(StoreError::Invalid { field: "name", message: "it needs a name that can be read".to_owned() });
    }
    Ok(shown)
}
