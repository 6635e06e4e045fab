//! Bundles: songs, or the whole shelf, with all that was made of them, in one file (docs/formats/bundle.md).

use crate::app::{Answer, App};
use crate::problem::Problem;
use crate::sounds::Sounds;
use serde::{Deserialize, Serialize};
use serde_json::value::RawValue;
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::io::{Cursor, Read, Write};
use std::sync::Arc;
use std::time::Duration;
use vivida_core::{GrooveProfile, Kit, Recipe};
use vivida_smf::read;
use vivida_store::{Backup, BatchState, Change, Reads, SongId, SongPack};
use zip::write::SimpleFileOptions;
use zip::{ZipArchive, ZipWriter};

/// What a bundle says of itself.
#[derive(Serialize, Deserialize)]
struct Manifest {
    format: String,
    version: u32,
    /// The folders of its songs.
    songs: Vec<String>,
    /// It holds the libraries, too.
    #[serde(default)]
    library: bool,
}

/// The libraries of a shelf; what ships with Vivida is left out.
#[derive(Default, Serialize, Deserialize)]
#[serde(default)]
struct Library {
    recipes: Vec<LibraryRecipe>,
    grooves: Vec<LibraryGroove>,
    kits: Vec<Value>,
}

impl Library {
    /// The files of own sounds that its kits name.
    fn own_sounds(&self) -> BTreeSet<String> {
        let kits = self.kits.iter().filter_map(|kit| Kit::from_value(kit.clone()).ok());
        kits.flat_map(|kit| kit.samples().map(|sample| sample.sound.clone()).collect::<Vec<_>>()).collect()
    }
}

#[derive(PartialEq, Serialize, Deserialize)]
struct LibraryRecipe {
    name: String,
    note: String,
    recipe: Value,
}

#[derive(PartialEq, Serialize, Deserialize)]
struct LibraryGroove {
    note: String,
    groove: Value,
}

const FORMAT: &str = "vivida-bundle";
const VERSION: u32 = 1;
const MANIFEST: &str = "manifest.json";
const LIBRARY: &str = "library.json";

/// The most bytes that a file of a bundle, and all of them, may have unpacked.
const MOST_OF_ONE: u64 = 128 << 20;
const MOST_OF_ALL: u64 = 2 << 30;
/// The same of a recorded loop.
const MOST_OF_A_SOUND: u64 = 512 << 20;
/// The most songs in a bundle.
const MOST_SONGS: usize = 2000;

/// What was unpacked.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Unpacked {
    /// The new songs.
    pub songs: Vec<SongId>,
    /// What could not be, in sentences.
    pub said: Vec<String>,
}

/// What else goes into a bundle.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Packing {
    /// The libraries.
    pub library: bool,
    /// The files of the kits' own sounds.
    pub own_sounds: bool,
}

/// Packs songs.
///
/// # Errors
///
/// What cannot be read, in a sentence.
pub fn pack(reads: &impl Reads, sounds: &Sounds, songs: &[SongId], packing: Packing) -> Result<Vec<u8>, String> {
    let Packing { library, own_sounds } = packing;
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    let folders: Vec<String> = (1..=songs.len()).map(|number| format!("songs/{number}")).collect();
    let manifest = Manifest { format: FORMAT.to_owned(), version: VERSION, songs: folders.clone(), library };
    put(&mut zip, MANIFEST, &text(&manifest)?)?;
    let mut wanted: BTreeSet<String> = BTreeSet::new();
    for (&song, folder) in songs.iter().zip(&folders) {
        let pack = SongPack::of(reads, song).map_err(|error| error.to_string())?;
        put(&mut zip, &format!("{folder}/song.json"), &text(&pack)?)?;
        for file in &pack.files {
            put(&mut zip, &format!("{folder}/files/{}.mid", file.id), &file.bytes)?;
        }
        let own = if own_sounds { pack.own_sounds() } else { BTreeSet::new() };
        wanted.extend(pack.sounds().into_iter().chain(own));
    }
    if library {
        let library = library_of(reads)?;
        if own_sounds {
            wanted.extend(library.own_sounds());
        }
        put(&mut zip, LIBRARY, &text(&library)?)?;
    }
    for sound in wanted {
        // One that is gone from the folder is missed there as it is here.
        if let Some(bytes) = sounds.bytes(&sound) {
            put(&mut zip, &format!("sounds/{sound}"), &bytes)?;
        }
    }
    zip.finish().map(Cursor::into_inner).map_err(|error| error.to_string())
}

fn library_of(reads: &impl Reads) -> Result<Library, String> {
    let failed = |error: vivida_store::StoreError| error.to_string();
    let mut library = Library::default();
    for one in reads.recipes().map_err(failed)?.into_iter().rev().filter(|one| one.damage.is_none()) {
        library.recipes.push(LibraryRecipe { name: one.name, note: one.note, recipe: json!(one.recipe) });
    }
    for one in reads.grooves().map_err(failed)?.into_iter().rev().filter(|one| !one.own && one.damage.is_none()) {
        library.grooves.push(LibraryGroove { note: one.note, groove: json!(one.groove) });
    }
    let kits = reads.kits().map_err(failed)?.into_iter().rev();
    library.kits.extend(kits.filter(|one| !one.own && one.damage.is_none()).map(|one| json!(one.kit)));
    Ok(library)
}

fn text(value: &impl Serialize) -> Result<Vec<u8>, String> {
    serde_json::to_vec(value).map_err(|error| error.to_string())
}

fn put(zip: &mut ZipWriter<Cursor<Vec<u8>>>, name: &str, bytes: &[u8]) -> Result<(), String> {
    let begun = zip.start_file(name, SimpleFileOptions::default()).map_err(|error| error.to_string());
    begun.and_then(|()| zip.write_all(bytes).map_err(|error| error.to_string()))
}

/// A bundle that is being read. Its files are asked for by their names; what else is in it is passed over, and nothing of
/// it is ever written to a path that it names.
struct Opened<'a> {
    zip: ZipArchive<Cursor<&'a [u8]>>,
    left: u64,
}

impl<'a> Opened<'a> {
    fn new(bytes: &'a [u8]) -> Result<Opened<'a>, String> {
        let zip = ZipArchive::new(Cursor::new(bytes)).map_err(|error| format!("this is no bundle: {error}"))?;
        Ok(Opened { zip, left: MOST_OF_ALL })
    }

    fn file(&mut self, name: &str) -> Result<Vec<u8>, String> {
        self.file_of(name, MOST_OF_ONE)
    }

    fn file_of(&mut self, name: &str, most: u64) -> Result<Vec<u8>, String> {
        let entry = self.zip.by_name(name).map_err(|_| format!("{name} is not in it; pack the bundle again"))?;
        let most = most.min(self.left);
        let mut bytes = Vec::new();
        // What it says of its size is not believed.
        entry.take(most + 1).read_to_end(&mut bytes).map_err(|error| format!("{name}: {error}"))?;
        if bytes.len() as u64 > most {
            return Err(format!("{name} is larger than anything that Vivida packs"));
        }
        self.left -= bytes.len() as u64;
        Ok(bytes)
    }

    /// Keeps a file of sound: whether it is in it.
    fn keep(&mut self, sounds: &Sounds, sound: &str) -> Result<bool, String> {
        let path = format!("sounds/{sound}");
        if self.zip.index_for_name(&path).is_none() {
            return Ok(false);
        }
        // Nobody knows what else a foreign file is: it is kept as what it is.
        let kept = sounds.keep(&self.file_of(&path, MOST_OF_A_SOUND)?).map_err(|problem| problem.detail)?;
        if kept != sound {
            return Err(format!("{path} is another file than its name says; pack the bundle again"));
        }
        Ok(true)
    }

    fn value<T: for<'de> Deserialize<'de>>(&mut self, name: &str) -> Result<T, String> {
        let bytes = self.file(name)?;
        let mut reader = serde_json::Deserializer::from_slice(&bytes);
        serde_path_to_error::deserialize(&mut reader)
            .map_err(|error| format!("{name}, {}: {}", error.path(), error.inner()))
    }
}

/// Puts what is in a bundle on the shelf. One step of the shelf; where anything of it cannot be read, nothing comes.
///
/// # Errors
///
/// What is wrong with it, by the name of the file within, in a sentence.
pub fn unpack(change: &mut Change<'_>, sounds: &Sounds, bytes: &[u8]) -> Result<Unpacked, String> {
    let failed = |error: vivida_store::StoreError| error.to_string();
    let mut bundle = Opened::new(bytes)?;
    let manifest: Manifest = bundle.value(MANIFEST)?;
    if manifest.format != FORMAT {
        return Err(format!("{MANIFEST}, format: “{}” is no {FORMAT}", manifest.format));
    }
    if manifest.version > VERSION {
        let version = manifest.version;
        return Err(format!("{MANIFEST}, version: {version} is of a newer Vivida; this one reads up to {VERSION}"));
    }
    if manifest.songs.len() > MOST_SONGS {
        return Err(format!("{MANIFEST}, songs: {} are more than {MOST_SONGS}", manifest.songs.len()));
    }
    let mut unpacked = Unpacked::default();
    let mut own_sounds: BTreeSet<String> = BTreeSet::new();
    for folder in &manifest.songs {
        let name = format!("{folder}/song.json");
        let mut pack: SongPack = bundle.value(&name)?;
        for file in &mut pack.files {
            let name = format!("{folder}/files/{}.mid", file.id);
            file.bytes = bundle.file(&name)?;
            read(&file.bytes).map_err(|error| format!("{name}: {error}"))?;
        }
        let song = change.unpack_song(&pack).map_err(|error| format!("{name}: {error}"))?;
        unpacked.songs.push(song);
        for sound in pack.sounds() {
            if !bundle.keep(sounds, &sound)? && !sounds.has(&sound) {
                let missed = "a recorded loop's file is not in it; drop that on the page where the loop is silent";
                unpacked.said.push(format!("“{}”: {missed}.", pack.name));
            }
        }
        own_sounds.extend(pack.own_sounds());
    }
    if manifest.library {
        let library: Library = bundle.value(LIBRARY)?;
        let known = library_of(change)?;
        own_sounds.extend(library.own_sounds());
        // What is here already does not come twice.
        for one in library.recipes.into_iter().filter(|one| !known.recipes.contains(one)) {
            let wrong = |error| format!("{LIBRARY}, recipe “{}”: {error}", one.name);
            let recipe = Recipe::from_value(one.recipe).map_err(wrong)?;
            change.add_recipe(&one.name, &one.note, &recipe).map_err(failed)?;
        }
        for one in library.grooves.into_iter().filter(|one| !known.grooves.contains(one)) {
            let groove =
                GrooveProfile::from_value(one.groove).map_err(|error| format!("{LIBRARY}, groove: {error}"))?;
            change.add_groove(&one.note, &groove).map_err(failed)?;
        }
        for one in library.kits.into_iter().filter(|one| !known.kits.contains(one)) {
            let kit = Kit::from_value(one).map_err(|error| format!("{LIBRARY}, kit: {error}"))?;
            change.add_kit(&kit).map_err(failed)?;
        }
    }
    let mut missed = 0;
    for sound in &own_sounds {
        missed += usize::from(!bundle.keep(sounds, sound)? && !sounds.has(sound));
    }
    if missed > 0 {
        let said = match missed {
            1 => "One file of the kits' own sounds is not in it; drop it on its stroke again.".to_owned(),
            _ => format!("{missed} files of the kits' own sounds are not in it; drop them on their strokes again."),
        };
        unpacked.said.push(said);
    }
    let count = unpacked.songs.len();
    change.label(if count == 1 { "unpack a song".to_owned() } else { format!("unpack {count} songs") });
    Ok(unpacked)
}

impl App {
    /// A song with all that was made of it, or all songs and libraries: what the file is called, and its bytes.
    pub(crate) fn bundle(&self, song: Option<SongId>, own_sounds: bool) -> Answer<(String, Vec<u8>)> {
        let packing = Packing { library: song.is_none(), own_sounds };
        let store = self.store();
        let failed = |why: String| Problem::field("bundle", why);
        match song {
            Some(id) => Ok((store.song_alone(id)?.name, pack(&*store, &self.sounds, &[id], packing).map_err(failed)?)),
            None => {
                let songs: Vec<SongId> = store.songs()?.into_iter().map(|song| song.id).collect();
                Ok(("Shelf".to_owned(), pack(&*store, &self.sounds, &songs, packing).map_err(failed)?))
            }
        }
    }

    /// The backups of the database, the newest first.
    pub(crate) fn backups(&self) -> Vec<Backup> {
        self.store().backups()
    }

    /// Takes a backup now.
    pub(crate) fn take_backup(&self) -> Answer<Vec<Backup>> {
        let store = self.store();
        store.take_backup("by hand")?;
        Ok(store.backups())
    }

    /// Puts a backup in the place of all that is there, of which one is taken first.
    pub(crate) fn restore(&self, name: &str) -> Answer<Vec<Backup>> {
        let mut store = self.store();
        if store.batches()?.iter().any(|batch| batch.state == BatchState::Running) {
            return Err(Problem::field("name", "songs are being treated; stop that first, under Reports"));
        }
        store.restore(name)?;
        self.forget_songs();
        Ok(store.backups())
    }

    /// Takes a backup once a day, for as long as the program runs.
    pub fn keep_backups(self: &Arc<App>) {
        const HOUR: Duration = Duration::from_secs(60 * 60);
        let app = Arc::downgrade(self);
        std::thread::spawn(move || {
            while let Some(app) = app.upgrade() {
                // A disk that is full today may have room tomorrow; whoever restores sees what there is.
                let _ = app.store().take_daily_backup();
                drop(app);
                std::thread::sleep(HOUR);
            }
        });
    }

    /// Unpacks a bundle onto the shelf: the cards of its songs.
    pub(crate) fn unpack(&self, file_name: &str, bytes: &[u8]) -> Answer<Vec<Box<RawValue>>> {
        let wrong = |why: String| Problem {
            file: Some(file_name.to_owned()),
            ..Problem::field("file", format!("“{file_name}”: {why}"))
        };
        let unpacked = self.store().change(|change| unpack(change, &self.sounds, bytes).map_err(wrong))?;
        unpacked.songs.into_iter().map(|song| self.card_of(song)).collect()
    }
}
