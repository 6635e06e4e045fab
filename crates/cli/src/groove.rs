//! Grooves without a browser: taken from a part, or turned from one format into the other.

use crate::commands::{Done, named, read_song, read_text};
use crate::loops::{self, Loop, Said};
use crate::output;
use clap::Args;
use std::io::Write;
use std::path::{Path, PathBuf};
use vivida_core::{BarRange, Extraction, Grid, GrooveFile, GrooveProfile, InstrumentId, PlayedHit};

/// What to take, and where to write it.
#[derive(Args)]
pub struct Options {
    /// A Standard MIDI File, a recorded loop, or a groove as JSON.
    input: PathBuf,
    /// The part, counted from 1 as `inspect` lists them; by default the first drum part.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..))]
    part: Option<u32>,
    /// Only this instrument, by its id as `inspect --json` gives it; may be given several times.
    #[arg(long, value_name = "ID")]
    instrument: Vec<String>,
    /// Only these bars: 5-8. Of a recorded loop: how many bars it lasts.
    #[arg(long, value_name = "BARS")]
    bars: Option<BarRange>,
    /// The length of the groove in bars; later bars are laid over the first ones.
    #[arg(long, default_value_t = 1, value_name = "BARS")]
    length: u32,
    /// The slots; by default the grid that the part seems to be meant for.
    #[arg(long, value_name = "GRID")]
    grid: Option<Grid>,
    /// Where to write: JSON, or a MIDI clip where the name ends in .mid.
    #[arg(short, long, value_name = "FILE")]
    output: PathBuf,
    #[command(flatten)]
    said: Said,
}

pub fn groove(options: Options) -> Done {
    let is_json = ends_in(&options.input, "json");
    let (note, groove) = if is_json { read(&options.input)? } else { take(&options)? };
    let reading = groove.reading();
    let steady = reading.steady.map(|ms| format!(", steady to {ms:.1} ms")).unwrap_or_default();
    let swings = reading.swings.iter().filter(|swing| (swing.percent - 50.0).abs() >= 0.5);
    let swings: String = swings.map(|swing| format!(", {} swung {} %", swing.of, swing.percent)).collect();
    let known = (reading.coverage * 100.0).round();
    let bars = if groove.bars == 1 { "1 bar".to_owned() } else { format!("{} bars", groove.bars) };
    let what = format!("{bars} of {} in {}, {known} % of the slots{steady}{swings}", groove.metre, groove.grid);
    let name = groove.name.clone();
    let written = if ends_in(&options.output, "mid") {
        vivida_smf::clip_of(&groove)
    } else {
        serde_json::to_vec_pretty(&GrooveFile::new(note, groove)).map_err(|error| named(&options.output, error))?
    };
    output::write(&options.output, |out| out.write_all(&written))?;
    output::say(&format!("{name}: {what}\n"))
}

fn ends_in(path: &Path, end: &str) -> bool {
    path.extension().is_some_and(|found| found.eq_ignore_ascii_case(end))
}

fn read(path: &Path) -> Result<(String, GrooveProfile), String> {
    let text = read_text(path)?;
    let file = GrooveFile::parse(&text).map_err(|error| named(path, error))?;
    Ok((file.note, file.groove))
}

fn take(options: &Options) -> Result<(String, GrooveProfile), String> {
    if loops::is_sound(&options.input) {
        return take_of_loop(options);
    }
    let (_, song) = read_song(&options.input)?;
    let wanted = match options.part {
        Some(number) => number as usize - 1,
        None => song.parts.iter().position(|part| part.drums).unwrap_or(0),
    };
    let part = song.parts.get(wanted).ok_or_else(|| {
        named(&options.input, format!("there is no part {}; the file has {}", wanted + 1, song.parts.len()))
    })?;
    let hits: Vec<PlayedHit> = part.part.hits().iter().map(PlayedHit::as_written).collect();
    let take = Extraction { bars: options.bars, ..extraction(options) };
    let chart = part.chart(part.drums);
    let taken = GrooveProfile::taken(&part.name, &chart, &song.tempo, &song.metre, &hits, &take)
        .map_err(|error| named(&options.input, error))?;
    for said in taken.said {
        output::note(&options.input, &said);
    }
    Ok((format!("Taken from {}.", options.input.display()), taken.groove))
}

fn extraction(options: &Options) -> Extraction {
    Extraction {
        instruments: options.instrument.iter().map(InstrumentId::new).collect(),
        grid: options.grid,
        length: options.length,
        bars: None,
    }
}

fn take_of_loop(options: &Options) -> Result<(String, GrooveProfile), String> {
    let found = Loop::read(&options.input, loops::count(options.bars)?, &options.said)?;
    let own = found.part()?;
    let hits: Vec<PlayedHit> = own.part.hits().iter().map(PlayedHit::as_written).collect();
    let name = options.input.file_stem().map_or("Loop".into(), |stem| stem.to_string_lossy());
    let taken = GrooveProfile::taken(&name, &own.chart, &own.tempo, &own.metre, &hits, &extraction(options))
        .map_err(|error| named(&options.input, error))?;
    for said in taken.said {
        output::note(&options.input, &said);
    }
    Ok((format!("Taken from {}.", options.input.display()), taken.groove))
}
