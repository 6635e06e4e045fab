use super::super::{Act, ActionFamily, ActionInfo, Setting, Values};
use super::{LANE, existing};
use crate::part::lane::{Lane, LaneKind};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Leaves out the values that a line does not need: the algorithm of Ramer (1972, Computer Graphics and Image
/// Processing 1: 244) and of Douglas and Peucker (1973, Cartographica 10: 112), with the error measured in values. A
/// straight line between what is left is nowhere further than `within` from what was there.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct LaneThin {
    /// Which.
    pub lane: LaneKind,
    /// 0 to 127, or to 2000 for the bend.
    pub within: f64,
}

impl Default for LaneThin {
    fn default() -> LaneThin {
        LaneThin { lane: LaneKind::EXPRESSION, within: 1.0 }
    }
}

/// So many values are thinned together: no line, however made, takes longer than their square.
const AT_ONCE: usize = 4096;

/// Which of some values are needed, and how far the line between them is from what was there at most.
fn needed(ticks: &[f64], values: &[f64], within: f64) -> (Vec<bool>, f64) {
    let mut keep = vec![false; ticks.len()];
    let mut error = 0.0f64;
    let mut open = Vec::new();
    for from in (0..ticks.len()).step_by(AT_ONCE) {
        let to = (from + AT_ONCE).min(ticks.len() - 1);
        keep[from] = true;
        keep[to] = true;
        open.push((from, to));
    }
    while let Some((from, to)) = open.pop() {
        let (t0, v0) = (ticks[from], values[from]);
        let slope = if ticks[to] > t0 { (values[to] - v0) / (ticks[to] - t0) } else { 0.0 };
        let mut worst = (0.0f64, from);
        for place in from + 1..to {
            let off = (values[place] - (v0 + slope * (ticks[place] - t0))).abs();
            if off > worst.0 {
                worst = (off, place);
            }
        }
        if worst.0 > within {
            keep[worst.1] = true;
            open.extend([(from, worst.1), (worst.1, to)]);
        } else {
            error = error.max(worst.0);
        }
    }
    (keep, error)
}

/// How far a line that holds its values is from another at most.
fn as_steps(before: &Lane, after: &[(f64, f64)]) -> f64 {
    let mut next = 0;
    let mut error = 0.0f64;
    for (&tick, &value) in before.ticks().iter().zip(before.values()) {
        while next < after.len() && after[next].0 <= tick {
            next += 1;
        }
        error = error.max(next.checked_sub(1).map_or(0.0, |place| (after[place].1 - value).abs()));
    }
    error
}

impl Act for LaneThin {
    const INFO: ActionInfo = ActionInfo {
        kind: "lane-thin",
        title: "Thin",
        family: ActionFamily::Lanes,
        words: &["controller", "reduce", "fewer", "clean", "pedal", "line", "density"],
        sentence: "{lane}: leave out what keeps the line within {within}.",
        brief: "{lane} within {within}",
        explains: "Fewer values for the same line: those that make no difference are left out.",
        points: &[],
        settings: &[LANE, Setting::new("within", "within", Values::number(0.0, 2000.0, 1.0, "", Some(0.0)))],
    };

    fn lane(&self) -> Option<LaneKind> {
        Some(self.lane)
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, _aimed: &[usize], _dice: &Dice) {
        if self.within <= 0.0 {
            return;
        }
        let stretches = stage.lane_stretches();
        let Some(lane) = existing(stage, self.lane) else { return };
        let (mut left, mut all, mut line, mut steps) = (0, 0, 0.0f64, 0.0f64);
        for (from, to) in stretches {
            let range = lane.within(from, to);
            if range.len() < 3 {
                (left, all) = (left + range.len(), all + range.len());
                continue;
            }
            let (ticks, values) = (&lane.ticks()[range.clone()], &lane.values()[range]);
            let (keep, error) = needed(ticks, values, self.within);
            let pairs = || ticks.iter().copied().zip(values.iter().copied());
            let new: Vec<(f64, f64)> = pairs().zip(&keep).filter(|one| *one.1).map(|one| one.0).collect();
            steps = steps.max(as_steps(&Lane::new(self.lane, pairs().collect()), &new));
            line = line.max(error);
            (left, all) = (left + new.len(), all + ticks.len());
            lane.replace(from, to, &new);
        }
        stage.count_values(self.lane, all - left);
        stage.say(format!(
            "{left} of {all} values are left; a line between them is at most {line:.1} off, steps at most {steps:.0}."
        ));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_straight_line_needs_its_ends_alone() {
        let ticks: Vec<f64> = (0..1000).map(f64::from).collect();
        let values: Vec<f64> = ticks.iter().map(|tick| (tick / 8.0).round()).collect();
        let (keep, error) = needed(&ticks, &values, 1.0);
        assert_eq!(keep.iter().filter(|keep| **keep).count(), 2);
        assert!(error <= 1.0);
    }

    #[test]
    fn many_values_on_one_tick_and_the_worst_line_are_thinned_in_time() {
        let ticks = vec![7.0; 1000];
        let values: Vec<f64> = (0..1000).map(|place| f64::from(place % 128)).collect();
        assert!(needed(&ticks, &values, 1.0).0.iter().any(|keep| !keep));
        // Steeper and steeper: the farthest is always near an end.
        let ticks: Vec<f64> = (0..100_000).map(f64::from).collect();
        let values: Vec<f64> = ticks.iter().map(|tick| (tick / 100_000.0).powi(40) * 127.0).collect();
        assert!(needed(&ticks, &values, 0.0001).1 <= 0.0001);
    }
}
