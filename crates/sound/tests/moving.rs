//! Hits that move are heard as they move, by numbers.

use proptest::prelude::*;
use rustfft::FftPlanner;
use rustfft::num_complex::Complex;
use vivida_core::{Movement, Note, Velocity};
use vivida_sound::{Mixdown, SAMPLE_RATE, Strike, drum_sound};

fn strike(key: u8, seconds: f64, movement: Movement) -> Strike {
    let sound = drum_sound(Note::new(key).unwrap());
    Strike { movement, ..Strike::plain(seconds, 0.1, Velocity::new(90).unwrap(), sound) }
}

/// The left and right samples of a mixdown, −1 to 1.
fn heard(strikes: Vec<Strike>) -> Vec<[f64; 2]> {
    let mut bytes = Vec::new();
    Mixdown::new(strikes).write(&mut bytes, |_| true).unwrap();
    let mut reader = hound::WavReader::new(&bytes[..]).unwrap();
    let samples: Vec<f64> = reader.samples::<i16>().map(|value| f64::from(value.unwrap()) / 32767.0).collect();
    samples.chunks(2).map(|pair| [pair[0], pair[1]]).collect()
}

fn energy(frames: &[[f64; 2]], side: usize) -> f64 {
    frames.iter().map(|frame| frame[side] * frame[side]).sum()
}

/// The energy between two frequencies in Hz.
fn band(frames: &[[f64; 2]], from: f64, to: f64) -> f64 {
    let size = frames.len().next_power_of_two();
    let mut values: Vec<Complex<f64>> = frames.iter().map(|frame| Complex::new(frame[0] + frame[1], 0.0)).collect();
    values.resize(size, Complex::default());
    FftPlanner::new().plan_fft_forward(size).process(&mut values);
    let place = |hertz: f64| (hertz / f64::from(SAMPLE_RATE) * size as f64) as usize;
    values[place(from)..place(to)].iter().map(Complex::norm_sqr).sum()
}

#[test]
fn an_octave_up_is_twice_as_fast() {
    let plain = heard(vec![strike(38, 0.0, Movement::NONE)]);
    let up = heard(vec![strike(38, 0.0, Movement { pitch: 1200.0, ..Movement::NONE })]);
    assert!((up.len() as f64 - plain.len() as f64 / 2.0).abs() < 3.0, "{} and {}", up.len(), plain.len());
    // Frame n is what frame 2n was.
    for (frame, value) in up.iter().enumerate().take(4000) {
        assert!((value[0] - plain[2 * frame][0]).abs() < 2e-4, "at {frame}");
    }
}

#[test]
fn level_is_in_db_and_place_goes_left_and_right() {
    let plain = heard(vec![strike(36, 0.0, Movement::NONE)]);
    let soft = heard(vec![strike(36, 0.0, Movement { level: -6.0, ..Movement::NONE })]);
    let db = 10.0 * (energy(&soft, 0) / energy(&plain, 0)).log10();
    assert!((db + 6.0).abs() < 0.01, "{db}");
    let left = heard(vec![strike(36, 0.0, Movement { place: -100.0, ..Movement::NONE })]);
    assert!(energy(&left, 1) < 1e-6 * energy(&left, 0));
    let halfway = heard(vec![strike(36, 0.0, Movement { place: 50.0, ..Movement::NONE })]);
    assert!(energy(&halfway, 1) > 2.0 * energy(&halfway, 0));
    let power = |frames: &[[f64; 2]]| energy(frames, 0) + energy(frames, 1);
    assert!((power(&halfway) / power(&plain) - 1.0).abs() < 0.01, "as loud as before");
}

#[test]
fn brighter_is_a_high_shelf_of_twelve_db() {
    let plain = heard(vec![strike(38, 0.0, Movement { level: -12.0, ..Movement::NONE })]);
    for (brightness, wanted) in [(100.0, 12.0), (50.0, 6.0), (-100.0, -12.0)] {
        let moved = heard(vec![strike(38, 0.0, Movement { brightness, level: -12.0, ..Movement::NONE })]);
        let gain = |from, to| 10.0 * (band(&moved, from, to) / band(&plain, from, to)).log10();
        assert!((gain(10_000.0, 18_000.0) - wanted).abs() < 0.7, "{brightness}: {}", gain(10_000.0, 18_000.0));
        assert!(gain(100.0, 800.0).abs() < 0.5, "{brightness}: {}", gain(100.0, 800.0));
    }
}

#[test]
fn a_filter_goes_on_from_block_to_block() {
    // A crash lasts over many blocks; the same begun elsewhere in a block sounds alike.
    let bright = Movement { brightness: 60.0, ..Movement::NONE };
    let one = heard(vec![strike(49, 0.0, bright)]);
    let late = 1000;
    let other = heard(vec![strike(49, f64::from(late) / f64::from(SAMPLE_RATE), bright)]);
    for (frame, value) in one.iter().enumerate() {
        assert!((value[0] - other[frame + late as usize][0]).abs() < 1e-4, "at {frame}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn whatever_moves_ends_and_is_a_sound(pitch in -1200f32..1200.0, place in -100f32..100.0, level in -24f32..24.0, brightness in -100f32..100.0, key in 35..82u8) {
        let frames = heard(vec![strike(key, 0.0, Movement { pitch, place, level, brightness })]);
        prop_assert!(frames.iter().flatten().all(|value| value.is_finite() && value.abs() <= 1.0));
        prop_assert!(energy(&frames, 0) + energy(&frames, 1) > 0.0);
        let end = &frames[frames.len().saturating_sub(20)..];
        prop_assert!(energy(end, 0) + energy(end, 1) <= 0.01 * (energy(&frames, 0) + energy(&frames, 1)));
    }
}
