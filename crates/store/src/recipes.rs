//! The library of recipes.

use crate::history::{Scope, State};
use crate::songs::{check_revision, checked_name};
use crate::{Store, StoreError};
use rusqlite::{OptionalExtension, Row, params};
use serde::{Deserialize, Serialize};
use serde_json::json;
use ts_rs::TS;
use vivida_core::Recipe;

/// Names a recipe of the library for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct RecipeId(pub i64);

/// A recipe of the library.
#[derive(Clone, Debug, PartialEq)]
pub struct RecipeRow {
    /// Its id.
    pub id: RecipeId,
    /// What the person calls it.
    pub name: String,
    /// What it is for.
    pub note: String,
    /// Its passes.
    pub recipe: Recipe,
    /// Counts its changes.
    pub revision: i64,
}

impl RecipeRow {
    fn state(&self, deleted: bool) -> State {
        let RecipeRow { id, name, note, recipe, .. } = self.clone();
        State::Recipe { id, name, note, recipe, deleted }
    }
}

const RECIPE: &str = "SELECT id, name, note, recipe, revision FROM recipe WHERE deleted = 0";

impl Store {
    /// The recipes of the library, the newest first.
    pub fn recipes(&self) -> Result<Vec<RecipeRow>, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{RECIPE} ORDER BY id DESC"))?;
        let rows = query.query_map([], raw)?.collect::<rusqlite::Result<Vec<_>>>()?;
        rows.into_iter().map(recipe_row).collect()
    }

    /// One recipe of the library.
    pub fn recipe(&self, id: RecipeId) -> Result<RecipeRow, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{RECIPE} AND id = ?1"))?;
        let row = query.query_row([id.0], raw).optional()?;
        recipe_row(row.ok_or(StoreError::NotFound { what: "recipe", id: id.0 })?)
    }

    /// Keeps a recipe in the library. One step of the shelf.
    pub fn add_recipe(&mut self, name: &str, note: &str, recipe: &Recipe) -> Result<RecipeId, StoreError> {
        let name = checked_name(name)?;
        let note = vivida_smf::readable(note.as_bytes());
        self.change(Scope::Shelf, &format!("keep the recipe “{name}”"), |transaction| {
            let sql = "INSERT INTO recipe (name, note, recipe, deleted) VALUES (?1, ?2, ?3, 1)";
            transaction.execute(sql, params![name, note, json!(recipe).to_string()])?;
            let id = RecipeId(transaction.last_insert_rowid());
            let row = RecipeRow { id, name: name.clone(), note, recipe: recipe.clone(), revision: 1 };
            Ok((id, vec![row.state(true)], vec![row.state(false)]))
        })
    }

    /// Calls a recipe something else, or notes something else. One step of the shelf.
    pub fn rename_recipe(&mut self, id: RecipeId, revision: i64, name: &str, note: &str) -> Result<(), StoreError> {
        let before = self.recipe(id)?;
        check_revision("recipe", id.0, revision, before.revision)?;
        let (name, note) = (checked_name(name)?, vivida_smf::readable(note.as_bytes()));
        let after = RecipeRow { name, note, ..before.clone() };
        self.change(Scope::Shelf, &format!("rename the recipe “{}”", after.name), |_| {
            Ok(((), vec![before.state(false)], vec![after.state(false)]))
        })
    }

    /// Takes a recipe out of the library. One step of the shelf.
    pub fn delete_recipe(&mut self, id: RecipeId, revision: i64) -> Result<(), StoreError> {
        let row = self.recipe(id)?;
        check_revision("recipe", id.0, revision, row.revision)?;
        self.change(Scope::Shelf, &format!("delete the recipe “{}”", row.name), |_| {
            Ok(((), vec![row.state(false)], vec![row.state(true)]))
        })
    }
}

type Raw = (i64, String, String, String, i64);

fn raw(row: &Row<'_>) -> rusqlite::Result<Raw> {
    Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?, row.get(4)?))
}

fn recipe_row((id, name, note, recipe, revision): Raw) -> Result<RecipeRow, StoreError> {
    let recipe = crate::parts::read_recipe(&recipe)
        .map_err(|reason| StoreError::Damaged { what: format!("recipe {id}"), reason })?;
    Ok(RecipeRow { id: RecipeId(id), name, note, recipe, revision })
}
