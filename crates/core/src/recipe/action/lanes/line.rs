use super::super::{Act, ActionFamily, ActionInfo, Setting, Values};
use super::{LANE, stepped};
use crate::base::units::Ticks;
use crate::part::lane::LaneKind;
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::{Carrier, Named};
use crate::time::metre::MetreMap;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// How a drawn line gets from a point to the next.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum LaneWay {
    /// In a straight line.
    #[default]
    Straight,
    /// In a curve that leaves and arrives level: u²·(3 − 2u).
    Curved,
    /// It holds, and jumps.
    Stepped,
}

/// A point of a drawn line.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct LanePoint {
    /// From 1, the first bar line: 4.5 is the middle of bar 4.
    pub bar: f64,
    /// In the lane's range.
    pub value: f64,
    /// How it goes on from here.
    #[serde(default)]
    pub way: LaneWay,
}

/// A line drawn with points. From the first to the last it stands in the place of what was there; behind the last its
/// value holds until the lane's next one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct LaneLine {
    /// Which.
    pub lane: LaneKind,
    /// In order, at most 4096. Without any nothing is drawn.
    pub points: Vec<LanePoint>,
}

impl Default for LaneLine {
    fn default() -> LaneLine {
        LaneLine { lane: LaneKind::EXPRESSION, points: Vec::new() }
    }
}

impl LaneLine {
    /// A line through values, each held up to the next. Of more than 1000 those are left out that change the least:
    /// what is held is then so much off at most. Nothing where there are none.
    pub(crate) fn stepped(lane: LaneKind, values: Vec<(f64, f64)>, metre: &MetreMap) -> Option<LaneLine> {
        let (least, most) = lane.range();
        let mut near = 0.0;
        let mut kept = values;
        loop {
            let mut last = f64::NAN;
            kept.retain(|&(_, value)| {
                let changes = last.is_nan() || (value - last).abs() > near;
                last = if changes { value } else { last };
                changes
            });
            if kept.len() <= MOST_RECORDED {
                break;
            }
            near = f64::max(2.0 * near, (most - least) / 127.0);
        }
        let point = |(tick, value): (f64, f64)| {
            let bar = metre.bar_at(Ticks(tick));
            let place = f64::from(bar.number) + (tick - bar.start.0) / bar.length.0;
            LanePoint { bar: place.max(1.0), value, way: LaneWay::Stepped }
        };
        let points: Vec<LanePoint> = kept.into_iter().map(point).collect();
        (!points.is_empty()).then_some(LaneLine { lane, points })
    }
}

impl LaneLine {
    /// This line with another one in the place of its points there; nothing where they are too many.
    pub(crate) fn with(&self, other: &LaneLine) -> Option<LaneLine> {
        let (first, last) = (other.points.first()?.bar, other.points.last()?.bar);
        let outside = |wanted: fn(f64, f64) -> bool, end: f64| {
            self.points.iter().copied().filter(move |point| wanted(point.bar, end))
        };
        let points = outside(|bar, first| bar < first, first).chain(other.points.iter().copied());
        let points: Vec<LanePoint> = points.chain(outside(|bar, last| bar > last, last)).collect();
        (points.len() <= MOST).then_some(LaneLine { lane: self.lane, points })
    }
}

/// The most points of a line that is made of what was recorded.
const MOST_RECORDED: usize = 1000;
/// The most points of a line.
const MOST: usize = 4096;
/// No song has a later bar line.
const LAST_BAR: f64 = 100_000.0;

/// The tick of a place that is counted in bars from 1.
pub(crate) fn tick_of(metre: &MetreMap, bar: f64) -> f64 {
    let whole = metre.bar(bar.floor().max(1.0) as u32);
    whole.start.0 + (bar - bar.floor()) * whole.length.0
}

impl Act for LaneLine {
    const INFO: ActionInfo = ActionInfo {
        kind: "lane-line",
        title: "Line",
        family: ActionFamily::Lanes,
        words: &["draw", "controller", "expression", "volume", "bend", "automation", "points", "curve", "steps"],
        sentence: "{lane}: draw {points}.",
        brief: "{lane} {points}",
        explains: "A controller or the pitch bend, drawn with points in its row.",
        points: &[],
        settings: &[LANE, Setting::new("points", "points", Values::LanePoints)],
    };

    fn check(&self) -> Result<(), (String, String)> {
        let wrong = |at: String, message: String| Err((at, message));
        if self.points.len() > MOST {
            return wrong("points".to_owned(), format!("{} points are more than {MOST}", self.points.len()));
        }
        let (least, most) = self.lane.range();
        for (place, point) in self.points.iter().enumerate() {
            let at = |field: &str| format!("points[{place}].{field}");
            if !(1.0..=LAST_BAR).contains(&point.bar) {
                return wrong(at("bar"), format!("{} is outside 1 to {LAST_BAR}", point.bar));
            }
            if !(least..=most).contains(&point.value) {
                return wrong(at("value"), format!("{} is outside {least} to {most}", point.value));
            }
            if place > 0 && point.bar < self.points[place - 1].bar {
                return wrong(at("bar"), format!("{} is before the point in front of it", point.bar));
            }
        }
        Ok(())
    }

    fn lane(&self) -> Option<LaneKind> {
        Some(self.lane)
    }

    fn names(&mut self, by: &mut dyn Carrier) {
        let LaneLine { lane: _, points } = self;
        points.retain_mut(|LanePoint { bar, value: _, way: _ }| by.take(Named::Place(bar)));
        points.sort_by(|a, b| a.bar.total_cmp(&b.bar));
    }

    fn act(&self, stage: &mut Stage<'_>, _aimed: &[usize], _dice: &Dice) {
        let (Some(first), Some(last)) = (self.points.first(), self.points.last()) else { return };
        let (ppq, metre) = (stage.metre.ppq().as_f64(), stage.metre);
        let mut drawn = Vec::new();
        // Behind the part nothing is left to be drawn, however far its points go.
        let part_end = stage.lanes_end();
        for pair in self.points.windows(2) {
            let [from, to] = [pair[0], pair[1]].map(|point| tick_of(metre, point.bar));
            if from >= part_end {
                break;
            }
            let (a, b) = (pair[0].value, pair[1].value);
            let shown = to.min(part_end);
            match pair[0].way {
                _ if to - from < 1.0 => drawn.push((from.round(), a)),
                LaneWay::Stepped => drawn.push((from.round(), a)),
                LaneWay::Straight => {
                    drawn.extend(stepped(from, shown, ppq, |tick| a + (tick - from) / (to - from) * (b - a)))
                }
                LaneWay::Curved => drawn.extend(stepped(from, shown, ppq, |tick| {
                    let u = (tick - from) / (to - from);
                    a + u * u * (3.0 - 2.0 * u) * (b - a)
                })),
            }
        }
        let end = tick_of(metre, last.bar).round();
        if end <= part_end {
            drawn.push((end, last.value));
        }
        let end = end.min(part_end);
        stage.redraw(self.lane, tick_of(metre, first.bar).round(), end + 1.0, &drawn);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::part::lane::Lane;
    use crate::perform::testing::{play_lane, sixteenths};
    use crate::recipe::action::Action;

    #[test]
    fn ways_from_point_to_point_and_what_holds_around_them() {
        let point = |bar, value, way| LanePoint { bar, value, way };
        let points = vec![
            point(1.25, 0.0, LaneWay::Straight),
            point(1.5, 100.0, LaneWay::Stepped),
            point(1.75, 20.0, LaneWay::Curved),
            point(2.0, 80.0, LaneWay::Straight),
        ];
        let written = Lane::new(LaneKind::EXPRESSION, vec![(0.0, 64.0), (2000.0, 7.0), (5000.0, 3.0)]);
        let line = LaneLine { points, ..LaneLine::default() };
        let lane = play_lane(&sixteenths(&[100; 32]), written, Action::LaneLine(line));
        // A quarter of a bar is 960 ticks.
        let at = [0.0, 960.0, 1440.0, 1920.0, 2800.0, 2880.0, 3360.0, 3840.0, 4999.0, 5000.0];
        assert_eq!(at.map(|tick| lane.at(tick)), [64.0, 0.0, 50.0, 100.0, 100.0, 20.0, 50.0, 80.0, 80.0, 3.0]);
    }

    #[test]
    fn wrong_points_are_named() {
        let refused = |points: &str| {
            let text = format!(r#"{{"kind": "lane-line", "lane": "bend", "points": [{points}]}}"#);
            Action::from_value(serde_json::from_str(&text).unwrap()).unwrap_err().0
        };
        assert_eq!(refused(r#"{"bar": 0, "value": 0}"#), "points[0].bar");
        assert_eq!(refused(r#"{"bar": 2, "value": 9000}"#), "points[0].value");
        assert_eq!(refused(r#"{"bar": 2, "value": 0}, {"bar": 1, "value": 0}"#), "points[1].bar");
    }
}
