//! Many songs at once: a recipe, a kit, the usual feel, song by song on a thread of its own, with a report of each. It
//! goes on when the page is closed; where the program ends in its midst, each song is wholly treated or wholly not.

use crate::api::*;
use crate::app::{Answer, App, Opened, locked, recipe};
use crate::csv_table::Table;
use crate::findings::thresholds;
use crate::problem::Problem;
use std::collections::{HashMap, HashSet};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::{Arc, Mutex};
use std::thread::{self, JoinHandle};
use vivida_core::{Performance, Recipe, Ticks, Treatment};
use vivida_store::{BatchId, BatchSongState, BatchState, Change, KitId, PartId, Reads, Scope, SongId, StoredBatch};

/// What is asked of all that go on.
#[derive(Default)]
pub(crate) struct Batches {
    /// The last that was begun: one goes on at a time, in the order in which they were begun.
    last: Mutex<Option<JoinHandle<()>>>,
    cancelled: Mutex<HashSet<BatchId>>,
}

/// What the songs are given.
struct Gift {
    label: String,
    recipe: Option<Recipe>,
    instead: bool,
    kit: Option<KitId>,
    usual: bool,
}

impl App {
    /// Begins to treat songs together.
    pub(crate) fn begin_batch(self: &Arc<App>, request: BatchRequest) -> Answer<BatchDetail> {
        /// No shelf has more songs in hand.
        const MOST: usize = 1000;
        if request.songs.is_empty() || request.songs.len() > MOST {
            return Err(Problem::field("songs", format!("name 1 to {MOST} songs")));
        }
        let mut seen = HashSet::new();
        if let Some(twice) = request.songs.iter().find(|song| !seen.insert(**song)) {
            return Err(Problem::field("songs", format!("song {} is there twice", twice.0)));
        }
        let wanted = request.recipe.map(|value| recipe("recipe", value)).transpose()?;
        if wanted.is_none() && request.kit.is_none() && !request.usual {
            return Err(Problem::field("recipe", "choose what the songs are given: a recipe, a kit or the usual feel"));
        }
        let name = vivida_smf::readable(request.name.as_bytes());
        let label = if name.is_empty() { "several songs".to_owned() } else { name };
        let gift = Gift { label, recipe: wanted, instead: request.instead, kit: request.kit, usual: request.usual };
        let id = self.change(|change| {
            if let Some(kit) = gift.kit {
                change.kit(kit)?;
            }
            change.add_batch(&gift.label, &request.songs)
        })?;
        let app = Arc::clone(self);
        let mut last = locked(&self.batches.last);
        let before = last.take();
        *last = Some(thread::spawn(move || {
            // However it ended, it is over.
            let _ = before.map(JoinHandle::join);
            app.run_batch(id, &request.songs, &gift);
        }));
        drop(last);
        self.batch(id)
    }

    fn run_batch(&self, id: BatchId, songs: &[SongId], gift: &Gift) {
        let cancelled = || locked(&self.batches.cancelled).contains(&id);
        for &song in songs {
            if cancelled() {
                break;
            }
            let treated = catch_unwind(AssertUnwindSafe(|| self.treat(id, song, gift)));
            let why = match treated {
                Ok(Ok(())) => continue,
                Ok(Err(problem)) => problem.detail,
                Err(_) => "a fault of Vivida's own; nothing was changed".to_owned(),
            };
            let report = serde_json::to_string(&BatchReport { why: Some(why), ..BatchReport::default() });
            let failed =
                |change: &mut Change<'_>| change.batch_song(id, song, BatchSongState::Failed, report.as_deref().ok());
            // Where not even that can be kept, the song is left, and the list says so.
            let _ = self.change(failed);
        }
        let state = if cancelled() { BatchState::Cancelled } else { BatchState::Done };
        let _ = self.change(|change| change.end_batch(id, state));
        locked(&self.batches.cancelled).remove(&id);
    }

    /// Treats one song: one step of it. What that did is worked out behind it, on the song as it stood then, so that
    /// nobody waits for that, and added to its report.
    fn treat(&self, batch: BatchId, song: SongId, gift: &Gift) -> Answer<()> {
        let (treated, reading) = self.work_out(song, |reading| {
            let drums = self.drums_of(reading, song)?;
            let before: Vec<Performance> = drums.iter().map(|opened| opened.play(Ticks(0.0))).collect();
            Ok(Box::new(move |change| {
                change.step(Scope::Song(song), &gift.label);
                let mut said = Vec::new();
                for opened in &drums {
                    let unfit = self.give(change, song, opened, gift)?;
                    let of_part = |one: String| if drums.len() > 1 { format!("{}: {one}", opened.name()) } else { one };
                    said.extend(unfit.into_iter().map(of_part));
                }
                if gift.usual {
                    said.extend(self.give_usual(change, song)?.said);
                }
                let report = BatchReport { said, ..BatchReport::default() };
                change.batch_song(batch, song, BatchSongState::Done, Some(&text_of(&report)?))?;
                let parts: Vec<PartId> = drums.iter().map(|opened| opened.row.id).collect();
                Ok((parts, before, report))
            }))
        })?;
        let (parts, before, mut report) = treated?;
        let thresholds = thresholds(&reading)?;
        for (part, before) in parts.into_iter().zip(before) {
            let opened = self.open_in(&reading, part, None)?;
            let after = opened.play(Ticks(0.0));
            let context = opened.context(opened.take.variation);
            let treatment = Treatment::of(opened.part(), opened.chart(), &context, [&before, &after], &thresholds);
            report.parts.push(PartTreated { part: opened.name(), treatment });
        }
        let report = text_of(&report)?;
        self.change(|change| Ok(change.batch_report(batch, song, &report)?))
    }

    /// Gives a part all that a batch has for it but the usual feel, which is the song's; what does not fit is said.
    fn give(&self, change: &mut Change<'_>, song: SongId, opened: &Opened, gift: &Gift) -> Answer<Vec<String>> {
        let part = opened.row.id;
        let mut said = Vec::new();
        if let Some(kit) = gift.kit.filter(|kit| opened.row.kit != Some(*kit)) {
            let revision = opened.row.revision;
            let request = ExchangeKit { revision, kit: Some(kit), keep_notes: false };
            let exchange = self.exchange_of(&*change, opened, &request)?;
            let kit = exchange.keep(change)?;
            said.extend(exchange.said);
            change.exchange_kit(part, revision, "", kit, exchange.recipes)?;
        }
        if let Some(recipe) = &gift.recipe {
            let opened = self.open_in(&*change, part, None)?;
            let received = self.within(&*change, song, recipe.clone())?;
            let (fitted, unfit) = received.fitted(&opened.chart().listed_kit(), opened.part());
            said.extend(unfit);
            let base = if gift.instead { Recipe::default() } else { opened.take.recipe.clone() };
            let passes = base.followed_by(&fitted);
            passes.check().map_err(|error| Problem::of_recipe("recipe", &error))?;
            change.set_recipe(part, "", passes)?;
        }
        Ok(said)
    }

    /// The drum parts of a song that sound.
    fn drums_of(&self, reads: &impl Reads, song: SongId) -> Answer<Vec<Opened>> {
        let row = reads.song(song)?;
        let sounding = row.parts.iter().filter(|part| part.drums && !part.muted);
        let mut drums = Vec::new();
        for part in sounding {
            let opened = self.open_stored(reads, &row, part.clone(), None)?;
            if !opened.part().hits().is_empty() {
                drums.push(opened);
            }
        }
        if drums.is_empty() {
            let why = "it has no drum part with hits that sound; take a part as drums, or turn it on, first";
            return Err(Problem::field("song", why));
        }
        Ok(drums)
    }

    /// What was treated together, the newest first.
    pub(crate) fn batches(&self) -> Answer<Vec<BatchCard>> {
        let card =
            |StoredBatch { id, label, state, when, count, .. }| BatchCard { id, label, state, when, songs: count };
        Ok(self.reading()?.batches()?.into_iter().map(card).collect())
    }

    pub(crate) fn batch(&self, id: BatchId) -> Answer<BatchDetail> {
        Ok(detail(self.reading()?.batch(id)?))
    }

    /// Stops a batch behind the song that is being treated.
    pub(crate) fn cancel_batch(&self, id: BatchId) -> Answer<()> {
        if self.reading()?.batch(id)?.state == BatchState::Running {
            locked(&self.batches.cancelled).insert(id);
        }
        Ok(())
    }

    /// Takes back what a batch did.
    pub(crate) fn undo_batch(&self, id: BatchId) -> Answer<BatchUndone> {
        let (left, reading) = self.changed(|change| change.undo_batch(id))?;
        Ok(BatchUndone { batch: detail(reading.batch(id)?), left })
    }

    /// The report of a batch as CSV: a row for each drum of each song.
    pub(crate) fn batch_csv(&self, id: BatchId) -> Answer<(String, Vec<u8>)> {
        let batch = self.batch(id)?;
        let failed = |error: std::io::Error| Problem::field("batch", error.to_string());
        let mut table = Table::new(Vec::new());
        table.row(["song", "state", "part"].into_iter().chain(Treatment::COLUMNS).chain(["said"])).map_err(failed)?;
        let names: HashMap<BatchSongState, &str> = [
            (BatchSongState::Waiting, "waiting"),
            (BatchSongState::Done, "done"),
            (BatchSongState::Unchanged, "unchanged"),
            (BatchSongState::Failed, "failed"),
            (BatchSongState::Left, "left"),
            (BatchSongState::Undone, "undone"),
        ]
        .into();
        for BatchSong { name, state, report, .. } in &batch.songs {
            let report = report.clone().unwrap_or_default();
            let words = report.why.into_iter().chain(report.said).collect::<Vec<_>>().join(" ");
            let state = names.get(state).copied().unwrap_or_default();
            let none = [PartTreated::default()];
            for PartTreated { part, treatment } in if report.parts.is_empty() { &none[..] } else { &report.parts } {
                for cells in treatment.rows() {
                    let head = [name.clone(), state.to_owned(), part.clone()];
                    table.row(head.into_iter().chain(cells).chain([words.clone()])).map_err(failed)?;
                }
            }
        }
        Ok((batch.label, table.done().map_err(failed)?))
    }
}

fn text_of(report: &BatchReport) -> Answer<String> {
    serde_json::to_string(report).map_err(|error| Problem::field("song", error.to_string()))
}

/// A report as it is kept; nothing where it is none. Those of before told of one part alone.
fn report_of(text: &str) -> Option<BatchReport> {
    #[derive(serde::Deserialize)]
    struct OfOnePart {
        #[serde(flatten)]
        part: PartTreated,
        said: Vec<String>,
        why: Option<String>,
    }
    serde_json::from_str(text).ok().or_else(|| {
        let OfOnePart { part, said, why } = serde_json::from_str(text).ok()?;
        let parts = if part.part.is_empty() { Vec::new() } else { vec![part] };
        Some(BatchReport { parts, said, why })
    })
}

fn detail(batch: StoredBatch) -> BatchDetail {
    let song = |one: vivida_store::StoredBatchSong| BatchSong {
        song: one.song,
        name: one.name,
        state: one.state,
        report: one.report.and_then(|text| report_of(&text)),
    };
    let StoredBatch { id, label, state, when, songs, .. } = batch;
    BatchDetail { id, label, state, when, songs: songs.into_iter().map(song).collect() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn reports_of_one_part_alone_are_still_read() {
        let treatment = serde_json::to_value(Treatment::default()).unwrap();
        let old = serde_json::json!({"part": "Drums", "treatment": treatment, "said": ["A."], "why": null});
        let report = report_of(&old.to_string()).unwrap();
        assert_eq!((report.parts.len(), &*report.parts[0].part, &*report.said[0]), (1, "Drums", "A."));
        let failed = serde_json::json!({"part": "", "treatment": treatment, "said": [], "why": "B"});
        let report = report_of(&failed.to_string()).unwrap();
        assert_eq!((report.parts.len(), report.why.as_deref()), (0, Some("B")));
        assert!(report_of(&text_of(&report).unwrap()).is_some());
    }
}
