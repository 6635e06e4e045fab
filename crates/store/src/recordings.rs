//! What was recorded, raw: kept in pieces while it goes on, so that a kill loses at most the last one.

use crate::change::Change;
use crate::history::Scope;
use crate::kept::Damage;
use crate::parts::{PartId, StoredTake, TakeId, hits_text};
use crate::songs::checked_name;
use crate::state::{PartState, State};
use crate::{Reads, StoreError};
use rusqlite::{Connection, OptionalExtension, Row, params};
use serde::{Deserialize, Serialize};
use serde_json::json;
use std::time::{SystemTime, UNIX_EPOCH};
use ts_rs::TS;
use vivida_core::{Part, Recipe, Recording};

/// Names a recording for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct RecordingId(pub i64);

/// A recording.
#[derive(Clone, Debug, PartialEq)]
pub struct StoredRecording {
    /// Its id.
    pub id: RecordingId,
    /// Whose.
    pub part: PartId,
    /// Who records, or did.
    pub client: String,
    /// It goes on: it was not ended, and its last piece came a moment ago.
    pub open: bool,
    /// It was laid into the part.
    pub kept: bool,
    /// When it began, in UTC.
    pub when: String,
    /// So many pieces came.
    pub pieces: u32,
}

/// A recording whose pieces stop coming for so long, in s, is over.
const SILENCE: f64 = 6.0;
/// So many of a part stay; older ones go, those first that were laid into it.
const MOST: i64 = 12;
/// The most pieces of a recording: an hour and more.
const MOST_PIECES: i64 = 5000;

const RECORDING: &str = "SELECT recording.id, recording.part, client, open, kept, touched, recording.created,
                                (SELECT count(*) FROM recording_piece WHERE recording = recording.id)
                         FROM recording";

fn now() -> f64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map_or(0.0, |since| since.as_secs_f64())
}

fn stored(row: &Row<'_>) -> rusqlite::Result<StoredRecording> {
    let touched: f64 = row.get(5)?;
    Ok(StoredRecording {
        id: RecordingId(row.get(0)?),
        part: PartId(row.get(1)?),
        client: row.get(2)?,
        open: row.get::<_, bool>(3)? && (now() - touched).abs() < SILENCE,
        kept: row.get(4)?,
        when: row.get(6)?,
        pieces: row.get(7)?,
    })
}

pub(crate) fn of_part(connection: &Connection, part: PartId) -> Result<Vec<StoredRecording>, StoreError> {
    let mut query = connection.prepare_cached(&format!("{RECORDING} WHERE part = ?1 ORDER BY recording.id DESC"))?;
    Ok(query.query_map([part.0], stored)?.collect::<rusqlite::Result<_>>()?)
}

pub(crate) fn one(connection: &Connection, id: RecordingId) -> Result<StoredRecording, StoreError> {
    let mut query = connection.prepare_cached(&format!("{RECORDING} WHERE recording.id = ?1"))?;
    let found = query.query_row([id.0], stored).optional()?;
    found.ok_or(StoreError::NotFound { what: "recording", id: id.0 })
}

/// The pieces of a recording put together. A piece that cannot be read is left out, and said.
pub(crate) fn raw(connection: &Connection, id: RecordingId) -> Result<(Recording, Option<Damage>), StoreError> {
    let sql = "SELECT piece FROM recording_piece WHERE recording = ?1 ORDER BY number";
    let mut query = connection.prepare_cached(sql)?;
    let pieces: Vec<String> = query.query_map([id.0], |row| row.get(0))?.collect::<rusqlite::Result<_>>()?;
    let (mut whole, mut damage) = (Recording::default(), None);
    for text in pieces {
        match serde_json::from_str::<Recording>(&text) {
            Ok(piece) => whole.append(piece),
            Err(error) => damage = Some(Damage { reason: error.to_string(), text }),
        }
    }
    Ok((whole, damage))
}

impl Change<'_> {
    /// A recording begins in a part; refused while another client records there. No step.
    pub fn begin_recording(&mut self, part: PartId, client: &str) -> Result<RecordingId, StoreError> {
        self.part(part)?;
        if of_part(&self.transaction, part)?.iter().any(|one| one.open && one.client != client) {
            let why = "another window records into this part; stop it there first";
            return Err(StoreError::invalid("recording", why));
        }
        self.transaction.execute("UPDATE recording SET open = 0 WHERE part = ?1", [part.0])?;
        let sql = "INSERT INTO recording (part, client, touched) VALUES (?1, ?2, ?3)";
        self.transaction.execute(sql, params![part.0, client, now()])?;
        let id = RecordingId(self.transaction.last_insert_rowid());
        let sql = "DELETE FROM recording WHERE part = ?1 AND id NOT IN
                       (SELECT id FROM recording WHERE part = ?1 ORDER BY kept, id DESC LIMIT ?2)";
        self.transaction.execute(sql, [part.0, MOST])?;
        Ok(id)
    }

    /// A piece of a recording; one that is there already stays as it is. The last one ends it. No step.
    pub fn add_piece(&mut self, id: RecordingId, number: u32, piece: &Recording, last: bool) -> Result<(), StoreError> {
        let found = one(&self.transaction, id)?;
        if i64::from(number) >= MOST_PIECES {
            let why = format!("a recording has at most {MOST_PIECES} pieces; end it and begin another");
            return Err(StoreError::invalid("number", why));
        }
        if found.kept {
            return Err(StoreError::invalid("recording", "it is in the part already; begin another"));
        }
        let counts = [
            ("messages", piece.messages.len(), Recording::MOST_MESSAGES),
            ("clock", piece.clock.len(), Recording::MOST_READINGS),
            ("course", piece.course.len(), Recording::MOST_READINGS),
        ];
        for (field, more, most) in counts {
            let sql = format!(
                "SELECT ifnull(sum(ifnull({field}, json_array_length(piece, '$.{field}'))), 0) FROM recording_piece
                 WHERE recording = ?1"
            );
            let before: i64 = self.transaction.prepare_cached(&sql)?.query_row([id.0], |row| row.get(0))?;
            if before as usize + more > most {
                let why = format!("a recording holds {most} of them at most; end it and begin another");
                return Err(StoreError::invalid(format!("piece.{field}"), why));
            }
        }
        let sql = "INSERT OR IGNORE INTO recording_piece (recording, number, piece, messages, clock, course)
                   VALUES (?1, ?2, ?3, ?4, ?5, ?6)";
        let [messages, clock, course] = counts.map(|(_, count, _)| count as i64);
        self.transaction.execute(sql, params![id.0, number, json!(piece).to_string(), messages, clock, course])?;
        let sql = "UPDATE recording SET touched = ?2, open = open AND NOT ?3 WHERE id = ?1";
        self.transaction.execute(sql, params![id.0, now(), last])?;
        Ok(())
    }

    /// A recording is in its part now, or will not be. No step.
    pub fn recording_kept(&mut self, id: RecordingId) -> Result<(), StoreError> {
        self.transaction.execute("UPDATE recording SET kept = 1, open = 0 WHERE id = ?1", [id.0])?;
        Ok(())
    }

    /// A recording goes. No step: what was laid into the part stays there.
    pub fn delete_recording(&mut self, id: RecordingId) -> Result<(), StoreError> {
        one(&self.transaction, id)?;
        self.transaction.execute("DELETE FROM recording WHERE id = ?1", [id.0])?;
        Ok(())
    }

    /// New takes of a part, each with a Written and passes of its own; it goes on with the last. A step.
    pub fn add_takes(
        &mut self,
        id: PartId,
        revision: i64,
        label: &str,
        takes: Vec<(String, Part, Recipe)>,
    ) -> Result<Vec<TakeId>, StoreError> {
        let before = self.expected_part(id, revision)?;
        let variation = before.current().variation;
        self.step(Scope::Song(before.song), label);
        let mut added = Vec::new();
        for (name, hits, recipe) in takes {
            let name = checked_name(&name)?;
            let sql = "INSERT INTO take (part, name, hits, deleted) VALUES (?1, ?2, ?3, 1)";
            self.transaction.execute(sql, params![id.0, name, hits_text(&hits)?])?;
            let take = TakeId(self.transaction.last_insert_rowid());
            let new = StoredTake { id: take, name, is_print: true, recipe, damage: None, variation, written: 0 };
            self.put(new.state(true), new.state(false))?;
            added.push(take);
        }
        if let Some(&take) = added.last() {
            let after = PartState { take, ..before.state(false) };
            self.put(State::Part(before.state(false)), State::Part(after))?;
        }
        Ok(added)
    }
}
