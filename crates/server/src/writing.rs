//! Songs that begin here: their bars, and what is drawn in their parts.

use crate::api::*;
use crate::app::{Answer, App, Loaded, Make, Opened};
use crate::problem::Problem;
use std::collections::BTreeSet;
use std::sync::Arc;
use vivida_core::{Action, BarMoves, Chart, HitId, Outline, Paper, Part, Recipe, Ticks};
use vivida_smf::{NewTrack, SongFile, begin, read, with_tracks};
use vivida_store::{
    Change, NewVersion, OwnPart, PartId, Reading, Reads, SongId, StoredFile, StoredPart, StoredTake, TakeId,
};

fn wrong((field, message): (String, String)) -> Problem {
    Problem::field(field, message)
}

/// An id that neither a hit nor anything that was done to hits by hand names.
pub(crate) fn free_id(part: &Part, recipes: &[&Recipe]) -> u32 {
    let mut named: BTreeSet<HitId> = BTreeSet::new();
    for pass in recipes.iter().flat_map(|recipe| &recipe.passes) {
        named.extend(pass.aim.picked.iter().flatten());
        if let Action::ByHand(hand) = &pass.action {
            named.extend(hand.moved.iter().map(|one| one.hit));
            named.extend(hand.removed.iter().chain(&hand.recalled));
        }
    }
    let highest = named.range(..HitId::FIRST_BY_HAND).next_back();
    part.free_id().max(highest.map_or(0, |id| id.get() as u32 + 1))
}

impl App {
    /// Puts a song on the shelf that begins with nothing but bars.
    pub(crate) fn begin_song(&self, request: &BeginRequest) -> Answer<Box<serde_json::value::RawValue>> {
        request.outline.check().map_err(|(field, message)| Problem::field(format!("outline.{field}"), message))?;
        let drums = NewTrack { name: "Drums".to_owned(), channel: vivida_core::Channel::PERCUSSION };
        let bytes = begin(&request.outline, &[drums]);
        let file = read(&bytes).map_err(|error| Problem::of_file("the new song", &error))?;
        let begin = |change: &mut Change<'_>| change.begin_song(&request.name, &bytes, &file, request.kit);
        let (id, reading) = self.changed(begin)?;
        self.card_of(&reading, id)
    }

    /// Draws in a part that was begun here: another Written, one step.
    pub(crate) fn write(&self, id: PartId, request: &WriteRequest) -> Answer<PartDetail> {
        /// Strokes come one by one; many at once are a program's.
        const MOST: usize = 200;
        if request.drawings.is_empty() || request.drawings.len() > MOST {
            return Err(Problem::field("drawings", format!("draw 1 to {MOST} strokes at once")));
        }
        let label = vivida_smf::readable(request.label.as_bytes());
        self.changing_once(id, request.key.as_deref(), |reading| {
            reading.expected_part(id, request.revision)?;
            let opened = self.open_in(reading, id, None)?;
            if !opened.is_drawn() {
                let detail = "this part is as its file has it; what is drawn in it is a gesture, by hand";
                return Err(Problem::field("drawings", detail));
            }
            let part = drawn(&opened, request)?;
            let label = &label;
            Ok(Box::new(move |change| Ok(change.write(id, request.revision, label, &part, None)?)))
        })?;
        self.part_detail(id)
    }

    /// Other bars, tempo or metre for a song that was begun here. Hits stay where they are.
    pub(crate) fn set_outline(&self, id: SongId, request: &OutlineRequest) -> Answer<SongDetail> {
        let outline = &request.outline;
        let check = |outline: &Outline| {
            outline.check().map_err(|(field, message)| Problem::field(format!("outline.{field}"), message))
        };
        check(outline)?;
        self.rewriting(id, request.revision, |reading, song| {
            let mut outline = outline.clone();
            let end = self.last_hit(reading, id)?;
            let (_, metre) = outline.maps();
            let needed = metre.bar_at(Ticks((end.0 - 1.0).max(0.0))).number;
            if outline.bars < needed {
                if outline.bars < song.file.bars() {
                    let detail = format!("there are hits up to bar {needed}; take those bars out first");
                    return Err(Problem::field("outline.bars", detail));
                }
                // Other metres: what was played there takes more bars.
                outline.bars = needed;
                check(&outline)?;
            }
            let row = reading.song(id)?;
            let sections = row.sections.as_ref().map(|sections| {
                let mut kept = sections.clone();
                kept.retain(|section| section.from <= outline.bars);
                kept.iter_mut().for_each(|section| section.to = section.to.min(outline.bars));
                Some(kept)
            });
            let version = NewVersion { sections, ..NewVersion::of(self.with_outline(reading, id, song, &outline)?) };
            Ok(("tempo and bars", version))
        })
    }

    /// Bars inserted, repeated, moved or taken out of a song that was begun here, with all that is said of bars.
    pub(crate) fn edit_bars(&self, id: SongId, request: &BarsRequest) -> Answer<SongDetail> {
        self.rewriting(id, request.revision, |reading, song| {
            if reading.song(id)?.parts.iter().any(|part| part.audio.is_some()) {
                let detail = "a recorded loop lies in this song and does not move with its bars; \
                              make a part for the kit of it, and delete the loop, before bars are moved";
                return Err(Problem::field("edit", detail));
            }
            let bars = song.file.bars();
            let plan = request.edit.plan(bars).map_err(|(field, message)| wrong((format!("edit.{field}"), message)))?;
            let before = Outline::of(bars, &song.file.tempo, &song.file.metre);
            let outline = plan.outline(&before);
            outline.check().map_err(wrong)?;
            let (_, metre) = outline.maps();
            let moves = plan.moves(bars);
            let row = reading.song(id)?;
            let mut version = NewVersion::of(self.with_outline(reading, id, song, &outline)?);
            version.sections = row.sections.as_ref().map(|sections| Some(moves.sections(sections)));
            for part in &row.parts {
                for take in &part.takes {
                    let Some(hits) = reading.take_hits(take.id)?.and_then(Result::ok) else { continue };
                    let free = free_id(&hits, &[&take.recipe]);
                    let moved = plan.part(&hits, &song.file.metre, &metre, free);
                    check_size(&moved)?;
                    if moved != hits {
                        version.written.push((take.id, moved));
                    }
                }
            }
            version.recipes = moved_recipes(&row.parts, &moves, song, &metre).0;
            Ok((label_of(request.edit), version))
        })
    }

    /// Adds the parts of a file to a song: those of drums, or all where there are none.
    pub(crate) fn add_parts(&self, id: SongId, revision: i64, file_name: &str, bytes: &[u8]) -> Answer<SongDetail> {
        let source = read(bytes).map_err(|error| Problem::of_file(file_name, &error))?;
        let (added, reading) = self.work_out(id, |reading| self.added(reading, id, revision, file_name, &source))?;
        added?;
        self.song_in(&reading, id)
    }

    /// A song with the parts of another file.
    fn added<'a>(
        &self,
        reading: &Reading,
        id: SongId,
        revision: i64,
        file_name: &'a str,
        source: &SongFile,
    ) -> Answer<Make<'a, ()>> {
        let mut chosen: Vec<_> =
            source.parts.iter().filter(|part| part.drums && !part.part.hits().is_empty()).collect();
        if chosen.is_empty() {
            chosen = source.parts.iter().filter(|part| !part.part.hits().is_empty()).collect();
        }
        if chosen.is_empty() {
            let detail = format!("“{file_name}” holds no notes; choose a file with a part in it");
            return Err(Problem { file: Some(file_name.to_owned()), ..Problem::field("file", detail) });
        }
        let song = self.load(reading, id)?;
        let scale = song.file.ppq.as_f64() / source.ppq.as_f64();
        let hits_of = |part: &Part| {
            let hits = part.hits().iter().zip(0..).map(|(hit, number)| vivida_core::Hit {
                id: HitId::new(number),
                tick: (hit.tick * scale).rounded(),
                length: Ticks((hit.length.0 * scale).round().max(1.0)),
                ..*hit
            });
            Part::new(hits.collect())
        };
        let tracks: Vec<NewTrack> =
            chosen.iter().map(|part| NewTrack { name: part.name.clone(), channel: part.channel }).collect();
        let hits: Vec<Part> = chosen.iter().map(|part| hits_of(&part.part)).collect();
        let last = hits.iter().map(|part| part.end().0).fold(0.0, f64::max);
        hits.iter().try_for_each(check_size)?;
        let metre = &song.file.metre;
        let needed = metre.bar_at(Ticks((last - 1.0).max(0.0))).number;
        if needed > vivida_smf::MOST_BARS {
            let detail = format!("it lasts {needed} bars; {} are the most of a song", vivida_smf::MOST_BARS);
            return Err(Problem { file: Some(file_name.to_owned()), ..Problem::field("file", detail) });
        }
        let stored = reading.song_alone(id)?;
        let own = if song.file.is_begun() && needed > song.file.bars() {
            let outline = Outline { bars: needed, ..Outline::of(needed, &song.file.tempo, metre) };
            outline.check().map_err(wrong)?;
            let longer = self.with_outline(reading, id, &song, &outline)?;
            let file = read(&longer.bytes).map_err(|error| Problem::of_file(file_name, &error))?;
            (longer.bytes, file)
        } else {
            (song.bytes.clone(), song.file.clone())
        };
        let end = metre.bar(needed.max(song.file.bars()) + 1).start;
        let bytes = with_tracks(&own.0, &own.1, &tracks, end).map_err(|why| Problem::field("file", why))?;
        let first = song.file.parts.len();
        let mut version = NewVersion::of(StoredFile { bytes, ..reading.file(stored.file)? });
        for (number, (part, hits)) in chosen.iter().zip(hits).enumerate() {
            let position = first + number;
            version.own.push(OwnPart { position, name: None, drums: part.drums, hits, kit: None, audio: None });
        }
        let label = format!("add {} from “{file_name}”", if chosen.len() == 1 { "a part" } else { "parts" });
        Ok(Box::new(move |change| Ok(change.new_version(id, revision, &label, version)?)))
    }

    /// Another file for a song that was begun here, and what follows from it.
    fn rewriting<'a>(
        &self,
        id: SongId,
        revision: i64,
        make: impl Fn(&Reading, &Arc<Loaded>) -> Answer<(&'a str, NewVersion)>,
    ) -> Answer<SongDetail> {
        let (rewritten, reading) = self.work_out(id, |reading| {
            let song = self.load(reading, id)?;
            if !song.file.is_begun() {
                let detail = "the bars of this song are its file's; draw in its parts, or bring in a newer file";
                return Err(Problem::field("song", detail));
            }
            let (label, version) = make(reading, &song)?;
            Ok(Box::new(move |change| Ok(change.new_version(id, revision, label, version)?)))
        })?;
        rewritten?;
        self.song_in(&reading, id)
    }

    /// The file of a song that was begun here with another outline.
    fn with_outline(&self, reads: &impl Reads, id: SongId, song: &Loaded, outline: &Outline) -> Answer<StoredFile> {
        let tracks: Vec<NewTrack> =
            song.file.parts.iter().map(|part| NewTrack { name: part.name.clone(), channel: part.channel }).collect();
        let kept = reads.file(reads.song_alone(id)?.file)?;
        Ok(StoredFile { bytes: begin(outline, &tracks), ..kept })
    }

    /// Where the last hit of all takes ends.
    fn last_hit(&self, reads: &impl Reads, id: SongId) -> Answer<Ticks> {
        let mut last = Ticks(0.0);
        for take in reads.song(id)?.parts.iter().flat_map(|part| &part.takes) {
            if let Some(Ok(hits)) = reads.take_hits(take.id)? {
                // Where the last one begins: what rings on needs no bar.
                let begins = hits.hits().last().map_or(Ticks(0.0), |hit| hit.tick + Ticks(1.0));
                last = if begins > last { begins } else { last };
            }
        }
        Ok(last)
    }
}

/// The passes of all takes that change where bars move, and what is to be said of them.
pub(crate) fn moved_recipes(
    parts: &[StoredPart],
    moves: &BarMoves,
    song: &Loaded,
    metre: &vivida_core::MetreMap,
) -> (Vec<(TakeId, Recipe)>, Vec<String>) {
    let (mut recipes, mut said) = (Vec::new(), Vec::new());
    let readable = |take: &&StoredTake| take.damage.is_none();
    for take in parts.iter().flat_map(|part| &part.takes).filter(readable) {
        let (recipe, more) = moves.recipe(&take.recipe, &song.file.metre, metre);
        if recipe != take.recipe {
            recipes.push((take.id, recipe));
        }
        said.extend(more);
    }
    (recipes, said)
}

fn label_of(edit: vivida_core::BarsEdit) -> &'static str {
    use vivida_core::BarsEdit;
    match edit {
        BarsEdit::Insert { .. } => "insert bars",
        BarsEdit::Delete { .. } => "delete bars",
        BarsEdit::Move { .. } => "move bars",
        BarsEdit::Repeat { .. } => "repeat bars",
    }
}

pub(crate) fn check_size(part: &Part) -> Answer<()> {
    let hits = part.hits().len();
    if hits <= Part::MOST_WRITTEN {
        return Ok(());
    }
    let detail = format!("{hits} hits are more than the {} of a part that is written here", Part::MOST_WRITTEN);
    Err(Problem::field("hits", detail))
}

/// The Written of a part after strokes of the pencil.
fn drawn(opened: &Opened, request: &WriteRequest) -> Answer<Part> {
    let mut part = opened.part().clone();
    let kit = &opened.chart().kit;
    for (place, drawing) in request.drawings.iter().enumerate() {
        let chart = Chart::new(&part, kit.clone());
        let standing = part.standing();
        let metre = &opened.song.file.metre;
        let paper = Paper { chart: &chart, metre, standing: &standing, end: opened.song.end() };
        let edits = drawing
            .edits(&paper)
            .map_err(|(field, message)| Problem::field(format!("drawings[{place}].{field}"), message))?;
        part = part.drawn(&edits, free_id(&part, &[&opened.take.recipe]));
        check_size(&part)?;
    }
    Ok(part)
}
