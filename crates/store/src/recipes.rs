//! The library of recipes.

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
use vivida_core::Recipe;

/// Names a recipe of the library for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct RecipeId(pub i64);

/// A recipe of the library.
#[derive(Clone, Debug, PartialEq)]
pub struct StoredRecipe {
    /// Its id.
    pub id: RecipeId,
    /// What the person calls it.
    pub name: String,
    /// What it is for.
    pub note: String,
    /// Its passes; none where they cannot be read.
    pub recipe: Recipe,
    /// Why its passes cannot be read.
    pub damage: Option<Damage>,
    /// Counts its changes.
    pub revision: i64,
}

impl StoredRecipe {
    fn state(&self, deleted: bool) -> State {
        let recipe = match &self.damage {
            Some(damage) => damage.text.clone(),
            None => json!(self.recipe).to_string(),
        };
        State::Recipe { id: self.id, name: self.name.clone(), note: self.note.clone(), recipe, deleted }
    }
}

const RECIPE: &str = "SELECT id, name, note, recipe, revision FROM recipe WHERE deleted = 0";

pub(crate) fn all(connection: &Connection) -> Result<Vec<StoredRecipe>, StoreError> {
    let mut query = connection.prepare_cached(&format!("{RECIPE} ORDER BY id DESC"))?;
    Ok(query.query_map([], stored)?.collect::<rusqlite::Result<_>>()?)
}

pub(crate) fn one(connection: &Connection, id: RecipeId) -> Result<StoredRecipe, StoreError> {
    let mut query = connection.prepare_cached(&format!("{RECIPE} AND id = ?1"))?;
    let recipe = query.query_row([id.0], stored).optional()?;
    recipe.ok_or(StoreError::NotFound { what: "recipe", id: id.0 })
}

impl Change<'_> {
    /// Keeps a recipe in the library. A step of the shelf.
    pub fn add_recipe(&mut self, name: &str, note: &str, recipe: &Recipe) -> Result<RecipeId, StoreError> {
        let name = checked_name(name)?;
        let note = vivida_smf::readable(note.as_bytes());
        self.step(Scope::Shelf, format!("keep the recipe “{name}”"));
        let sql = "INSERT INTO recipe (name, note, recipe, deleted) VALUES (?1, ?2, ?3, 1)";
        self.transaction.execute(sql, params![name, note, json!(recipe).to_string()])?;
        let id = RecipeId(self.transaction.last_insert_rowid());
        let new = StoredRecipe { id, name, note, recipe: recipe.clone(), damage: None, revision: 1 };
        self.put(new.state(true), new.state(false))?;
        Ok(id)
    }

    /// Calls a recipe something else, or notes something else. A step of the shelf.
    pub fn rename_recipe(&mut self, id: RecipeId, revision: i64, name: &str, note: &str) -> Result<(), StoreError> {
        let before = self.expected_recipe(id, revision)?;
        let (name, note) = (checked_name(name)?, vivida_smf::readable(note.as_bytes()));
        let after = StoredRecipe { name, note, ..before.clone() };
        self.step(Scope::Shelf, format!("rename the recipe “{}”", after.name));
        self.put(before.state(false), after.state(false))
    }

    /// Takes a recipe out of the library. A step of the shelf.
    pub fn delete_recipe(&mut self, id: RecipeId, revision: i64) -> Result<(), StoreError> {
        let recipe = self.expected_recipe(id, revision)?;
        self.step(Scope::Shelf, format!("delete the recipe “{}”", recipe.name));
        self.put(recipe.state(false), recipe.state(true))
    }

    fn expected_recipe(&self, id: RecipeId, revision: i64) -> Result<StoredRecipe, StoreError> {
        let recipe = self.recipe(id)?;
        check_revision("recipe", id.0, revision, recipe.revision)?;
        Ok(recipe)
    }
}

fn stored(row: &Row<'_>) -> rusqlite::Result<StoredRecipe> {
    let (recipe, damage) = Recipe::tolerant(row.get(3)?);
    let (id, name, note) = (RecipeId(row.get(0)?), row.get(1)?, row.get(2)?);
    Ok(StoredRecipe { id, name, note, recipe, damage, revision: row.get(4)? })
}
