//! Actions on lanes: lines drawn, ramped, scaled, smoothed, thinned, and lines that follow the hits.

mod anchor;
mod follow;
mod line;
mod offset;
mod ramp;
mod scale;
mod smooth;
mod thin;

pub use anchor::LaneAnchor;
pub use follow::{LaneFollow, LaneFollows};
pub use line::{LaneLine, LanePoint, LaneWay};
pub use offset::LaneOffset;
pub use ramp::LaneRamp;
pub use scale::LaneScale;
pub use smooth::LaneSmooth;
pub use thin::LaneThin;

use super::{Setting, Values};
use crate::part::lane::{Lane, LaneKind};
use crate::perform::Stage;

/// The setting that says which lane.
const LANE: Setting = Setting::new("lane", "lane", Values::Lane);

/// The stage's own lane of a kind, where it has any values; else it says that there is none.
fn existing<'s>(stage: &'s mut Stage<'_>, kind: LaneKind) -> Option<&'s mut Lane> {
    if !stage.has_lane(kind) {
        stage.say(format!("The part has no {}: there is nothing to change.", kind.name()));
        return None;
    }
    Some(stage.lane(kind))
}

/// As many steps a quarter note as a drawn line has at most: about 16 ms at 120 bpm.
const STEPS: f64 = 32.0;

/// A line from `from` to `to` in steps, worked out at each, without those that round to the one before.
fn stepped(from: f64, to: f64, ppq: f64, line: impl Fn(f64) -> f64) -> Vec<(f64, f64)> {
    let step = ppq / STEPS;
    let count = ((to - from) / step).ceil().max(1.0);
    // A line over hours is not finer than it can be heard.
    let (count, step) = if count > 200_000.0 { (200_000.0, (to - from) / 200_000.0) } else { (count, step) };
    let mut last = f64::NAN;
    (0..count as usize)
        .map(|place| from + place as f64 * step)
        .map(|tick| (tick.round(), line(tick).round()))
        .filter(|&(_, value)| std::mem::replace(&mut last, value) != value)
        .collect()
}
