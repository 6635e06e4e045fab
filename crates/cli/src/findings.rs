//! `vivida findings`: what a listener would notice in the drum parts of a song.

use crate::commands::{Played, Playing, read_song};
use crate::failure::Done;
use crate::output;
use serde_json::{Value, json};
use std::path::Path;
use vivida_core::{Context, Finding, Rehearsal, Thresholds, cures, findings};

pub fn find(input: &Path, playing: &Playing, as_json: bool) -> Done {
    let (_, song) = read_song(input)?;
    let played = Played::new(&song, &playing.read()?)?;
    let sections = song.sections();
    let context =
        Context { variation: played.variation, sections: &sections, ..Context::new(&song.tempo, &song.metre) };
    let thresholds = Thresholds::default();
    let performances = played.parts(context.start, None);
    let mut words = String::new();
    let mut parts: Vec<Value> = Vec::new();
    for (index, performance) in performances.iter().filter(|(index, _)| song.parts[*index].drums) {
        let (part, chart) = (&song.parts[*index], &played.charts[*index]);
        let found = findings(&part.part, chart, &context, performance, &thresholds);
        words += &format!("{} ({} findings)\n", part.name, found.len());
        let mut listed = Vec::new();
        let recipe = &played.recipes[*index];
        let rehearsal = Rehearsal::of(&part.part, chart, recipe, &context);
        for one in &found {
            let mended = cures(&rehearsal, recipe, &context, &thresholds, &found, one);
            let names: Vec<&str> = mended.iter().map(|cure| cure.name.as_str()).collect();
            words += &format!("  {:>3.0}  {}\n", one.weight * 100.0, one.said);
            if !names.is_empty() {
                words += &format!("       mended by: {}\n", names.join("; "));
            }
            listed.push(in_json(one, &mended)?);
        }
        parts.push(json!({"name": part.name, "track": part.track + 1, "findings": listed}));
    }
    if parts.is_empty() {
        words += "The file has no drum part.\n";
    }
    if as_json {
        let text = serde_json::to_string_pretty(&json!({"parts": parts})).map_err(|error| error.to_string())?;
        return output::say(&format!("{text}\n"));
    }
    output::say(&words)
}

fn in_json(one: &Finding, cures: &[vivida_core::Cure]) -> Result<Value, String> {
    let mut value = serde_json::to_value(one).map_err(|error| error.to_string())?;
    value["cures"] = serde_json::to_value(cures).map_err(|error| error.to_string())?;
    Ok(value)
}
