use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Makes hits harder or softer by the same step: v += by.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Level {
    /// −126 to 126 velocity steps.
    pub by: f64,
}

impl Act for Level {
    const INFO: ActionInfo = ActionInfo {
        kind: "level",
        title: "Level",
        family: ActionFamily::Touch,
        words: &[
            "velocity",
            "louder",
            "softer",
            "volume",
            "offset",
            "gain",
            "trim",
            "quieter",
            "intensity",
            "harder",
            "bring down",
        ],
        sentence: "play {by}.",
        brief: "{by}",
        explains: "All of it harder or softer by the same amount.",
        points: &[
            super::point("louder", r#"{"by": 8}"#),
            super::point("harder", r#"{"by": 8}"#),
            super::point("boost", r#"{"by": 8}"#),
            super::point("softer", r#"{"by": -8}"#),
            super::point("quieter", r#"{"by": -8}"#),
            super::point("quiet", r#"{"by": -8}"#),
            super::point("turn down", r#"{"by": -8}"#),
            super::point("intensity", r#"{"by": 8}"#),
            super::point("bring down", r#"{"by": -8}"#),
            super::point("turn up", r#"{"by": 8}"#),
        ],
        settings: &[Setting::new(
            "by",
            "by",
            Values::Number {
                min: -126.0,
                max: 126.0,
                step: 1.0,
                unit: "",
                neutral: Some(0.0),
                sides: Some(("softer", "harder")),
                none: None,
            },
        )],
    };

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        for &index in aimed {
            stage.velocity[index] += self.by;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    #[test]
    fn steps_are_held_in_range() {
        let played = play(&sixteenths(&[100, 120, 5]), Action::Level(Level { by: 12.0 }));
        let velocities: Vec<u8> = played.iter().map(|hit| hit.velocity.get()).collect();
        assert_eq!(velocities, [112, 127, 17]);
    }
}
