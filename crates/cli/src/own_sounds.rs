//! Own sounds: a folder of samples, or an SFZ file with its samples.

use crate::failure::{in_words, named};
use crate::output;
use std::collections::HashMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use vivida_audio::{Kept, RATE, SampleFile, Sfz, by_names, by_sfz, loudness};
use vivida_core::{Kit, Sample};
use vivida_sound::Recordings;

/// The files of a folder that strokes are heard by.
#[derive(Debug, Default)]
pub struct OwnSounds {
    source: PathBuf,
    sfz: Option<Sfz>,
    files: Vec<SampleFile>,
    /// Where each lies, by what it is called within.
    paths: HashMap<String, PathBuf>,
    kept: Kept,
}

const ENDINGS: [&str; 7] = ["wav", "aif", "aiff", "flac", "ogg", "mp3", "wave"];

fn ending(path: &Path) -> String {
    path.extension().map_or(String::new(), |ending| ending.to_string_lossy().to_lowercase())
}

/// The files of a folder and of those in it, in their order.
fn files_of(folder: &Path, depth: usize, found: &mut Vec<PathBuf>) -> Result<(), String> {
    const DEEPEST: usize = 16;
    let mut entries: Vec<_> =
        fs::read_dir(folder).map_err(|error| named(folder, in_words(&error)))?.flatten().collect();
    entries.sort_by_key(fs::DirEntry::file_name);
    for entry in entries {
        // Links are not followed: they may lead anywhere.
        let kind = entry.file_type().map_err(|error| named(&entry.path(), in_words(&error)))?;
        if kind.is_dir() && depth < DEEPEST {
            files_of(&entry.path(), depth + 1, found)?;
        } else if kind.is_file() {
            found.push(entry.path());
        }
    }
    Ok(())
}

impl OwnSounds {
    /// Of a folder, or of an SFZ file and the folder that it lies in.
    pub fn of(source: &Path) -> Result<OwnSounds, String> {
        let is_sfz = ending(source) == "sfz";
        let folder = if is_sfz { source.parent().unwrap_or(Path::new("")) } else { source };
        let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
        let mut all = Vec::new();
        files_of(folder, 0, &mut all)?;
        let name = |path: &Path| {
            let within = path.strip_prefix(folder).unwrap_or(path);
            within.iter().map(|part| part.to_string_lossy()).collect::<Vec<_>>().join("/")
        };
        let at_the_top: Vec<&PathBuf> =
            all.iter().filter(|path| ending(path) == "sfz" && path.parent() == Some(folder)).collect();
        let sfz = match &at_the_top[..] {
            _ if is_sfz => Some(source),
            [] => None,
            [one] => Some(one.as_path()),
            many => {
                let count = many.len();
                return Err(named(
                    source,
                    format!("holds {count} SFZ files; name one of them: --sounds {}", many[0].display()),
                ));
            }
        };
        let text = |wanted: &str| {
            let found = all.iter().find(|path| name(path).eq_ignore_ascii_case(wanted))?;
            fs::read(found).ok().map(|bytes| String::from_utf8_lossy(&bytes).into_owned())
        };
        let sfz = sfz.map(|path| Sfz::read(&name(path), text).map_err(|error| named(path, error))).transpose()?;
        let mut own = OwnSounds { source: source.to_owned(), sfz, ..OwnSounds::default() };
        for path in all.iter().filter(|path| ENDINGS.contains(&ending(path).as_str())) {
            own.add(&name(path), path)?;
        }
        if own.files.is_empty() {
            return Err(named(source, "holds no WAV, AIFF, FLAC, Ogg Vorbis or MP3 file that can be used"));
        }
        Ok(own)
    }

    fn add(&mut self, name: &str, path: &Path) -> Result<(), String> {
        let bytes = fs::read(path).map_err(|error| named(path, in_words(&error)))?;
        let clip = match vivida_audio::read(bytes) {
            Ok(heard) if heard.clip.seconds() <= Sample::MOST_SECONDS as f64 => heard.clip,
            Ok(_) => {
                output::complain(&named(path, format!("lasts longer than {} s; left out", Sample::MOST_SECONDS)));
                return Ok(());
            }
            Err(error) => {
                output::complain(&named(path, format!("{error}; left out")));
                return Ok(());
            }
        };
        // A name of the form that kits have; nothing of it is kept.
        let sound = format!("{:064x}", self.files.len());
        let frames = (clip.seconds() * f64::from(RATE)).round() as u64;
        self.files.push(SampleFile { path: name.to_owned(), sound: sound.clone(), frames, loudness: loudness(&clip) });
        self.kept.put(&sound, clip);
        self.paths.insert(sound, path.to_owned());
        Ok(())
    }

    /// A kit with them.
    pub fn fit(&self, kit: Kit) -> Result<Kit, String> {
        let fitted = match &self.sfz {
            Some(sfz) => by_sfz(kit, sfz, &self.files),
            None => by_names(kit, &self.files),
        };
        fitted.said.iter().for_each(|said| output::note(&self.source, said));
        if fitted.samples == 0 {
            let said = fitted.said.join(" ");
            return Err(named(&self.source, format!("nothing in it matches a stroke of the kit. {said}")));
        }
        Ok(fitted.kit)
    }
}

impl Recordings for OwnSounds {
    fn channels(&self, sound: &str) -> Option<Arc<Vec<Vec<f32>>>> {
        if let Some(found) = self.kept.get(sound) {
            return Some(found);
        }
        let heard = vivida_audio::read(fs::read(self.paths.get(sound)?).ok()?).ok()?;
        Some(self.kept.put(sound, heard.clip))
    }
}
