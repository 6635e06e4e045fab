use super::Spread;
use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::property::Property;
use crate::base::units::Percent;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Deals every hit a velocity between two (or a value of another property), whatever it was: v := v + amount·(d − v), with
/// d = from + u·(to − from) and u drawn for each hit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Draw {
    /// The least.
    pub from: f64,
    /// The most.
    pub to: f64,
    /// Even or bell-shaped.
    pub spread: Spread,
    /// 0 to 100 %: how far the hits go there.
    pub amount: Percent,
    /// Of what.
    pub property: Property,
}

impl Default for Draw {
    fn default() -> Draw {
        let (amount, property) = (Percent(100.0), Property::Velocity);
        Draw { from: 54.0, to: 70.0, spread: Spread::Even, amount, property }
    }
}

impl Act for Draw {
    const INFO: ActionInfo = ActionInfo {
        kind: "draw",
        title: "Draw",
        family: ActionFamily::Touch,
        words: &["random velocity", "random", "randomize", "range", "velocity", "dice", "between", "ghost"],
        sentence: "give each a random {property} from {from} to {to}, {spread}[, {amount} of the way].",
        brief: "{from} to {to}",
        explains: "A new random velocity, pitch, place, level or brightness within a range, whatever it was.",
        points: &[],
        settings: &[
            super::PROPERTY,
            Setting::new("from", "least", Values::Value { none: None }),
            Setting::new("to", "most", Values::Value { none: None }),
            Setting::new("spread", "spread", super::loosen::SPREADS),
            Setting::new("amount", "amount", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))).quiet(100.0),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn check(&self) -> Result<(), (String, String)> {
        super::ascending("from", self.from, self.to)
    }

    fn property(&self) -> Property {
        self.property
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let Draw { from, to, property, .. } = *self;
        for &index in aimed {
            let drawn = from + self.spread.drawn(dice, stage.id(index)) * (to - from);
            let value = &mut stage.values(property)[index];
            *value += self.amount.factor() * (drawn - *value);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    #[test]
    fn all_of_the_range_is_used_and_nothing_else() {
        let draw = Draw { from: 98.0, to: 112.0, ..Draw::default() };
        let played = play(&sixteenths(&[30; 400]), Action::Draw(draw));
        let mut seen: Vec<u8> = played.iter().map(|hit| hit.velocity.get()).collect();
        seen.sort_unstable();
        seen.dedup();
        assert_eq!(seen, (98..=112).collect::<Vec<u8>>());
    }
}
