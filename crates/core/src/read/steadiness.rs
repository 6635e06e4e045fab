//! How steadily a part keeps time: the beat that all drums share, how loosely each lies around it, and how far those that land
//! together lie apart.

use crate::base::stats::standard_deviation;
use crate::base::units::Millis;
use crate::kit::{Instrument, InstrumentId};
use serde::Serialize;
use ts_rs::TS;

/// The beat that all drums of a part share.
///
/// The two levels of Wing and Kristofferson (1973): a clock that gives intervals, and an execution that delays each stroke for
/// itself. What the clock adds stays; what the execution adds to one interval it takes from the next. So the covariance of
/// neighbouring intervals is minus the variance of the execution, and what is left of the variance of intervals is the
/// clock's.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, TS)]
pub struct Beat {
    /// The standard deviation of the clock from one quarter to the next.
    pub clock: Millis,
    /// How far the beat wanders around its mean: the standard deviation of what the drums share, over four quarters.
    pub wander: Millis,
    /// How far drums that land on one line lie apart: the mean of all pairs, without sign.
    #[serde(skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub apart: Option<Millis>,
}

/// Two drums that land together.
#[derive(Clone, Debug, PartialEq, Serialize, TS)]
pub struct Together {
    /// One of them.
    pub first: InstrumentId,
    /// The other one.
    pub second: InstrumentId,
    /// How often.
    pub count: u32,
    /// How much later the other one comes, on average.
    pub mean: Millis,
    /// How far that spreads: its standard deviation.
    pub spread: Millis,
}

/// A stroke of a drum that keeps time.
#[derive(Clone, Copy, Debug)]
pub(super) struct Kept {
    /// Its line, in quarters.
    pub line: f64,
    /// How late it comes, in ms.
    pub late: f64,
}

/// Fewer pairs of neighbouring intervals tell nothing about a clock, or about looseness.
const ENOUGH: usize = 16;
/// Lines that are no further apart than this, in quarters, are one: at 120 bpm 1 ms.
const ONE_LINE: f64 = 0.002;
/// Those drums that are struck most often are looked at in pairs.
const IN_PAIRS: usize = 8;
/// So many pairs are told, of those that land together so often.
const TOLD: usize = 3;
const OFTEN: u32 = 8;

/// How loosely a drum lies around whatever beat it follows: the standard deviation of its execution.
pub(super) fn looseness(strokes: &[Kept]) -> Option<Millis> {
    let intervals: Vec<f64> = strokes.windows(2).map(|two| two[1].late - two[0].late).collect();
    Some(Millis((-covariance(&[&intervals])?).max(0.0).sqrt()))
}

/// The covariance of neighbours, in runs of intervals that follow one another; nothing of too few.
fn covariance(runs: &[&[f64]]) -> Option<f64> {
    let count = runs.iter().map(|run| run.len()).sum::<usize>();
    let middle = runs.iter().copied().flatten().sum::<f64>() / count.max(1) as f64;
    let pairs = || runs.iter().flat_map(|run| run.windows(2));
    let how_many = pairs().count();
    let products = pairs().map(|two| (two[0] - middle) * (two[1] - middle)).sum::<f64>();
    (how_many >= ENOUGH).then(|| products / how_many as f64)
}

/// The beat that all drums share, each of them counted from where it usually lies: its clock, and how far it wanders.
pub(super) fn beat(drums: &[Vec<Kept>]) -> Option<(Millis, Millis)> {
    let mut beats: Vec<(i64, f64)> = Vec::with_capacity(drums.iter().map(Vec::len).sum());
    for strokes in drums {
        let usual = strokes.iter().map(|stroke| stroke.late).sum::<f64>() / strokes.len().max(1) as f64;
        beats.extend(strokes.iter().map(|stroke| (stroke.line.round() as i64, stroke.late - usual)));
    }
    beats.sort_by_key(|(beat, _)| *beat);
    let shared: Vec<(i64, f64)> = beats
        .chunk_by(|a, b| a.0 == b.0)
        .map(|one| (one[0].0, one.iter().map(|(_, late)| late).sum::<f64>() / one.len() as f64))
        .collect();
    // A beat that nobody plays ends a run.
    let runs: Vec<Vec<f64>> = shared
        .chunk_by(|a, b| b.0 == a.0 + 1)
        .map(|run| run.windows(2).map(|two| two[1].1 - two[0].1).collect())
        .collect();
    let execution = covariance(&runs.iter().map(Vec::as_slice).collect::<Vec<&[f64]>>())?;
    let clock = (standard_deviation(&runs.concat()).powi(2) + 2.0 * execution).max(0.0).sqrt();
    let over_four: Vec<f64> =
        shared.chunks(4).map(|four| four.iter().map(|(_, late)| late).sum::<f64>() / four.len() as f64).collect();
    Some((Millis(clock), Millis(standard_deviation(&over_four))))
}

/// What is gathered of two drums, in ms: how often they land together, the sums of how much later the second one comes, of
/// its squares, and of how far they lie apart.
#[derive(Clone, Copy, Debug, Default)]
struct Pair {
    count: u32,
    later: f64,
    squares: f64,
    apart: f64,
}

/// How far drums that land on one line lie apart, and those pairs of drums that do so most often.
pub(super) fn together(kit: &[Instrument], drums: &[Vec<Kept>]) -> (Option<Millis>, Vec<Together>) {
    let mut looked_at: Vec<usize> = (0..drums.len()).filter(|&place| drums[place].len() >= OFTEN as usize).collect();
    looked_at.sort_by_key(|&place| std::cmp::Reverse(drums[place].len()));
    looked_at.truncate(IN_PAIRS);
    looked_at.sort_unstable();
    let mut strokes: Vec<(usize, Kept)> = Vec::with_capacity(looked_at.iter().map(|&place| drums[place].len()).sum());
    for (nth, &place) in looked_at.iter().enumerate() {
        strokes.extend(drums[place].iter().map(|stroke| (nth, *stroke)));
    }
    strokes.sort_by(|a, b| a.1.line.total_cmp(&b.1.line));
    let mut pairs = [[Pair::default(); IN_PAIRS]; IN_PAIRS];
    for line in strokes.chunk_by(|a, b| b.1.line - a.1.line <= ONE_LINE) {
        // The first of each drum: for what is struck again there is another stroke.
        let mut firsts = [None; IN_PAIRS];
        line.iter().for_each(|(nth, stroke)| _ = firsts[*nth].get_or_insert(stroke.late));
        for (first, one) in firsts.iter().enumerate().filter_map(|(nth, late)| Some((nth, (*late)?))) {
            for (second, other) in
                firsts.iter().enumerate().skip(first + 1).filter_map(|(nth, late)| Some((nth, (*late)?)))
            {
                let (pair, later) = (&mut pairs[first][second], other - one);
                pair.count += 1;
                pair.later += later;
                pair.squares += later * later;
                pair.apart += later.abs();
            }
        }
    }
    let all = pairs.as_flattened();
    let (count, apart) = all.iter().fold((0, 0.0), |(count, apart), pair| (count + pair.count, apart + pair.apart));
    if (count as usize) < ENOUGH {
        return (None, Vec::new());
    }
    let mut often: Vec<(usize, &Pair)> = all.iter().enumerate().filter(|(_, pair)| pair.count >= OFTEN).collect();
    often.sort_by_key(|(_, pair)| std::cmp::Reverse(pair.count));
    let told = often.into_iter().take(TOLD).map(|(at, pair)| {
        let mean = pair.later / f64::from(pair.count);
        Together {
            first: kit[looked_at[at / IN_PAIRS]].id.clone(),
            second: kit[looked_at[at % IN_PAIRS]].id.clone(),
            count: pair.count,
            mean: Millis(mean),
            spread: Millis((pair.squares / f64::from(pair.count) - mean * mean).max(0.0).sqrt()),
        }
    });
    (Some(Millis(apart / f64::from(count))), told.collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Even chance around 0 with this standard deviation.
    fn noise(seed: u64) -> impl FnMut(f64) -> f64 {
        let mut state = seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1;
        move |deviation| {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            ((state >> 11) as f64 / (1u64 << 53) as f64 - 0.5) * deviation * 12f64.sqrt()
        }
    }

    /// A drum that is struck on each quarter, looser and looser, around a clock that walks.
    fn walked(seed: u64, clock: f64, looseness: f64, count: u32) -> [Vec<Kept>; 2] {
        let mut chance = noise(seed);
        let mut at = 0.0;
        let mut drums = [Vec::new(), Vec::new()];
        for line in 0..count {
            at += chance(clock);
            for (nth, drum) in drums.iter_mut().enumerate() {
                drum.push(Kept { line: f64::from(line), late: at + 7.0 * nth as f64 + chance(looseness) });
            }
        }
        drums
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]

        /// The clock and the execution are told apart, also where one is far from steady and the other is not.
        #[test]
        fn clock_and_execution_are_told_apart(seed in 1..u64::MAX, clock in 0.0..12.0f64, loose in 0.5..12.0f64) {
            let drums = walked(seed, clock, loose, 2000);
            let (found, _) = beat(&drums).unwrap();
            let of_drum = looseness(&drums[0]).unwrap();
            // Both are estimated by a difference of variances.
            let sure = 0.14 * (clock + loose) + 0.6;
            prop_assert!((found.0 - clock).abs() < sure, "clock {clock}: {found:?}");
            prop_assert!((of_drum.0 - loose).abs() < sure, "looseness {loose}: {of_drum:?}");
        }
    }

    #[test]
    fn what_lands_together_lies_apart_by_its_place() {
        let kit = crate::kit::Kit::general_midi();
        let drums = walked(5, 3.0, 1.0, 64).to_vec();
        let (apart, told) = together(&kit.instruments, &drums);
        assert_eq!((told.len(), told[0].count), (1, 64));
        assert!((told[0].mean.0 - 7.0).abs() < 0.6 && told[0].spread.0 < 2.0, "{told:?}");
        assert!((apart.unwrap().0 - 7.0).abs() < 0.6);
        assert_eq!(together(&kit.instruments, &[]), (None, Vec::new()));
    }

    #[test]
    fn an_interval_over_a_beat_that_nobody_plays_has_no_neighbour() {
        // A steady clock, and every fourth beat is free.
        let of = |beats: u32| -> Vec<Kept> {
            let played = walked(11, 0.0, 8.0, 4000)[0].clone().into_iter();
            played.filter(|stroke| stroke.line as u32 % beats != beats - 1).collect()
        };
        let (clock, _) = beat(&[of(4)]).unwrap();
        assert!(clock.0 < 3.0, "{clock:?}");
        // Two beats and a free one leave no neighbours, and nothing to tell by.
        assert_eq!(beat(&[of(3)]), None);
    }

    #[test]
    fn a_machine_is_steady_and_little_tells_nothing() {
        let even: Vec<Kept> = (0..40).map(|line| Kept { line: f64::from(line), late: 4.0 }).collect();
        assert_eq!(beat(std::slice::from_ref(&even)), Some((Millis(0.0), Millis(0.0))));
        assert_eq!(looseness(&even), Some(Millis(0.0)));
        assert_eq!((beat(&[even[..8].to_vec()]), looseness(&even[..8])), (None, None));
    }
}
