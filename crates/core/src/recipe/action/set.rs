use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::{Percent, Velocity};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Gives every hit one velocity: v := v + amount·(a − v).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Set {
    /// The velocity.
    pub to: Velocity,
    /// 0 to 100 %: how far the hits go there.
    pub amount: Percent,
}

impl Default for Set {
    fn default() -> Set {
        Set { to: Velocity::rounded(100.0), amount: Percent(100.0) }
    }
}

impl Act for Set {
    const INFO: ActionInfo = ActionInfo {
        kind: "set",
        title: "Set",
        family: ActionFamily::Touch,
        words: &["fixed", "solid", "flatten", "same", "equal", "reset", "velocity", "constant", "baseline"],
        sentence: "set velocity to {to}[, {amount} of the way].",
        brief: "{to}",
        explains: "One velocity for all.",
        points: &[],
        settings: &[
            Setting::new("to", "velocity", Values::velocity()),
            Setting::new("amount", "amount", Values::number(0.0, 100.0, 1.0, "%", Some(0.0))).quiet(100.0),
        ],
    };

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        let to = f64::from(self.to.get());
        for &index in aimed {
            stage.velocity[index] += self.amount.factor() * (to - stage.velocity[index]);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    #[test]
    fn all_the_way_and_half_of_it() {
        let set = |amount| Action::Set(Set { to: Velocity::rounded(100.0), amount: Percent(amount) });
        let velocities = |amount| {
            play(&sixteenths(&[60, 90]), set(amount)).iter().map(|hit| hit.velocity.get()).collect::<Vec<u8>>()
        };
        assert_eq!(velocities(100.0), [100, 100]);
        assert_eq!(velocities(50.0), [80, 95]);
    }
}
