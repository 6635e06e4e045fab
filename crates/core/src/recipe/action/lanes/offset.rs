use super::super::{Act, ActionFamily, ActionInfo, Setting, Values};
use super::{LANE, existing};
use crate::part::lane::LaneKind;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Moves a line up or down: v := v + by.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct LaneOffset {
    /// Which.
    pub lane: LaneKind,
    /// As far as the lane is wide: −127 to 127, or −16383 to 16383 for the bend.
    pub by: f64,
}

impl Default for LaneOffset {
    fn default() -> LaneOffset {
        LaneOffset { lane: LaneKind::EXPRESSION, by: 10.0 }
    }
}

impl Act for LaneOffset {
    const INFO: ActionInfo = ActionInfo {
        kind: "lane-offset",
        title: "Offset",
        family: ActionFamily::Lanes,
        words: &["controller", "expression", "volume", "raise", "lower", "shift", "line"],
        sentence: "{lane}: move by {by}.",
        brief: "{lane} {by}",
        explains: "A controller's line higher or lower.",
        points: &[],
        settings: &[LANE, Setting::new("by", "by", Values::LaneChange)],
    };

    fn lane(&self) -> Option<LaneKind> {
        Some(self.lane)
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, _aimed: &[usize], _dice: &Dice) {
        if self.by == 0.0 {
            return;
        }
        let stretches = stage.lane_stretches();
        let Some(lane) = existing(stage, self.lane) else { return };
        let changed = stretches.into_iter().map(|(from, to)| lane.change(from, to, |value| value + self.by)).sum();
        stage.count_values(self.lane, changed);
    }
}
