//! Grooves: what a player does on average in each slot of a bar, and how much it varies.

pub(crate) mod extract;
pub(crate) mod library;

use crate::base::field_error::FieldError;
use crate::base::units::{Millis, Ppq, Ticks};
use crate::kit::Family;
use crate::time::grid::Grid;
use crate::time::metre::{Metre, MetreMap};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::BTreeMap;
use ts_rs::TS;

/// One slot of a groove.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct GrooveSlot {
    /// So many hits it was taken from; 0 where it was drawn or worked out.
    pub count: u32,
    /// The mean distance from the slot's line as a share of a cell, −0.5 (early) to 0.5 (late).
    pub offset: f64,
    /// The standard deviation of that distance, 0 to 1 cell.
    pub spread: f64,
    /// The mean velocity over the mean of all slots, 0.01 to 20.
    pub velocity: f64,
    /// The standard deviation of that ratio, 0 to 20.
    pub velocity_spread: f64,
    /// The mean length over the mean of all slots, 0.01 to 100.
    pub length: f64,
}

impl Default for GrooveSlot {
    fn default() -> GrooveSlot {
        GrooveSlot { count: 0, offset: 0.0, spread: 0.0, velocity: 1.0, velocity_spread: 0.0, length: 1.0 }
    }
}

impl GrooveSlot {
    /// What lies a share of the way (0 to 1) from this slot to another.
    pub(crate) fn towards(&self, other: &GrooveSlot, share: f64) -> GrooveSlot {
        let between = |a: f64, b: f64| a + share * (b - a);
        GrooveSlot {
            count: 0,
            offset: between(self.offset, other.offset),
            spread: between(self.spread, other.spread),
            velocity: between(self.velocity, other.velocity),
            velocity_spread: between(self.velocity_spread, other.velocity_spread),
            length: between(self.length, other.length),
        }
    }

    fn check(&self) -> Result<(), (&'static str, String)> {
        let ranges = [
            ("offset", self.offset, -0.5, 0.5),
            ("spread", self.spread, 0.0, 1.0),
            ("velocity", self.velocity, 0.01, 20.0),
            ("velocity_spread", self.velocity_spread, 0.0, 20.0),
            ("length", self.length, 0.01, 100.0),
        ];
        for (field, value, least, most) in ranges {
            if !(least..=most).contains(&value) {
                return Err((field, format!("{value} is outside {least} to {most}")));
            }
        }
        Ok(())
    }
}

/// The slots that a groove knows, by their number from 1, bar after bar. What lies between two known
/// ones is inferred: straight from one to the other, on from the last to the first.
pub type GrooveSlots = BTreeMap<u32, GrooveSlot>;

/// A timing and accent profile over one or more bars.
///
/// ```
/// use vivida_core::{GrooveProfile, GrooveSlot, Ppq};
/// let late = GrooveSlot { offset: 0.1, ..GrooveSlot::default() };
/// let groove = GrooveProfile { name: "Late twos".to_owned(), ..GrooveProfile::default() };
/// let groove = GrooveProfile { together: [(5, late)].into(), ..groove };
/// assert_eq!((groove.slots(), groove.is_empty(), groove.check()), (16, false, Ok(())));
/// // A tenth of a 16th at 120 bpm.
/// assert_eq!(groove.millis(late.offset).0, 12.5);
/// ```
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct GrooveProfile {
    /// What people call it.
    pub name: String,
    /// Its length, 1 to 16.
    pub bars: u32,
    /// The metre of its bars.
    pub metre: Metre,
    /// Its slots are the lines of this grid.
    pub grid: Grid,
    /// The tempo that it was taken at, 10 to 1000 quarter notes a minute.
    pub tempo: f64,
    /// All drums together.
    pub together: GrooveSlots,
    /// Each family by itself.
    pub families: BTreeMap<Family, GrooveSlots>,
}

impl Default for GrooveProfile {
    /// One bar of 4/4 in 16ths at 120 bpm that knows nothing yet.
    fn default() -> GrooveProfile {
        GrooveProfile {
            name: String::new(),
            bars: 1,
            metre: Metre::new(4, 4).expect("4/4 is a metre"),
            grid: Grid::SIXTEENTHS,
            tempo: 120.0,
            together: GrooveSlots::new(),
            families: BTreeMap::new(),
        }
    }
}

impl GrooveProfile {
    /// The most bars that a groove has.
    pub const MOST_BARS: u32 = 16;

    /// How many slots a bar has. The last one may be shorter than the others.
    pub fn slots_a_bar(&self) -> u32 {
        (self.bar_cells() - 1e-6).ceil().max(1.0) as u32
    }

    /// How many slots there are.
    pub fn slots(&self) -> u32 {
        self.bars * self.slots_a_bar()
    }

    /// The length of a bar in cells of the grid.
    pub fn bar_cells(&self) -> f64 {
        let ppq = Ppq::new(Ppq::FINE).expect("above 0");
        self.metre.bar_length(ppq).0 / self.grid.cell(ppq).0
    }

    /// Whether it knows nothing yet.
    pub fn is_empty(&self) -> bool {
        self.together.is_empty() && self.families.values().all(BTreeMap::is_empty)
    }

    /// A share of a cell at the tempo that it was taken at.
    pub fn millis(&self, share: f64) -> Millis {
        let ppq = Ppq::new(Ppq::FINE).expect("above 0");
        Millis(share * self.grid.cell(ppq).0 / ppq.as_f64() * 60_000.0 / self.tempo)
    }

    /// What a family does: its own slots, or where it has none those of all together.
    pub fn of_family(&self, family: Family) -> &GrooveSlots {
        self.families.get(&family).filter(|slots| !slots.is_empty()).unwrap_or_else(|| self.of_all())
    }

    /// What all together do; without that, what the first family does.
    pub fn of_all(&self) -> &GrooveSlots {
        let first = self.families.values().find(|slots| !slots.is_empty());
        if self.together.is_empty() { first.unwrap_or(&self.together) } else { &self.together }
    }

    /// Every slot, those that are not known inferred; nothing where none is known.
    pub fn filled(&self, known: &GrooveSlots) -> Vec<GrooveSlot> {
        let count = self.slots();
        let (Some((&first, _)), Some((&last, _))) = (known.first_key_value(), known.last_key_value()) else {
            return Vec::new();
        };
        let fill = |slot: u32| {
            if let Some(own) = known.get(&slot) {
                return *own;
            }
            let (before, start) =
                known.range(..slot).next_back().map_or((last, last as i64 - i64::from(count)), |(&b, _)| (b, b.into()));
            let (after, end) =
                known.range(slot..).next().map_or((first, i64::from(first + count)), |(&a, _)| (a, a.into()));
            let share = (i64::from(slot) - start) as f64 / (end - start) as f64;
            known[&before].towards(&known[&after], share)
        };
        (1..=count).map(fill).collect()
    }

    /// What is wrong with it: the path of the field and why.
    pub fn check(&self) -> Result<(), (String, String)> {
        let wrong = |field: &str, message: String| Err((field.to_owned(), message));
        if self.name.chars().count() > 200 {
            return wrong("name", "a name has at most 200 letters".to_owned());
        }
        if !(1..=GrooveProfile::MOST_BARS).contains(&self.bars) {
            return wrong("bars", format!("{} is outside 1 to {}", self.bars, GrooveProfile::MOST_BARS));
        }
        if Metre::new(self.metre.numerator, self.metre.denominator).is_none()
            || self.metre.grouping.iter().map(|&group| u32::from(group)).sum::<u32>() != u32::from(self.metre.numerator)
        {
            return wrong("metre", "a metre has a unit of 1, 2, 4 … 64 and groups that add up to its bar".to_owned());
        }
        if !(10.0..=1000.0).contains(&self.tempo) {
            return wrong("tempo", format!("{} is outside 10 to 1000 bpm", self.tempo));
        }
        if self.slots() > 4096 {
            return wrong("grid", format!("{} slots are more than the 4096 that a groove has", self.slots()));
        }
        let lists = self.families.iter().map(|(family, slots)| (format!("families.{}", family.id()), slots));
        for (path, slots) in std::iter::once(("together".to_owned(), &self.together)).chain(lists) {
            for (&slot, one) in slots {
                if !(1..=self.slots()).contains(&slot) {
                    let message = format!("slot {slot} is outside the groove, which has {} slots", self.slots());
                    return wrong(&format!("{path}.{slot}"), message);
                }
                if let Err((field, message)) = one.check() {
                    return wrong(&format!("{path}.{slot}.{field}"), message);
                }
            }
        }
        Ok(())
    }

    /// What is to be said where bars of the song differ from those that it was made for.
    pub fn said_of(&self, metre: &MetreMap) -> Option<String> {
        let length = self.metre.bar_length(metre.ppq()).0;
        let others: Vec<String> = metre
            .changes()
            .filter(|(_, other)| (other.bar_length(metre.ppq()).0 - length).abs() > 0.5)
            .map(|(_, other)| other.to_string())
            .collect();
        let longer = metre.changes().any(|(_, other)| other.bar_length(metre.ppq()).0 > length + 0.5);
        let how = if longer { "longer bars begin it anew after its own length" } else { "shorter bars cut it off" };
        (!others.is_empty()).then(|| format!("The groove is in {}; in {} {how}.", self.metre, others.join(" and ")))
    }
}

impl Family {
    /// Its name in JSON.
    pub fn id(self) -> &'static str {
        match self {
            Family::Kick => "kick",
            Family::Snare => "snare",
            Family::Tom => "tom",
            Family::Hat => "hat",
            Family::Ride => "ride",
            Family::Crash => "crash",
            Family::HandPercussion => "hand-percussion",
            Family::Tonal => "tonal",
            Family::Other => "other",
        }
    }
}

/// A groove laid out for looking up: every slot of one voice, and where its line lies in ticks.
pub(crate) struct GrooveCurve {
    slots: Vec<GrooveSlot>,
    /// Of its own bars.
    bar: f64,
    bars: u32,
    slots_a_bar: u32,
    cell: f64,
}

impl GrooveCurve {
    /// Nothing where the voice knows nothing.
    pub fn new(groove: &GrooveProfile, known: &GrooveSlots, ppq: Ppq) -> Option<GrooveCurve> {
        let slots = groove.filled(known);
        (!slots.is_empty()).then(|| GrooveCurve {
            slots,
            bar: groove.metre.bar_length(ppq).0,
            bars: groove.bars,
            slots_a_bar: groove.slots_a_bar(),
            cell: groove.grid.cell(ppq).0,
        })
    }

    /// Ticks of one cell.
    pub fn cell(&self) -> f64 {
        self.cell
    }

    /// What the groove does at a position: straight from slot to slot.
    pub fn at(&self, metre: &MetreMap, at: f64) -> GrooveSlot {
        let bar = metre.bar_at(Ticks(at));
        // Before the start lies the end of a bar.
        let from_bar = at - bar.start.0;
        let within = if (0.0..self.bar).contains(&from_bar) { from_bar } else { from_bar.rem_euclid(self.bar) };
        let number = if at < bar.start.0 { bar.number + self.bars - 2 } else { bar.number - 1 };
        let slot = ((within / self.cell + 1e-9) as u32).min(self.slots_a_bar - 1);
        let start = f64::from(slot) * self.cell;
        let end = (start + self.cell).min(self.bar);
        let place = (number % self.bars) * self.slots_a_bar + slot;
        let next = if end < self.bar || bar.length.0 <= self.bar + 0.5 {
            (place + 1) % self.slots.len() as u32
        } else {
            // A longer bar begins the groove's own anew.
            (number % self.bars) * self.slots_a_bar
        };
        self.slots[place as usize]
            .towards(&self.slots[next as usize], ((within - start) / (end - start)).clamp(0.0, 1.0))
    }
}

/// A groove as a file: what docs/formats/groove.md describes.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct GrooveFile {
    /// Always `vivida-groove`.
    pub format: &'static str,
    /// [`GrooveFile::VERSION`].
    pub version: u32,
    /// What it is for.
    pub note: String,
    /// The groove.
    #[serde(flatten)]
    pub groove: GrooveProfile,
}

impl GrooveFile {
    /// The version of the groove format that this build reads and writes.
    pub const VERSION: u32 = 1;

    /// A file of this version.
    pub fn new(note: impl Into<String>, groove: GrooveProfile) -> GrooveFile {
        GrooveFile { format: "vivida-groove", version: GrooveFile::VERSION, note: note.into(), groove }
    }

    /// From the text of a file.
    ///
    /// ```
    /// use vivida_core::GrooveFile;
    /// let text = r#"{"format": "vivida-groove", "version": 1, "together": {"17": {"offset": 0.1}}}"#;
    /// let error = GrooveFile::parse(text).unwrap_err();
    /// assert_eq!(error.to_string(), "together.17: slot 17 is outside the groove, which has 16 slots");
    /// ```
    pub fn parse(text: &str) -> Result<GrooveFile, FieldError> {
        let value: Value = serde_json::from_str(text)
            .map_err(|error| FieldError::new(format!("line {}", error.line()), crate::refused(&error)))?;
        let Value::Object(mut fields) = value else {
            return Err(FieldError::new(".", "a groove is a JSON object"));
        };
        if fields.remove("format").as_ref().and_then(Value::as_str) != Some("vivida-groove") {
            return Err(FieldError::new("format", "expected \"vivida-groove\""));
        }
        match fields.remove("version").as_ref().and_then(Value::as_u64) {
            Some(version) if version == u64::from(GrooveFile::VERSION) => {}
            Some(version) if version > u64::from(GrooveFile::VERSION) => {
                let message =
                    format!("version {version} is newer than this Vivida, which reads version 1; update Vivida");
                return Err(FieldError::new("version", message));
            }
            _ => return Err(FieldError::new("version", "expected 1")),
        }
        let note = match fields.remove("note") {
            None => String::new(),
            Some(Value::String(text)) => text,
            Some(other) => return Err(FieldError::new("note", format!("expected a text, found {other}"))),
        };
        let groove = GrooveProfile::from_value(Value::Object(fields))?;
        Ok(GrooveFile::new(note, groove))
    }
}

impl GrooveProfile {
    /// From JSON, every field checked; at least one slot must be known.
    pub fn from_value(value: Value) -> Result<GrooveProfile, FieldError> {
        let groove: GrooveProfile = serde_path_to_error::deserialize(value)
            .map_err(|error| FieldError::new(error.path().to_string(), crate::refused(error.inner())))?;
        groove.check().map_err(|(path, message)| FieldError::new(path, message))?;
        if groove.is_empty() {
            return Err(FieldError::new("together", "a groove knows at least one slot"));
        }
        Ok(groove)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn slot(offset: f64) -> GrooveSlot {
        GrooveSlot { offset, ..GrooveSlot::default() }
    }

    #[test]
    fn slots_without_hits_are_inferred_round_the_end() {
        let groove = GrooveProfile { grid: "1/4".parse().unwrap(), ..GrooveProfile::default() };
        let offsets = |known: GrooveSlots| groove.filled(&known).iter().map(|one| one.offset).collect::<Vec<f64>>();
        assert_eq!(offsets([(1, slot(0.0)), (3, slot(0.2))].into()), [0.0, 0.1, 0.2, 0.1]);
        assert_eq!(offsets([(4, slot(0.3))].into()), [0.3; 4]);
        assert!(offsets(GrooveSlots::new()).is_empty());
        let around = offsets([(2, slot(0.3)), (3, slot(0.0))].into());
        assert!((around[0] - 0.2).abs() < 1e-12 && (around[3] - 0.1).abs() < 1e-12, "{around:?}");
    }

    #[test]
    fn between_slots_a_curve_is_straight_and_goes_on_over_the_bar_line() {
        let groove = GrooveProfile { grid: "1/4".parse().unwrap(), ..GrooveProfile::default() };
        let known = [(1, slot(0.1)), (2, slot(0.3)), (4, slot(0.3))].into();
        let metre = MetreMap::new(Ppq::new(960).unwrap(), []);
        let curve = GrooveCurve::new(&groove, &known, metre.ppq()).unwrap();
        for (at, offset) in [(0.0, 0.1), (480.0, 0.2), (960.0, 0.3), (3360.0, 0.2), (3840.0, 0.1), (-480.0, 0.2)] {
            assert!((curve.at(&metre, at).offset - offset).abs() < 1e-9, "{at}");
        }
        // In 5/4 the fifth beat is the groove's first again; in 3/4 its fourth is never reached.
        let five = MetreMap::new(Ppq::new(960).unwrap(), [(Ticks(0.0), Metre::new(5, 4).unwrap())]);
        assert!((curve.at(&five, 3840.0).offset - 0.1).abs() < 1e-9);
        assert!(groove.said_of(&five).unwrap().contains("in 5/4 longer bars begin it anew"));
        assert_eq!(groove.said_of(&metre), None);
    }

    #[test]
    fn what_is_wrong_is_named() {
        let path = |fields: Value| {
            let mut whole = json!({"format": "vivida-groove", "version": 1, "together": {"1": {"offset": 0.1}}});
            whole.as_object_mut().unwrap().extend(fields.as_object().unwrap().clone());
            GrooveFile::parse(&whole.to_string()).map_err(|error| error.path).map(|file| file.groove.together.len())
        };
        assert_eq!(path(json!({})), Ok(1));
        for (fields, wrong) in [
            (json!({"together": {"1": {"offset": 0.6}}}), "together.1.offset"),
            (json!({"together": {"1": {"length": -1}}}), "together.1.length"),
            (json!({"together": {"0": {}}}), "together.0"),
            (json!({"together": {}}), "together"),
            (json!({"families": {"snare": {"17": {}}}}), "families.snare.17"),
            (json!({"families": {"bagpipe": {}}}), "families"),
            (json!({"tempo": 0}), "tempo"),
            (json!({"bars": 0}), "bars"),
            (json!({"grid": "1/3"}), "grid"),
            (json!({"metre": {"numerator": 4, "denominator": 3, "grouping": [4]}}), "metre"),
            (json!({"metre": {"numerator": 4, "denominator": 4, "grouping": [9]}}), "metre"),
            (
                json!({"bars": 16, "grid": "1/128", "metre": {"numerator": 32, "denominator": 4, "grouping": [32]}}),
                "grid",
            ),
            (json!({"version": 2}), "version"),
            (json!({"format": "other"}), "format"),
            (json!({"note": 7}), "note"),
            (json!({"moon": 7}), "moon"),
        ] {
            let found = path(fields.clone()).unwrap_err();
            assert!(found.starts_with(wrong), "{fields} is refused at {found}");
        }
        for text in [r#"{"tempo": NaN}"#, r#"{"tempo": 1e999}"#, "{", "[]"] {
            assert!(GrooveFile::parse(text).is_err(), "{text}");
        }
    }
}
