//! Grace notes: a flam and a drag differ in how many there are.

use super::sticking::of_side;
use super::{Act, ActionFamily, ActionInfo, Setting, Values, point};
use crate::base::units::{Millis, Percent, Ticks};
use crate::kit::{Hand, Limb, Striking};
use crate::perform::dice::Dice;
use crate::perform::room::{Place, Room, made_from, onsets};
use crate::perform::{Side, Stage};
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// One grace note just before each aimed hit. Where the hit before it is near, it comes closer: never before
/// the middle between the two.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Flam {
    /// 8 to 120 ms before the hit.
    pub before: Millis,
    /// 0 to 120 % of its velocity; at 0 there is none.
    pub share: Percent,
}

impl Default for Flam {
    fn default() -> Flam {
        Flam { before: Millis(28.0), share: Percent(45.0) }
    }
}

/// Two grace notes before each aimed hit, evenly spaced. Where the hit before it is near, they come closer:
/// never before the middle between the two.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Drag {
    /// 16 to 240 ms before the hit: the first of the two.
    pub before: Millis,
    /// 0 to 120 % of its velocity; at 0 there is none.
    pub share: Percent,
}

impl Default for Drag {
    fn default() -> Drag {
        Drag { before: Millis(90.0), share: Percent(35.0) }
    }
}

/// The hand that plays the grace notes of a hit, which is not the one that plays the hit; and its stroke of the same
/// instrument, where the kit has one. Nothing where nobody knows which hand plays the hit.
fn other_hand(stage: &Stage<'_>, index: usize) -> Option<(Side, Option<Striking>)> {
    let instrument = stage.instrument_at(index)?;
    let now = stage.stroke_of(index);
    let of_stroke = now.and_then(|way| match way.hand {
        Hand::Left => Some(Side::Left),
        Hand::Right => Some(Side::Right),
        Hand::Either => None,
    });
    let usual = match instrument.limb {
        Limb::LeftHand => Some(Side::Left),
        Limb::RightHand => Some(Side::Right),
        _ => None,
    };
    let side = stage.hand[index].or(of_stroke).or(usual)?.other();
    Some((side, of_side(instrument, now.map_or("", |way| &way.name), side)))
}

/// So many grace notes, the first so long before.
fn grace(stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice, count: u32, before: Millis, share: Percent) {
    if share.0 == 0.0 {
        return;
    }
    let (mut room, onsets) = (Room::new(stage), onsets(stage));
    for index in stage.ordered(aimed) {
        let own = &onsets[stage.instrument(index).unwrap_or(onsets.len() - 1)];
        let onset = stage.onset[index];
        let gap = onset - Room::before(own, onset);
        // So many ms as they sound: where the tempo changes at the hit, they are those of the tempo before it.
        let earlier = stage.tempo.ticks(stage.tempo.seconds(Ticks(onset)) - before.0 / 1000.0);
        let first = (onset - earlier.0).min(gap / 2.0);
        let other = other_hand(stage, index);
        let step = first / f64::from(count);
        for ordinal in 0..count {
            let way = first - f64::from(ordinal) * step;
            let place = Place {
                // It belongs to the stroke that it leads into.
                anchor: stage.anchor(index).0,
                onset: onset - way,
                length: step.min(stage.first_length(index).0).max(1.0),
            };
            let velocity = share.factor() * stage.velocity[index];
            let mut note = made_from(stage, index, ordinal, place, velocity);
            if let Some(way) = other.and_then(|(_, way)| way) {
                (note.note, note.channel) = (way.note, way.channel.unwrap_or(note.channel));
            }
            if !room.make(stage, dice.pass(), note) {
                continue;
            }
            stage.made_grace_of(index);
            if let Some((side, _)) = other {
                let made = stage.count() - 1;
                stage.hand[made] = Some(side);
            }
        }
    }
}

impl Act for Flam {
    const INFO: ActionInfo = ActionInfo {
        kind: "flam",
        title: "Flam",
        family: ActionFamily::Hands,
        words: &["grace note", "rudiment", "ornament", "double", "accent", "fat"],
        sentence: "a grace note {before} before, at {share} of the velocity.",
        brief: "{before}, {share}",
        explains: "A soft stroke just before the hit, as two sticks that do not land together.",
        points: &[],
        settings: &[
            Setting::new("before", "before", Values::number(8.0, 120.0, 1.0, "ms", None)),
            Setting::new("share", "velocity", Values::number(0.0, 120.0, 1.0, "%", Some(0.0))),
        ],
    };

    fn makes(&self) -> usize {
        1
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        grace(stage, aimed, dice, 1, self.before, self.share);
    }
}

impl Act for Drag {
    const INFO: ActionInfo = ActionInfo {
        kind: "drag",
        title: "Drag",
        family: ActionFamily::Hands,
        words: &["grace notes", "ruff", "rudiment", "ornament", "double"],
        sentence: "two grace notes, the first {before} before, at {share} of the velocity.",
        brief: "{before}, {share}",
        explains: "Two soft strokes that lead into the hit.",
        points: &[point("ruff", "{}")],
        settings: &[
            Setting::new("before", "before", Values::number(16.0, 240.0, 1.0, "ms", None)),
            Setting::new("share", "velocity", Values::number(0.0, 120.0, 1.0, "%", Some(0.0))),
        ],
    };

    fn makes(&self) -> usize {
        2
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        grace(stage, aimed, dice, 2, self.before, self.share);
    }
}
