//! Parts and their takes.

use crate::history::{PartState, Scope, State};
use crate::songs::{SongId, check_revision, checked_name};
use crate::{Store, StoreError};
use rusqlite::{OptionalExtension, Row, Transaction, params};
use serde::{Deserialize, Serialize};
use serde_json::json;
use ts_rs::TS;
use vivida_core::{Grid, Hit, Layers, Part, Recipe};

/// Names a part for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct PartId(pub i64);

/// Names a take for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct TakeId(pub i64);

/// A part of a song: one of the file's, or a second one made of it.
#[derive(Clone, Debug, PartialEq)]
pub struct PartRow {
    /// Its id.
    pub id: PartId,
    /// Its song.
    pub song: SongId,
    /// Its place among the parts of the file; a second part shares that of the first.
    pub position: usize,
    /// The person's own name for it; nothing where it has the file's.
    pub name: Option<String>,
    /// Taken as drums, else as tones.
    pub drums: bool,
    /// Neither heard nor exported.
    pub muted: bool,
    /// Where the velocity layers of its kit begin, where the person moved them for this part.
    pub layers: Option<Layers>,
    /// The grid that its timing is measured against; nothing where it is the one that fits best.
    pub grid: Option<Grid>,
    /// The take that is worked on.
    pub take: TakeId,
    /// All its takes, the oldest first.
    pub takes: Vec<TakeRow>,
    /// Counts its changes.
    pub revision: i64,
}

/// A kept version of a part: its Written and what was made of it.
#[derive(Clone, Debug, PartialEq)]
pub struct TakeRow {
    /// Its id.
    pub id: TakeId,
    /// What the person calls it.
    pub name: String,
    /// Its Written was printed; else it is as the file has it.
    pub is_print: bool,
    /// Its passes.
    pub recipe: Recipe,
    /// The number that its dice hang on.
    pub variation: u32,
}

impl TakeRow {
    pub(crate) fn state(&self, deleted: bool) -> State {
        let TakeRow { id, name, recipe, variation, .. } = self.clone();
        State::Take { id, name, recipe, variation, deleted }
    }
}

impl PartRow {
    /// The take that is worked on.
    pub fn current(&self) -> &TakeRow {
        self.takes.iter().find(|take| take.id == self.take).unwrap_or(&self.takes[0])
    }

    pub(crate) fn state(&self, deleted: bool) -> PartState {
        let PartRow { id, name, drums, muted, layers, grid, take, .. } = self.clone();
        PartState { id, name, drums, muted, layers, grid, take, deleted }
    }

    fn take(&self, id: TakeId) -> Result<&TakeRow, StoreError> {
        self.takes.iter().find(|take| take.id == id).ok_or(StoreError::NotFound { what: "take", id: id.0 })
    }
}

/// A change to a part; what is absent stays.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct PartChange {
    /// Another take to work on.
    pub take: Option<TakeId>,
    /// Other passes of the take.
    pub recipe: Option<Recipe>,
    /// Another variation of the take.
    pub variation: Option<u32>,
    /// Taken as drums or as tones.
    pub drums: Option<bool>,
    /// Another name.
    pub name: Option<String>,
    /// Muted or not.
    pub muted: Option<bool>,
    /// Other velocity layers; those of every song where there are none.
    pub layers: Option<Option<Layers>>,
    /// Another grid to measure against; the one that fits best where there is none.
    pub grid: Option<Option<Grid>>,
}

const PART: &str =
    "SELECT id, song, position, name, drums, muted, layers, take, revision, grid FROM part WHERE deleted = 0";

impl Store {
    pub(crate) fn parts_of(&self, song: SongId) -> Result<Vec<PartRow>, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{PART} AND song = ?1 ORDER BY position, id"))?;
        let parts = query.query_map([song.0], raw_part)?.collect::<rusqlite::Result<Vec<_>>>()?;
        parts.into_iter().map(|part| self.part_row(part)).collect()
    }

    /// One part.
    pub fn part(&self, id: PartId) -> Result<PartRow, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{PART} AND id = ?1"))?;
        let raw = query.query_row([id.0], raw_part).optional()?;
        self.part_row(raw.ok_or(StoreError::NotFound { what: "part", id: id.0 })?)
    }

    fn part_row(&self, raw: RawPart) -> Result<PartRow, StoreError> {
        let (id, song, position, name, drums, muted, layers, take, revision, grid) = raw;
        let damaged = |reason: String| StoreError::Damaged { what: format!("part {id}"), reason };
        let takes = self.takes(PartId(id))?;
        if takes.is_empty() {
            return Err(damaged("it has no take".to_owned()));
        }
        let layers = layers.map(|layers| serde_json::from_str(&layers)).transpose();
        Ok(PartRow {
            id: PartId(id),
            song: SongId(song),
            position: usize::try_from(position).map_err(|error| damaged(error.to_string()))?,
            name,
            drums,
            muted,
            layers: layers.map_err(|error| damaged(error.to_string()))?,
            take: TakeId(take.unwrap_or(takes[0].id.0)),
            takes,
            revision,
            grid: grid.and_then(|grid| grid.parse().ok()),
        })
    }

    fn takes(&self, part: PartId) -> Result<Vec<TakeRow>, StoreError> {
        let sql = "SELECT id, name, hits IS NOT NULL, recipe, variation FROM take
                   WHERE part = ?1 AND deleted = 0 ORDER BY id";
        let mut query = self.connection.prepare_cached(sql)?;
        let row = |row: &Row<'_>| Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?, row.get(4)?));
        let rows = query.query_map([part.0], row)?.collect::<rusqlite::Result<Vec<_>>>()?;
        let take = |(id, name, is_print, recipe, variation): (i64, String, bool, String, u32)| {
            let recipe =
                read_recipe(&recipe).map_err(|reason| StoreError::Damaged { what: format!("take {id}"), reason })?;
            Ok(TakeRow { id: TakeId(id), name, is_print, recipe, variation })
        };
        rows.into_iter().map(take).collect()
    }

    /// The Written of a printed take; nothing where it is as the file has it.
    pub fn take_hits(&self, id: TakeId) -> Result<Option<Part>, StoreError> {
        let mut query = self.connection.prepare_cached("SELECT hits FROM take WHERE id = ?1")?;
        let hits: Option<Option<String>> = query.query_row([id.0], |row| row.get(0)).optional()?;
        let Some(text) = hits.ok_or(StoreError::NotFound { what: "take", id: id.0 })? else { return Ok(None) };
        let hits: Result<Vec<Hit>, _> = serde_json::from_str(&text);
        let hits =
            hits.map_err(|error| StoreError::Damaged { what: format!("take {}", id.0), reason: error.to_string() })?;
        Ok(Some(Part::new(hits)))
    }

    /// Changes what was made of a part. One step of its song.
    pub fn change_part(
        &mut self,
        id: PartId,
        revision: i64,
        label: &str,
        change: PartChange,
    ) -> Result<(), StoreError> {
        let before = self.part(id)?;
        check_revision("part", id.0, revision, before.revision)?;
        let mut after = before.clone();
        if let Some(take) = change.take {
            before.take(take)?;
            after.take = take;
        }
        after.drums = change.drums.unwrap_or(before.drums);
        after.muted = change.muted.unwrap_or(before.muted);
        after.grid = change.grid.unwrap_or(before.grid);
        after.layers = change.layers.unwrap_or(before.layers.clone());
        if let Some(name) = change.name {
            after.name = Some(checked_name(&name)?);
        }
        let take = after.current().clone();
        let changed = TakeRow {
            recipe: change.recipe.unwrap_or(take.recipe.clone()),
            variation: change.variation.unwrap_or(take.variation),
            ..take.clone()
        };
        let (mut states, mut next) = (Vec::new(), Vec::new());
        if before.state(false) != after.state(false) {
            states.push(State::Part(before.state(false)));
            next.push(State::Part(after.state(false)));
        }
        if take != changed {
            states.push(take.state(false));
            next.push(changed.state(false));
        }
        self.change(Scope::Song(before.song), label, |_| Ok(((), states, next)))
    }

    /// Keeps hits as the Written of a new take, without passes, and goes on with it. One step.
    pub fn print(&mut self, id: PartId, revision: i64, name: &str, hits: &Part) -> Result<TakeId, StoreError> {
        let before = self.part(id)?;
        check_revision("part", id.0, revision, before.revision)?;
        let name = checked_name(name)?;
        self.change(Scope::Song(before.song), &format!("print “{name}”"), |transaction| {
            let sql = "INSERT INTO take (part, name, hits, deleted) VALUES (?1, ?2, ?3, 1)";
            transaction.execute(sql, params![id.0, name, json!(hits.hits()).to_string()])?;
            let take = TakeId(transaction.last_insert_rowid());
            let row = TakeRow { id: take, name: name.clone(), is_print: true, recipe: Recipe::default(), variation: 1 };
            let after = PartState { take, ..before.state(false) };
            let states = vec![State::Part(before.state(false)), row.state(true)];
            Ok((take, states, vec![State::Part(after), row.state(false)]))
        })
    }

    /// Calls a take something else. One step.
    pub fn rename_take(&mut self, id: PartId, revision: i64, take: TakeId, name: &str) -> Result<(), StoreError> {
        let part = self.part(id)?;
        check_revision("part", id.0, revision, part.revision)?;
        let before = part.take(take)?.clone();
        let after = TakeRow { name: checked_name(name)?, ..before.clone() };
        self.change(Scope::Song(part.song), &format!("rename the take to “{}”", after.name), |_| {
            Ok(((), vec![before.state(false)], vec![after.state(false)]))
        })
    }

    /// Deletes a take; where it was worked on, the oldest other one is then. One step.
    pub fn delete_take(&mut self, id: PartId, revision: i64, take: TakeId) -> Result<(), StoreError> {
        let part = self.part(id)?;
        check_revision("part", id.0, revision, part.revision)?;
        let gone = part.take(take)?.clone();
        let other = part.takes.iter().find(|one| one.id != take).ok_or_else(|| StoreError::Invalid {
            field: "take",
            message: "this is the part's only take; print another one first".to_owned(),
        })?;
        let next = PartState { take: if part.take == take { other.id } else { part.take }, ..part.state(false) };
        self.change(Scope::Song(part.song), &format!("delete the take “{}”", gone.name), |_| {
            let before = vec![State::Part(part.state(false)), gone.state(false)];
            Ok(((), before, vec![State::Part(next), gone.state(true)]))
        })
    }

    /// A second part beside this one, with copies of its takes. One step of the song.
    pub fn duplicate_part(&mut self, id: PartId, name: &str) -> Result<PartId, StoreError> {
        let part = self.part(id)?;
        let name = checked_name(name)?;
        self.change(Scope::Song(part.song), &format!("duplicate as “{name}”"), |transaction| {
            let (copy, take) = copy_part(transaction, id, part.song)?;
            let mut state = PartState { id: copy, name: Some(name.clone()), take, ..part.state(true) };
            let before = State::Part(state.clone());
            state.deleted = false;
            Ok((copy, vec![before], vec![State::Part(state)]))
        })
    }

    /// Takes a second part out of its song again; the last one of its place stays. One step.
    pub fn delete_part(&mut self, id: PartId, revision: i64) -> Result<(), StoreError> {
        let part = self.part(id)?;
        check_revision("part", id.0, revision, part.revision)?;
        let others = self.parts_of(part.song)?;
        if !others.iter().any(|other| other.position == part.position && other.id != id) {
            let message = "this is the file's own part and stays; mute it instead".to_owned();
            return Err(StoreError::Invalid { field: "part", message });
        }
        self.change(Scope::Song(part.song), "delete the part", |_| {
            Ok(((), vec![State::Part(part.state(false))], vec![State::Part(part.state(true))]))
        })
    }
}

type RawPart = (i64, i64, i64, Option<String>, bool, bool, Option<String>, Option<i64>, i64, Option<String>);

fn raw_part(row: &Row<'_>) -> rusqlite::Result<RawPart> {
    let (id, song, position) = (row.get(0)?, row.get(1)?, row.get(2)?);
    let (name, drums, muted) = (row.get(3)?, row.get(4)?, row.get(5)?);
    Ok((id, song, position, name, drums, muted, row.get(6)?, row.get(7)?, row.get(8)?, row.get(9)?))
}

pub(crate) fn read_recipe(text: &str) -> Result<Recipe, String> {
    let value = serde_json::from_str(text).map_err(|error| error.to_string())?;
    Recipe::from_value(value).map_err(|error| error.to_string())
}

/// A part of a new song, with its first take.
pub(crate) fn insert_part(
    transaction: &Transaction<'_>,
    song: SongId,
    position: usize,
    drums: bool,
) -> rusqlite::Result<()> {
    let sql = "INSERT INTO part (song, position, drums) VALUES (?1, ?2, ?3)";
    transaction.prepare_cached(sql)?.execute(params![song.0, position as i64, drums])?;
    let part = transaction.last_insert_rowid();
    transaction.prepare_cached("INSERT INTO take (part, name) VALUES (?1, 'As it came')")?.execute([part])?;
    let take = transaction.last_insert_rowid();
    transaction.prepare_cached("UPDATE part SET take = ?2 WHERE id = ?1")?.execute([part, take])?;
    Ok(())
}

/// A copy of a part and of all its takes, in the same or another song: its id, and that of the copy
/// of the take that is worked on.
pub(crate) fn copy_part(transaction: &Transaction<'_>, id: PartId, song: SongId) -> rusqlite::Result<(PartId, TakeId)> {
    let sql = "INSERT INTO part (song, position, name, drums, muted, layers, grid)
               SELECT ?2, position, name, drums, muted, layers, grid FROM part WHERE id = ?1";
    transaction.execute(sql, params![id.0, song.0])?;
    let copy = transaction.last_insert_rowid();
    let current: Option<i64> =
        transaction.query_row("SELECT take FROM part WHERE id = ?1", [id.0], |row| row.get(0))?;
    let sql = "SELECT id FROM take WHERE part = ?1 AND deleted = 0 ORDER BY id";
    let takes: Vec<i64> =
        transaction.prepare(sql)?.query_map([id.0], |row| row.get(0))?.collect::<rusqlite::Result<_>>()?;
    let mut chosen = 0;
    for take in takes {
        let sql = "INSERT INTO take (part, name, hits, recipe, variation)
                   SELECT ?2, name, hits, recipe, variation FROM take WHERE id = ?1";
        transaction.execute(sql, [take, copy])?;
        if chosen == 0 || Some(take) == current {
            chosen = transaction.last_insert_rowid();
        }
    }
    transaction.execute("UPDATE part SET take = ?2 WHERE id = ?1", [copy, chosen])?;
    Ok((PartId(copy), TakeId(chosen)))
}
