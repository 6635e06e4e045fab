//! Figures and portraits of a part, Written and Played.

use crate::base::stats::{Counts, lag_1_correlation, mean, outline, standard_deviation};
use crate::base::units::{Millis, Ticks, Velocity};
use crate::kit::chart::Chart;
use crate::kit::meant::Meant;
use crate::kit::{Instrument, InstrumentId};
use crate::part::graces::Ornament;
use crate::part::hit::{HitId, Part};
use crate::part::lane::Lane;
use crate::perform::{Context, MadeHit, Performance, PlayedHit};
use crate::read::movement::{self, MovementReading};
use crate::read::played_lines::PlayedLines;
use crate::read::steadiness::{Beat, Kept, Together, beat, looseness, together};
use crate::time::grid::Grid;
use crate::time::lines::Lines;
use crate::time::reference::LinesFrom;
use crate::time::swung::SwingFigure;
use serde::Serialize;
use std::collections::BTreeMap;
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
    /// Grace notes among them, which keep no time of their own.
    pub graces: u32,
    /// Mean offset from the lines that are meant, without grace notes; late is positive.
    pub offset_mean: Millis,
    /// How far offsets spread: their standard deviation.
    pub offset_spread: Millis,
    /// How loosely hits lie around the beat that they follow, without what the beat itself adds; of all together the root
    /// of the mean square. Nothing with fewer than 18 hits.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub looseness: Option<Millis>,
    /// The hit that is furthest from where the others are.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub worst: Option<WorstHit>,
    /// Share (0 to 1) of hits that lie on their lines to the tick.
    pub on_grid: f64,
    /// Share (0 to 1) of hits that come before their line, by more than half a tick.
    pub early: f64,
    /// Share (0 to 1) of hits that come behind it.
    pub late: f64,
    /// Where the offbeat 8ths lie within the beat, in %: 50 is straight, 66.7 triplets. Measured from
    /// where the instrument's own beats lie, so that leaning is no swing; without any, from the beat.
    /// Nothing with fewer than four of either, or where the standard error is above 1.5 %.
    pub swing: Option<f64>,
    /// Where every second 16th lies within its half of the beat, likewise; two of the four in either half.
    pub swing_sixteenths: Option<f64>,
    /// What of it is heard: of 16ths, else of 8ths.
    pub heard_swing: Option<SwingFigure>,
    /// How much one offset predicts the next, −1 to 1.
    pub lag_1_correlation: Option<f64>,
}

/// A hit that is far from its line.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, TS)]
pub struct WorstHit {
    /// Which.
    pub hit: HitId,
    /// How late.
    pub late: Millis,
    /// The bar of its line.
    pub bar: u32,
}

/// How many hits are ornamented in one way.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, TS)]
pub struct OrnamentCount {
    /// How.
    pub ornament: Ornament,
    /// How many.
    pub count: u32,
}

/// The outlines of one reading of one instrument; the highest place of each is 255.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Portrait {
    /// By velocity, 0 to 127.
    pub touch: Vec<u8>,
    /// By offset from the grid, one place a ms from −60 to 60; hits further off stand at the ends.
    pub time: Vec<u8>,
}

/// One instrument in one reading.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct MeasuredInstrument {
    /// Which.
    pub instrument: InstrumentId,
    /// In numbers.
    pub figures: Figures,
    /// In outlines.
    pub portrait: Portrait,
    /// The lines that its timing is measured against, bar by bar.
    pub lines: Vec<LinesFrom>,
    /// The same in words: “straight 16ths, 8th triplets in bar 8”.
    pub lines_said: String,
    /// Flams, drags, ruffs and rolls, as they were written.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[ts(optional, as = "Option<Vec<OrnamentCount>>")]
    pub ornaments: Vec<OrnamentCount>,
    /// The same in words: “12 flams, 1 roll”.
    #[serde(skip_serializing_if = "String::is_empty")]
    #[ts(optional, as = "Option<String>")]
    pub ornaments_said: String,
    /// How its hits move, in each property in which any of the part's do.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[ts(optional, as = "Option<Vec<MovementReading>>")]
    pub movement: Vec<MovementReading>,
}

impl MeasuredInstrument {
    /// Of an instrument that is not struck.
    pub fn silent(instrument: InstrumentId) -> MeasuredInstrument {
        let nothing = Tally::default();
        let (figures, portrait) = (nothing.figures(), nothing.portrait());
        let (lines, lines_said, ornaments, ornaments_said, movement) = Default::default();
        MeasuredInstrument { instrument, figures, portrait, lines, lines_said, ornaments, ornaments_said, movement }
    }
}

/// One reading of a part, measured.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Measured {
    /// All instruments together.
    pub all: Figures,
    /// In the order of the kit.
    pub instruments: Vec<MeasuredInstrument>,
    /// The beat that all drums share; nothing where they are too few to tell.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub beat: Option<Beat>,
    /// Those drums that land together most often, and how far apart.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[ts(optional, as = "Option<Vec<Together>>")]
    pub together: Vec<Together>,
    /// The summed energy of the hits in dB, for comparing readings; nothing where nothing sounds.
    pub loudness: Option<f64>,
}

impl Measured {
    /// The Written reading of a part. The chart keeps it: nothing changes what was written.
    pub fn written<'a>(part: &Part, chart: &'a Chart, context: &Context<'_>) -> &'a Measured {
        chart.written(|| {
            let meant = chart.meant(part, context.metre, context.tempo);
            let mut tallies = Tallies::new(chart);
            for (index, (hit, &place)) in part.hits().iter().zip(&chart.instruments).enumerate() {
                let place = place.map(usize::from);
                let line = (!meant.graces.is_one(index)).then(|| Ticks(meant.lines[index]));
                tallies.take(context, place, line, &PlayedHit::as_written(hit));
                tallies.amplify(place, hit.velocity, loud_at(context.lanes.iter(), hit.tick));
            }
            tallies.measured(chart, |place| meant.of_drum(place), meant)
        })
    }

    /// The Played reading. The line of a hit is that of the place where it was written, or of the anchor that it was made
    /// with; where passes swing it, or straighten it, it is that of the same place there.
    pub fn played(part: &Part, chart: &Chart, context: &Context<'_>, performance: &Performance) -> Measured {
        Measured::played_on(part, chart, context, performance, &PlayedLines::of(part, chart, context, performance))
    }

    /// The same on lines that were found before.
    pub fn played_on(
        part: &Part,
        chart: &Chart,
        context: &Context<'_>,
        performance: &Performance,
        lines: &PlayedLines<'_>,
    ) -> Measured {
        let mut tallies = Tallies::new(chart);
        let first_made = performance.written.len();
        let mut made: Vec<(usize, &MadeHit)> =
            (first_made..).zip(&performance.made).filter(|(_, made)| made.played.silenced.is_none()).collect();
        made.sort_by(|a, b| a.1.played.tick.0.total_cmp(&b.1.played.tick.0));
        let mut made = made.into_iter().peekable();
        let mut take = |index: usize, hit: &PlayedHit, line: &dyn Fn(Option<usize>) -> Ticks| {
            let place = chart.instrument_of(hit.note, hit.channel);
            let line = (!lines.graces[index]).then(|| line(place));
            tallies.take(context, place, line, hit);
            let lanes = performance.lanes.iter().map(|one| &one.lane);
            tallies.amplify(place, hit.velocity, loud_at(lanes, hit.tick) * decibels(hit.movement.level));
        };
        for (index, (hit, &line)) in performance.written.iter().zip(lines.written.iter()).enumerate() {
            while let Some(one) = made.next_if(|(_, one)| one.played.tick < hit.tick) {
                take(one.0, &one.1.played, &|place| lines.line(context, place, one.1.anchor));
            }
            if hit.silenced.is_none() {
                take(index, hit, &|_| Ticks(line));
            }
        }
        made.for_each(|(index, one)| take(index, &one.played, &|place| lines.line(context, place, one.anchor)));
        let meant = chart.meant(part, context.metre, context.tempo);
        let mut measured = tallies.measured(chart, |place| lines.of_drum(place), meant);
        let moving = movement::readings(chart, performance);
        measured.instruments.iter_mut().zip(moving).for_each(|(one, movement)| one.movement = movement);
        measured
    }
}

/// A whole part, Written and Played.
#[derive(Clone, Debug, PartialEq)]
pub struct Report {
    /// The grid that offsets are measured against.
    pub grid: Grid,
    /// Before.
    pub written: Measured,
    /// After.
    pub played: Measured,
}

impl Report {
    /// How much louder Played is than Written, in dB.
    pub fn louder(&self) -> f64 {
        self.played.loudness.zip(self.written.loudness).map_or(0.0, |(played, written)| played - written)
    }
}

/// Measure a part and its performance.
pub fn report(part: &Part, chart: &Chart, context: &Context<'_>, performance: &Performance) -> Report {
    Report {
        grid: chart.meant(part, context.metre, context.tempo).grid,
        written: Measured::written(part, chart, context).clone(),
        played: Measured::played(part, chart, context, performance),
    }
}

/// What is gathered of some hits, in the order in which they come.
#[derive(Clone)]
struct Tally {
    /// How many hits have each velocity.
    velocities: [u32; 128],
    last: Option<Velocity>,
    /// Neighbours of one velocity, and all pairs of neighbours.
    alike: usize,
    pairs: usize,
    graces: usize,
    /// In ms from their lines, and the hits and the bars.
    offsets: Vec<f64>,
    hits: Vec<(HitId, u32)>,
    /// The same offsets, each with its line.
    kept: Vec<Kept>,
    on_grid: usize,
    early: usize,
    /// Where in the beat those lie that may be offbeat 8ths, and how far off it those on the beat.
    offbeats: Offbeats,
    beats: Vec<f64>,
    /// Where in either half of the beat those lie that may be every second 16th, and how far off it those
    /// where a half begins.
    sixteenths: [Offbeats; 2],
    halves: Vec<f64>,
}

impl Default for Tally {
    fn default() -> Tally {
        Tally {
            velocities: [0; 128],
            last: None,
            alike: 0,
            pairs: 0,
            graces: 0,
            offsets: Vec::new(),
            hits: Vec::new(),
            kept: Vec::new(),
            on_grid: 0,
            early: 0,
            offbeats: Offbeats::default(),
            beats: Vec::new(),
            sixteenths: Default::default(),
            halves: Vec::new(),
        }
    }
}

/// What may be the second of a pair, by where in the pair it lies.
#[derive(Clone, Default)]
struct Offbeats {
    places: Vec<f64>,
    /// How many lie still later, where no swing goes but the last of four.
    later: usize,
}

impl Offbeats {
    /// Whether it may be one.
    fn take(&mut self, place: f64) -> bool {
        let swung = (0.4..0.72).contains(&place);
        if swung {
            self.places.push(place);
        }
        self.later += usize::from((0.72..0.85).contains(&place));
        swung
    }

    fn extend(&mut self, other: &Offbeats) {
        self.places.extend(&other.places);
        self.later += other.later;
    }

    /// Where they lie. Who plays four to the pair has early last ones among what is far behind its middle:
    /// those are left out.
    fn found(&self) -> Vec<f64> {
        let far = |place: f64| place >= 0.6;
        let in_fours = self.later * 2 >= self.places.iter().filter(|&&place| far(place)).count();
        self.places.iter().copied().filter(|&place| !(in_fours && far(place))).collect()
    }
}

/// Which lines count where: those that count longest alone, and up to two places where others do.
fn lines_in_words(lines: &[LinesFrom]) -> String {
    const SAID: usize = 2;
    let mut longest: Vec<(Lines, u32)> = Vec::new();
    for (nth, from) in lines.iter().enumerate() {
        // The last ones go on for as long as anybody knows.
        let bars = lines.get(nth + 1).map_or(8, |next| next.bar - from.bar);
        match longest.iter_mut().find(|(known, _)| *known == from.lines) {
            Some((_, count)) => *count += bars,
            None => longest.push((from.lines, bars)),
        }
    }
    let Some((most, _)) = longest.into_iter().rev().max_by_key(|(_, bars)| *bars) else { return String::new() };
    let others = lines.iter().enumerate().filter(|(_, from)| from.lines != most);
    let place = |(nth, from): (usize, &LinesFrom)| match lines.get(nth + 1) {
        Some(next) if next.bar == from.bar + 1 => format!("{} in bar {}", from.lines, from.bar),
        Some(next) => format!("{} in bars {} to {}", from.lines, from.bar, next.bar - 1),
        None => format!("{} from bar {} on", from.lines, from.bar),
    };
    let places: Vec<String> = others.clone().take(SAID).map(place).collect();
    let more = others.count().saturating_sub(SAID);
    let mut said = std::iter::once(most.to_string()).chain(places).collect::<Vec<String>>().join("; ");
    if more > 0 {
        said += &format!("; {more} more {}", if more == 1 { "change" } else { "changes" });
    }
    said
}

fn ornaments_in_words(ornaments: &[OrnamentCount]) -> String {
    let one = |OrnamentCount { ornament, count }: &OrnamentCount| {
        let name = match ornament {
            Ornament::Flam => "flam",
            Ornament::Drag => "drag",
            Ornament::Ruff => "ruff",
            Ornament::Roll => "roll",
        };
        format!("{count} {name}{}", if *count == 1 { "" } else { "s" })
    };
    ornaments.iter().map(one).collect::<Vec<String>>().join(", ")
}

/// Where the offbeats lie on average, in %, counted from where the beats do; without any, from their
/// lines. Nothing where they are so few and so uneven that the mean may be off by more than a few %.
fn swing_of(offbeats: &[f64], beats: &[f64]) -> Option<f64> {
    let error = |places: &[f64]| standard_deviation(places).powi(2) / places.len().max(1) as f64;
    let sure = (error(offbeats) + error(beats)).sqrt() <= 0.015 && !(1..4).contains(&beats.len());
    sure.then(|| (mean(offbeats) - mean(beats)) * 100.0)
}

/// What lanes leave less of than this share of its energy is nothing: a difference of sums is no nearer.
const SILENT: f64 = 1e-9;

/// How many times as loud lanes make what is struck there, as an amplitude.
fn loud_at<'a>(lanes: impl Iterator<Item = &'a Lane>, at: Ticks) -> f64 {
    let of = |lane: &Lane| if lane.is_empty() { None } else { lane.kind.amplitude(lane.at(at.0)) };
    lanes.filter_map(of).product()
}

fn decibels(db: f32) -> f64 {
    if db == 0.0 { 1.0 } else { libm::pow(10.0, f64::from(db) / 20.0) }
}

/// What is within half a tick of its line is exact: nearer no tick can be.
pub(crate) const EXACT: f64 = 0.5 + 1e-6;

/// What is gathered of each instrument, and the energy that movement and lanes add.
struct Tallies(Vec<Tally>, f64);

impl Tallies {
    fn new(chart: &Chart) -> Tallies {
        Tallies(vec![Tally::default(); chart.kit.instruments.len()], 0.0)
    }

    /// A hit of an instrument; grace notes have no line.
    fn take(&mut self, context: &Context<'_>, place: Option<usize>, line: Option<Ticks>, hit: &PlayedHit) {
        let Some(tally) = place.and_then(|place| self.0.get_mut(place)) else { return };
        let PlayedHit { tick, velocity, .. } = *hit;
        tally.velocities[usize::from(velocity.get())] += 1;
        if let Some(last) = tally.last.replace(velocity) {
            tally.pairs += 1;
            tally.alike += usize::from(last == velocity);
        }
        let Some(line) = line else {
            tally.graces += 1;
            return;
        };
        let late = context.tempo.millis_of(tick - line, line).0;
        tally.offsets.push(late);
        tally.kept.push(Kept { line: line.0 / context.metre.ppq().as_f64(), late });
        tally.on_grid += usize::from((tick.0 - line.0).abs() <= EXACT);
        tally.early += usize::from(tick.0 - line.0 < -EXACT);
        let ppq = context.metre.ppq().as_f64();
        let bar = context.metre.bar_at(line);
        tally.hits.push((hit.id, bar.number));
        let beat = if bar.metre.is_compound() { ppq * 1.5 } else { ppq };
        let within = |of: f64| of - of.floor();
        let beats = (tick.0 - bar.start.0) / beat;
        let place = within(beats);
        // The 8ths of compound metres come in threes and are no pairs; their 16ths are.
        let compound = bar.metre.is_compound();
        let half = within(beats * if compound { 3.0 } else { 2.0 });
        // A little before the beat is a little before 0.
        let from_line = |place: f64| if place > 0.5 { place - 1.0 } else { place };
        let offbeat = !compound && tally.offbeats.take(place);
        if !offbeat && from_line(place).abs() < 0.15 {
            tally.beats.push(from_line(place));
        }
        let second = tally.sixteenths[usize::from(place >= 0.5)].take(half);
        if !second && from_line(half).abs() < 0.15 {
            tally.halves.push(from_line(half));
        }
    }

    /// A hit is so many times as loud as its velocity says.
    fn amplify(&mut self, index: Option<usize>, velocity: Velocity, factor: f64) {
        if factor != 1.0 && index.is_some_and(|index| index < self.0.len()) {
            self.1 += velocity.amplitude().powi(2) * (factor * factor - 1.0);
        }
    }

    fn measured<'a>(
        mut self,
        chart: &Chart,
        lines: impl Fn(Option<usize>) -> &'a [LinesFrom],
        meant: &Meant,
    ) -> Measured {
        let mut all = Tally::default();
        for one in &self.0 {
            all.velocities.iter_mut().zip(one.velocities).for_each(|(sum, count)| *sum += count);
            all.alike += one.alike;
            all.pairs += one.pairs;
            all.graces += one.graces;
            all.offsets.extend(&one.offsets);
            all.hits.extend(&one.hits);
            all.on_grid += one.on_grid;
            all.early += one.early;
            all.sixteenths.iter_mut().zip(&one.sixteenths).for_each(|(all, own)| all.extend(own));
            all.offbeats.extend(&one.offbeats);
            all.beats.extend(&one.beats);
            all.halves.extend(&one.halves);
        }
        let plain: f64 = (0..=127)
            .filter_map(|velocity| Some((Velocity::new(velocity)?, all.velocities[usize::from(velocity)])))
            .map(|(velocity, count)| velocity.amplitude().powi(2) * f64::from(count))
            .sum();
        let energy = plain + self.1;
        let mut ornaments: Vec<BTreeMap<Ornament, u32>> = vec![BTreeMap::new(); self.0.len()];
        for (index, ornament) in &meant.graces.ornaments {
            let place = chart.instruments[*index as usize].map(usize::from);
            if let Some(counts) = place.and_then(|place| ornaments.get_mut(place)) {
                *counts.entry(*ornament).or_default() += 1;
            }
        }
        let counted = |(&ornament, &count): (&Ornament, &u32)| OrnamentCount { ornament, count };
        let one = |(place, (instrument, tally)): (usize, (&Instrument, &Tally))| {
            let ornaments: Vec<OrnamentCount> = ornaments[place].iter().map(counted).collect();
            let lines = lines(Some(place));
            MeasuredInstrument {
                instrument: instrument.id.clone(),
                figures: tally.figures(),
                portrait: tally.portrait(),
                lines_said: if tally.offsets.is_empty() { String::new() } else { lines_in_words(lines) },
                lines: lines.to_vec(),
                ornaments_said: ornaments_in_words(&ornaments),
                ornaments,
                movement: Vec::new(),
            }
        };
        let mut instruments: Vec<MeasuredInstrument> =
            chart.kit.instruments.iter().zip(&self.0).enumerate().map(one).collect();
        let kept: Vec<Vec<Kept>> = self.0.iter_mut().map(|one| std::mem::take(&mut one.kept)).collect();
        let (apart, together) = together(&chart.kit.instruments, &kept);
        let (mut squares, mut strokes) = (0.0, 0.0);
        for (one, kept) in instruments.iter_mut().zip(&kept) {
            // Estimated from neighbours, it may come out above all that there is.
            let spread = one.figures.offset_spread;
            one.figures.looseness = looseness(kept).map(|found| Millis(found.0.min(spread.0)));
            if let Some(Millis(loose)) = one.figures.looseness {
                squares += loose * loose * kept.len() as f64;
                strokes += kept.len() as f64;
            }
        }
        let mut all = all.figures();
        all.looseness = (strokes > 0.0).then(|| Millis((squares / strokes).sqrt()));
        Measured {
            all,
            instruments,
            beat: beat(&kept).map(|(clock, wander)| Beat { clock, wander, apart }),
            together,
            loudness: (energy > SILENT * plain).then(|| 10.0 * libm::log10(energy)),
        }
    }
}

impl Tally {
    /// Neighbours are always those of one instrument, also in the figures of all together.
    fn figures(&self) -> Figures {
        let velocities = Counts::new(&self.velocities);
        let offbeats = self.offbeats.found();
        let sixteenths = self.sixteenths.each_ref().map(Offbeats::found);
        let sixteenths = sixteenths
            .iter()
            .all(|half| half.len() >= 2)
            .then_some(sixteenths.concat())
            .and_then(|offbeats| swing_of(&offbeats, &self.halves));
        let eighths = (offbeats.len() >= 4).then_some(offbeats).and_then(|offbeats| swing_of(&offbeats, &self.beats));
        let of = |grid: Grid, found: Option<f64>| found.map(|percent| SwingFigure::new(grid, percent));
        let swings = [of(Grid::SIXTEENTHS, sixteenths), of(Grid::straight(8), eighths)];
        let middle = mean(&self.offsets);
        let far = |late: f64| (late - middle).abs();
        let worst =
            self.offsets.iter().zip(&self.hits).max_by(|a, b| far(*a.0).total_cmp(&far(*b.0)).then(b.1.cmp(a.1)));
        let share = |some: usize, all: usize| if all == 0 { 0.0 } else { some as f64 / all as f64 };
        Figures {
            count: velocities.count,
            velocity_mean: velocities.mean(),
            velocity_spread: velocities.standard_deviation(),
            soft: velocities.quantile(0.1),
            typical: velocities.quantile(0.5),
            hard: velocities.quantile(0.9),
            identical_neighbours: share(self.alike, self.pairs),
            graces: self.graces as u32,
            offset_mean: Millis(middle),
            offset_spread: Millis(standard_deviation(&self.offsets)),
            looseness: None,
            worst: worst.map(|(&late, &(hit, bar))| WorstHit { hit, late: Millis(late), bar }),
            on_grid: share(self.on_grid, self.offsets.len()),
            early: share(self.early, self.offsets.len()),
            late: share(self.offsets.len() - self.on_grid - self.early, self.offsets.len()),
            swing_sixteenths: sixteenths,
            swing: eighths,
            heard_swing: swings.into_iter().flatten().find(|swing| swing.heard),
            lag_1_correlation: lag_1_correlation(&self.offsets),
        }
    }

    fn portrait(&self) -> Portrait {
        let mut time = [0u32; 2 * PORTRAIT_REACH as usize + 1];
        for offset in &self.offsets {
            let place = (offset.round() as i32).clamp(-PORTRAIT_REACH, PORTRAIT_REACH) + PORTRAIT_REACH;
            time[place as usize] += 1;
        }
        Portrait { touch: outline(&self.velocities, 4), time: outline(&time, 2) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::Ppq;
    use crate::kit::Kit;
    use crate::perform::{perform, testing::sixteenths};
    use crate::recipe::action::{Action, Lean, Level};
    use crate::recipe::aim::{Aim, BarRange};
    use crate::recipe::{Pass, Recipe};
    use crate::time::metre::MetreMap;
    use crate::time::tempo::TempoMap;

    fn reported(part: &Part, passes: Vec<Pass>) -> Report {
        let ppq = Ppq::new(960).unwrap();
        let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
        let context = Context::new(&tempo, &metre);
        let chart = Chart::new(part, Kit::of_drums(part));
        let performance = perform(part, &chart, &Recipe::of(passes), &context);
        report(part, &chart, &context, &performance)
    }

    #[test]
    fn a_stiff_part_is_all_identical_and_all_on_the_grid() {
        let stiff = reported(&sixteenths(&[100; 32]), vec![]);
        assert_eq!(stiff.written, stiff.played);
        let all = &stiff.written.all;
        assert_eq!((all.identical_neighbours, all.on_grid), (1.0, 1.0));
        assert_eq!((all.soft, all.hard, stiff.louder()), (100.0, 100.0, 0.0));
        assert_eq!((all.swing, all.swing_sixteenths), (Some(50.0), Some(50.0)));
        assert_eq!((all.early, all.late), (0.0, 0.0));
        assert_eq!(stiff.grid.to_string(), "1/16");
        let portrait = &stiff.written.instruments[0].portrait;
        assert_eq!((portrait.touch[100], portrait.time[PORTRAIT_REACH as usize]), (255, 255));
    }

    #[test]
    fn leaning_and_levelling_show_in_the_figures() {
        let second_bar = Aim { bars: vec![BarRange { from: 2, to: 2 }], ..Aim::default() };
        let played = reported(
            &sixteenths(&[60; 32]),
            vec![
                Pass::new(1, second_bar, Action::Lean(Lean { by: Millis(10.0), ..Lean::default() })),
                Pass::new(2, Aim::everything(), Action::Level(Level { by: 30.0 })),
            ],
        );
        assert!((played.played.all.offset_mean.0 - 5.0).abs() < 0.1);
        assert_eq!(played.played.all.on_grid, 0.5);
        assert_eq!((played.played.all.early, played.played.all.late), (0.0, 0.5));
        assert_eq!(played.played.all.velocity_mean, 90.0);
        // (90/60)^1.7 in amplitude: 20·1.7·log10(1.5) dB.
        assert!((played.louder() - 5.987).abs() < 0.01, "{}", played.louder());
        assert!(played.played.all.lag_1_correlation.unwrap() > 0.9, "sixteen early, then sixteen late");
    }
}
