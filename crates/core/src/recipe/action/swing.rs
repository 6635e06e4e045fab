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
        let mut pairs = false;
        for &index in aimed {
            pairs |= swung.has_pair_at(stage.metre, stage.onset[index]);
            stage.onset[index] = swung.warped(stage.metre, stage.onset[index]);
        }
        if !pairs && !aimed.is_empty() {
            stage.say(format!("Nothing swings: a pair of {} is longer than the bars here.", self.grid.in_words()));
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
    fn pairs_as_long_as_a_bar_swing_and_longer_ones_say_why_they_do_not() {
        use crate::base::units::Ppq;
        use crate::kit::{Kit, chart::Chart};
        use crate::perform::{Context, perform, testing::sixteenths};
        use crate::recipe::{Pass, Recipe, action::Action, aim::Aim};
        use crate::time::tempo::TempoMap;
        let part = sixteenths(&[100; 32]);
        let (tempo, metre) = (TempoMap::new(Ppq::new(960).unwrap(), []), MetreMap::new(Ppq::new(960).unwrap(), []));
        let (context, chart) = (Context::new(&tempo, &metre), Chart::new(&part, Kit::of_drums(&part)));
        let said = |grid: &str| {
            let swing = Swing { grid: grid.parse().unwrap(), to: Percent(60.0) };
            let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), Action::Swing(swing))]);
            let performance = perform(&part, &chart, &recipe, &context);
            (performance.written[8].tick.0, performance.passes[0].said.clone())
        };
        // The middle of a bar goes from 1920 to 60 % of it.
        assert_eq!(said("1/2"), (2304.0, None));
        let (tick, why) = said("1/1");
        assert_eq!(
            (tick, why.as_deref()),
            (1920.0, Some("Nothing swings: a pair of whole notes is longer than the bars here."))
        );
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
