//! The library of grooves.

use crate::history::{Scope, State};
use crate::songs::{check_revision, checked_name};
use crate::{Store, StoreError};
use rusqlite::{OptionalExtension, Row, params};
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
pub struct GrooveRow {
    /// Its id.
    pub id: GrooveId,
    /// It ships with Vivida.
    pub own: bool,
    /// What it is for, or the rule that it was made by.
    pub note: String,
    /// The groove with its name.
    pub groove: GrooveProfile,
    /// One of those that the person likes best.
    pub favourite: bool,
    /// Counts its changes.
    pub revision: i64,
}

impl GrooveRow {
    fn state(&self, deleted: bool) -> State {
        let GrooveRow { id, note, groove, favourite, .. } = self.clone();
        State::Groove { id, note, groove, favourite, deleted }
    }
}

const GROOVE: &str = "SELECT id, origin IS NOT NULL, note, groove, favourite, revision FROM groove WHERE deleted = 0";

impl Store {
    /// Puts the grooves that ship with Vivida into the library, each once: one that was deleted stays so.
    pub(crate) fn lay_in_grooves(&mut self, own: &[OwnGroove]) -> rusqlite::Result<()> {
        let transaction = self.connection.transaction()?;
        {
            let mut insert =
                transaction.prepare("INSERT OR IGNORE INTO groove (origin, note, groove) VALUES (?1, ?2, ?3)")?;
            for OwnGroove { note, groove } in own {
                insert.execute(params![groove.name, note, json!(groove).to_string()])?;
            }
        }
        transaction.commit()
    }

    /// The grooves of the library: favourites first, then one's own, the newest in front, then ours.
    pub fn grooves(&self) -> Result<Vec<GrooveRow>, StoreError> {
        let order = "ORDER BY favourite DESC, origin IS NOT NULL, CASE WHEN origin IS NULL THEN -id ELSE id END";
        let mut query = self.connection.prepare_cached(&format!("{GROOVE} {order}"))?;
        let rows = query.query_map([], raw)?.collect::<rusqlite::Result<Vec<_>>>()?;
        rows.into_iter().map(groove_row).collect()
    }

    /// One groove of the library.
    pub fn groove(&self, id: GrooveId) -> Result<GrooveRow, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{GROOVE} AND id = ?1"))?;
        let row = query.query_row([id.0], raw).optional()?;
        groove_row(row.ok_or(StoreError::NotFound { what: "groove", id: id.0 })?)
    }

    /// Keeps a groove in the library. One step of the shelf.
    pub fn add_groove(&mut self, note: &str, groove: &GrooveProfile) -> Result<GrooveId, StoreError> {
        let groove = GrooveProfile { name: checked_name(&groove.name)?, ..groove.clone() };
        let note = vivida_smf::readable(note.as_bytes());
        self.change(Scope::Shelf, &format!("keep the groove “{}”", groove.name), |transaction| {
            let sql = "INSERT INTO groove (note, groove, deleted) VALUES (?1, ?2, 1)";
            transaction.execute(sql, params![note, json!(groove).to_string()])?;
            let id = GrooveId(transaction.last_insert_rowid());
            let row = GrooveRow { id, own: false, note, groove, favourite: false, revision: 1 };
            Ok((id, vec![row.state(true)], vec![row.state(false)]))
        })
    }

    /// Changes a groove, its note or whether it is a favourite. One step of the shelf.
    pub fn change_groove(
        &mut self,
        id: GrooveId,
        revision: i64,
        note: &str,
        favourite: bool,
        groove: &GrooveProfile,
    ) -> Result<(), StoreError> {
        let before = self.groove(id)?;
        check_revision("groove", id.0, revision, before.revision)?;
        let groove = GrooveProfile { name: checked_name(&groove.name)?, ..groove.clone() };
        let note = vivida_smf::readable(note.as_bytes());
        let after = GrooveRow { note, favourite, groove, ..before.clone() };
        self.change(Scope::Shelf, &format!("change the groove “{}”", after.groove.name), |_| {
            Ok(((), vec![before.state(false)], vec![after.state(false)]))
        })
    }

    /// Takes a groove out of the library. One step of the shelf.
    pub fn delete_groove(&mut self, id: GrooveId, revision: i64) -> Result<(), StoreError> {
        let row = self.groove(id)?;
        check_revision("groove", id.0, revision, row.revision)?;
        self.change(Scope::Shelf, &format!("delete the groove “{}”", row.groove.name), |_| {
            Ok(((), vec![row.state(false)], vec![row.state(true)]))
        })
    }
}

type Raw = (i64, bool, String, String, bool, i64);

fn raw(row: &Row<'_>) -> rusqlite::Result<Raw> {
    Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?, row.get(4)?, row.get(5)?))
}

fn groove_row((id, own, note, groove, favourite, revision): Raw) -> Result<GrooveRow, StoreError> {
    let damaged = |reason: String| StoreError::Damaged { what: format!("groove {id}"), reason };
    let groove = serde_json::from_str(&groove).map_err(|error| damaged(error.to_string()))?;
    Ok(GrooveRow { id: GrooveId(id), own, note, groove, favourite, revision })
}
