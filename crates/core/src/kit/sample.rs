//! Own sounds: recordings that a stroke of a kit is heard by.

use crate::base::units::{Percent, Velocity};
use crate::kit::{Kit, is_whole, is_zero, whole};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use ts_rs::TS;

/// A recording that a stroke of a kit is heard by. All samples of a stroke that have its velocity and its turn sound
/// together.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(deny_unknown_fields)]
pub struct Sample {
    /// Its file, by the SHA-256 of its bytes in hexadecimal digits.
    pub sound: String,
    /// What its file was called.
    pub name: String,
    /// How many frames it has, at 44 100 a second.
    #[ts(type = "number")]
    pub frames: u64,
    /// The softest velocity that it plays.
    #[serde(default = "softest", skip_serializing_if = "is_softest")]
    #[ts(as = "Option<Velocity>", optional)]
    pub from: Velocity,
    /// The hardest.
    #[serde(default = "hardest", skip_serializing_if = "is_hardest")]
    #[ts(as = "Option<Velocity>", optional)]
    pub to: Velocity,
    /// Which of the alternates it is, from 1 …
    #[serde(default = "one", skip_serializing_if = "is_one")]
    #[ts(as = "Option<u16>", optional)]
    pub turn: u16,
    /// … and how many take turns.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    #[ts(as = "Option<u16>", optional)]
    pub turns: u16,
    /// Louder or softer than recorded, −96 to 24 dB.
    #[serde(default, skip_serializing_if = "is_zero")]
    #[ts(as = "Option<f64>", optional)]
    pub volume: f64,
    /// −100 (left) to 100 (right).
    #[serde(default, skip_serializing_if = "is_zero")]
    #[ts(as = "Option<f64>", optional)]
    pub pan: f64,
    /// The velocity at which it sounds as it was recorded.
    #[serde(default = "hardest", skip_serializing_if = "is_hardest")]
    #[ts(as = "Option<Velocity>", optional)]
    pub full: Velocity,
    /// How far its loudness follows the velocity; at 0 % it is as loud at each.
    #[serde(default = "whole", skip_serializing_if = "is_whole")]
    #[ts(as = "Option<Percent>", optional)]
    pub track: Percent,
    /// The group that it belongs to …
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub group: Option<u32>,
    /// … and the group that ends it, of the same part.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(optional)]
    pub off_by: Option<u32>,
}

fn softest() -> Velocity {
    Velocity::MIN
}

fn is_softest(velocity: &Velocity) -> bool {
    *velocity == Velocity::MIN
}

fn hardest() -> Velocity {
    Velocity::MAX
}

fn is_hardest(velocity: &Velocity) -> bool {
    *velocity == Velocity::MAX
}

fn one() -> u16 {
    1
}

fn is_one(count: &u16) -> bool {
    *count == 1
}

impl Sample {
    /// No sample of a stroke lasts longer, in s.
    pub const MOST_SECONDS: u64 = 60;
    /// A kit has no more of them.
    pub const MOST: usize = 5000;
    /// So many take turns at most.
    pub const MOST_TURNS: u16 = 100;

    /// The whole of a file, at every velocity.
    pub fn of(sound: &str, name: &str, frames: u64) -> Sample {
        let name = name.chars().filter(|one| !one.is_control()).take(250).collect();
        Sample {
            sound: sound.to_owned(),
            name,
            frames,
            from: Velocity::MIN,
            to: Velocity::MAX,
            turn: 1,
            turns: 1,
            volume: 0.0,
            pan: 0.0,
            full: Velocity::MAX,
            track: whole(),
            group: None,
            off_by: None,
        }
    }

    /// Whether a text can name a file: 64 hexadecimal digits.
    pub fn is_sound(name: &str) -> bool {
        name.len() == 64 && name.bytes().all(|one| matches!(one, b'0'..=b'9' | b'a'..=b'f'))
    }

    /// Whether it plays a velocity.
    pub fn plays(&self, velocity: Velocity) -> bool {
        (self.from..=self.to).contains(&velocity)
    }

    /// The factor that it is played with at a velocity.
    ///
    /// ```
    /// use vivida_core::{Sample, Velocity};
    /// let sample = Sample { volume: -6.0, ..Sample::of("", "kick.wav", 100) };
    /// assert!((sample.gain(Velocity::MAX) - 0.501).abs() < 0.001);
    /// ```
    pub fn gain(&self, velocity: Velocity) -> f64 {
        let followed = velocity.amplitude() / self.full.amplitude();
        let track = self.track.0 / 100.0;
        libm::pow(10.0, self.volume / 20.0) * (1.0 - track + track * followed)
    }

    pub(crate) fn check(&self) -> Result<(), (&'static str, String)> {
        if !Sample::is_sound(&self.sound) {
            return Err(("sound", "a sound is named by 64 hexadecimal digits".to_owned()));
        }
        if !(1..=250).contains(&self.name.chars().count()) || self.name.chars().any(char::is_control) {
            return Err(("name", "a file's name has 1 to 250 letters in one line".to_owned()));
        }
        if !(1..=Sample::MOST_SECONDS * 44_100).contains(&self.frames) {
            let message = format!("{} frames are none, or more than {} s", self.frames, Sample::MOST_SECONDS);
            return Err(("frames", message));
        }
        if self.from > self.to {
            let (from, to) = (self.from.get(), self.to.get());
            return Err(("to", format!("velocity {to} is below {from}, where it begins")));
        }
        if !(1..=Sample::MOST_TURNS).contains(&self.turns) {
            return Err(("turns", format!("{} is outside 1 to {}", self.turns, Sample::MOST_TURNS)));
        }
        if !(1..=self.turns).contains(&self.turn) {
            return Err(("turn", format!("{} is outside 1 to {}", self.turn, self.turns)));
        }
        if !(-96.0..=24.0).contains(&self.volume) {
            return Err(("volume", format!("{} is outside -96 to 24 dB", self.volume)));
        }
        if !(-100.0..=100.0).contains(&self.pan) {
            return Err(("pan", format!("{} is outside -100 to 100", self.pan)));
        }
        if !(0.0..=100.0).contains(&self.track.0) {
            return Err(("track", format!("{} is outside 0 to 100 %", self.track.0)));
        }
        Ok(())
    }
}

/// Whose turn it is: the alternates of each stroke and layer go round by themselves. A turn that no sample has is passed
/// over, so that a stroke is never silent for want of a file.
///
/// ```
/// use vivida_core::{Sample, Turns, Velocity};
/// let alternate = |turn| Sample { turn, turns: 2, ..Sample::of("", &format!("{turn}.wav"), 100) };
/// let samples = [alternate(1), alternate(2)];
/// let mut turns = Turns::default();
/// let heard: Vec<u16> = (0..3).flat_map(|_| turns.next(7, &samples, Velocity::MAX)).map(|place| samples[place].turn).collect();
/// assert_eq!(heard, [1, 2, 1]);
/// ```
#[derive(Clone, Debug, Default)]
pub struct Turns(HashMap<(usize, Velocity, Velocity), u32>);

impl Turns {
    /// The places of the samples that a stroke is heard by next.
    pub fn next(&mut self, stroke: usize, samples: &[Sample], velocity: Velocity) -> Vec<usize> {
        let able = || samples.iter().enumerate().filter(|(_, sample)| sample.plays(velocity));
        let mut layers: Vec<(Velocity, Velocity)> = Vec::new();
        let mut heard = Vec::new();
        for (from, to) in able().map(|(_, sample)| (sample.from, sample.to)) {
            if layers.contains(&(from, to)) {
                continue;
            }
            layers.push((from, to));
            let of_layer = || able().filter(|(_, sample)| (sample.from, sample.to) == (from, to));
            let has = |turn: u32, sample: &Sample| turn % u32::from(sample.turns) == u32::from(sample.turn - 1);
            let count = self.0.entry((stroke, from, to)).or_default();
            let next = (0..u32::from(Sample::MOST_TURNS)).map(|on| count.wrapping_add(on));
            let turn = next.into_iter().find(|&turn| of_layer().any(|(_, sample)| has(turn, sample))).unwrap_or(*count);
            *count = turn.wrapping_add(1);
            heard.extend(of_layer().filter(|(_, sample)| has(turn, sample)).map(|(place, _)| place));
        }
        heard
    }
}

impl Kit {
    /// All samples of its strokes.
    pub fn samples(&self) -> impl Iterator<Item = &Sample> {
        self.instruments.iter().flat_map(|one| &one.articulations).flat_map(|way| &way.samples)
    }

    /// The kit as the built-in one plays it.
    pub fn without_samples(mut self) -> Kit {
        self.instruments.iter_mut().flat_map(|one| &mut one.articulations).for_each(|way| way.samples.clear());
        self
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn velocity(value: u8) -> Velocity {
        Velocity::new(value).unwrap()
    }

    #[test]
    fn loudness_follows_the_velocity_as_far_as_asked() {
        let sample = Sample::of("", "kick.wav", 100);
        assert_eq!(sample.gain(Velocity::MAX), 1.0);
        assert_eq!(sample.gain(velocity(64)), velocity(64).amplitude());
        let layered = Sample { to: velocity(64), full: velocity(64), ..sample.clone() };
        assert_eq!(layered.gain(velocity(64)), 1.0);
        let fixed = Sample { track: Percent(0.0), ..sample };
        assert_eq!(fixed.gain(velocity(1)), 1.0);
    }

    #[test]
    fn layers_take_turns_by_themselves() {
        let sample = |from, to, turn| Sample {
            from: velocity(from),
            to: velocity(to),
            turn,
            turns: 2,
            ..Sample::of("", "one.wav", 100)
        };
        let samples = [sample(1, 60, 1), sample(1, 60, 2), sample(61, 127, 1), sample(61, 127, 2)];
        let mut turns = Turns::default();
        let heard: Vec<Vec<usize>> =
            [30, 100, 30, 100, 30].into_iter().map(|one| turns.next(0, &samples, velocity(one))).collect();
        assert_eq!(heard, [[0], [2], [1], [3], [0]]);
        // Another stroke begins by itself.
        assert_eq!(turns.next(1, &samples, velocity(30)), [0]);
    }

    #[test]
    fn a_turn_that_nobody_has_is_passed_over() {
        let alternate = |turn| Sample { turn, turns: 4, ..Sample::of("", "one.wav", 100) };
        let samples = [alternate(2), alternate(4)];
        let mut turns = Turns::default();
        let heard: Vec<Vec<usize>> = (0..5).map(|_| turns.next(0, &samples, Velocity::MAX)).collect();
        assert_eq!(heard, [[0], [1], [0], [1], [0]]);
    }

    #[test]
    fn what_sounds_at_once_sounds_at_once() {
        let near = Sample::of("", "near.wav", 100);
        let room = Sample { name: "room.wav".to_owned(), ..near.clone() };
        assert_eq!(Turns::default().next(0, &[near, room], Velocity::MAX), [0, 1]);
    }
}
