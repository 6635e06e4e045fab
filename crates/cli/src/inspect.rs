//! `vivida inspect`: a song in figures.

use crate::commands::{Reading, read_song};
use crate::failure::Done;
use crate::output;
use serde_json::{Value, json};
use std::path::Path;
use vivida_core::{Chart, Context, Figures, InstrumentId, Lane, Recipe, Report, perform, report};
use vivida_smf::{SongFile, SongPart};

pub fn inspect(input: &Path, reading: &Reading, as_json: bool) -> Done {
    let (_, song) = read_song(input)?;
    let context = Context::new(&song.tempo, &song.metre);
    let own = reading.kit()?;
    let written = |part: &SongPart| {
        let chart = match own.as_ref().filter(|_| part.drums) {
            Some(own) => Chart::new(&part.part, own.clone().with_unknown(&part.part)),
            None => part.chart(part.drums),
        };
        let performance = perform(&part.part, &chart, &Recipe::default(), &context);
        let report = report(&part.part, &chart, &context, &performance);
        (chart, report)
    };
    let reports: Vec<(Chart, Report)> = song.parts.iter().map(written).collect();
    if as_json {
        let text = serde_json::to_string_pretty(&in_json(&song, &reports)).map_err(|error| error.to_string())?;
        output::say(&format!("{text}\n"))
    } else {
        output::say(&in_words(&song, &reports))
    }
}

fn in_json(song: &SongFile, reports: &[(Chart, Report)]) -> Value {
    let parts = song.parts.iter().zip(reports).map(|(part, (chart, report))| {
        let instruments =
            chart.kit.instruments.iter().zip(&report.written.instruments).filter(|(_, one)| one.figures.count > 0).map(
                |(instrument, one)| {
                    let (lines, ornaments) = (&one.lines, &one.ornaments);
                    json!({
                        "id": instrument.id, "name": instrument.name, "figures": one.figures,
                        "lines": lines, "ornaments": ornaments,
                    })
                },
            );
        json!({
            "name": part.name,
            "track": part.track + 1,
            "channel": part.channel.shown(),
            "drums": part.drums,
            "grid": report.grid,
            "figures": report.written.all,
            "beat": report.written.beat,
            "together": report.written.together,
            "bend_range": part.bend_range(),
            "lanes": part.lanes().iter().map(lane_in_json).collect::<Vec<Value>>(),
            "instruments": instruments.collect::<Vec<Value>>(),
        })
    });
    json!({
        "format": song.format,
        "ppq": song.ppq.get() / song.factor,
        "bars": song.bars(),
        "bpm": song.bpm(),
        "metres": song.metre.changes().map(|(bar, metre)| json!({"bar": bar, "metre": metre.to_string()})).collect::<Vec<Value>>(),
        "mended": song.mended,
        "parts": parts.collect::<Vec<Value>>(),
    })
}

fn in_words(song: &SongFile, reports: &[(Chart, Report)]) -> String {
    let metres: Vec<String> = song.metre.changes().map(|(_, metre)| metre.to_string()).collect();
    let (bpm, ppq) = (song.bpm(), song.ppq.get() / song.factor);
    let bpm = format!("{:.1}", bpm);
    let bpm = bpm.trim_end_matches(".0");
    let mut out = format!("{} bars of {}, {bpm} bpm, {ppq} ppq\n", song.bars(), metres.join(", "));
    for (part, (chart, report)) in song.parts.iter().zip(reports) {
        let kind = if part.drums { "drums" } else { "tones" };
        out += &format!(
            "\n{} (track {}, channel {}, {kind}, grid {})\n",
            part.name,
            part.track + 1,
            part.channel.shown(),
            report.grid
        );
        out += &format!(
            "  {:<24}{:>6}{:>7}{:>6}{:>14}{:>11}{:>9}{:>16}  {}\n",
            "instrument", "hits", "mean", "sd", "10/50/90", "identical", "on lines", "offset ms", "lines"
        );
        let struck =
            chart.kit.instruments.iter().zip(&report.written.instruments).filter(|(_, one)| one.figures.count > 0);
        for (instrument, one) in struck {
            let ornaments =
                if one.ornaments_said.is_empty() { String::new() } else { format!("; {}", one.ornaments_said) };
            out += &line(&instrument.name, &one.figures, &format!("{}{ornaments}", one.lines_said));
        }
        out += &line("all", &report.written.all, "");
        out += &steadiness_in_words(chart, report);
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

/// “beat steady to ± 2.1 ms a quarter, wanders by ± 4.0 ms; …”, where there is enough to tell.
fn steadiness_in_words(chart: &Chart, report: &Report) -> String {
    let Some(beat) = report.written.beat else { return String::new() };
    let name = |id: &InstrumentId| {
        let kit = &chart.kit.instruments;
        kit.iter().find(|one| one.id == *id).map_or_else(|| id.as_str().to_owned(), |one| one.name.to_lowercase())
    };
    let mut out = format!("  beat steady to ± {:.1} ms a quarter, wanders by ± {:.1} ms", beat.clock.0, beat.wander.0);
    if let Some(apart) = beat.apart {
        out += &format!("; drums that land together are {:.1} ms apart", apart.0);
    }
    for pair in &report.written.together {
        let (first, second) = (name(&pair.first), name(&pair.second));
        let side = if pair.mean.0 < 0.0 { "ahead of" } else { "behind" };
        let (mean, spread) = (pair.mean.0.abs(), pair.spread.0);
        out += &format!("; {second} {mean:.1} ms {side} {first} (± {spread:.1}, {} times)", pair.count);
    }
    out + "\n"
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

fn line(name: &str, figures: &Figures, lines: &str) -> String {
    let spread = format!("{:.0}/{:.0}/{:.0}", figures.soft, figures.typical, figures.hard);
    let offset = format!("{:+.1} ± {:.1}", figures.offset_mean.0, figures.offset_spread.0);
    let line = format!(
        "  {name:<24}{:>6}{:>7.1}{:>6.1}{spread:>14}{:>9.0} %{:>7.0} %{offset:>16}  {lines}",
        figures.count,
        figures.velocity_mean,
        figures.velocity_spread,
        figures.identical_neighbours * 100.0,
        figures.on_grid * 100.0,
    );
    format!("{}\n", line.trim_end())
}
