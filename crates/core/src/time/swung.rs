//! A grid whose every second line is late or early: the swung grid, and the warp that makes it.

use crate::base::units::{Millis, Percent, Ppq, Ticks};
use crate::time::grid::Grid;
use crate::time::metre::{Bar, MetreMap};
use crate::time::tempo::TempoMap;
use serde::Serialize;
use ts_rs::TS;

/// A grid with the middle of each pair of its cells at a share of the pair.
///
/// Pairs begin anew at every bar line; a cell that is left over at the end of a bar stays straight.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Swung {
    pub grid: Grid,
    /// 50 % is straight.
    pub swing: Percent,
}

/// Where a position lies: the start of its pair of cells, how far into it, and the pair's length.
struct Place {
    pair: f64,
    within: f64,
    length: f64,
    whole: bool,
}

impl Swung {
    fn place(self, metre: &MetreMap, at: f64) -> Place {
        self.place_in(&metre.bar_at(Ticks(at)), metre.ppq(), at)
    }

    fn place_in(self, bar: &Bar<'_>, ppq: Ppq, at: f64) -> Place {
        let length = 2.0 * self.grid.cell(ppq).0;
        let from_bar = at - bar.start.0;
        let pair = (from_bar / length).floor() * length;
        let left = bar.length.0 - pair;
        Place { pair: bar.start.0 + pair, within: from_bar - pair, length, whole: left >= length - 1e-6 }
    }

    /// The line nearest to a position, and the lines before and after it: (before, line, after).
    pub fn lines(self, metre: &MetreMap, at: f64) -> (f64, f64, f64) {
        let line = self.nearest(metre, at);
        let step = self.grid.cell(metre.ppq()).0 * 0.5;
        // Lines are at least half a straight cell apart, whatever the swing.
        let before = self.nearest_below(metre, line, step);
        let after = self.nearest_above(metre, line, step);
        (before, line, after)
    }

    /// The line nearest to a position.
    pub fn nearest(self, metre: &MetreMap, at: f64) -> f64 {
        let lines = self.around(metre, at);
        let nearer = |a: f64, b: f64| if (b - at).abs() < (a - at).abs() { b } else { a };
        lines[1..].iter().fold(lines[0], |nearest, &line| nearer(nearest, line))
    }

    /// The lines of the pair that a position lies in, and the bar line after it.
    fn around(self, metre: &MetreMap, at: f64) -> [f64; 4] {
        let bar = metre.bar_at(Ticks(at));
        let end = bar.start.0 + bar.length.0;
        let place = self.place_in(&bar, metre.ppq(), at);
        let middle = if place.whole { self.swing.factor() * place.length } else { place.length / 2.0 };
        [place.pair, place.pair + middle, place.pair + place.length, end].map(|line| line.min(end))
    }

    fn nearest_below(self, metre: &MetreMap, line: f64, step: f64) -> f64 {
        let lines = self.around(metre, line - step / 4.0);
        lines.into_iter().filter(|&other| other < line - 1e-6).fold(f64::NEG_INFINITY, f64::max)
    }

    fn nearest_above(self, metre: &MetreMap, line: f64, step: f64) -> f64 {
        let lines = self.around(metre, line + step / 4.0);
        lines.into_iter().filter(|&other| other > line + 1e-6).fold(f64::INFINITY, f64::min)
    }

    /// Whether a position lies in a whole pair, and not in a cell that is left over.
    pub fn has_pair_at(self, metre: &MetreMap, at: f64) -> bool {
        self.place(metre, at).whole
    }

    /// Where a position of the straight grid goes: the first half of a pair is stretched to its
    /// share, the second takes the rest, so that everything in between moves along in proportion.
    pub fn warped(self, metre: &MetreMap, at: f64) -> f64 {
        let place = self.place(metre, at);
        if !place.whole {
            return at;
        }
        let (half, share) = (place.length / 2.0, self.swing.factor());
        let within = if place.within < half {
            2.0 * share * place.within
        } else {
            place.length * share + 2.0 * (1.0 - share) * (place.within - half)
        };
        place.pair + within
    }
}

/// How a groove or an instrument is swung.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct SwingFigure {
    /// What the pairs are made of: “1/16”.
    pub of: String,
    /// Where the middle of a pair lies in it, %.
    pub percent: f64,
    /// It is far enough from straight to be heard as swing.
    pub heard: bool,
}

impl SwingFigure {
    /// Of pairs of this grid, to a tenth.
    pub(crate) fn new(of: Grid, percent: f64) -> SwingFigure {
        let percent = (percent * 10.0).round() / 10.0;
        SwingFigure { of: of.to_string(), percent, heard: (percent - 50.0).abs() >= LEAST_HEARD }
    }
}

/// Nearer to straight than this, in %, nobody hears swing: at 120 bpm 16ths are 4 ms late.
const LEAST_HEARD: f64 = 1.5;

/// The lines that an action moves hits by, and how near and how far.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, TS)]
pub struct MovesBy {
    /// The lines.
    pub grid: Grid,
    /// 25 to 80 %: where every second line lies between its neighbours.
    pub swing: Percent,
    /// Nearer than this to its line a hit is left as it was played.
    pub forgive: Millis,
    /// Further off than this a hit is left alone; nothing: none is.
    pub reach: Option<Millis>,
}

/// Stretches of time in which an action leaves hits alone, from one tick to another.
#[derive(Clone, Debug, Default, PartialEq, Serialize, TS)]
pub struct LeftAlone {
    /// Around the lines: as they were played.
    pub forgiven: Vec<[f64; 2]>,
    /// Between the lines: too far off to be meant for one.
    pub beyond: Vec<[f64; 2]>,
}

impl MovesBy {
    /// Where hits are left alone around and between these lines, which ascend.
    pub fn left_alone(&self, tempo: &TempoMap, lines: &[f64]) -> LeftAlone {
        let ticks = |time: Millis, line: f64| tempo.ticks_of(time, Ticks(line)).0;
        // A hit counts from the line that it is nearer to.
        let middle = |a: f64, b: f64| (a + b) / 2.0;
        let around = |(place, &line): (usize, &f64)| {
            let reach = ticks(self.forgive, line);
            let before = place.checked_sub(1).map_or(f64::NEG_INFINITY, |before| middle(lines[before], line));
            let after = lines.get(place + 1).map_or(f64::INFINITY, |&after| middle(line, after));
            [(line - reach).max(before), (line + reach).min(after)]
        };
        let forgiven = if self.forgive.0 > 0.0 { lines.iter().enumerate().map(around).collect() } else { Vec::new() };
        let beyond = |reach: Millis| {
            let between = lines.windows(2).map(|pair| {
                let middle = middle(pair[0], pair[1]);
                [(pair[0] + ticks(reach, pair[0])).min(middle), (pair[1] - ticks(reach, pair[1])).max(middle)]
            });
            between.filter(|[from, to]| to > from).collect()
        };
        LeftAlone { forgiven, beyond: self.reach.map_or_else(Vec::new, beyond) }
    }
}

impl Grid {
    /// The lines of this grid from one position to another, every second one at `swing` % of its pair; bar
    /// lines are lines, too. Of more than `most` none.
    ///
    /// ```
    /// use vivida_core::{Grid, MetreMap, Percent, Ppq, Ticks};
    /// let metre = MetreMap::new(Ppq::new(960).unwrap(), []);
    /// let eighths: Grid = "1/8".parse().unwrap();
    /// assert_eq!(eighths.lines(&metre, Percent(60.0), Ticks(0.0), Ticks(960.0), 100), [0.0, 576.0, 960.0]);
    /// ```
    pub fn lines(self, metre: &MetreMap, swing: Percent, from: Ticks, to: Ticks, most: usize) -> Vec<f64> {
        let swung = Swung { grid: self, swing };
        let cell = self.cell(metre.ppq()).0;
        if (to.0 - from.0) / cell > most as f64 {
            return Vec::new();
        }
        let mut lines = Vec::new();
        let mut line = swung.nearest(metre, from.0.max(0.0));
        while line <= to.0 && lines.len() <= 2 * most {
            if line >= from.0 {
                lines.push(line);
            }
            line = swung.nearest_above(metre, line, cell * 0.5);
        }
        lines
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::time::metre::Metre;
    use proptest::prelude::*;

    fn metre(numerator: u8, denominator: u8) -> MetreMap {
        MetreMap::new(Ppq::new(960).unwrap(), [(Ticks(0.0), Metre::new(numerator, denominator).unwrap())])
    }

    fn swung(grid: &str, swing: f64) -> Swung {
        Swung { grid: grid.parse().unwrap(), swing: Percent(swing) }
    }

    #[test]
    fn straight_lines_are_those_of_the_grid() {
        let (metre, straight) = (metre(4, 4), swung("1/16", 50.0));
        for at in [0.0, 100.0, 121.0, 230.0, 3700.0, 3800.0] {
            assert_eq!(straight.nearest(&metre, at), straight.grid.nearest(&metre, Ticks(at)).0, "{at}");
        }
        assert_eq!(straight.lines(&metre, 500.0), (240.0, 480.0, 720.0));
        assert_eq!(straight.lines(&metre, 3830.0), (3600.0, 3840.0, 4080.0), "across the bar line");
    }

    #[test]
    fn every_second_line_is_late() {
        let (metre, late) = (metre(4, 4), swung("1/8", 60.0));
        assert_eq!(late.lines(&metre, 500.0), (0.0, 576.0, 960.0));
        assert_eq!(late.nearest(&metre, 280.0), 0.0);
        assert_eq!(late.nearest(&metre, 300.0), 576.0);
    }

    proptest! {
        #[test]
        fn the_warp_keeps_order_and_beats(a in 0.0..8000.0, b in 0.0..8000.0, swing in 25.0..80.0, odd in any::<bool>()) {
            let metre = if odd { metre(7, 8) } else { metre(4, 4) };
            let swung = swung("1/8", swing);
            let (near, far) = (f64::min(a, b), f64::max(a, b));
            prop_assert!(swung.warped(&metre, near) <= swung.warped(&metre, far) + 1e-9);
            let pair = (a / 960.0).floor() * 960.0;
            if !odd {
                prop_assert!((swung.warped(&metre, pair) - pair).abs() < 1e-9, "starts of pairs stay");
            }
        }

        #[test]
        fn lines_are_nearest_to_themselves(from in 0.0..9000.0f64, length in 0.0..9000.0f64, swing in 25.0..80.0, odd in any::<bool>()) {
            let metre = if odd { metre(7, 8) } else { metre(5, 4) };
            let swung = swung("1/8 triplet", swing);
            let lines = swung.grid.lines(&metre, swung.swing, Ticks(from), Ticks(from + length), 1000);
            prop_assert!(lines.iter().is_sorted() && lines.iter().all(|&line| swung.nearest(&metre, line) == line));
            prop_assert!(lines.len() as f64 >= (length / 320.0).floor() - 1.0);
            prop_assert!(swung.grid.lines(&metre, swung.swing, Ticks(0.0), Ticks(9000.0), 5).is_empty());
        }

        #[test]
        fn a_warped_grid_lies_on_the_swung_lines(line in 0..64u32, swing in 25.0..80.0) {
            let (metre, swung) = (metre(4, 4), swung("1/16", swing));
            let at = swung.warped(&metre, 240.0 * f64::from(line));
            prop_assert!((swung.nearest(&metre, at) - at).abs() < 1e-6);
        }
    }
}
