//! `vivida batch`: one recipe over a folder of songs, with a report of what it did to each.

use crate::commands::{Playing, Wanted};
use crate::failure::{Done, Failure, in_words, named};
use crate::output;
use indicatif::{ProgressBar, ProgressStyle};
use rayon::prelude::*;
use serde_json::json;
use std::cell::RefCell;
use std::fs;
use std::io::{self, IsTerminal, Write};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::thread;
use vivida_core::{Context, Recipe, Thresholds, Treatment, perform};
use vivida_server::Table;
use vivida_smf::{Export, SongFile, SongPart, read, write};

#[derive(clap::Args)]
pub struct Options {
    /// The folder with the songs: its .mid, .midi and .smf files.
    folder: PathBuf,
    #[command(flatten)]
    playing: Playing,
    /// How many songs are worked on at once, at most as many as there are cores; that many without it.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..))]
    jobs: Option<u32>,
    /// Where to write what was done to each song: a .csv or .json file.
    #[arg(long, value_name = "FILE")]
    report: Option<PathBuf>,
    /// The folder to write to.
    #[arg(short, long, value_name = "DIR")]
    output: PathBuf,
}

/// What became of a song.
struct Outcome {
    name: String,
    done: Result<Played, String>,
}

struct Played {
    /// Each drum part by name.
    parts: Vec<(String, Treatment)>,
    said: Vec<String>,
}

pub fn batch(options: Options) -> Done {
    let report = options.report.as_deref().map(Format::of).transpose()?;
    let songs = songs_in(&options.folder)?;
    let wanted = options.playing.read()?;
    fs::create_dir_all(&options.output).map_err(|error| named(&options.output, in_words(&error)))?;
    let places = [&options.folder, &options.output].map(|folder| folder.canonicalize());
    if matches!(&places, [Ok(one), Ok(other)] if one == other) {
        let said = "this is the folder that the songs are in; choose another one, so that they stay";
        return Err(Failure::Usage(named(&options.output, said)));
    }
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
        let work = || treat(path, &options, &wanted);
        let done = catch_unwind(AssertUnwindSafe(work))
            .unwrap_or_else(|_| Err("a fault of Vivida's own; keep the file for a report".to_owned().into()))
            .map_err(Failure::into_words);
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
        return Err(format!("stopped; {written} of {} songs were written", songs.len()).into());
    }
    match failed.len() {
        0 => Ok(()),
        1 => Err(format!("1 of {} songs failed; the others were written", songs.len()).into()),
        many => Err(format!("{many} of {} songs failed; the others were written", songs.len()).into()),
    }
}

fn songs_in(folder: &Path) -> Result<Vec<PathBuf>, String> {
    let entries = fs::read_dir(folder).map_err(|error| named(folder, in_words(&error)))?;
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

/// Plays a song's drum parts by the recipe and writes it.
fn treat(path: &Path, options: &Options, wanted: &Wanted) -> Result<Played, Failure> {
    let bytes = fs::read(path).map_err(|error| in_words(&error))?;
    let song = read(&bytes).map_err(|error| error.to_string())?;
    let (written, played) = played(&bytes, &song, wanted)?;
    let target = options.output.join(file_name(path));
    output::write(&target, |out| out.write_all(&written))?;
    Ok(played)
}

fn played(bytes: &[u8], song: &SongFile, wanted: &Wanted) -> Result<(Vec<u8>, Played), Failure> {
    let is_played = |part: &SongPart| part.drums && !part.part.hits().is_empty();
    let drums: Vec<usize> = (0..song.parts.len()).filter(|place| is_played(&song.parts[*place])).collect();
    if drums.is_empty() {
        return Err("it has no drum part; give the part a name such as “Drums”, or channel 10".to_owned().into());
    }
    let sections = song.sections();
    let (mut parts, mut sent, mut said) = (Vec::new(), Vec::new(), Vec::new());
    let recipe = wanted.recipe(song.end, &song.tempo)?;
    for place in &drums {
        let part = &song.parts[*place];
        let lacking = RefCell::new(Vec::new());
        let chart = wanted.chart(part, |one| lacking.borrow_mut().push(one));
        let context = Context {
            variation: wanted.variation,
            sections: &sections,
            lanes: part.lanes(),
            ..Context::new(&song.tempo, &song.metre)
        };
        let (fitted, unfit) = match wanted.start(&part.part, &chart, &context) {
            Some(recipe) => (recipe, Vec::new()),
            None => recipe.fitted(&chart.listed_kit(), &part.part),
        };
        let of_part = |one: String| if drums.len() > 1 { format!("{}: {one}", part.name) } else { one };
        said.extend(lacking.into_inner().into_iter().chain(unfit).map(of_part));
        let before = perform(&part.part, &chart, &Recipe::default(), &context);
        let after = perform(&part.part, &chart, &fitted, &context);
        let treatment = Treatment::of(&part.part, &chart, &context, [&before, &after], &Thresholds::default());
        sent.push((*place, after.sent(&chart)));
        parts.push((part.name.clone(), treatment));
    }
    said.extend(song.mended.iter().cloned());
    let written = write(bytes, song, &sent, Export::default());
    Ok((written, Played { parts, said }))
}

fn summary(outcomes: &[Outcome], written: usize) -> String {
    let good = || outcomes.iter().filter_map(|one| one.done.as_ref().ok());
    let parts = || good().flat_map(|one| &one.parts).map(|(_, treatment)| treatment);
    let findings = [0, 1].map(|side: usize| parts().map(|one| one.findings[side]).sum::<u32>());
    let touched: u32 = parts().map(|one| one.all.touched).sum();
    let made: u32 = parts().map(|one| one.all.made).sum();
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
    fn of(path: &Path) -> Result<Format, Failure> {
        match path.extension().map(|ending| ending.to_string_lossy().to_lowercase()).as_deref() {
            Some("csv") => Ok(Format::Csv),
            Some("json") => Ok(Format::Json),
            _ => Err(Failure::usage("--report", named(path, "a report is a .csv or a .json file"))),
        }
    }

    fn write(self, out: &mut impl Write, outcomes: &[Outcome]) -> io::Result<()> {
        match self {
            Format::Json => {
                let part = |(name, treatment): &(String, Treatment)| {
                    let Treatment { drums, findings, left, .. } = treatment;
                    json!({"part": name, "drums": drums, "findings": findings, "left": left})
                };
                let one = |one: &Outcome| match &one.done {
                    Ok(played) => json!({
                        "song": one.name,
                        "parts": played.parts.iter().map(part).collect::<Vec<_>>(),
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
        let none = [(String::new(), Treatment::default())];
        let (parts, said) = match &one.done {
            Ok(played) => (&played.parts[..], played.said.join(" ")),
            Err(why) => (&none[..], why.clone()),
        };
        for (part, treatment) in parts {
            for cells in treatment.rows() {
                table.row([one.name.clone(), part.clone()].into_iter().chain(cells).chain([said.clone()]))?;
            }
        }
    }
    table.done()?.flush()
}
