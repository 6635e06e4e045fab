//! `vivida inspect`: a song in figures.

use crate::commands::{Done, read_song};
use crate::output;
use serde_json::{Value, json};
use std::path::Path;
use vivida_core::{Context, Figures, Lane, Recipe, Report, Ticks, perform, report};
use vivida_smf::{SongFile, SongPart};

pub fn inspect(input: &Path, as_json: bool) -> Done {
    let (_, song) = read_song(input)?;
    let context = Context::new(&song.tempo, &song.metre);
    let written = |part: &SongPart| {
        let chart = part.chart(part.drums);
        let performance = perform(&part.part, &chart, &Recipe::default(), &context);
        report(&part.part, &chart, &context, &performance)
    };
    let reports: Vec<Report> = song.parts.iter().map(written).collect();
    if as_json {
        let text = serde_json::to_string_pretty(&in_json(&song, &reports)).map_err(|error| error.to_string())?;
        output::say(&format!("{text}\n"))
    } else {
        output::say(&in_words(&song, &reports))
    }
}

fn in_json(song: &SongFile, reports: &[Report]) -> Value {
    let parts = song.parts.iter().zip(reports).map(|(part, report)| {
        let kit = part.kit(part.drums);
        let instruments = kit
            .instruments
            .iter()
            .zip(&report.written.instruments)
            .map(|(instrument, one)| json!({"id": instrument.id, "name": instrument.name, "figures": one.figures}));
        json!({
            "name": part.name,
            "track": part.track + 1,
            "channel": part.channel.shown(),
            "drums": part.drums,
            "grid": report.grid,
            "figures": report.written.all,
            "bend_range": part.bend_range(),
            "lanes": part.lanes().iter().map(lane_in_json).collect::<Vec<Value>>(),
            "instruments": instruments.collect::<Vec<Value>>(),
        })
    });
    json!({
        "format": song.format,
        "ppq": song.ppq.get() / song.factor,
        "bars": song.bars(),
        "bpm": song.tempo.bpm(Ticks(0.0)),
        "metres": song.metre.changes().map(|(bar, metre)| json!({"bar": bar, "metre": metre.to_string()})).collect::<Vec<Value>>(),
        "mended": song.mended,
        "parts": parts.collect::<Vec<Value>>(),
    })
}

fn in_words(song: &SongFile, reports: &[Report]) -> String {
    let metres: Vec<String> = song.metre.changes().map(|(_, metre)| metre.to_string()).collect();
    let (bpm, ppq) = (song.tempo.bpm(Ticks(0.0)), song.ppq.get() / song.factor);
    let mut out =
        format!("{} bars of {}, {bpm:.1} quarter notes a minute, {ppq} ppq\n", song.bars(), metres.join(", "));
    for (part, report) in song.parts.iter().zip(reports) {
        let kind = if part.drums { "drums" } else { "tones" };
        out += &format!(
            "\n{} (track {}, channel {}, {kind}, grid {})\n",
            part.name,
            part.track + 1,
            part.channel.shown(),
            report.grid
        );
        out += &format!(
            "  {:<24}{:>6}{:>7}{:>6}{:>14}{:>11}{:>9}{:>16}\n",
            "instrument", "hits", "mean", "sd", "10/50/90", "identical", "on grid", "offset ms"
        );
        let kit = part.kit(part.drums);
        for (instrument, one) in kit.instruments.iter().zip(&report.written.instruments) {
            out += &line(&instrument.name, &one.figures);
        }
        out += &line("all", &report.written.all);
        out.extend(part.lanes().iter().map(lane_in_words));
    }
    if song.parts.is_empty() {
        out += "\nThe file holds no notes; there is nothing to play.\n";
    }
    if !song.mended.is_empty() {
        out += "\nMended:\n";
        out.extend(song.mended.iter().map(|mended| format!("  {mended}\n")));
    }
    out
}

fn extremes(lane: &Lane) -> (f64, f64) {
    let values = || lane.values().iter().copied();
    (values().fold(f64::INFINITY, f64::min), values().fold(f64::NEG_INFINITY, f64::max))
}

fn lane_in_json(lane: &Lane) -> Value {
    let (least, most) = extremes(lane);
    let goes_with = lane.kind.usually_goes_with();
    json!({"lane": lane.kind, "name": lane.kind.name(), "values": lane.len(), "least": least, "greatest": most, "goes_with": goes_with})
}

fn lane_in_words(lane: &Lane) -> String {
    let (least, most) = extremes(lane);
    let name = format!("{} ({})", lane.kind.name(), lane.kind);
    let values = if lane.len() == 1 { "1 value".to_owned() } else { format!("{} values", lane.len()) };
    format!("  {name:<40}{values:>14} from {least} to {most}\n")
}

fn line(name: &str, figures: &Figures) -> String {
    let spread = format!("{:.0}/{:.0}/{:.0}", figures.soft, figures.typical, figures.hard);
    let offset = format!("{:+.1} ± {:.1}", figures.offset_mean.0, figures.offset_spread.0);
    format!(
        "  {name:<24}{:>6}{:>7.1}{:>6.1}{spread:>14}{:>9.0} %{:>7.0} %{offset:>16}\n",
        figures.count,
        figures.velocity_mean,
        figures.velocity_spread,
        figures.identical_neighbours * 100.0,
        figures.on_grid * 100.0,
    )
}
