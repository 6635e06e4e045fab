//! Songs, on the shelf and in the workspace.

use crate::answers::{bars, picture};
use crate::api::*;
use crate::app::{Answer, App, Loaded};
use crate::problem::Problem;
use serde_json::Value;
use serde_json::value::RawValue;
use std::sync::Arc;
use vivida_core::action::Pull;
use vivida_core::{Grid, Millis, Outline, Percent, Section, Slots, Ticks};
use vivida_smf::read;
use vivida_store::{PartId, Reading, Reads, SongId, Step, StoredPart, StoredSong};

/// What the shelf shows is worked out anew where another version of the program did that.
const CARDS: &str = concat!(env!("CARGO_PKG_VERSION"), " cards 3");

/// So many lines of a grid are told at once: a long song in 32nd triplets.
pub(crate) const MOST_LINES: usize = 50_000;

impl App {
    /// The shelf: one's own songs first, the newest in front; then the demo in its order.
    pub(crate) fn songs(&self) -> Answer<Vec<Box<RawValue>>> {
        let reading = self.reading()?;
        let mut rows = reading.songs()?;
        rows.sort_by_key(|row| (row.is_demo, if row.is_demo { row.id.0 } else { -row.id.0 }));
        rows.iter().map(|row| self.card(&reading, row)).collect()
    }

    pub(crate) fn card_of(&self, reading: &Reading, id: SongId) -> Answer<Box<RawValue>> {
        self.card(reading, &reading.song(id)?)
    }

    /// What the shelf shows of a song, as it was kept or worked out anew.
    fn card(&self, reading: &Reading, row: &StoredSong) -> Answer<Box<RawValue>> {
        if let Some(card) = reading.card(row.id, CARDS)?.and_then(|text| RawValue::from_string(text).ok()) {
            return Ok(card);
        }
        let card = serde_json::value::to_raw_value(&self.fresh_card(reading, row));
        let card = card.map_err(|error| Problem::field("song", error.to_string()))?;
        self.if_free(|change| change.keep_card(row.id, row.stamp, CARDS, card.get()));
        Ok(card)
    }

    fn fresh_card(&self, reading: &Reading, row: &StoredSong) -> SongCard {
        let mut card = SongCard {
            id: row.id,
            revision: row.revision as i32,
            name: row.name.clone(),
            file_name: row.file_name.clone(),
            is_demo: row.is_demo,
            bpm: 0.0,
            tempo_changes: false,
            metres: Vec::new(),
            bars: 0,
            seconds: 0.0,
            parts: Vec::new(),
            picture: None,
            mended: Vec::new(),
            damage: row.damage.as_ref().map(|damage| format!("its sections: {}", damage.reason)),
        };
        let song = match self.load(reading, row.id) {
            Ok(song) => song,
            Err(problem) => {
                card.damage = Some(problem.detail);
                return card;
            }
        };
        let file = &song.file;
        let last = file.metre.bar(file.bars());
        card.bpm = file.bpm();
        card.tempo_changes = file.tempo.changes().count() > 1;
        card.metres = file.metre.changes().map(|(_, metre)| metre.to_string()).collect();
        card.bars = file.bars();
        card.seconds = file.tempo.seconds(last.start + last.length);
        card.parts = self.part_cards(reading, row, &song);
        card.mended = file.mended.clone();
        // Without a picture rather than without a card.
        card.picture = self.picture(reading, row).ok().flatten();
        card
    }

    fn part_cards(&self, reads: &impl Reads, row: &StoredSong, song: &Loaded) -> Vec<PartCard> {
        let card = |part: &StoredPart| {
            let first = row.parts.iter().find(|other| other.position == part.position);
            let of_file = song.file.parts.get(part.position);
            let missing = || Some("the song's file has no such part".to_owned());
            let printed = part.current().is_print.then(|| self.open_stored(reads, row, part.clone(), None));
            let hits = match printed {
                Some(Ok(opened)) => opened.part().hits().len(),
                _ => of_file.map_or(0, |one| one.part.hits().len()),
            };
            PartCard {
                id: part.id,
                revision: part.revision as i32,
                name: part_name(part, song),
                drums: part.drums,
                muted: part.muted,
                is_second: first.is_some_and(|first| first.id != part.id),
                hits: hits as u32,
                passes: part.current().recipe.passes.len() as u32,
                damage: damage_of(part).or_else(|| if of_file.is_none() { missing() } else { None }),
            }
        };
        row.parts.iter().map(card).collect()
    }

    fn picture(&self, reading: &Reading, row: &StoredSong) -> Answer<Option<Picture>> {
        let Some(part) = row.parts.iter().filter(|part| part.drums).min_by_key(|part| part.muted) else {
            return Ok(None);
        };
        let opened = self.open_stored(reading, row, part.clone(), None)?;
        let performance = opened.play(Ticks(0.0));
        let played = opened.played(&performance);
        Ok(Some(picture(&opened.song.file, opened.chart(), opened.written(), &played, &performance)))
    }

    /// Puts a file on the shelf.
    pub(crate) fn add_song(&self, file_name: &str, bytes: &[u8]) -> Answer<Box<RawValue>> {
        let file_name = match vivida_smf::readable(file_name.as_bytes()) {
            name if name.is_empty() => "song.mid".to_owned(),
            name => name,
        };
        let file = read(bytes).map_err(|error| Problem::of_file(&file_name, &error))?;
        let lower = file_name.to_lowercase();
        let ending = [".midi", ".mid", ".smf"].iter().find(|ending| lower.ends_with(**ending)).map_or(0, |e| e.len());
        let stem =
            file_name.get(..file_name.len() - ending).filter(|stem| !stem.trim().is_empty()).unwrap_or(&file_name);
        let (id, reading) = self.changed(|change| change.add_song(stem, &file_name, bytes, &file))?;
        self.card_of(&reading, id)
    }

    /// The bytes that a song came in as, and the name of their file.
    pub(crate) fn original(&self, id: SongId) -> Answer<(String, Vec<u8>)> {
        let reading = self.reading()?;
        let file = reading.file(reading.song_alone(id)?.file)?;
        Ok((file.name, file.bytes))
    }

    pub(crate) fn rename(&self, id: SongId, request: &SongChange) -> Answer<Box<RawValue>> {
        let ((), reading) = self.changed(|change| change.rename(id, request.revision, &request.name))?;
        self.card_of(&reading, id)
    }

    pub(crate) fn duplicate(&self, id: SongId) -> Answer<Box<RawValue>> {
        let (copy, reading) = self.changed(|change| change.duplicate(id))?;
        self.card_of(&reading, copy)
    }

    pub(crate) fn delete(&self, id: SongId, revision: i64) -> Answer<()> {
        Ok(self.change(|change| change.delete(id, revision))?)
    }

    /// Takes several songs off the shelf, or none of them.
    pub(crate) fn delete_songs(&self, request: &SongsToDelete) -> Answer<()> {
        let songs: Vec<(SongId, i64)> = request.songs.iter().map(|one| (one.id, one.revision)).collect();
        if songs.is_empty() {
            return Err(Problem::field("songs", "there is no song to delete; name at least one"));
        }
        Ok(self.change(|change| change.delete_songs(&songs))?)
    }

    /// A song in the workspace.
    pub(crate) fn song(&self, id: SongId) -> Answer<SongDetail> {
        self.song_in(&self.reading()?, id)
    }

    pub(crate) fn song_in(&self, reads: &impl Reads, id: SongId) -> Answer<SongDetail> {
        let row = reads.song(id)?;
        let song = self.load(reads, id)?;
        let file = &song.file;
        Ok(SongDetail {
            id,
            revision: row.revision as i32,
            name: row.name.clone(),
            file_name: row.file_name.clone(),
            ppq: file.ppq.get(),
            file_ppq: file.ppq.get() / file.factor,
            bpm: file.bpm(),
            metres: file.metre.changes().map(|(bar, metre)| (bar, metre.to_string())).collect(),
            sections: row.sections.clone().unwrap_or_else(|| file.sections()),
            bars: bars(file),
            parts: self.part_cards(reads, &row, &song),
            single_drums: single_drums(&row, &song),
            mended: file.mended.clone(),
            outline: file.is_begun().then(|| Outline::of(file.bars(), &file.tempo, &file.metre)),
            history: reads.history(Some(id))?,
        })
    }

    /// Sets the sections of a song.
    pub(crate) fn set_sections(&self, id: SongId, request: SectionsChange) -> Answer<SongDetail> {
        let sections = Section::checked(request.sections).map_err(|(field, message)| Problem::field(field, message))?;
        let bars = self.load(&self.reading()?, id)?.file.bars();
        if let Some(index) = sections.iter().position(|section| section.to > bars) {
            let message = format!("the song has {bars} bars");
            return Err(Problem::field(format!("sections[{index}].to"), message));
        }
        let ((), reading) = self.changed(|change| change.set_sections(id, request.revision, sections))?;
        self.song_in(&reading, id)
    }

    /// The slots of bars like bar `number`, to choose positions from.
    pub(crate) fn slots(&self, id: SongId, number: u32, grid: &str, bars: u32) -> Answer<Slots> {
        let grid: Grid = grid.parse().map_err(|message| Problem::field("grid", message))?;
        if !(1..=4).contains(&bars) {
            return Err(Problem::field("bars", "a pattern has 1 to 4 bars"));
        }
        Ok(Slots::of(&self.read_song(id)?.file.metre, number, grid, bars))
    }

    /// The lines of a grid, swung or not, to be drawn from one tick to another; none where they are too many.
    pub(crate) fn grid_lines(&self, id: SongId, asked: &GridLinesAsked) -> Answer<GridLines> {
        let grid: Grid = asked.grid.parse().map_err(|message| Problem::field("grid", message))?;
        for (field, value) in [("swing", asked.swing), ("forgive", asked.forgive), ("reach", asked.reach)] {
            // A query can say NaN; JSON, as which settings are checked, cannot.
            if value.is_some_and(|value| !value.is_finite()) {
                return Err(Problem::field(field, "give a number"));
            }
        }
        let pull = Pull {
            grid,
            swing: Percent(asked.swing.unwrap_or(50.0)),
            forgive: Millis(asked.forgive.unwrap_or(0.0)),
            reach: asked.reach.map(Millis),
            ..Pull::default()
        };
        let rule = pull.moves().map_err(|(field, message)| Problem::field(field, message))?;
        let (from, to) = (asked.from, asked.to);
        let good = |tick: f64| tick.abs() <= 1e12;
        if !(good(from) && good(to)) {
            return Err(Problem::field("from", "a stretch goes from one tick of the song to another"));
        }
        let file = &self.read_song(id)?.file;
        let lines = grid.lines(&file.metre, rule.swing, Ticks(from), Ticks(to), MOST_LINES);
        Ok(GridLines { left_alone: rule.left_alone(&file.tempo, &lines), lines })
    }

    /// A song that is not deleted, read.
    fn read_song(&self, id: SongId) -> Answer<Arc<Loaded>> {
        self.load(&self.reading()?, id)
    }

    /// Undo or redo, of a song or of the shelf.
    pub(crate) fn travel(&self, song: Option<SongId>, back: bool) -> Answer<Travelled> {
        if let Some(id) = song {
            self.warm_song(id)?;
        }
        let (label, reading) = self.changed(|change| if back { change.undo(song) } else { change.redo(song) })?;
        self.travelled(&reading, song, label)
    }

    /// The steps of a song, the newest first.
    pub(crate) fn steps(&self, song: SongId) -> Answer<Vec<Step>> {
        let reading = self.reading()?;
        reading.song_alone(song)?;
        Ok(reading.steps(song)?)
    }

    /// Goes to where a song stood after one of its steps.
    pub(crate) fn travel_to(&self, song: SongId, step: i64) -> Answer<Travelled> {
        self.warm_song(song)?;
        let (steps, reading) = self.changed(|change| {
            change.song_alone(song)?;
            change.travel_to(song, step)
        })?;
        let label = (steps > 0).then(|| format!("{steps} {}", if steps == 1 { "step" } else { "steps" }));
        self.travelled(&reading, Some(song), label)
    }

    fn travelled(&self, reading: &Reading, song: Option<SongId>, label: Option<String>) -> Answer<Travelled> {
        let mut travelled =
            Travelled { label, song: None, parts: Vec::new(), pockets: Vec::new(), history: reading.history(song)? };
        if let Some(id) = song {
            travelled.song = Some(self.song_in(reading, id)?);
            travelled.parts = self.part_states(reading, id)?;
            travelled.pockets = self.pockets_in(reading, id)?;
        }
        Ok(travelled)
    }

    pub(crate) fn view(&self, name: &str) -> Answer<Value> {
        let text = self.reading()?.view(name)?;
        Ok(text.and_then(|text| serde_json::from_str(&text).ok()).unwrap_or(Value::Null))
    }

    pub(crate) fn set_view(&self, name: &str, value: &Value) -> Answer<()> {
        /// How a screen was left is a few words; more is none.
        const MOST: usize = 64 << 10;
        let text = value.to_string();
        if text.len() > MOST || name.len() > 200 {
            return Err(Problem::field("view", "how a screen was left takes at most 64 KiB, and a short name"));
        }
        Ok(self.change(|change| change.set_view(name, &text))?)
    }
}

/// So many parts of one drum each make a kit.
const FEWEST_SINGLE_DRUMS: usize = 3;

/// The parts of a kit that came as a track for every drum.
fn single_drums(row: &StoredSong, song: &Loaded) -> Vec<PartId> {
    let is_one = |part: &&StoredPart| {
        let of_file = song.file.parts.get(part.position);
        !part.muted && !part.current().is_print && of_file.is_some_and(|one| one.part.is_one_drum(part.drums))
    };
    let found: Vec<PartId> = row.parts.iter().filter(is_one).map(|part| part.id).collect();
    if found.len() < FEWEST_SINGLE_DRUMS { Vec::new() } else { found }
}

/// The person's own name for a part, else the file's.
pub(crate) fn part_name(part: &StoredPart, song: &Loaded) -> String {
    let of_file = || song.file.parts.get(part.position).map(|one| one.name.clone());
    part.name.clone().or_else(of_file).unwrap_or_else(|| format!("Part {}", part.id.0))
}

/// What of a part or of the take that is worked on cannot be read.
pub(crate) fn damage_of(part: &StoredPart) -> Option<String> {
    let own = part.damage.as_ref().map(|damage| damage.reason.clone());
    own.or_else(|| part.current().damage.as_ref().map(|damage| format!("its passes: {}", damage.reason)))
}
