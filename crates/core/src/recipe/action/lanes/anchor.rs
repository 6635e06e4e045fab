use super::super::{Act, ActionFamily, ActionInfo, Setting, Values};
use super::LANE;
use crate::part::lane::{GoesWith, LaneKind};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Says whether a lane goes with the hits when passes move them, or stays where it is in time. Without it the hat's
/// pedal and the pressure on a note go with the hits, and everything else stays.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct LaneAnchor {
    /// Which.
    pub lane: LaneKind,
    /// With what.
    pub to: GoesWith,
}

impl Default for LaneAnchor {
    fn default() -> LaneAnchor {
        LaneAnchor { lane: LaneKind::EXPRESSION, to: GoesWith::Hits }
    }
}

impl Act for LaneAnchor {
    const INFO: ActionInfo = ActionInfo {
        kind: "lane-anchor",
        title: "Anchor",
        family: ActionFamily::Lanes,
        words: &["controller", "follow", "attach", "timing", "line", "stay"],
        sentence: "{lane}: {to}.",
        brief: "{lane}",
        explains: "Whether a controller's line moves with the hits or stays where it is.",
        points: &[],
        settings: &[
            LANE,
            Setting::new(
                "to",
                "goes with",
                Values::Choice { options: &[("hits", "go with the hits"), ("time", "stay where it is")] },
            ),
        ],
    };

    fn lane(&self) -> Option<LaneKind> {
        Some(self.lane)
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, _aimed: &[usize], _dice: &Dice) {
        stage.anchor_lane(self.lane, self.to);
    }
}
