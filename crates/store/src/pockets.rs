//! Pockets: timings that parts and instruments of a song share.

use crate::history::{Scope, State};
use crate::parts::{PartId, PartRow, TakeId, TakeRow, read_recipe};
use crate::songs::{SongId, check_revision, checked_name};
use crate::{Store, StoreError};
use rusqlite::{OptionalExtension, Row, Transaction, params};
use serde_json::json;
use std::collections::BTreeMap;
use vivida_core::{Action, Grid, PocketId, PocketSettings, Pockets, Recipe};

/// A pocket of a song.
#[derive(Clone, Debug, PartialEq)]
pub struct PocketRow {
    /// Its id, which passes know it by.
    pub id: PocketId,
    /// Its song.
    pub song: SongId,
    /// What the person calls it.
    pub name: String,
    /// What its followers do.
    pub settings: PocketSettings,
    /// Counts its changes.
    pub revision: i64,
}

impl PocketRow {
    fn state(&self, deleted: bool) -> State {
        let PocketRow { id, name, settings, .. } = self.clone();
        State::Pocket { id, name, settings, deleted }
    }
}

/// New passes for the takes that are worked on.
pub type Recipes = Vec<(PartId, Recipe)>;

/// What several parts of a song are given at once.
#[derive(Debug, Default)]
pub struct SetUp<'a> {
    /// The id (see [`Store::next_pocket`]), the name and the settings of a new pocket.
    pub pocket: Option<(PocketId, &'a str, &'a PocketSettings)>,
    /// New passes; they may follow the new pocket.
    pub recipes: Recipes,
    /// Grids to measure against.
    pub grids: Vec<(PartId, Grid)>,
}

const POCKET: &str = "SELECT id, song, name, settings, revision FROM pocket WHERE deleted = 0";

impl Store {
    /// The pockets of a song, the oldest first.
    pub fn pockets(&self, song: SongId) -> Result<Vec<PocketRow>, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{POCKET} AND song = ?1 ORDER BY id"))?;
        let rows = query.query_map([song.0], raw)?.collect::<rusqlite::Result<Vec<_>>>()?;
        rows.into_iter().map(pocket_row).collect()
    }

    /// One pocket.
    pub fn pocket(&self, id: PocketId) -> Result<PocketRow, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{POCKET} AND id = ?1"))?;
        let row = query.query_row([id.0], raw).optional()?;
        pocket_row(row.ok_or(StoreError::NotFound { what: "pocket", id: i64::from(id.0) })?)
    }

    /// A new pocket, with the passes of those that follow it from the start. One step of the song.
    pub fn add_pocket(
        &mut self,
        song: SongId,
        name: &str,
        settings: &PocketSettings,
        followers: impl FnOnce(PocketId) -> Recipes,
    ) -> Result<PocketId, StoreError> {
        let id = self.next_pocket()?;
        let label = format!("make the pocket “{}”", checked_name(name)?);
        let set_up = SetUp { pocket: Some((id, name, settings)), recipes: followers(id), grids: Vec::new() };
        self.set_up(song, &label, set_up)?;
        Ok(id)
    }

    /// The id that the next pocket will have; nobody else has the store meanwhile.
    pub fn next_pocket(&self) -> Result<PocketId, StoreError> {
        let sql = "SELECT coalesce((SELECT seq FROM sqlite_sequence WHERE name = 'pocket'), 0) + 1";
        Ok(PocketId(self.connection.query_row(sql, [], |row| row.get(0))?))
    }

    /// A pocket, passes and grids for several parts at once. One step of the song.
    pub fn set_up(&mut self, song: SongId, label: &str, set_up: SetUp<'_>) -> Result<(), StoreError> {
        self.song_alone(song)?;
        let (mut before, mut after) = (Vec::new(), Vec::new());
        for (part, recipe) in set_up.recipes {
            let take = self.part(part)?.current().clone();
            before.push(take.state(false));
            after.push(TakeRow { recipe, ..take }.state(false));
        }
        for (part, grid) in set_up.grids {
            let row = self.part(part)?;
            before.push(State::Part(row.state(false)));
            after.push(State::Part(PartRow { grid: Some(grid), ..row }.state(false)));
        }
        let pocket = match set_up.pocket {
            Some((id, name, settings)) => {
                let (name, settings) = (checked_name(name)?, settings.clone());
                Some(PocketRow { id, song, name, settings, revision: 1 })
            }
            None => None,
        };
        self.change(Scope::Song(song), label, |transaction| {
            if let Some(row) = pocket {
                let sql = "INSERT INTO pocket (id, song, name, settings, deleted) VALUES (?1, ?2, ?3, ?4, 1)";
                transaction.execute(sql, params![row.id.0, song.0, row.name, json!(row.settings).to_string()])?;
                before.push(row.state(true));
                after.push(row.state(false));
            }
            Ok(((), before, after))
        })
    }

    /// Changes a pocket; all that follow it change with it. One step of the song.
    pub fn change_pocket(
        &mut self,
        id: PocketId,
        revision: i64,
        label: &str,
        name: &str,
        settings: &PocketSettings,
    ) -> Result<(), StoreError> {
        let before = self.pocket(id)?;
        check_revision("pocket", i64::from(id.0), revision, before.revision)?;
        let after = PocketRow { name: checked_name(name)?, settings: settings.clone(), ..before.clone() };
        self.change(Scope::Song(before.song), label, |_| Ok(((), vec![before.state(false)], vec![after.state(false)])))
    }

    /// Deletes a pocket; in every take of the song those that follow it keep its settings as ordinary
    /// passes. One step.
    pub fn delete_pocket(&mut self, id: PocketId, revision: i64) -> Result<(), StoreError> {
        let row = self.pocket(id)?;
        check_revision("pocket", i64::from(id.0), revision, row.revision)?;
        let pockets: Pockets = [(id, row.settings.clone())].into();
        let (mut before, mut after) = (vec![row.state(false)], vec![row.state(true)]);
        for part in self.parts_of(row.song)? {
            for take in part.takes {
                let recipe = take.recipe.detached(&pockets, |_| true);
                if recipe != take.recipe {
                    before.push(take.state(false));
                    after.push(TakeRow { recipe, ..take }.state(false));
                }
            }
        }
        self.change(Scope::Song(row.song), &format!("delete the pocket “{}”", row.name), |_| {
            Ok(((), before, after))
        })
    }

    /// Other passes for the takes that are worked on, in several parts at once. One step of the song.
    pub fn set_recipes(&mut self, song: SongId, label: &str, recipes: Recipes) -> Result<(), StoreError> {
        self.set_up(song, label, SetUp { recipes, ..SetUp::default() })
    }
}

/// Copies of a song's pockets for another song, whose takes follow those then.
pub(crate) fn copy_pockets(transaction: &Transaction<'_>, from: SongId, to: SongId) -> Result<(), StoreError> {
    let sql = "SELECT id FROM pocket WHERE song = ?1 AND deleted = 0 ORDER BY id";
    let ids: Vec<u32> =
        transaction.prepare(sql)?.query_map([from.0], |row| row.get(0))?.collect::<rusqlite::Result<_>>()?;
    let mut copies = BTreeMap::new();
    for id in ids {
        let sql = "INSERT INTO pocket (song, name, settings) SELECT ?2, name, settings FROM pocket WHERE id = ?1";
        transaction.execute(sql, params![id, to.0])?;
        copies.insert(PocketId(id), PocketId(transaction.last_insert_rowid() as u32));
    }
    if copies.is_empty() {
        return Ok(());
    }
    let sql = "SELECT take.id, recipe FROM take JOIN part ON part.id = take.part WHERE part.song = ?1";
    let takes: Vec<(TakeId, String)> = transaction
        .prepare(sql)?
        .query_map([to.0], |row| Ok((TakeId(row.get(0)?), row.get(1)?)))?
        .collect::<rusqlite::Result<_>>()?;
    for (take, recipe) in takes {
        let damaged = |reason| StoreError::Damaged { what: format!("take {}", take.0), reason };
        let mut recipe = read_recipe(&recipe).map_err(damaged)?;
        for pass in &mut recipe.passes {
            if let Action::Pocket(follow) = &mut pass.action {
                follow.pocket = copies.get(&follow.pocket).copied().unwrap_or(follow.pocket);
            }
        }
        let sql = "UPDATE take SET recipe = ?2 WHERE id = ?1";
        transaction.execute(sql, params![take.0, json!(recipe).to_string()])?;
    }
    Ok(())
}

type Raw = (u32, i64, String, String, i64);

fn raw(row: &Row<'_>) -> rusqlite::Result<Raw> {
    Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?, row.get(4)?))
}

fn pocket_row((id, song, name, settings, revision): Raw) -> Result<PocketRow, StoreError> {
    let damaged = |reason: String| StoreError::Damaged { what: format!("pocket {id}"), reason };
    let settings = serde_json::from_str(&settings).map_err(|error| damaged(error.to_string()))?;
    Ok(PocketRow { id: PocketId(id), song: SongId(song), name, settings, revision })
}
