//! Bundles: songs, or the whole shelf, with all that was made of them, in one file (docs/formats/bundle.md).

use crate::app::{Answer, App};
use crate::files_of_sound::{NewSounds, Sounds};
use crate::problem::Problem;
use rocket::http::Status;
use serde::{Deserialize, Serialize};
use serde_json::value::RawValue;
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::fs::File;
use std::io::{self, BufReader, Read, Seek, SeekFrom};
use std::sync::Arc;
use std::time::Duration;
use vivida_core::{GrooveProfile, Kit, Recipe};
use vivida_smf::read;
use vivida_store::{Backup, BackupKind, BatchState, Change, Reads, SongId, SongPack};
use zip::result::ZipError;
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

impl Manifest {
    fn check(&self) -> Result<(), Problem> {
        if self.format != FORMAT {
            return Err(wrong(MANIFEST, format!("format: “{}” is no {FORMAT}", self.format)));
        }
        if self.version > VERSION {
            let why = format!("version: {} is of a newer Vivida; this one reads up to {VERSION}", self.version);
            return Err(wrong(MANIFEST, why));
        }
        if self.songs.len() > MOST_SONGS {
            return Err(wrong(MANIFEST, format!("songs: {} are more than {MOST_SONGS}", self.songs.len())));
        }
        let mut seen = BTreeSet::new();
        match self.songs.iter().find(|folder| !seen.insert(*folder)) {
            Some(twice) => Err(wrong(MANIFEST, format!("songs: “{twice}” is there twice"))),
            None => Ok(()),
        }
    }
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
/// The same of a file of sound.
const MOST_OF_A_SOUND: u64 = 512 << 20;
/// The most songs in a bundle, and things of a kind in its libraries.
const MOST_SONGS: usize = 2000;
const MOST_OF_A_LIBRARY: usize = 10_000;

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

/// Packs songs into a file that has no name and is gone when it is closed; it is read from its beginning.
///
/// # Errors
///
/// What cannot be read, or that there is no room for the file.
pub fn pack(reads: &impl Reads, sounds: &Sounds, songs: &[SongId], packing: Packing) -> Result<File, Problem> {
    let Packing { library, own_sounds } = packing;
    let mut zip = ZipWriter::new(tempfile::tempfile().map_err(|error| unwritten(&error))?);
    let folders: Vec<String> = (1..=songs.len()).map(|number| format!("songs/{number}")).collect();
    let manifest = Manifest { format: FORMAT.to_owned(), version: VERSION, songs: folders.clone(), library };
    put(&mut zip, MANIFEST, &text(&manifest)?[..])?;
    let mut wanted: BTreeSet<String> = BTreeSet::new();
    for (&song, folder) in songs.iter().zip(&folders) {
        let pack = SongPack::of(reads, song)?;
        put(&mut zip, &format!("{folder}/song.json"), &text(&pack)?[..])?;
        for file in &pack.files {
            put(&mut zip, &format!("{folder}/files/{}.mid", file.id), &file.bytes[..])?;
        }
        let own = if own_sounds { pack.own_sounds() } else { BTreeSet::new() };
        wanted.extend(pack.sounds().into_iter().chain(own));
    }
    if library {
        let library = library_of(reads)?;
        if own_sounds {
            wanted.extend(library.own_sounds());
        }
        put(&mut zip, LIBRARY, &text(&library)?[..])?;
    }
    for sound in wanted {
        // One that is gone from the folder is missed there as it is here.
        if let Ok(from) = sounds.file(&sound) {
            put(&mut zip, &format!("sounds/{sound}"), from)?;
        }
    }
    let mut file = zip.finish().map_err(|error| unwritten(&io::Error::other(error)))?;
    file.seek(SeekFrom::Start(0)).map_err(|error| unwritten(&error))?;
    Ok(file)
}

/// A bundle could not be written.
fn unwritten(error: &io::Error) -> Problem {
    match error.kind() {
        io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => Problem::full(),
        _ => Problem::new(
            Status::InternalServerError,
            "Not packed",
            format!("The bundle could not be written into the system’s folder for temporary files: {error}."),
        ),
    }
}

fn library_of(reads: &impl Reads) -> Result<Library, Problem> {
    let mut library = Library::default();
    for one in reads.recipes()?.into_iter().rev().filter(|one| one.damage.is_none()) {
        library.recipes.push(LibraryRecipe { name: one.name, note: one.note, recipe: json!(one.recipe) });
    }
    for one in reads.grooves()?.into_iter().rev().filter(|one| !one.own && one.damage.is_none()) {
        library.grooves.push(LibraryGroove { note: one.note, groove: json!(one.groove) });
    }
    let kits = reads.kits()?.into_iter().rev();
    library.kits.extend(kits.filter(|one| !one.own && one.damage.is_none()).map(|one| json!(one.kit)));
    Ok(library)
}

fn text(value: &impl Serialize) -> Result<Vec<u8>, Problem> {
    serde_json::to_vec(value).map_err(|error| Problem::field("bundle", error.to_string()))
}

fn put(zip: &mut ZipWriter<File>, name: &str, mut from: impl Read) -> Result<(), Problem> {
    let begun = zip.start_file(name, SimpleFileOptions::default().large_file(true)).map_err(io::Error::other);
    begun.and_then(|()| io::copy(&mut from, zip)).map(|_| ()).map_err(|error| unwritten(&error))
}

/// A file within a bundle cannot be used.
fn wrong(name: &str, why: impl std::fmt::Display) -> Problem {
    Problem::field("file", format!("{name}: {why}"))
}

/// A zip file that is being read. Its files are asked for by their names; what else is in it is passed over, and nothing
/// of it is ever written to a path that it names.
struct Archive {
    zip: ZipArchive<BufReader<File>>,
    left: u64,
}

impl Archive {
    fn new(file: File) -> Result<Archive, Problem> {
        let zip = ZipArchive::new(BufReader::new(file)).map_err(|error| match error {
            ZipError::UnsupportedArchive(_) => {
                Problem::field("file", "it is packed in a way that Vivida does not read; pack the bundle again")
            }
            ZipError::Io(error) if error.kind() != io::ErrorKind::UnexpectedEof => {
                Problem::field("file", format!("it cannot be read: {error}"))
            }
            _ => Problem::field("file", "this is no bundle, or it broke off on its way here; pack it again"),
        })?;
        Ok(Archive { zip, left: MOST_OF_ALL })
    }

    /// What a file within holds goes where `take` puts it, and no more of it than it may have.
    fn read<T>(
        &mut self,
        name: &str,
        most: u64,
        take: impl FnOnce(&mut dyn Read) -> Result<T, Problem>,
    ) -> Result<T, Problem> {
        let entry = self.zip.by_name(name).map_err(|error| match error {
            ZipError::FileNotFound => Problem::field("file", format!("{name} is not in it; pack the bundle again")),
            _ => wrong(name, "it is packed in a way that Vivida does not read; pack the bundle again"),
        })?;
        let most = most.min(self.left);
        // What it says of its size is not believed.
        let mut limited = entry.take(most + 1);
        let taken = take(&mut limited)?;
        let read = most + 1 - limited.limit();
        if read > most {
            return Err(wrong(name, "it is larger than anything that Vivida packs"));
        }
        self.left -= read;
        Ok(taken)
    }

    fn file(&mut self, name: &str) -> Result<Vec<u8>, Problem> {
        self.read(name, MOST_OF_ONE, |from| {
            let mut bytes = Vec::new();
            from.read_to_end(&mut bytes).map_err(|_| wrong(name, "it is damaged; pack the bundle again"))?;
            Ok(bytes)
        })
    }

    fn value<T: for<'de> Deserialize<'de>>(&mut self, name: &str) -> Result<T, Problem> {
        let bytes = self.file(name)?;
        let mut reader = serde_json::Deserializer::from_slice(&bytes);
        serde_path_to_error::deserialize(&mut reader)
            .map_err(|error| wrong(&format!("{name}, {}", error.path()), vivida_core::refused(error.inner())))
    }

    /// Keeps a file of sound: whether it is in it.
    fn keep(&mut self, sounds: &Sounds, new: &mut NewSounds, sound: &str) -> Result<bool, Problem> {
        let path = format!("sounds/{sound}");
        if self.zip.index_for_name(&path).is_none() {
            return Ok(false);
        }
        // Nobody knows what else a foreign file is: it is kept as what it is.
        let kept = self.read(&path, MOST_OF_A_SOUND, |from| sounds.keep_new(from, new))?;
        if kept != sound {
            return Err(wrong(&path, "it is another file than its name says; pack the bundle again"));
        }
        Ok(true)
    }
}

/// What of a library comes along, checked.
#[derive(Default)]
struct ReadLibrary {
    recipes: Vec<(LibraryRecipe, Recipe)>,
    grooves: Vec<(LibraryGroove, GrooveProfile)>,
    kits: Vec<(Value, Kit)>,
}

impl ReadLibrary {
    fn of(library: Library) -> Result<ReadLibrary, Problem> {
        let most = library.recipes.len().max(library.grooves.len()).max(library.kits.len());
        if most > MOST_OF_A_LIBRARY {
            return Err(wrong(LIBRARY, format!("{most} of a kind are more than {MOST_OF_A_LIBRARY}")));
        }
        let mut read = ReadLibrary::default();
        for one in library.recipes {
            let recipe = Recipe::from_value(one.recipe.clone());
            let recipe = recipe.map_err(|error| wrong(LIBRARY, format!("recipe “{}”: {error}", one.name)))?;
            read.recipes.push((one, recipe));
        }
        for one in library.grooves {
            let groove = GrooveProfile::from_value(one.groove.clone());
            read.grooves.push((one, groove.map_err(|error| wrong(LIBRARY, format!("groove: {error}")))?));
        }
        for one in library.kits {
            let kit = Kit::from_value(one.clone()).map_err(|error| wrong(LIBRARY, format!("kit: {error}")))?;
            read.kits.push((one, kit));
        }
        Ok(read)
    }

    /// What is here already does not come twice.
    fn put(&self, change: &mut Change<'_>) -> Result<(), Problem> {
        let known = library_of(change)?;
        for (one, recipe) in self.recipes.iter().filter(|(one, _)| !known.recipes.contains(one)) {
            change.add_recipe(&one.name, &one.note, recipe)?;
        }
        for (one, groove) in self.grooves.iter().filter(|(one, _)| !known.grooves.contains(one)) {
            change.add_groove(&one.note, groove)?;
        }
        for (_, kit) in self.kits.iter().filter(|(one, _)| !known.kits.contains(one)) {
            change.add_kit(kit)?;
        }
        Ok(())
    }
}

/// A bundle that has been read, with its files of sound in their folder: it can be put on a shelf.
pub struct Bundle {
    /// The songs, each with the name of its file within.
    songs: Vec<(String, SongPack)>,
    library: ReadLibrary,
    said: Vec<String>,
    /// Those that came with it; they go again if it does not come to the shelf.
    new: NewSounds,
}

impl Bundle {
    /// Reads a bundle.
    ///
    /// # Errors
    ///
    /// What is wrong with it, by the name of the file within. Nothing of it stays then.
    pub fn read(file: File, sounds: &Arc<Sounds>) -> Result<Bundle, Problem> {
        let mut archive = Archive::new(file)?;
        let manifest: Manifest = archive.value(MANIFEST)?;
        manifest.check()?;
        let mut songs = Vec::with_capacity(manifest.songs.len());
        for folder in &manifest.songs {
            let name = format!("{folder}/song.json");
            let mut pack: SongPack = archive.value(&name)?;
            pack.check().map_err(|error| wrong(&name, error))?;
            for file in &mut pack.files {
                let name = format!("{folder}/files/{}.mid", file.id);
                file.bytes = archive.file(&name)?;
                read(&file.bytes).map_err(|error| wrong(&name, error))?;
            }
            songs.push((name, pack));
        }
        let library = if manifest.library { archive.value(LIBRARY)? } else { Library::default() };
        let mut said = Vec::new();
        let mut new = NewSounds::of(sounds);
        for (_, pack) in &songs {
            for sound in pack.sounds() {
                if !archive.keep(sounds, &mut new, &sound)? && !sounds.has(&sound) {
                    let missed = "a recorded loop's file is not in it; drop that on the page where the loop is silent";
                    said.push(format!("“{}”: {missed}.", vivida_smf::readable(pack.name.as_bytes())));
                }
            }
        }
        let own = songs.iter().flat_map(|(_, pack)| pack.own_sounds()).chain(library.own_sounds());
        let mut missed = 0;
        for sound in own.collect::<BTreeSet<String>>() {
            missed += usize::from(!archive.keep(sounds, &mut new, &sound)? && !sounds.has(&sound));
        }
        said.extend(match missed {
            0 => None,
            1 => Some("One file of the kits' own sounds is not in it; drop it on its stroke again.".to_owned()),
            _ => {
                Some(format!("{missed} files of the kits' own sounds are not in it; drop them on their strokes again."))
            }
        });
        Ok(Bundle { songs, library: ReadLibrary::of(library)?, said, new })
    }

    /// Puts all of it on the shelf. One step of the shelf.
    ///
    /// # Errors
    ///
    /// What of it cannot come to the shelf, by the name of the file within. Nothing comes then.
    pub fn put(&self, change: &mut Change<'_>) -> Result<Unpacked, Problem> {
        let mut songs = Vec::with_capacity(self.songs.len());
        for (name, pack) in &self.songs {
            let song = change.unpack_song(pack).map_err(|error| match error {
                invalid @ vivida_store::StoreError::Invalid { .. } => wrong(name, invalid),
                other => other.into(),
            })?;
            songs.push(song);
        }
        self.library.put(change)?;
        change.label(match songs.len() {
            1 => "unpack a song".to_owned(),
            count => format!("unpack {count} songs"),
        });
        Ok(Unpacked { songs, said: self.said.clone() })
    }

    /// It is on the shelf: its files of sound stay.
    pub fn stays(self) {
        self.new.stay();
    }
}

impl App {
    /// A song with all that was made of it, or all songs and libraries: what the file is called, and the file.
    pub(crate) fn bundle(&self, song: Option<SongId>, own_sounds: bool) -> Answer<(String, File)> {
        let packing = Packing { library: song.is_none(), own_sounds };
        let reading = self.reading()?;
        let (name, songs) = match song {
            Some(id) => (reading.song_alone(id)?.name, vec![id]),
            None => ("Shelf".to_owned(), reading.songs()?.into_iter().map(|song| song.id).collect()),
        };
        Ok((name, pack(&reading, &self.sounds, &songs, packing)?))
    }

    /// The backups of the database, the newest first.
    pub(crate) fn backups(&self) -> Vec<Backup> {
        self.readers.backups()
    }

    /// Takes a backup now.
    pub(crate) fn take_backup(&self) -> Answer<Vec<Backup>> {
        self.store().take_backup(BackupKind::ByHand)?;
        Ok(self.backups())
    }

    /// Puts a backup in the place of all that is there, of which one is taken first.
    pub(crate) fn restore(&self, name: &str) -> Answer<Vec<Backup>> {
        let mut store = self.store();
        if store.batches()?.iter().any(|batch| batch.state == BatchState::Running) {
            return Err(Problem::field("name", "songs are being treated; stop that first, under Reports"));
        }
        store.restore(name)?;
        self.forget_songs();
        Ok(self.backups())
    }

    /// Takes a backup once a day, for as long as the program runs, and removes files of sound that nothing leads to.
    pub fn keep_house(self: &Arc<App>) {
        const HOUR: Duration = Duration::from_secs(60 * 60);
        let app = Arc::downgrade(self);
        std::thread::spawn(move || {
            while let Some(app) = app.upgrade() {
                // A disk that is full today may have room tomorrow; whoever restores sees what there is.
                let _ = app.store().take_daily_backup();
                app.sweep_sounds();
                drop(app);
                std::thread::sleep(HOUR);
            }
        });
    }

    /// Removes the files of sound that nothing leads to any more: no part, kit or step, here or in a backup.
    pub fn sweep_sounds(&self) {
        // Where nobody knows what is named, all of it stays.
        if let Ok(named) = self.readers.sounds_named() {
            self.sounds.sweep(&named);
        }
    }

    /// Unpacks a bundle onto the shelf: the cards of its songs.
    pub(crate) fn unpack(&self, file_name: &str, file: File) -> Answer<Vec<Box<RawValue>>> {
        let named = |problem: Problem| Problem {
            file: Some(file_name.to_owned()),
            detail: if problem.field.is_some() {
                format!("“{file_name}”: {}", problem.detail)
            } else {
                problem.detail
            },
            ..problem
        };
        let bundle = Bundle::read(file, &self.sounds).map_err(named)?;
        let (unpacked, reading) = self.change_then_read(|change| bundle.put(change));
        let unpacked = unpacked.map_err(named)?;
        bundle.stays();
        let reading = reading?;
        unpacked.songs.into_iter().map(|song| self.card_of(&reading, song)).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn limits_are_those_of_the_docs() {
        let docs = include_str!("../../../docs/formats/bundle.md");
        let in_docs = |bytes: u64| match bytes >> 20 {
            mib if mib.is_multiple_of(1024) => format!("{} GiB", mib / 1024),
            mib => format!("{mib} MiB"),
        };
        let upload = crate::routes::LARGEST_BUNDLE.as_u64();
        let limits = [
            ("a file of more than", in_docs(MOST_OF_ONE)),
            ("a file of sound of more than", in_docs(MOST_OF_A_SOUND)),
            ("more than", format!("{} altogether", in_docs(MOST_OF_ALL))),
            ("more than", format!("{MOST_SONGS} songs")),
            ("has at most", in_docs(upload)),
        ];
        let docs: String = docs.split_whitespace().collect::<Vec<_>>().join(" ");
        for (words, limit) in limits {
            assert!(docs.contains(&format!("{words} {limit}")), "{words} {limit}");
        }
    }
}
