//! Room for made hits: what is struck where, by which limb, and what must be left out because of it.

use crate::base::ids::PassId;
use crate::base::units::Ticks;
use crate::kit::{Family, Limb};
use crate::perform::limbs::Drummer;
use crate::perform::{Making, Origin, Stage};
use std::collections::BTreeMap;

/// Hits of one instrument are at least so far apart, in s.
const APART: f64 = 0.005;
/// So long before and behind a hit its limb is on its way, in s.
const BUSY: f64 = 0.040;
/// What sounds so near to a place sounds there, in s.
const THERE: f64 = 0.020;

/// Why a hit that a pass wanted to make is not there.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum LeftOut {
    /// Its instrument is struck there already.
    Struck,
    /// The limb that would play it is busy.
    Busy(Player),
    /// It would come before the song begins.
    Start,
    /// The next hit of its instrument comes first.
    Next,
    /// A roll has no more strokes.
    Many,
    /// There is no such note.
    Lacking,
    /// Its place was to be left free.
    Free,
}

/// Who would have played it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Player {
    LeftHand,
    RightHand,
    BothHands,
    LeftFoot,
    RightFoot,
}

impl LeftOut {
    fn in_words(self) -> &'static str {
        match self {
            LeftOut::Struck => "the drum is struck there already",
            LeftOut::Busy(Player::LeftHand) => "the left hand is busy",
            LeftOut::Busy(Player::RightHand) => "the right hand is busy",
            LeftOut::Busy(Player::BothHands) => "both hands are busy",
            LeftOut::Busy(Player::LeftFoot) => "the left foot is busy",
            LeftOut::Busy(Player::RightFoot) => "the right foot is busy",
            LeftOut::Start => "the song begins later",
            LeftOut::Next => "the next hit comes first",
            LeftOut::Many => "a roll has 64 strokes at most",
            LeftOut::Lacking => "there is no such note",
            LeftOut::Free => "their places are left free",
        }
    }
}

/// How many hits a pass left out, by the reason.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct LeftOuts(BTreeMap<LeftOut, u32>);

impl LeftOuts {
    pub fn count(&mut self, why: LeftOut, how_many: u32) {
        let count = self.0.entry(why).or_default();
        *count = count.saturating_add(how_many);
    }

    /// How many there are.
    pub fn all(&self) -> u32 {
        self.0.values().sum()
    }

    /// “4 left out: the left hand is busy (3), the song begins later (1).”
    pub fn said(&self) -> Option<String> {
        let all = self.all();
        let reason = |(why, count): (&LeftOut, &u32)| match self.0.len() {
            1 => why.in_words().to_owned(),
            _ => format!("{} ({count})", why.in_words()),
        };
        let reasons: Vec<String> = self.0.iter().map(reason).collect();
        (all > 0).then(|| format!("{all} left out: {}.", reasons.join(", ")))
    }
}

/// A hit that takes its place: when it sounds, in µs, and the place of its instrument.
type Taken = (i64, Option<u16>);

/// All that sounds, in order of time, so that what is made finds its place.
pub(crate) struct Room {
    /// What was there.
    there: Vec<Taken>,
    /// What was made since, in order, too: what is made goes from front to back, so that a place near the end is
    /// found at once.
    made: Vec<Taken>,
    drummer: Drummer,
}

fn micros(seconds: f64) -> i64 {
    (seconds * 1e6).round() as i64
}

impl Room {
    /// Of a stage as it is now.
    pub fn new(stage: &Stage<'_>) -> Room {
        let one = |index: usize| {
            let seconds = stage.tempo.seconds(Ticks(stage.onset[index]));
            (micros(seconds), stage.instrument(index).map(|place| place as u16))
        };
        let mut there: Vec<Taken> = stage.sounding().into_iter().map(one).collect();
        // Nearly in order as it is, which this sort makes use of.
        there.sort();
        let struck = there.iter().filter_map(|(_, instrument)| instrument.map(usize::from));
        let drummer = Drummer::of(&stage.chart.kit, struck);
        Room { there, made: Vec::new(), drummer }
    }

    /// What sounds within so many seconds of a place: how far from it and on which instrument.
    fn around(&self, at: i64, within: f64) -> impl Iterator<Item = (i64, Option<u16>)> + '_ {
        let (from, to) = (at - micros(within), at + micros(within));
        let within = move |all: &'_ [Taken]| {
            let first = all.partition_point(|one| one.0 < from);
            first..first + all[first..].iter().take_while(|one| one.0 <= to).count()
        };
        let both = self.there[within(&self.there)].iter().chain(&self.made[within(&self.made)]);
        both.map(move |&(when, instrument)| ((when - at).abs(), instrument))
    }

    /// Whether a kick sounds there, or anything of another instrument.
    pub fn sounds(&self, stage: &Stage<'_>, onset: f64, own: Option<usize>, kicks_alone: bool) -> bool {
        let at = micros(stage.tempo.seconds(Ticks(onset)));
        let family = |place: u16| stage.chart.kit.instruments[usize::from(place)].family;
        self.around(at, THERE).any(|(_, instrument)| match instrument {
            Some(place) if kicks_alone => family(place) == Family::Kick,
            Some(place) => own != Some(usize::from(place)),
            None => !kicks_alone,
        })
    }

    /// Whether a hit could be there.
    fn check(&self, stage: &Stage<'_>, instrument: Option<usize>, onset: f64) -> Result<(), LeftOut> {
        if onset < 0.0 {
            return Err(LeftOut::Start);
        }
        let at = micros(stage.tempo.seconds(Ticks(onset)));
        let Some(own) = instrument else { return Ok(()) };
        // What another player has at hand takes none of the drummer's limbs.
        let limb_of = |place: usize| match self.drummer.plays(place) {
            true => stage.chart.kit.instruments[place].limb,
            false => Limb::None,
        };
        let (mut left, mut right, mut either, mut left_foot, mut right_foot) = (0, 0, 0, 0, 0);
        for (far, other) in self.around(at, BUSY) {
            let Some(other) = other.map(usize::from) else { continue };
            if other == own {
                if far < micros(APART) {
                    return Err(LeftOut::Struck);
                }
                continue;
            }
            match limb_of(other) {
                Limb::LeftHand => left += 1,
                Limb::RightHand => right += 1,
                Limb::EitherHand => either += 1,
                Limb::LeftFoot => left_foot += 1,
                Limb::RightFoot => right_foot += 1,
                Limb::None => {}
            }
        }
        let hands = (left > 0) as u32 + (right > 0) as u32 + either;
        let busy = match limb_of(own) {
            Limb::LeftHand if left > 0 || hands > 1 => Player::LeftHand,
            Limb::RightHand if right > 0 || hands > 1 => Player::RightHand,
            Limb::EitherHand if hands > 1 => Player::BothHands,
            Limb::LeftFoot if left_foot > 0 => Player::LeftFoot,
            Limb::RightFoot if right_foot > 0 => Player::RightFoot,
            _ => return Ok(()),
        };
        Err(LeftOut::Busy(busy))
    }

    /// Makes a hit if it finds its place, and says so; else counts why not.
    pub fn make(&mut self, stage: &mut Stage<'_>, by: PassId, hit: Making) -> bool {
        let instrument = stage.chart.instrument_of(hit.note, hit.channel);
        if let Err(why) = self.check(stage, instrument, hit.onset.0) {
            stage.leave_out(why);
            return false;
        }
        let made = stage.make(by, hit);
        if made {
            let at = micros(stage.tempo.seconds(hit.onset));
            let behind = self.made.iter().rev().take_while(|one| one.0 > at).count();
            self.made.insert(self.made.len() - behind, (at, instrument.map(|place| place as u16)));
        }
        made
    }

    /// Where the hit of an instrument begins that comes next behind a place, in ticks; endless behind the last.
    pub fn next_of(onsets: &[f64], after: f64) -> f64 {
        onsets.get(onsets.partition_point(|&onset| onset <= after + 0.5)).copied().unwrap_or(f64::INFINITY)
    }

    /// Where the hit of an instrument begins that comes before a place, in ticks.
    pub fn before(onsets: &[f64], before: f64) -> f64 {
        let place = onsets.partition_point(|&onset| onset < before - 0.5);
        place.checked_sub(1).map_or(f64::NEG_INFINITY, |place| onsets[place])
    }
}

/// The onsets of each instrument's sounding hits, ascending; those of notes that the kit does not know come last.
pub(crate) fn onsets(stage: &Stage<'_>) -> Vec<Vec<f64>> {
    let mut onsets = vec![Vec::new(); stage.chart.kit.instruments.len() + 1];
    let last = onsets.len() - 1;
    for index in stage.sounding() {
        onsets[stage.instrument(index).unwrap_or(last)].push(stage.onset[index]);
    }
    for of_one in &mut onsets {
        of_one.sort_by(f64::total_cmp);
    }
    onsets
}

/// How passes have moved what sounds, so that what is made between moves along: swung with the swung,
/// late with the late.
pub(crate) struct Feel {
    /// Where hits belong and how far from it they are, in ticks, in order.
    moves: Vec<(f64, f64)>,
    /// What lies so near to a place belongs there.
    near: f64,
}

impl Feel {
    /// Of a stage as it is now.
    pub fn new(stage: &Stage<'_>) -> Feel {
        let one = |index: usize| {
            let anchor = stage.anchor(index).0;
            (anchor, stage.onset[index] - anchor)
        };
        // Grace notes say nothing about where a beat is.
        let written = stage.sounding().into_iter().filter(|&index| !stage.is_made(index));
        let mut moves: Vec<(f64, f64)> = written.map(one).collect();
        moves.sort_by(|a, b| a.0.total_cmp(&b.0));
        Feel { moves, near: stage.metre.ppq().as_f64() / 48.0 }
    }

    /// How far from a place something would sound that belongs there: as what belongs there does, else between
    /// its neighbours.
    pub fn at(&self, place: f64) -> f64 {
        let from = self.moves.partition_point(|one| one.0 < place - self.near);
        let to = from + self.moves[from..].partition_point(|one| one.0 <= place + self.near);
        if to > from {
            return self.moves[from..to].iter().map(|one| one.1).sum::<f64>() / (to - from) as f64;
        }
        match (from.checked_sub(1).map(|before| self.moves[before]), self.moves.get(to)) {
            (Some(a), Some(b)) => a.1 + (place - a.0) / (b.0 - a.0) * (b.1 - a.1),
            (Some(only), None) => only.1,
            (None, Some(only)) => only.1,
            (None, None) => 0.0,
        }
    }
}

/// A hit made from another one: on its drum and its channel.
pub(crate) fn made_from(stage: &Stage<'_>, index: usize, ordinal: u32, place: Place, velocity: f64) -> Making {
    Making {
        of: Origin::Parent { index, ordinal },
        anchor: Ticks(place.anchor),
        onset: Ticks(place.onset),
        length: Ticks(place.length),
        velocity,
        note: stage.note(index),
        channel: stage.channel(index),
    }
}

/// Where a made hit belongs, sounds, and how long, in ticks.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Place {
    pub anchor: f64,
    pub onset: f64,
    pub length: f64,
}
