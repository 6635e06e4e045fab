//! A grid whose every second line is late or early: the swung grid, and the warp that makes it.

use crate::grid::Grid;
use crate::metre::MetreMap;
use crate::units::{Percent, Ticks};

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
        let bar = metre.bar_at(Ticks(at));
        let length = 2.0 * self.grid.cell(metre.ppq()).0;
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
        self.around(metre, at)
            .into_iter()
            .min_by(|a, b| (a - at).abs().total_cmp(&(b - at).abs()))
            .expect("there is always a line")
    }

    /// The lines of the pair that a position lies in, and the bar line after it.
    fn around(self, metre: &MetreMap, at: f64) -> Vec<f64> {
        let bar = metre.bar_at(Ticks(at));
        let end = bar.start.0 + bar.length.0;
        let place = self.place(metre, at);
        let middle = if place.whole { self.swing.factor() * place.length } else { place.length / 2.0 };
        let lines = [place.pair, place.pair + middle, place.pair + place.length];
        lines.into_iter().map(|line| line.min(end)).chain([end]).collect()
    }

    fn nearest_below(self, metre: &MetreMap, line: f64, step: f64) -> f64 {
        let lines = self.around(metre, line - step / 4.0);
        lines.into_iter().filter(|&other| other < line - 1e-6).fold(f64::NEG_INFINITY, f64::max)
    }

    fn nearest_above(self, metre: &MetreMap, line: f64, step: f64) -> f64 {
        let lines = self.around(metre, line + step / 4.0);
        lines.into_iter().filter(|&other| other > line + 1e-6).fold(f64::INFINITY, f64::min)
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
