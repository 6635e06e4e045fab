//! Onsets: where something is struck, how clearly, how loud, and by which family.

use crate::RATE;
use crate::flux::{Flux, HOP};
use crate::frames::Frames;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::ops::Range;
use ts_rs::TS;
use vivida_core::{Family, Velocity};

/// How little suffices to be an onset, 0 to 100: at 0 only the clearest, at 100 whatever rises.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, TS)]
#[serde(try_from = "f64")]
pub struct Sensitivity(f64);

impl Sensitivity {
    /// From 0 to 100.
    pub fn new(value: f64) -> Option<Sensitivity> {
        (0.0..=100.0).contains(&value).then_some(Sensitivity(value))
    }

    /// From 0 to 100.
    pub fn get(self) -> f64 {
        self.0
    }
}

impl Default for Sensitivity {
    fn default() -> Sensitivity {
        Sensitivity(50.0)
    }
}

impl TryFrom<f64> for Sensitivity {
    type Error = String;
    fn try_from(value: f64) -> Result<Sensitivity, String> {
        Sensitivity::new(value).ok_or_else(|| format!("a sensitivity is 0 to 100, not {value}"))
    }
}

/// Where something is struck.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Onset {
    /// The first frame of its attack.
    pub frame: usize,
    /// How clearly it stands out, 0 to 1: the clearest of the clip is 1.
    pub strength: f64,
    /// How loud its first 40 ms are, as a share of full scale.
    pub loudness: f64,
    /// How hard, held against its own family: the loudest of each family come to 112.
    pub velocity: Velocity,
    /// Kick, snare, hat or other.
    pub family: Family,
}

/// Where a loop begins that is not cut at its bars, in s: at the first clear stroke, to the thousandth before it; 0
/// where nothing lies before that.
pub fn beginning(onsets: &[Onset]) -> f64 {
    /// Softer ones may be a breath, or noise that sets in.
    const CLEAR: u8 = 50;
    let first = onsets.iter().find(|onset| onset.velocity.get() >= CLEAR).map_or(0.0, Onset::seconds);
    if first > 0.02 { (1000.0 * first).floor() / 1000.0 } else { 0.0 }
}

impl Onset {
    /// In s from the beginning.
    pub fn seconds(&self) -> f64 {
        self.frame as f64 / f64::from(RATE)
    }
}

/// A clip that was listened to: what onsets are found in, at any sensitivity.
pub struct Analysis {
    flux: Flux,
    mono: Vec<f32>,
    peak: f32,
}

const fn frames(millis: usize) -> usize {
    RATE as usize * millis / 1000
}

const fn windows(millis: usize) -> usize {
    frames(millis) / HOP
}

/// No two onsets are closer.
const CLOSEST: usize = windows(22);
/// A clip that never gets louder holds no onsets.
const SILENT: f32 = 1e-4;

/// Both channels as one, taken in a stretch at a time.
fn mono(clip: &impl Frames) -> Vec<f32> {
    const STRETCH: usize = 1 << 16;
    let mut mono = Vec::with_capacity(clip.frames());
    for from in (0..clip.frames()).step_by(STRETCH) {
        mono.extend(clip.part(from, from + STRETCH).mono());
    }
    mono
}

impl Analysis {
    /// Listens to a clip.
    pub fn of(clip: &impl Frames) -> Analysis {
        let mono = mono(clip);
        let peak = mono.iter().fold(0.0f32, |peak, value| peak.max(value.abs()));
        let gain = if peak > SILENT { 1.0 / peak } else { 0.0 };
        let flux = Flux::of(&mono, gain);
        Analysis { flux, mono, peak }
    }

    /// The onsets, in order of time.
    pub fn onsets(&self, sensitivity: Sensitivity) -> Vec<Onset> {
        if self.peak <= SILENT {
            return Vec::new();
        }
        let peaks = self.peaks(sensitivity);
        let strongest = peaks.iter().map(|(_, rise)| *rise).fold(f32::MIN_POSITIVE, f32::max);
        let mut found: Vec<(usize, f64)> = Vec::with_capacity(peaks.len());
        for (window, rise) in peaks {
            let earliest = found.last().map_or(0, |(frame, _)| frame + frames(15));
            let frame = self.attack(window * HOP, earliest);
            if found.last().is_none_or(|(last, _)| frame >= last + frames(15)) {
                found.push((frame, f64::from(rise / strongest)));
            }
        }
        // A loop that was cut a hair late begins in the midst of the attack that it ends with.
        if let Some(&(last, strength)) = found.last()
            && last + frames(12) > self.mono.len()
            && found.len() > 1
        {
            found.pop();
            if found[0].0 > frames(15) {
                found.insert(0, (0, strength));
            }
        }
        let ends: Vec<usize> = found.iter().skip(1).map(|(frame, _)| *frame).chain([self.mono.len()]).collect();
        let hear = |((frame, strength), end): (&(usize, f64), &usize)| {
            let near = Near::of(&self.mono, *frame, frames(32), frames(60));
            (*frame, *strength, near.family(*frame, *end), near.loudness(*frame, *end))
        };
        let heard: Vec<(usize, f64, Family, f64)> = found.iter().zip(&ends).map(hear).collect();
        let mut of_families: BTreeMap<Family, Vec<f64>> = BTreeMap::new();
        for (_, _, family, loudness) in &heard {
            of_families.entry(*family).or_default().push(*loudness);
        }
        let loud: BTreeMap<Family, f64> = of_families.into_iter().map(|(family, all)| (family, loud(all))).collect();
        let onset = |(frame, strength, family, loudness)| {
            let velocity = velocity_of(loudness / loud[&family]);
            Onset { frame, strength, loudness, velocity, family }
        };
        heard.into_iter().map(onset).collect()
    }

    /// Windows whose flux stands out: each the highest about it, and above what surrounds it by a margin.
    fn peaks(&self, sensitivity: Sensitivity) -> Vec<(usize, f32)> {
        let values = &self.flux.values;
        let highest = values.iter().copied().fold(0.0f32, f32::max);
        // An onset rises above what is about it by a share of the highest rise, and in noise by what noise rises.
        let less = (50.0 - sensitivity.0) / 50.0;
        let mut sorted = values.clone();
        let (_, median, _) = sorted.select_nth_unstable_by(values.len() / 2, f32::total_cmp);
        let noise = 2.0 * libm::exp2(less) as f32 * *median;
        let margin = (0.03 * libm::pow(20.0, less) as f32 * highest).max(noise).max(1e-3);
        let mut found: Vec<(usize, f32)> = Vec::new();
        let about = |at: usize, before: usize, after: usize| {
            &values[at.saturating_sub(before)..(at + after + 1).min(values.len())]
        };
        // The end of a loop is next to its beginning.
        let last = values.len() - 1;
        let highest_about = |at: usize| {
            let reach = windows(20).min(last);
            (0..=2 * reach).map(|place| values[(at + last + 1 - reach + place) % (last + 1)]).fold(0.0, f32::max)
        };
        for (at, value) in values.iter().copied().enumerate() {
            if value < highest_about(at) {
                continue;
            }
            let around = about(at, windows(120), windows(80));
            let mut sorted = around.to_vec();
            let (_, median, _) = sorted.select_nth_unstable_by(around.len() / 2, f32::total_cmp);
            let mean = around.iter().sum::<f32>() / around.len() as f32;
            let threshold = 0.5 * (mean + *median) + margin;
            if value < threshold {
                continue;
            }
            if found.last().is_some_and(|(last, _)| at - last <= CLOSEST) {
                continue;
            }
            found.push((at, value));
        }
        found
    }

    /// The frame near a window's centre at which a stroke begins.
    fn attack(&self, centre: usize, earliest: usize) -> usize {
        let from = centre.saturating_sub(frames(22)).max(earliest);
        let to = (centre + frames(12)).min(self.mono.len());
        let near = Near::of(&self.mono, centre, frames(80), frames(50));
        let floor = 1e-9 * f64::from(self.peak) * f64::from(self.peak);
        let sharpest = near.sharpest(from..to, floor).unwrap_or(from);
        near.begins(sharpest, from)
    }
}

/// What lies about a frame: its energies in bands, and those of its steps from frame to frame, which attacks show in.
/// What a loop begins with comes after its end.
struct Near {
    /// The frame of the clip that it begins with; below 0 that is at the end.
    start: isize,
    /// Sums from its beginning: to low, in between, high, and of the steps.
    sums: [Vec<f64>; 4],
}

impl Near {
    fn of(mono: &[f32], centre: usize, before: usize, after: usize) -> Near {
        let start = centre as isize - before as isize;
        let end = (centre + after).min(mono.len()) as isize;
        let length = mono.len() as isize;
        let samples: Vec<f32> = (start..end).map(|at| mono[at.rem_euclid(length) as usize]).collect();
        let steps: Vec<f32> = std::iter::once(0.0).chain(samples.windows(2).map(|pair| pair[1] - pair[0])).collect();
        let [low, middle, high] = split(&samples);
        let summed = |values: Vec<f32>| {
            let mut sum = 0.0;
            let sums = values.into_iter().take(samples.len()).map(|value| {
                sum += f64::from(value) * f64::from(value);
                sum
            });
            std::iter::once(0.0).chain(sums).collect::<Vec<f64>>()
        };
        Near { start, sums: [low, middle, high, steps].map(summed) }
    }

    /// The energy between two frames, of one of the sums.
    fn energy(&self, sums: usize, from: isize, to: isize) -> f64 {
        let last = self.sums[sums].len() as isize - 1;
        let at = |frame: isize| self.sums[sums][(frame - self.start).clamp(0, last) as usize];
        (at(to) - at(from)).max(0.0)
    }

    /// The frame at which energy jumps most: there the energies of the 8 ms behind and the 8 ms before are furthest
    /// apart.
    fn sharpest(&self, among: Range<usize>, floor: f64) -> Option<usize> {
        const BESIDE: isize = frames(8) as isize;
        let floor = floor * BESIDE as f64;
        let jump = |at: usize| {
            let at = at as isize;
            let ratio = |sums| {
                let [after, before] = [self.energy(sums, at, at + BESIDE), self.energy(sums, at - BESIDE, at)];
                libm::log((after + floor) / (before + floor))
            };
            ratio(STEPS) + 0.5 * ratio(LOW)
        };
        among.map(|at| (at, jump(at))).max_by(|a, b| a.1.total_cmp(&b.1)).map(|(at, _)| at)
    }

    /// Where a slow attack begins, seen from where it jumps most: a sharp one begins there.
    fn begins(&self, sharpest: usize, earliest: usize) -> usize {
        const HALF: usize = frames(1);
        let energy = |from: usize, to: usize| {
            self.energy(STEPS, from as isize, to as isize) / to.saturating_sub(from).max(1) as f64
        };
        let loudest = (0..20).map(|step| energy(sharpest + step * HALF, sharpest + (step + 2) * HALF));
        let loudest = loudest.fold(0.0, f64::max);
        let far = sharpest.saturating_sub(frames(24)).max(earliest);
        let before =
            energy(far.min(sharpest.saturating_sub(frames(14))), sharpest.saturating_sub(frames(12)).max(far + 1));
        let enough = before + 0.03 * (loudest - before);
        let mut begins = sharpest;
        while begins > far + HALF && energy(begins - HALF, begins + HALF) > enough {
            begins -= HALF / 4;
        }
        if 2 * (sharpest - begins) <= 3 * HALF {
            return sharpest;
        }
        // What swells evenly has 17 % of its amplitude there, and 60 % a while later: it began before both.
        let risen = before + 0.36 * (loudest - before);
        let mut rises = begins;
        while rises < sharpest + frames(24) && energy(rises.saturating_sub(HALF), rises + HALF) < risen {
            rises += HALF / 4;
        }
        let swell = rises - begins;
        if swell < frames(3) { begins + HALF } else { begins.saturating_sub(swell * 2 / 5).max(far) }
    }

    fn loudness(&self, from: usize, end: usize) -> f64 {
        let to = (from + frames(40)).min(end).max(from + 1);
        let energy: f64 = [LOW, MIDDLE, HIGH].map(|sums| self.energy(sums, from as isize, to as isize)).iter().sum();
        libm::sqrt(energy / (to - from) as f64)
    }

    /// By what the first 60 ms add to what was there before.
    fn family(&self, from: usize, end: usize) -> Family {
        let (from, to) = (from as isize, (from + frames(60)).min(end).max(from + 1) as isize);
        let before = from - frames(12) as isize;
        let added = |sums| {
            let own = self.energy(sums, from, to) / (to - from) as f64;
            let there = self.energy(sums, before, from) / (from - before) as f64;
            (own - 0.7 * there).max(0.0)
        };
        let [low, middle, high] = [LOW, MIDDLE, HIGH].map(added);
        let all = low + middle + high + 1e-15;
        if low / all > 0.33 && high / all < 0.05 {
            Family::Kick
        } else if high / all > 0.62 {
            Family::Hat
        } else if high / all > 0.04 {
            Family::Snare
        } else {
            Family::Other
        }
    }
}

const LOW: usize = 0;
const MIDDLE: usize = 1;
const HIGH: usize = 2;
const STEPS: usize = 3;

/// What loud means among some loudnesses: the 95th percentile.
fn loud(mut all: Vec<f64>) -> f64 {
    all.sort_by(f64::total_cmp);
    let place = (all.len() as f64 * 0.95).ceil() as usize;
    all[place.clamp(1, all.len()) - 1].max(1e-9)
}

/// The velocity that is so much as loud as 112, by the curve of [`Velocity::amplitude`].
fn velocity_of(share: f64) -> Velocity {
    let value = (112.0 * libm::pow(share, 1.0 / 1.7)).round().clamp(1.0, 127.0);
    Velocity::new(value as u8).expect("it was clamped")
}

/// Below about 160 Hz, in between, and above about 4 kHz: by one-pole filters, twice each.
fn split(mono: &[f32]) -> [Vec<f32>; 3] {
    let smooth = |hertz: f64, input: &[f32]| -> Vec<f32> {
        let step = (1.0 - libm::exp(-std::f64::consts::TAU * hertz / f64::from(RATE))) as f32;
        let pass = |input: &[f32]| {
            let mut held = 0.0f32;
            input
                .iter()
                .map(|value| {
                    held += step * (value - held);
                    held
                })
                .collect::<Vec<f32>>()
        };
        pass(&pass(input))
    };
    let low = smooth(160.0, mono);
    let under = smooth(4000.0, mono);
    let high: Vec<f32> = mono.iter().zip(&under).map(|(all, under)| all - under).collect();
    let middle: Vec<f32> = under.iter().zip(&low).map(|(under, low)| under - low).collect();
    [low, middle, high]
}
