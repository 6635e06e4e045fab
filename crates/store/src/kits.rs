//! The library of kits.

use crate::change::Change;
use crate::history::Scope;
use crate::kept::Kept;
use crate::songs::{check_revision, checked_name};
use crate::state::State;
use crate::{Damage, Reads, StoreError};
use rusqlite::{Connection, OptionalExtension, Row, params};
use serde::{Deserialize, Serialize};
use serde_json::json;
use ts_rs::TS;
use vivida_core::Kit;

/// Names a kit of the library for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct KitId(pub i64);

/// A kit of the library.
#[derive(Clone, Debug, PartialEq)]
pub struct StoredKit {
    /// Its id.
    pub id: KitId,
    /// It ships with Vivida.
    pub own: bool,
    /// The kit with its name; an empty one where it cannot be read.
    pub kit: Kit,
    /// Why it cannot be read.
    pub damage: Option<Damage>,
    /// It is kept for the parts that have it only.
    pub deleted: bool,
    /// Counts its changes.
    pub revision: i64,
}

impl StoredKit {
    fn state(&self, deleted: bool) -> State {
        let kit = match &self.damage {
            Some(damage) => damage.text.clone(),
            None => json!(self.kit).to_string(),
        };
        State::Kit { id: self.id, kit, deleted }
    }
}

const KIT: &str = "SELECT id, origin IS NOT NULL, kit, deleted, revision FROM kit";

/// Puts the kits that ship with Vivida into the library, each once: one that was deleted stays so.
pub(crate) fn lay_in(connection: &mut Connection, own: &[Kit]) -> rusqlite::Result<()> {
    let transaction = connection.transaction()?;
    for kit in own {
        let sql = "INSERT OR IGNORE INTO kit (origin, kit) VALUES (?1, ?2)";
        transaction.execute(sql, params![kit.name, json!(kit).to_string()])?;
    }
    transaction.commit()
}

pub(crate) fn all(connection: &Connection) -> Result<Vec<StoredKit>, StoreError> {
    let order = "ORDER BY origin IS NOT NULL, CASE WHEN origin IS NULL THEN -id ELSE id END";
    let mut query = connection.prepare_cached(&format!("{KIT} WHERE deleted = 0 {order}"))?;
    Ok(query.query_map([], stored)?.collect::<rusqlite::Result<_>>()?)
}

pub(crate) fn one(connection: &Connection, id: KitId) -> Result<StoredKit, StoreError> {
    let kit = of_part(connection, id)?.filter(|kit| !kit.deleted);
    kit.ok_or(StoreError::NotFound { what: "kit", id: id.0 })
}

/// The kit that a part has, also where it was deleted from the library.
pub(crate) fn of_part(connection: &Connection, id: KitId) -> Result<Option<StoredKit>, StoreError> {
    let mut query = connection.prepare_cached(&format!("{KIT} WHERE id = ?1"))?;
    Ok(query.query_row([id.0], stored).optional()?)
}

pub(crate) fn uses(connection: &Connection, id: KitId) -> Result<u32, StoreError> {
    let sql = "SELECT count(*) FROM part JOIN song ON song.id = part.song
               WHERE part.kit = ?1 AND part.deleted = 0 AND song.deleted = 0";
    Ok(connection.prepare_cached(sql)?.query_row([id.0], |row| row.get(0))?)
}

impl Change<'_> {
    /// Keeps a kit in the library. A step of the shelf.
    pub fn add_kit(&mut self, kit: &Kit) -> Result<KitId, StoreError> {
        let kit = Kit { name: checked_name(&kit.name)?, ..kit.clone() };
        self.step(Scope::Shelf, format!("keep the kit “{}”", kit.name));
        let id = self.insert_kit(&kit, true)?;
        let new = StoredKit { id, own: false, kit, damage: None, deleted: false, revision: 1 };
        self.put(new.state(true), new.state(false))?;
        Ok(id)
    }

    /// Lays a kit into the library for a part. That is no step: undone is what the part makes of it.
    pub fn lay_in_kit(&mut self, kit: &Kit) -> Result<KitId, StoreError> {
        let kit = Kit { name: checked_name(&kit.name)?, ..kit.clone() };
        kit.check().map_err(|error| StoreError::invalid(format!("kit.{}", error.path), error.message))?;
        self.insert_kit(&kit, false)
    }

    fn insert_kit(&mut self, kit: &Kit, deleted: bool) -> Result<KitId, StoreError> {
        let sql = "INSERT INTO kit (kit, deleted) VALUES (?1, ?2)";
        self.transaction.execute(sql, params![json!(kit).to_string(), deleted])?;
        Ok(KitId(self.transaction.last_insert_rowid()))
    }

    /// Changes a kit; all parts that have it follow. A step of the shelf.
    pub fn change_kit(&mut self, id: KitId, revision: i64, label: &str, kit: &Kit) -> Result<(), StoreError> {
        let before = self.expected_kit(id, revision)?;
        if before.own {
            return Err(StoreError::invalid(
                "kit",
                "this kit ships with Vivida and stays as it is; duplicate it first",
            ));
        }
        let after =
            StoredKit { kit: Kit { name: checked_name(&kit.name)?, ..kit.clone() }, damage: None, ..before.clone() };
        self.step(Scope::Shelf, label);
        self.put(before.state(false), after.state(false))
    }

    /// Takes a kit out of the library; parts that have it go on with it. A step of the shelf.
    pub fn delete_kit(&mut self, id: KitId, revision: i64) -> Result<(), StoreError> {
        let kit = self.expected_kit(id, revision)?;
        self.step(Scope::Shelf, format!("delete the kit “{}”", kit.kit.name));
        self.put(kit.state(false), kit.state(true))
    }

    fn expected_kit(&self, id: KitId, revision: i64) -> Result<StoredKit, StoreError> {
        let kit = self.kit(id)?;
        check_revision("kit", id.0, revision, kit.revision)?;
        Ok(kit)
    }
}

fn stored(row: &Row<'_>) -> rusqlite::Result<StoredKit> {
    let (mut kit, damage) = Kit::tolerant(row.get(2)?);
    let id: i64 = row.get(0)?;
    if damage.is_some() {
        kit.name = format!("Kit {id}");
    }
    Ok(StoredKit { id: KitId(id), own: row.get(1)?, kit, damage, deleted: row.get(3)?, revision: row.get(4)? })
}
