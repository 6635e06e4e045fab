//! What the engine says, put into the shapes that travel.

use crate::api::*;
use crate::app::Opened;
use std::hash::{DefaultHasher, Hash, Hasher};
use vivida_core::{Chart, Part, Performance, PlayedHit, Reading, Ticks};
use vivida_smf::SongFile;

pub(crate) fn hit_count(file: &SongFile) -> usize {
    file.parts.iter().map(|part| part.part.hits().len()).sum()
}

pub(crate) fn bpm(file: &SongFile) -> f64 {
    let quarters = file.tempo.bpm(Ticks(0.0));
    let beats = if file.metre.bar(1).metre.is_compound() { quarters / 1.5 } else { quarters };
    // A tempo event counts whole microseconds: 88 bpm come as 88.000088.
    (beats * 1000.0).round() / 1000.0
}

/// Up to four bars of a part, from where its first hit lies.
pub(crate) fn picture(
    file: &SongFile,
    chart: &Chart,
    written: &Reading,
    played: &Reading,
    hits: &[PlayedHit],
) -> Picture {
    let first = hits.first().map_or(1, |hit| file.metre.bar_at(hit.tick).number);
    let last = file.metre.bar(first + 3);
    let start = file.metre.bar(first).start.0;
    let length = last.start.0 + last.length.0 - start;
    let sounding = hits.iter().filter(|hit| hit.silenced.is_none());
    let shown = sounding.filter(|hit| (start..start + length).contains(&hit.tick.0)).take(400);
    let mut picture = Picture {
        places: Vec::new(),
        rows: Vec::new(),
        velocities: Vec::new(),
        row_count: chart.kit.instruments.len().min(255) as u8,
        identical_neighbours: [written.all.identical_neighbours, played.all.identical_neighbours],
        on_grid: [written.all.on_grid, played.all.on_grid],
    };
    for hit in shown {
        picture.places.push(((hit.tick.0 - start) / length) as f32);
        picture.rows.push(chart.instrument_of(hit.note, hit.channel).min(255) as u8);
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

pub(crate) fn written(part: &Part, spans: &[Span], lines: &[f64], chart: &Chart) -> WrittenColumns {
    let hits = part.hits();
    WrittenColumns {
        ids: hits.iter().map(|hit| hit.id.0).collect(),
        ticks: hits.iter().map(|hit| hit.tick.0).collect(),
        velocities: hits.iter().map(|hit| hit.velocity.get()).collect(),
        notes: hits.iter().map(|hit| hit.note.get()).collect(),
        instruments: chart.instruments.clone(),
        seconds: spans.iter().map(|&(at, _)| at as f64 / 1e5).collect(),
        lengths: spans.iter().map(|&(_, lasts)| lasts as f64 / 1e5).collect(),
        grid_lines: lines.to_vec(),
    }
}

/// The columns of a performance; those of its timing and its touch only where the page does not have them already.
pub(crate) fn columns(
    opened: &Opened,
    performance: Performance,
    reading: Reading,
    known_timing: Option<&str>,
    known_touch: Option<&str>,
) -> PerformanceColumns {
    let (file, part, chart) = (&opened.song.file, opened.part(), opened.chart());
    let mut timing_hasher = DefaultHasher::new();
    let mut touch_hasher = DefaultHasher::new();
    for hit in &performance.hits {
        (hit.tick.0 as i64, hit.length.0 as i64).hash(&mut timing_hasher);
        hit.velocity.get().hash(&mut touch_hasher);
    }
    let timing_key = format!("{:016x}", timing_hasher.finish());
    let touch_key = format!("{:016x}", touch_hasher.finish());
    let timing = (known_timing != Some(&timing_key)).then(|| timing(opened, &performance));
    let velocities = || performance.hits.iter().map(|hit| hit.velocity.get()).collect();
    let velocities = (known_touch != Some(&touch_key)).then(velocities);
    let hits = &performance.hits;
    let written = part.hits().len();
    let grid = chart.meant(part, &file.metre).grid;
    let silenced = (0..).zip(hits).filter_map(|(row, hit): (u32, _)| Some((row, hit.silenced?)));
    // Which drum plays a hit is told where that is not as it was written.
    let elsewhere = (0..).zip(hits).take(written).filter_map(|(row, hit): (u32, _)| {
        let index = chart.instrument_of(hit.note, hit.channel) as u16;
        (index != chart.instruments[row as usize]).then_some((row, index, hit.note.get()))
    });
    let added = hits[written..].iter().map(|hit| AddedHit {
        id: hit.id.0,
        instrument: chart.instrument_of(hit.note, hit.channel) as u16,
        note: hit.note.get(),
        grid_line: grid.nearest(&file.metre, hit.tick).0,
    });
    PerformanceColumns {
        timing_key,
        timing,
        touch_key,
        velocities,
        silenced: silenced.collect(),
        elsewhere: elsewhere.collect(),
        added: added.collect(),
        passes: performance.passes,
        reading,
    }
}

fn timing(opened: &Opened, performance: &Performance) -> TimingColumns {
    let file = &opened.song.file;
    let mut timing = TimingColumns::default();
    let mut written = opened.part().hits().iter().zip(opened.spans());
    for (row, hit) in (0..).zip(&performance.hits) {
        let (at, lasts) = span(file, hit.tick, hit.length);
        let was = written.next();
        timing.ticks.push((hit.tick - was.map_or(Ticks(0.0), |(hit, _)| hit.tick)).0 as i64);
        timing.at.push(at - was.map_or(0, |(_, span)| span.0));
        if was.is_none_or(|(_, span)| span.1 != lasts) {
            timing.lasts.push((row, lasts));
        }
    }
    timing
}

/// The hits of a take that sound, in columns, to be held against another.
pub(crate) fn take_columns(file: &SongFile, chart: &Chart, performance: &Performance, reading: Reading) -> TakeColumns {
    let mut columns = TakeColumns {
        ticks: Vec::new(),
        seconds: Vec::new(),
        lengths: Vec::new(),
        velocities: Vec::new(),
        notes: Vec::new(),
        instruments: Vec::new(),
        reading,
    };
    let mut sounding: Vec<&PlayedHit> = performance.sounding().collect();
    sounding.sort_by(|a, b| a.tick.0.total_cmp(&b.tick.0));
    for hit in sounding {
        let (at, lasts) = span(file, hit.tick, hit.length);
        columns.ticks.push(hit.tick.0);
        columns.seconds.push(at as f64 / 1e5);
        columns.lengths.push(lasts as f64 / 1e5);
        columns.velocities.push(hit.velocity.get());
        columns.notes.push(hit.note.get());
        columns.instruments.push(chart.instrument_of(hit.note, hit.channel) as u16);
    }
    columns
}
