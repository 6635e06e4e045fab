//! Aims: whom a pass is for.

use crate::base::units::{Channel, Millis, Percent, Ticks, Velocity};
use crate::kit::InstrumentId;
use crate::kit::general_midi::Parted;
use crate::part::hit::HitId;
use crate::perform::dice::Dice;
use crate::perform::strokes::TOGETHER;
use crate::perform::{Side, Stage};
use crate::recipe::names::{Carrier, For, Named};
pub use crate::time::bars::BarRange;
use crate::time::grid::Grid;
use crate::time::grid::{first_of_group, slots_in};
use crate::time::metre::MetreMap;
use crate::time::section::Section;
use serde::{Deserialize, Serialize};
use std::collections::HashSet;
use ts_rs::TS;

/// Velocities `from` up to and with `to`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct VelocityRange {
    pub from: Velocity,
    pub to: Velocity,
}

/// Times `from` up to and with `to`.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
#[allow(missing_docs)]
pub struct TimeRange {
    pub from: Millis,
    pub to: Millis,
}

/// Chosen slots of a bar, or of a few bars that go round and round from bar 1 on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Positions {
    /// What a bar is cut into.
    pub grid: Grid,
    /// The chosen slots, counted from 1. Those of a second bar go on counting behind the first.
    pub slots: Vec<u32>,
    /// 1 to 4: how many bars the slots lie in.
    #[serde(default = "one")]
    pub bars: u32,
    /// 0 to 50 % of a slot: how far a hit may be from its line; 50 takes the nearest slot.
    #[serde(default = "half")]
    pub tolerance: Percent,
}

fn one() -> u32 {
    1
}

fn half() -> Percent {
    Percent(50.0)
}

/// How soon after the one before: the gap to the hit before it of the same instrument or limb.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Speed {
    /// The gap is at most this.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub at_most: Option<Millis>,
    /// The gap is at least this; the first hit of all has an endless one.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub at_least: Option<Millis>,
    /// The gap is this note value, give or take 20 %.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub value: Option<Grid>,
    /// Count all that the limb plays, not the instrument alone.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    #[ts(optional, as = "Option<bool>")]
    pub by_limb: bool,
}

/// Which hits of a run.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
#[allow(missing_docs)]
pub enum RunPlace {
    First,
    Last,
    /// The first, third, fifth …
    Odd,
    Even,
    /// Every `every`-th: with 4 the 4th, 8th …
    Every,
    AllButFirst,
}

/// A place in the chains of hits of one instrument that follow one another closely.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Run {
    /// Which of its hits.
    pub place: RunPlace,
    /// 2 to 64, for [`RunPlace::Every`].
    #[serde(default = "two")]
    pub every: u32,
    /// 1 to 10 000 ms: a longer gap ends a run.
    pub gap: Millis,
}

fn two() -> u32 {
    2
}

/// Another instrument close by.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Near {
    /// Any of these.
    pub instruments: Vec<InstrumentId>,
    /// 0 to 1000 ms to either side.
    pub within: Millis,
}

/// A place in a chord: notes of one instrument that are struck within 15 ms of one another.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum ChordPlace {
    /// All notes of chords; what is struck alone is none.
    Any,
    /// The highest note of each.
    Top,
    /// The lowest note of each.
    Bottom,
    /// The notes between.
    Inner,
}

/// Grace notes: flams, drags, ruffs and rolls, as they are found by what leads to louder strokes or bounces out of them.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum GraceNotes {
    /// They alone.
    Only,
    /// All but they.
    None,
    /// The hits that they belong to.
    Led,
}

/// Whom a pass is for. All given conditions hold; an absent or empty one holds for every hit.
///
/// Positions, gaps and lengths are looked up on the written hit, so an aim means the same hits
/// wherever earlier passes have moved them; velocities on what enters the pass.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Aim {
    /// Any of these instruments.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[ts(optional, as = "Option<Vec<InstrumentId>>")]
    pub instruments: Vec<InstrumentId>,
    /// Any of these ways of striking, by name.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[ts(optional, as = "Option<Vec<String>>")]
    pub articulations: Vec<String>,
    /// In any of these bars.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[ts(optional, as = "Option<Vec<BarRange>>")]
    pub bars: Vec<BarRange>,
    /// Or in any section of one of these names.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[ts(optional, as = "Option<Vec<String>>")]
    pub sections: Vec<String>,
    /// On these slots of the bar.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub positions: Option<Positions>,
    /// As loud as this when it enters the pass.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub velocity: Option<VelocityRange>,
    /// As long as this.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub length: Option<TimeRange>,
    /// As soon after the one before.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub speed: Option<Speed>,
    /// At this place of a run.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub run: Option<Run>,
    /// Together with another instrument.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub with: Option<Near>,
    /// By this hand or foot, as passes before it gave it.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub hand: Option<Side>,
    /// On any of these channels: 0 to 15.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[ts(optional, as = "Option<Vec<Channel>>")]
    pub channels: Vec<Channel>,
    /// At this place of a chord.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub chord: Option<ChordPlace>,
    /// Grace notes, all but these, or what they belong to.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub grace: Option<GraceNotes>,
    /// Not together with another instrument.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub without: Option<Near>,
    /// 0 to 100 %: so many of them, chosen by dice.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub share: Option<Percent>,
    /// Exactly these hits.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub picked: Option<Vec<HitId>>,
    /// All but these: of the chosen instruments and bars the hits that the other conditions do not
    /// mean; where there are no others, all but the hits of these instruments and bars.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    #[ts(optional, as = "Option<bool>")]
    pub invert: bool,
}

impl Aim {
    /// Shows all that it names.
    pub(crate) fn names(&mut self, by: &mut dyn Carrier) {
        let Aim {
            instruments,
            articulations,
            bars,
            sections: _,
            positions: _,
            velocity: _,
            length: _,
            speed: _,
            run: _,
            hand: _,
            channels: _,
            chord: _,
            grace: _,
            with,
            without,
            share: _,
            picked,
            invert: _,
        } = self;
        by.take(Named::Instruments(instruments, For::Aim));
        for (near, what_for) in [(with, For::With), (without, For::Without)] {
            if near
                .as_mut()
                .is_some_and(|Near { instruments, within: _ }| !by.take(Named::Instruments(instruments, what_for)))
            {
                *near = None;
            }
        }
        for name in articulations {
            by.take(Named::Stroke(name, For::Aim));
        }
        by.take(Named::Bars(bars));
        if let Some(picked) = picked {
            picked.retain_mut(|id| by.take(Named::Hit(id)));
        }
    }
}

impl Aim {
    /// With each id that stands for several instruments replaced by theirs, and strokes called as they are now.
    pub(crate) fn parted(mut self) -> Aim {
        let near = [&self.with, &self.without].into_iter().flatten().flat_map(|near| &near.instruments);
        if self.instruments.iter().chain(near).all(|id| id.parted().is_none()) {
            return self;
        }
        let named = std::mem::take(&mut self.articulations);
        let mut strokes: Vec<String> = Vec::new();
        let mut instruments: Vec<InstrumentId> = Vec::new();
        for id in &self.instruments {
            let Some(parted) = id.parted() else {
                instruments.push(id.clone());
                continue;
            };
            let is_named = |was: &str| named.iter().any(|name| name == was);
            let aims = |(_, ways): &&Parted| ways.iter().any(|(was, _)| is_named(was));
            let all = named.is_empty() || !parted.iter().any(|one| aims(&one));
            for (id, ways) in parted.iter().filter(|one| all || aims(one)) {
                instruments.push(InstrumentId::new(*id));
                strokes.extend(ways.iter().filter(|(was, _)| is_named(was)).map(|(_, now)| (*now).to_owned()));
            }
        }
        let mapped = |name: &&String| {
            let groups = self.instruments.iter().filter_map(InstrumentId::parted).flatten();
            groups.flat_map(|(_, ways)| *ways).any(|(was, _)| was == name)
        };
        strokes.extend(named.iter().filter(|name| !mapped(name)).cloned());
        self.instruments = without_twins(instruments);
        self.articulations = without_twins(strokes);
        for near in [&mut self.with, &mut self.without].into_iter().flatten() {
            let ids = near.instruments.iter().flat_map(|id| match id.parted() {
                Some(_) => id.together().collect(),
                None => vec![id.clone()],
            });
            near.instruments = without_twins(ids.collect());
        }
        self
    }
}

fn without_twins<T: PartialEq>(all: Vec<T>) -> Vec<T> {
    let mut kept: Vec<T> = Vec::with_capacity(all.len());
    for one in all {
        if !kept.contains(&one) {
            kept.push(one);
        }
    }
    kept
}

/// What an aim at all but some turns round, for the words that say so.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Turned {
    /// Its conditions, within the chosen instruments and bars.
    Conditions,
    /// Its ways of striking, likewise.
    Articulations,
    /// Its instruments, and the bars with them.
    Instruments,
    /// Its bars.
    Bars,
}

/// The draw that decides whether a hit belongs to a share; actions draw lower numbers.
const SHARE_DRAW: u32 = 1 << 20;

type Wrong = (String, String);

/// The most instruments or articulations that an aim names.
const MOST_NAMES: usize = 256;
/// The most ranges of bars, and the most sections.
const MOST_STRETCHES: usize = 1000;
/// The most slots, and the highest of them.
const MOST_SLOTS: u32 = 4096;
/// The most hits that are picked one by one.
const MOST_PICKED: usize = 100_000;

/// A number in a condition of an aim.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, TS)]
pub struct AimNumber {
    /// The condition and its field: `length.from`.
    pub field: &'static str,
    /// Least.
    pub min: f64,
    /// Greatest.
    pub max: f64,
    /// One step of the wheel or an arrow key.
    pub step: f64,
    /// `%`, `ms` or nothing.
    pub unit: &'static str,
}

const fn number(field: &'static str, min: f64, max: f64, step: f64, unit: &'static str) -> AimNumber {
    AimNumber { field, min, max, step, unit }
}

/// All numbers in conditions, as they are checked and as they are offered.
const NUMBERS: [AimNumber; 12] = [
    number("positions.bars", 1.0, 4.0, 1.0, ""),
    number("positions.tolerance", 0.0, 50.0, 1.0, "%"),
    number("positions.slots", 1.0, MOST_SLOTS as f64, 1.0, ""),
    number("length.from", 0.0, 60_000.0, 5.0, "ms"),
    number("length.to", 0.0, 60_000.0, 5.0, "ms"),
    number("speed.at_most", 0.0, 60_000.0, 5.0, "ms"),
    number("speed.at_least", 0.0, 60_000.0, 5.0, "ms"),
    number("run.gap", 1.0, 10_000.0, 5.0, "ms"),
    number("run.every", 2.0, 64.0, 1.0, ""),
    number("with.within", 0.0, 1000.0, 1.0, "ms"),
    number("without.within", 0.0, 1000.0, 1.0, "ms"),
    number("share", 0.0, 100.0, 1.0, "%"),
];

/// Fails where a number lies outside its range; `field` may have a place in a list behind it.
fn within(field: &str, value: f64) -> Result<(), Wrong> {
    let name = field.split('[').next().unwrap_or(field);
    let number = NUMBERS.iter().find(|one| one.field == name).expect("every number of an aim has a range");
    if value >= number.min && value <= number.max {
        return Ok(());
    }
    let AimNumber { min, max, unit, .. } = number;
    let unit = if unit.is_empty() { String::new() } else { format!(" {unit}") };
    Err((field.to_owned(), format!("{value} is outside {min} to {max}{unit}")))
}

/// What an aim can be narrowed by: how each condition begins, and the ranges of its numbers.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct AimOffer {
    /// An aim with each condition as it begins.
    pub starts: Aim,
    /// In the order of the conditions.
    pub numbers: Vec<AimNumber>,
}

impl AimOffer {
    /// All of it.
    pub fn all() -> AimOffer {
        let near = || Near { instruments: vec![InstrumentId::new("kick")], within: Millis(20.0) };
        let velocity = |value| Velocity::new(value).expect("it is a velocity");
        let starts = Aim {
            // 2 and 4.
            positions: Some(Positions { grid: Grid::SIXTEENTHS, slots: vec![5, 13], bars: one(), tolerance: half() }),
            velocity: Some(VelocityRange { from: velocity(1), to: velocity(90) }),
            length: Some(TimeRange { from: Millis(0.0), to: Millis(100.0) }),
            speed: Some(Speed { at_most: Some(Millis(130.0)), ..Speed::default() }),
            run: Some(Run { place: RunPlace::First, every: two(), gap: Millis(150.0) }),
            hand: Some(Side::Left),
            chord: Some(ChordPlace::Top),
            grace: Some(GraceNotes::None),
            with: Some(near()),
            without: Some(near()),
            share: Some(Percent(50.0)),
            ..Aim::default()
        };
        AimOffer { starts, numbers: NUMBERS.to_vec() }
    }
}

impl Aim {
    /// Everything.
    pub fn everything() -> Aim {
        Aim::default()
    }

    /// One instrument in every bar.
    pub fn at(instrument: &str) -> Aim {
        Aim { instruments: vec![InstrumentId::new(instrument)], ..Aim::default() }
    }

    /// What it turns round, if it means all but these.
    pub fn turned(&self) -> Option<Turned> {
        let Aim { instruments, articulations, bars, sections, invert, .. } = self.clone();
        let plain = Aim { instruments, articulations, bars, sections, invert, ..Aim::default() };
        match self {
            Aim { invert: false, .. } => None,
            _ if *self != plain => Some(Turned::Conditions),
            Aim { articulations, .. } if !articulations.is_empty() => Some(Turned::Articulations),
            Aim { instruments, .. } if !instruments.is_empty() => Some(Turned::Instruments),
            _ => Some(Turned::Bars),
        }
    }

    /// What is wrong with the conditions: the path of the field and why.
    pub(crate) fn check(&self) -> Result<(), Wrong> {
        let many = |field: &str, count: usize, most: usize| match count > most {
            true => Err((field.to_owned(), format!("{count} are more than the {most} that an aim may name"))),
            false => Ok(()),
        };
        many("instruments", self.instruments.len(), MOST_NAMES)?;
        many("articulations", self.articulations.len(), MOST_NAMES)?;
        many("channels", self.channels.len(), 16)?;
        many("bars", self.bars.len(), MOST_STRETCHES)?;
        many("sections", self.sections.len(), MOST_STRETCHES)?;
        many("picked", self.picked.as_ref().map_or(0, Vec::len), MOST_PICKED)?;
        for (index, range) in self.bars.iter().enumerate() {
            if range.from < 1 || range.to < range.from {
                let message = format!(
                    "bars {} to {} are no range; count from 1 and end at or after the start",
                    range.from, range.to
                );
                return Err((format!("bars[{index}]"), message));
            }
        }
        if let Some(positions) = &self.positions {
            many("positions.slots", positions.slots.len(), MOST_SLOTS as usize)?;
            within("positions.bars", f64::from(positions.bars))?;
            within("positions.tolerance", positions.tolerance.0)?;
            for (index, &slot) in positions.slots.iter().enumerate() {
                within(&format!("positions.slots[{index}]"), f64::from(slot))?;
            }
        }
        if let Some(range) = self.velocity
            && range.from > range.to
        {
            let message = format!("velocities {} to {} are no range", range.from.get(), range.to.get());
            return Err(("velocity".to_owned(), message));
        }
        if let Some(range) = self.length {
            within("length.from", range.from.0)?;
            within("length.to", range.to.0)?;
            if range.from > range.to {
                let message = format!("{} ms is shorter than the shortest, {} ms", range.to.0, range.from.0);
                return Err(("length.to".to_owned(), message));
            }
        }
        if let Some(speed) = &self.speed {
            within("speed.at_most", speed.at_most.map_or(0.0, |gap| gap.0))?;
            within("speed.at_least", speed.at_least.map_or(0.0, |gap| gap.0))?;
        }
        if let Some(run) = self.run {
            within("run.gap", run.gap.0)?;
            within("run.every", f64::from(run.every))?;
        }
        for (field, near) in [("with", &self.with), ("without", &self.without)] {
            let Some(near) = near else { continue };
            many(&format!("{field}.instruments"), near.instruments.len(), MOST_NAMES)?;
            within(&format!("{field}.within"), near.within.0)?;
        }
        within("share", self.share.map_or(0.0, |share| share.0))
    }

    /// No stretch of the song is chosen.
    pub(crate) fn is_everywhere(&self) -> bool {
        self.bars.is_empty() && self.sections.is_empty()
    }

    /// Where the chosen stretches of the song begin and end, in ticks, in order; where some overlap they
    /// are one.
    pub(crate) fn stretches(&self, metre: &MetreMap, sections: &[Section]) -> Vec<(f64, f64)> {
        let named = sections.iter().filter(|section| self.sections.contains(&section.name));
        let bars = self.bars.iter().map(|range| (range.from, range.to));
        let stretch = |(from, to)| {
            let last = metre.bar(to);
            (metre.bar(from).start.0, last.start.0 + last.length.0)
        };
        let mut all: Vec<(f64, f64)> =
            bars.chain(named.map(|section| (section.from, section.to))).map(stretch).collect();
        all.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut apart: Vec<(f64, f64)> = Vec::with_capacity(all.len());
        for (from, to) in all {
            match apart.last_mut() {
                Some(last) if from < last.1 => last.1 = last.1.max(to),
                _ => apart.push((from, to)),
            }
        }
        apart
    }

    /// The indices of the stage that are meant, ascending. A silenced hit never is.
    pub(crate) fn meant(&self, stage: &Stage<'_>, dice: &Dice) -> Vec<usize> {
        let scope = self.scope(stage);
        let mut indices = scope.clone();
        self.keep_places(&mut indices, stage);
        self.keep_company(&mut indices, stage, dice);
        if self.invert {
            let mut meant = vec![false; stage.count()];
            indices.iter().for_each(|&index| meant[index] = true);
            let all = if self.is_scope_alone() { (0..stage.count()).collect() } else { scope };
            indices = all.into_iter().filter(|&index| !meant[index]).collect();
        }
        if stage.silences() {
            indices.retain(|&index| !stage.is_silenced(index));
        }
        indices
    }

    /// Nothing is asked of the hits of the chosen instruments and bars.
    pub(crate) fn is_scope_alone(&self) -> bool {
        let Aim { instruments: _, bars: _, sections: _, invert: _, articulations, .. } = self;
        let Aim { positions, velocity, length, speed, run, with, without, share, picked, .. } = self;
        let Aim { hand, channels, chord, grace, .. } = self;
        let struck = hand.is_some() || !channels.is_empty();
        let of_the_hit = struck || positions.is_some() || velocity.is_some() || length.is_some() || picked.is_some();
        let of_others = chord.is_some()
            || grace.is_some()
            || speed.is_some()
            || run.is_some()
            || with.is_some()
            || without.is_some()
            || share.is_some();
        articulations.is_empty() && !of_the_hit && !of_others
    }

    /// The indices of the chosen instruments in the chosen bars.
    fn scope(&self, stage: &Stage<'_>) -> Vec<usize> {
        let mut indices = self.rows_of_instruments(stage);
        if !self.is_everywhere() {
            let stretches = self.stretches(stage.metre, stage.sections);
            indices.retain(|&index| {
                let tick = stage.anchor(index).0;
                let begun = stretches.partition_point(|&(from, _)| from <= tick);
                begun > 0 && tick < stretches[begun - 1].1
            });
        }
        indices
    }

    /// The indices of the chosen instruments; of all without any.
    fn rows_of_instruments(&self, stage: &Stage<'_>) -> Vec<usize> {
        let all = 0..stage.count();
        if self.instruments.is_empty() {
            return all.collect();
        }
        let instruments = stage.chart.kit.instruments.iter();
        let wanted: Vec<bool> = instruments.map(|instrument| self.instruments.contains(&instrument.id)).collect();
        let mut chosen = (0..wanted.len()).filter(|&place| wanted[place]);
        if let (Some(only), None, true) = (chosen.next(), chosen.next(), stage.is_as_written()) {
            return stage.chart.of_instrument(only).to_vec();
        }
        all.filter(|&index| stage.instrument(index).is_some_and(|place| wanted[place])).collect()
    }

    /// What is asked of a hit by itself.
    fn keep_places(&self, indices: &mut Vec<usize>, stage: &Stage<'_>) {
        if !self.articulations.is_empty() {
            let names: HashSet<&str> = self.articulations.iter().map(String::as_str).collect();
            indices.retain(|&index| stage.stroke_of(index).is_some_and(|way| names.contains(way.name.as_str())));
        }
        if let Some(hand) = self.hand {
            indices.retain(|&index| stage.hand[index] == Some(hand));
        }
        if !self.channels.is_empty() {
            indices.retain(|&index| self.channels.contains(&stage.channel(index)));
        }
        if let Some(positions) = &self.positions {
            let chosen: HashSet<u32> = positions.slots.iter().copied().collect();
            indices.retain(|&index| {
                let (slot, miss) = slot_of(positions.grid, positions.bars, stage.metre, stage.straightened(index));
                chosen.contains(&(slot + 1)) && miss <= positions.tolerance.factor() + 1e-9
            });
        }
        if let Some(range) = self.velocity {
            indices.retain(|&index| (range.from..=range.to).contains(&Velocity::rounded(stage.velocity[index])));
        }
        if let Some(range) = self.length {
            indices.retain(|&index| {
                let length = stage.tempo.millis_of(stage.first_length(index), stage.anchor(index));
                length >= range.from && length <= range.to
            });
        }
        if let Some(picked) = &self.picked {
            let picked: HashSet<HitId> = picked.iter().copied().collect();
            indices.retain(|&index| picked.contains(&stage.id(index)));
        }
    }

    /// What is asked of a hit among others, and the dice.
    fn keep_company(&self, indices: &mut Vec<usize>, stage: &Stage<'_>, dice: &Dice) {
        if let Some(speed) = &self.speed {
            let gaps = stage.gaps(speed.by_limb);
            indices.retain(|&index| {
                let gap = gaps[index];
                let value = speed.value.is_none_or(|grid| {
                    let cell = grid.cell(stage.metre.ppq());
                    let whole = stage.tempo.millis_of(cell, stage.anchor(index)).0;
                    (gap - whole).abs() <= 0.2 * whole
                });
                value
                    && speed.at_most.is_none_or(|most| gap <= most.0)
                    && speed.at_least.is_none_or(|least| gap >= least.0)
            });
        }
        if let Some(run) = self.run {
            let places = run_places(stage, run);
            indices.retain(|&index| places[index]);
        }
        if let Some(place) = self.chord {
            let places = chord_places(stage);
            indices.retain(|&index| match (place, places[index]) {
                (_, None) => false,
                (ChordPlace::Any, Some(_)) => true,
                (_, Some(found)) => place == found,
            });
        }
        if let Some(grace) = self.grace {
            let mut wanted = vec![grace == GraceNotes::None; stage.count()];
            for (note, hit) in stage.grace_notes() {
                let (index, is_meant) = match grace {
                    GraceNotes::Only => (note, true),
                    GraceNotes::None => (note, false),
                    GraceNotes::Led => (hit, true),
                };
                wanted[index] = is_meant;
            }
            indices.retain(|&index| wanted[index]);
        }
        for (near, wanted) in [(&self.with, true), (&self.without, false)] {
            let Some(near) = near else { continue };
            let others = onsets_of(stage, near);
            indices.retain(|&index| sounds_near(stage, index, &others, near.within) == wanted);
        }
        if let Some(share) = self.share {
            indices.retain(|&index| dice.even(stage.id(index), SHARE_DRAW) < share.factor());
        }
    }
}

/// The slot (from 0) nearest to a position in bars that go round, and how far it is missed, in slots. Slots are counted on
/// from bar to bar, however many each of them has: no two of them have one number.
pub(crate) fn slot_of(grid: Grid, bars: u32, metre: &MetreMap, at: Ticks) -> (u32, f64) {
    let cell = grid.cell(metre.ppq()).0;
    let line = grid.nearest(metre, at);
    // A hit just before a bar line is meant for the next bar.
    let bar = metre.bar_at(line);
    let slot = ((line.0 - bar.start.0) / cell).round() as u32;
    let first = first_of_group(bar.number, bars);
    let before: u32 = (first..bar.number).map(|number| slots_in(grid, metre, number)).sum();
    (before + slot, (at.0 - line.0).abs() / cell)
}

fn run_places(stage: &Stage<'_>, run: Run) -> Vec<bool> {
    let mut places = vec![false; stage.count()];
    for found in stage.runs(run.gap) {
        for (index, place) in found.hits {
            places[index] = match run.place {
                RunPlace::First => place == 0,
                RunPlace::Last => place + 1 == found.strokes,
                RunPlace::Odd => place % 2 == 0,
                RunPlace::Even => place % 2 == 1,
                RunPlace::Every => (place + 1) % run.every as usize == 0,
                RunPlace::AllButFirst => place > 0,
            };
        }
    }
    places
}

/// Of each hit that is struck with others of its instrument where among them its note is: top, bottom or between. Where
/// all are one note it is between.
fn chord_places(stage: &Stage<'_>) -> Vec<Option<ChordPlace>> {
    let mut places = vec![None; stage.count()];
    let sounding: Vec<usize> = (0..stage.count()).filter(|&index| !stage.is_silenced(index)).collect();
    for mut own in stage.by_instrument(&sounding) {
        let at = |index: usize| stage.tempo.seconds(stage.anchor(index));
        own.sort_by(|&a, &b| at(a).total_cmp(&at(b)).then(a.cmp(&b)));
        for chord in own.chunk_by(|&a, &b| at(b) - at(a) <= TOGETHER + 1e-9).filter(|chord| chord.len() > 1) {
            let notes = || chord.iter().map(|&index| stage.note(index));
            let (low, high) = (notes().min(), notes().max());
            for &index in chord {
                let note = Some(stage.note(index));
                places[index] = Some(match () {
                    () if low == high => ChordPlace::Inner,
                    () if note == high => ChordPlace::Top,
                    () if note == low => ChordPlace::Bottom,
                    () => ChordPlace::Inner,
                });
            }
        }
    }
    places
}

/// Where the instruments sound, in seconds, ascending, and each hit's index.
fn onsets_of(stage: &Stage<'_>, near: &Near) -> Vec<(f64, usize)> {
    let wanted: Vec<bool> =
        stage.chart.kit.instruments.iter().map(|instrument| near.instruments.contains(&instrument.id)).collect();
    let mut onsets: Vec<(f64, usize)> = (0..stage.count())
        .filter(|&index| stage.instrument(index).is_some_and(|place| wanted[place]) && !stage.is_silenced(index))
        .map(|index| (stage.seconds(index), index))
        .collect();
    onsets.sort_by(|a, b| a.0.total_cmp(&b.0));
    onsets
}

fn sounds_near(stage: &Stage<'_>, index: usize, others: &[(f64, usize)], within: Millis) -> bool {
    let (at, reach) = (stage.seconds(index), within.0 / 1000.0 + 1e-9);
    let from = others.partition_point(|other| other.0 < at - reach);
    others[from..].iter().take_while(|other| other.0 <= at + reach).any(|&(_, other)| other != index)
}
