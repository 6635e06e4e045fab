//! Recipes: ordered lists of passes, and their documented JSON.

pub mod action;
pub(crate) mod aim;
mod group;
pub(crate) mod names;
pub(crate) mod property_info;

pub use self::group::{Group, GroupId};
use crate::base::field_error::FieldError;
pub use crate::base::ids::PassId;
use crate::base::units::Ticks;
use crate::recipe::action::{Action, PocketId, PocketSettings, Pockets};
use crate::recipe::aim::Aim;
use crate::time::tempo::TempoMap;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::BTreeSet;
use ts_rs::TS;

/// One sentence: whom it aims at and what it does.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Pass {
    /// Unique within the recipe.
    pub id: PassId,
    /// A switched-off pass equals a removed one.
    pub on: bool,
    /// Its dice hang on the round of the loop, too.
    #[serde(skip_serializing_if = "is_not")]
    #[ts(optional, as = "Option<bool>")]
    pub fresh: bool,
    /// A name of the person's own.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub name: Option<String>,
    /// The group that it is in.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub group: Option<GroupId>,
    /// Whom.
    pub aim: Aim,
    /// What.
    pub action: Action,
}

impl Pass {
    /// A pass that is on and has no name of its own.
    pub fn new(id: u32, aim: Aim, action: Action) -> Pass {
        Pass { id: PassId(id), on: true, fresh: false, name: None, group: None, aim, action }
    }
}

/// A list of passes, done from first to last.
#[derive(Clone, Debug, Default, PartialEq, Serialize, TS)]
pub struct Recipe {
    /// In the order in which they are done.
    pub passes: Vec<Pass>,
    /// Those that passes are in.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[ts(optional, as = "Option<Vec<Group>>")]
    pub groups: Vec<Group>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RawPass {
    id: u32,
    #[serde(default = "yes")]
    on: bool,
    #[serde(default)]
    fresh: bool,
    #[serde(default)]
    name: Option<String>,
    #[serde(default)]
    group: Option<GroupId>,
    #[serde(default)]
    aim: Aim,
    action: Value,
}

fn yes() -> bool {
    true
}

fn is_not(value: &bool) -> bool {
    !value
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RawRecipe {
    passes: Vec<RawPass>,
    #[serde(default)]
    groups: Vec<Group>,
}

impl Recipe {
    /// The most passes that a recipe holds.
    pub const MOST_PASSES: usize = 500;

    /// The version of the recipe format that this build writes; it reads those from 1 on. Version 2 has properties
    /// and lanes, version 3 groups and shapes that keep what is there.
    pub const VERSION: u32 = 3;

    /// Passes that are in no group.
    pub fn of(passes: Vec<Pass>) -> Recipe {
        Recipe { passes, groups: Vec::new() }
    }

    /// From `{"passes": [...]}`, every field checked.
    ///
    /// ```
    /// use vivida_core::Recipe;
    /// let json = serde_json::json!({"passes": [
    ///     {"id": 1, "aim": {"instruments": ["snare"]}, "action": {"kind": "lean", "by": 800}}
    /// ]});
    /// let error = Recipe::from_value(json).unwrap_err();
    /// assert_eq!(error.to_string(), "passes[0].action.by: 800 is outside -200 to 200 ms");
    /// ```
    pub fn from_value(value: Value) -> Result<Recipe, FieldError> {
        let raw: RawRecipe = serde_path_to_error::deserialize(value)
            .map_err(|error| FieldError::new(error.path().to_string(), crate::refused(error.inner())))?;
        let mut passes = Vec::with_capacity(raw.passes.len().min(Recipe::MOST_PASSES));
        check_count(raw.passes.len())?;
        for (index, pass) in raw.passes.into_iter().enumerate() {
            let action = Action::from_value(pass.action)
                .map_err(|(field, message)| FieldError::new(format!("passes[{index}].action.{field}"), message))?;
            passes.push(Pass {
                id: PassId(pass.id),
                on: pass.on,
                fresh: pass.fresh,
                name: pass.name,
                group: pass.group,
                aim: pass.aim.parted(),
                action,
            });
        }
        let recipe = Recipe { passes, groups: raw.groups };
        recipe.check_passes()?;
        Ok(recipe)
    }

    /// Whether it would be read back as it is; else what is wrong and where. What is put together by
    /// turning pockets into passes or by adding lists may have become too much.
    pub fn check(&self) -> Result<(), FieldError> {
        check_count(self.passes.len())?;
        for (index, pass) in self.passes.iter().enumerate() {
            let checked = pass.action.check();
            checked.map_err(|(field, message)| FieldError::new(format!("passes[{index}].action.{field}"), message))?;
        }
        self.check_passes()
    }

    fn check_passes(&self) -> Result<(), FieldError> {
        let mut seen = BTreeSet::new();
        for (index, pass) in self.passes.iter().enumerate() {
            let at = |field: &str| format!("passes[{index}].{field}");
            if !seen.insert(pass.id) {
                return Err(FieldError::new(at("id"), format!("{} is the id of an earlier pass", pass.id.0)));
            }
            if pass.name.as_ref().is_some_and(|name| name.chars().count() > 200) {
                return Err(FieldError::new(at("name"), "a name has at most 200 letters"));
            }
            pass.aim.check().map_err(|(field, message)| FieldError::new(at(&format!("aim.{field}")), message))?;
        }
        self.check_groups()
    }

    /// Whether all that it adds by hand lies in a song that ends at `end`, or within an hour behind it.
    pub fn check_within(&self, end: Ticks, tempo: &TempoMap) -> Result<(), FieldError> {
        let last = tempo.seconds(end).max(0.0) + HOUR;
        for (index, pass) in self.passes.iter().enumerate() {
            let Action::ByHand(hand) = &pass.action else { continue };
            for (place, hit) in hand.added.iter().enumerate() {
                let at = |field: &str| format!("passes[{index}].action.added[{place}].{field}");
                if tempo.seconds(hit.tick) > last {
                    let message = format!("tick {} is more than an hour behind the end of the song", hit.tick.0);
                    return Err(FieldError::new(at("tick"), message));
                }
                if tempo.seconds(hit.tick + hit.length) > last + HOUR {
                    return Err(FieldError::new(at("length"), format!("{} ticks are hours long", hit.length.0)));
                }
            }
        }
        Ok(())
    }

    /// Without one of its passes.
    pub fn without(&self, pass: PassId) -> Recipe {
        let mut recipe = self.clone();
        recipe.passes.retain(|one| one.id != pass);
        recipe.tidied()
    }

    /// Whether its rounds differ.
    pub fn is_fresh(&self) -> bool {
        self.playing().any(|pass| pass.fresh)
    }

    /// An id that no pass has yet.
    pub fn free_id(&self) -> PassId {
        self.free_ids().next().expect("a recipe has fewer passes than there are ids")
    }

    /// Ids that no pass has yet: those above the highest, and then what is free below.
    pub fn free_ids(&self) -> impl Iterator<Item = PassId> + use<> {
        let used: BTreeSet<u32> = self.passes.iter().map(|pass| pass.id.0).collect();
        let next = used.last().map_or(1, |highest| highest.saturating_add(1));
        (next..u32::MAX).chain(1..next).filter(move |id| !used.contains(id)).map(PassId)
    }
}

/// Seconds of an hour.
const HOUR: f64 = 3600.0;

fn check_count(passes: usize) -> Result<(), FieldError> {
    if passes > Recipe::MOST_PASSES {
        let message = format!("{passes} passes are more than the {} that a recipe holds", Recipe::MOST_PASSES);
        return Err(FieldError::new("passes", message));
    }
    Ok(())
}

/// A recipe as a file: what docs/formats/recipe.md describes.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct RecipeFile {
    /// Always `vivida-recipe`.
    pub format: &'static str,
    /// [`Recipe::VERSION`].
    pub version: u32,
    /// What people call it.
    pub name: String,
    /// What it is for.
    pub note: String,
    /// The pockets that passes follow.
    #[serde(skip_serializing_if = "Pockets::is_empty")]
    pub pockets: Pockets,
    /// The passes.
    #[serde(flatten)]
    pub recipe: Recipe,
}

impl RecipeFile {
    /// A file of this version.
    pub fn new(name: impl Into<String>, note: impl Into<String>, recipe: Recipe) -> RecipeFile {
        let (name, note, pockets) = (name.into(), note.into(), Pockets::new());
        RecipeFile { format: "vivida-recipe", version: Recipe::VERSION, name, note, pockets, recipe }
    }

    /// Its passes, those that follow its pockets turned into ordinary ones.
    pub fn plain(&self) -> Recipe {
        self.recipe.detached(&self.pockets, |_| true)
    }

    /// From the text of a file.
    pub fn parse(text: &str) -> Result<RecipeFile, FieldError> {
        let value: Value = serde_json::from_str(text)
            .map_err(|error| FieldError::new(format!("line {}", error.line()), crate::refused(&error)))?;
        let Value::Object(mut fields) = value else {
            return Err(FieldError::new(".", "a recipe is a JSON object"));
        };
        if fields.remove("format").as_ref().and_then(Value::as_str) != Some("vivida-recipe") {
            return Err(FieldError::new("format", "expected \"vivida-recipe\""));
        }
        match fields.remove("version").as_ref().and_then(Value::as_u64) {
            Some(version) if (1..=u64::from(Recipe::VERSION)).contains(&version) => {}
            Some(version) if version > u64::from(Recipe::VERSION) => {
                let message = format!(
                    "version {version} is newer than this Vivida, which reads up to version {}; update Vivida",
                    Recipe::VERSION
                );
                return Err(FieldError::new("version", message));
            }
            _ => return Err(FieldError::new("version", format!("expected 1 to {}", Recipe::VERSION))),
        }
        let mut text_of = |field: &str| match fields.remove(field) {
            None => Ok(String::new()),
            Some(Value::String(text)) => Ok(text),
            Some(other) => Err(FieldError::new(field, format!("expected a text, found {other}"))),
        };
        let (name, note) = (text_of("name")?, text_of("note")?);
        let pockets = fields.remove("pockets").map_or(Ok(Pockets::new()), pockets)?;
        let recipe = Recipe::from_value(Value::Object(fields))?;
        Ok(RecipeFile { pockets, ..RecipeFile::new(name, note, recipe) })
    }
}

fn pockets(value: Value) -> Result<Pockets, FieldError> {
    let Value::Object(fields) = value else {
        return Err(FieldError::new("pockets", "pockets are an object: the settings of each by its number"));
    };
    let one = |(number, settings): (String, Value)| {
        let path = format!("pockets.{number}");
        let id = number.parse().map_err(|_| FieldError::new(&path, "a pocket goes by a whole number"))?;
        let settings = PocketSettings::from_value(settings)
            .map_err(|(field, message)| FieldError::new(format!("{path}.{field}"), message))?;
        Ok((PocketId(id), settings))
    };
    fields.into_iter().map(one).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn path_of(value: Value) -> String {
        Recipe::from_value(value).unwrap_err().path
    }

    #[test]
    fn errors_name_the_field_by_path() {
        let good = json!({"kind": "level", "by": 3});
        assert_eq!(path_of(json!({"passes": [{"id": 1, "action": good}, {"id": 1, "action": good}]})), "passes[1].id");
        assert_eq!(
            path_of(json!({"passes": [{"id": 1, "aim": {"bars": [{"from": 4, "to": 2}]}, "action": good}]})),
            "passes[0].aim.bars[0]"
        );
        assert_eq!(
            path_of(json!({"passes": [{"id": 1, "aim": {"bars": [{"from": 0, "to": 2}]}, "action": good}]})),
            "passes[0].aim.bars[0]"
        );
        assert_eq!(path_of(json!({"passes": [{"id": 1, "aim": {"moon": 1}, "action": good}]})), "passes[0].aim.moon");
        assert_eq!(
            path_of(json!({"passes": [{"id": 1, "action": {"kind": "level", "by": 300}}]})),
            "passes[0].action.by"
        );
        assert_eq!(path_of(json!({"passes": [{"id": -1, "action": good}]})), "passes[0].id");
        let many: Vec<Value> = (0..10_000).map(|id| json!({"id": id, "action": good})).collect();
        assert_eq!(path_of(json!({"passes": many})), "passes");
    }

    #[test]
    fn a_file_of_a_newer_version_says_so() {
        let text = json!({"format": "vivida-recipe", "version": 9, "passes": []}).to_string();
        let error = RecipeFile::parse(&text).unwrap_err();
        assert!(error.path == "version" && error.message.contains("newer"), "{error}");
        assert_eq!(RecipeFile::parse("{").unwrap_err().path, "line 1");
        assert_eq!(RecipeFile::parse("[]").unwrap_err().path, ".");
        assert_eq!(RecipeFile::parse("{}").unwrap_err().path, "format");
        let with = |pockets: Value| json!({"format": "vivida-recipe", "version": 1, "passes": [], "pockets": pockets});
        let path = |pockets| RecipeFile::parse(&with(pockets).to_string()).unwrap_err().path;
        assert_eq!(path(json!({"1": {"lean": {"by": 900}}})), "pockets.1.lean.by");
        assert_eq!(path(json!({"one": {}})), "pockets.one");
        assert_eq!(path(json!([])), "pockets");
    }

    #[test]
    fn a_file_comes_back_as_it_went() {
        let passes = Action::defaults()
            .into_iter()
            .zip(1..)
            .map(|(action, id)| Pass::new(id, Aim::at("snare"), action))
            .collect();
        let file = RecipeFile::new("All", "of them", Recipe::of(passes));
        let text = serde_json::to_string_pretty(&file).unwrap();
        assert_eq!(RecipeFile::parse(&text).unwrap(), file);
    }
}
