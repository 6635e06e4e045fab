//! Songs that are treated together: what is done to each is a step of its own, and all can be undone as one.

use crate::change::Change;
use crate::history::Scope;
use crate::songs::SongId;
use crate::{Reads, StoreError};
use rusqlite::{Connection, OptionalExtension, Row, Transaction, params};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Names a batch for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct BatchId(pub i64);

/// How far a batch is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum BatchState {
    /// It goes on.
    Running,
    /// All songs had their turn.
    Done,
    /// Somebody stopped it.
    Cancelled,
    /// The program ended in its midst.
    Interrupted,
    /// It was taken back.
    Undone,
}

/// What became of a song of a batch.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum BatchSongState {
    /// Its turn has not come.
    Waiting,
    /// It was treated.
    Done,
    /// It was treated, and was as it would be already: there is nothing to undo.
    Unchanged,
    /// It could not be treated, and is as it was.
    Failed,
    /// Its turn never came, and it is as it was.
    Left,
    /// It was taken back.
    Undone,
}

/// A batch.
#[derive(Clone, Debug, PartialEq)]
pub struct StoredBatch {
    /// Its id.
    pub id: BatchId,
    /// What was given to the songs.
    pub label: String,
    /// How far it is.
    pub state: BatchState,
    /// When it began, in UTC.
    pub when: String,
    /// How many songs it is over.
    pub count: u32,
    /// Its songs, in their order; none in a list of batches.
    pub songs: Vec<StoredBatchSong>,
}

/// A song of a batch.
#[derive(Clone, Debug, PartialEq)]
pub struct StoredBatchSong {
    /// Which.
    pub song: SongId,
    /// What it was called then.
    pub name: String,
    /// What became of it.
    pub state: BatchSongState,
    /// What was done to it, as JSON.
    pub report: Option<String>,
}

/// So many are kept; the oldest go first.
const MOST: i64 = 40;

/// A word of the database as one of a few.
fn word<T: for<'de> Deserialize<'de>>(text: String, otherwise: T) -> T {
    serde_json::from_value(serde_json::Value::String(text)).unwrap_or(otherwise)
}

fn text<T: Serialize>(word: T) -> String {
    serde_json::to_value(word).ok().and_then(|value| value.as_str().map(str::to_owned)).unwrap_or_default()
}

const BATCH: &str = "SELECT id, label, state, created, (SELECT count(*) FROM batch_song WHERE batch = batch.id)
                     FROM batch";

pub(crate) fn all(connection: &Connection) -> Result<Vec<StoredBatch>, StoreError> {
    let mut query = connection.prepare_cached(&format!("{BATCH} ORDER BY id DESC"))?;
    Ok(query.query_map([], stored)?.collect::<rusqlite::Result<_>>()?)
}

pub(crate) fn one(connection: &Connection, id: BatchId) -> Result<StoredBatch, StoreError> {
    let mut query = connection.prepare_cached(&format!("{BATCH} WHERE id = ?1"))?;
    let batch = query.query_row([id.0], stored).optional()?;
    with_songs(connection, batch.ok_or(StoreError::NotFound { what: "batch", id: id.0 })?)
}

fn stored(row: &Row<'_>) -> rusqlite::Result<StoredBatch> {
    let state = word(row.get(2)?, BatchState::Interrupted);
    let (id, label, when, count) = (BatchId(row.get(0)?), row.get(1)?, row.get(3)?, row.get(4)?);
    Ok(StoredBatch { id, label, state, when, count, songs: Vec::new() })
}

fn with_songs(connection: &Connection, mut batch: StoredBatch) -> Result<StoredBatch, StoreError> {
    let sql = "SELECT song, name, state, report FROM batch_song WHERE batch = ?1 ORDER BY place";
    let song = |row: &Row<'_>| {
        let state = word(row.get(2)?, BatchSongState::Left);
        Ok(StoredBatchSong { song: SongId(row.get(0)?), name: row.get(1)?, state, report: row.get(3)? })
    };
    batch.songs = connection.prepare_cached(sql)?.query_map([batch.id.0], song)?.collect::<rusqlite::Result<_>>()?;
    Ok(batch)
}

/// A song of a batch was treated, and nothing of it changed.
pub(crate) fn unchanged(transaction: &Transaction<'_>, (batch, song): (BatchId, SongId)) -> rusqlite::Result<()> {
    let sql = "UPDATE batch_song SET state = ?3 WHERE batch = ?1 AND song = ?2 AND state = ?4";
    let (unchanged, done) = (text(BatchSongState::Unchanged), text(BatchSongState::Done));
    transaction.execute(sql, params![batch.0, song.0, unchanged, done])?;
    Ok(())
}

impl Change<'_> {
    /// A batch over some songs, none of which had its turn. No step.
    pub fn add_batch(&mut self, label: &str, songs: &[SongId]) -> Result<BatchId, StoreError> {
        let sql = "INSERT INTO batch (label, state) VALUES (?1, ?2)";
        self.transaction.execute(sql, params![label, text(BatchState::Running)])?;
        let id = BatchId(self.transaction.last_insert_rowid());
        for (place, &song) in songs.iter().enumerate() {
            let name = self.song_alone(song)?.name;
            let sql = "INSERT INTO batch_song (batch, place, song, name, state) VALUES (?1, ?2, ?3, ?4, ?5)";
            let state = text(BatchSongState::Waiting);
            self.transaction.execute(sql, params![id.0, place as i64, song.0, name, state])?;
        }
        let sql = "DELETE FROM batch WHERE id <= (SELECT id FROM batch ORDER BY id DESC LIMIT 1 OFFSET ?1)
                       AND state <> 'running'";
        self.transaction.execute(sql, [MOST])?;
        Ok(id)
    }

    /// What became of a song of a batch. What else is done in this change is its step.
    pub fn batch_song(
        &mut self,
        batch: BatchId,
        song: SongId,
        state: BatchSongState,
        report: Option<&str>,
    ) -> Result<(), StoreError> {
        self.batch = Some((batch, song));
        let sql = "UPDATE batch_song SET state = ?3, report = ?4 WHERE batch = ?1 AND song = ?2";
        self.transaction.execute(sql, params![batch.0, song.0, text(state), report])?;
        Ok(())
    }

    /// What is known by now of what was done to a song of a batch, as JSON. No step.
    pub fn batch_report(&mut self, batch: BatchId, song: SongId, report: &str) -> Result<(), StoreError> {
        let sql = "UPDATE batch_song SET report = ?3 WHERE batch = ?1 AND song = ?2";
        self.transaction.execute(sql, params![batch.0, song.0, report])?;
        Ok(())
    }

    /// A batch has come to its end; songs whose turn never came are left. No step.
    pub fn end_batch(&mut self, batch: BatchId, state: BatchState) -> Result<(), StoreError> {
        self.transaction.execute("UPDATE batch SET state = ?2 WHERE id = ?1", params![batch.0, text(state)])?;
        let sql = "UPDATE batch_song SET state = ?2 WHERE batch = ?1 AND state = ?3";
        let (left, waiting) = (text(BatchSongState::Left), text(BatchSongState::Waiting));
        self.transaction.execute(sql, params![batch.0, left, waiting])?;
        Ok(())
    }

    /// Takes back what a batch did: in each song that was not changed since. Answers the names of the others.
    pub fn undo_batch(&mut self, id: BatchId) -> Result<Vec<String>, StoreError> {
        let batch = self.batch(id)?;
        if batch.state == BatchState::Running {
            return Err(StoreError::invalid("batch", "it still goes on; cancel it first"));
        }
        let mut left = Vec::new();
        let done: Vec<_> = batch.songs.iter().filter(|song| song.state == BatchSongState::Done).collect();
        if done.is_empty() && batch.state != BatchState::Undone {
            return Err(StoreError::invalid("batch", "it changed nothing, so there is nothing to undo"));
        }
        for song in done {
            let newest = "SELECT batch FROM step WHERE song = ?1 AND undone = 0 ORDER BY id DESC LIMIT 1";
            let newest: Option<Option<i64>> =
                self.transaction.query_row(newest, [song.song.0], |row| row.get(0)).optional()?;
            let own = "SELECT undone FROM step WHERE song = ?1 AND batch = ?2 ORDER BY id DESC LIMIT 1";
            let own: Option<bool> =
                self.transaction.query_row(own, [song.song.0, id.0], |row| row.get(0)).optional()?;
            let is_there = self.song_alone(song.song).is_ok();
            if is_there && newest.flatten() == Some(id.0) {
                Scope::Song(song.song).travel(&self.transaction, true)?;
            } else if !is_there || own != Some(true) {
                left.push(song.name.clone());
                continue;
            }
            let sql = "UPDATE batch_song SET state = ?3 WHERE batch = ?1 AND song = ?2";
            self.transaction.execute(sql, params![id.0, song.song.0, text(BatchSongState::Undone)])?;
        }
        if left.is_empty() {
            self.transaction
                .execute("UPDATE batch SET state = ?2 WHERE id = ?1", params![id.0, text(BatchState::Undone)])?;
        }
        Ok(left)
    }
}
