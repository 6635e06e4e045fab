use super::Spread;
use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::dice::Dice;
use crate::perform::Stage;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Random velocity changes of up to `by` either way: v += (2u − 1)·by, with u drawn for each hit. A
/// wider range moves each hit further the same way.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Vary {
    /// 0 to 64.
    pub by: f64,
    /// Even or bell-shaped.
    pub spread: Spread,
}

impl Default for Vary {
    fn default() -> Vary {
        Vary { by: 8.0, spread: Spread::Even }
    }
}

impl Act for Vary {
    const INFO: ActionInfo = ActionInfo {
        kind: "vary",
        title: "Vary",
        family: ActionFamily::Touch,
        words: &["random", "randomize", "humanize", "velocity", "jitter", "dice", "natural"],
        sentence: "make each up to {by} softer or louder, {spread}.",
        brief: "± {by}",
        explains: "Random velocity, a little up or down from what it is.",
        points: &[],
        settings: &[
            Setting::new("by", "at most", Values::number(0.0, 64.0, 1.0, "", Some(0.0))),
            Setting::new("spread", "spread", super::loosen::SPREADS),
        ],
    };

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        for &index in aimed {
            stage.velocity[index] += (2.0 * self.spread.drawn(dice, stage.id(index)) - 1.0) * self.by;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::action::Action;
    use crate::perform::testing::{play, sixteenths};

    #[test]
    fn changes_stay_in_range_and_grow_the_same_way() {
        let vary = |by| {
            let played = play(&sixteenths(&[64; 64]), Action::Vary(Vary { by, spread: Spread::Even }));
            played.iter().map(|hit| i32::from(hit.velocity.get()) - 64).collect::<Vec<i32>>()
        };
        let (small, large) = (vary(10.0), vary(30.0));
        assert!(small.iter().all(|change| change.abs() <= 10) && small.iter().any(|&change| change > 6));
        assert!(small.iter().zip(&large).all(|(small, large)| (3 * small - large).abs() <= 2));
    }
}
