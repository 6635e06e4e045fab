//! Files of sound: kept in the data folder by their hash, whole, and for as long as anything leads to them.

use crate::app::{Answer, locked};
use crate::own_sounds::Samples;
use crate::problem::Problem;
use crate::sounds::Read as Loops;
use rocket::http::Status;
use sha2::{Digest, Sha256};
use std::collections::{BTreeSet, HashMap, HashSet};
use std::fs::{self, File};
use std::io::{self, ErrorKind, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant, SystemTime};
use tempfile::TempDir;
use vivida_core::Sample;

/// The folder of the files of sound.
pub struct Sounds {
    folder: PathBuf,
    /// Where the database is temporary.
    _temporary: Option<TempDir>,
    state: Mutex<State>,
    /// Loops that were read and used last.
    pub(crate) read: Loops,
    /// One file at a time is decoded and listened to.
    pub(crate) turn: Mutex<()>,
    /// Samples of strokes that were used last.
    pub(crate) samples: Samples,
}

#[derive(Default)]
struct State {
    /// What came or was used while this program runs: how many brought it that may still take it back, and when last.
    used: HashMap<String, (usize, Option<Instant>)>,
    /// What was found to be as its name says, and the size and time that its file had then.
    whole: HashMap<String, (u64, Option<SystemTime>)>,
    /// What is not.
    broken: HashSet<String>,
}

/// What nothing leads to goes so long after it was last used: until then somebody may be about to.
const GRACE: Duration = Duration::from_secs(60 * 60);
/// Files that are being written begin so.
const UNFINISHED: &str = ".unfinished-";
/// So much is read at once.
const PIECE: usize = 1 << 16;

/// Why a file of sound cannot be had.
pub(crate) enum Missing {
    Gone,
    Changed,
}

impl Missing {
    /// For people: what the file was called, and what they do then.
    pub fn problem(&self, called: &str, then: &str) -> Problem {
        let (title, what) = match self {
            Missing::Gone => ("Not there", "is gone from"),
            Missing::Changed => ("Not as it was", "was changed or cut in"),
        };
        let detail = format!("The file “{called}” {what} the folder “sounds” beside the database. {then}");
        Problem { file: Some(called.to_owned()), ..Problem::new(Status::NotFound, title, detail) }
    }
}

fn unkept(error: &io::Error) -> Problem {
    if matches!(error.kind(), ErrorKind::StorageFull | ErrorKind::QuotaExceeded) {
        return Problem::full();
    }
    let detail = format!("The file could not be kept in the data folder: {error}.");
    Problem::new(Status::InternalServerError, "Not kept", detail)
}

/// Copies all that is read to `to`, and says its hash.
fn hashed(from: &mut dyn Read, to: &mut dyn Write) -> io::Result<String> {
    let mut hash = Sha256::new();
    let mut piece = vec![0; PIECE];
    loop {
        let read = match from.read(&mut piece) {
            Ok(0) => break,
            Ok(read) => read,
            Err(error) if error.kind() == ErrorKind::Interrupted => continue,
            Err(error) => return Err(error),
        };
        hash.update(&piece[..read]);
        to.write_all(&piece[..read])?;
    }
    Ok(hash.finalize().iter().map(|byte| format!("{byte:02x}")).collect())
}

impl Sounds {
    /// Beside a database in this folder; in a folder that goes with the program where there is none. What a program
    /// that was killed had begun to write is removed.
    pub fn beside(folder: Option<&Path>) -> Sounds {
        let temporary = if folder.is_none() { tempfile::tempdir().ok() } else { None };
        let beside = folder.or(temporary.as_ref().map(TempDir::path)).unwrap_or(Path::new("."));
        let folder = beside.join("sounds");
        for entry in fs::read_dir(&folder).into_iter().flatten().flatten() {
            let name = entry.file_name();
            // Those of former versions have the names that such files have by themselves.
            if [UNFINISHED, ".tmp"].iter().any(|begin| name.to_string_lossy().starts_with(begin)) {
                let _ = fs::remove_file(entry.path());
            }
        }
        Sounds {
            folder,
            _temporary: temporary,
            state: Mutex::default(),
            read: Loops::default(),
            turn: Mutex::default(),
            samples: Samples::default(),
        }
    }

    /// Keeps what is read as a file: its name. One that is there already, and whole, stays.
    pub(crate) fn keep_from(&self, from: &mut dyn Read) -> Answer<String> {
        self.keep(from).map(|(name, _)| name)
    }

    /// The same, for a while: until it is said that it stays, it may be taken back.
    pub(crate) fn keep_new(&self, from: &mut dyn Read, new: &mut NewSounds) -> Answer<String> {
        let (name, is_new) = self.keep(from)?;
        if is_new {
            locked(&self.state).used.entry(name.clone()).or_default().0 += 1;
            new.names.push(name.clone());
        }
        Ok(name)
    }

    /// The name of a file, and whether it was not there before.
    fn keep(&self, from: &mut dyn Read) -> Answer<(String, bool)> {
        let mut keep = || -> io::Result<(String, bool)> {
            fs::create_dir_all(&self.folder)?;
            // It is there whole or not at all, however the program ends.
            let mut file = tempfile::Builder::new().prefix(UNFINISHED).tempfile_in(&self.folder)?;
            let name = hashed(from, file.as_file_mut())?;
            let is_there = self.file(&name).is_ok();
            if !is_there {
                file.as_file().sync_all()?;
                file.persist(self.folder.join(&name)).map_err(|error| error.error)?;
                File::open(&self.folder)?.sync_all()?;
            }
            let mut state = locked(&self.state);
            state.used.entry(name.clone()).or_default().1 = Some(Instant::now());
            state.broken.remove(&name);
            Ok((name, !is_there))
        };
        keep().map_err(|error| unkept(&error))
    }

    /// A file, looked at whether it is as its name says, at its beginning.
    pub(crate) fn file(&self, name: &str) -> Result<File, Missing> {
        if !Sample::is_sound(name) {
            return Err(Missing::Gone);
        }
        let mut file = File::open(self.folder.join(name)).map_err(|_| Missing::Gone)?;
        let found = file.metadata().map_err(|_| Missing::Gone)?;
        let stamp = (found.len(), found.modified().ok());
        if locked(&self.state).whole.get(name) != Some(&stamp) {
            let is_whole = hashed(&mut file, &mut io::sink()).is_ok_and(|hash| hash == name);
            let mut state = locked(&self.state);
            if !is_whole {
                state.broken.insert(name.to_owned());
                return Err(Missing::Changed);
            }
            state.whole.insert(name.to_owned(), stamp);
            state.broken.remove(name);
        }
        file.seek(SeekFrom::Start(0)).map_err(|_| Missing::Gone)?;
        locked(&self.state).used.entry(name.to_owned()).or_default().1 = Some(Instant::now());
        Ok(file)
    }

    /// The bytes of a file.
    pub(crate) fn bytes(&self, name: &str) -> Result<Vec<u8>, Missing> {
        let mut bytes = Vec::new();
        self.file(name)?.read_to_end(&mut bytes).map_err(|_| Missing::Gone)?;
        Ok(bytes)
    }

    /// Whether a file is there, and was not found to be another one.
    pub(crate) fn has(&self, name: &str) -> bool {
        let is_there = Sample::is_sound(name) && self.folder.join(name).is_file();
        is_there && !locked(&self.state).broken.contains(name)
    }

    /// Removes what nothing leads to, but for what was used a moment ago.
    pub(crate) fn sweep(&self, named: &BTreeSet<String>) {
        let mut state = locked(&self.state);
        for entry in fs::read_dir(&self.folder).into_iter().flatten().flatten() {
            let Ok(name) = entry.file_name().into_string() else { continue };
            let used = state.used.get(&name).copied().unwrap_or_default();
            let is_in_use = used.0 > 0 || used.1.is_some_and(|when| when.elapsed() < GRACE);
            if Sample::is_sound(&name) && !named.contains(&name) && !is_in_use {
                let _ = fs::remove_file(entry.path());
                state.whole.remove(&name);
            }
        }
    }
}

/// Files of sound that came with something that is not kept yet: dropped, they go again.
pub(crate) struct NewSounds {
    sounds: Arc<Sounds>,
    names: Vec<String>,
}

impl NewSounds {
    pub fn of(sounds: &Arc<Sounds>) -> NewSounds {
        NewSounds { sounds: Arc::clone(sounds), names: Vec::new() }
    }

    /// What they came with is kept.
    pub fn stay(mut self) {
        let mut state = locked(&self.sounds.state);
        for name in self.names.drain(..) {
            let used = state.used.entry(name).or_default();
            *used = (used.0.saturating_sub(1), Some(Instant::now()));
        }
    }
}

impl Drop for NewSounds {
    fn drop(&mut self) {
        let mut state = locked(&self.sounds.state);
        for name in self.names.drain(..) {
            let bringers = state.used.get(&name).map_or(0, |used| used.0);
            // Whoever brought the same meanwhile found it there, and counts on it.
            let others_use_it = bringers != 1;
            if let Some(used) = state.used.get_mut(&name) {
                used.0 = bringers.saturating_sub(1);
            }
            if !others_use_it {
                let _ = fs::remove_file(self.sounds.folder.join(&name));
                state.used.remove(&name);
                state.whole.remove(&name);
            }
        }
    }
}
