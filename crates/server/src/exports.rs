//! Taking songs away: what every part's take makes of them, as MIDI and WAV.

use crate::api::*;
use crate::app::{Answer, App, Loaded, Opened};
use crate::problem::Problem;
use crate::songs::part_name;
use rocket::http::Status;
use std::collections::{BTreeMap, HashSet};
use std::io::{self, Cursor, Seek, Write};
use std::sync::Arc;
use vivida_core::{Kit, MovementOut, Performance, SentApart, Ticks};
use vivida_smf::{
    Arrangement, Export, Resolution, arrange, free_channels, moved_out, movement_said, rounding, taken, write,
};
use vivida_sound::{Mixdown, Recorded, Strip};
use vivida_store::{PartId, Reads, SongId, StoreError, StoredPart, StoredSong};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

/// A song as it stood at one moment, with all of its parts.
struct Snapshot {
    row: StoredSong,
    song: Arc<Loaded>,
    /// In their order. One that cannot be opened says why where it is needed.
    parts: Vec<(StoredPart, Answer<Opened>)>,
}

/// By their places in the file how parts are played, and where hits went that move.
type Apart = (Vec<(usize, Performance)>, Vec<SentApart>);

impl Snapshot {
    /// By place in the file what reads what its parts send.
    fn kits_out(&self) -> BTreeMap<usize, Kit> {
        let opened = self.parts.iter().rev().filter_map(|(part, opened)| Some((part, opened.as_ref().ok()?)));
        let drums = opened.filter(|(part, _)| part.drums && part.kit.is_some());
        drums.map(|(part, opened)| (part.position, opened.chart().listed_kit().outgoing())).collect()
    }

    fn opened(&self, id: PartId) -> Answer<&Opened> {
        let found = self.parts.iter().find(|(part, _)| part.id == id);
        let (_, opened) = found.ok_or(StoreError::NotFound { what: "part of this song", id: id.0 })?;
        opened.as_ref().map_err(Problem::clone)
    }

    /// What goes into the file in the place of its parts: nothing where a part is as it came. With a range, only
    /// what belongs there sounds.
    fn performances(&self, start: Ticks, excerpt: &Excerpt) -> Answer<Vec<(usize, Performance)>> {
        Ok(self.performances_apart(start, excerpt, MovementOut::OwnChannel)?.0)
    }

    /// The same, hits that move on channels of their own, and what came of that.
    fn performances_apart(&self, start: Ticks, excerpt: &Excerpt, how: MovementOut) -> Answer<Apart> {
        let mut free = match how {
            MovementOut::OwnChannel => Vec::new(),
            _ => free_channels(&self.song.file, &self.performances(start, excerpt)?),
        };
        let mut apart = Vec::new();
        let mut performances = Vec::new();
        for parts in self.parts.chunk_by(|(a, _), (b, _)| a.position == b.position) {
            let mut play = |part: &StoredPart| -> Answer<Performance> {
                let opened = self.opened(part.id)?;
                let played = opened.play(start);
                let played = match excerpt.range {
                    Some((from, to)) => played.between(opened.part(), from, to),
                    None => played,
                };
                let (sent, own) = played.sent_apart(opened.chart(), how, &mut free);
                apart.push(own);
                Ok(sent)
            };
            let position = parts[0].0.position;
            if let [(part, opened)] = parts
                && !part.muted
                && !part.current().is_print
            {
                let sends = opened.as_ref().is_ok_and(|opened| opened.chart().kit.sends_otherwise());
                if sends || excerpt.range.is_some() || part.current().recipe.playing().next().is_some() {
                    performances.push((position, play(part)?));
                }
                continue;
            }
            let parts = parts.iter().map(|(part, _)| part);
            // Of several parts in one place the one that is asked for is heard alone, be it muted or not.
            let only = excerpt.part.filter(|id| parts.clone().any(|part| part.id == *id));
            let heard = parts.filter(|part| only.map_or(!part.muted, |id| part.id == id));
            let played = heard.map(&mut play).collect::<Answer<Vec<Performance>>>()?;
            let of_file = self.song.file.parts.get(position);
            let of_file = of_file.ok_or_else(|| Problem::field("part", "the song's file has no such part"))?;
            performances.push((position, Performance::together(played).instead_of(&of_file.part)));
        }
        Ok((performances, apart))
    }
}

impl App {
    /// The song as a Standard MIDI File.
    pub(crate) fn export_midi(
        &self,
        id: SongId,
        export: Export,
        how: MovementOut,
        wanted: &Wanted,
    ) -> Answer<(String, Vec<u8>)> {
        let snapshot = self.snapshot(id)?;
        let song = &snapshot.song;
        let excerpt = excerpt(&snapshot.row, song, wanted)?;
        let (performances, apart) = snapshot.performances_apart(export.start(&song.file), &excerpt, how)?;
        let export = Export { zone: apart.iter().map(|one| one.members).max().unwrap_or(0), ..export };
        let arrangement = Arrangement {
            only: excerpt.position,
            bars: wanted.bars.map(|bars| (bars.from, bars.to)),
            split: wanted.split,
            one_track: wanted.one_track,
            kits: snapshot.kits_out(),
            apart: taken(&song.file, &performances),
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
        if ids.len() > MOST_ZIPPED {
            let detail = format!("{} songs are more than the {MOST_ZIPPED} of one zip file", ids.len());
            return Err(Problem::field("ids", detail));
        }
        let mut zip = Zip::new(Cursor::new(Vec::new()));
        for &id in ids {
            let (name, bytes) = self.export_midi(id, Export::default(), MovementOut::OwnChannel, &Wanted::default())?;
            zip.begin(&name, "mid").and_then(|()| zip.write_all(&bytes)).map_err(not_zipped)?;
        }
        Ok(zip.finish().map_err(not_zipped)?.into_inner())
    }

    /// What exporting would cost.
    pub(crate) fn export_info(&self, id: SongId) -> Answer<ExportInfo> {
        let snapshot = self.snapshot(id)?;
        let file = &snapshot.song.file;
        let with_lead_in = Export { resolution: Resolution::Fine, lead_in: true, ..Export::default() };
        let whole = Excerpt::default();
        let early = snapshot.performances(with_lead_in.start(file), &whole)?;
        let held = early.iter().flat_map(|(_, played)| played.sounding()).filter(|hit| hit.tick < Ticks(0.0)).count();
        let own = Export::default();
        let said = |how| -> Answer<Option<String>> {
            let (performances, apart) = snapshot.performances_apart(Ticks(0.0), &whole, how)?;
            Ok(movement_said(&moved_out(file, &performances), &apart))
        };
        let moves = snapshot.performances(Ticks(0.0), &whole)?;
        let movement = match moved_out(file, &moves).moving {
            0 => None,
            _ => Some(MovementInfo {
                own: said(MovementOut::OwnChannel)?,
                channels: said(MovementOut::ChannelForEach)?,
                mpe: said(MovementOut::Mpe)?,
            }),
        };
        Ok(ExportInfo {
            file_ppq: file.ppq.get() / file.factor,
            fine_ppq: file.ppq.get(),
            rounding: rounding(file, &moves, own).0,
            held_at_start: held as u32,
            smpte: file.smpte,
            movement,
        })
    }

    /// The song played by the built-in kit, as it was written or as it is played: its name and its mixdown, and
    /// that of each instrument where the instruments are wanted.
    pub(crate) fn mixdown(&self, id: SongId, as_written: bool, wanted: &Wanted) -> Answer<Rendering> {
        let snapshot = self.snapshot(id)?;
        let file = &snapshot.song.file;
        let excerpt = excerpt(&snapshot.row, &snapshot.song, wanted)?;
        let from = excerpt.range.map_or(Ticks(0.0), |(from, _)| from);
        let mut all = Vec::new();
        let mut recorded = Vec::new();
        let mut strips = BTreeMap::new();
        let heard = |part: &StoredPart| excerpt.part.map_or(!part.muted, |id| part.id == id);
        for (part, _) in snapshot.parts.iter().filter(|(part, _)| heard(part)) {
            let opened = snapshot.opened(part.id)?;
            let mut played = if as_written { opened.play_written() } else { opened.play(Ticks(0.0)) };
            let number = part.id.0 as u32;
            strips.extend(Strip::of(&played.lanes, opened.full_bend(), &file.tempo, from).map(|strip| (number, strip)));
            if let Some(sound) = self.loop_in_mix(opened, &played, excerpt.range)? {
                recorded.push(Recorded { part: number, start: 0, sound });
                continue;
            }
            if let Some((from, to)) = excerpt.range {
                played = played.between(opened.part(), from, to);
            }
            played = played.by_pedal(&opened.chart().kit);
            all.extend(opened.sounds().strikes(played.hits(), number, &file.tempo, from));
        }
        let mix = Arc::new(self.with_own_sounds(Mixdown::new(all).with_recorded(recorded).with_strips(strips))?);
        if mix.seconds() > LONGEST_WAV {
            let detail = format!(
                "What is played lasts {:.0} minutes; a WAV file is made of an hour at most.",
                mix.seconds() / 60.0
            );
            return Err(Problem::new(Status::UnprocessableEntity, "Too long for a WAV file", detail));
        }
        let stem = |(number, place): (u32, Option<u16>)| -> Answer<(String, Mixdown)> {
            let opened = snapshot.opened(PartId(i64::from(number)))?;
            let drum = place.and_then(|place| opened.chart().kit.instruments.get(usize::from(place)));
            let part = opened.name();
            let name = drum.map_or(part.clone(), |drum| format!("{part}, {}", drum.name));
            Ok((name, mix.stem(number, place)))
        };
        let stems = mix.stems().into_iter().filter(|_| wanted.split).map(stem).collect::<Answer<_>>()?;
        Ok(Rendering { name: excerpt.name, mix, stems })
    }

    fn snapshot(&self, id: SongId) -> Answer<Snapshot> {
        let reading = self.reading()?;
        let row = reading.song(id)?;
        let song = self.load(&reading, id)?;
        let open = |part: &StoredPart| (part.clone(), self.open_stored(&reading, &row, part.clone(), None));
        let parts = row.parts.iter().map(open).collect();
        Ok(Snapshot { row, song, parts })
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
    if let Some(bars) = wanted.bars {
        excerpt.range = Some(song.file.stretch(bars).map_err(|why| Problem::field("bars", why))?);
        excerpt.name = format!("{}, bars {}–{}", excerpt.name, bars.from, bars.to);
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

/// The most songs in one zip file.
const MOST_ZIPPED: usize = 1000;

/// The longest WAV file, in s.
const LONGEST_WAV: f64 = 3600.0;
