//! The amount of a group: what came of its passes, held against what came in.

use crate::base::property::Property;
use crate::base::units::{Channel, Note, Percent};
use crate::part::lane::Lane;
use crate::perform::dice::Dice;
use crate::perform::{Side, Stage, StagedLane};
use crate::recipe::PassId;

/// The hits and lanes as they came into a group.
pub(super) struct CameIn<'a> {
    onset: Vec<f64>,
    length: Vec<f64>,
    velocity: Vec<f64>,
    movement: [Vec<f64>; 4],
    note: Vec<Note>,
    channel: Vec<Channel>,
    instrument: Vec<Option<u16>>,
    silenced: Vec<Option<PassId>>,
    /// How many are silenced.
    silent: usize,
    hand: Vec<Option<Side>>,
    lanes: Vec<StagedLane<'a>>,
}

/// The draw that decides whether a hit has what cannot be had in part; shares and actions draw other numbers.
const DRAW: u32 = 1 << 21;

impl<'a> Stage<'a> {
    /// Everything as it is now.
    pub(super) fn as_it_came_in(&self) -> CameIn<'a> {
        CameIn {
            onset: self.onset.clone(),
            length: self.length.clone(),
            velocity: self.velocity.clone(),
            movement: self.movement.clone(),
            note: self.note.clone(),
            channel: self.channel.clone(),
            instrument: self.instrument.clone(),
            silenced: self.silenced.clone(),
            silent: self.silent,
            hand: self.hand.clone(),
            lanes: self.lanes.clone(),
        }
    }

    /// So much of what was done since: velocities, times, movement and lanes go so far, or further than they went; below
    /// 100 % a hit was made, silenced, called back or put on another stroke with these odds.
    pub(super) fn take_part_of_it(&mut self, came_in: CameIn<'a>, amount: Percent, dice: &Dice) {
        let share = amount.factor();
        let count = came_in.onset.len();
        let columns = [
            (&mut self.onset, &came_in.onset),
            (&mut self.length, &came_in.length),
            (&mut self.velocity, &came_in.velocity),
        ];
        for (column, before) in columns {
            for (now, was) in column.iter_mut().zip(before) {
                *now = was + share * (*now - was);
            }
        }
        for (property, before) in Property::MOVEMENT.into_iter().zip(&came_in.movement) {
            let Some(column) = property.column().map(|column| &mut self.movement[column]) else { continue };
            for (index, now) in column.iter_mut().enumerate().take(count) {
                let was = before.get(index).copied().unwrap_or(0.0);
                *now = was + share * (*now - was);
            }
        }
        if share < 1.0 {
            let falls = |stage: &Stage<'_>, index: usize| dice.even(stage.id[index], DRAW) >= share;
            for index in 0..count {
                let is_other = self.silenced[index] != came_in.silenced[index]
                    || self.note[index] != came_in.note[index]
                    || self.channel[index] != came_in.channel[index]
                    || self.hand[index] != came_in.hand[index];
                if is_other && falls(self, index) {
                    self.silenced[index] = came_in.silenced[index];
                    (self.note[index], self.channel[index]) = (came_in.note[index], came_in.channel[index]);
                    self.instrument[index] = came_in.instrument[index];
                    self.hand[index] = came_in.hand[index];
                }
            }
            self.take_back(count, |stage, index| falls(stage, index));
            if came_in.silent > 0 || self.silences() {
                self.silent = self.silenced.iter().filter(|silenced| silenced.is_some()).count();
            }
        }
        let lanes = std::mem::take(&mut self.lanes);
        self.lanes = lanes.into_iter().map(|lane| lane.taken_in_part(&came_in.lanes, share)).collect();
    }

    /// Takes back what was made from an index on and falls away.
    fn take_back(&mut self, from: usize, falls: impl Fn(&Stage<'_>, usize) -> bool) {
        if self.count() == from {
            return;
        }
        let stays: Vec<bool> = (0..self.count()).map(|index| index < from || !falls(self, index)).collect();
        if stays.iter().all(|stays| *stays) {
            return;
        }
        fn keep<T>(column: &mut Vec<T>, stays: &[bool]) {
            let mut stays = stays.iter();
            column.retain(|_| stays.next().copied().unwrap_or(true));
        }
        let gone = (0..self.count()).filter(|&index| !stays[index]);
        for index in gone {
            self.made_ids.remove(&self.id[index]);
        }
        let mut place = 0u32;
        let places: Vec<Option<u32>> = stays
            .iter()
            .map(|stays| {
                let own = place;
                place += u32::from(*stays);
                stays.then_some(own)
            })
            .collect();
        self.order = self.order.iter().filter_map(|&index| places[index as usize]).collect();
        keep(&mut self.made, &stays[self.part.hits().len()..]);
        keep(&mut self.id, &stays);
        keep(&mut self.note, &stays);
        keep(&mut self.channel, &stays);
        keep(&mut self.instrument, &stays);
        keep(&mut self.silenced, &stays);
        keep(&mut self.hand, &stays);
        keep(&mut self.onset, &stays);
        keep(&mut self.length, &stays);
        keep(&mut self.velocity, &stays);
        self.movement.iter_mut().for_each(|column| keep(column, &stays));
    }
}

impl<'a> StagedLane<'a> {
    /// Its values so far from what they were; values that were not there before come with any of it.
    fn taken_in_part(self, before: &[StagedLane<'a>], share: f64) -> StagedLane<'a> {
        let was = before.iter().find(|one| one.lane.kind == self.lane.kind);
        if share == 0.0 {
            let empty = || StagedLane { lane: std::borrow::Cow::Owned(Lane::empty(self.lane.kind)), ..self.clone() };
            return was.cloned().unwrap_or_else(|| StagedLane { drawn: false, ..empty() });
        }
        let Some(was) = was.filter(|was| !was.lane.is_empty() && was.lane != self.lane) else { return self };
        let mut ticks: Vec<f64> = was.lane.ticks().iter().chain(self.lane.ticks()).copied().collect();
        ticks.sort_by(f64::total_cmp);
        ticks.dedup();
        let value = |tick: f64| {
            let was = was.lane.at(tick);
            was + share * (self.lane.at(tick) - was)
        };
        let lane = Lane::new(self.lane.kind, ticks.into_iter().map(|tick| (tick, value(tick))).collect());
        StagedLane { lane: std::borrow::Cow::Owned(lane), ..self }
    }
}
