//! What is wrong with timing.

use super::{Finding, Listening, Rule, called, cure, on};
use crate::base::stats::standard_deviation;
use crate::base::units::{Millis, Percent, Ticks};
use crate::recipe::action::{Action, Drifts, Loosen, Pull, Spread};
use crate::recipe::aim::Aim;
use crate::time::grid::Grid;

/// Fewer hits say nothing about timing.
const ENOUGH: usize = 16;

pub(super) fn findings(all: &Listening<'_>) -> Vec<Finding> {
    on_grid(all).into_iter().chain(ragged(all)).collect()
}

/// How far from its line a hit sounds, in ticks; nothing for what passes made.
fn offset(all: &Listening<'_>, place: usize) -> Option<f64> {
    let index = all.heard[place].index;
    let hit = all.performance.written.get(index)?;
    Some(hit.tick.0 - all.chart.meant(all.part, all.context.metre).lines[index])
}

fn on_grid(all: &Listening<'_>) -> Option<Finding> {
    let offsets: Vec<f64> = (0..all.heard.len()).filter_map(|place| offset(all, place)).collect();
    if offsets.len() < ENOUGH {
        return None;
    }
    let straight = offsets.iter().filter(|by| by.abs() <= 0.5).count() as f64 / offsets.len() as f64;
    let (exact, lines) = match straight < all.thresholds.on_grid {
        true => swung(all).map(|(share, grid, swing)| (share, format!("{grid} swung by {swing:.0} %")))?,
        false => (straight, "the grid".to_owned()),
    };
    if exact < all.thresholds.on_grid {
        return None;
    }
    let how_many = if exact == 1.0 { "Everything".to_owned() } else { format!("{:.0} % of it", 100.0 * exact) };
    let said = format!("{how_many} sits on {lines} to the tick.");
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

/// The swung grid that most hits are exactly on: their share, the grid and its swing. The middles of its pairs are where
/// most of those are that lie nearer to a middle than to a beat.
fn swung(all: &Listening<'_>) -> Option<(f64, Grid, f64)> {
    /// Fewer between the beats are no swing.
    const ENOUGH: usize = 4;
    let metre = all.context.metre;
    let written = all.heard.iter().filter_map(|one| all.performance.written.get(one.index));
    let ticks: Vec<Ticks> = written.map(|hit| hit.tick).collect();
    let reading = |grid: Grid| -> Option<(f64, Grid, f64)> {
        let pair = 2.0 * grid.cell(metre.ppq()).0;
        let within = |at: &Ticks| (at.0 - metre.bar_at(*at).start.0).rem_euclid(pair);
        let is_on = |place: f64, line: f64| (place - line).abs() <= 0.5;
        let (mut beats, mut middles) = (0, Vec::new());
        for place in ticks.iter().map(within) {
            if is_on(place, 0.0) || is_on(place, pair) {
                beats += 1;
            } else if (0.25..0.85).contains(&(place / pair)) {
                middles.push(place);
            }
        }
        middles.sort_by(f64::total_cmp);
        let line = *middles.get(middles.len() / 2)?;
        let exact = middles.iter().filter(|place| is_on(**place, line)).count();
        let share = (beats + exact) as f64 / ticks.len() as f64;
        (exact >= ENOUGH).then_some((share, grid, 100.0 * line / pair))
    };
    [Grid::straight(8), Grid::SIXTEENTHS].into_iter().filter_map(reading).max_by(|a, b| a.0.total_cmp(&b.0))
}

/// One drum that is far looser than the others.
fn ragged(all: &Listening<'_>) -> Vec<Finding> {
    let tempo = all.context.tempo;
    let spread = |places: &[usize]| {
        let ms = |&place: &usize| {
            let at = Ticks(all.heard[place].anchor);
            Some(tempo.millis_of(Ticks(offset(all, place)?), at).0)
        };
        let offsets: Vec<f64> = places.iter().filter_map(ms).collect();
        (offsets.len() >= ENOUGH).then(|| standard_deviation(&offsets))
    };
    let spreads: Vec<_> = all.drums().filter_map(|(one, places)| Some((one, places, spread(places)?))).collect();
    if spreads.len() < 3 {
        return Vec::new();
    }
    let mut found = Vec::new();
    for (nth, &(one, places, ms)) in spreads.iter().enumerate() {
        let mut others: Vec<f64> =
            spreads.iter().enumerate().filter(|(other, _)| *other != nth).map(|(_, (.., ms))| *ms).collect();
        others.sort_by(f64::total_cmp);
        let usual = others[others.len() / 2].max(1.0);
        if ms < all.thresholds.ragged || ms < 2.0 * usual {
            continue;
        }
        let said = format!("The {} is {:.1} times as loose as the others, ± {ms:.0} ms.", called(one), ms / usual);
        let mut finding = all.about_all(Rule::Ragged, one, places, 0.5, said);
        let grid = all.chart.meant(all.part, all.context.metre).grid;
        let pull = |strength: f64| {
            let pull = Pull { grid, strength: Percent(strength), forgive: Millis(4.0), ..Pull::default() };
            (on(one), Action::Pull(pull))
        };
        finding.proposals =
            vec![cure("Pull it halfway to the grid", [pull(50.0)]), cure("Pull it close", [pull(75.0)])];
        found.push(finding);
    }
    found
}
