//! Parts and their takes.

use crate::change::Change;
use crate::history::Scope;
use crate::kept::Kept;
use crate::kits::KitId;
use crate::songs::{SongId, checked_name, has_second};
use crate::state::{PartState, State};
use crate::{Damage, Reads, StoreError};
use rusqlite::{Connection, OptionalExtension, Row, Transaction, params};
use serde::{Deserialize, Serialize};
use serde_json::json;
use std::collections::HashSet;
use ts_rs::TS;
use vivida_core::{AudioSource, Hit, LayerBounds, LinesSetting, Part, Recipe};
use vivida_smf::SongPart;

/// Names a part for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct PartId(pub i64);

/// Names a take for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(transparent)]
#[ts(type = "number")]
pub struct TakeId(pub i64);

/// A part of a song: one of the file's, or a second one made of it.
#[derive(Clone, Debug, PartialEq)]
pub struct StoredPart {
    /// Its id.
    pub id: PartId,
    /// Its song.
    pub song: SongId,
    /// Its place among the parts of the file; a second part shares that of the first.
    pub position: usize,
    /// The person's own name for it; nothing where it has the file's.
    pub name: Option<String>,
    /// Taken as drums, else as tones.
    pub drums: bool,
    /// Neither heard nor exported.
    pub muted: bool,
    /// Where the velocity layers of its kit begin, where the person moved them for this part.
    pub layers: Option<LayerBounds>,
    /// The lines that its timing is measured against, where they were chosen.
    pub lines: LinesSetting,
    /// The kit that it is read by; nothing where that is the General MIDI map.
    pub kit: Option<KitId>,
    /// The take that is worked on.
    pub take: TakeId,
    /// All its takes, the oldest first.
    pub takes: Vec<StoredTake>,
    /// Counts its changes.
    pub revision: i64,
    /// The recorded loop that it is; nothing where it is none, or where that cannot be read.
    pub audio: Option<AudioSource>,
    /// The same as it stands in the database.
    pub(crate) audio_text: Option<String>,
    /// What of its own (not of its takes) cannot be read.
    pub damage: Option<Damage>,
}

/// A kept version of a part: its Written and what was made of it.
#[derive(Clone, Debug, PartialEq)]
pub struct StoredTake {
    /// Its id.
    pub id: TakeId,
    /// What the person calls it.
    pub name: String,
    /// Its Written was printed; else it is as the file has it.
    pub is_print: bool,
    /// Its passes; none where they cannot be read.
    pub recipe: Recipe,
    /// Why its passes cannot be read.
    pub damage: Option<Damage>,
    /// The number that its dice hang on.
    pub variation: u32,
    /// Counts the changes of its own Written.
    pub written: i64,
}

impl StoredTake {
    pub(crate) fn state(&self, deleted: bool) -> State {
        let recipe = match &self.damage {
            Some(damage) => damage.text.clone(),
            None => json!(self.recipe).to_string(),
        };
        State::Take { id: self.id, name: self.name.clone(), recipe, variation: self.variation, deleted }
    }
}

impl StoredPart {
    /// The take that is worked on.
    pub fn current(&self) -> &StoredTake {
        self.takes.iter().find(|take| take.id == self.take).unwrap_or(&self.takes[0])
    }

    pub(crate) fn state(&self, deleted: bool) -> PartState {
        let StoredPart { id, name, drums, muted, layers, lines, kit, take, position, audio_text: audio, .. } =
            self.clone();
        let lines = lines.text();
        PartState { id, name, drums, muted, layers, lines, kit, take, position: Some(position), audio, deleted }
    }

    pub(crate) fn take(&self, id: TakeId) -> Result<&StoredTake, StoreError> {
        self.takes.iter().find(|take| take.id == id).ok_or(StoreError::NotFound { what: "take", id: id.0 })
    }
}

/// A change to a part; what is absent stays.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct PartChange {
    /// Another take to work on.
    pub take: Option<TakeId>,
    /// Other passes of the take.
    pub recipe: Option<Recipe>,
    /// Another variation of the take.
    pub variation: Option<u32>,
    /// Taken as drums or as tones.
    pub drums: Option<bool>,
    /// Another name.
    pub name: Option<String>,
    /// Muted or not.
    pub muted: Option<bool>,
    /// Other velocity layers; those of every song where there are none.
    pub layers: Option<Option<LayerBounds>>,
    /// Other lines to measure against.
    pub lines: Option<LinesSetting>,
}

/// A part made of others of its song.
#[derive(Clone, Debug, PartialEq)]
pub struct NewPart {
    /// The part whose place in the file it has; layers and lines are its, too.
    pub beside: PartId,
    /// What it is called.
    pub name: String,
    /// Taken as drums, else as tones.
    pub drums: bool,
    /// Its Written.
    pub hits: Part,
    /// Its passes.
    pub recipe: Recipe,
    /// The number that its dice hang on.
    pub variation: u32,
}

/// The most parts that a song is cut into, those of its file not counted.
const MOST_MADE_PARTS: usize = 500;

const PART: &str = "SELECT part.id, part.song, part.position, part.name, part.drums, part.muted, part.layers,
                           part.take, part.revision, part.lines, part.kit, part.audio
                    FROM part JOIN song ON song.id = part.song WHERE part.deleted = 0 AND song.deleted = 0";

pub(crate) fn of_song(connection: &Connection, song: SongId) -> Result<Vec<StoredPart>, StoreError> {
    let mut query = connection.prepare_cached(&format!("{PART} AND part.song = ?1 ORDER BY part.position, part.id"))?;
    let parts = query.query_map([song.0], raw_part)?.collect::<rusqlite::Result<Vec<_>>>()?;
    parts.into_iter().map(|part| stored_part(connection, part)).collect()
}

pub(crate) fn one(connection: &Connection, id: PartId) -> Result<StoredPart, StoreError> {
    let mut query = connection.prepare_cached(&format!("{PART} AND part.id = ?1"))?;
    let raw = query.query_row([id.0], raw_part).optional()?;
    stored_part(connection, raw.ok_or(StoreError::NotFound { what: "part", id: id.0 })?)
}

fn stored_part(connection: &Connection, raw: RawPart) -> Result<StoredPart, StoreError> {
    let RawPart { id, song, position, name, drums, muted, layers, take, revision, lines, kit, audio } = raw;
    let takes = takes(connection, PartId(id))?;
    let Some(first) = takes.first().map(|take| take.id) else {
        let reason = "it has no take; start Vivida again, which gives it one".to_owned();
        return Err(StoreError::Damaged { what: format!("part {id}"), reason });
    };
    let mut damage = None;
    let layers = layers.and_then(|text| {
        let layers: Result<LayerBounds, String> = serde_json::from_str(&text).map_err(|error| error.to_string());
        let checked = layers.and_then(|layers| match layers.check() {
            Ok(()) => Ok(layers),
            Err((field, message)) => Err(format!("{field}: {message}")),
        });
        checked.map_err(|reason| damage = Some(Damage { reason: format!("layers: {reason}"), text })).ok()
    });
    let lines = lines.and_then(|text| {
        let read = LinesSetting::read(&text);
        read.map_err(|reason| damage = Some(Damage { reason: format!("lines: {reason}"), text })).ok()
    });
    let audio_text = audio;
    let audio = audio_text.as_deref().and_then(|text| {
        let read = AudioSource::read(text);
        read.map_err(|reason| damage = Some(Damage { reason: format!("audio: {reason}"), text: text.to_owned() })).ok()
    });
    Ok(StoredPart {
        id: PartId(id),
        song: SongId(song),
        position: usize::try_from(position).unwrap_or(usize::MAX),
        name,
        drums,
        muted,
        layers,
        take: TakeId(take.unwrap_or(first.0)),
        takes,
        revision,
        lines: lines.unwrap_or_default(),
        kit: kit.map(KitId),
        audio,
        audio_text,
        damage,
    })
}

const TAKE: &str = "SELECT id, name, hits IS NOT NULL, recipe, variation, written FROM take";

fn takes(connection: &Connection, part: PartId) -> Result<Vec<StoredTake>, StoreError> {
    let mut query = connection.prepare_cached(&format!("{TAKE} WHERE part = ?1 AND deleted = 0 ORDER BY id"))?;
    Ok(query.query_map([part.0], stored_take)?.collect::<rusqlite::Result<_>>()?)
}

fn stored_take(row: &Row<'_>) -> rusqlite::Result<StoredTake> {
    let (recipe, damage) = Recipe::tolerant(row.get(3)?);
    // A number that no variation can be is the first one.
    let variation = u32::try_from(row.get::<_, i64>(4)?).unwrap_or(1);
    let (name, is_print, written) = (row.get(1)?, row.get(2)?, row.get(5)?);
    Ok(StoredTake { id: TakeId(row.get(0)?), name, is_print, recipe, damage, variation, written })
}

pub(crate) fn take_hits(connection: &Connection, id: TakeId) -> Result<Option<Result<Part, Damage>>, StoreError> {
    let mut query = connection.prepare_cached("SELECT hits FROM take WHERE id = ?1")?;
    let hits: Option<Option<String>> = query.query_row([id.0], |row| row.get(0)).optional()?;
    let hits = hits.ok_or(StoreError::NotFound { what: "take", id: id.0 })?;
    Ok(hits.map(|text| printed_hits(&text).map_err(|reason| Damage { reason, text })))
}

pub(crate) fn printed_hits(text: &str) -> Result<Part, String> {
    let hits: Vec<Hit> = serde_json::from_str(text).map_err(|error| error.to_string())?;
    check_hits(&hits)?;
    Ok(Part::new(hits))
}

fn check_hits(hits: &[Hit]) -> Result<(), String> {
    let good = |hit: &Hit| (0.0..=MOST_TICKS).contains(&hit.tick.0) && (1.0..=MOST_TICKS).contains(&hit.length.0);
    match hits.iter().find(|hit| !good(hit)) {
        Some(hit) => Err(format!("hit {} lies outside of any song", hit.id.get())),
        None => Ok(()),
    }
}

/// A Written as it is kept: one that could not be read again is refused.
pub(crate) fn hits_text(part: &Part) -> Result<String, StoreError> {
    check_hits(part.hits()).map_err(|reason| StoreError::invalid("hits", reason))?;
    Ok(json!(part.hits()).to_string())
}

/// No song has more ticks: 10 000 bars of 255 quarter notes are fewer.
const MOST_TICKS: f64 = 1e11;

impl Change<'_> {
    /// Changes what was made of a part. A step of its song.
    pub fn change_part(
        &mut self,
        id: PartId,
        revision: i64,
        label: &str,
        change: PartChange,
    ) -> Result<(), StoreError> {
        let before = self.expected_part(id, revision)?;
        self.step(Scope::Song(before.song), label);
        let mut after = before.clone();
        if let Some(take) = change.take {
            before.take(take)?;
            after.take = take;
        }
        after.drums = change.drums.unwrap_or(before.drums);
        after.muted = change.muted.unwrap_or(before.muted);
        after.lines = change.lines.unwrap_or_else(|| before.lines.clone());
        after.layers = change.layers.unwrap_or(before.layers.clone());
        if let Some(name) = change.name {
            after.name = Some(checked_name(&name)?);
        }
        let take = after.current().clone();
        let mut changed = take.clone();
        if let Some(recipe) = change.recipe {
            (changed.recipe, changed.damage) = (recipe, None);
        }
        changed.variation = change.variation.unwrap_or(take.variation);
        self.put(State::Part(before.state(false)), State::Part(after.state(false)))?;
        self.put(take.state(false), changed.state(false))
    }

    /// Other passes for the take of a part that is worked on, whatever its revision. A step of its song.
    pub fn set_recipe(&mut self, id: PartId, label: &str, recipe: Recipe) -> Result<(), StoreError> {
        let part = self.part(id)?;
        self.step(Scope::Song(part.song), label);
        let take = part.current();
        let changed = StoredTake { recipe, damage: None, ..take.clone() };
        self.put(take.state(false), changed.state(false))
    }

    /// Another kit for a part, and the passes of each of its takes as they follow it. A step of its song.
    pub fn exchange_kit(
        &mut self,
        id: PartId,
        revision: i64,
        label: &str,
        kit: Option<KitId>,
        recipes: Vec<(TakeId, Recipe)>,
    ) -> Result<(), StoreError> {
        let part = self.expected_part(id, revision)?;
        if let Some(kit) = kit {
            self.kit(kit)?;
        }
        self.step(Scope::Song(part.song), label);
        // Layers that were moved for this part were moved on the kit that it had.
        let changed = StoredPart { kit, layers: None, ..part.clone() };
        self.put(State::Part(part.state(false)), State::Part(changed.state(false)))?;
        for (take, recipe) in recipes {
            let take = part.take(take)?;
            let changed = StoredTake { recipe, damage: None, ..take.clone() };
            self.put(take.state(false), changed.state(false))?;
        }
        Ok(())
    }

    /// A recorded loop for a part, and the hits that it is cut at. A step of its song, `label`; none where the part is
    /// only just being made.
    pub fn lay_audio(
        &mut self,
        id: PartId,
        label: Option<&str>,
        audio: &AudioSource,
        hits: &Part,
    ) -> Result<(), StoreError> {
        let part = self.part(id)?;
        if let Some(label) = label {
            self.step(Scope::Song(part.song), label);
            let after = PartState { audio: Some(audio_text(audio)?), ..part.state(false) };
            self.put(State::Part(part.state(false)), State::Part(after))?;
            return self.put_written(part.current(), hits);
        }
        let sql = "UPDATE part SET audio = ?2 WHERE id = ?1";
        self.transaction.execute(sql, params![id.0, audio_text(audio)?])?;
        let sql = "UPDATE take SET hits = ?2, written = max(written, (SELECT floor FROM shelf)) + 1 WHERE id = ?1";
        self.transaction.execute(sql, params![part.take.0, hits_text(hits)?])?;
        Ok(())
    }

    /// Other lines for a part to be measured against. A step of its song.
    pub fn set_lines(&mut self, id: PartId, label: &str, lines: LinesSetting) -> Result<(), StoreError> {
        let part = self.part(id)?;
        self.step(Scope::Song(part.song), label);
        let changed = StoredPart { lines, ..part.clone() };
        self.put(State::Part(part.state(false)), State::Part(changed.state(false)))
    }

    /// Keeps hits as the Written of a new take, without passes, and goes on with it. A step.
    pub fn print(&mut self, id: PartId, revision: i64, name: &str, hits: &Part) -> Result<TakeId, StoreError> {
        self.print_with(id, revision, name, hits, Recipe::default())
    }

    /// The same with passes on the new take. A step.
    pub fn print_with(
        &mut self,
        id: PartId,
        revision: i64,
        name: &str,
        hits: &Part,
        recipe: Recipe,
    ) -> Result<TakeId, StoreError> {
        let before = self.expected_part(id, revision)?;
        let name = checked_name(name)?;
        self.step(Scope::Song(before.song), format!("print “{name}”"));
        let sql = "INSERT INTO take (part, name, hits, deleted) VALUES (?1, ?2, ?3, 1)";
        self.transaction.execute(sql, params![id.0, name, hits_text(hits)?])?;
        let take = TakeId(self.transaction.last_insert_rowid());
        let new = StoredTake { id: take, name, is_print: true, recipe, damage: None, variation: 1, written: 0 };
        self.put(new.state(true), new.state(false))?;
        let after = PartState { take, ..before.state(false) };
        self.put(State::Part(before.state(false)), State::Part(after))?;
        Ok(take)
    }

    /// Calls a take something else. A step.
    pub fn rename_take(&mut self, id: PartId, revision: i64, take: TakeId, name: &str) -> Result<(), StoreError> {
        let part = self.expected_part(id, revision)?;
        let before = part.take(take)?;
        let after = StoredTake { name: checked_name(name)?, ..before.clone() };
        self.step(Scope::Song(part.song), format!("rename the take to “{}”", after.name));
        self.put(before.state(false), after.state(false))
    }

    /// Deletes a take; where it was worked on, the oldest other one is then. A step.
    pub fn delete_take(&mut self, id: PartId, revision: i64, take: TakeId) -> Result<(), StoreError> {
        let part = self.expected_part(id, revision)?;
        let gone = part.take(take)?;
        let other = part.takes.iter().find(|one| one.id != take);
        let other = other
            .ok_or_else(|| StoreError::invalid("take", "this is the part's only take; print another one first"))?;
        let next = PartState { take: if part.take == take { other.id } else { part.take }, ..part.state(false) };
        self.step(Scope::Song(part.song), format!("delete the take “{}”", gone.name));
        self.put(State::Part(part.state(false)), State::Part(next))?;
        self.put(gone.state(false), gone.state(true))
    }

    /// A second part beside this one, with copies of its takes. A step of the song.
    pub fn duplicate_part(&mut self, id: PartId, name: &str) -> Result<PartId, StoreError> {
        let part = self.part(id)?;
        let name = checked_name(name)?;
        check_made(&of_song(&self.transaction, part.song)?, 1)?;
        self.step(Scope::Song(part.song), format!("duplicate as “{name}”"));
        let (copy, take) = copy_part(&self.transaction, id, part.song)?;
        let state =
            |deleted| State::Part(PartState { id: copy, name: Some(name.clone()), take, ..part.state(deleted) });
        self.put(state(true), state(false))?;
        Ok(copy)
    }

    /// Makes parts of others, which fall silent. One step of the song.
    pub fn regroup(
        &mut self,
        song: SongId,
        label: &str,
        new: &[NewPart],
        silent: &[PartId],
    ) -> Result<Vec<PartId>, StoreError> {
        let parts = of_song(&self.transaction, song)?;
        check_made(&parts, new.len())?;
        self.step(Scope::Song(song), label);
        for part in parts.iter().filter(|part| silent.contains(&part.id)) {
            let after = PartState { muted: true, ..part.state(false) };
            self.put(State::Part(part.state(false)), State::Part(after))?;
        }
        new.iter().map(|part| self.add_part(song, part)).collect()
    }

    fn add_part(&mut self, song: SongId, new: &NewPart) -> Result<PartId, StoreError> {
        let beside = self.part(new.beside)?;
        let name = checked_name(&new.name)?;
        let sql = "INSERT INTO part (song, position, drums, deleted) VALUES (?1, ?2, ?3, 1)";
        self.transaction.execute(sql, params![song.0, beside.position as i64, new.drums])?;
        let id = PartId(self.transaction.last_insert_rowid());
        let sql = "INSERT INTO take (part, name, hits, recipe, variation) VALUES (?1, 'As it came', ?2, ?3, ?4)";
        let (hits, recipe) = (hits_text(&new.hits)?, json!(new.recipe).to_string());
        self.transaction.execute(sql, params![id.0, hits, recipe, new.variation])?;
        let take = TakeId(self.transaction.last_insert_rowid());
        let state = |deleted| {
            let own = PartState {
                id,
                name: Some(name.clone()),
                drums: new.drums,
                muted: false,
                take,
                audio: None,
                deleted,
                ..beside.state(deleted)
            };
            State::Part(own)
        };
        self.put(state(true), state(false))?;
        Ok(id)
    }

    /// Takes a second part out of its song again; the last one of its place stays, unless that was `begun` here and
    /// the song has another part. A step.
    pub fn delete_part(&mut self, id: PartId, revision: i64, begun: bool) -> Result<(), StoreError> {
        let part = self.expected_part(id, revision)?;
        let all = of_song(&self.transaction, part.song)?;
        let may_go = has_second(&all, id) || (begun && all.len() > 1);
        if !may_go {
            return Err(StoreError::invalid("part", "this is the file's own part and stays; mute it instead"));
        }
        self.step(Scope::Song(part.song), "delete the part");
        self.put(State::Part(part.state(false)), State::Part(part.state(true)))
    }
}

/// A recorded loop as it is kept: one that could not be read again is refused.
pub(crate) fn audio_text(audio: &AudioSource) -> Result<String, StoreError> {
    audio.check().map_err(|(field, message)| StoreError::invalid(format!("audio.{field}"), message))?;
    Ok(json!(audio).to_string())
}

/// Whether a song can have so many more parts than its file has.
fn check_made(parts: &[StoredPart], more: usize) -> Result<(), StoreError> {
    let places: HashSet<usize> = parts.iter().map(|part| part.position).collect();
    let made = parts.len() - places.len() + more;
    if made <= MOST_MADE_PARTS {
        return Ok(());
    }
    let message = format!("{made} parts are more than the {MOST_MADE_PARTS} that are made of a song's own");
    Err(StoreError::invalid("parts", message))
}

/// A part as it stands in its table.
struct RawPart {
    id: i64,
    song: i64,
    position: i64,
    name: Option<String>,
    drums: bool,
    muted: bool,
    layers: Option<String>,
    take: Option<i64>,
    revision: i64,
    lines: Option<String>,
    kit: Option<i64>,
    audio: Option<String>,
}

fn raw_part(row: &Row<'_>) -> rusqlite::Result<RawPart> {
    Ok(RawPart {
        id: row.get(0)?,
        song: row.get(1)?,
        position: row.get(2)?,
        name: row.get(3)?,
        drums: row.get(4)?,
        muted: row.get(5)?,
        layers: row.get(6)?,
        take: row.get(7)?,
        revision: row.get(8)?,
        lines: row.get(9)?,
        kit: row.get(10)?,
        audio: row.get(11)?,
    })
}

/// A part of a new song, with its first take.
pub(crate) fn insert_part(
    transaction: &Transaction<'_>,
    song: SongId,
    position: usize,
    SongPart { drums, begun, .. }: &SongPart,
) -> rusqlite::Result<()> {
    let sql = "INSERT INTO part (song, position, drums) VALUES (?1, ?2, ?3)";
    transaction.prepare_cached(sql)?.execute(params![song.0, position as i64, drums])?;
    let part = transaction.last_insert_rowid();
    let (name, hits) = if begun.is_some() { ("First", Some("[]")) } else { ("As it came", None) };
    let sql = "INSERT INTO take (part, name, hits) VALUES (?1, ?2, ?3)";
    transaction.prepare_cached(sql)?.execute(params![part, name, hits])?;
    let take = transaction.last_insert_rowid();
    transaction.prepare_cached("UPDATE part SET take = ?2 WHERE id = ?1")?.execute([part, take])?;
    Ok(())
}

/// A copy of a part and of all its takes, in the same or another song: its id, and that of the copy
/// of the take that is worked on.
pub(crate) fn copy_part(transaction: &Transaction<'_>, id: PartId, song: SongId) -> rusqlite::Result<(PartId, TakeId)> {
    let sql = "INSERT INTO part (song, position, name, drums, muted, layers, lines, kit, audio)
               SELECT ?2, position, name, drums, muted, layers, lines, kit, audio FROM part WHERE id = ?1";
    transaction.execute(sql, params![id.0, song.0])?;
    let copy = transaction.last_insert_rowid();
    let current: Option<i64> =
        transaction.query_row("SELECT take FROM part WHERE id = ?1", [id.0], |row| row.get(0))?;
    let sql = "SELECT id FROM take WHERE part = ?1 AND deleted = 0 ORDER BY id";
    let takes: Vec<i64> =
        transaction.prepare(sql)?.query_map([id.0], |row| row.get(0))?.collect::<rusqlite::Result<_>>()?;
    let mut chosen = 0;
    for take in takes {
        let sql = "INSERT INTO take (part, name, hits, recipe, variation)
                   SELECT ?2, name, hits, recipe, variation FROM take WHERE id = ?1";
        transaction.execute(sql, [take, copy])?;
        if chosen == 0 || Some(take) == current {
            chosen = transaction.last_insert_rowid();
        }
    }
    transaction.execute("UPDATE part SET take = ?2 WHERE id = ?1", [copy, chosen])?;
    Ok((PartId(copy), TakeId(chosen)))
}
