//! What is kept as JSON: read tolerantly.

use vivida_core::{AudioSource, GrooveProfile, Kit, PocketSettings, Recipe};

/// What cannot be read of a row, and why. The rest of the row, and all else, is as it was.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Damage {
    /// Why, for people.
    pub reason: String,
    /// As it stands in the database.
    pub text: String,
}

/// What is kept as a text of JSON.
pub(crate) trait Kept: Sized {
    /// From its text, every field checked; else what is wrong.
    fn read(text: &str) -> Result<Self, String>;

    /// What can be read of a text, and what is wrong with it otherwise.
    fn tolerant(text: String) -> (Self, Option<Damage>)
    where
        Self: Default,
    {
        match Self::read(&text) {
            Ok(value) => (value, None),
            Err(reason) => (Self::default(), Some(Damage { reason, text })),
        }
    }
}

fn json(text: &str) -> Result<serde_json::Value, String> {
    serde_json::from_str(text).map_err(|error| error.to_string())
}

impl Kept for Recipe {
    fn read(text: &str) -> Result<Recipe, String> {
        Recipe::from_value(json(text)?).map_err(|error| error.to_string())
    }
}

impl Kept for PocketSettings {
    fn read(text: &str) -> Result<PocketSettings, String> {
        PocketSettings::from_value(json(text)?).map_err(|(field, message)| format!("{field}: {message}"))
    }
}

impl Kept for GrooveProfile {
    fn read(text: &str) -> Result<GrooveProfile, String> {
        GrooveProfile::from_value(json(text)?).map_err(|error| error.to_string())
    }
}

impl Kept for AudioSource {
    fn read(text: &str) -> Result<AudioSource, String> {
        let audio: AudioSource = serde_json::from_str(text).map_err(|error| error.to_string())?;
        audio.check().map_err(|(field, message)| format!("{field}: {message}"))?;
        Ok(audio)
    }
}

impl Kept for Kit {
    fn read(text: &str) -> Result<Kit, String> {
        Kit::from_value(json(text)?).map_err(|error| error.to_string())
    }
}
