use super::super::{Act, ActionFamily, ActionInfo, Setting, Values};
use super::LANE;
use crate::part::lane::LaneKind;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::Carrier;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What a lane follows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum LaneFollows {
    /// How hard each hit is struck.
    #[default]
    Velocity,
    /// How many hits there are around each, next to the busiest place.
    Density,
    /// The level that the hits rise and fall with: the mean velocity around each.
    Level,
}

/// Makes a lane from the aimed hits: a value at each, from `from` to `to`.
///
/// With s from 0 to 1 the value is from + s·(to − from): s = (velocity − 1)/126 of the hit itself, or of the mean
/// velocity within a bar's half to either side; or the number of hits there over that of the busiest place. Of hits struck at once
/// the hardest counts. What a hit wants is there `before` ms earlier, but not before the hit in front of it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct LaneFollow {
    /// Which.
    pub lane: LaneKind,
    /// What it follows.
    pub of: LaneFollows,
    /// Where the hits are softest or fewest.
    pub from: f64,
    /// Where they are hardest or most.
    pub to: f64,
    /// 0 to 200 ms.
    pub before: crate::base::units::Millis,
}

impl Default for LaneFollow {
    fn default() -> LaneFollow {
        let before = crate::base::units::Millis(10.0);
        LaneFollow { lane: LaneKind::PEDAL, of: LaneFollows::Velocity, from: 127.0, to: 0.0, before }
    }
}

impl Act for LaneFollow {
    const INFO: ActionInfo = ActionInfo {
        kind: "lane-follow",
        title: "Follow",
        family: ActionFamily::Lanes,
        words: &["pedal", "openness", "hat", "open", "controller", "velocity", "density", "expression", "dynamics"],
        sentence: "{lane}: follow {of}, from {from} to {to}[, {before} before each hit].",
        brief: "{lane} {from} to {to}",
        explains: "A controller made from the hits: the hat opens as it is struck harder.",
        points: &[super::super::point("openness", "{}"), super::super::point("open hat", "{}")],
        settings: &[
            LANE,
            Setting::new(
                "of",
                "what it follows",
                Values::Choice {
                    options: &[
                        ("velocity", "how hard each hit is struck"),
                        ("density", "how many hits there are"),
                        ("level", "how the hits rise and fall"),
                    ],
                },
            ),
            Setting::new("from", "from", Values::LaneValue),
            Setting::new("to", "to", Values::LaneValue),
            Setting::new("before", "before", Values::number(0.0, 200.0, 1.0, "ms", None)).quiet(10.0),
        ],
    };

    fn lane(&self) -> Option<LaneKind> {
        Some(self.lane)
    }

    fn names(&mut self, _: &mut dyn Carrier) {}

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        let aimed: Vec<usize> = aimed.iter().copied().filter(|&index| !stage.is_silenced(index)).collect();
        let mut hits: Vec<(f64, f64)> =
            aimed.iter().map(|&index| (stage.onset[index], stage.velocity[index])).collect();
        hits.sort_by(|a, b| a.0.total_cmp(&b.0).then(b.1.total_cmp(&a.1)));
        hits.dedup_by_key(|hit| hit.0);
        let (Some(first), Some(last)) = (hits.first().copied(), hits.last().copied()) else { return };
        let half = 2.0 * stage.metre.ppq().as_f64();
        let around = |tick: f64| {
            let from = hits.partition_point(|hit| hit.0 < tick - half);
            &hits[from..hits.partition_point(|hit| hit.0 <= tick + half)]
        };
        let busiest = match self.of {
            LaneFollows::Density => hits.iter().map(|hit| around(hit.0).len()).max().unwrap_or(1) as f64,
            _ => 1.0,
        };
        let sums: Vec<f64> = std::iter::once(0.0)
            .chain(hits.iter().scan(0.0, |sum, hit| {
                *sum += hit.1;
                Some(*sum)
            }))
            .collect();
        let level = |tick: f64| {
            let from = hits.partition_point(|hit| hit.0 < tick - half);
            let to = hits.partition_point(|hit| hit.0 <= tick + half);
            (sums[to] - sums[from]) / (to - from) as f64
        };
        let share = |&(tick, velocity): &(f64, f64)| match self.of {
            LaneFollows::Velocity => (velocity - 1.0) / 126.0,
            LaneFollows::Level => (level(tick) - 1.0) / 126.0,
            LaneFollows::Density => around(tick).len() as f64 / busiest,
        };
        let early = stage.tempo.ticks_of(self.before, crate::Ticks(first.0)).0;
        let mut front = f64::NEG_INFINITY;
        let values: Vec<(f64, f64)> = hits
            .iter()
            .map(|hit| {
                let tick = (hit.0 - early).max(front + 1.0).min(hit.0).max(0.0).round();
                front = hit.0;
                (tick, self.from + share(hit).clamp(0.0, 1.0) * (self.to - self.from))
            })
            .collect();
        let begins = values[0].0;
        stage.redraw(self.lane, begins, last.0 + 1.0, &values);
        // It is made where the hits are played: nothing is left to carry.
        stage.made_for_played(self.lane);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::part::lane::Lane;
    use crate::perform::testing::{play_lane, sixteenths};
    use crate::recipe::action::Action;

    #[test]
    fn the_hat_opens_as_it_is_struck_harder() {
        let lane = play_lane(
            &sixteenths(&[1, 64, 127, 64]),
            Lane::empty(LaneKind::PEDAL),
            Action::LaneFollow(LaneFollow::default()),
        );
        // 10 ms before each at 120 bpm: 19 ticks.
        assert_eq!(lane.ticks(), [0.0, 221.0, 461.0, 701.0]);
        assert_eq!(lane.values(), [127.0, 64.0, 0.0, 64.0]);
    }
}
