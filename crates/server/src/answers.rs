//! What the engine says, put into the shapes that travel.

use crate::api::*;
use crate::app::Opened;
use std::collections::{BTreeSet, HashMap};
use std::hash::{DefaultHasher, Hash, Hasher};
use vivida_core::{
    Action, AimOffer, Channel, Chart, GoesWith, HatPedal, Hit, Lane, LaneKind, MadeHit, Meant, Measured, Note, Part,
    Performance, PlayedHit, PlayedLane, PlayedLines, Property, Recipe, Side, Ticks, Velocity,
};
use vivida_smf::SongFile;

/// Up to four bars of a part, from where its first hit lies.
pub(crate) fn picture(
    file: &SongFile,
    chart: &Chart,
    written: &Measured,
    played: &Measured,
    performance: &Performance,
) -> Picture {
    let first = performance.written.first().map_or(1, |hit| file.metre.bar_at(hit.tick).number);
    let last = file.metre.bar(first + 3);
    let start = file.metre.bar(first).start.0;
    let length = last.start.0 + last.length.0 - start;
    let shown = performance.sounding().filter(|hit| (start..start + length).contains(&hit.tick.0)).take(400);
    let place = |hit: &PlayedHit| chart.instrument_of(hit.note, hit.channel);
    let struck: BTreeSet<usize> = performance.sounding().filter_map(place).collect();
    let mut picture = Picture {
        places: Vec::new(),
        rows: Vec::new(),
        velocities: Vec::new(),
        row_count: struck.len().min(255) as u8,
        identical_neighbours: [written.all.identical_neighbours, played.all.identical_neighbours],
        on_grid: [written.all.on_grid, played.all.on_grid],
    };
    for hit in shown {
        let Some(row) = place(hit).and_then(|place| struck.iter().position(|one| *one == place)) else { continue };
        picture.places.push(((hit.tick.0 - start) / length) as f32);
        picture.rows.push(row.min(255) as u8);
        picture.velocities.push(hit.velocity.get());
    }
    picture
}

pub(crate) fn bars(file: &SongFile) -> Bars {
    let mut bars = Bars::default();
    for number in 1..=file.bars() {
        let bar = file.metre.bar(number);
        bars.ticks.push(bar.start.0);
        for (index, beat) in bar.metre.beats(file.ppq).into_iter().enumerate().filter(|(_, beat)| *beat < bar.length) {
            bars.beat_ticks.push((bar.start + beat).0);
            bars.beat_seconds.push(short(file.tempo.seconds(bar.start + beat)));
            bars.downbeats.push(u8::from(index == 0));
        }
        if number == file.bars() {
            bars.ticks.push((bar.start + bar.length).0);
        }
    }
    bars.seconds = bars.ticks.iter().map(|&tick| short(file.tempo.seconds(Ticks(tick)))).collect();
    let end = Ticks(bars.ticks.last().copied().unwrap_or_default());
    let changes = file.tempo.changes().map(|(tick, _)| tick).filter(|&tick| tick < end);
    for tick in changes.chain([end]) {
        bars.even_ticks.push(tick.0);
        bars.even_seconds.push(file.tempo.seconds(tick));
    }
    bars
}

/// To a hundredth of a millisecond: fine enough to sound, short enough to travel.
fn short(seconds: f64) -> f64 {
    hundredths(seconds) as f64 / 1e5
}

fn hundredths(seconds: f64) -> i64 {
    (seconds * 1e5).round() as i64
}

/// When a hit sounds and for how long, in hundredths of a millisecond.
pub(crate) type Span = (i64, i64);

fn span(file: &SongFile, tick: Ticks, length: Ticks) -> Span {
    let seconds = file.tempo.seconds(tick);
    (hundredths(seconds), hundredths(file.tempo.seconds(tick + length) - seconds))
}

pub(crate) fn spans(file: &SongFile, part: &Part) -> Vec<Span> {
    part.hits().iter().map(|hit| span(file, hit.tick, hit.length)).collect()
}

pub(crate) fn written(opened: &Opened, meant: &Meant) -> WrittenColumns {
    let (hits, spans) = (opened.part().hits(), opened.spans());
    let pedal = HatPedal::of(opened.file_part().lanes(), &opened.chart().kit);
    let struck = hits.iter().map(|hit| (hit.id, hit.note, hit.tick));
    WrittenColumns {
        ids: hits.iter().map(|hit| hit.id).collect(),
        ticks: hits.iter().map(|hit| hit.tick.0).collect(),
        velocities: hits.iter().map(|hit| hit.velocity.get()).collect(),
        notes: hits.iter().map(|hit| hit.note.get()).collect(),
        instruments: opened.chart().instruments.clone(),
        strokes: hits.iter().map(|hit| stroke_of(opened.chart(), hit.note, hit.channel)).collect(),
        seconds: spans.iter().map(|&(at, _)| at as f64 / 1e5).collect(),
        lengths: spans.iter().map(|&(_, lasts)| lasts as f64 / 1e5).collect(),
        graces: meant.graces.pairs().map(|(grace, hit)| (grace as u32, hit as u32)).collect(),
        lines: line_columns(&opened.song.file, meant.lines.iter().copied().zip(meant.straight.iter().copied())),
        bars: bar_columns(&opened.song.file, meant.lines.iter().zip(hits).map(|(&line, hit)| (line, hit.velocity))),
        lanes: written_lanes(opened),
        bend_range: opened.full_bend(),
        by_pedal: pedal.map_or_else(Vec::new, |pedal| pedal.otherwise(struck)),
    }
}

/// Which stroke of its instrument a hit is.
fn stroke_of(chart: &Chart, note: Note, channel: Channel) -> Option<u16> {
    chart.stroke_of(note, channel).map(|stroke| stroke as u16)
}

/// How hard is struck in each bar, of hits that sound by the lines that they are meant for.
fn bar_columns(file: &SongFile, hits: impl Iterator<Item = (f64, Velocity)>) -> BarColumns {
    let count = file.bars() as usize;
    let (mut struck, mut counts) = (vec![0u32; count], vec![0u32; count]);
    for (line, velocity) in hits {
        let bar = file.metre.bar_at(Ticks(line)).number as usize - 1;
        if bar < count {
            struck[bar] += u32::from(velocity.get());
            counts[bar] += 1;
        }
    }
    let mean = |(&sum, &count): (&u32, &u32)| (f64::from(sum) * 10.0 / f64::from(count.max(1))).round() as f32 / 10.0;
    BarColumns { means: struck.iter().zip(&counts).map(mean).collect(), struck }
}

/// Of lines, each with where it would lie if all was straight, which it is called by.
fn line_columns(file: &SongFile, lines: impl Iterator<Item = (f64, f64)>) -> LineColumns {
    let mut columns = LineColumns::default();
    let mut known: HashMap<String, u16> = HashMap::new();
    for (line, straight) in lines {
        let (bar, name) = file.metre.place(Ticks(straight));
        let place = *known.entry(name).or_insert_with_key(|name| {
            columns.names.push(name.clone());
            (columns.names.len() - 1) as u16
        });
        columns.ticks.push(line);
        columns.seconds.push(short(file.tempo.seconds(Ticks(line))));
        columns.bars.push(bar);
        columns.places.push(place);
    }
    columns
}

/// The columns of a performance; those of its timing, its touch and its lanes only where the page does not have them
/// already, by their keys.
pub(crate) fn columns(
    opened: &Opened,
    recipe: &Recipe,
    performance: &Performance,
    lines: &PlayedLines<'_>,
    mut reading: Measured,
    known: [Option<&str>; 3],
) -> PerformanceColumns {
    reading.instruments.retain(|one| one.figures.count > 0);
    let chart = opened.chart();
    let written = &performance.written;
    let mut timing_hasher = DefaultHasher::new();
    let mut touch_hasher = DefaultHasher::new();
    for hit in written {
        (hit.tick.0 as i64, hit.length.0 as i64).hash(&mut timing_hasher);
        hit.velocity.get().hash(&mut touch_hasher);
    }
    let timing_key = format!("{:016x}", timing_hasher.finish());
    let touch_key = format!("{:016x}", touch_hasher.finish());
    let timing = (known[0] != Some(&timing_key)).then(|| timing(opened, written, lines));
    let velocities = || written.iter().map(|hit| hit.velocity.get()).collect();
    let velocities = (known[1] != Some(&touch_key)).then(velocities);
    let lanes_key = lanes_key(&performance.lanes);
    let lanes = (known[2] != Some(&lanes_key)).then(|| performance.lanes.iter().map(lane_columns).collect());
    let silenced = performance.hits().filter_map(|hit| Some((hit.id, hit.silenced?)));
    let letter = |hit: &PlayedHit| match hit.hand {
        Some(Side::Left) => 'L',
        Some(Side::Right) => 'R',
        None => '-',
    };
    let handed = performance.hits().any(|hit| hit.hand.is_some());
    let hands = if handed { performance.hits().map(letter).collect() } else { String::new() };
    // Which drum plays a hit, and how, is told where that is not as it was written.
    let is_otherwise = |hit: &PlayedHit, was: &Hit| (hit.note, hit.channel) != (was.note, was.channel);
    let elsewhere =
        written.iter().zip(opened.part().hits()).filter(|(hit, was)| is_otherwise(hit, was)).map(|(hit, _)| {
            let instrument = chart.instrument_of(hit.note, hit.channel).map(|place| place as u16);
            (hit.id, instrument, hit.note, stroke_of(chart, hit.note, hit.channel))
        });
    let struck = performance.hits().map(|hit| (hit.id, hit.note, hit.tick));
    let by_pedal = performance.pedal(&chart.kit).map(|pedal| pedal.otherwise(struck));
    let context = opened.context(1);
    let of_made = |made: &MadeHit| {
        let place = chart.instrument_of(made.played.note, made.played.channel);
        let (line, straight) = lines.of_made(&context, place, made.anchor);
        (line.0, straight.0)
    };
    let lines_of_made: Vec<(f64, f64)> = performance.made.iter().map(of_made).collect();
    let added = lines_of_made.iter().map(|lines| lines.0).zip(performance.made.iter().map(|made| &made.played));
    let struck_at = lines.written.iter().copied().zip(written).chain(added);
    let turned = recipe.passes.iter().filter_map(|pass| Some((pass.id, pass.aim.turned()?)));
    PerformanceColumns {
        source: opened.source_name(),
        timing_key,
        timing,
        touch_key,
        velocities,
        silenced: silenced.collect(),
        hands,
        elsewhere: elsewhere.collect(),
        by_pedal: by_pedal.unwrap_or_default(),
        bars: bar_columns(
            &opened.song.file,
            struck_at.filter(|(_, hit)| hit.silenced.is_none()).map(|(line, hit)| (line, hit.velocity)),
        ),
        made: made(opened, &performance.made, &lines_of_made),
        movement: movement(performance.hits()),
        lanes_key,
        lanes,
        turned: turned.collect(),
        passes: performance.passes.clone(),
        reading,
        recipe: None,
    }
}

fn lanes_key(lanes: &[PlayedLane]) -> String {
    let mut hasher = DefaultHasher::new();
    for PlayedLane { lane, goes_with, drawn } in lanes {
        (lane.kind, *goes_with == GoesWith::Hits, drawn, lane.len()).hash(&mut hasher);
        for (tick, value) in lane.ticks().iter().zip(lane.values()) {
            (tick.round() as i64, *value as i16).hash(&mut hasher);
        }
    }
    format!("{:016x}", hasher.finish())
}

fn lane_columns(PlayedLane { lane, goes_with, drawn }: &PlayedLane) -> LaneColumns {
    let (least, most) = lane.kind.range();
    LaneColumns {
        kind: lane.kind,
        name: lane.kind.name(),
        range: [least as i16, most as i16],
        rest: lane.kind.rest() as i16,
        goes_with: *goes_with,
        drawn: *drawn,
        ticks: lane.ticks().iter().map(|tick| tick.round() as i64).collect(),
        values: lane.values().iter().map(|value| value.round() as i16).collect(),
    }
}

/// A part's lanes as they were written.
fn written_lanes(opened: &Opened) -> Vec<LaneColumns> {
    let as_written = |lane: &Lane| {
        lane_columns(&PlayedLane { lane: lane.clone(), goes_with: lane.kind.usually_goes_with(), drawn: false })
    };
    opened.file_part().lanes().iter().map(as_written).collect()
}

/// In tenths, so that numbers are short.
fn movement<'a>(hits: impl Iterator<Item = &'a PlayedHit> + Clone) -> Vec<MovementColumn> {
    let moves = |property: Property| hits.clone().any(|hit| hit.movement.of(property) != 0.0);
    let column = |property: Property| {
        let values = hits.clone().map(|hit| hit.movement.of(property) as f32).collect();
        MovementColumn { property, values }
    };
    Property::MOVEMENT.into_iter().filter(|&property| moves(property)).map(column).collect()
}

/// What can be added to a part.
pub(crate) fn vocabulary() -> Vocabulary {
    let offers = Action::all().into_iter().zip(Action::defaults()).zip(Action::dice());
    let lane = |kind: LaneKind| {
        let (least, most) = kind.range();
        LaneOffer { kind, name: kind.name(), range: [least as i16, most as i16] }
    };
    const USUAL: [u8; 7] = [1, 4, 7, 10, 11, 64, 74];
    let usual = USUAL.map(LaneKind::Controller).into_iter();
    let others = (1..120).filter(|number| !USUAL.contains(number)).map(|number| format!("controller-{number}"));
    let others = others.filter_map(|name| name.parse::<LaneKind>().ok());
    Vocabulary {
        actions: offers.map(|((info, start), dice)| ActionOffer { info, start, dice }).collect(),
        properties: Property::ALL.into_iter().map(Property::info).collect(),
        lanes: usual.chain([LaneKind::Bend, LaneKind::Pressure]).map(lane).collect(),
        other_lanes: others.map(lane).collect(),
        aim: AimOffer::all(),
    }
}

/// What passes made, and of each its line and where that would lie if all was straight.
fn made(opened: &Opened, hits: &[MadeHit], lines: &[(f64, f64)]) -> MadeColumns {
    let (file, chart) = (&opened.song.file, opened.chart());
    let mut columns = MadeColumns::default();
    for MadeHit { played, pass, parent, anchor } in hits {
        let (at, lasts) = span(file, played.tick, played.length);
        columns.ids.push(played.id);
        columns.passes.push(*pass);
        columns.parents.push(*parent);
        columns.anchors.push(anchor.0);
        columns.ticks.push(played.tick.0 as i64);
        columns.at.push(at);
        columns.lasts.push(lasts);
        columns.velocities.push(played.velocity.get());
        columns.notes.push(played.note);
        columns.instruments.push(chart.instrument_of(played.note, played.channel).map(|place| place as u16));
        columns.strokes.push(stroke_of(chart, played.note, played.channel));
    }
    columns.lines = line_columns(file, lines.iter().copied());
    columns
}

fn timing(opened: &Opened, hits: &[PlayedHit], lines: &PlayedLines<'_>) -> TimingColumns {
    let file = &opened.song.file;
    let line = |(index, line): (usize, Ticks)| (index as u32, line.0, hundredths(file.tempo.seconds(line)));
    let mut timing = TimingColumns { lines: lines.moved().map(line).collect(), ..TimingColumns::default() };
    for (place, (hit, (was, span_was))) in (0..).zip(hits.iter().zip(opened.part().hits().iter().zip(opened.spans()))) {
        let (at, lasts) = span(file, hit.tick, hit.length);
        timing.ticks.push((hit.tick - was.tick).0 as i64);
        timing.at.push(at - span_was.0);
        if span_was.1 != lasts {
            timing.lasts.push((place, lasts));
        }
    }
    timing
}

/// The hits of a take that sound, in columns, to be held against the one that is shown.
pub(crate) fn take_columns(
    shown: &Opened,
    take: &Opened,
    performance: &Performance,
    lines: &PlayedLines<'_>,
    reading: Measured,
) -> TakeColumns {
    let (file, chart) = (&shown.song.file, shown.chart());
    let context = take.context(1);
    let of_made = |made: &MadeHit| {
        let place = take.chart().instrument_of(made.played.note, made.played.channel);
        lines.line(&context, place, made.anchor)
    };
    let written = performance.written.iter().zip(lines.written.iter().map(|line| Ticks(*line)));
    let struck = written.chain(performance.made.iter().map(|made| (&made.played, of_made(made))));
    let mut columns = TakeColumns {
        ticks: Vec::new(),
        lines: Vec::new(),
        seconds: Vec::new(),
        lengths: Vec::new(),
        velocities: Vec::new(),
        notes: Vec::new(),
        heard: Vec::new(),
        instruments: Vec::new(),
        movement: Vec::new(),
        lanes: performance.lanes.iter().map(lane_columns).collect(),
        reading,
    };
    let mut sounding: Vec<(&PlayedHit, Ticks)> = struck.filter(|(hit, _)| hit.silenced.is_none()).collect();
    sounding.sort_by(|a, b| a.0.tick.0.total_cmp(&b.0.tick.0));
    columns.movement = movement(sounding.iter().map(|(hit, _)| *hit));
    let pedal = performance.pedal(&chart.kit);
    for (hit, line) in sounding {
        let (at, lasts) = span(file, hit.tick, hit.length);
        columns.ticks.push(hit.tick.0);
        columns.lines.push(line.0);
        columns.seconds.push(at as f64 / 1e5);
        columns.lengths.push(lasts as f64 / 1e5);
        columns.velocities.push(hit.velocity.get());
        columns.notes.push(hit.note.get());
        columns.heard.push(pedal.as_ref().map_or(hit.note, |pedal| pedal.note(hit.note, hit.tick)).get());
        columns.instruments.push(chart.instrument_of(hit.note, hit.channel).map(|place| place as u16));
    }
    columns
}
