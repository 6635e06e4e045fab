use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::Millis;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::perform::limbs::{Clash, Limits, clashes, least};
use crate::perform::sounding::Heard;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// Which stroke is given up.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum GivesUp {
    /// Hand percussion before hats, rides, toms, crashes, the snare and the kick; of one family the softest.
    #[default]
    Least,
    /// The softest.
    Softest,
    /// None: it is only said.
    Nothing,
}

/// Silences what two hands and two feet could not play: of strokes that need a third hand or foot within `together`
/// ms, or a limb that has less than `travel` ms from one drum to another, `hand` or `foot` ms on the same one, the
/// least important.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Rescue {
    /// What is given up.
    pub gives: GivesUp,
    /// 0 to 100 ms: what is struck within this is struck at once.
    pub together: Millis,
    /// 0 to 300 ms from one drum to another.
    pub travel: Millis,
    /// 0 to 300 ms until the same hand strikes the same drum again.
    pub hand: Millis,
    /// 0 to 300 ms until the same foot plays again.
    pub foot: Millis,
}

impl Default for Rescue {
    fn default() -> Rescue {
        Rescue {
            gives: GivesUp::Least,
            together: Millis(25.0),
            travel: Millis(60.0),
            hand: Millis(40.0),
            foot: Millis(90.0),
        }
    }
}

impl Rescue {
    pub(crate) fn limits(&self) -> Limits {
        let seconds = |ms: Millis| ms.0 / 1000.0;
        Limits {
            together: seconds(self.together),
            travel: seconds(self.travel),
            hand: seconds(self.hand),
            foot: seconds(self.foot),
        }
    }
}

impl Clash {
    fn in_words(self) -> &'static str {
        match self {
            Clash::Hands => "a third hand would be needed",
            Clash::Feet => "another foot would be needed",
            Clash::HandTooFast => "no hand has time to come there",
            Clash::FootTooFast => "no foot has time for it",
        }
    }
}

impl Act for Rescue {
    const INFO: ActionInfo = ActionInfo {
        kind: "rescue",
        title: "Limb rescue",
        family: ActionFamily::Tidy,
        words: &["two hands", "impossible", "unplayable", "octopus", "three hands", "human", "limbs", "feet", "blast"],
        sentence: "where two hands and two feet are too few, {gives}[; at once is within {together}][; {travel} from drum to drum][; a hand again after {hand}][; a foot after {foot}].",
        brief: "{gives}",
        explains: "What no drummer could reach: the least important stroke gives way.",
        points: &[],
        settings: &[
            Setting::new(
                "gives",
                "gives way",
                Values::Choice {
                    options: &[
                        ("least", "the least important stroke gives way"),
                        ("softest", "the softest stroke gives way"),
                        ("nothing", "say so and change nothing"),
                    ],
                },
            ),
            Setting::new("together", "at once", Values::number(0.0, 100.0, 1.0, "ms", None)).quiet(25.0),
            Setting::new("travel", "drum to drum", Values::number(0.0, 300.0, 1.0, "ms", None)).quiet(60.0),
            Setting::new("hand", "a hand again", Values::number(0.0, 300.0, 1.0, "ms", None)).quiet(40.0),
            Setting::new("foot", "a foot again", Values::number(0.0, 300.0, 1.0, "ms", None)).quiet(90.0),
        ],
    };

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let heard = Heard::on_stage(stage);
        let kit = &stage.chart.kit;
        let mut meant = vec![false; stage.count()];
        aimed.iter().for_each(|&index| meant[index] = true);
        // What is not aimed at stays, whatever it stands in the way of.
        let gives_up = |places: &[usize]| {
            let may: Vec<usize> = places.iter().copied().filter(|&place| meant[heard[place].index]).collect();
            let from = if may.is_empty() { places } else { &may };
            least(&heard, kit, from, self.gives == GivesUp::Softest)
        };
        let found = clashes(&heard, kit, &self.limits(), gives_up);
        if self.gives == GivesUp::Nothing {
            let mut counts: BTreeMap<Clash, u32> = BTreeMap::new();
            found.iter().for_each(|(clash, _)| *counts.entry(*clash).or_default() += 1);
            let words: Vec<String> = counts.iter().map(|(what, n)| format!("{} ({n})", what.in_words())).collect();
            if !words.is_empty() {
                stage.say(format!("{} strokes cannot be played: {}.", found.len(), words.join(", ")));
            }
            return;
        }
        for (clash, given) in found {
            let index = heard[given].index;
            if meant[index] {
                stage.silence_for(index, dice.pass(), clash.in_words().to_owned());
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{drums, play};
    use crate::recipe::action::Action;

    fn silent(hits: &[(f64, u8, u8)], rescue: Rescue) -> Vec<(u8, u8)> {
        let played = play(&drums(hits), Action::Rescue(rescue));
        played.iter().filter(|hit| hit.silenced.is_some()).map(|hit| (hit.note.get(), hit.velocity.get())).collect()
    }

    #[test]
    fn of_three_hands_the_hat_gives_way() {
        let three = [(0.0, 49, 110), (2.0, 42, 90), (4.0, 38, 100), (0.0, 36, 100), (500.0, 42, 90), (500.0, 38, 90)];
        assert_eq!(silent(&three, Rescue::default()), [(42, 90)]);
        let softest = Rescue { gives: GivesUp::Softest, ..Rescue::default() };
        assert_eq!(silent(&[(0.0, 49, 80), (2.0, 42, 90), (4.0, 38, 100)], softest), [(49, 80)]);
        let only_said = Rescue { gives: GivesUp::Nothing, ..Rescue::default() };
        assert!(silent(&three, only_said).is_empty());
    }

    #[test]
    fn a_double_kick_and_the_pedal_need_three_feet() {
        let feet: Vec<_> = (0..6).map(|n| (f64::from(n) * 70.0, 36, 100)).collect();
        assert!(silent(&feet, Rescue::default()).is_empty(), "two feet play it");
        let feet: Vec<_> = feet.into_iter().chain([(212.0, 44, 70)]).collect();
        assert_eq!(silent(&feet, Rescue::default()), [(44, 70)]);
    }

    #[test]
    fn what_one_hand_cannot_the_other_plays() {
        // 16ths at 200 on the snare alone: two hands. With a hat on each of them there is none left.
        let alone: Vec<_> = (0..16).map(|n| (f64::from(n) * 37.5, 38, 100)).collect();
        assert!(silent(&alone, Rescue::default()).is_empty());
        let both: Vec<_> = alone.iter().copied().chain((0..16).map(|n| (f64::from(n) * 37.5, 42, 80))).collect();
        assert!(silent(&both, Rescue::default()).len() >= 7);
    }
}
