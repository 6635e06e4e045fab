//! A song with all that was made of it, to be taken to another shelf: rows as they stand, with their history.
//!
//! What is damaged travels as it is: it is read as tolerantly there as here.

use crate::change::Change;
use crate::history::Scope;
use crate::kits::KitId;
use crate::songs::{SongId, checked_name};
use crate::state::{Named, State};
use crate::{Reads, StoreError};
use rusqlite::{Connection, Row, params};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use vivida_core::{Kit, PocketId, Recipe};

/// A song and all of it. Ids are those that it had on its shelf.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct SongPack {
    pub id: i64,
    pub name: String,
    pub sections: Option<String>,
    /// The file that it is.
    pub file: i64,
    pub files: Vec<FilePack>,
    pub parts: Vec<PartPack>,
    pub takes: Vec<TakePack>,
    pub pockets: Vec<PocketPack>,
    /// The kits that its parts have, or had.
    pub kits: Vec<KitPack>,
    /// In their order.
    pub steps: Vec<StepPack>,
}

/// A file of a song; its bytes travel beside it.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct FilePack {
    pub id: i64,
    pub name: String,
    pub ids: Option<String>,
    #[serde(skip)]
    pub bytes: Vec<u8>,
}

#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct PartPack {
    pub id: i64,
    pub position: i64,
    pub name: Option<String>,
    pub drums: bool,
    pub muted: bool,
    pub layers: Option<String>,
    #[serde(alias = "grid")]
    pub lines: Option<String>,
    pub kit: Option<i64>,
    pub take: Option<i64>,
    pub deleted: bool,
    /// The recorded loop that it is, as JSON.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub audio: Option<String>,
    /// How its screen was left, as JSON.
    pub view: Option<String>,
}

#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct TakePack {
    pub id: i64,
    pub part: i64,
    pub name: String,
    pub hits: Option<String>,
    pub recipe: String,
    pub variation: i64,
    pub deleted: bool,
}

#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct PocketPack {
    pub id: i64,
    pub name: String,
    pub settings: String,
    pub deleted: bool,
}

#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct KitPack {
    pub id: i64,
    pub kit: String,
}

#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct StepPack {
    pub label: String,
    pub before: String,
    pub after: String,
    pub undone: bool,
    pub created: String,
}

pub(crate) fn pack(connection: &Connection, id: SongId) -> Result<SongPack, StoreError> {
    fn rows<T>(
        connection: &Connection,
        sql: &str,
        id: SongId,
        read: impl Fn(&Row<'_>) -> rusqlite::Result<T>,
    ) -> Result<Vec<T>, StoreError> {
        let mut query = connection.prepare_cached(sql)?;
        let all = query.query_map([id.0], |row| read(row))?.collect::<rusqlite::Result<_>>();
        Ok(all?)
    }
    let song = "SELECT name, sections, file FROM song WHERE id = ?1 AND deleted = 0";
    let mut found = rows(connection, song, id, |row| {
        Ok(SongPack { id: id.0, name: row.get(0)?, sections: row.get(1)?, file: row.get(2)?, ..SongPack::default() })
    })?;
    let mut pack = found.pop().ok_or(StoreError::NotFound { what: "song", id: id.0 })?;
    pack.files = rows(connection, "SELECT id, name, ids, bytes FROM file WHERE song = ?1 ORDER BY id", id, |row| {
        Ok(FilePack { id: row.get(0)?, name: row.get(1)?, ids: row.get(2)?, bytes: row.get(3)? })
    })?;
    let sql = "SELECT id, position, name, drums, muted, layers, lines, kit, take, deleted,
                      (SELECT value FROM view WHERE view.name = 'part-' || part.id), audio FROM part WHERE song = ?1 ORDER BY id";
    pack.parts = rows(connection, sql, id, |row| {
        Ok(PartPack {
            id: row.get(0)?,
            position: row.get(1)?,
            name: row.get(2)?,
            drums: row.get(3)?,
            muted: row.get(4)?,
            layers: row.get(5)?,
            lines: row.get(6)?,
            kit: row.get(7)?,
            take: row.get(8)?,
            deleted: row.get(9)?,
            view: row.get(10)?,
            audio: row.get(11)?,
        })
    })?;
    let sql = "SELECT take.id, part, take.name, hits, recipe, variation, take.deleted FROM take
               JOIN part ON part.id = take.part WHERE part.song = ?1 ORDER BY take.id";
    pack.takes = rows(connection, sql, id, |row| {
        Ok(TakePack {
            id: row.get(0)?,
            part: row.get(1)?,
            name: row.get(2)?,
            hits: row.get(3)?,
            recipe: row.get(4)?,
            variation: row.get(5)?,
            deleted: row.get(6)?,
        })
    })?;
    pack.pockets =
        rows(connection, "SELECT id, name, settings, deleted FROM pocket WHERE song = ?1 ORDER BY id", id, |row| {
            Ok(PocketPack { id: row.get(0)?, name: row.get(1)?, settings: row.get(2)?, deleted: row.get(3)? })
        })?;
    let sql = "SELECT id, kit FROM kit WHERE id IN (SELECT kit FROM part WHERE song = ?1)
                  OR id IN (SELECT touched.id FROM touched JOIN step ON step.id = touched.step
                            WHERE touched.kind = 'kit' AND step.song = ?1) ORDER BY id";
    pack.kits = rows(connection, sql, id, |row| Ok(KitPack { id: row.get(0)?, kit: row.get(1)? }))?;
    let sql = "SELECT label, before, after, undone, created FROM step WHERE song = ?1 ORDER BY id";
    pack.steps = rows(connection, sql, id, |row| {
        let (label, before, after) = (row.get(0)?, row.get(1)?, row.get(2)?);
        Ok(StepPack { label, before, after, undone: row.get(3)?, created: row.get(4)? })
    })?;
    Ok(pack)
}

/// What things are called on the shelf that they come to, by kind and by what they were called before.
#[derive(Default)]
struct Names(BTreeMap<(&'static str, i64), i64>);

impl Names {
    /// Something came: refused where another one has its id.
    fn add(&mut self, kind: &'static str, id: i64, new: i64) -> Result<(), StoreError> {
        match self.0.insert((kind, id), new) {
            None => Ok(()),
            Some(_) => Err(StoreError::invalid(format!("{kind} {id}"), "it is there twice")),
        }
    }

    fn of(&self, kind: &'static str, id: i64) -> Option<i64> {
        self.0.get(&(kind, id)).copied()
    }

    /// What is not in the pack is somebody else's.
    fn rename(&self, kind: &'static str, id: &mut i64) -> Result<(), String> {
        *id = self.of(kind, *id).ok_or_else(|| format!("it names {kind} {id}, which is not in this bundle"))?;
        Ok(())
    }

    /// The kit of a part; one that is not there is none, and the part is read by General MIDI.
    fn kit(&self, kit: Option<i64>) -> Option<i64> {
        kit.and_then(|kit| self.of("kit", kit))
    }

    /// Passes with the pockets that they follow, as they are called here. What cannot be read travels as it stands.
    fn passes(&self, recipe: &str) -> String {
        let Ok(mut value) = serde_json::from_str::<Value>(recipe) else { return recipe.to_owned() };
        let named = |id: i64| self.of("pocket", id).unwrap_or(NO_POCKET);
        if let Ok(recipe) = Recipe::from_value(value.clone()) {
            let renamed = |id: PocketId| PocketId(u32::try_from(named(i64::from(id.0))).unwrap_or(u32::MAX));
            return json!(recipe.following(renamed)).to_string();
        }
        let passes = value.get_mut("passes").and_then(Value::as_array_mut);
        for pass in passes.into_iter().flatten() {
            if pass.pointer("/action/kind").is_some_and(|kind| kind == "pocket")
                && let Some(pocket) = pass.pointer_mut("/action/pocket")
            {
                *pocket = json!(pocket.as_i64().map_or(NO_POCKET, named));
            }
        }
        value.to_string()
    }

    /// One side of a step, and what it touches. What cannot be read is kept as a text, which does nothing for ever.
    fn side(
        &self,
        text: &str,
        touched: &mut BTreeSet<(&'static str, i64)>,
        is_own: impl Fn(&State) -> Result<(), StoreError>,
    ) -> Result<String, String> {
        let Some(mut states) = State::read_plainly(text) else { return Ok(json!(text).to_string()) };
        for state in &mut states {
            for named in state.named() {
                match named {
                    Named::Id(kind, id) => self.rename(kind, id)?,
                    Named::Kit(kit) => *kit = self.kit(kit.map(|kit| kit.0)).map(KitId),
                    Named::Pocket(pocket) => {
                        let mut id = i64::from(pocket.0);
                        self.rename("pocket", &mut id)?;
                        *pocket = PocketId(u32::try_from(id).map_err(|_| "there are too many pockets")?);
                    }
                    Named::Passes(recipe) => *recipe = self.passes(recipe),
                    Named::Name(name) => *name = vivida_smf::readable(name.as_bytes()),
                }
            }
            is_own(state).map_err(|error| error.to_string())?;
            touched.extend([state.key()].into_iter().chain(state.holds()));
        }
        Ok(json!(states).to_string())
    }
}

/// A pocket that no song has: one that is not in a pack is none that could come to be here.
const NO_POCKET: i64 = u32::MAX as i64;

/// The most of a pack: more than any song that was worked on here has.
const MOST_FILES: usize = 1000;
const MOST_PARTS: usize = 5000;
const MOST_TAKES: usize = 20_000;
const MOST_POCKETS: usize = 2000;
const MOST_KITS: usize = 2000;
const MOST_STEPS: usize = 200_000;
/// How a screen was left takes no more, in bytes.
const MOST_OF_A_VIEW: usize = 64 << 10;

impl SongPack {
    /// Whether it is no larger than what this program packs.
    ///
    /// # Errors
    ///
    /// What there is too much of.
    pub fn check(&self) -> Result<(), StoreError> {
        let counts = [
            ("files", self.files.len(), MOST_FILES),
            ("parts", self.parts.len(), MOST_PARTS),
            ("takes", self.takes.len(), MOST_TAKES),
            ("pockets", self.pockets.len(), MOST_POCKETS),
            ("kits", self.kits.len(), MOST_KITS),
            ("steps", self.steps.len(), MOST_STEPS),
        ];
        match counts.into_iter().find(|(_, count, most)| count > most) {
            Some((field, count, most)) => Err(StoreError::invalid(field, format!("{count} are more than {most}"))),
            None => Ok(()),
        }
    }
}

impl Change<'_> {
    /// Puts a song on the shelf as it was packed, with its history. A step of the shelf.
    pub fn unpack_song(&mut self, pack: &SongPack) -> Result<SongId, StoreError> {
        pack.check()?;
        let name = checked_name(&pack.name)?;
        self.step(Scope::Shelf, format!("unpack “{name}”"));
        let mut names = Names::default();
        let sql = "INSERT INTO song (name, sections) VALUES (?1, ?2)";
        let song = SongId(self.insert(sql, params![name, pack.sections])?);
        names.add("song", pack.id, song.0)?;
        for file in &pack.files {
            let sql = "INSERT INTO file (song, name, bytes, ids) VALUES (?1, ?2, ?3, ?4)";
            let new = self.insert(sql, params![song.0, shown(&file.name), file.bytes, file.ids])?;
            names.add("file", file.id, new)?;
        }
        let own = names.of("file", pack.file);
        let own = own.ok_or_else(|| StoreError::invalid("file", format!("there is no file {}", pack.file)))?;
        self.transaction.execute("UPDATE song SET file = ?2 WHERE id = ?1", [song.0, own])?;
        for kit in &pack.kits {
            let id = self.kit_like(&kit.kit)?;
            names.add("kit", kit.id, id)?;
        }
        for pocket in &pack.pockets {
            let sql = "INSERT INTO pocket (song, name, settings, deleted) VALUES (?1, ?2, ?3, ?4)";
            let new = self.insert(sql, params![song.0, shown(&pocket.name), pocket.settings, pocket.deleted])?;
            names.add("pocket", pocket.id, new)?;
        }
        for part in &pack.parts {
            let kit = names.kit(part.kit);
            let sql = "INSERT INTO part (song, position, name, drums, muted, layers, lines, kit, deleted, audio)
                       VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)";
            let PartPack { position, drums, muted, layers, lines, deleted, audio, .. } = part;
            let name = part.name.as_deref().map(shown);
            let id =
                self.insert(sql, params![song.0, position, name, drums, muted, layers, lines, kit, deleted, audio])?;
            names.add("part", part.id, id)?;
            if let Some(view) = part.view.as_ref().filter(|view| view.len() <= MOST_OF_A_VIEW) {
                self.set_view(&format!("part-{id}"), view)?;
            }
        }
        for take in &pack.takes {
            let Some(part) = names.of("part", take.part) else {
                return Err(StoreError::invalid(format!("take {}", take.id), "its part is not there"));
            };
            let sql = "INSERT INTO take (part, name, hits, recipe, variation, deleted) VALUES (?1, ?2, ?3, ?4, ?5, ?6)";
            let recipe = names.passes(&take.recipe);
            let row = params![part, shown(&take.name), take.hits, recipe, take.variation, take.deleted];
            let new = self.insert(sql, row)?;
            names.add("take", take.id, new)?;
        }
        self.settle_takes(pack, &names)?;
        self.unpack_steps(pack, song, &names)?;
        self.appears(song, name)?;
        Ok(song)
    }

    /// Puts a row into a table: its id.
    fn insert(&mut self, sql: &str, row: impl rusqlite::Params) -> rusqlite::Result<i64> {
        self.transaction.prepare_cached(sql)?.execute(row)?;
        Ok(self.transaction.last_insert_rowid())
    }

    /// The take that each part is worked on by; one without any gets one.
    fn settle_takes(&mut self, pack: &SongPack, names: &Names) -> Result<(), StoreError> {
        for part in &pack.parts {
            let Some(id) = names.of("part", part.id) else { continue };
            let live = "SELECT min(id) FROM take WHERE part = ?1 AND deleted = 0";
            let mut first: Option<i64> = self.transaction.query_row(live, [id], |row| row.get(0))?;
            if first.is_none() {
                self.transaction.execute("INSERT INTO take (part, name) VALUES (?1, 'As it came')", [id])?;
                first = Some(self.transaction.last_insert_rowid());
            }
            let own = part.take.and_then(|take| names.of("take", take));
            let sql = "SELECT EXISTS (SELECT 1 FROM take WHERE id = ?1 AND part = ?2 AND deleted = 0)";
            let good = match own {
                Some(take) => self.transaction.query_row(sql, [take, id], |row| row.get::<_, bool>(0))?,
                None => false,
            };
            let take = if good { own } else { first };
            self.transaction.execute("UPDATE part SET take = ?2 WHERE id = ?1", params![id, take])?;
        }
        Ok(())
    }

    fn unpack_steps(&mut self, pack: &SongPack, song: SongId, names: &Names) -> Result<(), StoreError> {
        for (place, step) in pack.steps.iter().enumerate() {
            let mut touched = BTreeSet::new();
            let mut side = |field: &str, text: &str| {
                let wrong = |why: String| StoreError::invalid(format!("steps[{place}].{field}"), why);
                let is_own = |state: &State| state.check_within(&self.transaction, song);
                names.side(text, &mut touched, is_own).map_err(wrong)
            };
            let (before, after) = (side("before", &step.before)?, side("after", &step.after)?);
            let size = (before.len() + after.len()) as i64;
            let sql = "INSERT INTO step (song, label, before, after, undone, created, size)
                       VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)";
            let (label, created) = (shown(&step.label), shown(&step.created));
            let id = self.insert(sql, params![song.0, label, before, after, step.undone, created, size])?;
            for (kind, of) in touched {
                let sql = "INSERT OR IGNORE INTO touched (kind, id, step) VALUES (?1, ?2, ?3)";
                self.transaction.prepare_cached(sql)?.execute(params![kind, of, id])?;
            }
        }
        Scope::Song(song).bound(&self.transaction)?;
        Ok(())
    }

    /// A kit of the library that reads as this one does; laid in where there is none.
    fn kit_like(&mut self, text: &str) -> Result<i64, StoreError> {
        let sql = "SELECT id FROM kit WHERE kit = ?1 ORDER BY deleted, id LIMIT 1";
        let known: Result<i64, _> = self.transaction.query_row(sql, [text], |row| row.get(0));
        match known {
            Ok(id) => Ok(id),
            Err(rusqlite::Error::QueryReturnedNoRows) => {
                self.transaction.execute("INSERT INTO kit (kit) VALUES (?1)", [text])?;
                Ok(self.transaction.last_insert_rowid())
            }
            Err(error) => Err(error.into()),
        }
    }
}

/// A name as it is kept: in one line, and of a length that can be shown.
fn shown(name: &str) -> String {
    vivida_smf::readable(name.as_bytes())
}

impl SongPack {
    /// The files of sound that it needs, by their hashes: those of its parts, and of what its steps lead to.
    pub fn sounds(&self) -> BTreeSet<String> {
        let sound = |text: &String| {
            let value: Value = serde_json::from_str(text).ok()?;
            Some(value.get("sound")?.as_str()?.to_owned())
        };
        let steps = self.steps.iter().flat_map(|step| [&step.before, &step.after]);
        let states = steps.filter_map(|side| serde_json::from_str::<Vec<Value>>(side).ok()).flatten();
        let in_steps = states.filter_map(|state| state.get("audio")?.as_str().map(str::to_owned));
        self.parts
            .iter()
            .filter_map(|part| part.audio.clone())
            .chain(in_steps)
            .filter_map(|text| sound(&text))
            .collect()
    }

    /// The files of own sounds that its kits name.
    pub fn own_sounds(&self) -> BTreeSet<String> {
        let kits = self.kits.iter().filter_map(|one| serde_json::from_str::<Kit>(&one.kit).ok());
        kits.flat_map(|kit| kit.samples().map(|sample| sample.sound.clone()).collect::<Vec<_>>()).collect()
    }

    /// Packs a song of a shelf.
    pub fn of(reads: &impl Reads, song: SongId) -> Result<SongPack, StoreError> {
        pack(reads.connection(), song)
    }
}
