use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::{Millis, Percent};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::perform::drift::Natural;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// How changes are spread.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
#[ts(rename = "HumanizeHow")]
pub enum HumanizeHow {
    /// Mostly near what is there.
    #[default]
    Bell,
    /// Every place as likely.
    Even,
    /// Rising and falling slowly, all together.
    Drifting,
}

/// Varies velocity and timing around what is there: v += x·velocity and t += bias + y·timing, with x and y between −1 and
/// 1 drawn for each hit, each by itself, and length · (1 + z·lengths). Twice as much moves each hit twice as far the same
/// way.
///
/// What drifts has half of the range as its standard deviation and a spectrum of 1/f.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Humanize {
    /// 0 to 64 steps to either side.
    pub velocity: f64,
    /// 0 to 100 ms to either side.
    pub timing: Millis,
    /// −100 to 100 ms: all of it earlier or later.
    pub bias: Millis,
    /// 0 to 90 % shorter or longer.
    pub lengths: Percent,
    /// Mostly small, evenly or drifting.
    pub how: HumanizeHow,
}

impl Default for Humanize {
    fn default() -> Humanize {
        Humanize {
            velocity: 5.0,
            timing: Millis(4.0),
            bias: Millis(0.0),
            lengths: Percent(0.0),
            how: HumanizeHow::Bell,
        }
    }
}

/// What is drawn for: the number of the draw, and of the drift.
#[derive(Clone, Copy)]
enum Of {
    Velocity,
    Timing,
    Lengths,
}

impl Act for Humanize {
    const INFO: ActionInfo = ActionInfo {
        kind: "humanize",
        title: "Humanize",
        family: ActionFamily::Time,
        words: &[
            "humanise",
            "random",
            "randomize",
            "randomise",
            "random velocity",
            "random timing",
            "jitter",
            "vary",
            "deviation",
            "velocity",
            "timing",
            "human",
            "imperfect",
        ],
        sentence: "vary by ± {velocity} in velocity and ± {timing} in time, around what is there, {how}[, all of it {bias}][, and ± {lengths} in length].",
        brief: "± {velocity}, ± {timing}",
        explains: "Small random changes of velocity and timing around what is there; either can be 0.",
        points: &[
            super::point("random velocity", r#"{"timing": 0}"#),
            super::point("randomize velocity", r#"{"timing": 0}"#),
            super::point("randomise velocity", r#"{"timing": 0}"#),
            super::point("humanize velocity", r#"{"timing": 0}"#),
            super::point("humanise velocity", r#"{"timing": 0}"#),
            super::point("random timing", r#"{"velocity": 0}"#),
            super::point("humanize timing", r#"{"velocity": 0}"#),
            super::point("humanise timing", r#"{"velocity": 0}"#),
            super::point("randomize timing", r#"{"velocity": 0}"#),
            super::point("humanize", r#"{}"#),
            super::point("humanise", r#"{}"#),
            super::point("randomize", r#"{}"#),
            super::point("randomise", r#"{}"#),
            super::point("random", r#"{}"#),
            super::point("jitter", r#"{}"#),
        ],
        settings: &[
            Setting::new("velocity", "velocity", Values::number(0.0, 64.0, 1.0, "", Some(0.0))),
            Setting::new("timing", "timing", Values::number(0.0, 100.0, 0.5, "ms", Some(0.0))),
            Setting::new(
                "how",
                "spread",
                Values::Choice {
                    options: &[
                        ("bell", "mostly a little"),
                        ("even", "evenly spread"),
                        ("drifting", "rising and falling slowly"),
                    ],
                },
            ),
            Setting::new(
                "bias",
                "bias",
                Values::Number {
                    min: -100.0,
                    max: 100.0,
                    step: 0.5,
                    unit: "ms",
                    neutral: Some(0.0),
                    sides: Some(("early", "late")),
                    none: None,
                },
            ),
            Setting::new("lengths", "lengths", Values::number(0.0, 90.0, 1.0, "%", Some(0.0))),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let mut natural = Natural::new(dice, 1.0);
        for &index in aimed {
            let id = stage.id(index);
            let quarters = stage.quarters(index);
            let mut drawn = |of: Of| match self.how {
                HumanizeHow::Bell => 2.0 * dice.bell(id, of as u32) - 1.0,
                HumanizeHow::Even => 2.0 * dice.even(id, of as u32) - 1.0,
                HumanizeHow::Drifting => (natural.at(of as u32, quarters) / 2.0).clamp(-1.0, 1.0),
            };
            if self.velocity != 0.0 {
                stage.velocity[index] += drawn(Of::Velocity) * self.velocity;
            }
            if self.lengths.0 != 0.0 {
                stage.length[index] *= 1.0 + drawn(Of::Lengths) * self.lengths.factor();
            }
            if self.timing.0 != 0.0 || self.bias.0 != 0.0 {
                stage.move_by(index, Millis(self.bias.0 + drawn(Of::Timing) * self.timing.0));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    /// How much louder and how much later (in ticks) each hit but the first is played.
    fn changes(humanize: Humanize) -> Vec<(f64, f64)> {
        let part = sixteenths(&[64; 200]);
        let played = play(&part, Action::Humanize(humanize));
        let hits = played.iter().zip(part.hits()).skip(1);
        hits.map(|(now, was)| (f64::from(now.velocity.get()) - 64.0, now.tick.0 - was.tick.0)).collect()
    }

    #[test]
    fn it_varies_around_what_is_there() {
        for how in [HumanizeHow::Bell, HumanizeHow::Even, HumanizeHow::Drifting] {
            let changes = changes(Humanize { velocity: 10.0, timing: Millis(5.0), how, ..Humanize::default() });
            let within = |&(louder, later): &(f64, f64)| louder.abs() <= 10.0 && later.abs() <= 10.0;
            assert!(changes.iter().all(within), "{how:?}");
            let mean = |of: fn(&(f64, f64)) -> f64| changes.iter().map(of).sum::<f64>() / 199.0;
            // A drift of 200 hits is one half of a slow wave as likely as not.
            let near = if how == HumanizeHow::Drifting { 6.0 } else { 1.0 };
            assert!(mean(|one| one.0).abs() < near && mean(|one| one.1).abs() < near, "{how:?}");
            assert!(changes.iter().any(|one| one.0 > 3.0) && changes.iter().any(|one| one.1 < -2.0), "{how:?}");
        }
    }

    #[test]
    fn each_half_alone_leaves_the_other_be_and_draws_the_same() {
        let both = changes(Humanize::default());
        let velocity = changes(Humanize { timing: Millis(0.0), ..Humanize::default() });
        let timing = changes(Humanize { velocity: 0.0, ..Humanize::default() });
        for ((both, velocity), timing) in both.iter().zip(velocity).zip(timing) {
            assert_eq!((velocity, timing), ((both.0, 0.0), (0.0, both.1)));
        }
    }

    #[test]
    fn a_bias_moves_all_of_it() {
        let still = Humanize { velocity: 0.0, timing: Millis(0.0), bias: Millis(5.0), ..Humanize::default() };
        assert!(changes(still).iter().all(|one| (one.1 - 9.6).abs() < 0.51));
    }
}
