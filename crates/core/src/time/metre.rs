//! The metre map: bars, beats and the metrical weight of a position.

use crate::base::units::{Ppq, Ticks, whole};
use serde::{Deserialize, Serialize};
use std::fmt;
use ts_rs::TS;

/// A time signature with the way its units are grouped into beats: 7/8 as 2+2+3.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct Metre {
    /// Units in a bar, 1 to 255.
    pub numerator: u8,
    /// The unit as a note value: 1, 2, 4 … 64.
    pub denominator: u8,
    /// The units of each group; they add up to the numerator.
    pub grouping: Vec<u8>,
}

impl Metre {
    /// A metre with its usual grouping: compound metres and long eighth metres in threes with a
    /// remainder of twos in front (7/8 is 2+2+3), 5/4 as 3+2, even metres in twos.
    /// Nothing where the numerator is 0 or the denominator no power of two up to 64.
    pub fn new(numerator: u8, denominator: u8) -> Option<Metre> {
        let possible = numerator > 0 && denominator.is_power_of_two() && denominator <= 64;
        possible.then(|| Metre { numerator, denominator, grouping: usual_grouping(numerator, denominator) })
    }

    /// 6/8, 9/8, 12/8 and their kin: the beat is three units.
    pub fn is_compound(&self) -> bool {
        self.denominator >= 8 && self.numerator > 3 && self.numerator.is_multiple_of(3)
    }

    fn unit(&self, ppq: Ppq) -> f64 {
        ppq.as_f64() * 4.0 / f64::from(self.denominator)
    }

    /// The length of a bar.
    pub fn bar_length(&self, ppq: Ppq) -> Ticks {
        Ticks(self.unit(ppq) * f64::from(self.numerator))
    }

    /// Where the beats of a bar lie, from its start: every unit, or with units of an eighth or
    /// shorter every group.
    pub fn beats(&self, ppq: Ppq) -> Vec<Ticks> {
        let unit = self.unit(ppq);
        if self.denominator < 8 {
            return (0..self.numerator).map(|index| Ticks(unit * f64::from(index))).collect();
        }
        let mut start = 0.0;
        let mut beats = Vec::with_capacity(self.grouping.len());
        for &group in &self.grouping {
            beats.push(Ticks(start));
            start += unit * f64::from(group);
        }
        beats
    }

    /// The metrical weight in 0 to 1 of a distance from the bar line; see [`MetreMap::weight`].
    fn weight(&self, ppq: Ppq, within: f64) -> f64 {
        let unit = self.unit(ppq);
        // In 24ths of the unit, of which every subdivision that has a weight is a whole number.
        let place = 24.0 * within / unit;
        let tolerance = 24.0 * (ppq.as_f64() / 24.0).min(unit / 6.0) / unit;
        let on = |cell: f64| (place - whole(place * (1.0 / cell)) * cell).abs() <= tolerance;
        if !on(24.0) {
            return match () {
                _ if on(12.0) => self.level(1),
                _ if on(6.0) || on(8.0) => self.level(2),
                _ if on(3.0) || on(4.0) => 0.15,
                _ => 0.0,
            };
        }
        let index = whole(within / unit) as i64 % i64::from(self.numerator);
        let mut start = 0;
        for (number, &group) in self.grouping.iter().enumerate() {
            if index == start {
                return if number == 0 { 1.0 } else { 0.85 };
            }
            start += i64::from(group);
        }
        self.level(0)
    }

    /// Units, their halves, their quarters: beats in simple metres, half beats where the unit is
    /// an eighth or shorter.
    fn level(&self, depth: usize) -> f64 {
        let levels = [0.75, 0.5, 0.3, 0.15];
        levels[depth + usize::from(self.denominator >= 8)]
    }
}

impl fmt::Display for Metre {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(formatter, "{}/{}", self.numerator, self.denominator)
    }
}

fn usual_grouping(numerator: u8, denominator: u8) -> Vec<u8> {
    match (numerator, denominator) {
        (n, _) if n <= 3 => vec![n],
        (5, _) => vec![3, 2],
        (n, d) if d >= 8 || n % 3 == 0 => {
            let twos = match n % 3 {
                0 => 0,
                1 => 2,
                _ => 1,
            };
            let mut groups = vec![2; twos];
            groups.extend(vec![3; (usize::from(n) - 2 * twos) / 3]);
            groups
        }
        (n, _) => {
            let mut groups = vec![2; usize::from(n / 2)];
            if n % 2 == 1 {
                *groups.last_mut().expect("n is above 3") = 3;
            }
            groups
        }
    }
}

#[derive(Clone, Debug, PartialEq)]
struct Stretch {
    tick: f64,
    first_bar: u32,
    bar_length: f64,
    metre: Metre,
}

/// One bar of the song.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Bar<'a> {
    /// Counted from 1.
    pub number: u32,
    /// Its bar line.
    pub start: Ticks,
    /// Up to the next bar line.
    pub length: Ticks,
    /// Its metre.
    pub metre: &'a Metre,
}

/// The bars of the song. Before the first change, 4/4. A change in the middle of a bar starts a
/// new bar there.
///
/// ```
/// use vivida_core::{MetreMap, Ppq, Ticks};
/// let metre = MetreMap::new(Ppq::new(960).unwrap(), []);
/// assert_eq!(metre.bar_at(Ticks(3840.0)).number, 2);
/// assert_eq!(metre.weight(Ticks(0.0)), 1.0);      // the downbeat
/// assert_eq!(metre.weight(Ticks(1920.0)), 0.85);  // beat 3
/// assert_eq!(metre.weight(Ticks(480.0)), 0.5);    // the "and" of 1
/// ```
#[derive(Clone, Debug, PartialEq)]
pub struct MetreMap {
    ppq: Ppq,
    stretches: Vec<Stretch>,
}

impl MetreMap {
    /// From changes in order of ticks; of several at one tick the last counts.
    pub fn new(ppq: Ppq, changes: impl IntoIterator<Item = (Ticks, Metre)>) -> MetreMap {
        let stretch = |tick: f64, first_bar: u32, metre: Metre| Stretch {
            tick,
            first_bar,
            bar_length: metre.bar_length(ppq).0,
            metre,
        };
        let common = Metre::new(4, 4).expect("4/4 is a metre");
        let mut stretches = vec![stretch(0.0, 1, common)];
        for (tick, metre) in changes {
            let last = &stretches[stretches.len() - 1];
            let bars = ((tick.0 - last.tick) / last.bar_length).ceil();
            let next = stretch(tick.0, last.first_bar.saturating_add(bars as u32), metre);
            if last.tick >= tick.0 {
                stretches.pop();
            }
            stretches.push(next);
        }
        MetreMap { ppq, stretches }
    }

    /// The bar that a position lies in. Positions before the start belong to bar 1.
    pub fn bar_at(&self, at: Ticks) -> Bar<'_> {
        let after = self.stretches.partition_point(|stretch| stretch.tick <= at.0);
        let index = after.max(1) - 1;
        let stretch = &self.stretches[index];
        let bars = ((at.0 - stretch.tick) / stretch.bar_length).max(0.0) as u32;
        let bars = f64::from(bars);
        self.bar_of(index, bars)
    }

    /// Bar `number`, counted from 1; 0 is taken as 1.
    pub fn bar(&self, number: u32) -> Bar<'_> {
        let number = number.max(1);
        let after = self.stretches.partition_point(|stretch| stretch.first_bar <= number);
        let index = after.max(1) - 1;
        self.bar_of(index, f64::from(number - self.stretches[index].first_bar))
    }

    fn bar_of(&self, index: usize, bars: f64) -> Bar<'_> {
        let stretch = &self.stretches[index];
        let start = stretch.tick + bars * stretch.bar_length;
        let end = start + stretch.bar_length;
        let end = self.stretches.get(index + 1).map_or(end, |next| end.min(next.tick));
        Bar {
            number: stretch.first_bar.saturating_add(bars as u32),
            start: Ticks(start),
            length: Ticks(end - start),
            metre: &stretch.metre,
        }
    }

    /// The bar (from 1) that a position lies in, and its place there in words: “beat 2&”, “beat 3 ⅓”.
    ///
    /// ```
    /// use vivida_core::{MetreMap, Ppq, Ticks};
    /// let metre = MetreMap::new(Ppq::new(960).unwrap(), []);
    /// assert_eq!(metre.place(Ticks(3840.0 + 1440.0)), (2, "beat 2&".to_owned()));
    /// ```
    pub fn place(&self, at: Ticks) -> (u32, String) {
        let bar = self.bar_at(Ticks(at.0 + 0.5));
        let within = at.0 - bar.start.0;
        let beats = bar.metre.beats(self.ppq);
        let beat = beats.iter().rposition(|beat| beat.0 <= within + 0.5).unwrap_or(0);
        let start = beats.get(beat).map_or(0.0, |beat| beat.0);
        let next = beats.get(beat + 1).map_or(bar.metre.bar_length(self.ppq), |next| *next);
        let twelfths = whole(12.0 * (within - start) / (next.0 - start));
        let name = match twelfths as i64 {
            0 => String::new(),
            3 => "e".to_owned(),
            6 => "&".to_owned(),
            9 => "a".to_owned(),
            4 => " ⅓".to_owned(),
            8 => " ⅔".to_owned(),
            other => format!(" +{other}/12"),
        };
        (bar.number, format!("beat {}{name}", beat + 1))
    }

    /// The metrical weight of a position: downbeat 1, the start of another group .85, beats .75,
    /// half beats .5, quarter and third beats .3, finer .15, off every grid 0.
    ///
    /// A position counts as on a line when it is within a 24th of a quarter note (26 ms at
    /// 96 bpm), so that played hits are weighed as they are meant.
    pub fn weight(&self, at: Ticks) -> f64 {
        let bar = self.bar_at(at);
        let within = at.0 - bar.start.0;
        if bar.length.0 - within <= self.ppq.as_f64() / 24.0 {
            return 1.0;
        }
        bar.metre.weight(self.ppq, within)
    }

    /// The resolution that this map's ticks are in.
    pub fn ppq(&self) -> Ppq {
        self.ppq
    }

    /// Every change of metre and the bar that it starts with.
    pub fn changes(&self) -> impl Iterator<Item = (u32, &Metre)> + '_ {
        self.stretches.iter().map(|stretch| (stretch.first_bar, &stretch.metre))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn map(changes: &[(f64, u8, u8)]) -> MetreMap {
        let ppq = Ppq::new(960).unwrap();
        MetreMap::new(ppq, changes.iter().map(|&(tick, n, d)| (Ticks(tick), Metre::new(n, d).unwrap())))
    }

    #[test]
    fn groupings_are_the_usual_ones() {
        let grouping = |n, d| Metre::new(n, d).unwrap().grouping;
        assert_eq!(grouping(4, 4), [2, 2]);
        assert_eq!(grouping(5, 4), [3, 2]);
        assert_eq!(grouping(7, 8), [2, 2, 3]);
        assert_eq!(grouping(6, 8), [3, 3]);
        assert_eq!(grouping(12, 8), [3, 3, 3, 3]);
        assert_eq!(grouping(2, 4), [2]);
        assert!(Metre::new(0, 4).is_none() && Metre::new(4, 3).is_none());
        for numerator in 1..=255 {
            for denominator in [1, 2, 4, 8, 16, 32, 64] {
                let units: u32 = grouping(numerator, denominator).iter().map(|&group| u32::from(group)).sum();
                assert_eq!(units, u32::from(numerator));
            }
        }
    }

    #[test]
    fn compound_metres_group_in_threes() {
        let six = map(&[(0.0, 6, 8)]);
        let weights: Vec<f64> = (0..6).map(|eighth| six.weight(Ticks(480.0 * f64::from(eighth)))).collect();
        assert_eq!(weights, [1.0, 0.5, 0.5, 0.85, 0.5, 0.5]);
        assert_eq!(six.weight(Ticks(240.0)), 0.3);
        assert!(six.bar(1).metre.is_compound());
        assert_eq!(six.bar(1).metre.beats(six.ppq()).len(), 2);
    }

    #[test]
    fn triplets_weigh_as_subdivisions_and_noise_as_nothing() {
        let common = map(&[]);
        assert_eq!(common.weight(Ticks(320.0)), 0.3);
        assert_eq!(common.weight(Ticks(160.0)), 0.15);
        assert_eq!(common.weight(Ticks(60.0)), 0.0);
        assert_eq!(common.weight(Ticks(3820.0)), 1.0, "just before the bar line is meant for it");
    }

    #[test]
    fn bars_are_counted_through_changes() {
        // Two bars of 5/4, then 7/8, then a change in the middle of a bar.
        let mixed = map(&[(0.0, 5, 4), (9600.0, 7, 8), (9600.0 + 3360.0 + 480.0, 4, 4)]);
        assert_eq!(mixed.bar_at(Ticks(9599.0)).number, 2);
        assert_eq!(mixed.bar_at(Ticks(9600.0)).number, 3);
        assert_eq!(mixed.bar(4).length, Ticks(480.0), "cut short by the change");
        assert_eq!(mixed.bar(5).start, Ticks(13440.0));
        assert_eq!(mixed.bar_at(Ticks(-5.0)).number, 1);
    }
}
