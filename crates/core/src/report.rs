//! Figures and portraits of a part, Written and Played.

use crate::chart::Chart;
use crate::grid::Grid;
use crate::hit::Part;
use crate::kit::InstrumentId;
use crate::perform::{Context, Performance};
use crate::stats::{lag_1_correlation, mean, outline, quantile, standard_deviation};
use crate::units::{Millis, Ticks, Velocity};
use serde::Serialize;
use ts_rs::TS;

/// How far a time portrait reaches to either side, in ms.
pub const PORTRAIT_REACH: i32 = 60;

/// One reading of one instrument (or of the whole part) in figures.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Figures {
    /// Hits.
    pub count: u32,
    /// Mean velocity.
    pub velocity_mean: f64,
    /// How far velocities spread: their standard deviation.
    pub velocity_spread: f64,
    /// 10th percentile of the velocity.
    pub soft: f64,
    /// Median velocity.
    pub typical: f64,
    /// 90th percentile of the velocity.
    pub hard: f64,
    /// Share (0 to 1) of neighbouring hits of one instrument that have the same velocity.
    pub identical_neighbours: f64,
    /// Mean offset from the grid; late is positive.
    pub offset_mean: Millis,
    /// How far offsets spread: their standard deviation.
    pub offset_spread: Millis,
    /// Share (0 to 1) of hits that lie on the grid to the tick.
    pub on_grid: f64,
    /// Where the offbeat 8ths lie within the beat, in %: 50 is straight, 66.7 triplets. Nothing
    /// with fewer than four of them.
    pub swing: Option<f64>,
    /// How much one offset predicts the next, −1 to 1.
    pub lag_1_correlation: Option<f64>,
}

/// The outlines of one reading of one instrument; the highest place of each is 255.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Portrait {
    /// By velocity, 0 to 127.
    pub touch: Vec<u8>,
    /// By offset from the grid, one place a ms from −60 to 60; hits further off stand at the ends.
    pub time: Vec<u8>,
}

/// One instrument, Written and Played.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct InstrumentReport {
    /// Which.
    pub instrument: InstrumentId,
    /// Before.
    pub written: Figures,
    /// After.
    pub played: Figures,
    /// Before.
    pub written_portrait: Portrait,
    /// After.
    pub played_portrait: Portrait,
}

/// A whole part, Written and Played.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Report {
    /// The grid that offsets are measured against.
    pub grid: Grid,
    /// The distance between two lines of the grid, in ticks.
    pub cell: Ticks,
    /// In the order of the kit.
    pub instruments: Vec<InstrumentReport>,
    /// All instruments together, before.
    pub written: Figures,
    /// All instruments together, after.
    pub played: Figures,
    /// How much louder Played is than Written, in dB: the ratio of their summed energies.
    pub louder: f64,
}

/// One reading of one hit, measured.
#[derive(Clone, Copy)]
struct Measured {
    velocity: u8,
    offset: f64,
    on_grid: bool,
    beat: f64,
}

/// Measure a part and its performance. The grid line of a hit, in either reading, is the one
/// nearest to where it was written or added.
pub fn report(part: &Part, chart: &Chart, context: &Context<'_>, performance: &Performance) -> Report {
    let count = chart.kit.instruments.len();
    let meant = chart.meant(part, context.metre);
    let mut readings = [vec![Vec::new(); count], vec![Vec::new(); count]];
    let mut energy = [0.0, 0.0];
    let loudness: Vec<f64> =
        (0..128).map(|v| Velocity::new(v).map_or(0.0, |velocity| velocity.amplitude().powi(2))).collect();
    let mut count_in = |reading: usize, index: usize, line: f64, tick: Ticks, velocity: Velocity| {
        energy[reading] += loudness[usize::from(velocity.get())];
        if let Some(hits) = readings[reading].get_mut(index) {
            hits.push(measure(context, Ticks(line), tick, velocity));
        }
    };
    for (row, hit) in part.hits().iter().enumerate() {
        count_in(0, usize::from(chart.instruments[row]), meant.lines[row], hit.tick, hit.velocity);
    }
    let mut order: Vec<usize> = (0..performance.hits.len()).collect();
    if order.len() > part.hits().len() {
        order.sort_by(|&a, &b| performance.hits[a].tick.0.total_cmp(&performance.hits[b].tick.0));
    }
    for row in order {
        let played = &performance.hits[row];
        if played.silenced.is_some() {
            continue;
        }
        let index = chart.instrument_of(played.note, played.channel);
        let line = meant.lines.get(row).copied();
        let line = line.unwrap_or_else(|| meant.grid.nearest(context.metre, played.tick).0);
        count_in(1, index, line, played.tick, played.velocity);
    }
    let [written, played] = readings;
    Report {
        grid: meant.grid,
        cell: meant.grid.cell(context.metre.ppq()),
        written: together(&written),
        played: together(&played),
        louder: if energy[0] > 0.0 && energy[1] > 0.0 { 10.0 * (energy[1] / energy[0]).log10() } else { 0.0 },
        instruments: chart
            .kit
            .instruments
            .iter()
            .zip(written.iter().zip(&played))
            .map(|(instrument, (written, played))| InstrumentReport {
                instrument: instrument.id.clone(),
                written: figures(written),
                played: figures(played),
                written_portrait: portrait(written),
                played_portrait: portrait(played),
            })
            .collect(),
    }
}

fn measure(context: &Context<'_>, line: Ticks, tick: Ticks, velocity: Velocity) -> Measured {
    let ppq = context.metre.ppq().as_f64();
    let bar = context.metre.bar_at(line);
    let beat = if bar.metre.is_compound() { ppq * 1.5 } else { ppq };
    Measured {
        velocity: velocity.get(),
        offset: context.tempo.millis_of(tick - line, line).0,
        on_grid: (tick.0 - line.0).abs() <= 0.5,
        beat: (tick.0 - bar.start.0) / beat,
    }
}

fn figures(hits: &[Measured]) -> Figures {
    let velocities: Vec<f64> = hits.iter().map(|hit| f64::from(hit.velocity)).collect();
    let offsets: Vec<f64> = hits.iter().map(|hit| hit.offset).collect();
    let mut sorted = velocities.clone();
    sorted.sort_unstable_by(f64::total_cmp);
    Figures {
        count: hits.len() as u32,
        velocity_mean: mean(&velocities),
        velocity_spread: standard_deviation(&velocities),
        soft: quantile(&sorted, 0.1),
        typical: quantile(&sorted, 0.5),
        hard: quantile(&sorted, 0.9),
        identical_neighbours: share(identical(hits), hits.len().saturating_sub(1)),
        offset_mean: Millis(mean(&offsets)),
        offset_spread: Millis(standard_deviation(&offsets)),
        on_grid: share(hits.iter().filter(|hit| hit.on_grid).count(), hits.len()),
        swing: swing(hits),
        lag_1_correlation: lag_1_correlation(&offsets),
    }
}

/// The figures of all instruments; neighbours are still taken within each instrument.
fn together(instruments: &[Vec<Measured>]) -> Figures {
    let all: Vec<Measured> = instruments.iter().flatten().copied().collect();
    let pairs: usize = instruments.iter().map(|hits| hits.len().saturating_sub(1)).sum();
    let alike: usize = instruments.iter().map(|hits| identical(hits)).sum();
    Figures { identical_neighbours: share(alike, pairs), ..figures(&all) }
}

fn identical(hits: &[Measured]) -> usize {
    hits.windows(2).filter(|pair| pair[0].velocity == pair[1].velocity).count()
}

fn share(some: usize, all: usize) -> f64 {
    if all == 0 { 0.0 } else { some as f64 / all as f64 }
}

fn swing(hits: &[Measured]) -> Option<f64> {
    let places: Vec<f64> =
        hits.iter().map(|hit| hit.beat.rem_euclid(1.0)).filter(|place| (0.4..0.72).contains(place)).collect();
    (places.len() >= 4).then(|| mean(&places) * 100.0)
}

fn portrait(hits: &[Measured]) -> Portrait {
    let mut touch = [0u32; 128];
    let mut time = [0u32; 2 * PORTRAIT_REACH as usize + 1];
    for hit in hits {
        touch[usize::from(hit.velocity)] += 1;
        let place = (hit.offset.round() as i32).clamp(-PORTRAIT_REACH, PORTRAIT_REACH) + PORTRAIT_REACH;
        time[place as usize] += 1;
    }
    Portrait { touch: outline(&touch, 4), time: outline(&time, 2) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::action::{Action, Lean, Level};
    use crate::aim::{Aim, BarRange};
    use crate::kit::Kit;
    use crate::metre::MetreMap;
    use crate::perform::{perform, testing::sixteenths};
    use crate::recipe::{Pass, Recipe};
    use crate::tempo::TempoMap;
    use crate::units::Ppq;

    fn reported(part: &Part, passes: Vec<Pass>) -> Report {
        let ppq = Ppq::new(960).unwrap();
        let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
        let context = Context::new(&tempo, &metre);
        let chart = Chart::new(part, Kit::of_drums(part));
        let performance = perform(part, &chart, &Recipe { passes }, &context);
        report(part, &chart, &context, &performance)
    }

    #[test]
    fn a_stiff_part_is_all_identical_and_all_on_the_grid() {
        let stiff = reported(&sixteenths(&[100; 32]), vec![]);
        assert_eq!(stiff.written, stiff.played);
        assert_eq!((stiff.written.identical_neighbours, stiff.written.on_grid), (1.0, 1.0));
        assert_eq!((stiff.written.soft, stiff.written.hard, stiff.louder), (100.0, 100.0, 0.0));
        assert_eq!(stiff.written.swing, Some(50.0));
        assert_eq!(stiff.grid.to_string(), "1/16");
        assert_eq!(stiff.instruments[0].written_portrait.touch[100], 255);
        assert_eq!(stiff.instruments[0].written_portrait.time[PORTRAIT_REACH as usize], 255);
    }

    #[test]
    fn leaning_and_levelling_show_in_the_figures() {
        let second_bar = Aim { bars: vec![BarRange { from: 2, to: 2 }], ..Aim::default() };
        let played = reported(
            &sixteenths(&[60; 32]),
            vec![
                Pass::new(1, second_bar, Action::Lean(Lean { by: Millis(10.0) })),
                Pass::new(2, Aim::everything(), Action::Level(Level { by: 30.0 })),
            ],
        );
        assert!((played.played.offset_mean.0 - 5.0).abs() < 0.1);
        assert_eq!(played.played.on_grid, 0.5);
        assert_eq!(played.played.velocity_mean, 90.0);
        // (90/60)^1.7 in amplitude: 20·1.7·log10(1.5) dB.
        assert!((played.louder - 5.987).abs() < 0.01, "{}", played.louder);
        assert!(played.played.lag_1_correlation.unwrap() > 0.9, "sixteen early, then sixteen late");
    }
}
