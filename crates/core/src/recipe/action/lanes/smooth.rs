use super::super::{Act, ActionFamily, ActionInfo, Setting, Values};
use super::{LANE, existing};
use crate::base::units::Millis;
use crate::part::lane::{Lane, LaneKind};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Calms a nervous line: each value becomes the mean of what the line holds within half of `over` to either side, in
/// time.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct LaneSmooth {
    /// Which.
    pub lane: LaneKind,
    /// 0 to 2000 ms.
    pub over: Millis,
}

impl Default for LaneSmooth {
    fn default() -> LaneSmooth {
        LaneSmooth { lane: LaneKind::EXPRESSION, over: Millis(100.0) }
    }
}

/// The mean of a line around each of some of its places, given where they are in s.
fn means(lane: &Lane, seconds: &[f64], over: f64) -> Vec<f64> {
    // The sum of what it holds from the first value up to each.
    let mut sums = Vec::with_capacity(seconds.len());
    let mut sum = 0.0;
    for (place, second) in seconds.iter().enumerate() {
        if place > 0 {
            sum += lane.values()[place - 1] * (second - seconds[place - 1]);
        }
        sums.push(sum);
    }
    // Both ends of the window only go forward.
    let until = |second: f64, place: &mut usize| {
        *place += seconds[*place + 1..].iter().take_while(|&&one| one <= second).count();
        sums[*place] + lane.values()[*place] * (second - seconds[*place])
    };
    let (mut start, mut end) = (0, 0);
    let first = seconds.first().copied().unwrap_or_default();
    let mean = |(&at, &value): (&f64, &f64)| {
        let (from, to) = ((at - over / 2.0).max(first), at + over / 2.0);
        // Of next to no time the mean is what holds there.
        if to - from > 1e-9 { (until(to, &mut end) - until(from, &mut start)) / (to - from) } else { value }
    };
    seconds.iter().zip(lane.values()).map(mean).collect()
}

impl Act for LaneSmooth {
    const INFO: ActionInfo = ActionInfo {
        kind: "lane-smooth",
        title: "Smooth",
        family: ActionFamily::Lanes,
        words: &["controller", "pedal", "clean", "nervous", "average", "filter", "line"],
        sentence: "{lane}: smooth over {over}.",
        brief: "{lane} {over}",
        explains: "A nervous controller calmed: every value the mean of what is around it.",
        points: &[],
        settings: &[LANE, Setting::new("over", "over", Values::number(0.0, 2000.0, 5.0, "ms", Some(0.0)))],
    };

    fn lane(&self) -> Option<LaneKind> {
        Some(self.lane)
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, _aimed: &[usize], _dice: &Dice) {
        if self.over.0 <= 0.0 {
            return;
        }
        let (stretches, tempo) = (stage.lane_stretches(), stage.tempo);
        let Some(lane) = existing(stage, self.lane) else { return };
        let seconds: Vec<f64> = lane.ticks().iter().map(|&tick| tempo.seconds(crate::Ticks(tick))).collect();
        let means = means(lane, &seconds, self.over.0 / 1000.0);
        let mut changed = 0;
        for (from, to) in stretches {
            let range = lane.within(from, to);
            changed += range.len();
            lane.revalue(range.clone(), &means[range]);
        }
        stage.count_values(self.lane, changed);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::perform::testing::{play_lane, sixteenths};
    use crate::recipe::action::Action;

    #[test]
    fn a_nervous_line_comes_to_rest() {
        // Every 10 ms, 19.2 ticks at 120 bpm: 60 and 80 in turn.
        let nervous = (0..200).map(|place| (19.2 * f64::from(place), if place % 2 == 0 { 60.0 } else { 80.0 }));
        let lane = Lane::new(LaneKind::PEDAL, nervous.collect());
        let smooth = LaneSmooth { lane: LaneKind::PEDAL, over: Millis(100.0) };
        let calm = play_lane(&sixteenths(&[100; 16]), lane, Action::LaneSmooth(smooth));
        assert!([1000.0, 2000.0, 3000.0].iter().all(|&tick| (calm.at(tick) - 70.0).abs() <= 1.0), "{calm:?}");
        assert!(calm.len() < 30, "{}", calm.len());
    }
}
