//! A song with all that was made of it, to be taken to another shelf: rows as they stand, with their history.
//!
//! What is damaged travels as it is: it is read as tolerantly there as here.

use crate::change::Change;
use crate::history::Scope;
use crate::songs::{FileId, SongId, checked_name};
use crate::{Reads, StoreError};
use rusqlite::{Connection, Row, params};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use vivida_core::Kit;

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
    pub grid: Option<String>,
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
    let sql = "SELECT id, position, name, drums, muted, layers, grid, kit, take, deleted,
                      (SELECT value FROM view WHERE view.name = 'part-' || part.id), audio FROM part WHERE song = ?1 ORDER BY id";
    pack.parts = rows(connection, sql, id, |row| {
        Ok(PartPack {
            id: row.get(0)?,
            position: row.get(1)?,
            name: row.get(2)?,
            drums: row.get(3)?,
            muted: row.get(4)?,
            layers: row.get(5)?,
            grid: row.get(6)?,
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

/// What things are called on the shelf that they come to, by what they were called before.
#[derive(Default)]
struct Names {
    songs: BTreeMap<i64, i64>,
    files: BTreeMap<i64, i64>,
    parts: BTreeMap<i64, i64>,
    takes: BTreeMap<i64, i64>,
    pockets: BTreeMap<i64, i64>,
    kits: BTreeMap<i64, i64>,
}

impl Names {
    fn rename(value: &mut Value, names: &BTreeMap<i64, i64>) {
        if let Some(new) = value.as_i64().and_then(|id| names.get(&id)) {
            *value = json!(new);
        }
    }

    /// Passes follow pockets by their ids.
    fn in_recipe(&self, recipe: &mut Value) {
        let Some(passes) = recipe.get_mut("passes").and_then(Value::as_array_mut) else { return };
        for pass in passes {
            if pass.pointer("/action/kind").is_some_and(|kind| kind == "pocket")
                && let Some(pocket) = pass.pointer_mut("/action/pocket")
            {
                Names::rename(pocket, &self.pockets);
            }
        }
    }

    fn in_text(&self, recipe: &str) -> String {
        // What cannot be read travels as it stands.
        let Ok(mut value) = serde_json::from_str::<Value>(recipe) else { return recipe.to_owned() };
        self.in_recipe(&mut value);
        value.to_string()
    }

    /// One side of a step, and what it touches.
    fn in_states(&self, text: &str, touched: &mut BTreeSet<(&'static str, i64)>) -> String {
        let Ok(mut value) = serde_json::from_str::<Value>(text) else { return text.to_owned() };
        let states = match &mut value {
            Value::Array(states) => states.iter_mut().collect(),
            one => vec![one],
        };
        for state in states {
            let of = state["of"].as_str().unwrap_or_default().to_owned();
            let mut field = |name: &str, names: &BTreeMap<i64, i64>, kind: Option<&'static str>| {
                if let Some(value) = state.get_mut(name) {
                    Names::rename(value, names);
                    touched.extend(kind.zip(value.as_i64()));
                }
            };
            match of.as_str() {
                "song" => field("id", &self.songs, Some("song")),
                "sections" => field("song", &self.songs, Some("song")),
                "file" => {
                    field("song", &self.songs, Some("song"));
                    field("file", &self.files, Some("file"));
                }
                "part-and-take" => {
                    field("id", &self.parts, Some("part"));
                    field("take", &self.takes, None);
                    field("kit", &self.kits, Some("kit"));
                }
                "part" => field("id", &self.parts, Some("part")),
                "take" => {
                    field("id", &self.takes, Some("take"));
                    if let Some(recipe) = state.get_mut("recipe") {
                        self.in_recipe(recipe);
                    }
                }
                "written" => field("take", &self.takes, Some("take")),
                "pocket" => field("id", &self.pockets, Some("pocket")),
                _ => {}
            }
        }
        value.to_string()
    }
}

impl Change<'_> {
    /// Puts a song on the shelf as it was packed, with its history. A step of the shelf.
    pub fn unpack_song(&mut self, pack: &SongPack) -> Result<SongId, StoreError> {
        let name = checked_name(&pack.name)?;
        self.step(Scope::Shelf, format!("unpack “{name}”"));
        let sql = "INSERT INTO song (name, sections) VALUES (?1, ?2)";
        self.transaction.execute(sql, params![name, pack.sections])?;
        let song = SongId(self.transaction.last_insert_rowid());
        let mut names = Names { songs: [(pack.id, song.0)].into(), ..Names::default() };
        let taken = |what: &str, id: i64| StoreError::invalid(format!("{what} {id}"), "it is there twice");
        for file in &pack.files {
            let sql = "INSERT INTO file (song, name, bytes, ids) VALUES (?1, ?2, ?3, ?4)";
            self.transaction.execute(sql, params![song.0, file.name, file.bytes, file.ids])?;
            if names.files.insert(file.id, self.transaction.last_insert_rowid()).is_some() {
                return Err(taken("file", file.id));
            }
        }
        let own = names.files.get(&pack.file).copied();
        let own = own.ok_or_else(|| StoreError::invalid("file", format!("there is no file {}", pack.file)))?;
        self.transaction.execute("UPDATE song SET file = ?2 WHERE id = ?1", [song.0, FileId(own).0])?;
        for kit in &pack.kits {
            let id = self.kit_like(&kit.kit)?;
            names.kits.insert(kit.id, id);
        }
        for pocket in &pack.pockets {
            let sql = "INSERT INTO pocket (song, name, settings, deleted) VALUES (?1, ?2, ?3, ?4)";
            self.transaction.execute(sql, params![song.0, pocket.name, pocket.settings, pocket.deleted])?;
            names.pockets.insert(pocket.id, self.transaction.last_insert_rowid());
        }
        for part in &pack.parts {
            let kit = part.kit.and_then(|kit| names.kits.get(&kit).copied());
            let sql = "INSERT INTO part (song, position, name, drums, muted, layers, grid, kit, deleted, audio)
                       VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)";
            let PartPack { position, name, drums, muted, layers, grid, deleted, audio, .. } = part;
            let row = params![song.0, position, name, drums, muted, layers, grid, kit, deleted, audio];
            self.transaction.execute(sql, row)?;
            let id = self.transaction.last_insert_rowid();
            if names.parts.insert(part.id, id).is_some() {
                return Err(taken("part", part.id));
            }
            if let Some(view) = &part.view {
                self.set_view(&format!("part-{id}"), view)?;
            }
        }
        for take in &pack.takes {
            let Some(part) = names.parts.get(&take.part) else {
                return Err(StoreError::invalid(format!("take {}", take.id), "its part is not there"));
            };
            let sql = "INSERT INTO take (part, name, hits, recipe, variation, deleted) VALUES (?1, ?2, ?3, ?4, ?5, ?6)";
            let recipe = names.in_text(&take.recipe);
            let row = params![part, take.name, take.hits, recipe, take.variation, take.deleted];
            self.transaction.execute(sql, row)?;
            names.takes.insert(take.id, self.transaction.last_insert_rowid());
        }
        self.settle_takes(pack, &names)?;
        self.unpack_steps(pack, song, &names)?;
        self.appears(song, name)?;
        Ok(song)
    }

    /// The take that each part is worked on by; one without any gets one.
    fn settle_takes(&mut self, pack: &SongPack, names: &Names) -> Result<(), StoreError> {
        for part in &pack.parts {
            let Some(&id) = names.parts.get(&part.id) else { continue };
            let live = "SELECT min(id) FROM take WHERE part = ?1 AND deleted = 0";
            let mut first: Option<i64> = self.transaction.query_row(live, [id], |row| row.get(0))?;
            if first.is_none() {
                self.transaction.execute("INSERT INTO take (part, name) VALUES (?1, 'As it came')", [id])?;
                first = Some(self.transaction.last_insert_rowid());
            }
            let own = part.take.and_then(|take| names.takes.get(&take).copied());
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
        for step in &pack.steps {
            let mut touched = BTreeSet::new();
            let before = names.in_states(&step.before, &mut touched);
            let after = names.in_states(&step.after, &mut touched);
            let size = (before.len() + after.len()) as i64;
            let sql = "INSERT INTO step (song, label, before, after, undone, created, size)
                       VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)";
            let row = params![song.0, step.label, before, after, step.undone, step.created, size];
            self.transaction.execute(sql, row)?;
            let id = self.transaction.last_insert_rowid();
            for (kind, of) in touched {
                let sql = "INSERT OR IGNORE INTO touched (kind, id, step) VALUES (?1, ?2, ?3)";
                self.transaction.execute(sql, params![kind, of, id])?;
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
