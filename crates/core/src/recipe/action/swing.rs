use super::{Act, ActionFamily, ActionInfo, Setting, Values};
use crate::base::units::{Millis, Percent};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use crate::time::grid::Grid;
use crate::time::swung::{MovesBy, Swung};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Swings pairs of a grid: the middle of each pair moves from 50 % to `to`, and everything between
/// moves along in proportion, so that flams and late ghosts keep their places.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Swing {
    /// 25 to 80 %: where the middle of a pair goes; 50 is straight, 66.7 a triplet.
    pub to: Percent,
    /// What the pairs are made of.
    pub grid: Grid,
}

impl Default for Swing {
    fn default() -> Swing {
        Swing { to: Percent(57.0), grid: Grid::SIXTEENTHS }
    }
}

impl Act for Swing {
    const INFO: ActionInfo = ActionInfo {
        kind: "swing",
        title: "Swing",
        family: ActionFamily::Time,
        words: &["shuffle", "triplet feel", "groove", "bounce", "timing", "lilt", "offbeat"],
        sentence: "swing {grid} to {to}.",
        brief: "{grid} · {to}",
        explains: "Every second one late: 50 % is straight, 67 % a triplet.",
        points: &[super::point("shuffle", r#"{"to": 66.5}"#), super::point("triplet feel", r#"{"to": 66.5}"#)],
        settings: &[
            Setting::new("grid", "grid", Values::Grid),
            Setting::new("to", "swing", Values::number(25.0, 80.0, 0.5, "%", Some(50.0))),
        ],
    };

    fn moves_by(&self) -> Option<MovesBy> {
        Some(MovesBy { grid: self.grid, swing: self.to, forgive: Millis(0.0), reach: None })
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        let swung = Swung { grid: self.grid, swing: self.to };
        for &index in aimed {
            stage.onset[index] = swung.warped(stage.metre, stage.onset[index]);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::{Ppq, Ticks};
    use crate::time::metre::{Metre, MetreMap};

    #[test]
    fn the_worked_numbers() {
        let metre = MetreMap::new(Ppq::new(960).unwrap(), []);
        let swung = Swung { grid: "1/8".parse().unwrap(), swing: Percent(57.0) };
        for (from, to) in [(480.0, 547.2), (240.0, 273.6), (720.0, 753.6), (0.0, 0.0), (960.0, 960.0)] {
            assert!((swung.warped(&metre, from) - to).abs() < 1e-9, "{from}");
        }
    }

    #[test]
    fn a_cell_that_is_left_over_stays_straight() {
        // 7/8 is three pairs of 8ths and one more.
        let seven = MetreMap::new(Ppq::new(960).unwrap(), [(Ticks(0.0), Metre::new(7, 8).unwrap())]);
        let swung = Swung { grid: "1/8".parse().unwrap(), swing: Percent(66.0) };
        assert_eq!(swung.warped(&seven, 3000.0), 3000.0);
        assert!(swung.warped(&seven, 2400.0) > 2500.0);
        assert_eq!(swung.nearest(&seven, 3300.0), 3360.0, "the next bar line is a line");
    }
}
