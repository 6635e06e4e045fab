//! Steps: how every change is undone and done again, and how histories stay bounded.

use crate::StoreError;
use crate::batches::BatchId;
use crate::change::{Change, forget_cards};
use crate::songs::{self, SongId};
use crate::state::State;
use rusqlite::{Connection, OptionalExtension, Transaction, params};
use serde::Serialize;
use ts_rs::TS;

/// Whose history.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Scope {
    /// The shelf: songs added, renamed, duplicated, deleted; the libraries.
    Shelf,
    /// One song's workspace.
    Song(SongId),
}

impl From<Option<SongId>> for Scope {
    fn from(song: Option<SongId>) -> Scope {
        song.map_or(Scope::Shelf, Scope::Song)
    }
}

/// What undo and redo would do next.
#[derive(Clone, Debug, Default, PartialEq, Serialize, TS)]
pub struct History {
    /// The label of the newest step, if there is one to undo.
    pub undo: Option<String>,
    /// The label of the oldest undone step, if there is one to do again.
    pub redo: Option<String>,
}

/// A step of a history, for a list of them.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Step {
    /// Ascending with time.
    #[ts(type = "number")]
    pub id: i64,
    /// What was done.
    pub label: String,
    /// When, in UTC: `2026-11-27 09:30:00`.
    pub when: String,
    /// It was taken back, and can be done again.
    pub undone: bool,
}

/// Whose work a step is.
pub(crate) struct Origin {
    /// The batch that it is of.
    pub(crate) batch: Option<BatchId>,
    /// What whoever asked for it calls it.
    pub(crate) key: Option<String>,
}

/// So many of the newest steps are listed.
const LISTED: i64 = 500;

/// A history holds so many bytes, what it keeps from being thrown away counted in: thousands of usual steps.
const MOST_BYTES: i64 = 64 << 20;
/// However large they are, so many of the newest steps stay.
const FEWEST_STEPS: usize = 20;

impl Scope {
    /// The song, where it is one's.
    pub fn song(self) -> Option<SongId> {
        match self {
            Scope::Shelf => None,
            Scope::Song(id) => Some(id),
        }
    }

    fn id(self) -> Option<i64> {
        self.song().map(|id| id.0)
    }

    /// Refuses states that this history must not reach.
    fn check(self, transaction: &Transaction<'_>, states: &[State]) -> Result<(), StoreError> {
        let Some(song) = self.song() else { return Ok(()) };
        states.iter().try_for_each(|state| state.check_within(transaction, song))
    }

    pub(crate) fn write_step(
        self,
        transaction: &Transaction<'_>,
        label: &str,
        before: &[State],
        after: &[State],
        origin: &Origin,
    ) -> Result<(), StoreError> {
        self.check(transaction, after)?;
        let undone = transaction.execute("DELETE FROM step WHERE song IS ?1 AND undone = 1", [self.id()])?;
        let (left, right) = State::write(before, after);
        let size = (left.len() + right.len()) as i64 + held(transaction, after)?;
        let sql = "INSERT INTO step (song, label, before, after, size, batch, key) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)";
        transaction.prepare_cached(sql)?.execute(params![
            self.id(),
            label,
            left,
            right,
            size,
            origin.batch.map(|batch| batch.0),
            origin.key
        ])?;
        let step = transaction.last_insert_rowid();
        let held = before.iter().chain(after).filter_map(State::holds);
        for (kind, id) in before.iter().map(State::key).chain(held) {
            let sql = "INSERT OR IGNORE INTO touched (kind, id, step) VALUES (?1, ?2, ?3)";
            transaction.prepare_cached(sql)?.execute(params![kind, id, step])?;
        }
        let forgotten = self.bound(transaction)?;
        if undone + forgotten > 0 {
            give_back(transaction)?;
        }
        Ok(())
    }

    /// Forgets the oldest steps where there are too many bytes of them.
    pub(crate) fn bound(self, transaction: &Transaction<'_>) -> rusqlite::Result<usize> {
        let sum = "SELECT coalesce(sum(size), 0) FROM step WHERE song IS ?1";
        if transaction.prepare_cached(sum)?.query_row([self.id()], |row| row.get::<_, i64>(0))? <= MOST_BYTES {
            return Ok(0);
        }
        let sql = "SELECT id, size FROM step WHERE song IS ?1 ORDER BY id DESC";
        let mut query = transaction.prepare_cached(sql)?;
        let steps = query.query_map([self.id()], |row| Ok((row.get::<_, i64>(0)?, row.get::<_, i64>(1)?)))?;
        let (mut bytes, mut oldest) = (0, i64::MIN);
        for (place, step) in steps.enumerate() {
            let (id, size) = step?;
            bytes += size;
            if place >= FEWEST_STEPS && bytes > MOST_BYTES {
                oldest = id + 1;
                break;
            }
        }
        transaction.execute("DELETE FROM step WHERE song IS ?1 AND id < ?2", params![self.id(), oldest])
    }

    pub(crate) fn travel(self, transaction: &Transaction<'_>, back: bool) -> Result<Option<String>, StoreError> {
        let sql = if back {
            "SELECT id, label, before FROM step WHERE song IS ?1 AND undone = 0 ORDER BY id DESC LIMIT 1"
        } else {
            "SELECT id, label, after FROM step WHERE song IS ?1 AND undone = 1 ORDER BY id LIMIT 1"
        };
        let read = |row: &rusqlite::Row<'_>| Ok((row.get(0)?, row.get(1)?, row.get(2)?));
        let step: Option<(i64, String, String)> = transaction.query_row(sql, [self.id()], read).optional()?;
        let Some((id, label, side)) = step else { return Ok(None) };
        let states = State::read(transaction, id, &side)?;
        self.check(transaction, &states)?;
        for state in &states {
            state.apply(transaction)?;
        }
        transaction.execute("UPDATE step SET undone = ?2 WHERE id = ?1", params![id, back])?;
        forget_cards(transaction, self, &states)?;
        Ok(Some(label))
    }
}

impl Change<'_> {
    /// Takes back the newest step of a song, or of the shelf; says which, or nothing where there is none.
    pub fn undo(&mut self, song: Option<SongId>) -> Result<Option<String>, StoreError> {
        self.travel(song, true)
    }

    /// Does the step again that was undone last; says which, or nothing where there is none.
    pub fn redo(&mut self, song: Option<SongId>) -> Result<Option<String>, StoreError> {
        self.travel(song, false)
    }

    /// Takes steps back or does them again until this one is the newest that is done. Says how many.
    pub fn travel_to(&mut self, song: SongId, step: i64) -> Result<usize, StoreError> {
        let known = list(&self.transaction, song)?;
        let wanted = known.iter().find(|one| one.id == step).ok_or(StoreError::NotFound { what: "step", id: step })?;
        let (back, steps) = match wanted.undone {
            true => (false, known.iter().filter(|one| one.undone && one.id <= step).count()),
            false => (true, known.iter().filter(|one| !one.undone && one.id > step).count()),
        };
        for _ in 0..steps {
            self.travel(Some(song), back)?;
        }
        Ok(steps)
    }

    fn travel(&mut self, song: Option<SongId>, back: bool) -> Result<Option<String>, StoreError> {
        if let Some(id) = song {
            songs::one(&self.transaction, id)?;
        }
        Scope::from(song).travel(&self.transaction, back)
    }
}

/// The newest steps of a song, the newest first.
pub(crate) fn list(connection: &Connection, song: SongId) -> Result<Vec<Step>, StoreError> {
    let sql = "SELECT id, label, created, undone FROM step WHERE song = ?1 ORDER BY id DESC LIMIT ?2";
    let mut query = connection.prepare_cached(sql)?;
    let step = |row: &rusqlite::Row<'_>| {
        Ok(Step { id: row.get(0)?, label: row.get(1)?, when: row.get(2)?, undone: row.get(3)? })
    };
    Ok(query.query_map(params![song.0, LISTED], step)?.collect::<rusqlite::Result<_>>()?)
}

/// Whether there is a step of this key, undone or not.
pub(crate) fn has_key(connection: &Connection, of: Scope, key: &str) -> Result<bool, StoreError> {
    let mut query = connection.prepare_cached("SELECT 1 FROM step WHERE song IS ?1 AND key = ?2")?;
    Ok(query.exists(params![of.id(), key])?)
}

pub(crate) fn next(connection: &Connection, song: Option<SongId>) -> Result<History, StoreError> {
    let label = |sql: &str| -> rusqlite::Result<Option<String>> {
        connection.prepare_cached(sql)?.query_row([Scope::from(song).id()], |row| row.get(0)).optional()
    };
    Ok(History {
        undo: label("SELECT label FROM step WHERE song IS ?1 AND undone = 0 ORDER BY id DESC LIMIT 1")?,
        redo: label("SELECT label FROM step WHERE song IS ?1 AND undone = 1 ORDER BY id LIMIT 1")?,
    })
}

/// What a step that deletes something keeps from being thrown away, in bytes.
fn held(transaction: &Transaction<'_>, after: &[State]) -> rusqlite::Result<i64> {
    let mut bytes = 0;
    for state in after {
        let (sql, id) = match state {
            State::Song { id, deleted: true, .. } => (
                "SELECT (SELECT coalesce(sum(length(bytes)), 0) FROM file WHERE file.song = song.id)
                    + (SELECT coalesce(sum(length(recipe) + coalesce(length(hits), 0)), 0)
                       FROM take JOIN part ON part.id = take.part WHERE part.song = song.id)
                    + (SELECT coalesce(sum(size), 0) FROM step WHERE step.song = song.id)
                 FROM song WHERE id = ?1",
                id.0,
            ),
            State::Take { id, deleted: true, .. } => ("SELECT coalesce(length(hits), 0) FROM take WHERE id = ?1", id.0),
            State::File { file, .. } => ("SELECT length(bytes) FROM file WHERE id = ?1", file.0),
            _ => continue,
        };
        bytes += transaction.query_row(sql, [id], |row| row.get::<_, i64>(0))?;
    }
    Ok(bytes)
}

/// Throws away what is deleted and touched by no step any more.
fn give_back(transaction: &Transaction<'_>) -> rusqlite::Result<()> {
    for kind in ["song", "part", "take", "recipe", "groove", "kit", "pocket"] {
        // What ships with Vivida stays, for it would come again; so does a kit that a part has.
        let own = match kind {
            "groove" => "AND origin IS NULL",
            "kit" => "AND origin IS NULL AND NOT EXISTS (SELECT 1 FROM part WHERE part.kit = kit.id)",
            _ => "",
        };
        let counted = if kind == "take" { "written" } else { "revision" };
        let mut gone = transaction.prepare_cached(&format!(
            "DELETE FROM {kind} WHERE deleted = 1 {own} AND NOT EXISTS
             (SELECT 1 FROM touched WHERE touched.kind = '{kind}' AND touched.id = {kind}.id) RETURNING {counted}"
        ))?;
        let revisions = gone.query_map([], |row| row.get::<_, i64>(0))?.collect::<rusqlite::Result<Vec<_>>>()?;
        // A backup may bring the row back: then its revisions must not come twice.
        if let Some(highest) = revisions.into_iter().max() {
            transaction.execute("UPDATE shelf SET highest = max(highest, ?1)", [highest])?;
        }
    }
    transaction.execute(
        "DELETE FROM file WHERE NOT EXISTS (SELECT 1 FROM song WHERE song.file = file.id)
            AND NOT EXISTS (SELECT 1 FROM touched WHERE touched.kind = 'file' AND touched.id = file.id)",
        [],
    )?;
    Ok(())
}

/// Fills in what the steps of former versions touch.
pub(crate) fn fill_touched(transaction: &Transaction<'_>) -> rusqlite::Result<()> {
    let mut query = transaction.prepare("SELECT id, before FROM step")?;
    let steps = query.query_map([], |row| Ok((row.get::<_, i64>(0)?, row.get::<_, String>(1)?)))?;
    let steps: Vec<(i64, String)> = steps.collect::<rusqlite::Result<_>>()?;
    for (step, before) in steps {
        // What cannot be read touches nothing that could be found.
        let Ok(value) = serde_json::from_str::<serde_json::Value>(&before) else { continue };
        let states = value.as_array().cloned().unwrap_or_else(|| vec![value]);
        for state in states {
            let kind = match state["of"].as_str() {
                Some("song" | "sections") => "song",
                Some("part-and-take" | "part") => "part",
                Some(kind @ ("take" | "recipe" | "groove" | "pocket")) => kind,
                _ => continue,
            };
            let Some(id) = state["id"].as_i64().or(state["song"].as_i64()) else { continue };
            let sql = "INSERT OR IGNORE INTO touched (kind, id, step) VALUES (?1, ?2, ?3)";
            transaction.prepare_cached(sql)?.execute(params![kind, id, step])?;
        }
    }
    Ok(())
}
