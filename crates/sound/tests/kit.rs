//! The kit, listened to as far as measuring goes.

use rustfft::{FftPlanner, num_complex::Complex};
use vivida_sound::{ALTERNATES, LAYER_COUNT, SAMPLE_RATE, Samples, Voice, samples};

/// The middle of the spectrum's energy, in Hz.
fn brightness(sample: &[f32]) -> f64 {
    let size = sample.len().min(16_384);
    let mut bins: Vec<Complex<f32>> = sample[..size].iter().map(|&value| Complex::new(value, 0.0)).collect();
    FftPlanner::new().plan_fft_forward(size).process(&mut bins);
    let powers = bins[..size / 2].iter().enumerate();
    let (mut sum, mut weighed) = (0.0, 0.0);
    for (bin, value) in powers {
        let power = f64::from(value.norm_sqr());
        sum += power;
        weighed += power * bin as f64 * f64::from(SAMPLE_RATE) / size as f64;
    }
    weighed / sum
}

fn mean_brightness(all: &Samples, layer: usize) -> f64 {
    (0..ALTERNATES).map(|alternate| brightness(all.sample(layer, alternate))).sum::<f64>() / ALTERNATES as f64
}

/// When the sound has fallen to a hundredth of its energy to come, in s.
fn decay(sample: &[f32]) -> f64 {
    let all: f64 = sample.iter().map(|value| f64::from(value * value)).sum();
    let mut left = all;
    let gone = sample.iter().position(|value| {
        left -= f64::from(value * value);
        left < all / 100.0
    });
    gone.unwrap_or(sample.len()) as f64 / f64::from(SAMPLE_RATE)
}

#[test]
fn harder_strokes_are_brighter() {
    for voice in Voice::ALL.into_iter().filter(|&voice| voice != Voice::Click) {
        let all = samples(voice);
        let layers: Vec<f64> = (0..LAYER_COUNT).map(|layer| mean_brightness(&all, layer)).collect();
        println!("{voice:?}: {layers:.0?} Hz, {:.2} s", decay(all.sample(LAYER_COUNT - 1, 0)));
        assert!(layers[LAYER_COUNT - 1] > layers[0] * 1.02, "{voice:?}: {layers:.0?} Hz");
        let jumps: Vec<f64> = layers.windows(2).map(|pair| pair[1] / pair[0]).collect();
        assert!(jumps.iter().all(|jump| (0.85..1.9).contains(jump)), "{voice:?} jumps: {jumps:.2?}");
    }
}

#[test]
fn nothing_clips_clicks_or_drifts() {
    for voice in Voice::ALL {
        let all = samples(voice);
        for layer in 0..LAYER_COUNT {
            for alternate in 0..ALTERNATES {
                let sample = all.sample(layer, alternate);
                let peak = sample.iter().fold(0.0f32, |peak, value| peak.max(value.abs()));
                assert!((0.79..0.81).contains(&peak), "{voice:?} peaks at {peak}");
                assert!(sample[0].abs() < 0.02, "{voice:?} begins with a click: {}", sample[0]);
                assert_eq!(sample[all.frames - 1], 0.0, "{voice:?} ends with a click");
                let mean = sample.iter().sum::<f32>() / sample.len() as f32;
                assert!(mean.abs() < 0.02, "{voice:?} is off centre by {mean}");
                assert!(sample.iter().all(|value| value.is_finite()));
            }
        }
    }
}

#[test]
fn repeats_are_never_the_same_sample() {
    for voice in Voice::ALL.into_iter().filter(|&voice| voice != Voice::Click) {
        let all = samples(voice);
        for layer in 0..LAYER_COUNT {
            for (one, other) in (0..ALTERNATES).flat_map(|one| (0..one).map(move |other| (one, other))) {
                let (a, b) = (all.sample(layer, one), all.sample(layer, other));
                let apart: f32 = a.iter().zip(b).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
                assert!(apart > 0.01, "{voice:?}, layer {layer}: two alternates differ by {apart} at most");
            }
        }
    }
}

#[test]
fn sounds_ring_as_long_as_their_kind() {
    let rings = |voice| decay(samples(voice).sample(LAYER_COUNT - 1, 0));
    assert!(rings(Voice::HatClosed) < 0.12 && rings(Voice::HatClosed) < rings(Voice::HatOpen) / 2.0);
    let hats = [Voice::HatClosed, Voice::HatQuarter, Voice::HatHalf, Voice::HatOpen].map(rings);
    assert!(hats.windows(2).all(|pair| pair[0] < pair[1]), "{hats:.2?}");
    assert!(rings(Voice::Crash) > 0.4 && rings(Voice::RideBow) > 0.25);
    assert!(rings(Voice::TomHigh) < rings(Voice::TomLow) * 1.5);
    assert!(rings(Voice::CongaMuted) < rings(Voice::CongaHigh) / 2.0);
    assert!((0.05..0.4).contains(&rings(Voice::Kick)) && (0.05..0.4).contains(&rings(Voice::SnareCentre)));
}
