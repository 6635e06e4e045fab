//! Taking songs away: what every part's take makes of them, as MIDI and WAV.

use crate::api::*;
use crate::app::{Answer, App, Loaded};
use crate::problem::Problem;
use crate::songs::part_name;
use rocket::http::Status;
use std::collections::{BTreeMap, HashSet};
use std::io::{self, Cursor, Seek, Write};
use std::sync::Arc;
use vivida_core::{BarRange, Performance, PlayedHit, Recipe, Ticks};
use vivida_smf::{Arrangement, Export, Resolution, arrange, rounding, write};
use vivida_sound::{Mixdown, Strike, strikes};
use vivida_store::{PartId, Reads, SongId, StoreError, StoredPart, StoredSong};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

impl App {
    /// What goes into the file in the place of its parts: nothing where a part is as it came. With a range, only
    /// what belongs there sounds.
    fn performances(&self, row: &StoredSong, start: Ticks, excerpt: &Excerpt) -> Answer<Vec<(usize, Performance)>> {
        let mut performances = Vec::new();
        for parts in row.parts.chunk_by(|a, b| a.position == b.position) {
            let opened = |part: &StoredPart| self.open_stored(&*self.store(), row, part.clone(), None);
            let play = |part: &StoredPart| -> Answer<Performance> {
                let opened = opened(part)?;
                let played = opened.play(start);
                Ok(match excerpt.range {
                    Some((from, to)) => played.between(opened.part(), from, to),
                    None => played,
                })
            };
            let position = parts[0].position;
            if let [part] = parts
                && !part.muted
                && !part.current().is_print
            {
                if excerpt.range.is_some() || part.current().recipe.passes.iter().any(|pass| pass.on) {
                    performances.push((position, play(part)?));
                }
                continue;
            }
            // Of several parts in one place the one that is asked for is heard alone, be it muted or not.
            let only = excerpt.part.filter(|id| parts.iter().any(|part| part.id == *id));
            let heard = parts.iter().filter(|part| only.map_or(!part.muted, |id| part.id == id));
            let played = heard.map(play).collect::<Answer<Vec<Performance>>>()?;
            let own = opened(&parts[0])?;
            performances.push((position, Performance::together(played).instead_of(&own.file_part().part)));
        }
        Ok(performances)
    }

    /// The song as a Standard MIDI File.
    pub(crate) fn export_midi(&self, id: SongId, export: Export, wanted: &Wanted) -> Answer<(String, Vec<u8>)> {
        let (row, song) = self.song_to_export(id)?;
        let excerpt = excerpt(&row, &song, wanted)?;
        let performances = self.performances(&row, export.start(&song.file), &excerpt)?;
        let arrangement = Arrangement {
            only: excerpt.position,
            bars: wanted.bars.map(|bars| (bars.from, bars.to)),
            split: wanted.split,
            one_track: wanted.one_track,
        };
        let bytes = write(&song.bytes, &song.file, &performances, export);
        Ok((excerpt.name, arrange(&bytes, &song.file, export, &arrangement)))
    }

    /// The hits of a part, before and after, as CSV.
    pub(crate) fn hits_csv(&self, id: PartId) -> Answer<(String, Vec<u8>)> {
        let opened = self.open(id, None)?;
        Ok((opened.name(), crate::table::hits(&opened)?))
    }

    /// Several songs as Standard MIDI Files, zipped.
    pub(crate) fn export_songs(&self, ids: &[SongId]) -> Answer<Vec<u8>> {
        let mut zip = Zip::new(Cursor::new(Vec::new()));
        for &id in ids {
            let (name, bytes) = self.export_midi(id, Export::default(), &Wanted::default())?;
            zip.begin(&name, "mid").and_then(|()| zip.write_all(&bytes)).map_err(not_zipped)?;
        }
        Ok(zip.finish().map_err(not_zipped)?.into_inner())
    }

    /// What exporting would cost.
    pub(crate) fn export_info(&self, id: SongId) -> Answer<ExportInfo> {
        let (row, song) = self.song_to_export(id)?;
        let file = &song.file;
        let with_lead_in = Export { resolution: Resolution::Fine, lead_in: true };
        let whole = Excerpt::default();
        let early = self.performances(&row, with_lead_in.start(file), &whole)?;
        let held = early.iter().flat_map(|(_, played)| played.sounding()).filter(|hit| hit.tick < Ticks(0.0)).count();
        let own = Export::default();
        Ok(ExportInfo {
            file_ppq: file.ppq.get() / file.factor,
            fine_ppq: file.ppq.get(),
            rounding: rounding(file, &self.performances(&row, Ticks(0.0), &whole)?, own).0,
            held_at_start: held as u32,
            smpte: file.smpte,
        })
    }

    /// The song played by the built-in kit, as it was written or as it is played: its name and its mixdown, and
    /// that of each instrument where the instruments are wanted.
    pub(crate) fn mixdown(&self, id: SongId, as_written: bool, wanted: &Wanted) -> Answer<Rendering> {
        let (row, song) = self.song_to_export(id)?;
        let file = &song.file;
        let excerpt = excerpt(&row, &song, wanted)?;
        let from = excerpt.range.map_or(Ticks(0.0), |(from, _)| from);
        let mut all = Vec::new();
        let mut stems: Vec<(String, Vec<Strike>)> = Vec::new();
        for part in row.parts.iter().filter(|part| excerpt.part.map_or(!part.muted, |id| part.id == id)) {
            let mut opened = self.open_stored(&*self.store(), &row, part.clone(), None)?;
            if as_written {
                opened.take.recipe = Recipe::default();
            }
            let mut played = opened.play(Ticks(0.0));
            if let Some((from, to)) = excerpt.range {
                played = played.between(opened.part(), from, to);
            }
            all.extend(strikes(played.hits(), part.drums, &file.tempo, from));
            if !wanted.split {
                continue;
            }
            let name = opened.name();
            let mut own: BTreeMap<Option<usize>, Vec<&PlayedHit>> = BTreeMap::new();
            for hit in played.sounding() {
                own.entry(opened.chart().instrument_of(hit.note, hit.channel)).or_default().push(hit);
            }
            for (place, hits) in own {
                let instrument = place.and_then(|place| opened.chart().kit.instruments.get(place));
                let instrument = instrument.map_or("Other notes", |instrument| &instrument.name);
                let name = if part.drums { format!("{name}, {instrument}") } else { name.clone() };
                stems.push((name, strikes(hits, part.drums, &file.tempo, from)));
            }
        }
        let mix = Arc::new(Mixdown::new(all));
        if mix.seconds() > LONGEST_WAV {
            let detail = format!(
                "What is played lasts {:.0} minutes; a WAV file is made of an hour at most.",
                mix.seconds() / 60.0
            );
            return Err(Problem::new(Status::UnprocessableEntity, "Too long for a WAV file", detail));
        }
        let stems = stems.into_iter().map(|(name, strikes)| (name, mix.stem(strikes))).collect();
        Ok(Rendering { name: excerpt.name, mix, stems })
    }

    fn song_to_export(&self, id: SongId) -> Answer<(StoredSong, Arc<Loaded>)> {
        self.warm_song(id)?;
        let store = self.store();
        let row = store.song(id)?;
        let song = self.load(&*store, id)?;
        Ok((row, song))
    }
}

/// A mixdown, and those of its instruments.
pub(crate) struct Rendering {
    pub name: String,
    pub mix: Arc<Mixdown>,
    /// By their names; none where they are not wanted.
    pub stems: Vec<(String, Mixdown)>,
}

/// What of a song is taken away.
#[derive(Default)]
struct Excerpt {
    name: String,
    part: Option<PartId>,
    /// The place of that part in the file.
    position: Option<usize>,
    range: Option<(Ticks, Ticks)>,
}

fn excerpt(row: &StoredSong, song: &Loaded, wanted: &Wanted) -> Answer<Excerpt> {
    let mut excerpt = Excerpt { name: row.name.clone(), ..Excerpt::default() };
    if let Some(id) = wanted.part {
        let part = row.parts.iter().find(|part| part.id == id);
        let part = part.ok_or(StoreError::NotFound { what: "part of this song", id: id.0 })?;
        excerpt.part = Some(id);
        excerpt.position = Some(part.position);
        excerpt.name = format!("{}, {}", excerpt.name, part_name(part, song));
    }
    if let Some(BarRange { from, to }) = wanted.bars {
        let file = &song.file;
        if from < 1 || to < from || to > file.bars() {
            let detail = format!("bars {from} to {to} are not all there; the song has bars 1 to {}", file.bars());
            return Err(Problem::field("bars", detail));
        }
        if file.format == 2 {
            let detail = "the tracks of a format 2 file are songs of their own; export it whole";
            return Err(Problem::field("bars", detail));
        }
        excerpt.range = Some((file.metre.bar(from).start, file.metre.bar(to + 1).start));
        excerpt.name = format!("{}, bars {from}–{to}", excerpt.name);
    }
    Ok(excerpt)
}

/// A zip file that is being made; no two files in it have one name.
pub(crate) struct Zip<W: Write + Seek> {
    writer: ZipWriter<W>,
    names: HashSet<String>,
}

impl<W: Write + Seek> Zip<W> {
    pub(crate) fn new(out: W) -> Zip<W> {
        Zip { writer: ZipWriter::new(out), names: HashSet::new() }
    }

    /// What is written from now on is a file of this name.
    pub(crate) fn begin(&mut self, name: &str, ending: &str) -> io::Result<()> {
        // A name is no path.
        let plain: String = name.chars().map(|one| if matches!(one, '/' | '\\' | ':') { '_' } else { one }).collect();
        let mut free = format!("{plain}.{ending}");
        let mut number = 1;
        while !self.names.insert(free.to_lowercase()) {
            number += 1;
            free = format!("{plain} {number}.{ending}");
        }
        Ok(self.writer.start_file(free, SimpleFileOptions::default())?)
    }

    pub(crate) fn finish(self) -> io::Result<W> {
        Ok(self.writer.finish()?)
    }
}

impl<W: Write + Seek> Write for Zip<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.writer.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.writer.flush()
    }
}

fn not_zipped(error: io::Error) -> Problem {
    Problem::new(Status::InternalServerError, "Not zipped", format!("The files could not be put together: {error}."))
}

/// The longest WAV file, in s.
const LONGEST_WAV: f64 = 3600.0;
