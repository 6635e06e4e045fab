//! Pockets: timings that parts and instruments of a song share.

use crate::change::Change;
use crate::history::Scope;
use crate::kept::Kept;
use crate::parts::{self, StoredTake, TakeId};
use crate::songs::{SongId, check_revision, checked_name};
use crate::state::State;
use crate::{Damage, Reads, StoreError};
use rusqlite::{Connection, OptionalExtension, Row, Transaction, params};
use serde_json::json;
use std::collections::BTreeMap;
use vivida_core::{Action, PocketId, PocketSettings, Pockets, Recipe};

/// A pocket of a song.
#[derive(Clone, Debug, PartialEq)]
pub struct StoredPocket {
    /// Its id, which passes know it by.
    pub id: PocketId,
    /// Its song.
    pub song: SongId,
    /// What the person calls it.
    pub name: String,
    /// What its followers do; nothing where that cannot be read.
    pub settings: PocketSettings,
    /// Why its settings cannot be read.
    pub damage: Option<Damage>,
    /// Counts its changes.
    pub revision: i64,
}

impl StoredPocket {
    fn state(&self, deleted: bool) -> State {
        let settings = match &self.damage {
            Some(damage) => damage.text.clone(),
            None => json!(self.settings).to_string(),
        };
        State::Pocket { id: self.id, name: self.name.clone(), settings, deleted }
    }
}

const POCKET: &str = "SELECT pocket.id, pocket.song, pocket.name, pocket.settings, pocket.revision
                      FROM pocket JOIN song ON song.id = pocket.song WHERE pocket.deleted = 0 AND song.deleted = 0";

pub(crate) fn of_song(connection: &Connection, song: SongId) -> Result<Vec<StoredPocket>, StoreError> {
    let mut query = connection.prepare_cached(&format!("{POCKET} AND pocket.song = ?1 ORDER BY pocket.id"))?;
    Ok(query.query_map([song.0], stored)?.collect::<rusqlite::Result<_>>()?)
}

pub(crate) fn one(connection: &Connection, id: PocketId) -> Result<StoredPocket, StoreError> {
    let mut query = connection.prepare_cached(&format!("{POCKET} AND pocket.id = ?1"))?;
    let pocket = query.query_row([id.0], stored).optional()?;
    pocket.ok_or(StoreError::NotFound { what: "pocket", id: i64::from(id.0) })
}

impl Change<'_> {
    /// A pocket that has the expected revision.
    pub fn expected_pocket(&self, id: PocketId, revision: i64) -> Result<StoredPocket, StoreError> {
        let pocket = self.pocket(id)?;
        check_revision("pocket", i64::from(id.0), revision, pocket.revision)?;
        Ok(pocket)
    }

    /// A new pocket. A step of the song.
    pub fn add_pocket(&mut self, song: SongId, name: &str, settings: &PocketSettings) -> Result<PocketId, StoreError> {
        self.song_alone(song)?;
        let name = checked_name(name)?;
        self.step(Scope::Song(song), format!("make the pocket “{name}”"));
        let text = json!(settings).to_string();
        let sql = "INSERT INTO pocket (song, name, settings, deleted) VALUES (?1, ?2, ?3, 1)";
        self.transaction.execute(sql, params![song.0, name, text])?;
        let id = u32::try_from(self.transaction.last_insert_rowid()).map(PocketId);
        let id = id.map_err(|_| StoreError::invalid("name", "there have been more pockets than can be counted"))?;
        let state = |deleted| State::Pocket { id, name: name.clone(), settings: text.clone(), deleted };
        self.put(state(true), state(false))?;
        Ok(id)
    }

    /// Changes a pocket; all that follow it change with it. A step of the song.
    pub fn change_pocket(
        &mut self,
        id: PocketId,
        revision: i64,
        label: &str,
        name: &str,
        settings: &PocketSettings,
    ) -> Result<(), StoreError> {
        let before = self.expected_pocket(id, revision)?;
        self.step(Scope::Song(before.song), label);
        let after =
            StoredPocket { name: checked_name(name)?, settings: settings.clone(), damage: None, ..before.clone() };
        self.put(before.state(false), after.state(false))
    }

    /// Deletes a pocket; in every take of the song those that follow it keep its settings as ordinary
    /// passes. A step.
    ///
    /// # Errors
    ///
    /// Also where a take would be left with more passes than a recipe holds.
    pub fn delete_pocket(&mut self, id: PocketId, revision: i64) -> Result<(), StoreError> {
        let pocket = self.expected_pocket(id, revision)?;
        self.step(Scope::Song(pocket.song), format!("delete the pocket “{}”", pocket.name));
        // Of a pocket that cannot be read nobody knows what it said: its followers are left as they are.
        let known = if pocket.damage.is_none() { Some((id, pocket.settings.clone())) } else { None };
        let pockets: Pockets = known.into_iter().collect();
        for part in parts::of_song(&self.transaction, pocket.song)? {
            let name = part.name.clone().unwrap_or_else(|| format!("part {}", part.position + 1));
            for take in part.takes.into_iter().filter(|take| take.damage.is_none()) {
                let recipe = take.recipe.detached(&pockets, |_| true);
                if recipe.passes.len() > Recipe::MOST_PASSES {
                    let many = recipe.passes.len();
                    return Err(StoreError::invalid(
                        "pocket",
                        format!(
                            "those that follow it in {name}, take “{}”, would be left with {many} passes of their own, \
                             and a take holds {}; let some of them leave it first",
                            take.name,
                            Recipe::MOST_PASSES
                        ),
                    ));
                }
                let changed = StoredTake { recipe, ..take.clone() };
                self.put(take.state(false), changed.state(false))?;
            }
        }
        self.put(pocket.state(false), pocket.state(true))
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
        // What cannot be read is copied as it stands.
        let Ok(mut recipe) = Recipe::read(&recipe) else { continue };
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

fn stored(row: &Row<'_>) -> rusqlite::Result<StoredPocket> {
    let (settings, damage) = PocketSettings::tolerant(row.get(3)?);
    Ok(StoredPocket {
        id: PocketId(row.get(0)?),
        song: SongId(row.get(1)?),
        name: row.get(2)?,
        settings,
        damage,
        revision: row.get(4)?,
    })
}
