use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::dice::Dice;
use crate::perform::Stage;
use crate::units::Millis;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Sits ahead of the beat or behind it: every aimed hit moves by the same time, at the tempo that
/// reigns at the hit.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Lean {
    /// −200 (ahead) to 200 ms (behind).
    pub by: Millis,
}

impl Act for Lean {
    const INFO: ActionInfo = ActionInfo {
        kind: "lean",
        title: "Lean",
        family: ActionFamily::Time,
        words: &["shift", "nudge", "offset", "laid back", "push", "drag", "rush", "late", "early", "delay", "timing"],
        sentence: "sit {by} the beat.",
        explains: "Sits ahead of the beat or behind it.",
        settings: &[Setting {
            name: "by",
            label: "lean",
            values: Values::Number {
                min: -200.0,
                max: 200.0,
                step: 0.5,
                unit: "ms",
                neutral: Some(0.0),
                sides: Some(("ahead of", "behind")),
                none: None,
            },
        }],
    };

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        for &row in aimed {
            stage.move_by(row, self.by);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::action::Action;
    use crate::perform::testing::{play, sixteenths};
    use crate::units::Ticks;

    #[test]
    fn ten_ms_at_120_bpm_are_19_ticks() {
        let played = play(&sixteenths(&[100, 100]), Action::Lean(Lean { by: Millis(10.0) }));
        assert_eq!(played[0].tick, Ticks(19.0), "19.2, rounded once");
        assert_eq!(played[1].tick, Ticks(259.0));
    }

    #[test]
    fn a_hit_before_the_start_is_moved_to_the_start() {
        let played = play(&sixteenths(&[100, 100]), Action::Lean(Lean { by: Millis(-10.0) }));
        assert_eq!(played[0].tick, Ticks(0.0));
        assert_eq!(played[1].tick, Ticks(221.0));
    }
}
