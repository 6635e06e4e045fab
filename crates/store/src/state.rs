//! What a step changes: one thing as it was before or after it.

use crate::StoreError;
use crate::grooves::GrooveId;
use crate::kept::Kept;
use crate::kits::KitId;
use crate::parts::{PartId, TakeId, hits_text, printed_hits};
use crate::recipes::RecipeId;
use crate::songs::{FileId, SongId};
use rusqlite::{OptionalExtension, Transaction, params};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::{BTreeMap, HashMap, HashSet};
use vivida_core::{
    AudioSource, GrooveProfile, Hit, HitId, Kit, LayerBounds, Part, PocketId, PocketSettings, Recipe, Section,
};

/// One thing as it was before or after a step. Recipes, grooves and settings are as they stand in the
/// database, so that what is damaged is put back as it was, too.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "of", rename_all = "kebab-case")]
pub(crate) enum State {
    Song {
        id: SongId,
        name: String,
        deleted: bool,
    },
    Sections {
        song: SongId,
        sections: Option<Vec<Section>>,
    },
    /// The file that a song is.
    File {
        song: SongId,
        file: FileId,
    },
    /// Some hits of a take's own Written: as they are on this side, and those that are not there.
    Written {
        take: TakeId,
        hits: Vec<Hit>,
        without: Vec<HitId>,
    },
    #[serde(rename = "part-and-take")]
    Part(PartState),
    Take {
        id: TakeId,
        name: String,
        #[serde(with = "inside")]
        recipe: String,
        variation: u32,
        deleted: bool,
    },
    Recipe {
        id: RecipeId,
        name: String,
        note: String,
        #[serde(with = "inside")]
        recipe: String,
        deleted: bool,
    },
    Groove {
        id: GrooveId,
        note: String,
        #[serde(with = "inside")]
        groove: String,
        favourite: bool,
        deleted: bool,
    },
    Kit {
        id: KitId,
        #[serde(with = "inside")]
        kit: String,
        deleted: bool,
    },
    Pocket {
        id: PocketId,
        name: String,
        #[serde(with = "inside")]
        settings: String,
        deleted: bool,
    },
    /// A part as the first version of the database kept it: what there is of its first take now.
    #[serde(rename = "part")]
    First {
        id: PartId,
        #[serde(with = "inside")]
        recipe: String,
        variation: u32,
        drums: bool,
    },
}

/// What of a part is its own and not a take's.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct PartState {
    pub id: PartId,
    pub name: Option<String>,
    pub drums: bool,
    pub muted: bool,
    pub layers: Option<LayerBounds>,
    /// As they stand in the database; steps of before say a grid.
    #[serde(default, alias = "grid")]
    pub lines: Option<String>,
    #[serde(default)]
    pub kit: Option<KitId>,
    pub take: TakeId,
    /// Its place among the parts of the file; steps of before leave it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub position: Option<usize>,
    /// The recorded loop that it is, as it stands in the database.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub audio: Option<String>,
    pub deleted: bool,
}

/// Something in a state that is called otherwise on another shelf.
pub(crate) enum Named<'a> {
    /// The id of a thing of this kind.
    Id(&'static str, &'a mut i64),
    /// The kit of a part; nothing where that is the General MIDI map.
    Kit(&'a mut Option<KitId>),
    /// A pocket.
    Pocket(&'a mut PocketId),
    /// Passes as a text of JSON, some of which may follow pockets.
    Passes(&'a mut String),
    /// What a person calls it.
    Name(&'a mut String),
}

/// The revision of a row after a change to it.
const NEXT: &str = "max(revision, (SELECT floor FROM shelf)) + 1";

/// A text of JSON inside of JSON: as what it says, or as a text where it says nothing.
mod inside {
    use serde::{Deserialize, Deserializer, Serialize, Serializer};
    use serde_json::Value;

    pub fn serialize<S: Serializer>(text: &str, serializer: S) -> Result<S::Ok, S::Error> {
        match serde_json::from_str::<Value>(text) {
            Ok(value) if !value.is_string() => value.serialize(serializer),
            _ => text.serialize(serializer),
        }
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(deserializer: D) -> Result<String, D::Error> {
        Ok(match Value::deserialize(deserializer)? {
            Value::String(text) => text,
            value => value.to_string(),
        })
    }
}

impl State {
    /// Its kind and id, as they stand in the table of what steps touch.
    pub fn key(&self) -> (&'static str, i64) {
        match self {
            State::Song { id, .. } | State::Sections { song: id, .. } => ("song", id.0),
            State::File { song, .. } => ("song", song.0),
            State::Part(PartState { id, .. }) | State::First { id, .. } => ("part", id.0),
            State::Take { id, .. } | State::Written { take: id, .. } => ("take", id.0),
            State::Recipe { id, .. } => ("recipe", id.0),
            State::Groove { id, .. } => ("groove", id.0),
            State::Kit { id, .. } => ("kit", id.0),
            State::Pocket { id, .. } => ("pocket", i64::from(id.0)),
        }
    }

    /// Refuses what the history of one song must not reach: all that is not this song's.
    ///
    /// # Errors
    ///
    /// What it would reach.
    pub fn check_within(&self, transaction: &Transaction<'_>, song: SongId) -> Result<(), StoreError> {
        let owner = |sql: &str, id: i64| transaction.prepare_cached(sql)?.query_row([id], |row| row.get(0)).optional();
        let of_part = "SELECT song FROM part WHERE id = ?1";
        let of_take = "SELECT song FROM part JOIN take ON take.part = part.id WHERE take.id = ?1";
        // What is gone for good is nobody's, and no change reaches it.
        let is_own = |found: Option<i64>| found.is_none_or(|found| found == song.0);
        let is_own = match self {
            State::Sections { song: of, .. } => *of == song,
            State::File { song: of, file } => {
                *of == song && is_own(owner("SELECT song FROM file WHERE id = ?1", file.0)?)
            }
            State::Written { take, .. } | State::Take { id: take, .. } => is_own(owner(of_take, take.0)?),
            State::Part(PartState { id, take, .. }) => {
                let part = owner("SELECT part FROM take WHERE id = ?1", take.0)?;
                is_own(owner(of_part, id.0)?) && part.is_none_or(|part| part == id.0)
            }
            State::First { id, .. } => is_own(owner(of_part, id.0)?),
            State::Pocket { id, .. } => is_own(owner("SELECT song FROM pocket WHERE id = ?1", i64::from(id.0))?),
            // Those are the shelf's.
            State::Song { .. } | State::Recipe { .. } | State::Groove { .. } | State::Kit { .. } => false,
        };
        if is_own {
            return Ok(());
        }
        let (kind, id) = self.key();
        let reason = format!("it would change {kind} {id}, which is not this song’s");
        Err(StoreError::Damaged { what: "this step".to_owned(), reason })
    }

    /// All that it names by an id, and its own name, each to be changed.
    ///
    /// Every field is written out here, so that none that comes later is forgotten.
    pub fn named(&mut self) -> Vec<Named<'_>> {
        match self {
            State::Song { id: SongId(id), name, deleted: _ } => vec![Named::Id("song", id), Named::Name(name)],
            State::Sections { song: SongId(song), sections: _ } => vec![Named::Id("song", song)],
            State::File { song: SongId(song), file: FileId(file) } => {
                vec![Named::Id("song", song), Named::Id("file", file)]
            }
            State::Written { take: TakeId(take), hits: _, without: _ } => vec![Named::Id("take", take)],
            State::Part(PartState {
                id: PartId(id),
                name,
                drums: _,
                muted: _,
                layers: _,
                lines: _,
                kit,
                take: TakeId(take),
                position: _,
                audio: _,
                deleted: _,
            }) => {
                let own = [Named::Id("part", id), Named::Id("take", take), Named::Kit(kit)];
                own.into_iter().chain(name.as_mut().map(Named::Name)).collect()
            }
            State::Take { id: TakeId(id), name, recipe, variation: _, deleted: _ } => {
                vec![Named::Id("take", id), Named::Name(name), Named::Passes(recipe)]
            }
            State::Recipe { id: RecipeId(id), name, note, recipe, deleted: _ } => {
                vec![Named::Id("recipe", id), Named::Name(name), Named::Name(note), Named::Passes(recipe)]
            }
            State::Groove { id: GrooveId(id), note, groove: _, favourite: _, deleted: _ } => {
                vec![Named::Id("groove", id), Named::Name(note)]
            }
            State::Kit { id: KitId(id), kit: _, deleted: _ } => vec![Named::Id("kit", id)],
            State::Pocket { id, name, settings: _, deleted: _ } => vec![Named::Pocket(id), Named::Name(name)],
            State::First { id: PartId(id), recipe, variation: _, drums: _ } => {
                vec![Named::Id("part", id), Named::Passes(recipe)]
            }
        }
    }

    /// What it names that stays for as long as it could be so again: the kit of a part, the file of a song.
    pub fn holds(&self) -> Option<(&'static str, i64)> {
        match self {
            State::Part(part) => part.kit.map(|kit| ("kit", kit.0)),
            State::File { file, .. } => Some(("file", file.0)),
            _ => None,
        }
    }

    /// Whether what is new in it would be read back as it is. What was damaged before can still be renamed,
    /// moved and deleted.
    pub fn check(&self, before: &State) -> Result<(), StoreError> {
        if !before.is_deleted() && self.text().is_some_and(|text| before.text() == Some(text)) {
            return Ok(());
        }
        fn read<T: Kept>(field: &str, text: &str) -> Result<(), StoreError> {
            T::read(text).map(|_| ()).map_err(|reason| match reason.split_once(": ") {
                Some((path, message)) => StoreError::invalid(format!("{field}.{path}"), message),
                None => StoreError::invalid(field, reason),
            })
        }
        match self {
            State::Take { recipe, .. } | State::Recipe { recipe, .. } => read::<Recipe>("recipe", recipe),
            State::Groove { groove, .. } => read::<GrooveProfile>("groove", groove),
            State::Kit { kit, .. } => read::<Kit>("kit", kit),
            State::Pocket { settings, .. } => read::<PocketSettings>("settings", settings),
            State::Part(PartState { layers, audio, .. }) => {
                let stands = matches!(before, State::Part(before) if before.audio == *audio && !before.deleted);
                if let Some(text) = audio.as_deref().filter(|_| !stands) {
                    read::<AudioSource>("audio", text)?;
                }
                let checked = layers.as_ref().map_or(Ok(()), LayerBounds::check);
                checked.map_err(|(field, message)| StoreError::invalid(format!("layers.{field}"), message))
            }
            State::Sections { sections: Some(sections), .. } => Section::checked(sections.clone())
                .map(|_| ())
                .map_err(|(field, message)| StoreError::invalid(field, message)),
            _ => Ok(()),
        }
    }

    /// Whether it is out of sight: what was deleted, and what is only just being made.
    fn is_deleted(&self) -> bool {
        match self {
            State::Song { deleted, .. }
            | State::Take { deleted, .. }
            | State::Recipe { deleted, .. }
            | State::Groove { deleted, .. }
            | State::Kit { deleted, .. }
            | State::Pocket { deleted, .. } => *deleted,
            State::Part(part) => part.deleted,
            State::Sections { .. } | State::File { .. } | State::Written { .. } | State::First { .. } => false,
        }
    }

    /// What it holds as a text of its own.
    fn text(&self) -> Option<&str> {
        match self {
            State::Take { recipe: text, .. }
            | State::Recipe { recipe: text, .. }
            | State::Groove { groove: text, .. }
            | State::Kit { kit: text, .. }
            | State::Pocket { settings: text, .. } => Some(text),
            _ => None,
        }
    }

    /// Both sides of a step, as JSON. Of a take's passes each side holds those that differ; the others are
    /// numbers, which stand for what the take has under that id.
    pub fn write(before: &[State], after: &[State]) -> (String, String) {
        let (mut left, mut right) = (json!(before), json!(after));
        if let (Value::Array(left), Value::Array(right)) = (&mut left, &mut right) {
            for ((a, b), state) in left.iter_mut().zip(right).zip(before) {
                if matches!(state, State::Take { .. })
                    && a["id"] == b["id"]
                    && let (Some(a), Some(b)) = (a.pointer_mut(PASSES), b.pointer_mut(PASSES))
                {
                    keep_difference(a, b);
                }
            }
        }
        (left.to_string(), right.to_string())
    }

    /// One side of a step; the first version of the database wrote one state alone. What stands for passes is
    /// looked up in what is there now, and where that is damaged in the steps before.
    pub fn read(transaction: &Transaction<'_>, step: i64, text: &str) -> Result<Vec<State>, StoreError> {
        let failed = |reason: String| StoreError::Damaged { what: "this step".to_owned(), reason };
        let value: Value = serde_json::from_str(text).map_err(|error| failed(error.to_string()))?;
        let states = match value {
            Value::Array(states) => states,
            one => vec![one],
        };
        let state = |mut value: Value| {
            if value.get("of").is_some_and(|of| of == "take") {
                put_back(transaction, step, &mut value).map_err(|error| match error {
                    StoreError::Damaged { reason, .. } => failed(reason),
                    other => other,
                })?;
            }
            serde_json::from_value(value).map_err(|error| failed(error.to_string()))
        };
        states.into_iter().map(state).collect()
    }

    /// One side of a step as it stands, what is left out of passes not looked up; nothing where it cannot be read.
    pub fn read_plainly(text: &str) -> Option<Vec<State>> {
        let value: Value = serde_json::from_str(text).ok()?;
        match value {
            Value::Array(states) => states.into_iter().map(|state| serde_json::from_value(state).ok()).collect(),
            one => Some(vec![serde_json::from_value(one).ok()?]),
        }
    }

    /// Makes what is there be so.
    ///
    /// # Errors
    ///
    /// Where the database fails, or what it holds of a Written that changes in part cannot be read.
    pub fn apply(&self, transaction: &Transaction<'_>) -> Result<(), StoreError> {
        match self {
            State::Song { id, name, deleted } => {
                let sql = format!("UPDATE song SET name = ?2, deleted = ?3, revision = {NEXT} WHERE id = ?1");
                transaction.execute(&sql, params![id.0, name, deleted])?;
            }
            State::Sections { song, sections } => {
                let sql = format!("UPDATE song SET sections = ?2, revision = {NEXT} WHERE id = ?1");
                let sections = sections.as_ref().map(|sections| json!(sections).to_string());
                transaction.execute(&sql, params![song.0, sections])?;
            }
            State::File { song, file } => {
                let sql = format!("UPDATE song SET file = ?2, revision = {NEXT} WHERE id = ?1");
                transaction.execute(&sql, params![song.0, file.0])?;
                // What was made on the hits of another file is made on another state of the part.
                let sql = format!("UPDATE part SET revision = {NEXT} WHERE song = ?1");
                transaction.execute(&sql, [song.0])?;
            }
            State::Written { take, hits, without } => {
                let sql = "SELECT hits FROM take WHERE id = ?1";
                let text: Option<Option<String>> = transaction.query_row(sql, [take.0], |row| row.get(0)).optional()?;
                let before = match text.flatten() {
                    // What is damaged is left for whoever can mend it.
                    Some(text) => printed_hits(&text).map_err(|reason| StoreError::Damaged {
                        what: format!("the Written of take {}", take.0),
                        reason,
                    })?,
                    None => Part::default(),
                };
                let mut all: BTreeMap<HitId, Hit> = before.hits().iter().map(|hit| (hit.id, *hit)).collect();
                let without: HashSet<&HitId> = without.iter().collect();
                all.retain(|id, _| !without.contains(id));
                all.extend(hits.iter().map(|hit| (hit.id, *hit)));
                let part = Part::new(all.into_values().collect());
                let sql =
                    "UPDATE take SET hits = ?2, written = max(written, (SELECT floor FROM shelf)) + 1 WHERE id = ?1";
                transaction.execute(sql, params![take.0, hits_text(&part)?])?;
                let sql = format!("UPDATE part SET revision = {NEXT} WHERE id = (SELECT part FROM take WHERE id = ?1)");
                transaction.execute(&sql, [take.0])?;
            }
            State::Part(PartState { id, name, drums, muted, layers, lines, kit, take, position, audio, deleted }) => {
                let sql = format!(
                    "UPDATE part SET name = ?2, drums = ?3, muted = ?4, layers = ?5, take = ?6, deleted = ?7,
                           lines = ?8, kit = ?9, position = coalesce(?10, position), audio = ?11, revision = {NEXT}
                           WHERE id = ?1"
                );
                let position = position.map(|position| position as i64);
                let layers = layers.as_ref().map(|layers| json!(layers).to_string());
                let kit = kit.map(|kit| kit.0);
                let (take, deleted) = (take.0, *deleted);
                transaction.execute(
                    &sql,
                    params![id.0, name, drums, muted, layers, take, deleted, lines, kit, position, audio],
                )?;
            }
            State::Take { id, name, recipe, variation, deleted } => {
                let sql = "UPDATE take SET name = ?2, recipe = ?3, variation = ?4, deleted = ?5 WHERE id = ?1";
                transaction.execute(sql, params![id.0, name, recipe, variation, deleted])?;
                let sql = format!("UPDATE part SET revision = {NEXT} WHERE id = (SELECT part FROM take WHERE id = ?1)");
                transaction.execute(&sql, [id.0])?;
            }
            State::Recipe { id, name, note, recipe, deleted } => {
                let sql = format!(
                    "UPDATE recipe SET name = ?2, note = ?3, recipe = ?4, deleted = ?5,
                           revision = {NEXT} WHERE id = ?1"
                );
                transaction.execute(&sql, params![id.0, name, note, recipe, deleted])?;
            }
            State::Groove { id, note, groove, favourite, deleted } => {
                let sql = format!(
                    "UPDATE groove SET note = ?2, groove = ?3, favourite = ?4, deleted = ?5,
                           revision = {NEXT} WHERE id = ?1"
                );
                transaction.execute(&sql, params![id.0, note, groove, favourite, deleted])?;
            }
            State::Kit { id, kit, deleted } => {
                let sql = format!("UPDATE kit SET kit = ?2, deleted = ?3, revision = {NEXT} WHERE id = ?1");
                transaction.execute(&sql, params![id.0, kit, deleted])?;
            }
            State::Pocket { id, name, settings, deleted } => {
                let sql = format!(
                    "UPDATE pocket SET name = ?2, settings = ?3, deleted = ?4,
                           revision = {NEXT} WHERE id = ?1"
                );
                transaction.execute(&sql, params![id.0, name, settings, deleted])?;
            }
            State::First { id, recipe, variation, drums } => {
                let sql = "UPDATE take SET recipe = ?2, variation = ?3
                           WHERE id = (SELECT min(id) FROM take WHERE part = ?1)";
                transaction.execute(sql, params![id.0, recipe, variation])?;
                let sql = format!("UPDATE part SET drums = ?2, revision = {NEXT} WHERE id = ?1");
                transaction.execute(&sql, params![id.0, drums])?;
            }
        }
        Ok(())
    }
}

/// Where a take's passes stand in a step. What is damaged may have nothing there.
const PASSES: &str = "/recipe/passes";

/// Puts its id in the place of each pass that stands on both sides.
fn keep_difference(left: &mut Value, right: &mut Value) {
    let (Value::Array(left), Value::Array(right)) = (left, right) else { return };
    let known: HashMap<u64, Value> =
        left.iter().filter_map(|pass| Some((pass["id"].as_u64()?, pass.clone()))).collect();
    let alike: Vec<u64> =
        right.iter().filter_map(|pass| pass["id"].as_u64().filter(|id| known.get(id) == Some(pass))).collect();
    for pass in left.iter_mut().chain(right.iter_mut()) {
        if let Some(id) = pass["id"].as_u64().filter(|id| alike.contains(id)) {
            *pass = json!(id);
        }
    }
}

/// Puts the passes that a take has now in the place of the numbers that stand for them.
fn put_back(transaction: &Transaction<'_>, step: i64, state: &mut Value) -> Result<(), StoreError> {
    let id = state.get("id").and_then(Value::as_i64);
    let Some(Value::Array(passes)) = state.pointer_mut(PASSES) else { return Ok(()) };
    if !passes.iter().any(Value::is_number) {
        return Ok(());
    }
    let sql = "SELECT recipe FROM take WHERE id = ?1";
    let now: Option<String> = transaction.query_row(sql, [id], |row| row.get(0)).optional()?;
    let now: Value = now.and_then(|text| serde_json::from_str(&text).ok()).unwrap_or_default();
    let mut known = whole_passes(&now["passes"]);
    if passes.iter().any(|pass| pass.as_u64().is_some_and(|id| !known.contains_key(&id))) {
        let mut found = from_steps(transaction, step, id)?;
        found.extend(known);
        known = found;
    }
    for pass in passes {
        let Some(id) = pass.as_u64() else { continue };
        let found = known.get(&id).ok_or_else(|| StoreError::Damaged {
            what: "this step".to_owned(),
            reason: format!("pass {id}, which it leaves as it is, is not there any more"),
        })?;
        *pass = found.clone();
    }
    Ok(())
}

/// Passes that are written out, by their ids.
fn whole_passes(passes: &Value) -> HashMap<u64, Value> {
    let passes = passes.as_array().map(Vec::as_slice).unwrap_or_default();
    passes.iter().filter_map(|pass| Some((pass["id"].as_u64()?, pass.clone()))).collect()
}

/// The passes of a take as the steps up to one left them, each from the newest that wrote it out.
fn from_steps(transaction: &Transaction<'_>, step: i64, take: Option<i64>) -> Result<HashMap<u64, Value>, StoreError> {
    let sql = "SELECT before, after FROM step WHERE id <= ?1
                 AND id IN (SELECT step FROM touched WHERE kind = 'take' AND touched.id = ?2) ORDER BY id";
    let mut query = transaction.prepare(sql)?;
    let sides = query.query_map(rusqlite::params![step, take], |row| Ok([row.get(0)?, row.get(1)?]))?;
    let mut known = HashMap::new();
    for sides in sides {
        let sides: [String; 2] = sides?;
        for side in sides {
            let states: Value = serde_json::from_str(&side).unwrap_or_default();
            for state in states.as_array().map(Vec::as_slice).unwrap_or_default() {
                if state["of"] == "take" && state["id"].as_i64() == take {
                    known.extend(whole_passes(&state["recipe"]["passes"]));
                }
            }
        }
    }
    Ok(known)
}
