//! Lanes: the lines around the hits — controllers, pitch bend and pressure.

use crate::base::units::{Note, whole};
use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;
use ts_rs::TS;

/// What a lane holds. In JSON `controller-11`, `bend`, `pressure`, or `pressure-38` for that of one note.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(into = "String", try_from = "String")]
#[ts(type = "string")]
pub enum LaneKind {
    /// A controller, 0 to 119.
    Controller(u8),
    /// Pitch bend, 14 bits: −8192 to 8191.
    Bend,
    /// The pressure on a channel.
    Pressure,
    /// The pressure on one note.
    NotePressure(Note),
}

/// What a lane goes with when hits are moved.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum GoesWith {
    /// It stays with the hits that it was written at.
    Hits,
    /// It stays where it is.
    Time,
}

impl LaneKind {
    /// The hat's pedal.
    pub const PEDAL: LaneKind = LaneKind::Controller(4);
    /// Expression.
    pub const EXPRESSION: LaneKind = LaneKind::Controller(11);

    /// How far a full bend goes where nobody says so, in cents.
    pub const USUAL_BEND: f64 = 200.0;

    /// Controllers above are orders to a channel (sounds off, reset …): they are kept, and no lane.
    pub const LAST_CONTROLLER: u8 = 119;

    /// Whether a controller is a lane. Bank numbers and the parts of parameter messages (6, 38, 96 to 101) are
    /// words, not lines: they are kept as they stand.
    pub fn of_controller(number: u8) -> Option<LaneKind> {
        let is_word = matches!(number, 0 | 32 | 6 | 38 | 96..=101);
        (number <= LaneKind::LAST_CONTROLLER && !is_word).then_some(LaneKind::Controller(number))
    }

    /// The lane that a MIDI message is of, and its value: a controller's, a bend's or pressure.
    pub fn of_message([status, first, second]: [u8; 3]) -> Option<(LaneKind, f64)> {
        match status & 0xf0 {
            0xa0 => Some((LaneKind::NotePressure(Note::from_data(first)), f64::from(second))),
            0xb0 => Some((LaneKind::of_controller(first)?, f64::from(second))),
            0xd0 => Some((LaneKind::Pressure, f64::from(first))),
            0xe0 => Some((LaneKind::Bend, f64::from(u16::from(second) << 7 | u16::from(first)) - 8192.0)),
            _ => None,
        }
    }

    /// The least and the greatest value.
    pub fn range(self) -> (f64, f64) {
        if self == LaneKind::Bend { (-8192.0, 8191.0) } else { (0.0, 127.0) }
    }

    /// What a receiver plays before the first value comes.
    pub fn rest(self) -> f64 {
        match self {
            LaneKind::Controller(7) => 100.0,
            LaneKind::Controller(11) => 127.0,
            LaneKind::Controller(8 | 10 | 70..=79) => 64.0,
            _ => 0.0,
        }
    }

    /// How many times as loud a value makes everything, as an amplitude: for volume and expression the square of their
    /// number (General MIDI, RP-036), where they rest once. Nothing of other lanes.
    pub fn amplitude(self, value: f64) -> Option<f64> {
        let share = value / self.rest();
        matches!(self, LaneKind::Controller(7 | 11)).then_some(share * share)
    }

    /// What it goes with unless a pass says otherwise: the hat's pedal and the pressure on a note with hits, all else
    /// with time.
    pub fn usually_goes_with(self) -> GoesWith {
        match self {
            LaneKind::Controller(4) | LaneKind::NotePressure(_) => GoesWith::Hits,
            _ => GoesWith::Time,
        }
    }

    /// What people call it: the names of the MIDI 1.0 specification.
    pub fn name(self) -> String {
        let known = match self {
            LaneKind::Bend => "pitch bend",
            LaneKind::Pressure => "channel pressure",
            LaneKind::NotePressure(note) => return format!("note {} pressure", note.get()),
            LaneKind::Controller(number) => match number {
                1 => "modulation",
                2 => "breath",
                4 => "hat pedal",
                5 => "portamento time",
                7 => "volume",
                8 => "balance",
                10 => "pan",
                11 => "expression",
                12 => "effect control 1",
                13 => "effect control 2",
                64 => "sustain pedal",
                65 => "portamento",
                66 => "sostenuto",
                67 => "soft pedal",
                71 => "resonance",
                72 => "release time",
                73 => "attack time",
                74 => "brightness",
                75 => "decay time",
                76 => "vibrato rate",
                77 => "vibrato depth",
                78 => "vibrato delay",
                91 => "reverb send",
                93 => "chorus send",
                _ => return format!("controller {number}"),
            },
        };
        known.to_owned()
    }

    fn held(self, value: f64) -> f64 {
        let (least, most) = self.range();
        value.clamp(least, most)
    }
}

impl fmt::Display for LaneKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            LaneKind::Controller(number) => write!(f, "controller-{number}"),
            LaneKind::Bend => f.write_str("bend"),
            LaneKind::Pressure => f.write_str("pressure"),
            LaneKind::NotePressure(note) => write!(f, "pressure-{}", note.get()),
        }
    }
}

impl From<LaneKind> for String {
    fn from(kind: LaneKind) -> String {
        kind.to_string()
    }
}

impl FromStr for LaneKind {
    type Err = String;

    fn from_str(text: &str) -> Result<LaneKind, String> {
        let found = match text.split_once('-') {
            None if text == "bend" => Some(LaneKind::Bend),
            None if text == "pressure" => Some(LaneKind::Pressure),
            Some(("controller", number)) => number.parse().ok().and_then(LaneKind::of_controller),
            Some(("pressure", note)) => note.parse().ok().and_then(Note::new).map(LaneKind::NotePressure),
            _ => None,
        };
        found.ok_or_else(|| {
            format!(
                "{text:?} is no lane; expected controller-1 to controller-119 (without 6, 32, 38 and 96 to 101), bend, \
                 pressure, or pressure-0 to pressure-127"
            )
        })
    }
}

impl TryFrom<String> for LaneKind {
    type Error = String;

    fn try_from(text: String) -> Result<LaneKind, String> {
        text.parse()
    }
}

/// A line: values from their ticks on, each up to the next.
#[derive(Clone, Debug, PartialEq)]
pub struct Lane {
    /// Of what.
    pub kind: LaneKind,
    ticks: Vec<f64>,
    values: Vec<f64>,
}

impl Lane {
    /// The most values of one lane.
    pub const MOST: usize = 1_000_000;

    /// Of (tick, value) in any order; those of one tick stay in theirs. Values are held in range.
    pub fn new(kind: LaneKind, mut values: Vec<(f64, f64)>) -> Lane {
        if !values.is_sorted_by(|a, b| a.0 <= b.0) {
            values.sort_by(|a, b| a.0.total_cmp(&b.0));
        }
        let (ticks, values) = values.into_iter().map(|(tick, value)| (tick, kind.held(value))).unzip();
        Lane { kind, ticks, values }
    }

    /// Without any value.
    pub fn empty(kind: LaneKind) -> Lane {
        Lane::new(kind, Vec::new())
    }

    /// Puts a value behind all others.
    pub fn push(&mut self, tick: f64, value: f64) {
        self.ticks.push(self.ticks.last().map_or(tick, |last| tick.max(*last)));
        self.values.push(self.kind.held(value));
    }

    /// How many values there are.
    pub fn len(&self) -> usize {
        self.ticks.len()
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.ticks.is_empty()
    }

    /// Where they stand, ascending.
    pub fn ticks(&self) -> &[f64] {
        &self.ticks
    }

    /// The values.
    pub fn values(&self) -> &[f64] {
        &self.values
    }

    /// What holds at a tick: the last value that stands there or before; else what a receiver begins with.
    pub fn at(&self, tick: f64) -> f64 {
        let behind = self.ticks.partition_point(|&one| one <= tick);
        behind.checked_sub(1).map_or(self.kind.rest(), |place| self.values[place])
    }

    /// The places of the values within some ticks.
    pub(crate) fn within(&self, from: f64, to: f64) -> std::ops::Range<usize> {
        self.ticks.partition_point(|&one| one < from)..self.ticks.partition_point(|&one| one < to)
    }

    /// Changes the values within some ticks, and what holds where they begin; what holds behind them is as it was.
    /// Answers how many it changed.
    pub(crate) fn change(&mut self, from: f64, to: f64, change: impl Fn(f64) -> f64) -> usize {
        let (kind, range, behind) = (self.kind, self.within(from, to), self.at(to));
        let before = range.start.checked_sub(1).filter(|_| self.ticks.get(range.start) != Some(&from));
        let changed = range.len() + usize::from(before.is_some());
        if changed > 0 && to.is_finite() && self.ticks.get(range.end) != Some(&to) {
            self.ticks.insert(range.end, to);
            self.values.insert(range.end, behind);
        }
        self.values[range.clone()].iter_mut().for_each(|value| *value = kind.held(change(*value)));
        if let Some(before) = before {
            self.ticks.insert(range.start, from);
            self.values.insert(range.start, kind.held(change(self.values[before])));
        }
        changed
    }

    /// Puts other values in the place of those at some places, each where it stands.
    pub(crate) fn revalue(&mut self, places: std::ops::Range<usize>, values: &[f64]) {
        for (value, new) in self.values[places].iter_mut().zip(values) {
            *value = self.kind.held(*new);
        }
    }

    /// Puts other values in the place of those within some ticks; the last of them holds until the next one behind.
    pub(crate) fn replace(&mut self, from: f64, to: f64, new: &[(f64, f64)]) -> usize {
        let (range, kind) = (self.within(from, to), self.kind);
        self.ticks.splice(range.clone(), new.iter().map(|one| one.0));
        self.values.splice(range, new.iter().map(|one| kind.held(one.1)));
        new.len()
    }

    /// With whole values, and of level stretches the ends alone.
    pub(crate) fn rounded(self) -> Lane {
        let mut kept = Lane::empty(self.kind);
        for (tick, value) in self.ticks.into_iter().zip(self.values) {
            let (tick, value) = (tick.max(0.0), whole(value));
            // Of several at one tick the last holds.
            if kept.ticks.last() == Some(&tick) {
                kept.values.pop();
                kept.ticks.pop();
            }
            // Of a level stretch its first and its last value.
            if let [.., before, last] = kept.values[..]
                && before == value
                && last == value
            {
                kept.values.pop();
                kept.ticks.pop();
            }
            kept.ticks.push(tick);
            kept.values.push(value);
        }
        kept
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn lane(values: &[(f64, f64)]) -> Lane {
        Lane::new(LaneKind::EXPRESSION, values.to_vec())
    }

    #[test]
    fn names_come_back_as_they_went() {
        let kinds =
            [LaneKind::Bend, LaneKind::Pressure, LaneKind::EXPRESSION, LaneKind::NotePressure(Note::from_data(38))];
        for kind in kinds {
            assert_eq!(kind.to_string().parse(), Ok(kind));
        }
        for wrong in ["controller-120", "controller-6", "controller-x", "pressure-200", "bend-3", ""] {
            assert!(wrong.parse::<LaneKind>().is_err(), "{wrong}");
        }
    }

    #[test]
    fn a_value_holds_up_to_the_next() {
        let lane = lane(&[(100.0, 20.0), (200.0, 500.0), (200.0, 30.0)]);
        assert_eq!([0.0, 100.0, 199.0, 200.0, 900.0].map(|tick| lane.at(tick)), [127.0, 20.0, 20.0, 30.0, 30.0]);
    }

    #[test]
    fn a_change_ends_where_it_should() {
        let mut one = lane(&[(0.0, 100.0), (50.0, 90.0), (300.0, 80.0)]);
        one.change(100.0, 200.0, |value| value - 10.0);
        assert_eq!(
            [0.0, 50.0, 99.0, 100.0, 199.0, 200.0, 300.0].map(|tick| one.at(tick)),
            [100.0, 90.0, 90.0, 80.0, 80.0, 90.0, 80.0]
        );
        let mut one = lane(&[(0.0, 100.0), (150.0, 90.0), (300.0, 80.0)]);
        one.change(100.0, 200.0, |value| value - 10.0);
        assert_eq!(
            [0.0, 99.0, 100.0, 150.0, 199.0, 200.0, 300.0].map(|tick| one.at(tick)),
            [100.0, 100.0, 90.0, 80.0, 80.0, 90.0, 80.0]
        );
    }

    #[test]
    fn what_says_nothing_new_is_left_out() {
        let rounded = lane(&[(0.0, 10.2), (5.0, 9.9), (6.0, 11.0), (6.0, 12.0), (9.0, 12.4), (11.0, 12.0)]).rounded();
        assert_eq!((rounded.ticks(), rounded.values()), (&[0.0, 5.0, 6.0, 11.0][..], &[10.0, 10.0, 12.0, 12.0][..]));
    }
}
