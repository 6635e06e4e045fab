use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::{Millis, Percent};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use crate::time::grid::Grid;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Sits ahead of the beat or behind it: every aimed hit moves by the same time, at the tempo that
/// reigns at the hit, and by the same share of a grid's cell: t += by + share·cell.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Lean {
    /// −200 (ahead) to 200 ms (behind).
    pub by: Millis,
    /// −50 (ahead) to 50 % (behind) of a cell, which grows as the tempo falls.
    pub share: Percent,
    /// Whose cells.
    pub grid: Grid,
}

impl Default for Lean {
    fn default() -> Lean {
        Lean { by: Millis(0.0), share: Percent(0.0), grid: Grid::SIXTEENTHS }
    }
}

const fn sided(min: f64, max: f64, unit: &'static str, sides: (&'static str, &'static str)) -> Values {
    Values::Number { min, max, step: 0.5, unit, neutral: Some(0.0), sides: Some(sides), none: None }
}

impl Act for Lean {
    const INFO: ActionInfo = ActionInfo {
        kind: "lean",
        title: "Lean",
        family: ActionFamily::Time,
        words: &[
            "shift",
            "nudge",
            "offset",
            "laid back",
            "push",
            "drag",
            "rush",
            "late",
            "early",
            "delay",
            "timing",
            "lazy",
            "ahead",
            "behind",
            "position",
            "slide",
            "bias",
            "sit back",
            "offbeat",
        ],
        sentence: "sit {by} the beat[, and {share} by cells of {grid}].",
        brief: "{by}",
        explains: "Ahead of the beat or behind it.",
        points: &[
            super::point("early", r#"{"by": -8}"#),
            super::point("ahead", r#"{"by": -8}"#),
            super::point("rush", r#"{"by": -8}"#),
            super::point("push", r#"{"by": -8}"#),
            super::point("late", r#"{"by": 8}"#),
            super::point("behind", r#"{"by": 8}"#),
            super::point("laid back", r#"{"by": 12}"#),
            super::point("lazy", r#"{"by": 14}"#),
            super::point("drag", r#"{"by": 10}"#),
            super::point("delay", r#"{"by": 8}"#),
            super::point("sit back", r#"{"by": 10}"#),
            super::point("slide", r#"{"by": 8}"#),
            super::point("bias", r#"{"by": 8}"#),
            super::point("position", r#"{"by": 8}"#),
        ],
        settings: &[
            Setting::new("by", "lean", sided(-200.0, 200.0, "ms", ("ahead of", "behind"))),
            Setting::new("share", "share of a cell", sided(-50.0, 50.0, "%", ("earlier", "later"))),
            Setting::new("grid", "grid", Values::Grid),
        ],
    };

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        let share = self.share.factor() * self.grid.cell(stage.metre.ppq()).0;
        for &index in aimed {
            stage.move_by(index, self.by);
            stage.onset[index] += share;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::Ticks;
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::Action;

    #[test]
    fn ten_ms_at_120_bpm_are_19_ticks() {
        let played = play(&sixteenths(&[100, 100]), Action::Lean(Lean { by: Millis(10.0), ..Lean::default() }));
        assert_eq!(played[0].tick, Ticks(19.0), "19.2, rounded once");
        assert_eq!(played[1].tick, Ticks(259.0));
    }

    #[test]
    fn a_share_of_a_cell_is_the_same_at_any_tempo() {
        let share = Lean { share: Percent(10.0), grid: "1/8".parse().unwrap(), ..Lean::default() };
        let played = play(&sixteenths(&[100, 100]), Action::Lean(share));
        assert_eq!((played[0].tick, played[1].tick), (Ticks(48.0), Ticks(288.0)));
    }

    #[test]
    fn a_hit_before_the_start_is_moved_to_the_start() {
        let played = play(&sixteenths(&[100, 100]), Action::Lean(Lean { by: Millis(-10.0), ..Lean::default() }));
        assert_eq!(played[0].tick, Ticks(0.0));
        assert_eq!(played[1].tick, Ticks(221.0));
    }
}
