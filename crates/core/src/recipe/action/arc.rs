use super::{Act, ActionFamily, ActionInfo, Setting, Values, point};
use crate::base::units::{Percent, Ticks};
use crate::perform::Stage;
use crate::perform::dice::Dice;
use crate::recipe::names::{Carrier, Named};
use crate::time::metre::MetreMap;
use crate::time::section::Section;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// How an arc gets from one of its points to the next.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum ArcLine {
    /// In straight lines.
    #[default]
    Straight,
    /// In curves that never go beyond either point.
    Smooth,
}

/// What an arc does where one section meets another.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum ArcSections {
    /// Jumps: each section has a line of its own through the points that lie in it.
    #[default]
    Apart,
    /// Goes on as if there were no sections.
    Joined,
}

/// One point of an arc.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct ArcPoint {
    /// From 1, the first bar line: 4.5 is the middle of bar 4.
    pub bar: f64,
    /// −64 to 64: so much louder there.
    pub by: f64,
}

/// How loud the song is over its bars: v += amount · line(bar).
///
/// The line goes through the points, straight or smooth (monotone cubic: Fritsch and Carlson 1980, SIAM J.
/// Numer. Anal. 17: 238), and is level before the first and behind the last. Where sections are apart, each has the line of its own points; one without
/// points is left alone. All hits of one moment get the same, so the differences between neighbours stay.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields, default)]
pub struct Arc {
    /// In order, at most 256. Without any the arc changes nothing.
    pub points: Vec<ArcPoint>,
    /// Straight or smooth.
    pub line: ArcLine,
    /// Whether it jumps where sections meet.
    pub sections: ArcSections,
    /// 0 to 200 %.
    pub amount: Percent,
}

impl Default for Arc {
    fn default() -> Arc {
        Arc { points: Vec::new(), line: ArcLine::Straight, sections: ArcSections::Apart, amount: Percent(100.0) }
    }
}

/// The most points of an arc.
const MOST_POINTS: usize = 256;
/// No song has a later bar line.
const LAST_BAR: f64 = 100_000.0;
/// How far a point goes to either side.
const FARTHEST: f64 = 64.0;

/// A stretch of bars with a line of its own.
struct Span<'a> {
    from: f64,
    points: &'a [ArcPoint],
    /// By how much the line rises a bar at each point, where it is smooth.
    slopes: Vec<f64>,
}

impl Arc {
    /// A beginning for a song that ends with bar `last`: a point for each section, or a few over a song
    /// without any, from 8 softer to 8 louder.
    pub fn over(sections: &[Section], last: u32) -> Arc {
        let last = last.max(1);
        let mut starts: Vec<u32> = sections.iter().map(|section| section.from).filter(|&from| from <= last).collect();
        starts.dedup();
        starts.truncate(MOST_POINTS);
        let spread = |count: usize, place: usize| (16.0 * place as f64 / (count.max(2) - 1) as f64 - 8.0).round();
        let points = if starts.len() > 1 {
            let count = starts.len();
            let at = |(place, from)| ArcPoint { bar: f64::from(from), by: spread(count, place) };
            starts.into_iter().enumerate().map(at).collect()
        } else {
            let end = f64::from(last) + 1.0;
            vec![ArcPoint { bar: 1.0, by: -8.0 }, ArcPoint { bar: end, by: 8.0 }]
        };
        Arc { points, ..Arc::default() }
    }

    fn spans(&self, sections: &[Section]) -> Vec<Span<'_>> {
        let mut starts = vec![1.0];
        if self.sections == ArcSections::Apart {
            let edges = |section: &Section| [f64::from(section.from), f64::from(section.to) + 1.0];
            starts.extend(sections.iter().flat_map(edges));
            starts.sort_by(f64::total_cmp);
            starts.dedup();
        }
        let ends = starts.iter().skip(1).copied().chain([f64::INFINITY]);
        let place = |bar| self.points.partition_point(|point| point.bar < bar);
        let span = |(&from, to)| {
            let points = &self.points[place(from)..place(to)];
            Span { from, points, slopes: if self.line == ArcLine::Smooth { slopes(points) } else { Vec::new() } }
        };
        starts.iter().zip(ends).map(span).collect()
    }

    /// The line from bar 1 on, as \[bar, by\] in order; at a jump there are two of one bar. Behind the last it is
    /// level.
    fn drawn(&self, sections: &[Section]) -> Vec<[f64; 2]> {
        let spans = self.spans(sections);
        let ends = spans.iter().skip(1).map(|span| span.from).chain([f64::INFINITY]);
        let mut drawn = Vec::new();
        for (span, to) in spans.iter().zip(ends) {
            let mut bars = vec![span.from];
            for pair in span.points.windows(2) {
                let steps = if self.line == ArcLine::Smooth { 12 } else { 1 };
                let step = (pair[1].bar - pair[0].bar) / f64::from(steps);
                bars.extend((0..steps).map(|at| pair[0].bar + f64::from(at) * step));
            }
            bars.extend(span.points.last().map(|point| point.bar));
            if to.is_finite() {
                bars.push(to);
            }
            bars.dedup();
            drawn.extend(bars.into_iter().map(|bar| [bar, self.amount.factor() * span.at(bar)]));
        }
        drawn
    }
}

/// How steep the line is at each point, so that it rises and falls only where the points do.
fn slopes(points: &[ArcPoint]) -> Vec<f64> {
    let secant = |pair: &[ArcPoint]| (pair[1].by - pair[0].by) / (pair[1].bar - pair[0].bar);
    let secants: Vec<f64> = points.windows(2).map(secant).collect();
    let at = |place: usize| {
        let before = place.checked_sub(1).and_then(|place| secants.get(place));
        match (before, secants.get(place)) {
            // The harmonic mean lies near the flatter of the two.
            (Some(&a), Some(&b)) if a * b > 0.0 => 2.0 * a * b / (a + b),
            (Some(_), Some(_)) | (None, None) => 0.0,
            (Some(&only), None) | (None, Some(&only)) => only,
        }
    };
    (0..points.len()).map(at).collect()
}

impl Span<'_> {
    fn at(&self, bar: f64) -> f64 {
        let next = self.points.partition_point(|point| point.bar <= bar);
        let (Some(a), Some(b)) = (next.checked_sub(1).map(|place| self.points[place]), self.points.get(next)) else {
            let level = self.points.get(next).or(self.points.last());
            return level.map_or(0.0, |point| point.by);
        };
        let width = b.bar - a.bar;
        let u = (bar - a.bar) / width;
        let Some(rise) = self.slopes.get(next - 1..=next) else { return a.by + u * (b.by - a.by) };
        let v = 1.0 - u;
        v * v * ((1.0 + 2.0 * u) * a.by + u * width * rise[0]) + u * u * ((1.0 + 2.0 * v) * b.by - v * width * rise[1])
    }
}

/// Where a position lies, counted in bars from 1.
fn bar_place(metre: &MetreMap, at: Ticks) -> f64 {
    let bar = metre.bar_at(at);
    f64::from(bar.number) + ((at.0 - bar.start.0) / bar.length.0).clamp(0.0, 1.0)
}

impl Act for Arc {
    const INFO: ActionInfo = ActionInfo {
        kind: "arc",
        title: "Arc",
        family: ActionFamily::Touch,
        words: &[
            "dynamics",
            "automation",
            "song",
            "sections",
            "verse",
            "chorus",
            "build",
            "intensity",
            "louder",
            "velocity",
        ],
        sentence: "follow this line over the song, {line} from point to point, {sections}[, at {amount}]: {points}",
        brief: "{points}",
        explains: "How loud the song is over its bars, drawn on the song strip.",
        points: &[point("arc", "{}"), point("chorus", "{}")],
        settings: &[
            Setting::new("points", "points", Values::Line { min: -FARTHEST, max: FARTHEST }),
            Setting::new("line", "line", Values::Choice { options: &[("straight", "straight"), ("smooth", "smooth")] }),
            Setting::new(
                "sections",
                "sections",
                Values::Choice { options: &[("apart", "each section by itself"), ("joined", "across sections")] },
            ),
            Setting::new("amount", "amount", Values::number(0.0, 200.0, 1.0, "%", Some(0.0))).quiet(100.0),
        ],
    };

    fn check(&self) -> Result<(), (String, String)> {
        if self.points.len() > MOST_POINTS {
            let message = format!("{} points are more than the {MOST_POINTS} of an arc", self.points.len());
            return Err(("points".to_owned(), message));
        }
        let mut before = f64::NEG_INFINITY;
        for (place, point) in self.points.iter().enumerate() {
            let wrong = |field: &str, message: String| Err((format!("points[{place}].{field}"), message));
            if !(1.0..=LAST_BAR).contains(&point.bar) {
                return wrong("bar", format!("{} is outside 1 to {LAST_BAR}", point.bar));
            }
            if point.bar <= before {
                return wrong("bar", format!("bar {} is not after bar {before}: points go in order", point.bar));
            }
            if !(-FARTHEST..=FARTHEST).contains(&point.by) {
                return wrong("by", format!("{} is outside -{FARTHEST} to {FARTHEST}", point.by));
            }
            before = point.bar;
        }
        Ok(())
    }

    fn names(&mut self, by: &mut dyn Carrier) {
        self.points.retain_mut(|ArcPoint { bar, by: _ }| by.take(Named::Place(bar)));
        self.points.sort_by(|a, b| a.bar.total_cmp(&b.bar));
        self.points.dedup_by(|a, b| a.bar == b.bar);
    }

    fn act(&self, stage: &mut Stage<'_>, aimed: &[usize], _dice: &Dice) {
        if self.points.is_empty() {
            return;
        }
        let spans = self.spans(stage.sections);
        for &index in aimed {
            let bar = bar_place(stage.metre, stage.anchor(index));
            let span = spans.partition_point(|span| span.from <= bar) - 1;
            stage.velocity[index] += self.amount.factor() * spans[span].at(bar);
        }
    }

    fn line(&self, stage: &Stage<'_>) -> Option<Vec<[f64; 2]>> {
        Some(self.drawn(stage.sections))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn points(all: &[(f64, f64)]) -> Vec<ArcPoint> {
        all.iter().map(|&(bar, by)| ArcPoint { bar, by }).collect()
    }

    fn section(name: &str, from: u32, to: u32) -> Section {
        Section { name: name.to_owned(), from, to }
    }

    fn at(arc: &Arc, sections: &[Section], bar: f64) -> f64 {
        let spans = arc.spans(sections);
        spans[spans.partition_point(|span| span.from <= bar) - 1].at(bar)
    }

    #[test]
    fn a_line_goes_through_its_points_and_is_level_beyond() {
        for line in [ArcLine::Straight, ArcLine::Smooth] {
            let arc = Arc { points: points(&[(3.0, -10.0), (5.0, 10.0), (9.0, 0.0)]), line, ..Arc::default() };
            let bars = [1.0, 3.0, 4.0, 5.0, 9.0, 40.0];
            let [before, first, half, second, last, behind] = bars.map(|bar| at(&arc, &[], bar));
            assert_eq!((before, first, second, last, behind), (-10.0, -10.0, 10.0, 0.0, 0.0));
            assert!(half.abs() < 3.0, "{half}");
        }
    }

    #[test]
    fn a_smooth_line_never_goes_beyond_its_points() {
        let arc = Arc {
            points: points(&[(1.0, 0.0), (2.0, 0.0), (3.0, 30.0), (8.0, 31.0), (9.0, -5.0)]),
            line: ArcLine::Smooth,
            ..Arc::default()
        };
        let drawn = arc.drawn(&[]);
        for pair in arc.points.windows(2) {
            let within = drawn.iter().filter(|[bar, _]| (pair[0].bar..=pair[1].bar).contains(bar));
            let (low, high) = (pair[0].by.min(pair[1].by), pair[0].by.max(pair[1].by));
            within.for_each(|[bar, by]| assert!((low - 1e-9..=high + 1e-9).contains(by), "{by} in bar {bar}"));
        }
    }

    #[test]
    fn sections_jump_unless_they_are_joined() {
        let sections = [section("Verse", 1, 4), section("Chorus", 5, 8)];
        let mut arc = Arc { points: points(&[(1.0, -10.0), (5.0, 10.0)]), ..Arc::default() };
        assert_eq!((at(&arc, &sections, 4.99), at(&arc, &sections, 5.0)), (-10.0, 10.0));
        assert_eq!(at(&arc, &sections, 9.0), 0.0, "where there is no point, nothing is changed");
        assert_eq!(arc.drawn(&sections), [[1.0, -10.0], [5.0, -10.0], [5.0, 10.0], [9.0, 10.0], [9.0, 0.0]]);
        arc.sections = ArcSections::Joined;
        assert_eq!(at(&arc, &sections, 3.0), 0.0);
        assert_eq!(arc.drawn(&sections), [[1.0, -10.0], [5.0, 10.0]]);
    }

    #[test]
    fn it_begins_with_a_point_for_each_section() {
        let sections = [section("Intro", 1, 4), section("Verse", 5, 12), section("Chorus", 13, 20)];
        assert_eq!(Arc::over(&sections, 20).points, points(&[(1.0, -8.0), (5.0, 0.0), (13.0, 8.0)]));
        assert_eq!(Arc::over(&[], 20).points, points(&[(1.0, -8.0), (21.0, 8.0)]));
    }

    #[test]
    fn points_out_of_order_are_refused_by_name() {
        let refused = |all: &[(f64, f64)]| Arc { points: points(all), ..Arc::default() }.check().unwrap_err().0;
        assert_eq!(refused(&[(2.0, 0.0), (2.0, 1.0)]), "points[1].bar");
        assert_eq!(refused(&[(0.5, 0.0)]), "points[0].bar");
        assert_eq!(refused(&[(1.0, 65.0)]), "points[0].by");
        assert_eq!(refused(&[(f64::NAN, 0.0)]), "points[0].bar");
    }
}
