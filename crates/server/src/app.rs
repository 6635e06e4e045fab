//! What the routes call: the store, the songs in use and the engine, put together. What is opened here is worked
//! on in the files beside this one, one for each resource.

use crate::answers::{Span, spans};
use crate::batches::Batches;
use crate::files_of_sound::Sounds;
use crate::findings::Asked;
use crate::problem::Problem;
use crate::renders::Renders;
use lru::LruCache;
use std::num::NonZeroUsize;
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};
use vivida_core::{
    Bench, Chart, Context, Gesture, Kit, LaneKind, LayerBounds, Measured, Part, Performance, PlayedLines, Pockets,
    Recipe, Section, Ticks, perform,
};
use vivida_smf::{SongFile, SongPart, read};
use vivida_sound::KitSounds;
use vivida_store::{
    Change, FileId, KitId, PartId, Readers, Reading, Reads, SongId, Store, StoreError, StoredFile, StoredKit,
    StoredPart, StoredSong, StoredTake, TakeId,
};

/// A song whose file has been read.
pub(crate) struct Loaded {
    pub id: FileId,
    pub bytes: Vec<u8>,
    pub file: SongFile,
    sources: Mutex<LruCache<SourceKey, Arc<Source>>>,
}

impl Loaded {
    /// Where its last bar ends.
    pub fn end(&self) -> Ticks {
        self.file.metre.bar(self.file.bars() + 1).start
    }
}

/// Which Written, taken as drums or as tones, measured against which grid, by which kit and layers.
type SourceKey = (usize, Option<(TakeId, i64)>, bool, Option<String>, Option<(KitId, i64)>, String);

/// The Written of a take as its kit reads it.
pub(crate) struct Source {
    /// Of a printed take; else the file's part.
    printed: Option<Part>,
    /// Why what was printed cannot be read; it is played as the file has it.
    pub damage: Option<String>,
    pub chart: Chart,
    /// When each hit was written to sound, once that was asked for.
    spans: OnceLock<Vec<Span>>,
}

/// So many are kept for each song: while layers are dragged each moment has its own.
const KEPT_SOURCES: NonZeroUsize = NonZeroUsize::new(24).expect("above 0");

/// A take of a part, ready to be played.
pub(crate) struct Opened {
    pub row: StoredPart,
    pub take: StoredTake,
    pub song: Arc<Loaded>,
    pub source: Arc<Source>,
    /// The kit of the library that it has.
    pub kit: Option<StoredKit>,
    pub sections: Vec<Section>,
    pub pockets: Pockets,
}

impl Opened {
    pub fn part(&self) -> &Part {
        self.source.printed.as_ref().unwrap_or(&self.file_part().part)
    }

    pub fn file_part(&self) -> &SongPart {
        &self.song.file.parts[self.row.position]
    }

    pub fn chart(&self) -> &Chart {
        &self.source.chart
    }

    /// Names its Written: where two states agree in it, so do their hits.
    pub fn source_name(&self) -> String {
        format!("{} {} {}", self.song.id.0, self.take.id.0, self.take.written)
    }

    /// Whether what is drawn in it changes its Written: it was begun here.
    pub fn is_drawn(&self) -> bool {
        self.take.is_print && self.file_part().begun.is_some()
    }

    /// What of it cannot be read, besides its passes.
    pub fn damage(&self) -> Option<String> {
        let of_kit = match &self.kit {
            Some(kit) => kit.damage.as_ref().map(|damage| format!("its kit “{}”: {}", kit.kit.name, damage.reason)),
            None if self.row.kit.is_some() => Some("its kit is gone; it is read by General MIDI".to_owned()),
            None => None,
        };
        self.source.damage.clone().or(of_kit)
    }

    /// How it sounds.
    pub fn sounds(&self) -> KitSounds {
        if self.row.drums { KitSounds::of_drums(&self.chart().listed_kit()) } else { KitSounds::of_tones() }
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
            lanes: self.file_part().lanes(),
            ..Context::new(&file.tempo, &file.metre)
        }
    }

    /// The take as it is kept, not before `start`.
    pub fn play(&self, start: Ticks) -> Performance {
        let context = Context { start, ..self.context(self.take.variation) };
        perform(self.part(), self.chart(), &self.take.recipe, &context)
    }

    /// The take without its passes.
    /// How far a full bend goes, in cents: as receivers begin where the file says nothing.
    pub fn full_bend(&self) -> f64 {
        self.file_part().bend_range().unwrap_or(LaneKind::USUAL_BEND)
    }

    pub fn play_written(&self) -> Performance {
        perform(self.part(), self.chart(), &Recipe::default(), &self.context(1))
    }

    pub fn written(&self) -> &Measured {
        Measured::written(self.part(), self.chart(), &self.context(1))
    }

    pub fn played(&self, performance: &Performance) -> Measured {
        Measured::played(self.part(), self.chart(), &self.context(1), performance)
    }

    /// The lines that a performance is played on.
    pub fn lines(&self, performance: &Performance) -> PlayedLines<'_> {
        PlayedLines::of(self.part(), self.chart(), &self.context(1), performance)
    }

    pub fn played_on(&self, performance: &Performance, lines: &PlayedLines<'_>) -> Measured {
        Measured::played_on(self.part(), self.chart(), &self.context(1), performance, lines)
    }

    pub fn name(&self) -> String {
        self.row.name.clone().unwrap_or_else(|| self.file_part().name.clone())
    }

    /// A recipe after what was done to it; also without gestures its hits lie within the song.
    pub fn after(&self, path: &str, recipe: Recipe, gestures: &[Gesture], variation: u32) -> Answer<Recipe> {
        let wrong = |error| Problem::of_recipe(path, &error);
        recipe.check_within(self.song.file.end, &self.song.file.tempo).map_err(wrong)?;
        if gestures.is_empty() {
            return Ok(recipe);
        }
        let context = self.context(variation);
        let bench = Bench::new(self.part(), self.chart(), &context).until(self.song.end());
        bench.after_all(&recipe, gestures).map_err(wrong)
    }
}

/// The store and the songs in use.
pub struct App {
    /// The one that writes.
    store: Mutex<Store>,
    pub(crate) readers: Arc<Readers>,
    /// The one that was used longest ago makes room first.
    loaded: Mutex<LruCache<FileId, Arc<Loaded>>>,
    pub(crate) renders: Renders,
    pub(crate) batches: Batches,
    pub(crate) sounds: Arc<Sounds>,
    pub(crate) asked: Asked,
}

/// How many notes the songs that are kept read may have together, where they are more than one.
const KEPT_HITS: usize = 600_000;

pub(crate) type Answer<T> = Result<T, Problem>;

/// A change that has been worked out.
pub(crate) type Make<'a, T> = Box<dyn FnOnce(&mut Change<'_>) -> Answer<T> + 'a>;

pub(crate) fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    // A panic in another request leaves the database as its last step left it.
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl App {
    /// An app over a store.
    pub fn new(store: Store) -> App {
        let sounds = Arc::new(Sounds::beside(store.folder()));
        App {
            sounds,
            readers: store.readers(),
            store: Mutex::new(store),
            loaded: Mutex::new(LruCache::unbounded()),
            renders: Renders::default(),
            batches: Batches::default(),
            asked: Asked::default(),
        }
    }

    /// Puts the demo songs on the shelf that have never been there.
    pub fn add_demo(&self) -> Result<(), String> {
        for song in vivida_demo::songs() {
            let file = read(&song.bytes).map_err(|error| format!("{}: {error}", song.file_name))?;
            let added = self.change(|change| change.add_demo(song.name, song.file_name, &song.bytes, &file));
            added.map_err(|error| error.to_string())?;
        }
        Ok(())
    }

    /// Tells a second program, which is refused, where this one is.
    pub fn say_address(&self, address: &str) {
        self.store().say_address(address);
    }

    /// What is kept read is of another database.
    pub(crate) fn forget_songs(&self) {
        locked(&self.loaded).clear();
    }

    /// What writes, for what is asked of the database as a whole. Nobody holds it while something is worked out.
    pub(crate) fn store(&self) -> MutexGuard<'_, Store> {
        locked(&self.store)
    }

    /// The shelf as it stands now. Whoever reads waits for nobody who writes.
    pub(crate) fn reading(&self) -> Answer<Reading> {
        Ok(self.readers.read()?)
    }

    /// Makes a change: one transaction, at most one step.
    pub(crate) fn change<T, E: From<StoreError>>(
        &self,
        make: impl FnOnce(&mut Change<'_>) -> Result<T, E>,
    ) -> Result<T, E> {
        self.store().change(make)
    }

    /// Works out a change to a song beside the store, on the song as it stands, and makes it where the song still stands
    /// so, else works it out anew. Nobody waits for what is worked out. What came of it, and the shelf right behind it.
    pub(crate) fn work_out<'a, T>(
        &self,
        song: SongId,
        plan: impl Fn(&Reading) -> Answer<Make<'a, T>>,
    ) -> Answer<(Answer<T>, Reading)> {
        /// Where somebody else comes in between so often, others who write wait for once.
        const TRIES: usize = 3;
        let planned = |reading: &Reading| Ok((reading.song_alone(song)?.stamp, plan(reading)?));
        for _ in 0..TRIES {
            let reading = self.reading()?;
            let (stamp, make) = match planned(&reading) {
                Ok(planned) => planned,
                Err(problem) => return Ok((Err(problem), reading)),
            };
            drop(reading);
            let mut store = self.store();
            if store.song_alone(song).is_ok_and(|row| row.stamp == stamp) {
                let changed = store.change(make);
                return Ok((changed, self.reading()?));
            }
        }
        let mut store = self.store();
        let changed = planned(&self.reading()?).and_then(|(_, make)| store.change(make));
        Ok((changed, self.reading()?))
    }

    /// Keeps what is kept for speed alone, where nobody writes just then.
    pub(crate) fn if_free(&self, make: impl FnOnce(&mut Change<'_>) -> Result<(), StoreError>) {
        if let Ok(mut store) = self.store.try_lock() {
            // Another time it will be.
            let _ = store.change(make);
        }
    }

    /// Makes a change, whether or not it could be made; and the shelf as it stood right behind it, before anybody
    /// else's.
    pub(crate) fn change_then_read<T, E: From<StoreError>>(
        &self,
        make: impl FnOnce(&mut Change<'_>) -> Result<T, E>,
    ) -> (Result<T, E>, Answer<Reading>) {
        let mut store = self.store();
        let changed = store.change(make);
        (changed, self.reading())
    }

    /// Makes a change; what came of it, and the shelf as it stood right behind it.
    pub(crate) fn changed<T, E: From<StoreError>>(
        &self,
        make: impl FnOnce(&mut Change<'_>) -> Result<T, E>,
    ) -> Answer<(T, Reading)>
    where
        Problem: From<E>,
    {
        let (changed, reading) = self.change_then_read(make);
        Ok((changed?, reading?))
    }

    /// A song, read from what the store holds if it is not in use.
    pub(crate) fn load(&self, reads: &impl Reads, id: SongId) -> Answer<Arc<Loaded>> {
        let file = reads.song_alone(id)?.file;
        if let Some(found) = locked(&self.loaded).get(&file) {
            return Ok(found.clone());
        }
        self.keep_read(file, reads.file(file)?)
    }

    /// Reads a song's file and keeps it read, in the place of those that were not used for long.
    fn keep_read(&self, id: FileId, StoredFile { bytes, ids, .. }: StoredFile) -> Answer<Arc<Loaded>> {
        let mut file = read(&bytes).map_err(|error| Problem::of_file("the song as it was kept", &error))?;
        file.name_hits(&ids);
        let song = Arc::new(Loaded { id, bytes, file, sources: Mutex::new(LruCache::new(KEPT_SOURCES)) });
        let mut loaded = locked(&self.loaded);
        loaded.put(id, song.clone());
        while loaded.len() > 1 && loaded.iter().map(|(_, song)| song.file.hits).sum::<usize>() > KEPT_HITS {
            loaded.pop_lru();
        }
        Ok(song)
    }

    /// Reads the song of a part before a change is made to it, so that nobody waits for that.
    pub(crate) fn warm(&self, id: PartId) -> Answer<SongId> {
        let song = self.reading()?.part(id)?.song;
        self.warm_song(song)?;
        Ok(song)
    }

    pub(crate) fn warm_song(&self, song: SongId) -> Answer<()> {
        let (id, file) = {
            let reading = self.reading()?;
            let id = reading.song_alone(song)?.file;
            if locked(&self.loaded).contains(&id) {
                return Ok(());
            }
            (id, reading.file(id)?)
        };
        // What is wrong with it is said where it is used.
        let _ = self.keep_read(id, file);
        Ok(())
    }

    /// A part with the take that is worked on, or another one.
    pub(crate) fn open(&self, id: PartId, take: Option<TakeId>) -> Answer<Opened> {
        self.open_in(&self.reading()?, id, take)
    }

    /// The same, as it is in the midst of a change.
    pub(crate) fn open_in(&self, reads: &impl Reads, id: PartId, take: Option<TakeId>) -> Answer<Opened> {
        let row = reads.part(id)?;
        let song = reads.song_alone(row.song)?;
        self.open_stored(reads, &song, row, take)
    }

    pub(crate) fn open_stored(
        &self,
        reads: &impl Reads,
        song: &StoredSong,
        row: StoredPart,
        take: Option<TakeId>,
    ) -> Answer<Opened> {
        let loaded = self.load(reads, song.id)?;
        let wanted = take.unwrap_or(row.take);
        let take = row.takes.iter().find(|one| one.id == wanted).cloned();
        let take = take.ok_or(StoreError::NotFound { what: "take", id: wanted.0 })?;
        let kit = match row.kit {
            Some(id) => reads.kit_of_part(id)?,
            None => None,
        };
        let source = self.source(reads, &loaded, &row, &take, kit.as_ref())?;
        let sections = song.sections.clone().unwrap_or_else(|| loaded.file.sections());
        let pockets = reads.pockets(song.id)?.into_iter().filter(|pocket| pocket.damage.is_none());
        let pockets = pockets.map(|pocket| (pocket.id, pocket.settings)).collect();
        Ok(Opened { row, take, song: loaded, source, kit, sections, pockets })
    }

    fn source(
        &self,
        reads: &impl Reads,
        song: &Loaded,
        row: &StoredPart,
        take: &StoredTake,
        kit: Option<&StoredKit>,
    ) -> Answer<Arc<Source>> {
        let of_file = song.file.parts.get(row.position).ok_or_else(|| {
            let reason = format!("its file has {} parts, and none in its place", song.file.parts.len());
            StoreError::Damaged { what: format!("part {}", row.id.0), reason }
        })?;
        let kit = kit.filter(|kit| row.drums && kit.damage.is_none());
        let layers = match &row.layers {
            Some(own) => own.clone(),
            None if kit.is_some() => LayerBounds::default(),
            None => shared_layers(reads)?,
        };
        let printed = take.is_print.then_some((take.id, take.written));
        let by = kit.map(|kit| (kit.id, kit.revision));
        let key = (
            row.position,
            printed,
            row.drums,
            row.lines.text(),
            by,
            serde_json::to_string(&layers).unwrap_or_default(),
        );
        if let Some(known) = locked(&song.sources).get(&key) {
            return Ok(known.clone());
        }
        let (printed, damage) = match reads.take_hits(take.id)? {
            Some(Ok(hits)) => (Some(hits), None),
            Some(Err(damage)) => (None, Some(format!("its printed hits: {}", damage.reason))),
            None => (None, None),
        };
        let part = printed.as_ref().unwrap_or(&of_file.part);
        let kit: Kit = match kit {
            Some(kit) => kit.kit.clone().with_unknown(part),
            None => vivida_smf::kit_of(&of_file.name, part, row.drums),
        };
        let chart = Chart::new(part, kit).with_layers(&layers).measured_against(row.lines.clone());
        let source = Arc::new(Source { chart, printed, damage, spans: OnceLock::new() });
        locked(&song.sources).put(key, source.clone());
        Ok(source)
    }
}

/// The name of the setting that holds the velocity layers of every song.
pub(crate) const LAYERS_SETTING: &str = "kit-layers";

/// The velocity layers of parts that have none of their own.
pub(crate) fn shared_layers(reads: &impl Reads) -> Answer<LayerBounds> {
    let text = reads.setting(LAYERS_SETTING)?;
    let layers = text.and_then(|text| serde_json::from_str::<LayerBounds>(&text).ok());
    Ok(layers.filter(|layers| layers.check().is_ok()).unwrap_or_default())
}

pub(crate) fn recipe(path: &str, value: serde_json::Value) -> Answer<Recipe> {
    Recipe::from_value(value).map_err(|error| Problem::of_recipe(path, &error))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A file of so many hits on a kick.
    fn song(hits: usize) -> Vec<u8> {
        let mut track: Vec<u8> = b"\0\x99\x24\x64\x01\x24\0".to_vec();
        track.extend(b"\x01\x24\x64\x01\x24\0".repeat(hits - 1));
        track.extend(b"\0\xff\x2f\0");
        let mut file = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk".to_vec();
        file.extend((track.len() as u32).to_be_bytes());
        file.extend(track);
        file
    }

    /// Every route that reads is asked while a change is being made, and answers. One that waited for the change would
    /// wait for ever: the change waits for the answers.
    #[test]
    fn who_reads_waits_for_no_change() {
        use rocket::http::{Header, Method};
        use rocket::local::blocking::Client;
        use std::sync::mpsc::channel;
        use std::time::Duration;
        let app = Arc::new(App::new(Store::temporary().unwrap()));
        app.add_demo().unwrap();
        let client = Client::untracked(crate::rocket(Arc::clone(&app), 0)).unwrap();
        let reading = client.rocket().routes().filter(|route| route.method == Method::Get);
        let named = |path: String| {
            let values =
                [("<id>", "1"), ("<take>", "1"), ("<other>", "2"), ("<name>", "part-1"), ("<file>", "kick.wav")];
            let path = values.iter().fold(path, |path, (name, value)| path.replace(name, value));
            path.replace("<sound>", &"0".repeat(64))
        };
        let queries = "?grid=1/16&from=0&to=960&count=4&sensitivity=50&ids=1,2&cures=true&bars=1";
        let paths: Vec<String> = reading.map(|route| named(route.uri.path().to_owned()) + queries).collect();
        assert!(paths.len() > 30, "{paths:?}");
        let (say, told) = channel();
        let changing = Arc::clone(&app);
        let (begun, has_begun) = channel();
        let change = std::thread::spawn(move || {
            changing.change(|_| {
                begun.send(()).unwrap();
                // Until all have been answered.
                Ok::<_, StoreError>(told.recv_timeout(Duration::from_secs(120)).is_ok())
            })
        });
        has_begun.recv().unwrap();
        for path in &paths {
            let response = client.get(path).header(Header::new("Host", "127.0.0.1")).dispatch();
            assert!(response.status().code < 500, "{path}: {}", response.status());
            assert!(!change.is_finished(), "{path} waited for the change");
        }
        say.send(()).unwrap();
        assert!(change.join().unwrap().unwrap());
    }

    #[test]
    fn songs_that_were_not_used_for_long_make_room() {
        let app = App::new(Store::temporary().unwrap());
        let bytes = song(250_000);
        let file = read(&bytes).unwrap();
        let add = |name: &str| app.change(|change| change.add_song(name, "a.mid", &bytes, &file)).unwrap();
        let ids = [add("One"), add("Two"), add("Three")];
        for id in ids {
            app.warm_song(id).unwrap();
        }
        let kept = |id: &SongId| {
            let file = app.reading().unwrap().song_alone(*id).unwrap().file;
            locked(&app.loaded).contains(&file)
        };
        assert_eq!(ids.each_ref().map(kept), [false, true, true]);
        app.load(&app.reading().unwrap(), ids[1]).unwrap();
        app.warm_song(ids[0]).unwrap();
        assert_eq!(ids.each_ref().map(kept), [true, true, false]);
    }
}
