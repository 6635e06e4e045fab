//! Songs and what the shelf shows of them.

use crate::change::Change;
use crate::history::Scope;
use crate::parts::{self, PartId, StoredPart, copy_part, insert_part};
use crate::pockets::copy_pockets;
use crate::state::State;
use crate::{Damage, Reads, StoreError};
use rusqlite::{Connection, OptionalExtension, Row, Transaction, params};
use serde::{Deserialize, Serialize};
use serde_json::json;
use ts_rs::TS;
use vivida_core::{HitId, Section};
use vivida_smf::SongFile;

/// Names a song for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct SongId(pub i64);

/// Names a file of a song for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(transparent)]
pub struct FileId(pub i64);

/// A file that a song came in as.
#[derive(Clone, Debug, PartialEq)]
pub struct StoredFile {
    /// What it was called.
    pub name: String,
    /// As it came.
    pub bytes: Vec<u8>,
    /// For each part the ids of its hits, in the order of its note-ons; nothing where they are numbered.
    pub ids: Vec<Option<Vec<HitId>>>,
}

/// A song on the shelf.
#[derive(Clone, Debug, PartialEq)]
pub struct StoredSong {
    /// Its id.
    pub id: SongId,
    /// What the person calls it.
    pub name: String,
    /// The file that it is.
    pub file: FileId,
    /// What that was called.
    pub file_name: String,
    /// Counts its changes.
    pub revision: i64,
    /// Counts the changes of anything of it.
    pub stamp: i64,
    /// It came with Vivida.
    pub is_demo: bool,
    /// The sections that the person set; nothing where they are the file's markers.
    pub sections: Option<Vec<Section>>,
    /// Why the sections that the person set cannot be read.
    pub damage: Option<Damage>,
    /// Its parts, in the order of the file.
    pub parts: Vec<StoredPart>,
}

const SONG: &str = "SELECT song.id, song.name, coalesce(file.name, ''), song.revision, is_demo, sections, stamp,
                           coalesce(song.file, 0) FROM song LEFT JOIN file ON file.id = song.file";

pub(crate) fn all(connection: &Connection) -> Result<Vec<StoredSong>, StoreError> {
    let mut query = connection.prepare_cached(&format!("{SONG} WHERE deleted = 0 ORDER BY song.id"))?;
    let songs = query.query_map([], stored)?.collect::<rusqlite::Result<Vec<_>>>()?;
    songs.into_iter().map(|song| with_parts(connection, song)).collect()
}

pub(crate) fn one(connection: &Connection, id: SongId) -> Result<StoredSong, StoreError> {
    let mut query = connection.prepare_cached(&format!("{SONG} WHERE song.id = ?1 AND deleted = 0"))?;
    let song = query.query_row([id.0], stored).optional()?;
    song.ok_or(StoreError::NotFound { what: "song", id: id.0 })
}

pub(crate) fn with_parts(connection: &Connection, mut song: StoredSong) -> Result<StoredSong, StoreError> {
    song.parts = parts::of_song(connection, song.id)?;
    Ok(song)
}

pub(crate) fn file(connection: &Connection, id: FileId) -> Result<StoredFile, StoreError> {
    let mut query = connection.prepare_cached("SELECT name, bytes, ids FROM file WHERE id = ?1")?;
    let read = |row: &Row<'_>| Ok((row.get(0)?, row.get(1)?, row.get::<_, Option<String>>(2)?));
    let (name, bytes, ids) =
        query.query_row([id.0], read).optional()?.ok_or(StoreError::NotFound { what: "file", id: id.0 })?;
    // Ids that cannot be read are numbers again: every hit is there, what was done by hand may miss some.
    let ids = ids.and_then(|text| serde_json::from_str(&text).ok()).unwrap_or_default();
    Ok(StoredFile { name, bytes, ids })
}

pub(crate) fn card(connection: &Connection, id: SongId, version: &str) -> Result<Option<String>, StoreError> {
    let mut query = connection.prepare_cached("SELECT card FROM card WHERE song = ?1 AND version = ?2")?;
    Ok(query.query_row(params![id.0, version], |row| row.get(0)).optional()?)
}

impl Change<'_> {
    /// Puts a song on the shelf, with all its parts or not at all. A step of the shelf.
    pub fn add_song(
        &mut self,
        name: &str,
        file_name: &str,
        bytes: &[u8],
        file: &SongFile,
    ) -> Result<SongId, StoreError> {
        let name = checked_name(name)?;
        self.step(Scope::Shelf, format!("add “{name}”"));
        let id = insert_song(&self.transaction, &name, file_name, bytes, file, false)?;
        self.appears(id, name)?;
        Ok(id)
    }

    pub(crate) fn appears(&mut self, id: SongId, name: String) -> Result<(), StoreError> {
        let there = |deleted| State::Song { id, name: name.clone(), deleted };
        self.put(there(true), there(false))
    }

    /// Puts a demo song on the shelf if it has never been there. No step: it cannot be undone, only
    /// deleted, and does not come back then.
    pub fn add_demo(&mut self, name: &str, file_name: &str, bytes: &[u8], file: &SongFile) -> Result<(), StoreError> {
        let sql = "SELECT EXISTS (SELECT 1 FROM setting WHERE name = 'demo:' || ?1)
                       OR EXISTS (SELECT 1 FROM song JOIN file ON file.id = song.file WHERE is_demo = 1 AND file.name = ?1)";
        if !self.transaction.query_row(sql, [file_name], |row| row.get(0))? {
            insert_song(&self.transaction, name, file_name, bytes, file, true)?;
        }
        // Also when its place has been given back, it has been there.
        let sql = "INSERT OR IGNORE INTO setting (name, value) VALUES ('demo:' || ?1, 'true')";
        self.transaction.execute(sql, [file_name])?;
        Ok(())
    }

    /// Calls a song something else. A step of the shelf.
    pub fn rename(&mut self, id: SongId, revision: i64, name: &str) -> Result<(), StoreError> {
        let name = checked_name(name)?;
        let before = self.expected(id, revision)?.name;
        self.step(Scope::Shelf, format!("rename to “{name}”"));
        let called = |name| State::Song { id, name, deleted: false };
        self.put(called(before), called(name))
    }

    /// Takes a song off the shelf. A step of the shelf: undo brings it back as it was.
    pub fn delete(&mut self, id: SongId, revision: i64) -> Result<(), StoreError> {
        let name = self.expected(id, revision)?.name;
        self.step(Scope::Shelf, format!("delete “{name}”"));
        let there = |deleted| State::Song { id, name: name.clone(), deleted };
        self.put(there(false), there(true))
    }

    /// Takes several songs off the shelf at once. One step of the shelf.
    pub fn delete_songs(&mut self, songs: &[(SongId, i64)]) -> Result<(), StoreError> {
        if let [(id, revision)] = *songs {
            return self.delete(id, revision);
        }
        self.step(Scope::Shelf, format!("delete {} songs", songs.len()));
        for &(id, revision) in songs {
            let name = self.expected(id, revision)?.name;
            let there = |deleted| State::Song { id, name: name.clone(), deleted };
            self.put(there(false), there(true))?;
        }
        Ok(())
    }

    /// A second song from the same file, with what was made of its parts. A step of the shelf.
    pub fn duplicate(&mut self, id: SongId) -> Result<SongId, StoreError> {
        let song = self.song(id)?;
        let copy = checked_name(&format!("{} (copy)", song.name))?;
        self.step(Scope::Shelf, format!("duplicate “{}”", song.name));
        let sql = "INSERT INTO song (name, sections) SELECT ?2, sections FROM song WHERE id = ?1";
        self.transaction.execute(sql, params![id.0, copy])?;
        let new = SongId(self.transaction.last_insert_rowid());
        let sql = "INSERT INTO file (song, name, bytes, ids) SELECT ?2, name, bytes, ids FROM file WHERE id = ?1";
        self.transaction.execute(sql, params![song.file.0, new.0])?;
        let sql = "UPDATE song SET file = ?2 WHERE id = ?1";
        self.transaction.execute(sql, [new.0, self.transaction.last_insert_rowid()])?;
        for part in &song.parts {
            copy_part(&self.transaction, part.id, new)?;
        }
        copy_pockets(&self.transaction, id, new)?;
        self.appears(new, copy)?;
        Ok(new)
    }

    /// Sets the sections of a song. A step of its workspace.
    pub fn set_sections(&mut self, id: SongId, revision: i64, sections: Vec<Section>) -> Result<(), StoreError> {
        let before = self.expected(id, revision)?.sections;
        self.step(Scope::Song(id), "sections");
        let state = |sections| State::Sections { song: id, sections };
        self.put(state(before), state(Some(sections)))
    }

    /// Keeps what the shelf shows of a song, as JSON, if nothing of it has changed since it had this stamp.
    /// No step.
    pub fn keep_card(&mut self, id: SongId, stamp: i64, version: &str, card: &str) -> Result<(), StoreError> {
        let sql = "INSERT INTO card (song, version, card) SELECT id, ?3, ?4 FROM song WHERE id = ?1 AND stamp = ?2
                   ON CONFLICT DO UPDATE SET version = ?3, card = ?4";
        self.transaction.execute(sql, params![id.0, stamp, version, card])?;
        Ok(())
    }

    /// A song that has the expected revision.
    pub(crate) fn expected(&self, id: SongId, revision: i64) -> Result<StoredSong, StoreError> {
        let song = self.song_alone(id)?;
        check_revision("song", id.0, revision, song.revision)?;
        Ok(song)
    }
}

fn stored(row: &Row<'_>) -> rusqlite::Result<StoredSong> {
    let text: Option<String> = row.get(5)?;
    let read = |text: String| {
        let sections = serde_json::from_str(&text).map_err(|error| error.to_string());
        let checked = sections
            .and_then(|sections| Section::checked(sections).map_err(|(field, message)| format!("{field}: {message}")));
        match checked {
            Ok(sections) => (Some(sections), None),
            Err(reason) => (None, Some(Damage { reason, text })),
        }
    };
    let (sections, damage) = text.map_or((None, None), read);
    Ok(StoredSong {
        id: SongId(row.get(0)?),
        name: row.get(1)?,
        file: FileId(row.get(7)?),
        file_name: row.get(2)?,
        revision: row.get(3)?,
        stamp: row.get(6)?,
        is_demo: row.get(4)?,
        sections,
        damage,
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
    transaction.execute("INSERT INTO song (name, is_demo) VALUES (?1, ?2)", params![name, is_demo])?;
    let id = SongId(transaction.last_insert_rowid());
    let own = insert_file(
        transaction,
        id,
        &StoredFile { name: file_name.to_owned(), bytes: bytes.to_vec(), ids: Vec::new() },
    )?;
    transaction.execute("UPDATE song SET file = ?2 WHERE id = ?1", params![id.0, own.0])?;
    for (position, part) in file.parts.iter().enumerate() {
        insert_part(transaction, id, position, part)?;
    }
    Ok(id)
}

pub(crate) fn insert_file(transaction: &Transaction<'_>, song: SongId, file: &StoredFile) -> rusqlite::Result<FileId> {
    let ids = file.ids.iter().any(Option::is_some).then(|| json!(file.ids).to_string());
    let sql = "INSERT INTO file (song, name, bytes, ids) VALUES (?1, ?2, ?3, ?4)";
    let name = vivida_smf::readable(file.name.as_bytes());
    transaction.prepare_cached(sql)?.execute(params![song.0, name, file.bytes, ids])?;
    Ok(FileId(transaction.last_insert_rowid()))
}

pub(crate) fn check_revision(what: &'static str, id: i64, expected: i64, found: i64) -> Result<(), StoreError> {
    if expected == found { Ok(()) } else { Err(StoreError::Conflict { what, id, expected, found }) }
}

pub(crate) fn checked_name(name: &str) -> Result<String, StoreError> {
    let shown = vivida_smf::readable(name.as_bytes());
    if shown.is_empty() {
        return Err(StoreError::invalid("name", "it needs a name that can be read"));
    }
    Ok(shown)
}

/// The parts of a song that share a place in its file with another one.
pub(crate) fn has_second(parts: &[StoredPart], id: PartId) -> bool {
    let place = parts.iter().find(|part| part.id == id).map(|part| part.position);
    parts.iter().any(|part| part.id != id && Some(part.position) == place)
}
