//! Steps: how every change is made, undone and done again.

use crate::grooves::GrooveId;
use crate::parts::{PartId, TakeId};
use crate::recipes::RecipeId;
use crate::songs::SongId;
use crate::{Store, StoreError};
use rusqlite::{OptionalExtension, Transaction, params};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use ts_rs::TS;
use vivida_core::{Grid, GrooveProfile, Layers, PocketId, PocketSettings, Recipe, Section};

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
    Song {
        id: SongId,
        name: String,
        deleted: bool,
    },
    Sections {
        song: SongId,
        sections: Option<Vec<Section>>,
    },
    Part(PartState),
    Take {
        id: TakeId,
        name: String,
        recipe: Recipe,
        variation: u32,
        deleted: bool,
    },
    Recipe {
        id: RecipeId,
        name: String,
        note: String,
        recipe: Recipe,
        deleted: bool,
    },
    Groove {
        id: GrooveId,
        note: String,
        groove: GrooveProfile,
        favourite: bool,
        deleted: bool,
    },
    Pocket {
        id: PocketId,
        name: String,
        settings: PocketSettings,
        deleted: bool,
    },
    /// A part as the first version of the database kept it: what there is of its first take now.
    First {
        part: PartId,
        recipe: Recipe,
        variation: u32,
        drums: bool,
    },
}

/// What of a part is its own and not a take's.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct PartState {
    pub id: PartId,
    pub name: Option<String>,
    pub drums: bool,
    pub muted: bool,
    pub layers: Option<Layers>,
    #[serde(default)]
    pub grid: Option<Grid>,
    pub take: TakeId,
    pub deleted: bool,
}

#[derive(Serialize, Deserialize)]
#[serde(tag = "of", rename_all = "kebab-case")]
enum Stored {
    Song { id: SongId, name: String, deleted: bool },
    Sections { song: SongId, sections: Option<Vec<Section>> },
    PartAndTake(PartState),
    Take { id: TakeId, name: String, recipe: Value, variation: u32, deleted: bool },
    Recipe { id: RecipeId, name: String, note: String, recipe: Value, deleted: bool },
    Groove { id: GrooveId, note: String, groove: Value, favourite: bool, deleted: bool },
    Pocket { id: PocketId, name: String, settings: Value, deleted: bool },
    Part { id: PartId, recipe: Value, variation: u32, drums: bool },
}

impl State {
    fn stored(&self) -> Stored {
        match self.clone() {
            State::Song { id, name, deleted } => Stored::Song { id, name, deleted },
            State::Sections { song, sections } => Stored::Sections { song, sections },
            State::Part(part) => Stored::PartAndTake(part),
            State::Take { id, name, recipe, variation, deleted } => {
                Stored::Take { id, name, recipe: json!(recipe), variation, deleted }
            }
            State::Recipe { id, name, note, recipe, deleted } => {
                Stored::Recipe { id, name, note, recipe: json!(recipe), deleted }
            }
            State::Groove { id, note, groove, favourite, deleted } => {
                Stored::Groove { id, note, groove: json!(groove), favourite, deleted }
            }
            State::Pocket { id, name, settings, deleted } => {
                Stored::Pocket { id, name, settings: json!(settings), deleted }
            }
            State::First { part, recipe, variation, drums } => {
                Stored::Part { id: part, recipe: json!(recipe), variation, drums }
            }
        }
    }

    fn write(states: &[State]) -> String {
        json!(states.iter().map(State::stored).collect::<Vec<Stored>>()).to_string()
    }

    /// The states of one side of a step; the first version of the database wrote one alone.
    fn read(text: &str) -> Result<Vec<State>, String> {
        let value: Value = serde_json::from_str(text).map_err(|error| error.to_string())?;
        let states = match value {
            Value::Array(states) => states,
            one => vec![one],
        };
        states.into_iter().map(State::from_value).collect()
    }

    fn from_value(value: Value) -> Result<State, String> {
        let read = |recipe| Recipe::from_value(recipe).map_err(|error| error.to_string());
        Ok(match serde_json::from_value(value).map_err(|error| error.to_string())? {
            Stored::Song { id, name, deleted } => State::Song { id, name, deleted },
            Stored::Sections { song, sections } => State::Sections { song, sections },
            Stored::PartAndTake(part) => State::Part(part),
            Stored::Take { id, name, recipe, variation, deleted } => {
                State::Take { id, name, recipe: read(recipe)?, variation, deleted }
            }
            Stored::Recipe { id, name, note, recipe, deleted } => {
                State::Recipe { id, name, note, recipe: read(recipe)?, deleted }
            }
            Stored::Groove { id, note, groove, favourite, deleted } => {
                let groove = GrooveProfile::from_value(groove).map_err(|error| error.to_string())?;
                State::Groove { id, note, groove, favourite, deleted }
            }
            Stored::Pocket { id, name, settings, deleted } => {
                let settings = PocketSettings::from_value(settings);
                let settings = settings.map_err(|(field, message)| format!("{field}: {message}"))?;
                State::Pocket { id, name, settings, deleted }
            }
            Stored::Part { id, recipe, variation, drums } => {
                State::First { part: id, recipe: read(recipe)?, variation, drums }
            }
        })
    }

    fn apply(&self, transaction: &Transaction<'_>) -> rusqlite::Result<()> {
        match self {
            State::Song { id, name, deleted } => {
                let sql = "UPDATE song SET name = ?2, deleted = ?3, revision = revision + 1 WHERE id = ?1";
                transaction.execute(sql, params![id.0, name, deleted])?;
            }
            State::Sections { song, sections } => {
                let sql = "UPDATE song SET sections = ?2, revision = revision + 1 WHERE id = ?1";
                let sections = sections.as_ref().map(|sections| json!(sections).to_string());
                transaction.execute(sql, params![song.0, sections])?;
            }
            State::Part(PartState { id, name, drums, muted, layers, grid, take, deleted }) => {
                let sql = "UPDATE part SET name = ?2, drums = ?3, muted = ?4, layers = ?5, take = ?6, deleted = ?7,
                           grid = ?8, revision = revision + 1 WHERE id = ?1";
                let layers = layers.as_ref().map(|layers| json!(layers).to_string());
                transaction.execute(
                    sql,
                    params![id.0, name, drums, muted, layers, take.0, deleted, grid.map(|grid| grid.to_string())],
                )?;
            }
            State::Take { id, name, recipe, variation, deleted } => {
                let sql = "UPDATE take SET name = ?2, recipe = ?3, variation = ?4, deleted = ?5 WHERE id = ?1";
                transaction.execute(sql, params![id.0, name, json!(recipe).to_string(), variation, deleted])?;
                let sql = "UPDATE part SET revision = revision + 1 WHERE id = (SELECT part FROM take WHERE id = ?1)";
                transaction.execute(sql, [id.0])?;
            }
            State::Recipe { id, name, note, recipe, deleted } => {
                let sql = "UPDATE recipe SET name = ?2, note = ?3, recipe = ?4, deleted = ?5,
                           revision = revision + 1 WHERE id = ?1";
                transaction.execute(sql, params![id.0, name, note, json!(recipe).to_string(), deleted])?;
            }
            State::Groove { id, note, groove, favourite, deleted } => {
                let sql = "UPDATE groove SET note = ?2, groove = ?3, favourite = ?4, deleted = ?5,
                           revision = revision + 1 WHERE id = ?1";
                transaction.execute(sql, params![id.0, note, json!(groove).to_string(), favourite, deleted])?;
            }
            State::Pocket { id, name, settings, deleted } => {
                let sql = "UPDATE pocket SET name = ?2, settings = ?3, deleted = ?4,
                           revision = revision + 1 WHERE id = ?1";
                transaction.execute(sql, params![id.0, name, json!(settings).to_string(), deleted])?;
            }
            State::First { part, recipe, variation, drums } => {
                let sql = "UPDATE take SET recipe = ?2, variation = ?3
                           WHERE id = (SELECT min(id) FROM take WHERE part = ?1)";
                transaction.execute(sql, params![part.0, json!(recipe).to_string(), variation])?;
                let sql = "UPDATE part SET drums = ?2, revision = revision + 1 WHERE id = ?1";
                transaction.execute(sql, params![part.0, drums])?;
            }
        }
        Ok(())
    }
}

/// What a change comes to: what it answers, and the states before and after it.
pub(crate) type Change<T> = (T, Vec<State>, Vec<State>);

impl Store {
    /// Makes a change and writes its step, both or neither. What had been undone in this scope
    /// can then no longer be done again.
    pub(crate) fn change<T>(
        &mut self,
        scope: Scope,
        label: &str,
        make: impl FnOnce(&Transaction<'_>) -> Result<Change<T>, StoreError>,
    ) -> Result<T, StoreError> {
        let transaction = self.connection.transaction()?;
        let (value, before, after) = make(&transaction)?;
        if before != after {
            for state in &after {
                state.apply(&transaction)?;
            }
            transaction.execute("DELETE FROM step WHERE song IS ?1 AND undone = 1", [scope.song()])?;
            let sql = "INSERT INTO step (song, label, before, after) VALUES (?1, ?2, ?3, ?4)";
            transaction.execute(sql, params![scope.song(), label, State::write(&before), State::write(&after)])?;
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
        for state in State::read(&state).map_err(damaged)? {
            state.apply(&transaction)?;
        }
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
