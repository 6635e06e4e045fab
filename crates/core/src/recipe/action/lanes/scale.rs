use super::super::{Act, ActionFamily, ActionInfo, Setting, Values};
use super::{LANE, existing};
use crate::base::units::Percent;
use crate::part::lane::LaneKind;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Widens or narrows a line about a value: v := about + (v − about)·scale/100.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct LaneScale {
    /// Which.
    pub lane: LaneKind,
    /// 0 to 400 %.
    pub scale: Percent,
    /// What stays as it is.
    pub about: f64,
}

impl Default for LaneScale {
    fn default() -> LaneScale {
        LaneScale { lane: LaneKind::EXPRESSION, scale: Percent(80.0), about: 0.0 }
    }
}

impl Act for LaneScale {
    const INFO: ActionInfo = ActionInfo {
        kind: "lane-scale",
        title: "Scale",
        family: ActionFamily::Lanes,
        words: &["controller", "expression", "volume", "compress", "expand", "range", "line"],
        sentence: "{lane}: scale to {scale} about {about}.",
        brief: "{lane} {scale}",
        explains: "A controller's line wider or narrower about a value.",
        points: &[],
        settings: &[
            LANE,
            Setting::new("scale", "scale", Values::number(0.0, 400.0, 1.0, "%", Some(100.0))),
            Setting::new("about", "about", Values::LaneValue),
        ],
    };

    fn lane(&self) -> Option<LaneKind> {
        Some(self.lane)
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, _aimed: &[usize], _dice: &Dice) {
        if self.scale.0 == 100.0 {
            return;
        }
        let (about, scale) = (self.about, self.scale.factor());
        let stretches = stage.lane_stretches();
        let Some(lane) = existing(stage, self.lane) else { return };
        let changed = stretches
            .into_iter()
            .map(|(from, to)| lane.change(from, to, |value| about + (value - about) * scale))
            .sum();
        stage.count_values(self.lane, changed);
    }
}
