//! The hits of a part as a table, for spreadsheets and scripts.

use crate::app::{Answer, Opened};
use crate::csv_table::Table;
use crate::problem::Problem;
use rocket::http::Status;
use std::collections::HashMap;
use vivida_core::{Channel, HitId, MadeHit, Note, PassId, Ticks, touched};

/// A line for each hit, by where it was written or belongs.
pub(crate) fn hits(opened: &Opened) -> Answer<Vec<u8>> {
    write(opened).map_err(|error| {
        Problem::new(Status::InternalServerError, "No table", format!("The table could not be written: {error}."))
    })
}

fn write(opened: &Opened) -> std::io::Result<Vec<u8>> {
    let (file, chart, recipe) = (&opened.song.file, opened.chart(), &opened.take.recipe);
    let context = opened.context(opened.take.variation);
    let played = opened.play(Ticks(0.0));
    let on = opened.lines(&played);
    let mut by: HashMap<HitId, Vec<String>> = HashMap::new();
    let numbers: HashMap<PassId, usize> = recipe.passes.iter().map(|pass| pass.id).zip(1..).collect();
    for (pass, hits) in touched(opened.part(), chart, recipe, &context) {
        for id in hits {
            by.entry(id).or_default().push(numbers[&pass].to_string());
        }
    }
    let named = |note: Note, channel: Channel| {
        let instrument = chart.instrument_of(note, channel).and_then(|place| chart.kit.instruments.get(place));
        let stroke = instrument.and_then(|one| one.articulations.iter().find(|way| way.note == note));
        (instrument.map_or("", |one| &one.name), stroke.map_or("", |way| &way.name))
    };
    let mut lines = Vec::new();
    let written = opened.part().hits().iter().zip(&played.written).zip(on.written.iter());
    lines.extend(written.map(|((hit, now), line)| (hit.tick, Some(hit.velocity), now, Ticks(*line))));
    let of_made =
        |made: &MadeHit| on.line(&context, chart.instrument_of(made.played.note, made.played.channel), made.anchor);
    lines.extend(played.made.iter().map(|made| (made.anchor, None, &made.played, of_made(made))));
    lines.sort_by(|a, b| a.0.0.total_cmp(&b.0.0).then(a.2.id.cmp(&b.2.id)));

    let mut out = Table::new(Vec::new());
    out.row([
        "bar",
        "beat",
        "instrument",
        "stroke",
        "note",
        "written velocity",
        "played velocity",
        "written ms",
        "played ms",
        "off its line ms",
        "sounds",
        "changed by passes",
        "pitch cents",
        "place %",
        "level dB",
        "brightness %",
    ])?;
    let millis = |tick: Ticks| file.tempo.seconds(tick) * 1000.0;
    for (anchor, velocity, now, line) in lines {
        let bar = file.metre.bar_at(line);
        let beat = 1.0 + (line.0 - bar.start.0) / (f64::from(file.ppq.get()) * 4.0 / f64::from(bar.metre.denominator));
        let (instrument, stroke) = named(now.note, now.channel);
        let made = velocity.is_none();
        let moves = now.movement.values().map(|value| format!("{value:.1}"));
        let line = [
            bar.number.to_string(),
            format!("{beat:.3}"),
            instrument.to_owned(),
            stroke.to_owned(),
            now.note.get().to_string(),
            velocity.map_or(String::new(), |velocity| velocity.get().to_string()),
            now.velocity.get().to_string(),
            if made { String::new() } else { format!("{:.2}", millis(anchor)) },
            format!("{:.2}", millis(now.tick)),
            format!("{:.2}", millis(now.tick) - millis(line)),
            if now.silenced.is_some() { "no" } else { "yes" }.to_owned(),
            by.get(&now.id).map_or(String::new(), |passes| passes.join(" ")),
        ];
        out.row(line.into_iter().chain(moves))?;
    }
    out.done()
}
