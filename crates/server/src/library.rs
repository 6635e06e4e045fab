//! The library of recipes.

use crate::api::*;
use crate::app::{Answer, App, recipe};
use crate::problem::Problem;
use vivida_core::{Recipe, RecipeFile};
use vivida_store::{Damage, Reads, RecipeId, StoredRecipe};

fn card(row: StoredRecipe) -> RecipeCard {
    RecipeCard {
        id: row.id,
        revision: row.revision as i32,
        name: row.name,
        note: row.note,
        recipe: row.recipe,
        damage: row.damage.map(|damage| damage.reason),
    }
}

/// Passes as a file; as they stand in the database where they cannot be read.
pub(crate) fn file_of(name: &str, note: &str, recipe: &Recipe, damage: &Option<Damage>) -> Answer<Vec<u8>> {
    if let Some(damage) = damage {
        return Ok(damage.text.clone().into_bytes());
    }
    let file = RecipeFile::new(name, note, recipe.clone());
    serde_json::to_vec_pretty(&file).map_err(|error| Problem::field("recipe", error.to_string()))
}

impl App {
    pub(crate) fn recipes(&self) -> Answer<Vec<RecipeCard>> {
        Ok(self.reading()?.recipes()?.into_iter().map(card).collect())
    }

    /// Keeps passes in the library.
    pub(crate) fn add_recipe(&self, request: NewRecipe) -> Answer<RecipeCard> {
        let wanted = recipe("recipe", request.recipe)?;
        let (id, reading) = self.changed(|change| {
            // Pockets belong to their song: here their settings stand by themselves.
            let plain = self.plain(&*change, wanted);
            if plain.passes.is_empty() {
                return Err(Problem::field("recipe.passes", "there are no passes to keep; add one first"));
            }
            plain.check().map_err(|error| Problem::of_recipe("recipe", &error))?;
            Ok(change.add_recipe(&request.name, &request.note, &plain)?)
        })?;
        Ok(card(reading.recipe(id)?))
    }

    /// Keeps the recipe of a file.
    pub(crate) fn import_recipe(&self, file_name: &str, text: &str) -> Answer<RecipeCard> {
        let wrong = |error: vivida_core::FieldError| Problem {
            file: Some(file_name.to_owned()),
            detail: format!("“{file_name}”: {error}"),
            ..Problem::of_recipe("", &error)
        };
        let file = RecipeFile::parse(text).map_err(wrong)?;
        let plain = file.plain();
        plain.check().map_err(wrong)?;
        let stem = file_name.trim_end_matches(".json").trim_end_matches(".recipe");
        let name = if file.name.trim().is_empty() { stem } else { &file.name };
        let (id, reading) = self.changed(|change| change.add_recipe(name, &file.note, &plain))?;
        Ok(card(reading.recipe(id)?))
    }

    /// A recipe as a file, and its name.
    pub(crate) fn export_recipe(&self, id: RecipeId) -> Answer<(String, Vec<u8>)> {
        let row = self.reading()?.recipe(id)?;
        let bytes = file_of(&row.name, &row.note, &row.recipe, &row.damage)?;
        Ok((row.name, bytes))
    }

    pub(crate) fn rename_recipe(&self, id: RecipeId, request: &RecipeChange) -> Answer<RecipeCard> {
        let ((), reading) =
            self.changed(|change| change.rename_recipe(id, request.revision, &request.name, &request.note))?;
        Ok(card(reading.recipe(id)?))
    }

    pub(crate) fn delete_recipe(&self, id: RecipeId, revision: i64) -> Answer<()> {
        Ok(self.change(|change| change.delete_recipe(id, revision))?)
    }
}
