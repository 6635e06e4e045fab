use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::Velocity;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What happens to velocities beyond the limits.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum LimitsHow {
    /// They stop at the limit; the rest stays.
    #[default]
    Clip,
    /// All are drawn in: of each instrument's aimed hits the softest comes to lie on the floor and
    /// the loudest on the ceiling, the rest in proportion.
    Squeeze,
}

/// A floor and a ceiling for velocities.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Limits {
    /// The softest.
    pub floor: Velocity,
    /// The loudest.
    pub ceiling: Velocity,
    /// Clip or squeeze.
    pub how: LimitsHow,
}

impl Default for Limits {
    fn default() -> Limits {
        Limits { floor: Velocity::rounded(40.0), ceiling: Velocity::rounded(112.0), how: LimitsHow::Clip }
    }
}

/// The least and the greatest velocity of some indices.
pub(super) fn extremes(stage: &Stage<'_>, indices: &[usize]) -> (f64, f64) {
    let velocities = || indices.iter().map(|&index| stage.velocity[index]);
    (velocities().fold(f64::INFINITY, f64::min), velocities().fold(f64::NEG_INFINITY, f64::max))
}

/// Maps the indices' velocities in proportion onto floor to ceiling; one single velocity is clipped.
pub(super) fn squeeze(stage: &mut Stage<'_>, indices: &[usize], floor: f64, ceiling: f64) {
    let (least, most) = extremes(stage, indices);
    for &index in indices {
        let velocity = &mut stage.velocity[index];
        *velocity = match most > least {
            true => floor + (*velocity - least) / (most - least) * (ceiling - floor),
            false => velocity.clamp(floor, ceiling),
        };
    }
}

impl Act for Limits {
    const INFO: ActionInfo = ActionInfo {
        kind: "limits",
        title: "Limits",
        family: ActionFamily::Touch,
        words: &[
            "floor",
            "ceiling",
            "range",
            "minimum",
            "maximum",
            "limiter",
            "clamp",
            "compress",
            "velocity",
            "normalize",
            "loud ghost",
            "filter",
        ],
        sentence: "keep velocities between {floor} and {ceiling}; {how}.",
        brief: "{floor} to {ceiling}",
        explains: "A floor and a ceiling: clip what lies outside, or squeeze everything in between.",
        points: &[
            super::point("normalize", r#"{"floor": 40, "ceiling": 120, "how": "squeeze"}"#),
            super::point("loud ghost", r#"{"floor": 1, "ceiling": 45, "how": "squeeze"}"#),
            super::point("ceiling", r#"{"floor": 1, "ceiling": 110}"#),
            super::point("maximum", r#"{"floor": 1, "ceiling": 110}"#),
            super::point("floor", r#"{"floor": 30, "ceiling": 127}"#),
            super::point("minimum", r#"{"floor": 30, "ceiling": 127}"#),
        ],
        settings: &[
            Setting::new("floor", "floor", Values::velocity()),
            Setting::new("ceiling", "ceiling", Values::velocity()),
            Setting::new(
                "how",
                "how",
                Values::Choice {
                    options: &[("clip", "clip what lies outside"), ("squeeze", "squeeze everything in between")],
                },
            ),
        ],
    };

    fn check(&self) -> Result<(), (String, String)> {
        if self.floor > self.ceiling {
            return Err((
                "floor".to_owned(),
                format!("floor {} is above ceiling {}", self.floor.get(), self.ceiling.get()),
            ));
        }
        Ok(())
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        let [floor, ceiling] = [self.floor, self.ceiling].map(|velocity| f64::from(velocity.get()));
        if self.how == LimitsHow::Clip {
            for &index in aimed {
                stage.velocity[index] = stage.velocity[index].clamp(floor, ceiling);
            }
            return;
        }
        for indices in stage.by_instrument(aimed) {
            squeeze(stage, &indices, floor, ceiling);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    fn limited(how: LimitsHow, velocities: &[u8]) -> Vec<u8> {
        let limits = Limits { floor: Velocity::rounded(88.0), ceiling: Velocity::rounded(104.0), how };
        play(&sixteenths(velocities), Action::Limits(limits)).iter().map(|hit| hit.velocity.get()).collect()
    }

    #[test]
    fn the_worked_numbers() {
        assert_eq!(limited(LimitsHow::Squeeze, &[60, 85, 120]), [88, 95, 104]);
        assert_eq!(limited(LimitsHow::Clip, &[60, 95, 120]), [88, 95, 104]);
    }

    #[test]
    fn one_single_velocity_is_only_clipped() {
        assert_eq!(limited(LimitsHow::Squeeze, &[90, 90]), [90, 90]);
        assert_eq!(limited(LimitsHow::Squeeze, &[20]), [88]);
    }
}
