//! Spectral flux: how much louder each moment is than the one before it, band by band.
//!
//! After S. Böck, F. Krebs and M. Schedl, *Evaluating the online capabilities of onset detection methods* (ISMIR 2012):
//! magnitudes through a filterbank of equal steps in pitch, their logarithm, the rises summed. As in S. Böck and
//! G. Widmer, *Maximum filter vibrato suppression for onset detection* (DAFx 2013), a band is held against the loudest
//! of its neighbours two frames before, so that tones that waver are no onsets. Windows are shorter than theirs, as
//! drums are close together.

use crate::RATE;
use realfft::RealFftPlanner;

/// Frames of sound in a window.
const WINDOW: usize = 1024;
/// Frames of sound from one window to the next.
pub(crate) const HOP: usize = 220;
/// A window is held against the one so many before it.
const LAG: usize = 2;
const LOWEST: f64 = 40.0;
const HIGHEST: f64 = 16_000.0;
const BANDS_PER_OCTAVE: f64 = 6.0;
/// What is softer than full scale by so much counts for little.
const COMPRESSION: f32 = 60.0;

/// The flux of each window, as a mean over the bands.
pub(crate) struct Flux {
    pub(crate) values: Vec<f32>,
}

impl Flux {
    /// Of one channel, made as loud as full scale by `gain`. Window `n` is centred on frame `n · HOP`.
    pub(crate) fn of(mono: &[f32], gain: f32) -> Flux {
        let bands = bands();
        let mut planner = RealFftPlanner::<f32>::new();
        let transform = planner.plan_fft_forward(WINDOW);
        let shape: Vec<f32> = (0..WINDOW)
            .map(|at| {
                let turn = std::f64::consts::TAU * at as f64 / WINDOW as f64;
                (0.5 - 0.5 * libm::cos(turn)) as f32 * gain * 4.0 / WINDOW as f32
            })
            .collect();
        let mut window = transform.make_input_vec();
        let mut spectrum = transform.make_output_vec();
        let mut scratch = transform.make_scratch_vec();
        let mut past: Vec<Vec<f32>> = vec![vec![0.0; bands.len()]; LAG];
        let count = mono.len().div_ceil(HOP);
        let mut values = Vec::with_capacity(count);
        if mono.is_empty() {
            return Flux { values };
        }
        // The first ones are there to hold the next against.
        for number in -(LAG as isize)..count as isize {
            let from = number * HOP as isize - (WINDOW / 2) as isize;
            for (at, (value, shape)) in window.iter_mut().zip(&shape).enumerate() {
                // What a loop begins with comes after its end.
                let place = (from + at as isize).rem_euclid(mono.len() as isize) as usize;
                *value = mono[place] * shape;
            }
            transform
                .process_with_scratch(&mut window, &mut spectrum, &mut scratch)
                .expect("the buffers are as long as the plan says");
            let now: Vec<f32> = bands
                .iter()
                .map(|band| {
                    let power: f32 = spectrum[band.clone()].iter().map(|one| one.norm_sqr()).sum();
                    (1.0 + COMPRESSION * power.sqrt()).ln()
                })
                .collect();
            let before = &past[number.rem_euclid(LAG as isize) as usize];
            let neighbours = |band: usize| &before[band.saturating_sub(1)..(band + 2).min(before.len())];
            let rise = |(band, value): (usize, &f32)| {
                let loudest = neighbours(band).iter().copied().fold(0.0, f32::max);
                (value - loudest).max(0.0)
            };
            if number >= 0 {
                values.push(now.iter().enumerate().map(rise).sum::<f32>() / bands.len() as f32);
            }
            past[number.rem_euclid(LAG as isize) as usize] = now;
        }
        Flux { values }
    }
}

/// The lines of the spectrum that belong to each band.
fn bands() -> Vec<std::ops::Range<usize>> {
    let line = |hertz: f64| (hertz * WINDOW as f64 / f64::from(RATE)).round() as usize;
    let mut found: Vec<std::ops::Range<usize>> = Vec::new();
    let mut edge = LOWEST;
    while edge < HIGHEST {
        let next = edge * libm::exp2(1.0 / BANDS_PER_OCTAVE);
        let from = found.last().map_or(line(edge).max(1), |band| band.end);
        // Narrow ones grow together where the spectrum is no finer.
        if line(next) > from {
            found.push(from..line(next));
        }
        edge = next;
    }
    found
}
