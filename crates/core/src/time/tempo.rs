//! The tempo map: between ticks and seconds.

use crate::base::units::{Millis, Ppq, Ticks};

#[derive(Clone, Copy, Debug, PartialEq)]
struct Segment {
    tick: f64,
    seconds: f64,
    seconds_per_tick: f64,
}

/// Where the song is in seconds at each tick. Before the first change, 120 bpm.
///
/// ```
/// use vivida_core::{Millis, Ppq, TempoMap, Ticks};
/// let tempo = TempoMap::new(Ppq::new(960).unwrap(), []);
/// assert_eq!(tempo.seconds(Ticks(960.0)), 0.5);
/// assert_eq!(tempo.ticks_of(Millis(10.0), Ticks(0.0)), Ticks(19.2));
/// ```
#[derive(Clone, Debug, PartialEq)]
pub struct TempoMap {
    ppq: Ppq,
    segments: Vec<Segment>,
}

impl TempoMap {
    /// From changes (tick, microseconds per quarter note) in order of ticks. Of several changes at
    /// one tick the last counts; a tempo of 0 is skipped.
    pub fn new(ppq: Ppq, changes: impl IntoIterator<Item = (Ticks, u32)>) -> TempoMap {
        let rate = |micros: u32| f64::from(micros) / 1e6 / ppq.as_f64();
        let mut segments = vec![Segment { tick: 0.0, seconds: 0.0, seconds_per_tick: rate(500_000) }];
        for (tick, micros) in changes.into_iter().filter(|&(_, micros)| micros > 0) {
            let last = segments[segments.len() - 1];
            let segment = Segment {
                tick: tick.0,
                seconds: last.seconds + (tick.0 - last.tick) * last.seconds_per_tick,
                seconds_per_tick: rate(micros),
            };
            if last.tick >= tick.0 {
                segments.pop();
            }
            segments.push(segment);
        }
        TempoMap { ppq, segments }
    }

    /// The resolution that this map's ticks are in.
    pub fn ppq(&self) -> Ppq {
        self.ppq
    }

    fn segment(&self, tick: f64) -> &Segment {
        let after = self.segments.partition_point(|segment| segment.tick <= tick);
        &self.segments[after.max(1) - 1]
    }

    /// Seconds from the start of the song; negative before it.
    pub fn seconds(&self, at: Ticks) -> f64 {
        let segment = self.segment(at.0);
        segment.seconds + (at.0 - segment.tick) * segment.seconds_per_tick
    }

    /// The tick at a second of the song; negative before it.
    pub fn ticks(&self, seconds: f64) -> Ticks {
        let after = self.segments.partition_point(|segment| segment.seconds <= seconds);
        let segment = &self.segments[after.max(1) - 1];
        Ticks(segment.tick + (seconds - segment.seconds) / segment.seconds_per_tick)
    }

    /// How many ticks a time in ms is at the tempo that reigns at `at`.
    pub fn ticks_of(&self, time: Millis, at: Ticks) -> Ticks {
        Ticks(time.0 / self.millis_per_tick(at))
    }

    /// How many ms a distance in ticks is at the tempo that reigns at `at`.
    pub fn millis_of(&self, distance: Ticks, at: Ticks) -> Millis {
        Millis(distance.0 * self.millis_per_tick(at))
    }

    /// The length of one tick in ms at `at`.
    pub fn millis_per_tick(&self, at: Ticks) -> f64 {
        self.segment(at.0).seconds_per_tick * 1000.0
    }

    /// Quarter notes a minute at `at`.
    pub fn bpm(&self, at: Ticks) -> f64 {
        60.0 / (self.segment(at.0).seconds_per_tick * self.ppq.as_f64())
    }

    /// Every change of tempo: where it starts and the bpm from there on.
    pub fn changes(&self) -> impl Iterator<Item = (Ticks, f64)> + '_ {
        self.segments.iter().map(|segment| (Ticks(segment.tick), self.bpm(Ticks(segment.tick))))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_change_counts_from_its_tick_on() {
        let ppq = Ppq::new(960).unwrap();
        let map = TempoMap::new(ppq, [(Ticks(0.0), 600_000), (Ticks(1920.0), 300_000)]);
        assert!((map.seconds(Ticks(1920.0)) - 1.2).abs() < 1e-12);
        assert!((map.seconds(Ticks(2880.0)) - 1.5).abs() < 1e-12);
        assert_eq!(map.bpm(Ticks(0.0)).round(), 100.0);
        assert_eq!(map.bpm(Ticks(1920.0)).round(), 200.0);
        assert!((map.seconds(Ticks(-960.0)) + 0.6).abs() < 1e-12);
        for tick in [-960.0, 0.0, 100.5, 1920.0, 5000.25] {
            assert!((map.ticks(map.seconds(Ticks(tick))).0 - tick).abs() < 1e-9);
        }
    }

    #[test]
    fn of_two_changes_at_one_tick_the_last_counts() {
        let ppq = Ppq::new(960).unwrap();
        let map = TempoMap::new(ppq, [(Ticks(960.0), 250_000), (Ticks(960.0), 1_000_000)]);
        assert_eq!(map.bpm(Ticks(960.0)), 60.0);
        assert_eq!(map.changes().count(), 2);
    }
}
