use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::Millis;
use crate::kit::Limb;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// Who comes first.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum FanOrder {
    /// Another order each time.
    #[default]
    Diced,
    /// Feet, left hand, right hand.
    FeetFirst,
    /// Right hand, left hand, feet.
    HandsFirst,
    /// Note by note from the lowest: a strummed chord.
    Upward,
    /// Note by note from the highest.
    Downward,
}

/// Fans out hits of different limbs that fall together: no human lands four limbs at once.
///
/// Hits written within `within` of one another are one group. Its n limbs take places evenly spread
/// over `over`, about where they were; hits of one limb stay together. What no limb plays, and all where the order goes by
/// notes, is taken note by note.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Fan {
    /// 0 to 60 ms: from the first to the last.
    pub over: Millis,
    /// 1 to 60 ms: what counts as together.
    pub within: Millis,
    /// Who comes first.
    pub order: FanOrder,
}

impl Default for Fan {
    fn default() -> Fan {
        Fan { over: Millis(6.0), within: Millis(10.0), order: FanOrder::Diced }
    }
}

/// Notes stand behind all limbs.
const FIRST_NOTE: u32 = 10_000;

fn rank(limb: Limb) -> u32 {
    match limb {
        Limb::RightFoot => 0,
        Limb::LeftFoot => 1,
        Limb::LeftHand => 2,
        Limb::EitherHand => 3,
        Limb::RightHand => 4,
        Limb::None => 5,
    }
}

impl Fan {
    /// Moves the hits of one group apart.
    fn spread(&self, stage: &mut Stage<'_>, group: &[usize], dice: &Dice) {
        let mut limbs: BTreeMap<u32, Vec<usize>> = BTreeMap::new();
        for &index in group {
            let limb = stage.instrument_at(index).map_or(Limb::None, |one| one.limb);
            let by_note = matches!(self.order, FanOrder::Upward | FanOrder::Downward);
            if by_note || limb == Limb::None {
                limbs.entry(FIRST_NOTE + u32::from(stage.note(index).get())).or_default().push(index);
                continue;
            }
            // Either hand takes what it strikes for itself: each instrument its own place.
            let own = if limb == Limb::EitherHand {
                1 + stage.instrument(index).map_or(999, |place| place as u32)
            } else {
                0
            };
            limbs.entry(rank(limb) * 1001 + own).or_default().push(index);
        }
        if limbs.len() < 2 {
            return;
        }
        let mut order: Vec<Vec<usize>> = limbs.into_values().collect();
        match self.order {
            FanOrder::FeetFirst | FanOrder::Upward => {}
            FanOrder::HandsFirst | FanOrder::Downward => order.reverse(),
            FanOrder::Diced => {
                let drawn = |indices: &Vec<usize>| dice.even(stage.id(indices[0]), 0);
                order.sort_by(|a, b| drawn(a).total_cmp(&drawn(b)));
            }
        }
        let last = (order.len() - 1) as f64;
        for (place, indices) in order.into_iter().enumerate() {
            let by = Millis(self.over.0 * (place as f64 / last - 0.5));
            indices.into_iter().for_each(|index| stage.move_by(index, by));
        }
    }
}

impl Act for Fan {
    const INFO: ActionInfo = ActionInfo {
        kind: "fan",
        title: "Fan",
        family: ActionFamily::Time,
        words: &[
            "flam", "spread", "unison", "together", "limbs", "humanize", "stagger", "timing", "foot", "feet", "chord",
            "strum",
        ],
        sentence: "spread what lands within {within} of each other over {over}, {order}.",
        brief: "over {over}",
        explains: "Hands and feet that land together, or the notes of a chord, come a few ms apart.",
        points: &[
            super::point("strum", r#"{"over": 24, "within": 15, "order": "upward"}"#),
            super::point("chord", r#"{"over": 24, "within": 15, "order": "upward"}"#),
            super::point("foot", r#"{"order": "feet-first"}"#),
            super::point("feet", r#"{"order": "feet-first"}"#),
        ],
        settings: &[
            Setting::new("over", "over", Values::number(0.0, 60.0, 0.5, "ms", Some(0.0))),
            Setting::new("within", "together within", Values::number(1.0, 60.0, 1.0, "ms", None)),
            Setting::new(
                "order",
                "order",
                Values::Choice {
                    options: &[
                        ("diced", "in any order"),
                        ("feet-first", "feet first"),
                        ("hands-first", "hands first"),
                        ("upward", "from the lowest note up"),
                        ("downward", "from the highest note down"),
                    ],
                },
            ),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        if self.over.0 == 0.0 {
            return;
        }
        let mut indices = aimed.to_vec();
        indices.sort_by(|&a, &b| stage.seconds(a).total_cmp(&stage.seconds(b)).then(a.cmp(&b)));
        let mut from = 0;
        for to in 1..=indices.len() {
            let reach =
                |index: usize| stage.seconds(index) - stage.seconds(indices[from]) <= self.within.0 / 1000.0 + 1e-9;
            if to < indices.len() && reach(indices[to]) {
                continue;
            }
            let group = indices[from..to].to_vec();
            self.spread(stage, &group, dice);
            from = to;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::{Note, Ticks};
    use crate::part::hit::{Hit, HitId, Part};
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    /// Hat, snare and kick on one tick, two beats in; a hat alone after it.
    fn together() -> Part {
        let like = sixteenths(&[100]).hits()[0];
        let hit = |id: u32, tick: f64, note: u8| Hit {
            id: HitId::new(id),
            tick: Ticks(tick),
            note: Note::new(note).unwrap(),
            ..like
        };
        Part::new(vec![hit(0, 1920.0, 42), hit(1, 1920.0, 38), hit(2, 1920.0, 36), hit(3, 2400.0, 42)])
    }

    fn moves(order: FanOrder) -> Vec<f64> {
        let played = play(&together(), Action::Fan(Fan { over: Millis(10.0), within: Millis(5.0), order }));
        let at = [1920.0, 1920.0, 1920.0, 2400.0];
        played.iter().zip(at).map(|(hit, at)| hit.tick.0 - at).collect()
    }

    #[test]
    fn feet_first_then_left_then_right() {
        // 10 ms are 19.2 ticks at 120 bpm.
        assert_eq!(moves(FanOrder::FeetFirst), [10.0, 0.0, -10.0, 0.0]);
        assert_eq!(moves(FanOrder::HandsFirst), [-10.0, 0.0, 10.0, 0.0]);
    }

    #[test]
    fn notes_go_up_or_down_whoever_plays_them() {
        assert_eq!(moves(FanOrder::Upward), [10.0, 0.0, -10.0, 0.0]);
        assert_eq!(moves(FanOrder::Downward), [-10.0, 0.0, 10.0, 0.0]);
    }

    #[test]
    fn dice_deal_the_same_places_in_some_order() {
        let mut moves = moves(FanOrder::Diced)[..3].to_vec();
        moves.sort_by(f64::total_cmp);
        assert_eq!(moves, [-10.0, 0.0, 10.0]);
    }
}
