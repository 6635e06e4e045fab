use super::Spread;
use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::dice::Dice;
use crate::perform::Stage;
use crate::units::{Percent, Velocity};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Deals every hit a velocity between two, whatever it was: v := v + amount·(d − v), with
/// d = from + u·(to − from) and u drawn for each hit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Draw {
    /// The softest.
    pub from: Velocity,
    /// The loudest.
    pub to: Velocity,
    /// Even or bell-shaped.
    pub spread: Spread,
    /// 0 to 100 %: how far the hits go there.
    pub amount: Percent,
}

impl Default for Draw {
    fn default() -> Draw {
        let velocity = Velocity::rounded;
        Draw { from: velocity(54.0), to: velocity(70.0), spread: Spread::Even, amount: Percent(100.0) }
    }
}

impl Act for Draw {
    const INFO: ActionInfo = ActionInfo {
        kind: "draw",
        title: "Draw",
        family: ActionFamily::Touch,
        words: &["random", "randomize", "range", "velocity", "dice", "between", "ghost"],
        sentence: "give each a random velocity from {from} to {to}, {spread}[, {amount} of the way].",
        brief: "{from} to {to}",
        explains: "A new random velocity within a range, whatever it was.",
        points: &[super::point("random velocity", r#"{}"#)],
        settings: &[
            Setting::new("from", "softest", Values::velocity()),
            Setting::new("to", "loudest", Values::velocity()),
            Setting::new("spread", "spread", super::loosen::SPREADS),
            Setting::new("amount", "amount", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))).quiet(100.0),
        ],
    };
    const DICE: super::DiceUse = super::DiceUse::Some;

    fn check(&self) -> Result<(), (String, String)> {
        super::in_order("from", self.from, self.to)
    }

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], dice: &Dice) {
        let [from, to] = [self.from, self.to].map(|velocity| f64::from(velocity.get()));
        for &index in aimed {
            let drawn = from + self.spread.drawn(dice, stage.id(index)) * (to - from);
            stage.velocity[index] += self.amount.factor() * (drawn - stage.velocity[index]);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::action::Action;
    use crate::perform::testing::{play, sixteenths};

    #[test]
    fn all_of_the_range_is_used_and_nothing_else() {
        let draw = Draw { from: Velocity::rounded(98.0), to: Velocity::rounded(112.0), ..Draw::default() };
        let played = play(&sixteenths(&[30; 400]), Action::Draw(draw));
        let mut seen: Vec<u8> = played.iter().map(|hit| hit.velocity.get()).collect();
        seen.sort_unstable();
        seen.dedup();
        assert_eq!(seen, (98..=112).collect::<Vec<u8>>());
    }
}
