//! What the routes call: the store, the songs in use and the engine, put together.

use crate::api::*;
use crate::problem::Problem;
use rocket::http::Status;
use serde_json::Value;
use std::collections::HashMap;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use vivida_core::{
    Chart, Context, Grid, Part, PassId, Performance, Reading, Recipe, Slots, Ticks, aimed_by, perform, report, touched_by,
};
use vivida_smf::{Export, Resolution, SongFile, SongPart, read, rounding, write};
use vivida_sound::{mixdown, strikes};
use vivida_store::{PartChange, PartId, PartRow, SongId, SongRow, Store};

/// A song whose file has been read.
struct Loaded {
    id: SongId,
    bytes: Vec<u8>,
    file: SongFile,
    /// Of each part (by position, and whether it is taken as drums) the chart, once it was needed.
    charts: Mutex<HashMap<(usize, bool), Arc<Chart>>>,
}

impl Loaded {
    fn chart(&self, row: &PartRow) -> Arc<Chart> {
        let make = || Arc::new(self.file.parts[row.position].chart(row.drums));
        locked(&self.charts).entry((row.position, row.drums)).or_insert_with(make).clone()
    }
}

/// The store and the songs in use.
pub struct App {
    store: Mutex<Store>,
    loaded: Mutex<Vec<Arc<Loaded>>>,
}

/// How many notes the songs that are kept read may have together.
const KEPT_HITS: usize = 600_000;

type Answer<T> = Result<T, Problem>;

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    // A panic in another request leaves the database as its last step left it.
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl App {
    /// An app over a store.
    pub fn new(store: Store) -> App {
        App { store: Mutex::new(store), loaded: Mutex::new(Vec::new()) }
    }

    /// Puts the demo songs on the shelf that have never been there.
    pub fn add_demo(&self) -> Result<(), String> {
        for song in vivida_demo::songs() {
            let file = read(&song.bytes).map_err(|error| format!("{}: {error}", song.file_name))?;
            let added = locked(&self.store).add_demo(song.name, song.file_name, &song.bytes, &file);
            added.map_err(|error| error.to_string())?;
        }
        Ok(())
    }

    fn store(&self) -> MutexGuard<'_, Store> {
        locked(&self.store)
    }

    fn load(&self, id: SongId) -> Answer<Arc<Loaded>> {
        if let Some(found) = locked(&self.loaded).iter().find(|loaded| loaded.id == id) {
            return Ok(found.clone());
        }
        let bytes = self.store().original(id)?;
        let file = read(&bytes).map_err(|error| Problem::of_file("the song as it was kept", &error))?;
        let song = Arc::new(Loaded { id, bytes, file, charts: Mutex::default() });
        let mut loaded = locked(&self.loaded);
        loaded.push(song.clone());
        let hits = |songs: &[Arc<Loaded>]| songs.iter().map(|song| hit_count(&song.file)).sum::<usize>();
        while loaded.len() > 1 && hits(&loaded) > KEPT_HITS {
            loaded.remove(0);
        }
        Ok(song)
    }

    fn part(&self, id: PartId) -> Answer<(PartRow, Arc<Loaded>)> {
        let row = self.store().part(id)?;
        self.store().song(row.song)?;
        let song = self.load(row.song)?;
        Ok((row, song))
    }

    /// The shelf.
    pub(crate) fn songs(&self) -> Answer<Vec<SongCard>> {
        let mut rows = self.store().songs()?;
        // One's own songs first, the newest in front; then the demo in its order.
        rows.sort_by_key(|row| (row.is_demo, if row.is_demo { row.id.0 } else { -row.id.0 }));
        rows.iter().map(|row| self.card(row)).collect()
    }

    pub(crate) fn card_of(&self, id: SongId) -> Answer<SongCard> {
        let row = self.store().song(id)?;
        self.card(&row)
    }

    fn card(&self, row: &SongRow) -> Answer<SongCard> {
        let song = self.load(row.id)?;
        let file = &song.file;
        let last = file.metre.bar(file.bars());
        Ok(SongCard {
            id: row.id,
            revision: row.revision as i32,
            name: row.name.clone(),
            file_name: row.file_name.clone(),
            is_demo: row.is_demo,
            bpm: bpm(file),
            tempo_changes: file.tempo.changes().count() > 1,
            metres: file.metre.changes().map(|(_, metre)| metre.to_string()).collect(),
            bars: file.bars(),
            seconds: file.tempo.seconds(last.start + last.length),
            parts: part_cards(row, file),
            picture: row.parts.iter().find(|part| part.drums).map(|part| picture(part, &song)),
            mended: file.mended.clone(),
        })
    }

    /// Puts a file on the shelf.
    pub(crate) fn add_song(&self, file_name: &str, bytes: &[u8]) -> Answer<SongCard> {
        let file_name = match vivida_smf::readable(file_name.as_bytes()) {
            name if name.is_empty() => "song.mid".to_owned(),
            name => name,
        };
        let file = read(bytes).map_err(|error| Problem::of_file(&file_name, &error))?;
        let lower = file_name.to_lowercase();
        let ending = [".midi", ".mid", ".smf"].iter().find(|ending| lower.ends_with(**ending)).map_or(0, |e| e.len());
        let stem =
            file_name.get(..file_name.len() - ending).filter(|stem| !stem.trim().is_empty()).unwrap_or(&file_name);
        let id = self.store().add_song(stem, &file_name, bytes, &file)?;
        self.card_of(id)
    }

    pub(crate) fn rename(&self, id: SongId, change: &SongChange) -> Answer<SongCard> {
        self.store().rename(id, change.revision, &change.name)?;
        self.card_of(id)
    }

    pub(crate) fn duplicate(&self, id: SongId) -> Answer<SongCard> {
        let copy = self.store().duplicate(id)?;
        self.card_of(copy)
    }

    pub(crate) fn delete(&self, id: SongId, revision: i64) -> Answer<()> {
        Ok(self.store().delete(id, revision)?)
    }

    /// A song in the workspace.
    pub(crate) fn song(&self, id: SongId) -> Answer<SongDetail> {
        let row = self.store().song(id)?;
        let song = self.load(id)?;
        let file = &song.file;
        let section = |marker: &vivida_smf::Marker| Section {
            name: marker.name.clone(),
            bar: file.metre.bar_at(marker.tick).number,
        };
        Ok(SongDetail {
            id,
            revision: row.revision as i32,
            name: row.name.clone(),
            file_name: row.file_name.clone(),
            ppq: file.ppq.get(),
            file_ppq: file.ppq.get() / file.factor,
            bpm: bpm(file),
            metres: file.metre.changes().map(|(bar, metre)| (bar, metre.to_string())).collect(),
            sections: file.markers.iter().map(section).collect(),
            bars: bars(file),
            parts: part_cards(&row, file),
            mended: file.mended.clone(),
            history: self.store().history(Some(id))?,
        })
    }

    /// A part in the workspace.
    pub(crate) fn part_detail(&self, id: PartId) -> Answer<PartDetail> {
        let (row, song) = self.part(id)?;
        let part = &song.file.parts[row.position];
        let chart = song.chart(&row);
        Ok(PartDetail {
            state: self.part_state(&row)?,
            name: part.name.clone(),
            channel: part.channel,
            written: written(&song.file, part, &chart),
            kit: chart.kit.clone(),
            grid: chart.meant(&part.part, &song.file.metre).grid,
            cell: chart.meant(&part.part, &song.file.metre).grid.cell(song.file.ppq),
            reading: Reading::written(&part.part, &chart, &context(&song.file, row.variation, Ticks(0.0))).clone(),
        })
    }

    fn part_state(&self, row: &PartRow) -> Answer<PartState> {
        Ok(PartState {
            id: row.id,
            song: row.song,
            revision: row.revision as i32,
            drums: row.drums,
            recipe: row.recipe.clone(),
            variation: row.variation,
            history: self.store().history(Some(row.song))?,
        })
    }

    /// Changes a part. Where that comes too late, the newer state comes with the problem.
    pub(crate) fn change_part(&self, id: PartId, request: PartChangeRequest) -> Answer<PartState> {
        let change = PartChange {
            recipe: request.recipe.map(|value| recipe("recipe", value)).transpose()?,
            variation: request.variation,
            drums: request.drums,
        };
        let label: String = vivida_smf::readable(request.label.as_bytes());
        let changed = self.store().change_part(id, request.revision, &label, change);
        let row = self.store().part(id)?;
        let state = self.part_state(&row)?;
        match changed {
            Ok(()) => Ok(state),
            Err(error @ vivida_store::StoreError::Conflict { .. }) => {
                Err(Problem { current: Some(Box::new(state)), ..Problem::from(error) })
            }
            Err(error) => Err(error.into()),
        }
    }

    /// Plays a part by a recipe that need not be kept.
    pub(crate) fn perform(&self, id: PartId, request: PerformRequest) -> Answer<PerformanceColumns> {
        let recipe = recipe("recipe", request.recipe)?;
        let (row, song) = self.part(id)?;
        let part = &song.file.parts[row.position];
        let chart = song.chart(&row);
        let context = Context { round: request.round, ..context(&song.file, request.variation, Ticks(0.0)) };
        let performance = perform(&part.part, &chart, &recipe, &context);
        let reading = Reading::played(&part.part, &chart, &context, &performance);
        Ok(columns(&song.file, &part.part, &chart, performance, reading, request.timing.as_deref()))
    }

    /// The places of the hits that a pass changes.
    pub(crate) fn touched(&self, id: PartId, request: PerformRequest) -> Answer<Vec<u32>> {
        let recipe = recipe("recipe", request.recipe)?;
        let pass = request.touched_by.ok_or_else(|| Problem::field("touched_by", "name a pass of the recipe"))?;
        let (row, song) = self.part(id)?;
        let part = &song.file.parts[row.position];
        let context = Context { round: request.round, ..context(&song.file, request.variation, Ticks(0.0)) };
        let chart = song.chart(&row);
        let of = if request.aimed { aimed_by } else { touched_by };
        Ok(of(&part.part, &chart, &recipe, &context, PassId(pass)))
    }

    /// The slots of bars like bar `number`, to choose positions from.
    pub(crate) fn slots(&self, id: SongId, number: u32, grid: &str, bars: u32) -> Answer<Slots> {
        let grid: Grid = grid.parse().map_err(|message| Problem::field("grid", message))?;
        if !(1..=4).contains(&bars) {
            return Err(Problem::field("bars", "a pattern has 1 to 4 bars"));
        }
        self.store().song(id)?;
        Ok(Slots::of(&self.load(id)?.file.metre, number, grid, bars))
    }

    /// Undo or redo, of a song or of the shelf.
    pub(crate) fn travel(&self, song: Option<SongId>, back: bool) -> Answer<Travelled> {
        let label = if back { self.store().undo(song)? } else { self.store().redo(song)? };
        let rows = match song {
            Some(id) => self.store().song(id)?.parts,
            None => Vec::new(),
        };
        let parts = rows.iter().map(|row| self.part_state(row)).collect::<Answer<_>>()?;
        Ok(Travelled { label, parts, history: self.store().history(song)? })
    }

    fn performances(&self, row: &SongRow, song: &Loaded, export: Export) -> Vec<(usize, Performance)> {
        let treated = row.parts.iter().filter(|part| part.recipe.passes.iter().any(|pass| pass.on));
        treated.map(|part| (part.position, played(part, song, export.start(&song.file)))).collect()
    }

    /// The song as a Standard MIDI File.
    pub(crate) fn export_midi(&self, id: SongId, export: Export) -> Answer<(String, Vec<u8>)> {
        let row = self.store().song(id)?;
        let song = self.load(id)?;
        let performances = self.performances(&row, &song, export);
        Ok((row.name, write(&song.bytes, &song.file, &performances, export)))
    }

    /// What exporting would cost.
    pub(crate) fn export_info(&self, id: SongId) -> Answer<ExportInfo> {
        let row = self.store().song(id)?;
        let song = self.load(id)?;
        let file = &song.file;
        let with_lead_in = Export { resolution: Resolution::Fine, lead_in: true };
        let early = self.performances(&row, &song, with_lead_in);
        let held = early.iter().flat_map(|(_, played)| played.sounding()).filter(|hit| hit.tick < Ticks(0.0)).count();
        let own = Export::default();
        Ok(ExportInfo {
            file_ppq: file.ppq.get() / file.factor,
            fine_ppq: file.ppq.get(),
            rounding: rounding(file, &self.performances(&row, &song, own), own).0,
            held_at_start: held as u32,
            smpte: file.smpte,
        })
    }

    /// The song played by the built-in kit, as it was written or as it is played.
    pub(crate) fn export_wav(&self, id: SongId, as_written: bool) -> Answer<(String, Vec<u8>)> {
        let row = self.store().song(id)?;
        let song = self.load(id)?;
        let file = &song.file;
        let seconds = file
            .tempo
            .seconds(file.parts.iter().map(|part| part.part.end()).fold(Ticks(0.0), |a, b| if b > a { b } else { a }));
        if seconds > 3600.0 {
            let detail =
                format!("The song lasts {:.0} minutes; a WAV file is made of an hour at most.", seconds / 60.0);
            return Err(Problem::new(Status::UnprocessableEntity, "Too long for a WAV file", detail));
        }
        let all = row.parts.iter().flat_map(|part| {
            let part = if as_written { &PartRow { recipe: Recipe::default(), ..part.clone() } } else { part };
            strikes(&played(part, &song, Ticks(0.0)).hits, part.drums, &file.tempo, Ticks(0.0))
        });
        Ok((row.name, mixdown(all.collect())))
    }

    pub(crate) fn view(&self, name: &str) -> Answer<Value> {
        let text = self.store().view(name)?;
        Ok(text.and_then(|text| serde_json::from_str(&text).ok()).unwrap_or(Value::Null))
    }

    pub(crate) fn set_view(&self, name: &str, value: &Value) -> Answer<()> {
        Ok(self.store().set_view(name, &value.to_string())?)
    }
}

fn recipe(path: &str, value: Value) -> Answer<Recipe> {
    Recipe::from_value(value).map_err(|error| Problem::of_recipe(path, &error))
}

fn context(file: &SongFile, variation: u32, start: Ticks) -> Context<'_> {
    Context { variation, start, ..Context::new(&file.tempo, &file.metre) }
}

fn played(part: &PartRow, song: &Loaded, start: Ticks) -> Performance {
    let source = &song.file.parts[part.position];
    perform(&source.part, &song.chart(part), &part.recipe, &context(&song.file, part.variation, start))
}

fn hit_count(file: &SongFile) -> usize {
    file.parts.iter().map(|part| part.part.hits().len()).sum()
}

fn bpm(file: &SongFile) -> f64 {
    let quarters = file.tempo.bpm(Ticks(0.0));
    let beats = if file.metre.bar(1).metre.is_compound() { quarters / 1.5 } else { quarters };
    // A tempo event counts whole microseconds: 88 bpm come as 88.000088.
    (beats * 1000.0).round() / 1000.0
}

fn part_cards(row: &SongRow, file: &SongFile) -> Vec<PartCard> {
    let card = |part: &PartRow| PartCard {
        id: part.id,
        name: file.parts[part.position].name.clone(),
        drums: part.drums,
        hits: file.parts[part.position].part.hits().len() as u32,
        passes: part.recipe.passes.len() as u32,
    };
    row.parts.iter().map(card).collect()
}

/// Up to four bars of a part, from where its first hit lies.
fn picture(row: &PartRow, song: &Loaded) -> Picture {
    let file = &song.file;
    let part = &file.parts[row.position];
    let chart = song.chart(row);
    let context = context(file, row.variation, Ticks(0.0));
    let performance = perform(&part.part, &chart, &row.recipe, &context);
    let report = report(&part.part, &chart, &context, &performance);
    let first = part.part.hits().first().map_or(1, |hit| file.metre.bar_at(hit.tick).number);
    let last = file.metre.bar(first + 3);
    let start = file.metre.bar(first).start.0;
    let length = last.start.0 + last.length.0 - start;
    let shown = performance.sounding().filter(|hit| (start..start + length).contains(&hit.tick.0)).take(400);
    let mut picture = Picture {
        places: Vec::new(),
        rows: Vec::new(),
        velocities: Vec::new(),
        row_count: chart.kit.instruments.len().min(255) as u8,
        identical_neighbours: [report.written.all.identical_neighbours, report.played.all.identical_neighbours],
        on_grid: [report.written.all.on_grid, report.played.all.on_grid],
    };
    for hit in shown {
        picture.places.push(((hit.tick.0 - start) / length) as f32);
        picture.rows.push(chart.instrument_of(hit.note, hit.channel).min(255) as u8);
        picture.velocities.push(hit.velocity.get());
    }
    picture
}

fn bars(file: &SongFile) -> Bars {
    let mut bars = Bars::default();
    for number in 1..=file.bars() {
        let bar = file.metre.bar(number);
        bars.ticks.push(bar.start.0);
        for (index, beat) in bar.metre.beats(file.ppq).into_iter().enumerate().filter(|(_, beat)| *beat < bar.length) {
            bars.beat_ticks.push((bar.start + beat).0);
            bars.beat_seconds.push(short(file.tempo.seconds(bar.start + beat)));
            bars.downbeats.push(u8::from(index == 0));
        }
        if number == file.bars() {
            bars.ticks.push((bar.start + bar.length).0);
        }
    }
    bars.seconds = bars.ticks.iter().map(|&tick| short(file.tempo.seconds(Ticks(tick)))).collect();
    bars
}

/// To a hundredth of a millisecond: fine enough to sound, short enough to travel.
fn short(seconds: f64) -> f64 {
    (seconds * 1e5).round() / 1e5
}

fn written(file: &SongFile, part: &SongPart, chart: &Chart) -> WrittenColumns {
    let mut columns = WrittenColumns {
        instruments: chart.instruments.clone(),
        grid_lines: chart.meant(&part.part, &file.metre).lines.clone(),
        ..WrittenColumns::default()
    };
    for hit in part.part.hits() {
        let seconds = file.tempo.seconds(hit.tick);
        columns.ids.push(hit.id.0);
        columns.ticks.push(hit.tick.0);
        columns.velocities.push(hit.velocity.get());
        columns.notes.push(hit.note.get());
        columns.seconds.push(short(seconds));
        columns.lengths.push(short(file.tempo.seconds(hit.tick + hit.length) - seconds));
    }
    columns
}

/// The columns of a performance; those of its timing only where the page does not have them already.
fn columns(
    file: &SongFile,
    part: &Part,
    chart: &Chart,
    performance: Performance,
    reading: Reading,
    known: Option<&str>,
) -> PerformanceColumns {
    let mut hasher = DefaultHasher::new();
    for hit in &performance.hits {
        (hit.tick.0 as i64, hit.length.0 as i64).hash(&mut hasher);
    }
    let key = format!("{:016x}", hasher.finish());
    let timing = (known != Some(&key)).then(|| {
        let mut timing = TimingColumns::default();
        for hit in &performance.hits {
            let seconds = file.tempo.seconds(hit.tick);
            timing.ticks.push(hit.tick.0);
            timing.seconds.push(short(seconds));
            timing.lengths.push(short(file.tempo.seconds(hit.tick + hit.length) - seconds));
        }
        timing
    });
    let hits = &performance.hits;
    let written = part.hits().len();
    let grid = chart.meant(part, &file.metre).grid;
    let silenced = (0..).zip(hits).filter_map(|(row, hit): (u32, _)| Some((row, hit.silenced?)));
    // Which drum plays a hit is told where that is not as it was written.
    let elsewhere = (0..).zip(hits).take(written).filter_map(|(row, hit): (u32, _)| {
        let index = chart.instrument_of(hit.note, hit.channel) as u16;
        (index != chart.instruments[row as usize]).then_some((row, index, hit.note.get()))
    });
    let added = hits[written..].iter().map(|hit| AddedHit {
        id: hit.id.0,
        instrument: chart.instrument_of(hit.note, hit.channel) as u16,
        note: hit.note.get(),
        grid_line: grid.nearest(&file.metre, hit.tick).0,
    });
    PerformanceColumns {
        timing_key: key,
        timing,
        velocities: hits.iter().map(|hit| hit.velocity.get()).collect(),
        silenced: silenced.collect(),
        elsewhere: elsewhere.collect(),
        added: added.collect(),
        passes: performance.passes,
        reading,
    }
}
