//! Own sounds of kits: their files, kept in the data folder by their hash, and which stroke of a kit each is for.

use crate::api::*;
use crate::app::{Answer, App, locked};
use crate::files_of_sound::{Missing, Sounds};
use crate::problem::Problem;
use crate::sounds::heard_of;
use lru::LruCache;
use rocket::http::Status;
use std::collections::{BTreeSet, HashMap};
use std::sync::{Arc, Mutex};
use vivida_audio::{
    Clip, Depth, Fitted, Kept, RATE, SampleFile, Sfz, by_names, by_sfz, for_stroke, loudness, write_wav,
};
use vivida_core::{FieldError, Kit, Sample};
use vivida_sound::{Mixdown, Recordings};

/// Samples of strokes as they were used last: what is not among them comes from the disk.
#[derive(Debug)]
pub(crate) struct Samples {
    kept: Kept,
    measured: Mutex<LruCache<String, Measured>>,
}

/// What is known of a file without reading it again.
#[derive(Clone, Copy, Debug)]
struct Measured {
    frames: u64,
    channels: u32,
    loudness: f64,
}

impl Default for Samples {
    fn default() -> Samples {
        let most = std::num::NonZero::new(20_000).expect("it is more than none");
        Samples { kept: Kept::default(), measured: Mutex::new(LruCache::new(most)) }
    }
}

impl Samples {
    fn remember(&self, sound: &str, clip: Clip) -> Arc<Vec<Vec<f32>>> {
        let (channels, loudness) = (clip.channels().len() as u32, loudness(&clip));
        let measured = Measured { frames: clip.frames() as u64, channels, loudness };
        locked(&self.measured).put(sound.to_owned(), measured);
        self.kept.put(sound, clip)
    }
}

impl std::fmt::Debug for Sounds {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        formatter.write_str("Sounds")
    }
}

impl Recordings for Sounds {
    fn channels(&self, sound: &str) -> Option<Arc<Vec<Vec<f32>>>> {
        self.sample(sound, "").ok()
    }
}

/// What to do where a sample is missing.
const AGAIN: &str = "Drop it on its stroke in the kit again.";

/// Of a file that is too long to be a sample.
fn too_long(called: &str) -> Problem {
    let detail = format!("“{called}” lasts longer than the {} s of a sample; cut it.", Sample::MOST_SECONDS);
    Problem { file: Some(called.to_owned()), ..Problem::new(Status::UnprocessableEntity, "Too long", detail) }
}

impl Sounds {
    /// A sample, read where it is not in use.
    fn sample(&self, sound: &str, called: &str) -> Answer<Arc<Vec<Vec<f32>>>> {
        if let Some(found) = self.samples.kept.get(sound) {
            return Ok(found);
        }
        let bytes = self.bytes(sound).map_err(|missing| missing.problem(called, AGAIN))?;
        let clip = heard_of(called, bytes)?.clip;
        if clip.frames() as u64 > Sample::MOST_SECONDS * u64::from(RATE) {
            return Err(too_long(called));
        }
        Ok(self.samples.remember(sound, clip))
    }

    fn measured(&self, sound: &str, called: &str) -> Answer<Measured> {
        if let Some(known) = locked(&self.samples.measured).get(sound) {
            return Ok(*known);
        }
        self.sample(sound, called)?;
        let known = locked(&self.samples.measured).get(sound).copied();
        known.ok_or_else(|| Missing::Gone.problem(called, AGAIN))
    }
}

impl App {
    /// Takes in a file that a stroke is to be heard by.
    pub(crate) fn add_sample(&self, file_name: &str, bytes: Vec<u8>) -> Answer<SampleDetail> {
        let name = vivida_smf::readable(file_name.as_bytes());
        let _turn = locked(&self.sounds.turn);
        let heard = heard_of(&name, bytes.clone())?;
        if heard.clip.frames() as u64 > Sample::MOST_SECONDS * u64::from(RATE) {
            return Err(too_long(&name));
        }
        let sound = self.sounds.keep_from(&mut &bytes[..])?;
        self.sounds.samples.remember(&sound, heard.clip);
        let Measured { frames, channels, loudness } = self.sounds.measured(&sound, &name)?;
        Ok(SampleDetail { sound, name, frames, channels, loudness, said: heard.said })
    }

    /// A file as a page plays it: a WAV file of 32-bit numbers at the rate of everything here.
    pub(crate) fn sample_wav(&self, sound: &str) -> Answer<Vec<u8>> {
        let channels = self.sounds.sample(sound, "the sample")?;
        write_wav(&Clip::new(channels.to_vec()), Depth::Float)
            .map_err(|error| Problem::field("sound", error.to_string()))
    }

    /// A kit with files as its own sounds. Nothing is kept.
    pub(crate) fn fit_samples(&self, request: FitSamples) -> Answer<FittedSamples> {
        let kit = Kit::from_value(request.kit)
            .map_err(|FieldError { path, message }| Problem::field(format!("kit.{path}"), message))?;
        if request.files.len() > Sample::MOST {
            let detail = format!("{} files are more than the {} of a kit", request.files.len(), Sample::MOST);
            return Err(Problem::field("files", detail));
        }
        let mut files = Vec::with_capacity(request.files.len());
        for (place, one) in request.files.iter().enumerate() {
            if !Sample::is_sound(&one.sound) {
                return Err(Problem::field(format!("files[{place}].sound"), "it names a file that was brought in"));
            }
            let Measured { frames, loudness, .. } = self.sounds.measured(&one.sound, &one.path)?;
            files.push(SampleFile { path: one.path.clone(), sound: one.sound.clone(), frames, loudness });
        }
        let fitted = match (request.stroke, request.sfz) {
            (Some([instrument, stroke]), _) => {
                if kit.instruments.get(instrument).is_none_or(|one| stroke >= one.articulations.len()) {
                    return Err(Problem::field("stroke", "the kit has no such stroke"));
                }
                for_stroke(kit, (instrument, stroke), &files)
            }
            (None, Some(path)) => {
                let texts: HashMap<String, &String> =
                    request.texts.iter().map(|text| (text.path.to_lowercase(), &text.text)).collect();
                let text_of = |path: &str| texts.get(&path.to_lowercase()).map(|text| (*text).clone());
                let sfz = Sfz::read(&path, text_of).map_err(|error| Problem {
                    file: Some(path.clone()),
                    ..Problem::new(Status::UnprocessableEntity, "The file cannot be used", format!("“{path}” {error}."))
                })?;
                by_sfz(kit, &sfz, &files)
            }
            (None, None) => by_names(kit, &files),
        };
        let Fitted { kit, samples, strokes, said } = fitted;
        if let Err(error) = kit.check() {
            return Err(Problem::field(error.path, error.message));
        }
        Ok(FittedSamples { kit, samples: samples as u32, strokes: strokes as u32, said })
    }

    /// The own sounds of a kit whose files are gone, by their names.
    pub(crate) fn missing_sounds(&self, kit: &Kit) -> Vec<String> {
        let mut seen: BTreeSet<&str> = BTreeSet::new();
        let gone = kit.samples().filter(|one| seen.insert(&one.sound) && !self.sounds.has(&one.sound));
        gone.map(|one| one.name.clone()).collect()
    }

    /// A mixdown that reads own sounds from the data folder; refused where one of them is gone.
    pub(crate) fn with_own_sounds(&self, mix: Mixdown) -> Answer<Mixdown> {
        for (sound, name) in mix.own_sounds() {
            self.sounds.file(sound).map_err(|missing| missing.problem(name, AGAIN))?;
        }
        Ok(mix.with_recordings(self.sounds.clone()))
    }
}
