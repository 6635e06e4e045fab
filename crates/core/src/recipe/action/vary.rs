use super::Spread;
use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::property::Property;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::perform::drift::Natural;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Whether each hit varies by itself.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum VaryHow {
    /// Each draws its own.
    #[default]
    Each,
    /// All rise and fall together, as a player's intensity does.
    Natural,
}

/// Random changes of velocity, or of another property, of up to `by` either way: v += (2u − 1)·by, with u drawn for each hit. A
/// wider range moves each hit further the same way. Natural changes rise and fall slowly, with a spectrum of
/// 1/f^slowness and a standard deviation of half of `by`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Vary {
    /// 0 to 64; of another property as much as it has to one side.
    pub by: f64,
    /// Even or bell-shaped.
    pub spread: Spread,
    /// Each by itself, or all together.
    pub how: VaryHow,
    /// 0 to 2: the exponent of the spectrum of natural changes.
    pub slowness: f64,
    /// Of what.
    pub property: Property,
}

impl Default for Vary {
    fn default() -> Vary {
        Vary { by: 8.0, spread: Spread::Even, how: VaryHow::Each, slowness: 1.0, property: Property::Velocity }
    }
}

impl Act for Vary {
    const INFO: ActionInfo = ActionInfo {
        kind: "vary",
        title: "Vary",
        family: ActionFamily::Touch,
        words: &["random", "randomize", "humanize", "velocity", "jitter", "dice", "natural", "pitch", "pan", "detune"],
        sentence: "make each up to {by} <less> or <more>[ in {property}], {how}[, {spread}][, slowness {slowness}].",
        brief: "± {by}",
        explains: "Random velocity, pitch, place, level or brightness: a little more or less than it is.",
        points: &[super::point("intensity", r#"{"by": 12, "how": "natural"}"#)],
        settings: &[
            Setting::new("by", "at most", Values::Change { min: 0.0, max: 64.0 }),
            super::PROPERTY,
            Setting::new("spread", "spread", super::loosen::SPREADS).when("how", "each"),
            Setting::new(
                "how",
                "how",
                Values::Choice { options: &[("each", "each hit by itself"), ("natural", "rising and falling slowly")] },
            ),
            Setting::new("slowness", "slowness", Values::number(0.0, 2.0, 0.1, "", None)).when("how", "natural"),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn property(&self) -> Property {
        self.property
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let mut natural = Natural::new(dice, self.slowness);
        for &index in aimed {
            let drawn = match self.how {
                VaryHow::Each => 2.0 * self.spread.drawn(dice, stage.id(index)) - 1.0,
                VaryHow::Natural => (natural.at(0, stage.quarters(index)) / 2.0).clamp(-1.0, 1.0),
            };
            stage.values(self.property)[index] += drawn * self.by;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    #[test]
    fn changes_stay_in_range_and_grow_the_same_way() {
        let vary = |by| {
            let played =
                play(&sixteenths(&[64; 64]), Action::Vary(Vary { by, spread: Spread::Even, ..Vary::default() }));
            played.iter().map(|hit| i32::from(hit.velocity.get()) - 64).collect::<Vec<i32>>()
        };
        let (small, large) = (vary(10.0), vary(30.0));
        assert!(small.iter().all(|change| change.abs() <= 10) && small.iter().any(|&change| change > 6));
        assert!(small.iter().zip(&large).all(|(small, large)| (3 * small - large).abs() <= 2));
    }
}
