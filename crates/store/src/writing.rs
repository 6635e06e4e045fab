//! What a person writes: songs begun here, a take's own Written, newer files.

use crate::change::Change;
use crate::history::Scope;
use crate::kits::KitId;
use crate::parts::{PartId, StoredTake, TakeId, audio_text, hits_text, of_song};
use crate::songs::{FileId, SongId, StoredFile, checked_name, insert_file};
use crate::state::{PartState, State};
use crate::{Reads, StoreError};
use rusqlite::params;
use std::collections::BTreeMap;
use vivida_core::{AudioSource, Hit, HitId, Part, Recipe, Section};
use vivida_smf::SongFile;

/// A part with a Written of its own at a new place of the song's file.
#[derive(Clone, Debug, PartialEq)]
pub struct OwnPart {
    /// Its place among the parts of the file.
    pub position: usize,
    /// What it is called; nothing where it has the file's name.
    pub name: Option<String>,
    /// Taken as drums, else as tones.
    pub drums: bool,
    /// Its Written.
    pub hits: Part,
    /// The kit that it is read by; nothing where that is the General MIDI map.
    pub kit: Option<KitId>,
    /// The recorded loop that it is.
    pub audio: Option<AudioSource>,
}

/// Another file in the place of a song's own, and what follows from it. What is absent stays.
#[derive(Clone, Debug, PartialEq)]
pub struct NewVersion {
    /// The file.
    pub file: StoredFile,
    /// Where each part has its place now; those without one go.
    pub places: Vec<(PartId, Option<usize>)>,
    /// Places of the file that had no part: taken as drums or not.
    pub new: Vec<(usize, bool)>,
    /// Parts with a Written of their own that come with it.
    pub own: Vec<OwnPart>,
    /// Passes that changed.
    pub recipes: Vec<(TakeId, Recipe)>,
    /// The own Written of takes that changed.
    pub written: Vec<(TakeId, Part)>,
    /// Other sections.
    pub sections: Option<Option<Vec<Section>>>,
}

impl NewVersion {
    /// A file that changes nothing else.
    pub fn of(file: StoredFile) -> NewVersion {
        NewVersion {
            file,
            places: Vec::new(),
            new: Vec::new(),
            own: Vec::new(),
            recipes: Vec::new(),
            written: Vec::new(),
            sections: None,
        }
    }
}

/// What comes to a place of the file where there was no part.
#[derive(Default)]
struct NewPlace {
    position: usize,
    name: Option<String>,
    drums: bool,
    hits: Option<Part>,
    kit: Option<KitId>,
    audio: Option<String>,
}

impl Change<'_> {
    /// Puts a song on the shelf that begins here: its file has places for parts, and nothing in them. A step of the shelf.
    pub fn begin_song(
        &mut self,
        name: &str,
        bytes: &[u8],
        file: &SongFile,
        kit: Option<KitId>,
    ) -> Result<SongId, StoreError> {
        let id = self.add_song(name, &format!("{name}.mid"), bytes, file)?;
        self.label(format!("begin “{name}”"));
        if let Some(kit) = kit {
            self.kit(kit)?;
        }
        for part in of_song(&self.transaction, id)? {
            let kit = kit.filter(|_| part.drums).map(|kit| kit.0);
            self.transaction.execute("UPDATE part SET kit = ?2 WHERE id = ?1", params![part.id.0, kit])?;
        }
        Ok(id)
    }

    /// Another Written for the take of a part that is worked on, which has one of its own, and other passes where some
    /// come with it. A step of the song.
    pub fn write(
        &mut self,
        id: PartId,
        revision: i64,
        label: &str,
        hits: &Part,
        recipe: Option<Recipe>,
    ) -> Result<(), StoreError> {
        let part = self.expected_part(id, revision)?;
        self.step(Scope::Song(part.song), label);
        if let Some(recipe) = recipe {
            let take = part.current();
            if let Some(damage) = take.damage.as_ref().filter(|_| recipe != take.recipe) {
                // What stays as it was damaged has no room for more.
                let what = format!("the take “{}”, which more passes would go to,", take.name);
                return Err(StoreError::Damaged { what, reason: damage.reason.clone() });
            }
            self.put(take.state(false), StoredTake { recipe, ..take.clone() }.state(false))?;
        }
        self.put_written(part.current(), hits)
    }

    pub(crate) fn put_written(&mut self, take: &StoredTake, hits: &Part) -> Result<(), StoreError> {
        let before = match self.take_hits(take.id)? {
            Some(Ok(hits)) => hits,
            Some(Err(damage)) => {
                return Err(StoreError::Damaged {
                    what: format!("the take “{}”", take.name), reason: damage.reason
                });
            }
            None => {
                return Err(StoreError::invalid(
                    "take",
                    "it is written as its file has it, and changed by passes alone",
                ));
            }
        };
        let (left, right) = difference(take.id, &before, hits);
        self.put(left, right)
    }

    /// Another file in the place of a song's own. A step of the song.
    pub fn new_version(
        &mut self,
        id: SongId,
        revision: i64,
        label: &str,
        version: NewVersion,
    ) -> Result<(), StoreError> {
        let song = self.expected(id, revision)?;
        let parts = of_song(&self.transaction, id)?;
        self.step(Scope::Song(id), label);
        let file = insert_file(&self.transaction, id, &version.file)?;
        let is = |file: FileId| State::File { song: id, file };
        self.put(is(song.file), is(file))?;
        if let Some(sections) = version.sections {
            let state = |sections| State::Sections { song: id, sections };
            self.put(state(song.sections), state(sections))?;
        }
        for (part, place) in version.places {
            let Some(part) = parts.iter().find(|one| one.id == part) else { continue };
            let before = part.state(false);
            let after = PartState { position: place.or(before.position), deleted: place.is_none(), ..before.clone() };
            self.put(State::Part(before), State::Part(after))?;
        }
        let takes: BTreeMap<TakeId, &StoredTake> =
            parts.iter().flat_map(|part| &part.takes).map(|take| (take.id, take)).collect();
        let known = |id: &TakeId| takes.get(id).copied().ok_or(StoreError::NotFound { what: "take", id: id.0 });
        for (take, recipe) in version.recipes {
            let take = known(&take)?;
            let changed = StoredTake { recipe, damage: None, ..take.clone() };
            self.put(take.state(false), changed.state(false))?;
        }
        for (take, hits) in &version.written {
            self.put_written(known(take)?, hits)?;
        }
        for (position, drums) in version.new {
            let new = NewPlace { position, drums, ..NewPlace::default() };
            self.place_part(id, new)?;
        }
        for OwnPart { position, name, drums, hits, kit, audio } in version.own {
            let audio = audio.as_ref().map(audio_text).transpose()?;
            self.place_part(id, NewPlace { position, name, drums, hits: Some(hits), kit, audio })?;
        }
        Ok(())
    }

    /// A part at a place of the file where there was none.
    fn place_part(&mut self, song: SongId, new: NewPlace) -> Result<(), StoreError> {
        let NewPlace { position, name, drums, hits, kit, audio } = new;
        let name = name.map(|name| checked_name(&name)).transpose()?;
        let sql = "INSERT INTO part (song, position, drums, deleted) VALUES (?1, ?2, ?3, 1)";
        self.transaction.execute(sql, params![song.0, position as i64, drums])?;
        let id = PartId(self.transaction.last_insert_rowid());
        let called = if hits.is_some() { "First" } else { "As it came" };
        let hits = hits.as_ref().map(hits_text).transpose()?;
        let sql = "INSERT INTO take (part, name, hits) VALUES (?1, ?2, ?3)";
        self.transaction.execute(sql, params![id.0, called, hits])?;
        let take = TakeId(self.transaction.last_insert_rowid());
        let state = |deleted| {
            State::Part(PartState {
                id,
                name: name.clone(),
                drums,
                muted: false,
                layers: None,
                lines: None,
                kit,
                take,
                position: Some(position),
                audio: audio.clone(),
                deleted,
            })
        };
        self.put(state(true), state(false))
    }
}

/// The two sides of a step from one Written to another.
fn difference(take: TakeId, before: &Part, after: &Part) -> (State, State) {
    let all = |part: &Part| -> BTreeMap<HitId, Hit> { part.hits().iter().map(|hit| (hit.id, *hit)).collect() };
    let (left, right) = (all(before), all(after));
    let side = |own: &BTreeMap<HitId, Hit>, other: &BTreeMap<HitId, Hit>| State::Written {
        take,
        hits: own.iter().filter(|(id, hit)| other.get(id) != Some(hit)).map(|(_, hit)| *hit).collect(),
        without: other.keys().filter(|id| !own.contains_key(id)).copied().collect(),
    };
    (side(&left, &right), side(&right, &left))
}
