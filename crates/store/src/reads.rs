//! What can be read, from a store or within a change.

use crate::batches::{self, BatchId, StoredBatch};
use crate::change::Change;
use crate::grooves::{self, GrooveId, StoredGroove};
use crate::history::{self, History, Scope, Step};
use crate::kept::Damage;
use crate::kits::{self, KitId, StoredKit};
use crate::parts::{self, PartId, StoredPart, TakeId};
use crate::pockets::{self, StoredPocket};
use crate::recipes::{self, RecipeId, StoredRecipe};
use crate::recordings::{self, RecordingId, StoredRecording};
use crate::songs::{self, FileId, SongId, StoredFile, StoredSong};
use crate::{Store, StoreError};
use rusqlite::{Connection, OptionalExtension};
use vivida_core::{Part, PocketId, Recording};

type Answer<T> = Result<T, StoreError>;

/// What can be read. What is deleted is not there, and neither is anything of a deleted song.
pub trait Reads {
    #[doc(hidden)]
    fn connection(&self) -> &Connection;

    /// The songs, in the order in which they came.
    fn songs(&self) -> Answer<Vec<StoredSong>> {
        songs::all(self.connection())
    }

    /// One song.
    fn song(&self, id: SongId) -> Answer<StoredSong> {
        songs::with_parts(self.connection(), songs::one(self.connection(), id)?)
    }

    /// One song, without its parts.
    fn song_alone(&self, id: SongId) -> Answer<StoredSong> {
        songs::one(self.connection(), id)
    }

    /// A file of a song.
    fn file(&self, id: FileId) -> Answer<StoredFile> {
        songs::file(self.connection(), id)
    }

    /// What the shelf showed of a song when it was last worked out by this version of the program, as JSON;
    /// nothing where anything of it has changed since.
    fn card(&self, id: SongId, version: &str) -> Answer<Option<String>> {
        songs::card(self.connection(), id, version)
    }

    /// One part.
    fn part(&self, id: PartId) -> Answer<StoredPart> {
        parts::one(self.connection(), id)
    }

    /// Whether a change of this key was made in a workspace, or on the shelf, and its step is still there: whoever asked
    /// for it and got no answer may ask again.
    fn has_step(&self, of: Scope, key: &str) -> Answer<bool> {
        history::has_key(self.connection(), of, key)
    }

    /// A part that has the expected revision.
    fn expected_part(&self, id: PartId, revision: i64) -> Answer<StoredPart> {
        let part = self.part(id)?;
        songs::check_revision("part", id.0, revision, part.revision)?;
        Ok(part)
    }

    /// The Written of a printed take; nothing where it is as the file has it.
    fn take_hits(&self, id: TakeId) -> Answer<Option<Result<Part, Damage>>> {
        parts::take_hits(self.connection(), id)
    }

    /// The pockets of a song, the oldest first.
    fn pockets(&self, song: SongId) -> Answer<Vec<StoredPocket>> {
        pockets::of_song(self.connection(), song)
    }

    /// One pocket.
    fn pocket(&self, id: PocketId) -> Answer<StoredPocket> {
        pockets::one(self.connection(), id)
    }

    /// The recipes of the library, the newest first.
    fn recipes(&self) -> Answer<Vec<StoredRecipe>> {
        recipes::all(self.connection())
    }

    /// One recipe of the library.
    fn recipe(&self, id: RecipeId) -> Answer<StoredRecipe> {
        recipes::one(self.connection(), id)
    }

    /// The grooves of the library: favourites first, then one's own, the newest in front, then ours.
    fn grooves(&self) -> Answer<Vec<StoredGroove>> {
        grooves::all(self.connection())
    }

    /// One groove of the library.
    fn groove(&self, id: GrooveId) -> Answer<StoredGroove> {
        grooves::one(self.connection(), id)
    }

    /// The kits of the library: one's own, the newest in front, then ours.
    fn kits(&self) -> Answer<Vec<StoredKit>> {
        kits::all(self.connection())
    }

    /// One kit of the library.
    fn kit(&self, id: KitId) -> Answer<StoredKit> {
        kits::one(self.connection(), id)
    }

    /// The kit that a part has, also where it was deleted from the library.
    fn kit_of_part(&self, id: KitId) -> Answer<Option<StoredKit>> {
        kits::of_part(self.connection(), id)
    }

    /// How many parts have a kit.
    fn kit_uses(&self, id: KitId) -> Answer<u32> {
        kits::uses(self.connection(), id)
    }

    /// What was treated together, the newest first, without its songs.
    fn batches(&self) -> Answer<Vec<StoredBatch>> {
        batches::all(self.connection())
    }

    /// One batch.
    fn batch(&self, id: BatchId) -> Answer<StoredBatch> {
        batches::one(self.connection(), id)
    }

    /// What was recorded in a part, the newest first.
    fn recordings(&self, part: PartId) -> Answer<Vec<StoredRecording>> {
        recordings::of_part(self.connection(), part)
    }

    /// One recording.
    fn recording(&self, id: RecordingId) -> Answer<StoredRecording> {
        recordings::one(self.connection(), id)
    }

    /// What devices sent while it was recorded, as far as it can be read.
    fn recorded(&self, id: RecordingId) -> Answer<(Recording, Option<Damage>)> {
        recordings::raw(self.connection(), id)
    }

    /// What undo and redo would do next.
    fn history(&self, song: Option<SongId>) -> Answer<History> {
        history::next(self.connection(), song)
    }

    /// The newest steps of a song, the newest first.
    fn steps(&self, song: SongId) -> Answer<Vec<Step>> {
        history::list(self.connection(), song)
    }

    /// How a screen was left, as JSON; nothing the first time.
    fn view(&self, name: &str) -> Answer<Option<String>> {
        text(self.connection(), "SELECT value FROM view WHERE name = ?1", name)
    }

    /// What holds for every song, as JSON; nothing where it was never set.
    fn setting(&self, name: &str) -> Answer<Option<String>> {
        text(self.connection(), "SELECT value FROM setting WHERE name = ?1", name)
    }

    /// How often that was changed; 0 where it was never set.
    fn setting_revision(&self, name: &str) -> Answer<i64> {
        let sql = "SELECT coalesce((SELECT revision FROM setting WHERE name = ?1), 0)";
        Ok(self.connection().prepare_cached(sql)?.query_row([name], |row| row.get(0))?)
    }
}

fn text(connection: &Connection, sql: &str, name: &str) -> Answer<Option<String>> {
    Ok(connection.prepare_cached(sql)?.query_row([name], |row| row.get(0)).optional()?)
}

impl Reads for Store {
    fn connection(&self) -> &Connection {
        &self.connection
    }
}

impl Reads for Change<'_> {
    fn connection(&self) -> &Connection {
        &self.transaction
    }
}
