//! `vivida batch`: one recipe over a folder of songs, with a report of what it did to each.

use crate::commands::{Done, Playing, named};
use crate::output;
use indicatif::{ProgressBar, ProgressStyle};
use rayon::prelude::*;
use serde_json::json;
use std::fs;
use std::io::{self, IsTerminal, Write};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::thread;
use vivida_core::{Chart, Context, Kit, Recipe, Thresholds, Treatment, perform};
use vivida_server::Table;
use vivida_smf::{Export, SongFile, main_drums, read, write};

#[derive(clap::Args)]
pub struct Options {
    /// The folder with the songs: its .mid, .midi and .smf files.
    folder: PathBuf,
    #[command(flatten)]
    playing: Playing,
    /// The folder to write to.
    #[arg(short, long, value_name = "DIR")]
    output: PathBuf,
    /// Where to write what was done to each song: a .csv or .json file.
    #[arg(long, value_name = "FILE")]
    report: Option<PathBuf>,
    /// How many songs are worked on at once, at most as many as there are cores; that many without it.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..))]
    jobs: Option<u32>,
}

/// What became of a song.
struct Outcome {
    name: String,
    done: Result<Played, String>,
}

struct Played {
    part: String,
    treatment: Treatment,
    said: Vec<String>,
}

pub fn batch(options: Options) -> Done {
    let songs = songs_in(&options.folder)?;
    let recipe = options.playing.plain_recipe()?;
    let kit = options.playing.kit_of_drums()?;
    fs::create_dir_all(&options.output).map_err(|error| named(&options.output, error))?;
    let places = [&options.folder, &options.output].map(|folder| folder.canonicalize());
    if matches!(&places, [Ok(one), Ok(other)] if one == other) {
        let said = "this is the folder that the songs are in; choose another one, so that they stay";
        return Err(named(&options.output, said));
    }
    let report = options.report.as_deref().map(Format::of).transpose()?;
    let cores = thread::available_parallelism().map_or(1, usize::from);
    let pool = rayon::ThreadPoolBuilder::new()
        .num_threads(options.jobs.map_or(cores, |jobs| cores.min(jobs as usize)))
        .build();
    let pool = pool.map_err(|error| format!("no threads can be had: {error}"))?;
    let stop = output::Progress::new("songs")?;
    let bar = progress(songs.len());
    let one = |path: &PathBuf| -> Option<Outcome> {
        if stop.is_stopped() {
            return None;
        }
        let work = || treat(path, &options, &recipe, kit.as_ref());
        let done = catch_unwind(AssertUnwindSafe(work))
            .unwrap_or_else(|_| Err("a fault of Vivida's own; keep the file for a report".to_owned()));
        bar.inc(1);
        Some(Outcome { name: file_name(path), done })
    };
    let outcomes: Vec<Outcome> = pool.install(|| songs.par_iter().filter_map(one).collect());
    bar.finish_and_clear();
    if let (Some(path), Some(format)) = (&options.report, report) {
        output::write(path, |out| format.write(out, &outcomes))?;
    }
    let failed: Vec<&Outcome> = outcomes.iter().filter(|one| one.done.is_err()).collect();
    let written = outcomes.len() - failed.len();
    output::say(&summary(&outcomes, written))?;
    for one in &failed {
        if let Err(why) = &one.done {
            output::complain(&format!("{}: {why}", one.name));
        }
    }
    if outcomes.len() < songs.len() {
        return Err(format!("stopped; {written} of {} songs were written", songs.len()));
    }
    match failed.len() {
        0 => Ok(()),
        1 => Err(format!("1 of {} songs failed; the others were written", songs.len())),
        many => Err(format!("{many} of {} songs failed; the others were written", songs.len())),
    }
}

fn songs_in(folder: &Path) -> Result<Vec<PathBuf>, String> {
    let entries = fs::read_dir(folder).map_err(|error| named(folder, error))?;
    let is_song = |path: &PathBuf| {
        let ending = path.extension().map(|ending| ending.to_string_lossy().to_lowercase());
        matches!(ending.as_deref(), Some("mid" | "midi" | "smf")) && path.is_file()
    };
    let mut songs: Vec<PathBuf> = entries.filter_map(|entry| Some(entry.ok()?.path())).filter(is_song).collect();
    songs.sort();
    if songs.is_empty() {
        return Err(named(folder, "there is no .mid, .midi or .smf file in it; choose the folder with the songs"));
    }
    Ok(songs)
}

fn file_name(path: &Path) -> String {
    path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default()
}

fn progress(songs: usize) -> ProgressBar {
    if !io::stderr().is_terminal() {
        return ProgressBar::hidden();
    }
    let bar = ProgressBar::new(songs as u64);
    if let Ok(style) = ProgressStyle::with_template("{bar:30} {pos} of {len} songs") {
        bar.set_style(style);
    }
    bar
}

/// Plays a song's drums by the recipe and writes it.
fn treat(path: &Path, options: &Options, recipe: &Recipe, kit: Option<&Kit>) -> Result<Played, String> {
    let bytes = fs::read(path).map_err(|error| error.to_string())?;
    let song = read(&bytes).map_err(|error| error.to_string())?;
    let (written, played) = played(&bytes, &song, recipe, kit, options.playing.variation)?;
    let target = options.output.join(file_name(path));
    output::write(&target, |out| out.write_all(&written))?;
    Ok(played)
}

fn played(
    bytes: &[u8],
    song: &SongFile,
    recipe: &Recipe,
    kit: Option<&Kit>,
    variation: u32,
) -> Result<(Vec<u8>, Played), String> {
    let place = main_drums(song).ok_or("it has no drum part; give the part a name such as “Drums”, or channel 10")?;
    let part = &song.parts[place];
    let kit = match kit {
        Some(kit) => kit.clone().with_unknown(&part.part),
        None => part.kit(true),
    };
    let chart = Chart::new(&part.part, kit);
    let (fitted, mut said) = recipe.fitted(&chart.kit);
    fitted.check_within(song.end, &song.tempo).map_err(|error| error.to_string())?;
    said.extend(song.mended.iter().cloned());
    let sections = song.sections();
    let context =
        Context { variation, sections: &sections, lanes: part.lanes(), ..Context::new(&song.tempo, &song.metre) };
    let before = perform(&part.part, &chart, &Recipe::default(), &context);
    let after = perform(&part.part, &chart, &fitted, &context);
    let treatment = Treatment::of(&part.part, &chart, &context, [&before, &after], &Thresholds::default());
    let written = write(bytes, song, &[(place, after.sent(&chart))], Export::default());
    Ok((written, Played { part: part.name.clone(), treatment, said }))
}

fn summary(outcomes: &[Outcome], written: usize) -> String {
    let good = || outcomes.iter().filter_map(|one| one.done.as_ref().ok());
    let findings = [0, 1].map(|side: usize| good().map(|one| one.treatment.findings[side]).sum::<u32>());
    let touched: u32 = good().map(|one| one.treatment.all.touched).sum();
    let made: u32 = good().map(|one| one.treatment.all.made).sum();
    let songs = if written == 1 { "1 song".to_owned() } else { format!("{written} songs") };
    format!(
        "{songs} written: {touched} hits touched, {made} made; findings {} before, {} after\n",
        findings[0], findings[1]
    )
}

#[derive(Clone, Copy)]
enum Format {
    Csv,
    Json,
}

impl Format {
    fn of(path: &Path) -> Result<Format, String> {
        match path.extension().map(|ending| ending.to_string_lossy().to_lowercase()).as_deref() {
            Some("csv") => Ok(Format::Csv),
            Some("json") => Ok(Format::Json),
            _ => Err(named(path, "a report is a .csv or a .json file")),
        }
    }

    fn write(self, out: &mut impl Write, outcomes: &[Outcome]) -> io::Result<()> {
        match self {
            Format::Json => {
                let one = |one: &Outcome| match &one.done {
                    Ok(played) => json!({
                        "song": one.name,
                        "part": played.part,
                        "drums": played.treatment.drums,
                        "findings": played.treatment.findings,
                        "left": played.treatment.left,
                        "said": played.said,
                    }),
                    Err(why) => json!({"song": one.name, "failed": why}),
                };
                let all: Vec<_> = outcomes.iter().map(one).collect();
                writeln!(out, "{:#}", json!(all))
            }
            Format::Csv => rows(out, outcomes),
        }
    }
}

fn rows(out: &mut impl Write, outcomes: &[Outcome]) -> io::Result<()> {
    let mut table = Table::new(out);
    table.row(["song", "part"].into_iter().chain(Treatment::COLUMNS).chain(["said"]))?;
    for one in outcomes {
        let (part, rows, said) = match &one.done {
            Ok(played) => (played.part.clone(), played.treatment.rows(), played.said.join(" ")),
            Err(why) => (String::new(), Treatment::default().rows(), why.clone()),
        };
        for cells in rows {
            table.row([one.name.clone(), part.clone()].into_iter().chain(cells).chain([said.clone()]))?;
        }
    }
    table.done()?.flush()
}
