//! Grooves without a browser: taken from a part, or turned from one format into the other.

use crate::commands::{NOT_OF_LOOPS, read_song, read_text};
use crate::failure::{self, Done, Failure, named};
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
    /// The length of the groove in bars, 1 to 4; later bars are laid over the first ones. One bar without it.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=4))]
    length: Option<u32>,
    /// The slots: 1/16, 1/8 triplet …; without it the grid that the clip names, or that the part seems to be meant for.
    #[arg(long, value_name = "GRID")]
    grid: Option<Grid>,
    #[command(flatten)]
    said: Said,
    /// Where to write: JSON, or a MIDI clip where the name ends in .mid.
    #[arg(short, long, value_name = "FILE")]
    output: PathBuf,
}

impl Options {
    /// Refuses options that say nothing of what is read.
    fn check(&self) -> Done {
        let of_parts = [("--part", self.part.is_some()), ("--instrument", !self.instrument.is_empty())];
        let of_hits =
            [("--bars", self.bars.is_some()), ("--length", self.length.is_some()), ("--grid", self.grid.is_some())];
        let (refused, why) = if ends_in(&self.input, "json") {
            let of_loops = self.said.given().map(|option| (option, true));
            let all = of_parts.into_iter().chain(of_hits).chain(of_loops);
            (all.collect::<Vec<_>>(), "a groove as JSON is taken as it is")
        } else if loops::is_sound(&self.input) {
            (of_parts.to_vec(), NOT_OF_LOOPS)
        } else {
            (self.said.given().map(|option| (option, true)).into_iter().collect(), loops::OF_LOOPS)
        };
        match refused.into_iter().find(|(_, is_given)| *is_given) {
            Some((option, _)) => Err(Failure::usage(option, why)),
            None => failure::ends_in(&self.output, &["json", "mid", "midi", "smf"], "a groove"),
        }
    }
}

pub fn groove(options: Options) -> Done {
    options.check()?;
    let is_json = ends_in(&options.input, "json");
    let (note, groove) = if is_json { read(&options.input)? } else { take(&options)? };
    let reading = groove.reading();
    let steady = reading.steady.map(|ms| format!(", steady to {ms:.1} ms")).unwrap_or_default();
    let swings = reading.swings.iter().filter(|swing| swing.heard);
    let swings: String = swings.map(|swing| format!(", {} swung {} %", swing.of, swing.percent)).collect();
    let known = (reading.coverage * 100.0).round();
    let bars = if groove.bars == 1 { "1 bar".to_owned() } else { format!("{} bars", groove.bars) };
    let what = format!("{bars} of {} in {}, {known} % of the slots{steady}{swings}", groove.metre, groove.grid);
    let name = groove.name.clone();
    let written = if ["mid", "midi", "smf"].iter().any(|ending| ends_in(&options.output, ending)) {
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

fn take(options: &Options) -> Result<(String, GrooveProfile), Failure> {
    if loops::is_sound(&options.input) {
        return take_of_loop(options);
    }
    let (bytes, song) = read_song(&options.input)?;
    let wanted = match options.part {
        Some(number) => number as usize - 1,
        None => song.parts.iter().position(|part| part.drums).unwrap_or(0),
    };
    let part = song.parts.get(wanted).ok_or_else(|| {
        named(&options.input, format!("there is no part {}; the file has {}", wanted + 1, song.parts.len()))
    })?;
    let hits: Vec<PlayedHit> = part.part.hits().iter().map(PlayedHit::as_written).collect();
    let grid = options.grid.or_else(|| vivida_smf::grid_told(&bytes));
    let take = Extraction { bars: options.bars, grid, ..extraction(options) };
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
        length: options.length.unwrap_or(1),
        bars: None,
    }
}

fn take_of_loop(options: &Options) -> Result<(String, GrooveProfile), Failure> {
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
