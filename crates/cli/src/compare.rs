//! `vivida compare`: how far the drums of one file are from those of another.

use crate::commands::read_song;
use crate::failure::{Done, named};
use crate::output;
use serde_json::json;
use std::path::Path;
use vivida_core::{Apart, Context, Performance, PlayedHit, Study};

/// The drum part of a file that has the most hits, as it is written.
fn studied(path: &Path) -> Result<Study, String> {
    let (_, song) = read_song(path)?;
    let drums = song.parts.iter().filter(|part| part.drums).max_by_key(|part| part.part.hits().len());
    let part = drums.ok_or_else(|| named(path, "the file has no drum part"))?;
    let written = part.part.hits().iter().map(PlayedHit::as_written).collect();
    let performance = Performance { written, ..Performance::default() };
    Ok(Study::of(&part.part, &part.chart(true), &Context::new(&song.tempo, &song.metre), &performance))
}

pub fn compare(one: &Path, other: &Path, as_json: bool) -> Done {
    let apart = studied(one)?.apart(&studied(other)?);
    if as_json {
        let text = serde_json::to_string_pretty(&json!({ "instruments": apart })).map_err(|error| error.to_string())?;
        return output::say(&format!("{text}\n"));
    }
    let mut words = format!(
        "{:<22}{:>14}{:>16}{:>18}{:>12}{:>12}\n",
        "instrument", "hits", "typical", "ms late", "velocity", "timing ms"
    );
    words.extend(apart.iter().map(line));
    output::say(&words)
}

fn line(one: &Apart) -> String {
    let Apart { name, counts, typical, late, velocity, timing, against, .. } = one;
    if against.is_none() {
        return format!("{name:<22}{:>14}\n", format!("{} → none", counts[0]));
    }
    let timing = timing.map_or("–".to_owned(), |ms| format!("{ms:.1}"));
    format!(
        "{name:<22}{:>14}{:>16}{:>18}{velocity:>12.1}{timing:>12}\n",
        format!("{} → {}", counts[0], counts[1]),
        format!("{:.0} → {:.0}", typical[0], typical[1]),
        late.map(|late| late.map_or("–".to_owned(), |ms| format!("{ms:+.1}"))).join(" → "),
    )
}
