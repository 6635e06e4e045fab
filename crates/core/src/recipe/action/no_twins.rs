use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Where a move may end.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum TwinsMove {
    /// In the same velocity layer of the kit, so that the same samples sound, where that is possible.
    #[default]
    WithinLayer,
    /// Anywhere.
    Anywhere,
}

/// No two neighbours alike: where two aimed hits of one instrument follow one another and differ by
/// less than `least`, the later one moves up or down, as its dice say, until they differ by that.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct NoTwins {
    /// 0 to 40.
    pub least: f64,
    /// Within the layer or anywhere.
    pub moves: TwinsMove,
}

impl Default for NoTwins {
    fn default() -> NoTwins {
        NoTwins { least: 3.0, moves: TwinsMove::WithinLayer }
    }
}

impl Act for NoTwins {
    const INFO: ActionInfo = ActionInfo {
        kind: "no-twins",
        title: "No twins",
        family: ActionFamily::Touch,
        words: &[
            "machine gun",
            "repeat",
            "identical",
            "neighbours",
            "alternate",
            "round robin",
            "same velocity",
            "robotic",
        ],
        sentence: "keep neighbours at least {least} apart in velocity, {moves}.",
        brief: "{least} apart",
        explains: "No two neighbours alike.",
        points: &[],
        settings: &[
            Setting::new("least", "least difference", Values::number(0.0, 40.0, 1.0, "", Some(0.0))),
            Setting::new(
                "moves",
                "moving",
                Values::Choice { options: &[("within-layer", "within their layer"), ("anywhere", "across layers")] },
            ),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let moved =
            |velocity: f64, bounds: (f64, f64)| (velocity >= bounds.0 && velocity <= bounds.1).then_some(velocity);
        for indices in stage.by_instrument(aimed) {
            for pair in indices.windows(2) {
                let (before, now) =
                    (stage.velocity[pair[0]].clamp(1.0, 127.0), stage.velocity[pair[1]].clamp(1.0, 127.0));
                if (now - before).abs() >= self.least {
                    continue;
                }
                let up = dice.even(stage.id(pair[1]), 0) < 0.5;
                let (first, second) = match up {
                    true => (before + self.least, before - self.least),
                    false => (before - self.least, before + self.least),
                };
                let whole = (1.0, 127.0);
                let layer = match self.moves {
                    TwinsMove::WithinLayer => stage.layer_at(pair[1], now),
                    TwinsMove::Anywhere => whole,
                };
                let found =
                    moved(first, layer).or(moved(second, layer)).or(moved(first, whole)).or(moved(second, whole));
                stage.velocity[pair[1]] = found.unwrap_or(now);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    #[test]
    fn neighbours_differ_and_stay_in_their_layer() {
        for (moves, least) in [(TwinsMove::WithinLayer, 4.0), (TwinsMove::Anywhere, 30.0)] {
            let action = Action::NoTwins(NoTwins { least, moves });
            let velocities: Vec<u8> =
                play(&sixteenths(&[100; 64]), action).iter().map(|hit| hit.velocity.get()).collect();
            assert!(velocities.windows(2).all(|pair| f64::from(pair[0].abs_diff(pair[1])) >= least), "{velocities:?}");
            assert!(moves == TwinsMove::Anywhere || velocities.iter().all(|velocity| (77..108).contains(velocity)));
        }
    }

    #[test]
    fn what_differs_already_stays() {
        let action = Action::NoTwins(NoTwins::default());
        let velocities: Vec<u8> =
            play(&sixteenths(&[80, 90, 80, 90]), action).iter().map(|hit| hit.velocity.get()).collect();
        assert_eq!(velocities, [80, 90, 80, 90]);
    }
}
