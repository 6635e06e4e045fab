use super::{Act, ActionFamily, ActionInfo};
use crate::base::property::{Movement, Property};
use crate::base::units::{Channel, Millis, Note, Ticks, Velocity};
use crate::kit::Striking;
use crate::part::hit::HitId;
use crate::perform::dice::Dice;
use crate::perform::{Making, Origin, Stage};
use crate::recipe::names::{Carrier, Named};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use ts_rs::TS;

/// One hit that was moved by hand: offsets from what enters the pass.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct HandMove {
    /// Which hit.
    pub hit: HitId,
    /// −126 to 126.
    #[serde(default)]
    pub velocity: f64,
    /// −10 000 to 10 000 ms.
    #[serde(default)]
    pub time: Millis,
    /// The part of its length that is left, where it was cut: above 0 up to 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub length: Option<f64>,
    /// How long it lasts, where its end was moved: 1 to 10⁹ ticks of the song.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub lasts: Option<Ticks>,
    /// Another note, where it was moved to another instrument.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub note: Option<Note>,
    /// The channel of that note, where the kit has it on another one than the hit's: 0 to 15.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub channel: Option<Channel>,
    /// How much more it moves in pitch, place, level and brightness.
    #[serde(default, skip_serializing_if = "Movement::is_none")]
    #[ts(optional, as = "Option<Movement>")]
    pub movement: Movement,
}

impl HandMove {
    /// Of a hit, nothing yet.
    pub fn of(hit: HitId) -> HandMove {
        let (velocity, time, movement) = (0.0, Millis(0.0), Movement::NONE);
        HandMove { hit, velocity, time, length: None, lasts: None, note: None, channel: None, movement }
    }

    /// Whether it changes nothing.
    pub fn is_nothing(&self) -> bool {
        *self == HandMove::of(self.hit)
    }
}

/// One hit that was added by hand.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct HandHit {
    /// From [`HitId::FIRST_BY_HAND`] on, below 2^32, unlike those of the part.
    pub id: HitId,
    /// In ticks of the song.
    pub tick: Ticks,
    /// In ticks of the song.
    pub length: Ticks,
    /// How hard.
    pub velocity: Velocity,
    /// Which key.
    pub note: Note,
    /// 0 to 15.
    pub channel: Channel,
}

/// Single hits moved, taken out and put in by hand. Moves are offsets, so they survive changes in
/// the passes before.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct ByHand {
    /// At most one for each hit.
    pub moved: Vec<HandMove>,
    /// Hits that do not sound.
    pub removed: Vec<HitId>,
    /// Hits that sound again, although a pass before silenced them.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    #[ts(as = "Option<Vec<HitId>>", optional)]
    pub recalled: Vec<HitId>,
    /// Hits that were not written.
    pub added: Vec<HandHit>,
}

impl ByHand {
    /// The most single hits that one pass holds.
    pub const MOST: usize = 100_000;
    /// As far as a hit is moved, in ms.
    pub const FARTHEST: f64 = 10_000.0;
    /// As long as a hit is made to last, in ticks.
    pub const LONGEST: f64 = 1e9;
}

impl Act for ByHand {
    const INFO: ActionInfo = ActionInfo {
        kind: "by-hand",
        title: "By hand",
        family: ActionFamily::Hand,
        words: &["edit", "move", "nudge", "draw", "delete", "manual", "single"],
        sentence: "single hits moved, taken out or put in.",
        brief: "",
        explains: "Single hits: drag them in the rows, double-click to add one or take one out.",
        points: &[],
        settings: &[],
    };

    fn check(&self) -> Result<(), (String, String)> {
        let many = self.moved.len() + self.removed.len() + self.recalled.len() + self.added.len();
        if many > ByHand::MOST {
            return Err(("moved".to_owned(), format!("{many} single hits are more than {}", ByHand::MOST)));
        }
        for one in &self.moved {
            if let Err(property) = one.movement.check() {
                let (least, most) = property.range();
                let (noun, unit) = (property.info().noun, property.unit());
                let message = format!("the {noun} of hit {} is outside {least} to {most} {unit}", one.hit.get());
                return Err(("moved".to_owned(), message));
            }
            let good = one.velocity.abs() <= 126.0
                && one.time.0.abs() <= ByHand::FARTHEST
                && one.length.is_none_or(|length| length > 0.0 && length <= 1.0)
                && one.lasts.is_none_or(|lasts| (1.0..=ByHand::LONGEST).contains(&lasts.0));
            if !good {
                return Err(("moved".to_owned(), format!("the move of hit {} is out of range", one.hit.get())));
            }
        }
        let mut seen = BTreeSet::new();
        for one in &self.added {
            if !(HitId::FIRST_BY_HAND..HitId::new(u32::MAX)).contains(&one.id) || !seen.insert(one.id) {
                return Err((
                    "added".to_owned(),
                    format!("hit {} needs an id of its own from {} on", one.id.get(), HitId::FIRST_BY_HAND.get()),
                ));
            }
            if !(one.tick.0 >= 0.0 && one.tick.0 <= 1e9 && one.length.0 >= 1.0 && one.length.0 <= 1e9) {
                return Err(("added".to_owned(), format!("hit {} lies outside the song", one.id.get())));
            }
        }
        Ok(())
    }

    fn names(&mut self, by: &mut dyn Carrier) {
        let ByHand { moved, removed, recalled, added } = self;
        moved.retain_mut(|HandMove { hit, .. }| by.take(Named::Hit(hit)));
        removed.retain_mut(|id| by.take(Named::Hit(id)));
        recalled.retain_mut(|id| by.take(Named::Hit(id)));
        added.retain_mut(|HandHit { id, tick, length, velocity: _, note: _, channel: _ }| {
            by.take(Named::Hit(id)) && by.take(Named::Stretch(tick, length))
        });
    }

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let moves: BTreeMap<HitId, &HandMove> = self.moved.iter().map(|one| (one.hit, one)).collect();
        let removed: BTreeSet<HitId> = self.removed.iter().copied().collect();
        let recalled: BTreeSet<HitId> = self.recalled.iter().copied().collect();
        let mut back = Vec::new();
        if !recalled.is_empty() && stage.silences() {
            back.extend(
                (0..stage.count()).filter(|&index| stage.is_silenced(index) && recalled.contains(&stage.id(index))),
            );
            back.iter().for_each(|&index| stage.call_back(index));
        }
        let first = stage.count();
        for one in &self.added {
            let HandHit { id, tick, length, velocity, note, channel } = *one;
            let velocity = f64::from(velocity.get());
            let of = Origin::Itself(id);
            stage.make(dice.pass(), Making { of, anchor: tick, onset: tick, length, velocity, note, channel });
        }
        for index in aimed.iter().copied().chain(back).chain(first..stage.count()) {
            let id = stage.id(index);
            if let Some(one) = moves.get(&id) {
                stage.velocity[index] += one.velocity;
                let lasts = one.lasts.map_or(stage.length[index], |lasts| lasts.0);
                stage.length[index] = lasts * one.length.unwrap_or(1.0);
                stage.move_by(index, one.time);
                if let Some(note) = one.note {
                    stage.strike_by(index, Striking { note, channel: one.channel });
                }
                for property in Property::MOVEMENT {
                    match one.movement.of(property) {
                        0.0 => {}
                        by => stage.values(property)[index] += by,
                    }
                }
            }
            if removed.contains(&id) {
                stage.silence(index, dice.pass());
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    fn moved(hit: u32) -> HandMove {
        HandMove::of(HitId::new(hit))
    }

    #[test]
    fn hits_are_moved_taken_out_and_put_in() {
        let added = HandHit {
            id: HitId::FIRST_BY_HAND,
            tick: Ticks(120.0),
            length: Ticks(60.0),
            velocity: Velocity::rounded(33.0),
            note: Note::new(38).unwrap(),
            channel: Channel::PERCUSSION,
        };
        let by_hand = ByHand {
            moved: vec![
                HandMove { velocity: -20.0, time: Millis(5.0), ..moved(1) },
                HandMove { note: Note::new(46), length: Some(0.5), ..moved(2) },
            ],
            removed: vec![HitId::new(3)],
            added: vec![added],
            ..ByHand::default()
        };
        let played = play(&sixteenths(&[100; 4]), Action::ByHand(by_hand));
        assert_eq!(played.len(), 5);
        assert_eq!((played[1].velocity.get(), played[1].tick), (80, Ticks(250.0)));
        assert_eq!((played[2].note.get(), played[2].length), (46, Ticks(60.0)));
        assert_eq!(
            played.iter().map(|hit| hit.silenced.is_some()).collect::<Vec<_>>(),
            [false, false, false, true, false]
        );
        assert_eq!((played[4].tick, played[4].velocity.get()), (Ticks(120.0), 33));
    }

    #[test]
    fn an_added_hit_keeps_its_distance_to_its_neighbours() {
        let added = HandHit {
            id: HitId::FIRST_BY_HAND,
            tick: Ticks(60.0),
            length: Ticks(900.0),
            velocity: Velocity::MAX,
            note: Note::new(42).unwrap(),
            channel: Channel::PERCUSSION,
        };
        let played = play(&sixteenths(&[100; 3]), Action::ByHand(ByHand { added: vec![added], ..ByHand::default() }));
        assert_eq!(played[3].length, Ticks(180.0), "up to the next of its note");
    }

    #[test]
    fn wrong_ids_and_places_are_refused() {
        let json = |added: &str| serde_json::from_str::<serde_json::Value>(added).unwrap();
        let good =
            r#"{"kind":"by-hand","added":[{"id":1073741824,"tick":0,"length":1,"velocity":9,"note":38,"channel":9}]}"#;
        assert!(Action::from_value(json(good)).is_ok());
        for (from, to) in [("1073741824", "7"), ("\"tick\":0", "\"tick\":-5"), ("\"length\":1", "\"length\":0")] {
            assert_eq!(Action::from_value(json(&good.replace(from, to))).unwrap_err().0, "added", "{to}");
        }
        let far = r#"{"kind":"by-hand","moved":[{"hit":1,"velocity":500}]}"#;
        assert_eq!(Action::from_value(json(far)).unwrap_err().0, "moved");
    }
}
