//! The library of grooves, and grooves taken from parts.

use crate::api::*;
use crate::app::{Answer, App, recipe};
use crate::keyed::{key_of, once};
use crate::parts::drafted;
use crate::problem::Problem;
use rocket::http::Status;
use serde_json::Value;
use vivida_core::{Context, FieldError, GrooveFile, GrooveProfile, PlayedHit, perform};
use vivida_store::{Change, GrooveId, PartId, Reads, Scope, StoredGroove};

fn card(row: StoredGroove) -> GrooveCard {
    GrooveCard {
        id: row.id,
        revision: row.revision as i32,
        own: row.own,
        favourite: row.favourite,
        note: row.note,
        reading: row.groove.reading(),
        groove: row.groove,
        damage: row.damage.map(|damage| damage.reason),
    }
}

fn groove_of(path: &str, value: Value) -> Answer<GrooveProfile> {
    GrooveProfile::from_value(value).map_err(|error| Problem::field(format!("{path}.{}", error.path), error.message))
}

impl App {
    pub(crate) fn grooves(&self) -> Answer<Vec<GrooveCard>> {
        Ok(self.reading()?.grooves()?.into_iter().map(card).collect())
    }

    /// Keeps a groove in the library.
    pub(crate) fn add_groove(&self, request: NewGroove) -> Answer<GrooveCard> {
        let groove = groove_of("groove", request.groove)?;
        let (id, reading) = self.changed(|change| change.add_groove(&request.note, &groove))?;
        Ok(card(reading.groove(id)?))
    }

    pub(crate) fn change_groove(&self, id: GrooveId, request: GrooveChange) -> Answer<GrooveCard> {
        let groove = groove_of("groove", request.groove.clone())?;
        let GrooveChange { revision, note, favourite, .. } = &request;
        let key = key_of(format_args!("groove {}", id.0), request.key.as_deref())?;
        let make = |change: &mut Change<'_>| change.change_groove(id, *revision, note, *favourite, &groove);
        let ((), reading) = self.changed(|change| once(change, Scope::Shelf, key.as_deref(), make))?;
        Ok(card(reading.groove(id)?))
    }

    pub(crate) fn delete_groove(&self, id: GrooveId, revision: i64) -> Answer<()> {
        Ok(self.change(|change| change.delete_groove(id, revision))?)
    }

    /// Keeps the groove of a file: of our JSON, or of any MIDI clip.
    pub(crate) fn import_groove(&self, file_name: &str, bytes: &[u8]) -> Answer<ImportedGroove> {
        let wrong = |field: Option<String>, message: String| Problem {
            file: Some(file_name.to_owned()),
            field,
            ..Problem::new(
                Status::UnprocessableEntity,
                "The file cannot be read as a groove",
                format!("“{file_name}”: {message}"),
            )
        };
        let (stem, is_json) = match file_name.rsplit_once('.') {
            Some((stem, end)) => (stem.trim_end_matches(".groove"), end.eq_ignore_ascii_case("json")),
            None => (file_name, false),
        };
        let (note, mut groove, said) = if is_json || bytes.trim_ascii_start().starts_with(b"{") {
            let text = std::str::from_utf8(bytes).map_err(|error| wrong(None, format!("this is no text: {error}")))?;
            let file = GrooveFile::parse(text)
                .map_err(|FieldError { path, message }| wrong(Some(path.clone()), format!("{path}: {message}")))?;
            (file.note, file.groove, Vec::new())
        } else {
            let taken = vivida_smf::groove_of_clip(stem, bytes).map_err(|error| wrong(None, error.to_string()))?;
            (format!("From the clip {file_name}."), taken.groove, taken.said)
        };
        if groove.name.trim().is_empty() {
            groove.name = stem.to_owned();
        }
        let (id, reading) = self.changed(|change| change.add_groove(&note, &groove))?;
        Ok(ImportedGroove { card: card(reading.groove(id)?), said })
    }

    /// A groove as a file, and its name.
    pub(crate) fn export_groove(&self, id: GrooveId) -> Answer<(String, Vec<u8>)> {
        let row = self.reading()?.groove(id)?;
        let name = row.groove.name.clone();
        if let Some(damage) = row.damage {
            return Ok((name, damage.text.into_bytes()));
        }
        let text = serde_json::to_vec_pretty(&GrooveFile::new(row.note, row.groove));
        Ok((name, text.map_err(|error| Problem::field("groove", error.to_string()))?))
    }

    /// A groove as a MIDI clip, and its name.
    pub(crate) fn export_clip(&self, id: GrooveId) -> Answer<(String, Vec<u8>)> {
        let row = self.reading()?.groove(id)?;
        if let Some(damage) = row.damage {
            return Err(Problem::damaged(&row.groove.name, &damage.reason));
        }
        let groove = row.groove;
        Ok((groove.name.clone(), vivida_smf::clip_of(&groove)))
    }

    /// A groove in numbers, while it is being drawn.
    pub(crate) fn read_groove(&self, groove: Value) -> Answer<vivida_core::GrooveFigures> {
        Ok(groove_of("groove", groove)?.reading())
    }

    /// Takes the groove of a part as it is written or played.
    pub(crate) fn take_groove(&self, id: PartId, request: ExtractGroove) -> Answer<ExtractedGroove> {
        let mut opened = self.open(id, request.of_take)?;
        opened.pockets.extend(drafted(request.pockets)?);
        let file = &opened.song.file;
        let hits: Vec<PlayedHit> = if request.written {
            opened.part().hits().iter().map(PlayedHit::as_written).collect()
        } else if let Some(value) = request.recipe {
            let variation = request.variation.unwrap_or(1);
            let recipe = opened.after("recipe", recipe("recipe", value)?, &[], variation)?;
            let context = Context { round: 0, ..opened.context(variation) };
            perform(opened.part(), opened.chart(), &recipe, &context).hits().copied().collect()
        } else {
            opened.play(vivida_core::Ticks(0.0)).hits().copied().collect()
        };
        let name = match &request.name {
            Some(name) => name.clone(),
            None => {
                let kit = &opened.chart().kit.instruments;
                let named = kit.iter().filter(|one| request.take.instruments.contains(&one.id));
                let named: Vec<&str> = named.map(|one| one.name.as_str()).collect();
                let whose = if named.is_empty() { opened.name() } else { named.join(" and ") };
                format!("{}, {whose}", self.reading()?.song_alone(opened.row.song)?.name)
            }
        };
        let taken = GrooveProfile::taken(&name, opened.chart(), &file.tempo, &file.metre, &hits, &request.take)
            .map_err(|error| Problem::field(format!("take.{}", error.path), error.message))?;
        Ok(ExtractedGroove {
            reading: taken.groove.reading(),
            groove: taken.groove,
            said: taken.said,
            hits: taken.hits,
        })
    }
}
