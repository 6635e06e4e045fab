//! What is wrong with timing.

use super::{Finding, Listening, Rule, called, cure, in_bars};
use crate::base::stats::{mean, median};
use crate::base::units::{Millis, Percent, Ticks};
use crate::kit::{Instrument, InstrumentId};
use crate::read::report::EXACT;
use crate::recipe::action::{Action, Drifts, Loosen, Pull, PullLines, Spread};
use crate::recipe::aim::{Aim, BarRange};
use crate::time::grid::Grid;
use crate::time::lines::Lines;
use crate::time::reference::{LineFinder, LinesFrom, lines_at};
use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet};

/// Fewer hits say nothing about timing.
const ENOUGH: usize = 16;

pub(super) fn findings(all: &Listening<'_>) -> Vec<Finding> {
    let drums = steady_enough(all);
    let shared = late_by_bar(all, &drums);
    let loose = loose(all, &drums);
    // Where all are loose nobody is looser than the others, and nothing is between lines.
    let (ragged, between_lines) = match loose {
        Some(_) => (Vec::new(), Vec::new()),
        None => (ragged(all, &drums), between_lines(all, &drums, &shared)),
    };
    let found = on_grid(all).into_iter().chain(loose).chain(rushing(all, &drums, &shared));
    found.chain(ragged).chain(between_lines).collect()
}

/// How far from its line a hit sounds, in ticks; nothing for grace notes and for what passes made.
fn offset(all: &Listening<'_>, place: usize) -> Option<f64> {
    let index = all.heard[place].index;
    let hit = all.performance.written.get(index)?;
    (!all.lines.graces[index]).then(|| hit.tick.0 - all.lines.written[index])
}

/// How far from its line a hit sounds, in ms.
fn late(all: &Listening<'_>, place: usize) -> Option<f64> {
    let at = Ticks(all.heard[place].anchor);
    Some(all.context.tempo.millis_of(Ticks(offset(all, place)?), at).0)
}

fn on_grid(all: &Listening<'_>) -> Option<Finding> {
    let offsets: Vec<f64> = (0..all.heard.len()).filter_map(|place| offset(all, place)).collect();
    let exact = offsets.iter().filter(|by| by.abs() <= EXACT).count() as f64 / offsets.len() as f64;
    if offsets.len() < ENOUGH || exact < all.thresholds.on_grid {
        return None;
    }
    let how_many = if exact == 1.0 { "Everything".to_owned() } else { format!("{:.0} % of it", 100.0 * exact) };
    let said = format!("{how_many} sits exactly on {}.", lines_in_words(all));
    let clock = |drift: f64| {
        let error = Millis(drift.round());
        let (spread, wander) = (Spread::Bell, Millis(drift));
        let natural = Loosen { drifts: Drifts::Natural, slowness: 0.9, ..Loosen::default() };
        (Aim::everything(), Action::Loosen(Loosen { early: error, late: error, spread, wander, ..natural }))
    };
    Some(Finding {
        rule: Rule::OnGrid,
        instrument: None,
        said,
        bars: Vec::new(),
        hits: Vec::new(),
        count: offsets.len() as u32,
        weight: 0.85 * exact,
        proposals: vec![cure("A steady player’s clock, 4 ms", [clock(4.0)]), cure("A loose one’s, 8 ms", [clock(8.0)])],
    })
}

/// The lines that most of a part is on: “straight 16ths”, “swung 8ths, 58 %, and straight 16ths”.
fn lines_in_words(all: &Listening<'_>) -> String {
    let mut counted: Vec<(String, usize)> = Vec::new();
    for (place, (_, hits)) in all.chart.kit.instruments.iter().zip(&all.voices).enumerate() {
        let mut of = all.lines.of_drum(Some(place)).iter();
        // Most of what is struck: the lines of the first bars where they change now and then.
        let Some(first) = of.next().filter(|_| !hits.is_empty()) else { continue };
        let name = rounded(first.lines).to_string();
        match counted.iter_mut().find(|(known, _)| *known == name) {
            Some((_, count)) => *count += hits.len(),
            None => counted.push((name, hits.len())),
        }
    }
    counted.sort_by_key(|(_, count)| Reverse(*count));
    counted.truncate(2);
    let names: Vec<String> = counted.into_iter().map(|(name, _)| name).collect();
    names.join(" and ")
}

/// Lines as they are said: to a tenth of a %.
fn rounded(lines: Lines) -> Lines {
    Lines { swing: Percent((10.0 * lines.swing.0).round() / 10.0), ..lines }
}

/// Pulls of drums to the lines that they are on, in some bars or everywhere: one for all that are on the same lines.
fn pulls(all: &Listening<'_>, drums: &[InstrumentId], bars: &[BarRange], strength: f64) -> Vec<(Aim, Action)> {
    let kit = &all.chart.kit.instruments;
    let mut passes: Vec<(Lines, Aim)> = Vec::new();
    for (place, one) in kit.iter().enumerate().filter(|(_, one)| drums.contains(&one.id)) {
        let of = all.lines.of_drum(Some(place));
        let last = |nth: usize| of.get(nth + 1).map_or(MOST_BARS, |next| next.bar - 1);
        for (nth, from) in of.iter().enumerate() {
            let stretch = BarRange { from: from.bar, to: last(nth) };
            let within = |wanted: &BarRange| {
                let both = BarRange { from: wanted.from.max(stretch.from), to: wanted.to.min(stretch.to) };
                (both.from <= both.to).then_some(both)
            };
            let own: Vec<BarRange> = match (of.len(), bars) {
                (1, bars) => bars.to_vec(),
                (_, []) => vec![stretch],
                (_, bars) => bars.iter().filter_map(within).collect(),
            };
            if own.is_empty() && of.len() > 1 {
                continue;
            }
            let lines = rounded(from.lines);
            match passes.iter_mut().find(|(known, aim)| *known == lines && aim.bars == own) {
                Some((_, aim)) if aim.instruments.contains(&one.id) => {}
                Some((_, aim)) => aim.instruments.push(one.id.clone()),
                None => {
                    let aim = Aim { instruments: vec![one.id.clone()], bars: own, ..Aim::default() };
                    passes.push((lines, aim));
                }
            }
        }
    }
    let pull = |(lines, aim): (Lines, Aim)| {
        let (grid, swing) = (lines.pairs_of(), lines.swing);
        (aim, Action::Pull(Pull { grid, swing, strength: Percent(strength.round()), ..Pull::default() }))
    };
    // Drums of several kinds of lines, as they were written, are pulled by one pass, each to its own.
    if passes.len() > 1 && all.lines.are_as_written() {
        let aim = Aim { instruments: drums.to_vec(), bars: bars.to_vec(), ..Aim::default() };
        let strength = Percent(strength.round());
        return vec![(aim, Action::Pull(Pull { lines: PullLines::Own, strength, ..Pull::default() }))];
    }
    passes.into_iter().map(pull).collect()
}

/// No song is longer.
const MOST_BARS: u32 = 100_000;

/// “Pull 60 % to swung 16ths, 58 %”.
fn pull_in_words(passes: &[(Aim, Action)], strength: f64) -> String {
    let lines = |(_, action): &(Aim, Action)| match action {
        Action::Pull(pull) if pull.lines == PullLines::Grid => Some(Lines::swung(pull.grid, pull.swing)),
        _ => None,
    };
    let mut all = passes.iter().filter_map(lines);
    let first = all.next();
    match first.filter(|first| all.all(|other| other == *first)) {
        Some(lines) => format!("Pull {strength:.0} % to {lines}"),
        None => format!("Pull {strength:.0} % to the lines of each drum"),
    }
}

/// A drum that is struck often enough to say how steadily.
struct Drum<'a> {
    /// Its place in the kit.
    at: usize,
    one: &'a Instrument,
    /// All its hits.
    places: &'a [usize],
    /// Those that keep time, and how late each is, in ms.
    kept: Vec<usize>,
    late: Vec<f64>,
    /// The deviation of most of them.
    spread: f64,
}

fn steady_enough<'a>(all: &'a Listening<'_>) -> Vec<Drum<'a>> {
    let drum = |(at, (one, places)): (usize, (&'a Instrument, &'a Vec<usize>))| {
        let (kept, late): (Vec<usize>, Vec<f64>) =
            places.iter().filter_map(|&place| Some((place, late(all, place)?))).unzip();
        let spread = robust_spread(&late);
        (late.len() >= ENOUGH).then_some(Drum { at, one, places, kept, late, spread })
    };
    all.chart.kit.instruments.iter().zip(&all.voices).enumerate().filter_map(drum).collect()
}

/// All drums are far from their lines.
fn loose(all: &Listening<'_>, drums: &[Drum<'_>]) -> Option<Finding> {
    let mut spreads: Vec<f64> = drums.iter().map(|drum| drum.spread).collect();
    let usual = median(&mut spreads);
    let all_of_them = spreads.iter().all(|ms| *ms >= 0.6 * all.thresholds.loose);
    if spreads.len() < 2 || usual < all.thresholds.loose || !all_of_them {
        return None;
    }
    let count = drums.iter().map(|drum| drum.places.len()).sum::<usize>();
    let ids: Vec<InstrumentId> = drums.iter().map(|drum| drum.one.id.clone()).collect();
    let to = |ms: f64| {
        let strength = 100.0 * (1.0 - ms / usual);
        let passes = pulls(all, &ids, &[], strength);
        cure(format!("{}, to ± {ms:.0} ms", pull_in_words(&passes, strength)), passes)
    };
    Some(Finding {
        rule: Rule::Loose,
        instrument: None,
        said: format!("All drums are loose: ± {usual:.0} ms about {}.", lines_in_words(all)),
        bars: Vec::new(),
        hits: Vec::new(),
        count: count as u32,
        weight: (0.4 + (usual - all.thresholds.loose) / 40.0).min(0.8),
        proposals: vec![to(6.0), to(3.0)],
    })
}

/// A hit is between lines at so many times its drum's deviation, so many ms at least, and so much of the way to the next line.
const FAR: f64 = 3.8;
const FAR_MS: f64 = 20.0;
const FAR_OF_CELL: f64 = 0.235;
/// More than one of them in a bar are a fill on other lines, and more than one of so many hits a manner of playing.
const RARE: usize = 16;
/// How far off, in ms, all drums of a bar may be together.
const TOGETHER_OFF: f64 = 10.0;
/// What follows its own drum so soon, in s, is a fast double, and as far as it likes from any line.
const DOUBLE: f64 = 0.14;

/// Single hits of a drum that lie far from the lines that it is mostly on, and from those of the part there.
fn between_lines(all: &Listening<'_>, drums: &[Drum<'_>], shared: &BTreeMap<u32, f64>) -> Vec<Finding> {
    drums.iter().filter_map(|drum| strays_of(all, drum, shared)).collect()
}

fn strays_of(all: &Listening<'_>, drum: &Drum<'_>, shared: &BTreeMap<u32, f64>) -> Option<Finding> {
    let context = all.context;
    let mostly = mostly(all, drum);
    let own = [LinesFrom { bar: 1, lines: mostly }];
    let of_part = all.lines.of_drum(None);
    let mut own_lines = LineFinder::new(context.metre, &own);
    let mut lines_of_part = LineFinder::new(context.metre, of_part);
    let usual = median(&mut drum.late.clone());
    let least = FAR_MS.max(FAR * drum.spread);
    let mut is_far = |place: usize| {
        let Some(hit) = all.performance.written.get(all.heard[place].index) else { return false };
        let bar = context.metre.bar_at(hit.tick).number;
        // Where all are early or late nobody knows how much of it is this hit's.
        let shared = shared.get(&bar).copied().unwrap_or(0.0);
        let is_off = |lines: &mut LineFinder<'_>, grid: Grid| {
            let line = Ticks(lines.line(hit.tick.0).0);
            let away = (context.tempo.millis_of(hit.tick - line, line).0 - usual - shared).abs();
            let cell = context.tempo.millis_of(grid.cell(context.metre.ppq()), line).0;
            away >= least && away >= FAR_OF_CELL * cell
        };
        shared.abs() <= TOGETHER_OFF
            && is_off(&mut own_lines, mostly.grid)
            && is_off(&mut lines_of_part, lines_at(of_part, bar).grid)
    };
    let far: Vec<usize> = drum.kept.iter().copied().filter(|&place| is_far(place)).collect();
    let mut by_bar: BTreeMap<u32, usize> = BTreeMap::new();
    far.iter().for_each(|&place| *by_bar.entry(all.bar(place)).or_default() += 1);
    let sounds_alone = |place: usize| {
        let nth = drum.places.partition_point(|&other| other < place);
        nth.checked_sub(1).is_none_or(|before| all.heard[place].at - all.heard[drum.places[before]].at > DOUBLE)
    };
    let is_single = |place: &usize| by_bar[&all.bar(*place)] == 1 && sounds_alone(*place);
    let strays: Vec<usize> = far.into_iter().filter(is_single).collect();
    if strays.is_empty() || strays.len() * RARE > drum.kept.len() {
        return None;
    }
    let lie = if strays.len() == 1 { "lies" } else { "lie" };
    let (hits, bars) = (super::plural(strays.len(), "hit"), in_bars(&all.stretches(&strays)));
    let said = format!("{hits} of the {} {lie} between the lines, {bars}.", called(drum.one));
    let mut finding = all.about(Rule::BetweenLines, Some(drum.one), &strays, 0.5, said);
    let these = if strays.len() == 1 { "it".to_owned() } else { format!("these {}", strays.len()) };
    let lines = rounded(mostly);
    let picked = Some(strays.iter().map(|&place| all.id(place)).collect());
    let pull = Pull { grid: lines.pairs_of(), swing: lines.swing, strength: Percent(100.0), ..Pull::default() };
    finding.proposals = vec![
        cure(format!("Pull {these} to {lines}"), [(Aim { picked, ..Aim::default() }, Action::Pull(pull))]),
        all.without(format!("Leave {these} out"), &strays),
    ];
    Some(finding)
}

/// The lines on which a drum has most of its hits.
fn mostly(all: &Listening<'_>, drum: &Drum<'_>) -> Lines {
    let of = all.lines.of_drum(Some(drum.at));
    let mut counted: Vec<(Lines, usize)> = Vec::new();
    for place in &drum.kept {
        let lines = lines_at(of, all.bar(*place));
        match counted.iter_mut().find(|(known, _)| *known == lines) {
            Some((_, count)) => *count += 1,
            None => counted.push((lines, 1)),
        }
    }
    counted.into_iter().max_by_key(|(_, count)| *count).map_or(Lines::of(Grid::SIXTEENTHS), |(lines, _)| lines)
}

/// So many bars are long enough to be rushed through.
const STRETCH: usize = 8;

/// How late the drums come together in each bar, each counted from where it usually lies, in ms.
fn late_by_bar(all: &Listening<'_>, drums: &[Drum<'_>]) -> BTreeMap<u32, f64> {
    let mut by_bar: BTreeMap<u32, (f64, f64)> = BTreeMap::new();
    for drum in drums {
        let middle = mean(&drum.late);
        for (&place, late) in drum.kept.iter().zip(&drum.late) {
            let bar = by_bar.entry(all.bar(place)).or_default();
            *bar = (bar.0 + late - middle, bar.1 + 1.0);
        }
    }
    let enough = by_bar.into_iter().filter(|(_, (_, count))| *count >= 3.0);
    enough.map(|(bar, (sum, count))| (bar, sum / count)).collect()
}

/// The part comes earlier and earlier, or later and later, over some bars.
fn rushing(all: &Listening<'_>, drums: &[Drum<'_>], shared: &BTreeMap<u32, f64>) -> Option<Finding> {
    let bars: Vec<(u32, f64)> = shared.iter().map(|(bar, late)| (*bar, *late)).collect();
    let mut worst = 0.0_f64;
    let mut rushed: BTreeSet<u32> = BTreeSet::new();
    for window in bars.windows(STRETCH) {
        let places: Vec<f64> = window.iter().map(|(bar, _)| f64::from(*bar)).collect();
        let late: Vec<f64> = window.iter().map(|(_, late)| *late).collect();
        let (middle, level) = (mean(&places), mean(&late));
        let (mut both, mut across, mut along) = (0.0, 0.0, 0.0);
        for (place, late) in places.iter().zip(&late) {
            both += (place - middle) * (late - level);
            across += (place - middle).powi(2);
            along += (late - level).powi(2);
        }
        let change = both / across * (places[STRETCH - 1] - places[0]);
        let steadily = both / (across * along).sqrt().max(1e-9);
        // The way there is one, and it is most of what changes.
        if change.abs() < all.thresholds.rushing || steadily.abs() < 0.75 || worst * change < 0.0 {
            continue;
        }
        rushed.extend(window.iter().map(|(bar, _)| *bar));
        if change.abs() > worst.abs() {
            worst = change;
        }
    }
    if rushed.is_empty() {
        return None;
    }
    let places: Vec<usize> = (0..all.heard.len()).filter(|&place| rushed.contains(&all.bar(place))).collect();
    let stretches = all.stretches(&places);
    let (does, way) = if worst < 0.0 { ("rushes", "early") } else { ("drags", "late") };
    let said = format!("It {does}: {:.0} ms {way} within eight bars, {}.", worst.abs(), in_bars(&stretches));
    let mut finding = all.about(Rule::Rushing, None, &places, 0.5, said);
    finding.hits.clear();
    let ids: Vec<InstrumentId> = drums.iter().map(|drum| drum.one.id.clone()).collect();
    let calmer = |strength: f64| {
        let passes = pulls(all, &ids, &stretches, strength);
        cure(format!("{} there", pull_in_words(&passes, strength)), passes)
    };
    finding.proposals = vec![calmer(60.0), calmer(85.0)];
    Some(finding)
}

/// The deviation of most, whatever a few do.
fn robust_spread(offsets: &[f64]) -> f64 {
    let middle = median(&mut offsets.to_vec());
    let mut away: Vec<f64> = offsets.iter().map(|offset| (offset - middle).abs()).collect();
    1.4826 * median(&mut away)
}

/// One drum that is far looser than the others.
fn ragged(all: &Listening<'_>, drums: &[Drum<'_>]) -> Vec<Finding> {
    if drums.len() < 3 {
        return Vec::new();
    }
    let mut found = Vec::new();
    for (nth, &Drum { one, places, spread: ms, .. }) in drums.iter().enumerate() {
        let mut others: Vec<f64> =
            drums.iter().enumerate().filter(|(other, _)| *other != nth).map(|(_, drum)| drum.spread).collect();
        others.sort_by(f64::total_cmp);
        let usual = others[others.len() / 2].max(1.0);
        if ms < all.thresholds.ragged || ms < 2.0 * usual {
            continue;
        }
        let said = format!("The {} is {:.1} times as loose as the others, ± {ms:.0} ms.", called(one), ms / usual);
        let mut finding = all.about_all(Rule::Ragged, one, places, 0.5, said);
        let calmer = |strength: f64| {
            let passes = pulls(all, std::slice::from_ref(&one.id), &[], strength);
            cure(pull_in_words(&passes, strength), passes)
        };
        finding.proposals = vec![calmer(50.0), calmer(75.0)];
        found.push(finding);
    }
    found
}
