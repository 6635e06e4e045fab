//! What the routes call: the store, the songs in use and the engine, put together. Songs and the
//! shelf are here; parts, exports and the library have files of their own.

use crate::answers::{Span, bars, bpm, hit_count, picture, spans};
use crate::api::*;
use crate::problem::Problem;
use serde_json::Value;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};
use vivida_core::{
    Chart, Context, Grid, Layers, Part, Percent, Performance, Pockets, Reading, Recipe, Section, Slots, Ticks, perform,
};
use vivida_smf::{SongFile, read};
use vivida_store::{PartId, PartRow, SongId, SongRow, Store, TakeId, TakeRow};

/// A song whose file has been read.
pub(crate) struct Loaded {
    pub id: SongId,
    pub bytes: Vec<u8>,
    pub file: SongFile,
    sources: Mutex<HashMap<SourceKey, Arc<Source>>>,
}

/// Which Written, taken as drums or as tones, measured against which grid, by which layers.
type SourceKey = (usize, Option<TakeId>, bool, Option<Grid>, String);

/// The Written of a take as its kit reads it.
pub(crate) struct Source {
    /// Of a printed take; else the file's part.
    printed: Option<Part>,
    pub chart: Chart,
    /// When each hit was written to sound, once that was asked for.
    spans: OnceLock<Vec<Span>>,
}

/// So many are kept for each song: while layers are dragged each moment has its own.
const KEPT_SOURCES: usize = 24;

/// A take of a part, ready to be played.
pub(crate) struct Opened {
    pub row: PartRow,
    pub take: TakeRow,
    pub song: Arc<Loaded>,
    pub source: Arc<Source>,
    pub sections: Vec<Section>,
    pub pockets: Pockets,
}

impl Opened {
    pub fn part(&self) -> &Part {
        self.source.printed.as_ref().unwrap_or_else(|| self.file_part())
    }

    pub fn file_part(&self) -> &Part {
        &self.song.file.parts[self.row.position].part
    }

    pub fn chart(&self) -> &Chart {
        &self.source.chart
    }

    /// When each hit was written to sound.
    pub fn spans(&self) -> &[Span] {
        self.source.spans.get_or_init(|| spans(&self.song.file, self.part()))
    }

    pub fn context(&self, variation: u32) -> Context<'_> {
        let file = &self.song.file;
        Context {
            variation,
            sections: &self.sections,
            pockets: &self.pockets,
            ..Context::new(&file.tempo, &file.metre)
        }
    }

    /// The take as it is kept, not before `start`.
    pub fn play(&self, start: Ticks) -> Performance {
        let context = Context { start, ..self.context(self.take.variation) };
        perform(self.part(), self.chart(), &self.take.recipe, &context)
    }

    pub fn written(&self) -> &Reading {
        Reading::written(self.part(), self.chart(), &self.context(1))
    }

    pub fn played(&self, performance: &Performance) -> Reading {
        Reading::played(self.part(), self.chart(), &self.context(1), performance)
    }

    pub fn name(&self) -> String {
        self.row.name.clone().unwrap_or_else(|| self.song.file.parts[self.row.position].name.clone())
    }
}

/// The store and the songs in use.
pub struct App {
    store: Mutex<Store>,
    loaded: Mutex<Vec<Arc<Loaded>>>,
}

/// How many notes the songs that are kept read may have together.
const KEPT_HITS: usize = 600_000;

pub(crate) type Answer<T> = Result<T, Problem>;

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

    pub(crate) fn store(&self) -> MutexGuard<'_, Store> {
        locked(&self.store)
    }

    pub(crate) fn load(&self, id: SongId) -> Answer<Arc<Loaded>> {
        if let Some(found) = locked(&self.loaded).iter().find(|loaded| loaded.id == id) {
            return Ok(found.clone());
        }
        let bytes = self.store().original(id)?;
        let file = read(&bytes).map_err(|error| Problem::of_file("the song as it was kept", &error))?;
        let song = Arc::new(Loaded { id, bytes, file, sources: Mutex::default() });
        let mut loaded = locked(&self.loaded);
        loaded.push(song.clone());
        let hits = |songs: &[Arc<Loaded>]| songs.iter().map(|song| hit_count(&song.file)).sum::<usize>();
        while loaded.len() > 1 && hits(&loaded) > KEPT_HITS {
            loaded.remove(0);
        }
        Ok(song)
    }

    /// A part with the take that is worked on, or another one.
    pub(crate) fn open(&self, id: PartId, take: Option<TakeId>) -> Answer<Opened> {
        let row = self.store().part(id)?;
        let song = self.store().song_alone(row.song)?;
        self.open_row(&song, row, take)
    }

    pub(crate) fn open_row(&self, song: &SongRow, row: PartRow, take: Option<TakeId>) -> Answer<Opened> {
        let loaded = self.load(song.id)?;
        let wanted = take.unwrap_or(row.take);
        let take = row.takes.iter().find(|one| one.id == wanted).cloned();
        let take = take.ok_or(vivida_store::StoreError::NotFound { what: "take", id: wanted.0 })?;
        let layers = self.layers_of(&row)?;
        let source = self.source(&loaded, &row, &take, &layers)?;
        let sections = song.sections.clone().unwrap_or_else(|| loaded.file.sections());
        let pockets = self.store().pockets(song.id)?.into_iter().map(|row| (row.id, row.settings)).collect();
        Ok(Opened { row, take, song: loaded, source, sections, pockets })
    }

    fn layers_of(&self, row: &PartRow) -> Answer<Layers> {
        if let Some(own) = &row.layers {
            return Ok(own.clone());
        }
        let shared = self.store().setting(LAYERS_SETTING)?;
        Ok(shared.and_then(|text| serde_json::from_str(&text).ok()).unwrap_or_default())
    }

    fn source(&self, song: &Loaded, row: &PartRow, take: &TakeRow, layers: &Layers) -> Answer<Arc<Source>> {
        let printed = take.is_print.then_some(take.id);
        let key = (row.position, printed, row.drums, row.grid, serde_json::to_string(layers).unwrap_or_default());
        if let Some(known) = locked(&song.sources).get(&key) {
            return Ok(known.clone());
        }
        let printed = if take.is_print { self.store().take_hits(take.id)? } else { None };
        let of_file = &song.file.parts[row.position];
        let part = printed.as_ref().unwrap_or(&of_file.part);
        let kit = vivida_smf::kit_of(&of_file.name, part, row.drums).with_layers(layers);
        let chart = Chart::new(part, kit).measured_against(row.grid);
        let source = Arc::new(Source { chart, printed, spans: OnceLock::new() });
        let mut sources = locked(&song.sources);
        if sources.len() >= KEPT_SOURCES {
            sources.clear();
        }
        sources.insert(key, source.clone());
        Ok(source)
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
            picture: self.picture(row)?,
            mended: file.mended.clone(),
        })
    }

    fn picture(&self, row: &SongRow) -> Answer<Option<Picture>> {
        let Some(part) = row.parts.iter().find(|part| part.drums) else { return Ok(None) };
        let opened = self.open_row(row, part.clone(), None)?;
        let performance = opened.play(Ticks(0.0));
        let (file, played) = (&opened.song.file, opened.played(&performance));
        Ok(Some(picture(file, opened.chart(), opened.written(), &played, &performance.hits)))
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
        Ok(SongDetail {
            id,
            revision: row.revision as i32,
            name: row.name.clone(),
            file_name: row.file_name.clone(),
            ppq: file.ppq.get(),
            file_ppq: file.ppq.get() / file.factor,
            bpm: bpm(file),
            metres: file.metre.changes().map(|(bar, metre)| (bar, metre.to_string())).collect(),
            sections: row.sections.clone().unwrap_or_else(|| file.sections()),
            bars: bars(file),
            parts: part_cards(&row, file),
            mended: file.mended.clone(),
            history: self.store().history(Some(id))?,
        })
    }

    /// Sets the sections of a song.
    pub(crate) fn set_sections(&self, id: SongId, change: SectionsChange) -> Answer<SongDetail> {
        let sections = Section::checked(change.sections).map_err(|(field, message)| Problem::field(field, message))?;
        let song = self.load(id)?;
        let bars = song.file.bars();
        if let Some(index) = sections.iter().position(|section| section.to > bars) {
            let message = format!("the song has {bars} bars");
            return Err(Problem::field(format!("sections[{index}].to"), message));
        }
        self.store().set_sections(id, change.revision, sections)?;
        self.song(id)
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

    /// The lines of a grid, swung or not, to be drawn from one tick to another; none where they are too many.
    pub(crate) fn grid_lines(&self, id: SongId, grid: &str, swing: f64, from: f64, to: f64) -> Answer<Vec<f64>> {
        let grid: Grid = grid.parse().map_err(|message| Problem::field("grid", message))?;
        if !(25.0..=80.0).contains(&swing) {
            return Err(Problem::field("swing", format!("{swing} is outside 25 to 80 %")));
        }
        if !(from.is_finite() && to.is_finite()) {
            return Err(Problem::field("from", "a stretch goes from one tick to another"));
        }
        self.store().song_alone(id)?;
        Ok(grid.lines(&self.load(id)?.file.metre, Percent(swing), Ticks(from), Ticks(to), 600))
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

    pub(crate) fn view(&self, name: &str) -> Answer<Value> {
        let text = self.store().view(name)?;
        Ok(text.and_then(|text| serde_json::from_str(&text).ok()).unwrap_or(Value::Null))
    }

    pub(crate) fn set_view(&self, name: &str, value: &Value) -> Answer<()> {
        Ok(self.store().set_view(name, &value.to_string())?)
    }
}

/// The name of the setting that holds the velocity layers of every song.
pub(crate) const LAYERS_SETTING: &str = "kit-layers";

pub(crate) fn recipe(path: &str, value: Value) -> Answer<Recipe> {
    Recipe::from_value(value).map_err(|error| Problem::of_recipe(path, &error))
}

fn part_cards(row: &SongRow, file: &SongFile) -> Vec<PartCard> {
    let card = |part: &PartRow| {
        let first = row.parts.iter().find(|other| other.position == part.position);
        PartCard {
            id: part.id,
            name: part.name.clone().unwrap_or_else(|| file.parts[part.position].name.clone()),
            drums: part.drums,
            muted: part.muted,
            is_second: first.is_some_and(|first| first.id != part.id),
            hits: file.parts[part.position].part.hits().len() as u32,
            passes: part.current().recipe.passes.len() as u32,
        }
    };
    row.parts.iter().map(card).collect()
}
