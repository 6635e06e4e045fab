//! Reference lines: what timing is measured against.

use crate::base::units::{Percent, Ppq, Ticks};
use crate::time::grid::Grid;
use crate::time::metre::{Bar, MetreMap};
use serde::{Deserialize, Serialize};
use std::fmt;
use ts_rs::TS;

/// The lines of a grid, of which every second one of some note value may lie late or early; what is
/// between moves along in proportion. Pairs begin anew at every bar line, and what is left over at the
/// end of a bar stays straight. Bar lines are lines, too.
///
/// ```
/// use vivida_core::{Lines, MetreMap, Percent, Ppq, Ticks};
/// let metre = MetreMap::new(Ppq::new(960).unwrap(), []);
/// let swung = Lines::swung("1/8".parse().unwrap(), Percent(60.0));
/// assert_eq!(swung.nearest(&metre, Ticks(500.0)), Ticks(576.0));
/// assert_eq!(swung.straight(&metre, Ticks(576.0)), Ticks(480.0));
/// assert_eq!(swung.to_string(), "swung 8ths, 60 %");
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Lines {
    /// How far lines are apart.
    pub grid: Grid,
    /// 25 to 80 %: where the second of a pair lies in it; 50 is straight.
    #[serde(default = "straight")]
    pub swing: Percent,
    /// What is swung in pairs; nothing: the grid itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub of: Option<Grid>,
}

fn straight() -> Percent {
    Percent(50.0)
}

/// Lines in ticks, as one bar has them.
#[derive(Clone, Copy, Debug)]
pub(crate) struct InBar {
    cell: f64,
    /// The length of a pair, and of its first half; nothing where all is straight.
    pair: Option<(f64, f64)>,
    bar: f64,
}

impl Lines {
    /// Those of a grid.
    pub const fn of(grid: Grid) -> Lines {
        Lines { grid, swing: Percent(50.0), of: None }
    }

    /// Those of a grid with each second one at so much of its pair.
    pub const fn swung(grid: Grid, swing: Percent) -> Lines {
        Lines { grid, swing, of: None }
    }

    /// Whether all cells are as long as one another.
    pub fn is_straight(&self) -> bool {
        self.swing.0 == 50.0
    }

    /// Fails where a number lies outside its range.
    pub fn check(&self) -> Result<(), (String, String)> {
        if (25.0..=80.0).contains(&self.swing.0) {
            return Ok(());
        }
        Err(("swing".to_owned(), format!("{} is outside 25 to 80 %", self.swing.0)))
    }

    /// The note value that is swung in pairs.
    pub fn pairs_of(&self) -> Grid {
        self.of.unwrap_or(self.grid)
    }

    /// The line nearest to a position.
    pub fn nearest(&self, metre: &MetreMap, at: Ticks) -> Ticks {
        let bar = metre.bar_at(at);
        Ticks(bar.start.0 + self.in_bar(&bar, metre.ppq()).nearest(at.0 - bar.start.0))
    }

    /// Where a position would lie if all was straight.
    pub fn straight(&self, metre: &MetreMap, at: Ticks) -> Ticks {
        let bar = metre.bar_at(at);
        Ticks(bar.start.0 + self.in_bar(&bar, metre.ppq()).straight(at.0 - bar.start.0))
    }

    /// All lines of the bar from its first one up to, and without, the next bar line, in ticks of the song.
    pub fn of_bar(&self, metre: &MetreMap, number: u32) -> Vec<f64> {
        let bar = metre.bar(number);
        let lines = self.in_bar(&bar, metre.ppq());
        let count = (bar.length.0 / lines.cell - 1e-6).ceil().max(1.0) as u32;
        (0..count).map(|nth| bar.start.0 + lines.swung(f64::from(nth) * lines.cell)).collect()
    }

    pub(crate) fn in_bar(&self, bar: &Bar<'_>, ppq: Ppq) -> InBar {
        self.in_bar_of(bar.length.0, ppq)
    }

    pub(crate) fn in_bar_of(&self, bar: f64, ppq: Ppq) -> InBar {
        let pair = 2.0 * self.pairs_of().cell(ppq).0;
        let is_straight = self.is_straight();
        InBar { cell: self.grid.cell(ppq).0, pair: (!is_straight).then(|| (pair, pair * self.swing.factor())), bar }
    }
}

impl InBar {
    /// The start of the pair that a place of the bar lies in, its length and that of its first half.
    fn pair_at(&self, within: f64) -> Option<(f64, f64, f64)> {
        let (pair, first) = self.pair?;
        let start = (within / pair).floor() * pair;
        (self.bar - start >= pair - 1e-6).then_some((start, pair, first))
    }

    /// Where a place of straight lines goes.
    pub(crate) fn swung(&self, within: f64) -> f64 {
        let Some((start, pair, first)) = self.pair_at(within) else { return within };
        let (into, half) = (within - start, pair / 2.0);
        start + if into < half { into * first / half } else { first + (into - half) * (pair - first) / half }
    }

    /// Where a place came from when it was straight.
    pub(crate) fn straight(&self, within: f64) -> f64 {
        let Some((start, pair, first)) = self.pair_at(within) else { return within };
        let (into, half) = (within - start, pair / 2.0);
        start + if into < first { into * half / first } else { half + (into - first) * half / (pair - first) }
    }

    /// The line nearest to a place; the next bar line is one.
    pub(crate) fn nearest(&self, within: f64) -> f64 {
        let cell = (self.straight(within) / self.cell).floor();
        let (below, above) = (self.swung(cell * self.cell), self.swung((cell + 1.0) * self.cell).min(self.bar));
        let below = below.max(0.0);
        if (above - within).abs() <= (within - below).abs() { above } else { below }
    }
}

impl fmt::Display for Lines {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let of = self.pairs_of();
        let (grid, pairs) = (self.grid.in_words(), of.in_words());
        let swing = (10.0 * self.swing.0).round() / 10.0;
        match self.is_straight() {
            true if self.grid.is_tuplet() => formatter.write_str(&grid),
            true => write!(formatter, "straight {grid}"),
            false if of == self.grid => write!(formatter, "swung {pairs}, {swing} %"),
            false => write!(formatter, "swung {pairs}, {swing} %, and {grid} between"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::time::metre::Metre;
    use crate::time::swung::Swung;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn they_are_those_of_the_swing_that_moves_hits(at in 0.0..9000.0f64, swing in 25.0..80.0f64, odd in any::<bool>()) {
            let metre = Metre::new(if odd { 7 } else { 4 }, if odd { 8 } else { 4 }).unwrap();
            let metre = MetreMap::new(Ppq::new(960).unwrap(), [(Ticks(0.0), metre)]);
            let (grid, swing) = ("1/8".parse().unwrap(), Percent(swing));
            let (lines, swung) = (Lines::swung(grid, swing), Swung { grid, swing });
            let line = lines.nearest(&metre, Ticks(at)).0;
            prop_assert!((line - swung.nearest(&metre, at)).abs() < 1e-6 || (2.0 * at - line - swung.nearest(&metre, at)).abs() < 1e-6);
            let there = swung.warped(&metre, at);
            prop_assert!((lines.straight(&metre, Ticks(there)).0 - at).abs() < 1e-6);
        }

        #[test]
        fn what_lies_between_goes_along(bar in 1..4u32, swing in 25.0..80.0f64) {
            let metre = MetreMap::new(Ppq::new(960).unwrap(), []);
            let lines = Lines { of: Some(Grid::straight(8)), ..Lines::swung(Grid::SIXTEENTHS, Percent(swing)) };
            let all = lines.of_bar(&metre, bar);
            prop_assert_eq!(all.len(), 16);
            for (nth, line) in (0u32..).zip(&all) {
                prop_assert!((lines.nearest(&metre, Ticks(*line)).0 - line).abs() < 1e-9);
                let straight = 3840.0 * f64::from(bar - 1) + 240.0 * f64::from(nth);
                prop_assert!((lines.straight(&metre, Ticks(*line)).0 - straight).abs() < 1e-6);
            }
        }
    }

    #[test]
    fn they_are_called_as_players_call_them() {
        let said = |lines: Lines| lines.to_string();
        assert_eq!(said(Lines::of(Grid::SIXTEENTHS)), "straight 16ths");
        assert_eq!(said(Lines::of(Grid::triplet(8))), "8th triplets");
        assert_eq!(said(Lines::of("1/16 5:4".parse().unwrap())), "16ths 5:4");
        assert_eq!(said(Lines::swung(Grid::SIXTEENTHS, Percent(58.5))), "swung 16ths, 58.5 %");
        let both = Lines { of: Some(Grid::straight(8)), ..Lines::swung(Grid::SIXTEENTHS, Percent(62.0)) };
        assert_eq!(said(both), "swung 8ths, 62 %, and 16ths between");
    }
}
