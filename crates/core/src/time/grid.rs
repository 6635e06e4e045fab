//! The grid: evenly spaced lines that restart at every bar line.

use crate::base::units::{Ppq, Ticks, whole};
use crate::time::metre::MetreMap;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;
use ts_rs::TS;

/// A note value from 1/1 to 1/128, straight, dotted or as a tuplet; written `1/16`, `1/8 dotted`,
/// `1/8 triplet`, `1/16 5:4`.
///
/// ```
/// use vivida_core::{Grid, Ppq, Ticks};
/// let triplets: Grid = "1/8 triplet".parse().unwrap();
/// assert_eq!(triplets.cell(Ppq::new(960).unwrap()), Ticks(320.0));
/// assert_eq!(triplets.to_string(), "1/8 triplet");
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize, TS)]
#[serde(try_from = "String", into = "String")]
#[ts(type = "string")]
pub struct Grid {
    value: u8,
    dotted: bool,
    count: u8,
    space: u8,
}

impl Grid {
    /// Straight sixteenths.
    pub const SIXTEENTHS: Grid = Grid::straight(16);

    pub(crate) const fn straight(value: u8) -> Grid {
        Grid { value, dotted: false, count: 1, space: 1 }
    }

    pub(crate) const fn triplet(value: u8) -> Grid {
        Grid { value, dotted: false, count: 3, space: 2 }
    }

    /// The distance between two lines.
    pub fn cell(self, ppq: Ppq) -> Ticks {
        let straight = ppq.as_f64() * 4.0 / f64::from(self.value);
        let dotted = if self.dotted { 1.5 } else { 1.0 };
        Ticks(straight * dotted * f64::from(self.space) / f64::from(self.count))
    }

    /// Whether it divides by other numbers than two.
    pub(crate) fn is_tuplet(self) -> bool {
        (self.count, self.space) != (1, 1)
    }

    /// As players call it: “16ths”, “8th triplets”, “dotted 8ths”.
    pub(crate) fn in_words(self) -> String {
        let note = match self.value {
            1 => "whole note".to_owned(),
            2 => "half".to_owned(),
            4 => "quarter".to_owned(),
            32 => "32nd".to_owned(),
            value => format!("{value}th"),
        };
        let several = if self.value == 2 { "halves".to_owned() } else { format!("{note}s") };
        match (self.dotted, self.count, self.space) {
            (true, _, _) => format!("dotted {several}"),
            (_, 1, 1) => several,
            (_, 3, 2) => format!("{note} triplets"),
            (_, count, space) => format!("{several} {count}:{space}"),
        }
    }

    /// The grid whose cells are `count` of these; nothing where no note value says so.
    ///
    /// ```
    /// use vivida_core::Grid;
    /// assert_eq!(Grid::SIXTEENTHS.times(2).unwrap().to_string(), "1/8");
    /// assert_eq!("1/1".parse::<Grid>().unwrap().times(2), None);
    /// ```
    pub fn times(self, count: u32) -> Option<Grid> {
        let value = u32::from(self.value);
        let whole = count > 0 && value.is_multiple_of(count) && (value / count).is_power_of_two();
        whole.then(|| Grid { value: (value / count) as u8, ..self })
    }

    /// The line nearest to a position; bar lines are lines too.
    pub fn nearest(self, metre: &MetreMap, at: Ticks) -> Ticks {
        let bar = metre.bar_at(at);
        let line = nearest_within(at.0 - bar.start.0, self.cell(metre.ppq()).0, bar.length.0);
        Ticks(bar.start.0 + line)
    }

    /// The grid that a set of positions seems to be meant for: of 16ths, 8th triplets, 16th
    /// triplets and 32nds the one whose lines they miss least, measured in its own cells, those of 8th
    /// triplets counting as 16ths: wide cells alone make no triplets. The coarser one where they are as
    /// good. An empty set is taken as 16ths.
    pub fn fit(metre: &MetreMap, positions: impl Iterator<Item = Ticks>) -> Grid {
        let candidates = [Grid::SIXTEENTHS, Grid::triplet(8), Grid::triplet(16), Grid::straight(32)];
        let cells = candidates.map(|grid| grid.cell(metre.ppq()).0);
        let scales = cells.map(|cell| cell.min(cells[0]));
        let mut missed = [0.0; 4];
        for at in positions {
            let bar = metre.bar_at(at);
            let within = at.0 - bar.start.0;
            for ((missed, cell), scale) in missed.iter_mut().zip(cells).zip(scales) {
                *missed += (within - nearest_within(within, cell, bar.length.0)).abs() / scale;
            }
        }
        let mut best = 0;
        for candidate in 1..candidates.len() {
            if missed[candidate] < missed[best] - 1e-9 {
                best = candidate;
            }
        }
        candidates[best]
    }
}

/// The line nearest to a place of a bar, both from its start; the next bar line is one, too.
fn nearest_within(within: f64, cell: f64, length: f64) -> f64 {
    let line = (whole(within / cell) * cell).max(0.0);
    let past_the_middle = length - within < (within - line).abs();
    if line > length || past_the_middle { length } else { line }
}

impl fmt::Display for Grid {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(formatter, "1/{}", self.value)?;
        match (self.dotted, self.count, self.space) {
            (true, _, _) => formatter.write_str(" dotted"),
            (_, 1, 1) => Ok(()),
            (_, 3, 2) => formatter.write_str(" triplet"),
            (_, count, space) => write!(formatter, " {count}:{space}"),
        }
    }
}

impl FromStr for Grid {
    type Err = String;
    fn from_str(text: &str) -> Result<Grid, String> {
        let wrong = || format!("“{text}” is no grid; write for example 1/16, 1/8 dotted, 1/8 triplet or 1/16 5:4");
        let (note, rest) = text.split_once(' ').unwrap_or((text, ""));
        let value: u8 = note.strip_prefix("1/").and_then(|value| value.parse().ok()).ok_or_else(wrong)?;
        if !value.is_power_of_two() || value > 128 {
            return Err(wrong());
        }
        let straight = Grid::straight(value);
        Ok(match rest {
            "" => straight,
            "dotted" => Grid { dotted: true, ..straight },
            "triplet" => Grid::triplet(value),
            tuplet => {
                let (count, space) = tuplet.split_once(':').ok_or_else(wrong)?;
                let number = |text: &str| text.parse().ok().filter(|n| (1..=64).contains(n)).ok_or_else(wrong);
                Grid { count: number(count)?, space: number(space)?, ..straight }
            }
        })
    }
}

impl TryFrom<String> for Grid {
    type Error = String;
    fn try_from(text: String) -> Result<Grid, String> {
        text.parse()
    }
}

impl From<Grid> for String {
    fn from(grid: Grid) -> String {
        grid.to_string()
    }
}

/// The first of the bars that are numbered together with a bar, where so many are: from bar 1 on, they go round.
pub(crate) fn first_of_group(number: u32, bars: u32) -> u32 {
    number - (number - 1) % bars.max(1)
}

/// How many slots a bar has, by its own metre; the last one may be shorter than the others.
pub(crate) fn slots_in(grid: Grid, metre: &MetreMap, number: u32) -> u32 {
    (metre.bar(number).length.0 / grid.cell(metre.ppq()).0 - 1e-6).ceil().max(1.0) as u32
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::time::metre::Metre;

    #[test]
    fn lines_restart_at_every_bar_line() {
        let ppq = Ppq::new(960).unwrap();
        let seven = MetreMap::new(ppq, [(Ticks(0.0), Metre::new(7, 8).unwrap())]);
        let quarters: Grid = "1/4".parse().unwrap();
        // A bar is 3360 ticks: lines at 0, 960, 1920, 2880 and then the bar line at 3360.
        assert_eq!(quarters.nearest(&seven, Ticks(3000.0)), Ticks(2880.0));
        assert_eq!(quarters.nearest(&seven, Ticks(3300.0)), Ticks(3360.0));
        assert_eq!(quarters.nearest(&seven, Ticks(3360.0 + 900.0)), Ticks(4320.0));
    }

    #[test]
    fn fit_tells_straight_from_triplets() {
        let metre = MetreMap::new(Ppq::new(960).unwrap(), []);
        let sixteenths = (0..32).map(|k| Ticks(240.0 * f64::from(k) + f64::from(k % 5)));
        assert_eq!(Grid::fit(&metre, sixteenths).to_string(), "1/16");
        let shuffle = (0..32).map(|k| Ticks(960.0 * f64::from(k / 2) + 640.0 * f64::from(k % 2)));
        assert_eq!(Grid::fit(&metre, shuffle).to_string(), "1/8 triplet");
        assert_eq!(Grid::fit(&metre, [].into_iter()).to_string(), "1/16");
    }

    #[test]
    fn text_that_is_no_grid_is_refused() {
        for text in ["", "16", "1/3", "1/256", "1/8 swing", "1/8 0:2", "1/16 5"] {
            assert!(text.parse::<Grid>().is_err(), "{text}");
        }
        for text in ["1/1", "1/128", "1/8 dotted", "1/16 5:4"] {
            assert_eq!(text.parse::<Grid>().unwrap().to_string(), text);
        }
    }
}
