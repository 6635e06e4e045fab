//! Newer versions of songs: what of them was there before, and what was made of it.

use crate::api::*;
use crate::app::{Answer, App, Loaded};
use crate::problem::Problem;
use crate::songs::part_name;
use crate::writing::{free_id, moved_recipes};
use std::collections::BTreeMap;
use vivida_core::{Matching, Note, Part, Recipe, Refit, Ticks, note_name};
use vivida_smf::{FileRefit, NewTrack, SongFile, read, with_tracks};
use vivida_store::{NewVersion, Reads, SongId, StoredFile, StoredPart, StoredSong};

/// So many changes of a part are listed.
const LISTED: usize = 300;

impl App {
    /// What would come of a newer file for a song.
    pub(crate) fn preview_file(&self, id: SongId, file_name: &str, bytes: &[u8]) -> Answer<RefitReport> {
        Ok(self.newer(&self.reading()?, id, file_name, bytes)?.1)
    }

    /// A newer file in the place of a song's own. One step of the song.
    pub(crate) fn replace_file(&self, id: SongId, revision: i64, file_name: &str, bytes: &[u8]) -> Answer<RefitReport> {
        let (report, _) = self.work_out(id, |reading| {
            let (version, report) = self.newer(reading, id, file_name, bytes)?;
            Ok(Box::new(move |change| {
                change.new_version(id, revision, &format!("bring in “{file_name}”"), version)?;
                Ok(report)
            }))
        })?;
        report
    }

    fn newer(
        &self,
        reads: &impl Reads,
        id: SongId,
        file_name: &str,
        bytes: &[u8],
    ) -> Answer<(NewVersion, RefitReport)> {
        let file_name = &match vivida_smf::readable(file_name.as_bytes()) {
            name if name.is_empty() => "song.mid".to_owned(),
            name => name,
        };
        let wrong = |detail: String| Problem { file: Some(file_name.to_owned()), ..Problem::field("file", detail) };
        let row = reads.song(id)?;
        let song = self.load(reads, id)?;
        let old = &song.file;
        if old.is_begun() {
            let detail = "this song was begun here and has no file; add the file’s parts to it instead";
            return Err(wrong(detail.to_owned()));
        }
        let new = read(bytes).map_err(|error| Problem::of_file(file_name, &error))?;
        if new.hits == 0 {
            return Err(wrong(format!("“{file_name}” holds no notes; choose the file with the song in it")));
        }
        let fit = FileRefit::of(old, &new);
        let ids = fit.ids(old, &new, |place| {
            let parts = row.parts.iter().filter(|part| part.position == place);
            let recipes: Vec<&Recipe> = parts.flat_map(|part| part.takes.iter().map(|take| &take.recipe)).collect();
            free_id(&old.parts[place].part, &recipes)
        });
        let FileRefit { matched, refit: found, said } = fit;
        let begun: Vec<usize> = (0..old.parts.len()).filter(|place| old.parts[*place].begun.is_some()).collect();
        let new_place = |position: usize| match begun.iter().position(|place| *place == position) {
            Some(number) => Some(new.parts.len() + number),
            None => matched.iter().find(|(from, _)| *from == position).map(|(_, to)| *to),
        };
        let bytes = match begun.is_empty() {
            true => bytes.to_vec(),
            false => {
                let track = |&place: &usize| {
                    let part = &old.parts[place];
                    NewTrack { name: part.name.clone(), channel: part.channel }
                };
                let tracks: Vec<NewTrack> = begun.iter().map(track).collect();
                let last = old.metre.bar_at(Ticks((song.end().0 - 1.0).max(0.0))).number;
                let last = found.moves.bar(last).unwrap_or(last).max(new.bars());
                let end = new.metre.bar(last + 1).start;
                with_tracks(bytes, &new, &tracks, end).map_err(wrong)?
            }
        };
        let mut version = NewVersion::of(StoredFile { name: file_name.clone(), bytes, ids });
        version.places = row.parts.iter().map(|part| (part.id, new_place(part.position))).collect();
        let taken: Vec<usize> = matched.iter().map(|(_, to)| *to).collect();
        version.new =
            (0..new.parts.len()).filter(|to| !taken.contains(to)).map(|to| (to, new.parts[to].drums)).collect();
        version.sections = row.sections.as_ref().map(|sections| Some(found.moves.sections(sections)));
        let stays: Vec<StoredPart> =
            row.parts.iter().filter(|part| new_place(part.position).is_some()).cloned().collect();
        let (recipes, said_of_passes) = moved_recipes(&stays, &found.moves, &song, &new.metre);
        version.recipes = recipes;
        let otherwise = old.metre != new.metre || !found.moves.is_nothing();
        for take in stays.iter().flat_map(|part| &part.takes).filter(|take| take.is_print && otherwise) {
            if let Some(Ok(hits)) = reads.take_hits(take.id)? {
                let moved = found.moves.part(&hits, &old.metre, &new.metre);
                if moved != hits {
                    version.written.push((take.id, moved));
                }
            }
        }
        let said = said.into_iter().chain(said_of_passes).collect();
        let report = RefitReport {
            file_name: file_name.clone(),
            said,
            parts: self.refit_parts(reads, &row, &song, &new, &matched, &found)?,
        };
        Ok((version, report))
    }

    fn refit_parts(
        &self,
        reads: &impl Reads,
        row: &StoredSong,
        song: &Loaded,
        new: &SongFile,
        matched: &[(usize, usize)],
        found: &Refit,
    ) -> Answer<Vec<RefitPart>> {
        let mut parts = Vec::new();
        for (place, of_file) in song.file.parts.iter().enumerate().filter(|(_, part)| part.begun.is_none()) {
            let stored = row.parts.iter().find(|part| part.position == place);
            let name = stored.map_or_else(|| of_file.name.clone(), |part| part_name(part, song));
            let Some(number) = matched.iter().position(|(from, _)| *from == place) else {
                let gone = of_file.part.hits().len() as u32;
                let fate = RefitFate::Gone;
                parts.push(RefitPart { name, fate, kept: 0, moved: 0, came: 0, gone, changes: Vec::new() });
                continue;
            };
            let to = matched[number].1;
            let kit = match stored {
                Some(part) => {
                    self.open_stored(reads, row, part.clone(), None).ok().map(|opened| opened.chart().kit.clone())
                }
                None => None,
            };
            let name_of = |note: Note| {
                let known = kit.as_ref().and_then(|kit| {
                    let place = kit.lookup().instrument(note, of_file.channel)?;
                    Some(kit.instruments[place].name.clone())
                });
                known.unwrap_or_else(|| note_name(note))
            };
            let matching = &found.parts[number];
            let changes = changes(matching, &of_file.part, &new.parts[to].part, song, new, name_of);
            parts.push(RefitPart {
                name,
                fate: RefitFate::Kept,
                kept: matching.pairs.len() as u32,
                moved: matching.moved.len() as u32,
                came: matching.came.len() as u32,
                gone: matching.gone.len() as u32,
                changes,
            });
        }
        for (place, part) in new.parts.iter().enumerate() {
            if !matched.iter().any(|(_, to)| *to == place) {
                let came = part.part.hits().len() as u32;
                let (name, fate) = (part.name.clone(), RefitFate::New);
                parts.push(RefitPart { name, fate, kept: 0, moved: 0, came, gone: 0, changes: Vec::new() });
            }
        }
        Ok(parts)
    }
}

/// What came, went and moved, by bars and drums; bars as they are counted in the newer file, those of what is gone as
/// they were before.
fn changes(
    matching: &Matching,
    old: &Part,
    new: &Part,
    song: &Loaded,
    newer: &SongFile,
    name_of: impl Fn(Note) -> String,
) -> Vec<RefitChange> {
    let mut counts: BTreeMap<(u32, RefitKind, Note), u32> = BTreeMap::new();
    let mut count = |bar: u32, kind: RefitKind, note: Note| *counts.entry((bar, kind, note)).or_default() += 1;
    let (left, right) = (old.hits(), new.hits());
    let now = |place: usize| newer.metre.bar_at(right[place].tick).number;
    matching.came.iter().for_each(|&place| count(now(place), RefitKind::Came, right[place].note));
    matching.moved.iter().for_each(|&(_, place)| count(now(place), RefitKind::Moved, right[place].note));
    for &place in &matching.gone {
        count(song.file.metre.bar_at(left[place].tick).number, RefitKind::Gone, left[place].note);
    }
    let change = |((bar, kind, note), count)| RefitChange { bar, kind, instrument: name_of(note), count };
    counts.into_iter().take(LISTED).map(change).collect()
}
