use super::super::swell::{CURVES, Curve};
use super::super::{Act, ActionFamily, ActionInfo, Setting, Values};
use super::{LANE, stepped};
use crate::part::lane::LaneKind;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A line from one value to another over each stretch of bars that the pass aims at, or over the whole part:
/// v(u) = from + c(u)·(to − from), u from 0 to 1. Where it ends it holds until the lane's next value.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct LaneRamp {
    /// Which.
    pub lane: LaneKind,
    /// At the beginning.
    pub from: f64,
    /// At the end.
    pub to: f64,
    /// Straight, late or early.
    pub curve: Curve,
}

impl Default for LaneRamp {
    fn default() -> LaneRamp {
        LaneRamp { lane: LaneKind::EXPRESSION, from: 127.0, to: 40.0, curve: Curve::Straight }
    }
}

impl Act for LaneRamp {
    const INFO: ActionInfo = ActionInfo {
        kind: "lane-ramp",
        title: "Ramp",
        family: ActionFamily::Lanes,
        words: &["fade", "expression", "volume", "controller", "line", "automation", "swell", "crescendo", "bend"],
        sentence: "{lane}: go from {from} to {to}, {curve}.",
        brief: "{lane} {from} to {to}",
        explains: "A controller or the pitch bend goes from one value to another over the chosen bars.",
        points: &[
            super::super::point("fade out", r#"{"from": 127, "to": 0}"#),
            super::super::point("fade in", r#"{"from": 0, "to": 127}"#),
        ],
        settings: &[
            LANE,
            Setting::new("from", "from", Values::LaneValue),
            Setting::new("to", "to", Values::LaneValue),
            Setting::new("curve", "curve", CURVES),
        ],
    };

    fn lane(&self) -> Option<LaneKind> {
        Some(self.lane)
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, _aimed: &[usize], _dice: &Dice) {
        let ppq = stage.metre.ppq().as_f64();
        for (from, to) in stage.lane_stretches() {
            // Behind the part nothing is left to be drawn.
            let to = to.min(stage.lanes_end());
            if to <= from {
                continue;
            }
            let span = (to - from).max(1.0);
            let line = |tick: f64| self.from + self.curve.at((tick - from) / span) * (self.to - self.from);
            let mut steps = stepped(from, to, ppq, line);
            // Its end is reached before the next thing begins.
            let last = (to - 1.0).max(from).round();
            if steps.last().is_some_and(|step| step.1 != self.to.round() && step.0 < last) {
                steps.push((last, self.to.round()));
            }
            stage.redraw(self.lane, from, to, &steps);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::part::lane::Lane;
    use crate::perform::testing::{play_lane, sixteenths};
    use crate::recipe::action::Action;

    #[test]
    fn a_fade_goes_evenly_and_ends_where_it_should() {
        let fade = LaneRamp { from: 127.0, to: 0.0, ..LaneRamp::default() };
        // One bar of 3840 ticks.
        let lane = play_lane(&sixteenths(&[100; 16]), Lane::empty(LaneKind::EXPRESSION), Action::LaneRamp(fade));
        assert_eq!((lane.at(0.0), lane.at(1920.0), lane.at(3839.0), lane.at(9999.0)), (127.0, 64.0, 0.0, 0.0));
        assert_eq!(lane.len(), 128, "one for each value");
        assert!(lane.values().windows(2).all(|pair| pair[0] > pair[1]));
    }
}
