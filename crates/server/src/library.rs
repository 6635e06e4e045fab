//! The library of recipes.

use crate::api::*;
use crate::app::{Answer, App, recipe};
use crate::problem::Problem;
use vivida_core::RecipeFile;
use vivida_store::{RecipeId, RecipeRow};

fn card(row: RecipeRow) -> RecipeCard {
    RecipeCard { id: row.id, revision: row.revision as i32, name: row.name, note: row.note, recipe: row.recipe }
}

impl App {
    pub(crate) fn recipes(&self) -> Answer<Vec<RecipeCard>> {
        Ok(self.store().recipes()?.into_iter().map(card).collect())
    }

    /// Keeps passes in the library.
    pub(crate) fn add_recipe(&self, request: NewRecipe) -> Answer<RecipeCard> {
        // Pockets belong to their song: here their settings stand by themselves.
        let recipe = self.plain(recipe("recipe", request.recipe)?)?;
        if recipe.passes.is_empty() {
            return Err(Problem::field("recipe.passes", "there are no passes to keep; add one first"));
        }
        let mut store = self.store();
        let id = store.add_recipe(&request.name, &request.note, &recipe)?;
        Ok(card(store.recipe(id)?))
    }

    /// Keeps the recipe of a file.
    pub(crate) fn import_recipe(&self, file_name: &str, text: &str) -> Answer<RecipeCard> {
        let file = RecipeFile::parse(text).map_err(|error| Problem {
            file: Some(file_name.to_owned()),
            detail: format!("“{file_name}”: {error}"),
            ..Problem::of_recipe("", &error)
        })?;
        let stem = file_name.trim_end_matches(".json").trim_end_matches(".recipe");
        let name = if file.name.trim().is_empty() { stem } else { &file.name };
        let mut store = self.store();
        let id = store.add_recipe(name, &file.note, &file.plain())?;
        Ok(card(store.recipe(id)?))
    }

    /// A recipe as a file, and its name.
    pub(crate) fn export_recipe(&self, id: RecipeId) -> Answer<(String, Vec<u8>)> {
        let row = self.store().recipe(id)?;
        let file = RecipeFile::new(row.name.clone(), row.note, row.recipe);
        let text = serde_json::to_vec_pretty(&file).map_err(|error| Problem::field("recipe", error.to_string()))?;
        Ok((row.name, text))
    }

    pub(crate) fn rename_recipe(&self, id: RecipeId, change: &RecipeChange) -> Answer<RecipeCard> {
        let mut store = self.store();
        store.rename_recipe(id, change.revision, &change.name, &change.note)?;
        Ok(card(store.recipe(id)?))
    }

    pub(crate) fn delete_recipe(&self, id: RecipeId, revision: i64) -> Answer<()> {
        Ok(self.store().delete_recipe(id, revision)?)
    }
}
