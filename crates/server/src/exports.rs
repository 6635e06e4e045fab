//! Taking songs away: what every part's take makes of them, as MIDI and WAV.

use crate::api::*;
use crate::app::{Answer, App, Loaded};
use crate::problem::Problem;
use rocket::http::Status;
use std::collections::HashSet;
use std::io::{self, Cursor, Write};
use std::sync::Arc;
use vivida_core::{Performance, Recipe, Ticks};
use vivida_smf::{Export, Resolution, rounding, write};
use vivida_sound::{Mixdown, strikes};
use vivida_store::{Reads, SongId, StoredPart, StoredSong};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

impl App {
    /// What goes into the file in the place of its parts: nothing where a part is as it came.
    fn performances(&self, row: &StoredSong, start: Ticks) -> Answer<Vec<(usize, Performance)>> {
        let mut performances = Vec::new();
        for parts in row.parts.chunk_by(|a, b| a.position == b.position) {
            let opened = |part: &StoredPart| self.open_stored(&*self.store(), row, part.clone(), None);
            let position = parts[0].position;
            if let [part] = parts
                && !part.muted
                && !part.current().is_print
            {
                if part.current().recipe.passes.iter().any(|pass| pass.on) {
                    performances.push((position, opened(part)?.play(start)));
                }
                continue;
            }
            let heard = parts.iter().filter(|part| !part.muted);
            let played = heard.map(|part| Ok(opened(part)?.play(start))).collect::<Answer<Vec<Performance>>>()?;
            let own = opened(&parts[0])?;
            performances.push((position, Performance::together(played).instead_of(&own.file_part().part)));
        }
        Ok(performances)
    }

    /// The song as a Standard MIDI File.
    pub(crate) fn export_midi(&self, id: SongId, export: Export) -> Answer<(String, Vec<u8>)> {
        let (row, song) = self.song_to_export(id)?;
        let performances = self.performances(&row, export.start(&song.file))?;
        Ok((row.name, write(&song.bytes, &song.file, &performances, export)))
    }

    /// Several songs as Standard MIDI Files, zipped.
    pub(crate) fn export_songs(&self, ids: &[SongId]) -> Answer<Vec<u8>> {
        let mut zip = Zip::default();
        for &id in ids {
            let (name, bytes) = self.export_midi(id, Export::default())?;
            zip.add(&name, "mid", &bytes)?;
        }
        zip.finish()
    }

    /// What exporting would cost.
    pub(crate) fn export_info(&self, id: SongId) -> Answer<ExportInfo> {
        let (row, song) = self.song_to_export(id)?;
        let file = &song.file;
        let with_lead_in = Export { resolution: Resolution::Fine, lead_in: true };
        let early = self.performances(&row, with_lead_in.start(file))?;
        let held = early.iter().flat_map(|(_, played)| played.sounding()).filter(|hit| hit.tick < Ticks(0.0)).count();
        let own = Export::default();
        Ok(ExportInfo {
            file_ppq: file.ppq.get() / file.factor,
            fine_ppq: file.ppq.get(),
            rounding: rounding(file, &self.performances(&row, Ticks(0.0))?, own).0,
            held_at_start: held as u32,
            smpte: file.smpte,
        })
    }

    /// The song played by the built-in kit, as it was written or as it is played: its name and its mixdown.
    pub(crate) fn mixdown(&self, id: SongId, as_written: bool) -> Answer<(String, Mixdown)> {
        let (row, song) = self.song_to_export(id)?;
        let file = &song.file;
        let mut all = Vec::new();
        for part in row.parts.iter().filter(|part| !part.muted) {
            let mut opened = self.open_stored(&*self.store(), &row, part.clone(), None)?;
            if as_written {
                opened.take.recipe = Recipe::default();
            }
            all.extend(strikes(opened.play(Ticks(0.0)).hits(), part.drums, &file.tempo, Ticks(0.0)));
        }
        let mix = Mixdown::new(all);
        if mix.seconds() > LONGEST_WAV {
            let detail = format!(
                "What is played lasts {:.0} minutes; a WAV file is made of an hour at most.",
                mix.seconds() / 60.0
            );
            return Err(Problem::new(Status::UnprocessableEntity, "Too long for a WAV file", detail));
        }
        Ok((row.name, mix))
    }

    fn song_to_export(&self, id: SongId) -> Answer<(StoredSong, Arc<Loaded>)> {
        self.warm_song(id)?;
        let store = self.store();
        let row = store.song(id)?;
        let song = self.load(&*store, id)?;
        Ok((row, song))
    }
}

/// A zip file that is being made; no two files in it have one name.
#[derive(Default)]
pub(crate) struct Zip {
    writer: Option<ZipWriter<Cursor<Vec<u8>>>>,
    names: HashSet<String>,
}

impl Zip {
    pub(crate) fn add(&mut self, name: &str, ending: &str, bytes: &[u8]) -> Answer<()> {
        // A name is no path.
        let plain: String = name.chars().map(|one| if matches!(one, '/' | '\\' | ':') { '_' } else { one }).collect();
        let numbered = (2..).map(|number| format!("{plain} {number}.{ending}"));
        let names = std::iter::once(format!("{plain}.{ending}")).chain(numbered);
        let free = names.into_iter().find(|name| !self.names.contains(&name.to_lowercase())).expect("names go on");
        self.names.insert(free.to_lowercase());
        let writer = self.writer.get_or_insert_with(|| ZipWriter::new(Cursor::new(Vec::new())));
        let added = writer.start_file(free, SimpleFileOptions::default().large_file(false));
        added.map_err(io::Error::from).and_then(|()| writer.write_all(bytes)).map_err(not_zipped)
    }

    pub(crate) fn finish(self) -> Answer<Vec<u8>> {
        let writer = self.writer.unwrap_or_else(|| ZipWriter::new(Cursor::new(Vec::new())));
        Ok(writer.finish().map_err(|error| not_zipped(error.into()))?.into_inner())
    }
}

fn not_zipped(error: io::Error) -> Problem {
    Problem::new(Status::InternalServerError, "Not zipped", format!("The files could not be put together: {error}."))
}

/// The longest WAV file, in s.
const LONGEST_WAV: f64 = 3600.0;
