//! Bars inserted, repeated, moved and deleted, and what is said of bars carried along.

use crate::part::hit::{Hit, HitId, Part};
use crate::time::bars::{BarMoves, BarRange};
use crate::time::metre::MetreMap;
use crate::time::outline::{MetreFrom, Outline, TempoFrom};
use serde::Deserialize;
use ts_rs::TS;

/// What is done to the bars of a song that was begun here, in all of its parts.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "kebab-case", deny_unknown_fields)]
pub enum BarsEdit {
    /// Empty bars; at the end with the number behind the last bar.
    Insert {
        /// The bar that they come before.
        before: u32,
        /// How many.
        count: u32,
    },
    /// Bars taken out, with what is in them.
    Delete {
        /// Which.
        bars: BarRange,
    },
    /// Bars that go to another place.
    Move {
        /// Which.
        bars: BarRange,
        /// The bar that they come before; at the end with the number behind the last bar.
        before: u32,
    },
    /// Bars once more, right behind themselves.
    Repeat {
        /// Which.
        bars: BarRange,
        /// How many times more.
        times: u32,
    },
}

type Wrong = (String, String);

fn wrong<T>(field: &str, message: String) -> Result<T, Wrong> {
    Err((field.to_owned(), message))
}

impl BarsEdit {
    /// Which bar each one was, in a song of so many bars.
    ///
    /// # Errors
    ///
    /// The field that is wrong, and why.
    pub fn plan(self, bars: u32) -> Result<BarPlan, Wrong> {
        let there = |range: BarRange| match range {
            BarRange { from, to } if from >= 1 && from <= to && to <= bars => Ok(()),
            BarRange { from, to } => wrong("bars", format!("bars {from} to {to} are not all there; there are {bars}")),
        };
        let place = |before: u32| match before {
            before if (1..=bars + 1).contains(&before) => Ok(before),
            before => wrong("before", format!("there is no bar {before}; give 1 to {}", bars + 1)),
        };
        let fits = |more: u64| match u64::from(bars) + more {
            all if all <= u64::from(Outline::MOST_BARS) => Ok(()),
            all => wrong("count", format!("{all} bars are more than the {} of a song", Outline::MOST_BARS)),
        };
        let mut all: Vec<Option<u32>> = (1..=bars).map(Some).collect();
        match self {
            BarsEdit::Insert { before, count } => {
                let at = place(before)? as usize - 1;
                if count == 0 {
                    return wrong("count", "insert at least one bar".to_owned());
                }
                fits(u64::from(count))?;
                all.splice(at..at, std::iter::repeat_n(None, count as usize));
            }
            BarsEdit::Delete { bars: range } => {
                there(range)?;
                if range.to - range.from + 1 == bars {
                    return wrong("bars", "these are all bars of the song; leave one, or delete the song".to_owned());
                }
                all.drain(range.from as usize - 1..range.to as usize);
            }
            BarsEdit::Move { bars: range, before } => {
                there(range)?;
                let before = place(before)?;
                if before > range.from && before <= range.to {
                    return wrong("before", "bars cannot go in between themselves".to_owned());
                }
                let moved: Vec<_> = all.drain(range.from as usize - 1..range.to as usize).collect();
                let count = moved.len() as u32;
                let at = if before > range.to { before - 1 - count } else { before - 1 } as usize;
                all.splice(at..at, moved);
            }
            BarsEdit::Repeat { bars: range, times } => {
                there(range)?;
                if times == 0 {
                    return wrong("times", "repeat at least once".to_owned());
                }
                fits(u64::from(range.to - range.from + 1) * u64::from(times))?;
                let own: Vec<_> = all[range.from as usize - 1..range.to as usize].to_vec();
                let at = range.to as usize;
                all.splice(at..at, own.repeat(times as usize));
            }
        }
        Ok(BarPlan(all))
    }
}

/// For each bar of a song which one it was before; nothing for a new one.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct BarPlan(Vec<Option<u32>>);

impl BarPlan {
    /// The outline of the song then. A new bar has the metre and tempo of the one that it comes before.
    pub fn outline(&self, before: &Outline) -> Outline {
        fn reigning<T>(all: &[T], bar: u32, from: impl Fn(&T) -> u32) -> &T {
            all.iter().rfind(|one| from(one) <= bar).unwrap_or(&all[0])
        }
        // A bar that is new is as the one that it comes before, and at the end as the one before it.
        let mut like: Vec<u32> = self.0.iter().map(|bar| bar.unwrap_or(0)).collect();
        let mut next = 0;
        for bar in like.iter_mut().rev() {
            if *bar == 0 {
                *bar = next;
            }
            next = *bar;
        }
        let last = like.iter().rev().find(|bar| **bar > 0).copied().unwrap_or(1);
        let mut outline = Outline { bars: like.len() as u32, tempos: Vec::new(), metres: Vec::new() };
        for (index, bar) in like.into_iter().enumerate() {
            let was = if bar == 0 { last } else { bar };
            let bar = index as u32 + 1;
            let bpm = reigning(&before.tempos, was, |one| one.bar).bpm;
            let metre = &reigning(&before.metres, was, |one| one.bar).metre;
            if outline.tempos.last().is_none_or(|one| one.bpm != bpm) {
                outline.tempos.push(TempoFrom { bar, bpm });
            }
            if outline.metres.last().is_none_or(|one| one.metre != *metre) {
                outline.metres.push(MetreFrom { bar, metre: metre.clone() });
            }
        }
        outline
    }

    /// The hits of a part in their bars. A hit keeps its id in the first bar that has it; later ones are new, from
    /// `free` on.
    pub fn part(&self, part: &Part, from: &MetreMap, to: &MetreMap, free: u32) -> Part {
        let mut of_bars: Vec<Vec<Hit>> = Vec::new();
        for hit in part.hits() {
            let bar = from.bar_at(hit.tick).number as usize;
            of_bars.resize_with(of_bars.len().max(bar + 1), Vec::new);
            of_bars[bar].push(*hit);
        }
        let mut free = (free..HitId::FIRST_BY_HAND.get() as u32).map(HitId::new);
        let mut seen = vec![false; of_bars.len()];
        let mut hits = Vec::with_capacity(part.hits().len());
        for (index, was) in self.0.iter().enumerate() {
            let Some(was) = was.map(|bar| bar as usize).filter(|bar| *bar < of_bars.len()) else { continue };
            let by = to.bar(index as u32 + 1).start - from.bar(was as u32).start;
            let again = std::mem::replace(&mut seen[was], true);
            for hit in &of_bars[was] {
                let id = if again { free.next() } else { Some(hit.id) };
                hits.extend(id.map(|id| Hit { id, tick: hit.tick + by, ..*hit }));
            }
        }
        Part::new(hits)
    }

    /// Where each bar went: to the first that it has become.
    pub fn moves(&self, bars: u32) -> BarMoves {
        let mut to = vec![None; bars as usize];
        for (index, was) in self.0.iter().enumerate().rev() {
            if let Some(place) = was.and_then(|was| to.get_mut(was as usize - 1)) {
                *place = Some(index as u32 + 1);
            }
        }
        BarMoves::new(to)
    }
}

impl BarMoves {
    /// The hits of a part where their bars are now; those whose bars are gone go.
    pub fn part(&self, part: &Part, from: &MetreMap, to: &MetreMap) -> Part {
        let moved = |hit: &Hit| {
            let length = BarMoves::length(hit.length, from, to);
            self.tick(hit.tick, from, to).map(|tick| Hit { tick, length, ..*hit })
        };
        Part::new(part.hits().iter().filter_map(moved).collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::{Channel, Note, Ticks, Velocity};
    use crate::recipe::action::{Action, Arc, ArcPoint, LaneLine, LanePoint, LaneWay, Level};
    use crate::recipe::aim::Aim;
    use crate::recipe::{Pass, Recipe};

    fn range(from: u32, to: u32) -> BarRange {
        BarRange { from, to }
    }

    fn plan(edit: BarsEdit, bars: u32) -> Vec<u32> {
        edit.plan(bars).unwrap().0.into_iter().map(|bar| bar.unwrap_or(0)).collect()
    }

    #[test]
    fn bars_go_where_they_are_told() {
        assert_eq!(plan(BarsEdit::Insert { before: 3, count: 2 }, 3), [1, 2, 0, 0, 3]);
        assert_eq!(plan(BarsEdit::Insert { before: 4, count: 1 }, 3), [1, 2, 3, 0]);
        assert_eq!(plan(BarsEdit::Delete { bars: range(1, 2) }, 3), [3]);
        assert_eq!(plan(BarsEdit::Move { bars: range(1, 2), before: 5 }, 4), [3, 4, 1, 2]);
        assert_eq!(plan(BarsEdit::Move { bars: range(3, 4), before: 1 }, 4), [3, 4, 1, 2]);
        assert_eq!(plan(BarsEdit::Move { bars: range(2, 2), before: 2 }, 3), [1, 2, 3]);
        assert_eq!(plan(BarsEdit::Repeat { bars: range(1, 2), times: 2 }, 3), [1, 2, 1, 2, 1, 2, 3]);
        for (edit, field) in [
            (BarsEdit::Insert { before: 5, count: 1 }, "before"),
            (BarsEdit::Insert { before: 1, count: 0 }, "count"),
            (BarsEdit::Insert { before: 1, count: u32::MAX }, "count"),
            (BarsEdit::Delete { bars: range(1, 3) }, "bars"),
            (BarsEdit::Delete { bars: range(0, 1) }, "bars"),
            (BarsEdit::Delete { bars: range(3, 2) }, "bars"),
            (BarsEdit::Move { bars: range(1, 2), before: 2 }, "before"),
            (BarsEdit::Repeat { bars: range(1, 1), times: u32::MAX }, "count"),
            (BarsEdit::Repeat { bars: range(1, 9), times: 1 }, "bars"),
        ] {
            assert_eq!(edit.plan(3).unwrap_err().0, field, "{edit:?}");
        }
    }

    #[test]
    fn tempo_and_metre_go_along() {
        let mut outline = Outline::plain(4, 100.0, "4/4");
        outline.metres.push(MetreFrom { bar: 3, metre: "3/4".into() });
        outline.tempos.push(TempoFrom { bar: 4, bpm: 90.0 });
        let after = BarsEdit::Move { bars: range(3, 3), before: 1 }.plan(4).unwrap().outline(&outline);
        let metres: Vec<(u32, &str)> = after.metres.iter().map(|one| (one.bar, one.metre.as_str())).collect();
        assert_eq!(metres, [(1, "3/4"), (2, "4/4"), (4, "3/4")]);
        assert_eq!(after.check(), Ok(()));
        let longer = BarsEdit::Insert { before: 5, count: 2 }.plan(4).unwrap().outline(&outline);
        assert_eq!((longer.bars, longer.tempos.len(), longer.metres.len()), (6, 2, 2));
    }

    fn kick(id: u32, tick: f64) -> Hit {
        Hit {
            id: HitId::new(id),
            tick: Ticks(tick),
            length: Ticks(60.0),
            velocity: Velocity::MAX,
            release: 64,
            note: Note::from_data(36),
            channel: Channel::PERCUSSION,
        }
    }

    #[test]
    fn hits_keep_their_ids_where_they_go_and_get_new_ones_where_they_come_again() {
        let outline = Outline::plain(3, 100.0, "4/4");
        let (_, metre) = outline.maps();
        let part = Part::new(vec![kick(4, 0.0), kick(7, 3840.0 + 240.0), kick(9, 7680.0)]);
        let plan = BarsEdit::Repeat { bars: range(2, 2), times: 1 }.plan(3).unwrap();
        let after = plan.part(&part, &metre, &metre, 20);
        let found: Vec<(u64, f64)> = after.hits().iter().map(|hit| (hit.id.get(), hit.tick.0)).collect();
        assert_eq!(found, [(4, 0.0), (7, 4080.0), (20, 7920.0), (9, 11520.0)]);
    }

    #[test]
    fn what_is_said_of_bars_follows_them() {
        let moves = BarsEdit::Insert { before: 3, count: 1 }.plan(4).unwrap().moves(4);
        assert_eq!(moves.ranges(&[range(3, 4)]), [range(4, 5)]);
        assert_eq!(moves.ranges(&[range(2, 3)]), [range(2, 4)], "what came in between belongs to it");
        assert_eq!(moves.ranges(&[range(4, 9)]), [range(5, 10)], "it reached behind the end");
        // Each stretch by itself, as it would be alone; stretches that touch stay two.
        let moves_of_8 = BarsEdit::Insert { before: 3, count: 1 }.plan(8).unwrap().moves(8);
        assert_eq!(moves_of_8.ranges(&[range(2, 3), range(6, 7)]), [range(2, 4), range(7, 8)]);
        assert_eq!(moves_of_8.ranges(&[range(1, 2), range(3, 4)]), [range(1, 2), range(4, 5)]);
        // A bar that came from elsewhere is no part of it.
        let moved = BarsEdit::Move { bars: range(8, 8), before: 3 }.plan(8).unwrap().moves(8);
        assert_eq!(moved.ranges(&[range(2, 3)]), [range(2, 2), range(4, 4)]);
        let gone = BarsEdit::Delete { bars: range(2, 2) }.plan(4).unwrap().moves(4);
        assert_eq!(gone.ranges(&[range(2, 2)]), []);
        assert_eq!(gone.ranges(&[range(1, 3)]), [range(1, 2)]);

        let level = Action::Level(Level { by: 5.0 });
        let aimed = |id: u32, bars| Pass::new(id, Aim { bars: vec![bars], ..Aim::everything() }, level.clone());
        let arc =
            Arc { points: vec![ArcPoint { bar: 1.0, by: 0.0 }, ArcPoint { bar: 3.5, by: 9.0 }], ..Arc::default() };
        let recipe = Recipe::of(vec![
            aimed(1, range(2, 2)),
            aimed(2, range(3, 4)),
            Pass::new(3, Aim::everything(), Action::Arc(arc)),
        ]);
        let (_, metre) = Outline::plain(4, 100.0, "4/4").maps();
        let (after, said) = gone.recipe(&recipe, &metre, &metre);
        assert!(!after.passes[0].on && after.passes[0].aim.bars == [range(2, 2)]);
        assert_eq!(after.passes[1].aim.bars, [range(2, 3)]);
        assert!(matches!(&after.passes[2].action, Action::Arc(arc) if arc.points[1].bar == 2.5));
        assert_eq!(said.len(), 1);
    }

    /// The points of an arc and of a line over the bars, after a change of these.
    fn carried(points: &[(f64, f64)], edit: BarsEdit, bars: u32) -> [Vec<(f64, f64)>; 2] {
        let arc = points.iter().map(|&(bar, by)| ArcPoint { bar, by }).collect();
        let line =
            points.iter().map(|&(bar, by)| LanePoint { bar, value: 64.0 + by, way: LaneWay::Straight }).collect();
        let recipe = Recipe::of(vec![
            Pass::new(1, Aim::everything(), Action::Arc(Arc { points: arc, ..Arc::default() })),
            Pass::new(2, Aim::everything(), Action::LaneLine(LaneLine { points: line, ..LaneLine::default() })),
        ]);
        let (_, metre) = Outline::plain(bars, 100.0, "4/4").maps();
        let (after, said) = edit.plan(bars).unwrap().moves(bars).recipe(&recipe, &metre, &metre);
        let [Action::Arc(arc), Action::LaneLine(line)] = [&after.passes[0].action, &after.passes[1].action] else {
            panic!("passes stay what they are");
        };
        let lost = points.len() - arc.points.len();
        assert_eq!(said.len(), 2 * lost.min(1), "what went is said: {said:?}");
        [
            arc.points.iter().map(|point| (point.bar, point.by)).collect(),
            line.points.iter().map(|point| (point.bar, point.value - 64.0)).collect(),
        ]
    }

    #[test]
    fn points_go_with_their_bars_and_those_of_bars_that_are_gone_with_them() {
        let points = [(1.0, 0.0), (2.0, 20.0), (4.0, -10.0), (8.0, 0.0)];
        let both = |points: &[(f64, f64)]| [points.to_vec(), points.to_vec()];
        let delete = BarsEdit::Delete { bars: range(2, 3) };
        assert_eq!(carried(&points, delete, 8), both(&[(1.0, 0.0), (2.0, -10.0), (6.0, 0.0)]));
        let insert = BarsEdit::Insert { before: 3, count: 1 };
        assert_eq!(carried(&points, insert, 8), both(&[(1.0, 0.0), (2.0, 20.0), (5.0, -10.0), (9.0, 0.0)]));
        let back = [(1.0, 0.0), (2.0, 20.0), (5.0, -10.0), (9.0, 0.0)];
        assert_eq!(carried(&back, BarsEdit::Delete { bars: range(3, 3) }, 9), both(&points));
    }
}
