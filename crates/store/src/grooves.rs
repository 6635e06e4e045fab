//! The library of grooves.

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
use vivida_core::{GrooveProfile, OwnGroove};

/// Names a groove of the library for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct GrooveId(pub i64);

/// A groove of the library.
#[derive(Clone, Debug, PartialEq)]
pub struct StoredGroove {
    /// Its id.
    pub id: GrooveId,
    /// It ships with Vivida.
    pub own: bool,
    /// What it is for, or the rule that it was made by.
    pub note: String,
    /// The groove with its name; an empty one where it cannot be read.
    pub groove: GrooveProfile,
    /// Why it cannot be read.
    pub damage: Option<Damage>,
    /// One of those that the person likes best.
    pub favourite: bool,
    /// Counts its changes.
    pub revision: i64,
}

impl StoredGroove {
    fn state(&self, deleted: bool) -> State {
        let groove = match &self.damage {
            Some(damage) => damage.text.clone(),
            None => json!(self.groove).to_string(),
        };
        State::Groove { id: self.id, note: self.note.clone(), groove, favourite: self.favourite, deleted }
    }
}

const GROOVE: &str = "SELECT id, origin IS NOT NULL, note, groove, favourite, revision FROM groove WHERE deleted = 0";

/// Puts the grooves that ship with Vivida into the library, each once: one that was deleted stays so.
pub(crate) fn lay_in(connection: &mut Connection, own: &[OwnGroove]) -> rusqlite::Result<()> {
    let transaction = connection.transaction()?;
    {
        let mut insert =
            transaction.prepare("INSERT OR IGNORE INTO groove (origin, note, groove) VALUES (?1, ?2, ?3)")?;
        for OwnGroove { note, groove } in own {
            insert.execute(params![groove.name, note, json!(groove).to_string()])?;
        }
    }
    transaction.commit()
}

pub(crate) fn all(connection: &Connection) -> Result<Vec<StoredGroove>, StoreError> {
    let order = "ORDER BY favourite DESC, origin IS NOT NULL, CASE WHEN origin IS NULL THEN -id ELSE id END";
    let mut query = connection.prepare_cached(&format!("{GROOVE} {order}"))?;
    Ok(query.query_map([], stored)?.collect::<rusqlite::Result<_>>()?)
}

pub(crate) fn one(connection: &Connection, id: GrooveId) -> Result<StoredGroove, StoreError> {
    let mut query = connection.prepare_cached(&format!("{GROOVE} AND id = ?1"))?;
    let groove = query.query_row([id.0], stored).optional()?;
    groove.ok_or(StoreError::NotFound { what: "groove", id: id.0 })
}

impl Change<'_> {
    /// Keeps a groove in the library. A step of the shelf.
    pub fn add_groove(&mut self, note: &str, groove: &GrooveProfile) -> Result<GrooveId, StoreError> {
        let groove = GrooveProfile { name: checked_name(&groove.name)?, ..groove.clone() };
        let note = vivida_smf::readable(note.as_bytes());
        self.step(Scope::Shelf, format!("keep the groove “{}”", groove.name));
        let sql = "INSERT INTO groove (note, groove, deleted) VALUES (?1, ?2, 1)";
        self.transaction.execute(sql, params![note, json!(groove).to_string()])?;
        let id = GrooveId(self.transaction.last_insert_rowid());
        let new = StoredGroove { id, own: false, note, groove, damage: None, favourite: false, revision: 1 };
        self.put(new.state(true), new.state(false))?;
        Ok(id)
    }

    /// Changes a groove, its note or whether it is a favourite. A step of the shelf.
    pub fn change_groove(
        &mut self,
        id: GrooveId,
        revision: i64,
        note: &str,
        favourite: bool,
        groove: &GrooveProfile,
    ) -> Result<(), StoreError> {
        let before = self.expected_groove(id, revision)?;
        let groove = GrooveProfile { name: checked_name(&groove.name)?, ..groove.clone() };
        let note = vivida_smf::readable(note.as_bytes());
        let after = StoredGroove { note, favourite, groove, damage: None, ..before.clone() };
        self.step(Scope::Shelf, format!("change the groove “{}”", after.groove.name));
        self.put(before.state(false), after.state(false))
    }

    /// Takes a groove out of the library. A step of the shelf.
    pub fn delete_groove(&mut self, id: GrooveId, revision: i64) -> Result<(), StoreError> {
        let groove = self.expected_groove(id, revision)?;
        self.step(Scope::Shelf, format!("delete the groove “{}”", groove.groove.name));
        self.put(groove.state(false), groove.state(true))
    }

    fn expected_groove(&self, id: GrooveId, revision: i64) -> Result<StoredGroove, StoreError> {
        let groove = self.groove(id)?;
        check_revision("groove", id.0, revision, groove.revision)?;
        Ok(groove)
    }
}

fn stored(row: &Row<'_>) -> rusqlite::Result<StoredGroove> {
    let (mut groove, damage) = GrooveProfile::tolerant(row.get(3)?);
    let id: i64 = row.get(0)?;
    if damage.is_some() {
        groove.name = format!("Groove {id}");
    }
    let (own, note, favourite) = (row.get(1)?, row.get(2)?, row.get(4)?);
    Ok(StoredGroove { id: GrooveId(id), own, note, groove, damage, favourite, revision: row.get(5)? })
}
