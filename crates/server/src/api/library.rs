//! The libraries of recipes and grooves.

use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::HashMap;
use ts_rs::TS;
use vivida_core::{Extraction, GrooveFigures, GrooveProfile, LaidHits, PocketSettings, Recipe};
use vivida_store::{GrooveId, RecipeId, TakeId};

/// A recipe of the library.
#[derive(Clone, Debug, Serialize, TS)]
pub struct RecipeCard {
    pub id: RecipeId,
    pub revision: i32,
    pub name: String,
    pub note: String,
    pub recipe: Recipe,
    /// Why its passes cannot be read.
    pub damage: Option<String>,
}

/// Passes for the library.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct NewRecipe {
    pub name: String,
    #[serde(default)]
    pub note: String,
    #[ts(type = "Recipe")]
    pub recipe: Value,
}

/// Another name and note for a recipe.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct RecipeChange {
    #[ts(type = "number")]
    pub revision: i64,
    pub name: String,
    pub note: String,
}

/// A groove of the library.
#[derive(Clone, Debug, Serialize, TS)]
pub struct GrooveCard {
    pub id: GrooveId,
    pub revision: i32,
    /// It ships with Vivida.
    pub own: bool,
    pub favourite: bool,
    pub note: String,
    pub groove: GrooveProfile,
    pub reading: GrooveFigures,
    /// Why it cannot be read.
    pub damage: Option<String>,
}

/// A groove for the library.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct NewGroove {
    #[serde(default)]
    pub note: String,
    #[ts(type = "GrooveProfile")]
    pub groove: Value,
}

/// A change to a groove of the library.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct GrooveChange {
    /// Names the change among those of this groove, in at most 100 characters: one that arrives twice is made once.
    #[ts(optional)]
    pub key: Option<String>,
    #[ts(type = "number")]
    pub revision: i64,
    pub note: String,
    pub favourite: bool,
    #[ts(type = "GrooveProfile")]
    pub groove: Value,
}

/// A groove that was read from a file.
#[derive(Clone, Debug, Serialize, TS)]
pub struct ImportedGroove {
    pub card: GrooveCard,
    /// What was left out or mapped.
    pub said: Vec<String>,
}

/// Which groove of a part is wanted.
#[derive(Clone, Debug, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct ExtractGroove {
    pub take: Extraction,
    /// From another take than the one that is worked on.
    #[serde(default)]
    #[ts(optional)]
    pub of_take: Option<TakeId>,
    /// As it is written; else as it is played.
    #[serde(default)]
    #[ts(optional, as = "Option<bool>")]
    pub written: bool,
    /// Played by these passes; else by those that are kept.
    #[ts(optional, type = "Recipe")]
    pub recipe: Option<Value>,
    #[ts(optional)]
    pub variation: Option<u32>,
    /// The settings of pockets that are being changed, in the place of those that are kept.
    #[serde(default)]
    #[ts(optional, as = "Option<HashMap<u32, PocketSettings>>")]
    pub pockets: HashMap<u32, Value>,
    #[ts(optional)]
    pub name: Option<String>,
}

/// The groove of a part.
#[derive(Clone, Debug, Serialize, TS)]
pub struct ExtractedGroove {
    pub groove: GrooveProfile,
    pub reading: GrooveFigures,
    pub said: Vec<String>,
    /// The hits that it was taken from, laid over its bars.
    pub hits: LaidHits,
}
