//! Steps: how every change is made, undone and done again.

use crate::songs::{PartId, PartRow, SongId};
use crate::{Store, StoreError};
use rusqlite::{OptionalExtension, Transaction, params};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use ts_rs::TS;
use vivida_core::Recipe;

/// Whose history.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Scope {
    /// The shelf: songs added, renamed, duplicated, deleted.
    Shelf,
    /// One song's workspace.
    Song(SongId),
}

impl Scope {
    fn song(self) -> Option<i64> {
        match self {
            Scope::Shelf => None,
            Scope::Song(id) => Some(id.0),
        }
    }
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

/// One thing as it was before or after a step.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum State {
    Song { id: SongId, name: String, deleted: bool },
    Part { id: PartId, recipe: Recipe, variation: u32, drums: bool },
}

#[derive(Deserialize)]
#[serde(tag = "of", rename_all = "kebab-case")]
enum Stored {
    Song { id: SongId, name: String, deleted: bool },
    Part { id: PartId, recipe: Value, variation: u32, drums: bool },
}

impl State {
    pub fn of_part(part: &PartRow) -> State {
        State::Part { id: part.id, recipe: part.recipe.clone(), variation: part.variation, drums: part.drums }
    }

    fn write(&self) -> String {
        match self {
            State::Song { id, name, deleted } => json!({"of": "song", "id": id, "name": name, "deleted": deleted}),
            State::Part { id, recipe, variation, drums } => {
                json!({"of": "part", "id": id, "recipe": recipe, "variation": variation, "drums": drums})
            }
        }
        .to_string()
    }

    fn read(text: &str) -> Result<State, String> {
        Ok(match serde_json::from_str(text).map_err(|error| error.to_string())? {
            Stored::Song { id, name, deleted } => State::Song { id, name, deleted },
            Stored::Part { id, recipe, variation, drums } => {
                let recipe = Recipe::from_value(recipe).map_err(|error| error.to_string())?;
                State::Part { id, recipe, variation, drums }
            }
        })
    }

    fn apply(&self, transaction: &Transaction<'_>) -> rusqlite::Result<()> {
        match self {
            State::Song { id, name, deleted } => {
                let sql = "UPDATE song SET name = ?2, deleted = ?3, revision = revision + 1 WHERE id = ?1";
                transaction.execute(sql, params![id.0, name, deleted])?;
            }
            State::Part { id, recipe, variation, drums } => {
                let sql =
                    "UPDATE part SET recipe = ?2, variation = ?3, drums = ?4, revision = revision + 1 WHERE id = ?1";
                transaction.execute(sql, params![id.0, json!(recipe).to_string(), variation, drums])?;
            }
        }
        Ok(())
    }
}

impl Store {
    /// Makes a change and writes its step, both or neither. What had been undone in this scope
    /// can then no longer be done again.
    pub(crate) fn change<T>(
        &mut self,
        scope: Scope,
        label: &str,
        make: impl FnOnce(&Transaction<'_>) -> Result<(T, State, State), StoreError>,
    ) -> Result<T, StoreError> {
        let transaction = self.connection.transaction()?;
        let (value, before, after) = make(&transaction)?;
        if before != after {
            after.apply(&transaction)?;
            transaction.execute("DELETE FROM step WHERE song IS ?1 AND undone = 1", [scope.song()])?;
            let sql = "INSERT INTO step (song, label, before, after) VALUES (?1, ?2, ?3, ?4)";
            transaction.execute(sql, params![scope.song(), label, before.write(), after.write()])?;
        }
        transaction.commit()?;
        Ok(value)
    }

    /// Takes back the newest step; says which, or nothing where there is none.
    pub fn undo(&mut self, song: Option<SongId>) -> Result<Option<String>, StoreError> {
        let newest = "SELECT id, label, before FROM step WHERE song IS ?1 AND undone = 0 ORDER BY id DESC LIMIT 1";
        self.travel(song.into(), newest, true)
    }

    /// Does the step again that was undone last; says which, or nothing where there is none.
    pub fn redo(&mut self, song: Option<SongId>) -> Result<Option<String>, StoreError> {
        let oldest = "SELECT id, label, after FROM step WHERE song IS ?1 AND undone = 1 ORDER BY id LIMIT 1";
        self.travel(song.into(), oldest, false)
    }

    fn travel(&mut self, scope: Scope, sql: &str, undone: bool) -> Result<Option<String>, StoreError> {
        let transaction = self.connection.transaction()?;
        let read = |row: &rusqlite::Row<'_>| Ok((row.get(0)?, row.get(1)?, row.get(2)?));
        let step: Option<(i64, String, String)> = transaction.query_row(sql, [scope.song()], read).optional()?;
        let Some((id, label, state)) = step else { return Ok(None) };
        let damaged = |reason| StoreError::Damaged { what: format!("step {id}"), reason };
        State::read(&state).map_err(damaged)?.apply(&transaction)?;
        transaction.execute("UPDATE step SET undone = ?2 WHERE id = ?1", params![id, undone])?;
        transaction.commit()?;
        Ok(Some(label))
    }

    /// What undo and redo would do next.
    pub fn history(&self, song: Option<SongId>) -> Result<History, StoreError> {
        let label = |sql: &str| -> rusqlite::Result<Option<String>> {
            self.connection.query_row(sql, [Scope::from(song).song()], |row| row.get(0)).optional()
        };
        Ok(History {
            undo: label("SELECT label FROM step WHERE song IS ?1 AND undone = 0 ORDER BY id DESC LIMIT 1")?,
            redo: label("SELECT label FROM step WHERE song IS ?1 AND undone = 1 ORDER BY id LIMIT 1")?,
        })
    }
}
