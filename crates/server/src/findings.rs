//! What a listener would notice in a part, and how far it is from another.

use crate::api::*;
use crate::app::{Answer, App, Opened, locked};
use crate::problem::Problem;
use rocket::http::Status;
use std::collections::HashMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use vivida_core::{
    Apart, Instrument, Measured, MeasuredInstrument, Rehearsal, Study, Thresholds, Ticks, TouchProfile, cures, findings,
};
use vivida_store::{PartId, Reads, TakeId};

/// What counts as what, for the whole shelf.
const THRESHOLDS_SETTING: &str = "finding-thresholds";

/// So many findings, the weightiest, have their cures tried.
const TRIED: usize = 24;
/// In parts of more hits than this only a few have, for each cure is a performance and a reading.
const LARGE: usize = 20_000;
const TRIED_OF_LARGE: usize = 6;

pub(crate) fn thresholds(reads: &impl Reads) -> Answer<Thresholds> {
    let text = reads.setting(THRESHOLDS_SETTING)?;
    let kept = text.and_then(|text| serde_json::from_str::<Thresholds>(&text).ok());
    Ok(kept.filter(|kept| kept.check().is_ok()).unwrap_or_default())
}

/// What each window asked for last: what mends a part.
#[derive(Default)]
pub(crate) struct Asked(Mutex<HashMap<String, Arc<AtomicU64>>>);

/// A question, and whether it is the newest of its window.
struct Question {
    newest: Arc<AtomicU64>,
    number: u64,
}

impl Asked {
    /// So many windows are remembered.
    const MOST: usize = 1000;

    fn ask(&self, window: &str) -> Question {
        let mut asked = locked(&self.0);
        if asked.len() >= Asked::MOST {
            asked.clear();
        }
        let newest = Arc::clone(asked.entry(window.to_owned()).or_default());
        let number = newest.fetch_add(1, Ordering::Relaxed) + 1;
        Question { newest, number }
    }
}

impl Question {
    fn is_newest(&self) -> bool {
        self.newest.load(Ordering::Relaxed) == self.number
    }
}

/// Somebody asked anew.
fn superseded() -> Problem {
    let detail = "This window has asked anew for what mends a part; that answer is the newer one.";
    Problem::new(Status::Conflict, "Asked anew", detail)
}

impl App {
    /// What a listener would notice in the part as it is kept, with or without what mends it: that takes longer, and
    /// stops where the same window asks anew, which does not wait for it any more then.
    pub(crate) fn findings(&self, id: PartId, with_cures: bool, window: Option<&str>) -> Answer<Vec<FindingCard>> {
        let asked = window.filter(|_| with_cures).map(|window| self.asked.ask(window));
        let opened = self.open(id, None)?;
        let thresholds = thresholds(&self.reading()?)?;
        let (part, chart, recipe) = (opened.part(), opened.chart(), &opened.take.recipe);
        let context = opened.context(opened.take.variation);
        let rehearsal = Rehearsal::of(part, chart, recipe, &context);
        let found = findings(part, chart, &context, &rehearsal.clone().performance(), &thresholds);
        let tried = match part.hits().len() {
            count if count > LARGE => TRIED_OF_LARGE,
            _ => TRIED,
        };
        let card = |(place, one): (usize, &vivida_core::Finding)| {
            if asked.as_ref().is_some_and(|asked| !asked.is_newest()) {
                return Err(superseded());
            }
            let wanted = with_cures && place < tried;
            let try_them = || cures(&rehearsal, recipe, &context, &thresholds, &found, one);
            Ok(FindingCard { finding: one.clone(), cures: if wanted { try_them() } else { Vec::new() } })
        };
        found.iter().enumerate().map(card).collect()
    }

    pub(crate) fn thresholds(&self) -> Answer<Thresholds> {
        thresholds(&self.reading()?)
    }

    pub(crate) fn set_thresholds(&self, thresholds: &Thresholds) -> Answer<()> {
        thresholds.check().map_err(|(field, why)| Problem::field(field, why))?;
        let text = serde_json::to_string(thresholds).map_err(|error| Problem::field(".", error.to_string()))?;
        Ok(self.change(|change| change.set_setting(THRESHOLDS_SETTING, &text))?)
    }

    /// How far a part is from another, or from a take, both as they are played.
    pub(crate) fn study(&self, id: PartId, other: PartId, take: Option<TakeId>) -> Answer<StudyDetail> {
        let of = |opened: &Opened| {
            let performance = opened.play(Ticks(0.0));
            let context = opened.context(opened.take.variation);
            (Study::of(opened.part(), opened.chart(), &context, &performance), performance)
        };
        let (here, there) = (self.open(id, None)?, self.open(other, take)?);
        let song = self.reading()?.song_alone(there.row.song)?.name;
        let name = match take {
            Some(_) => format!("{song}, {}, {}", there.name(), there.take.name),
            None => format!("{song}, {}", there.name()),
        };
        let (own, (others, performance)) = (of(&here).0, of(&there));
        let apart = own.apart(&others);
        let reading = in_rows_of(&here, there.played(&performance), &apart);
        let touch = TouchProfile::of(&name, there.chart(), &there.song.file.metre, performance.hits());
        Ok(StudyDetail { apart, name, touch, reading })
    }
}

/// A reading in the rows of another part: each drum as the one that it is held against.
fn in_rows_of(shown: &Opened, reading: Measured, apart: &[Apart]) -> Measured {
    let row = |instrument: &Instrument| {
        let against = apart.iter().find(|one| one.instrument == instrument.id).and_then(|one| one.against.as_ref());
        let known = against.and_then(|id| reading.instruments.iter().find(|one| one.instrument == *id)).cloned();
        let known = known.map(|one| MeasuredInstrument { instrument: instrument.id.clone(), ..one });
        known.unwrap_or_else(|| MeasuredInstrument::silent(instrument.id.clone()))
    };
    Measured { instruments: shown.chart().kit.instruments.iter().map(row).collect(), ..reading }
}
