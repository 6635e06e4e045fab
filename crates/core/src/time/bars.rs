//! Bars by their numbers, and where they went.

use crate::base::units::Ticks;
use crate::time::metre::MetreMap;
use crate::time::outline::Outline;
use crate::time::section::Section;
use serde::{Deserialize, Serialize};
use std::str::FromStr;
use ts_rs::TS;

/// Bars `from` up to and with `to`, counted from 1.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct BarRange {
    pub from: u32,
    pub to: u32,
}

impl FromStr for BarRange {
    type Err = String;

    /// `5`, or `5-8`.
    fn from_str(text: &str) -> Result<BarRange, String> {
        let (from, to) = text.split_once('-').unwrap_or((text, text));
        match (from.trim().parse(), to.trim().parse()) {
            (Ok(from), Ok(to)) if 1 <= from && from <= to => Ok(BarRange { from, to }),
            _ => Err(format!("“{text}” is no range of bars: they are counted from 1, as in 5 or 5-8")),
        }
    }
}

/// Where the bars of a song went.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct BarMoves(Vec<Option<u32>>);

impl BarMoves {
    /// For each bar where it is now; nothing where it is gone.
    pub fn new(to: Vec<Option<u32>>) -> BarMoves {
        BarMoves(to)
    }

    /// Whether every bar is where it was.
    pub fn is_nothing(&self) -> bool {
        self.0.iter().enumerate().all(|(index, to)| *to == Some(index as u32 + 1))
    }

    /// Where a bar is now. One behind the end stays so far behind the last one that is left.
    pub fn bar(&self, bar: u32) -> Option<u32> {
        let index = (bar as usize).checked_sub(1)?;
        match self.0.get(index) {
            Some(to) => *to,
            None => {
                let (last, to) =
                    self.0.iter().enumerate().rev().find_map(|(index, to)| Some((index as u32 + 1, (*to)?)))?;
                Some(to.saturating_add(bar - last))
            }
        }
    }

    /// Stretches of bars where they are now. New bars that came in between belong to a stretch; it is taken apart by bars
    /// that were elsewhere, and by itself: others are not joined to it.
    pub fn ranges(&self, ranges: &[BarRange]) -> Vec<BarRange> {
        ranges.iter().flat_map(|range| self.range(*range)).collect()
    }

    fn range(&self, BarRange { from, to }: BarRange) -> Vec<BarRange> {
        // One that reaches behind the end goes on so far.
        let known = (self.0.len() as u32).max(from);
        let mut bars: Vec<u32> = (from..=to.min(known)).filter_map(|bar| self.bar(bar)).collect();
        bars.sort_unstable();
        if to > known
            && let Some(end) = self.bar(to)
            && let Some(last) = bars.last().copied()
        {
            bars.extend(last + 1..=end.min(last.saturating_add(Outline::MOST_BARS * 5)));
        }
        let mut found: Vec<BarRange> = Vec::new();
        for bar in bars {
            match found.last_mut() {
                Some(last) if (last.to + 1..bar).all(|between| self.is_new(between)) => last.to = bar,
                _ => found.push(BarRange { from: bar, to: bar }),
            }
        }
        found
    }

    /// Whether no bar has come here.
    fn is_new(&self, bar: u32) -> bool {
        !self.0.contains(&Some(bar))
    }

    /// Sections where their bars are now. One whose bars are gone goes, too.
    pub fn sections(&self, sections: &[Section]) -> Vec<Section> {
        let range = |section: &Section| {
            let bars = self.ranges(&[BarRange { from: section.from, to: section.to }]);
            bars.into_iter()
                .map(|BarRange { from, to }| Section { name: section.name.clone(), from, to })
                .collect::<Vec<_>>()
        };
        let mut moved: Vec<Section> = sections.iter().flat_map(range).take(Section::MOST).collect();
        moved.sort_by_key(|section| (section.from, section.to));
        moved
    }

    /// A length in the other song's ticks.
    pub(crate) fn length(length: Ticks, from: &MetreMap, to: &MetreMap) -> Ticks {
        if from.ppq() == to.ppq() {
            return length;
        }
        Ticks((length.0 * to.ppq().as_f64() / from.ppq().as_f64()).round().max(1.0))
    }

    /// Where stretches of bars went, each with its first and last bar and the first that it is now; those that stayed
    /// where they were, and those that are gone, are left out.
    pub fn shifts(&self) -> Vec<(u32, u32, u32)> {
        let mut found: Vec<(u32, u32, u32)> = Vec::new();
        for (bar, to) in (1..).zip(&self.0) {
            let Some(to) = to.filter(|to| *to != bar) else { continue };
            match found.last_mut() {
                Some((first, last, now)) if *last + 1 == bar && *now + (bar - *first) == to => *last = bar,
                _ => found.push((bar, bar, to)),
            }
        }
        found
    }

    /// Stretches of bars that are gone.
    pub fn gone(&self) -> Vec<BarRange> {
        let mut found: Vec<BarRange> = Vec::new();
        for (bar, _) in (1..).zip(&self.0).filter(|(_, to)| to.is_none()) {
            match found.last_mut() {
                Some(last) if last.to + 1 == bar => last.to = bar,
                _ => found.push(BarRange { from: bar, to: bar }),
            }
        }
        found
    }

    /// A place counted in bars, 4.5 for the middle of bar 4, where it is now; nothing where its bar is gone. What stands on
    /// the line behind the last bar that is left stays there.
    pub fn place(&self, place: f64) -> Option<f64> {
        let bar = place.floor() as u32;
        let now = self.bar(bar).map(f64::from).or_else(|| {
            let before = bar.checked_sub(1)?;
            let nothing_comes_after = (bar..=self.0.len() as u32).all(|bar| self.bar(bar).is_none());
            let stays = place.fract() == 0.0 && nothing_comes_after;
            self.bar(before).filter(|_| stays).map(|before| f64::from(before) + 1.0)
        });
        now.map(|now| now + place.fract())
    }

    /// A place of the song where it is now.
    pub fn tick(&self, at: Ticks, from: &MetreMap, to: &MetreMap) -> Option<Ticks> {
        let bar = from.bar_at(at);
        let now = to.bar(self.bar(bar.number)?);
        let within = at - bar.start;
        let scaled = || Ticks(within.0 * to.ppq().as_f64() / from.ppq().as_f64()).rounded();
        Some(now.start + if from.ppq() == to.ppq() { within } else { scaled() })
    }
}
