//! Changes that are asked for again, because no answer came, and are made once.

use crate::app::Answer;
use crate::problem::Problem;
use std::fmt::Display;
use vivida_store::{Change, Reads, Scope, StoreError};

/// What a change of a thing is kept under: its key names it among the changes of that thing alone.
pub(crate) fn key_of(thing: impl Display, key: Option<&str>) -> Answer<Option<String>> {
    match key {
        Some(key) if key.is_empty() || key.chars().count() > 100 => {
            Err(Problem::field("key", "give 1 to 100 characters"))
        }
        _ => Ok(key.map(|key| format!("{thing} {key}"))),
    }
}

/// Makes a change, unless one of this key was made.
pub(crate) fn once(
    change: &mut Change<'_>,
    of: Scope,
    key: Option<&str>,
    make: impl FnOnce(&mut Change<'_>) -> Result<(), StoreError>,
) -> Result<(), StoreError> {
    if let Some(key) = key {
        if change.has_step(of, key)? {
            return Ok(());
        }
        change.keyed(key);
    }
    make(change)
}
