//! Recorded loops without a browser: their onsets, and what a recipe makes of them.

use crate::commands::{Excerpt, Layout, NOT_OF_LOOPS, Playing, read_bytes};
use crate::failure::{Done, Failure, ends_in, named};
use crate::output;
use clap::Args;
use serde_json::json;
use std::fs;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use vivida_audio::{
    Analysis, Clip, Depth, Onset, Played, Proposal, Sensitivity, part_of, read, struck, tempos, write_wav,
};
use vivida_core::{
    BarRange, Chart, Context, MetreMap, Outline, Part, Performance, Recipe, Slicing, TempoMap, Ticks, perform,
};
use vivida_server::Table;

/// What a person says of a loop besides its bars.
#[derive(Args)]
pub struct Said {
    /// Of a recorded loop: quarter notes in a bar, 1 to 12.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=12))]
    beats: Option<u32>,
    /// Of a recorded loop: how little suffices to be an onset, 0 to 100; 50 without it.
    #[arg(long, value_name = "N", value_parser = share)]
    sensitivity: Option<f64>,
}

/// What is said of options that say nothing of a MIDI file.
pub const OF_LOOPS: &str = "this is for recorded loops; what is read is a MIDI file";

impl Said {
    /// The first of them that was given.
    pub fn given(&self) -> Option<&'static str> {
        match (self.beats, self.sensitivity) {
            (Some(_), _) => Some("--beats"),
            (_, Some(_)) => Some("--sensitivity"),
            _ => None,
        }
    }
}

fn share(text: &str) -> Result<f64, String> {
    let value = text.parse().ok().filter(|value| (0.0..=100.0).contains(value));
    value.ok_or_else(|| "this is a number from 0 to 100".to_owned())
}

/// How many bars a loop lasts, where a range of bars is told.
pub fn count(bars: Option<BarRange>) -> Result<Option<u32>, Failure> {
    match bars {
        Some(bars) if bars.from != bars.to && bars.from != 1 => {
            Err(Failure::usage("--bars", "of a recorded loop this is how many bars it lasts"))
        }
        bars => Ok(bars.map(|bars| bars.to)),
    }
}

/// A loop whose bars are known.
pub struct Loop {
    pub clip: Clip,
    pub onsets: Vec<Onset>,
    pub proposals: Vec<Proposal>,
    pub bars: u32,
    pub beats: u32,
    pub bpm: f64,
}

/// Whether a file is sound and no MIDI, by how it begins.
pub fn is_sound(path: &Path) -> bool {
    use std::io::Read;
    let mut begins = [0; 4];
    let read = fs::File::open(path).and_then(|mut file| file.read_exact(&mut begins));
    read.is_ok()
        && &begins != b"MThd"
        && path.extension().is_some_and(|one| {
            let one = one.to_string_lossy().to_lowercase();
            matches!(one.as_str(), "wav" | "wave" | "aif" | "aiff" | "flac" | "ogg" | "oga" | "mp3")
        })
}

impl Loop {
    pub fn read(path: &Path, bars: Option<u32>, said: &Said) -> Result<Loop, String> {
        let sensitivity =
            Sensitivity::try_from(said.sensitivity.unwrap_or(50.0)).map_err(|why| format!("--sensitivity: {why}"))?;
        let heard = read(read_bytes(path)?);
        let heard = heard.map_err(|error| named(path, format_args!("it {error}")))?;
        for one in &heard.said {
            output::note(path, one);
        }
        let clip = heard.clip;
        let onsets = Analysis::of(&clip).onsets(sensitivity);
        let proposals = tempos(clip.frames(), &onsets);
        let likeliest = proposals.iter().find(|one| said.beats.is_none_or(|beats| beats == one.beats));
        let beats = said.beats.or(likeliest.map(|one| one.beats)).unwrap_or(4);
        let bars = bars.or(likeliest.map(|one| one.bars)).unwrap_or(1);
        let bpm = 60.0 * f64::from(bars) * f64::from(beats) / clip.seconds();
        Ok(Loop { clip, onsets, proposals, bars, beats, bpm })
    }

    /// Its part, and the maps of a song that is as fast as it is.
    pub fn part(&self) -> Result<LoopPart, String> {
        let outline = Outline::plain(self.bars, self.bpm, &format!("{}/4", self.beats));
        outline.check().map_err(|(_, why)| {
            format!("--bars: {} bars of {}/4 would be {:.1} bpm: {why}", self.bars, self.beats, self.bpm)
        })?;
        let (tempo, metre) = outline.maps();
        let ticks = metre.bar(self.bars + 1).start;
        let slicing = Slicing { from: 0, to: self.clip.frames() as u64, start: Ticks(0.0), ticks, times: 1 };
        let part = part_of(&self.onsets, &slicing, ticks, 0);
        let kit = vivida_smf::kit_of("loop", &part, true);
        Ok(LoopPart { chart: Chart::new(&part, kit), part, tempo, metre, slicing })
    }
}

/// A loop as a part of a song that is it alone.
pub struct LoopPart {
    pub part: Part,
    pub chart: Chart,
    pub tempo: TempoMap,
    pub metre: MetreMap,
    pub slicing: Slicing,
}

impl LoopPart {
    pub fn perform(&self, recipe: &Recipe, variation: u32) -> Performance {
        let context = Context { variation, ..Context::new(&self.tempo, &self.metre) };
        perform(&self.part, &self.chart, recipe, &context)
    }
}

/// What `vivida onsets` is told.
#[derive(Args)]
pub struct Options {
    /// A WAV, AIFF, FLAC, Ogg Vorbis or MP3 file.
    input: PathBuf,
    /// How many bars it lasts; without it what seems likeliest.
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..))]
    bars: Option<u32>,
    #[command(flatten)]
    said: Said,
    /// As JSON.
    #[arg(long, conflicts_with = "csv")]
    json: bool,
    /// As CSV.
    #[arg(long)]
    csv: bool,
}

fn family(onset: &Onset) -> String {
    serde_json::to_value(onset.family).ok().and_then(|one| one.as_str().map(str::to_owned)).unwrap_or_default()
}

pub fn onsets(options: &Options) -> Done {
    let found = Loop::read(&options.input, options.bars, &options.said)?;
    if options.json {
        let onset = |one: &Onset| {
            json!({"seconds": one.seconds(), "frame": one.frame, "strength": one.strength, "loudness": one.loudness,
                   "velocity": one.velocity, "family": one.family})
        };
        let all: Vec<_> = found.onsets.iter().map(onset).collect();
        let told = json!({"seconds": found.clip.seconds(), "bars": found.bars, "beats": found.beats, "bpm": found.bpm,
                          "proposals": found.proposals, "onsets": all});
        return output::say(&format!("{told:#}\n"));
    }
    if options.csv {
        let mut table = Table::new(Vec::new());
        let failed = |error: io::Error| error.to_string();
        table.row(["seconds", "frame", "strength", "velocity", "family"]).map_err(failed)?;
        for one in &found.onsets {
            let (seconds, strength) = (format!("{:.5}", one.seconds()), format!("{:.3}", one.strength));
            let (frame, velocity) = (one.frame.to_string(), one.velocity.get().to_string());
            table.row([&seconds, &frame, &strength, &velocity, &family(one)]).map_err(failed)?;
        }
        let bytes = table.done().map_err(failed)?;
        return output::say(&String::from_utf8_lossy(&bytes));
    }
    let mut text = format!(
        "{:.2} s, {} of {}/4 at {:.2} bpm, {} onsets\n",
        found.clip.seconds(),
        if found.bars == 1 { "1 bar".to_owned() } else { format!("{} bars", found.bars) },
        found.beats,
        found.bpm,
        found.onsets.len()
    );
    for one in &found.onsets {
        let (seconds, velocity) = (one.seconds(), one.velocity.get());
        text.push_str(&format!(
            "{seconds:9.4} s  {:5}  velocity {velocity:3}  strength {:.2}\n",
            family(one),
            one.strength
        ));
    }
    output::say(&text)
}

/// Plays a loop by a recipe into a WAV file that follows upon itself.
pub fn apply(
    input: &Path,
    playing: &Playing,
    output: &Path,
    excerpt: &Excerpt,
    layout: &Layout,
    (said, depth): (&Said, Option<Depth>),
) -> Done {
    ends_in(output, &["wav", "wave"], "a WAV file")?;
    playing.is_for_loops()?;
    let part = excerpt.part.map(|_| "--part");
    if let Some(option) = part.or(layout.given()) {
        return Err(Failure::usage(option, NOT_OF_LOOPS));
    }
    let found = Loop::read(input, count(excerpt.bars)?, said)?;
    let own = found.part()?;
    let wanted = playing.read()?;
    let recipe = wanted.start(&own.part, &own.chart, &Context::new(&own.tempo, &own.metre));
    let recipe = recipe.map_or_else(|| wanted.recipe(own.slicing.end(), &own.tempo).cloned(), Ok)?;
    let performance = own.perform(&recipe, wanted.variation);
    let (cuts, struck) = struck(&own.part, &performance, &own.tempo, |_| true);
    let played = Played { slicing: &own.slicing, cuts: &cuts, struck: &struck, tempo: &own.tempo, speed: 1.0 };
    let frames = found.clip.frames() as i64;
    let clip = played.arrange_round(own.slicing.start..own.slicing.end()).render(&found.clip, 0..frames);
    let bytes = write_wav(&clip, depth.unwrap_or(Depth::TwentyFour)).map_err(|error| named(output, error))?;
    output::write(output, |out| out.write_all(&bytes))
}
