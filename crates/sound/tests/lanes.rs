//! Lanes are heard: volume and expression by the square of their number, pan, and the bend, by numbers.

use proptest::prelude::*;
use std::collections::BTreeMap;
use std::sync::Arc;
use vivida_core::{GoesWith, Lane, LaneKind, Note, PlayedLane, Ppq, TempoMap, Ticks, Velocity};
use vivida_sound::{Mixdown, Recorded, SAMPLE_RATE, Strike, Strip, drum_sound};

/// 120 bpm, 960 ticks in a quarter note: 1920 in a second.
fn tempo() -> TempoMap {
    TempoMap::new(Ppq::new(960).unwrap(), [])
}

fn lane(kind: LaneKind, values: &[(f64, f64)]) -> PlayedLane {
    PlayedLane { lane: Lane::new(kind, values.to_vec()), goes_with: GoesWith::Time, drawn: true }
}

fn strip(lanes: &[PlayedLane]) -> Option<Strip> {
    Strip::of(lanes, LaneKind::USUAL_BEND, &tempo(), Ticks(0.0))
}

fn strike(seconds: f64, key: u8) -> Strike {
    Strike::plain(seconds, 0.1, Velocity::new(80).unwrap(), drum_sound(Note::new(key).unwrap()))
}

fn frames(mix: &Mixdown) -> Vec<[f64; 2]> {
    let mut bytes = Vec::new();
    mix.write(&mut bytes, |_| true).unwrap();
    let mut reader = hound::WavReader::new(&bytes[..]).unwrap();
    let full = f64::from(32767 << (reader.spec().bits_per_sample - 16));
    let samples: Vec<f64> = reader.samples::<i32>().map(|value| f64::from(value.unwrap()) / full).collect();
    samples.chunks(2).map(|pair| [pair[0], pair[1]]).collect()
}

fn heard(strikes: Vec<Strike>, lanes: &[PlayedLane]) -> Vec<[f64; 2]> {
    let strips = strip(lanes).into_iter().map(|strip| (0, strip)).collect();
    frames(&Mixdown::new(strikes).with_strips(strips))
}

fn energy(frames: &[[f64; 2]], side: usize) -> f64 {
    frames.iter().map(|frame| frame[side] * frame[side]).sum()
}

fn db(one: &[[f64; 2]], other: &[[f64; 2]]) -> f64 {
    10.0 * (energy(one, 0) / energy(other, 0)).log10()
}

fn second(at: f64) -> usize {
    (at * f64::from(SAMPLE_RATE)) as usize
}

#[test]
fn half_of_expression_is_a_quarter_of_the_amplitude() {
    let plain = heard(vec![strike(0.0, 36)], &[]);
    for (kind, value, wanted) in [
        (LaneKind::EXPRESSION, 63.5, -12.04),
        (LaneKind::Controller(7), 50.0, -12.04),
        (LaneKind::EXPRESSION, 127.0, 0.0),
        (LaneKind::Controller(7), 100.0, 0.0),
    ] {
        let soft = heard(vec![strike(0.0, 36)], &[lane(kind, &[(0.0, value)])]);
        assert!((db(&soft, &plain) - wanted).abs() < 0.05, "{kind} {value}: {}", db(&soft, &plain));
    }
    // Both together.
    let lanes = [lane(LaneKind::EXPRESSION, &[(0.0, 63.5)]), lane(LaneKind::Controller(7), &[(0.0, 50.0)])];
    let soft = heard(vec![strike(0.0, 36)], &lanes);
    assert!((db(&soft, &plain) + 24.08).abs() < 0.2, "{}", db(&soft, &plain));
}

#[test]
fn a_line_is_followed_while_a_sound_rings() {
    // A crash; after half a second the expression goes down.
    let plain = heard(vec![strike(0.0, 49)], &[]);
    let ducked = heard(vec![strike(0.0, 49)], &[lane(LaneKind::EXPRESSION, &[(960.0, 0.0)])]);
    assert_eq!(plain[..second(0.499)], ducked[..second(0.499)]);
    assert!(energy(&ducked[second(0.53)..], 0) == 0.0 && energy(&plain[second(0.53)..], 0) > 0.01);
}

#[test]
fn pan_and_bend_are_heard() {
    let left = heard(vec![strike(0.0, 36)], &[lane(LaneKind::Controller(10), &[(0.0, 1.0)])]);
    assert!(energy(&left, 1) < 1e-6 * energy(&left, 0));
    let right = heard(vec![strike(0.0, 36)], &[lane(LaneKind::Controller(10), &[(0.0, 127.0)])]);
    assert!(energy(&right, 0) < 1e-6 * energy(&right, 1));
    // Two semitones down last 2^(2/12) times as long; two octaves in all have the same shape.
    let plain = heard(vec![strike(0.0, 36)], &[]);
    let down = heard(vec![strike(0.0, 36)], &[lane(LaneKind::Bend, &[(0.0, -8192.0)])]);
    assert!((down.len() as f64 / plain.len() as f64 - 2f64.powf(2.0 / 12.0)).abs() < 1e-3);
    let full = Strip::of(&[lane(LaneKind::Bend, &[(0.0, 4096.0)])], 2400.0, &tempo(), Ticks(0.0)).unwrap();
    let up = frames(&Mixdown::new(vec![strike(0.0, 36)]).with_strips(BTreeMap::from([(0, full)])));
    for frame in 100..4000 {
        assert!((up[frame][0] - plain[2 * frame][0]).abs() < 3e-4, "at {frame}");
    }
}

#[test]
fn what_rests_or_is_not_heard_is_no_strip() {
    assert_eq!(strip(&[]), None);
    assert_eq!(strip(&[lane(LaneKind::EXPRESSION, &[(0.0, 127.0), (500.0, 127.0)])]), None);
    assert_eq!(strip(&[lane(LaneKind::Controller(1), &[(0.0, 90.0)]), lane(LaneKind::PEDAL, &[(0.0, 90.0)])]), None);
}

#[test]
fn another_part_is_left_as_it_is_and_stems_add_up() {
    let other = |seconds| Strike { part: 1, ..strike(seconds, 38) };
    let own = Arc::new(vec![vec![0.1f32; 30_000]]);
    let recorded = vec![Recorded { part: 0, start: 0, sound: own }];
    let lanes =
        [lane(LaneKind::EXPRESSION, &[(0.0, 90.0), (700.0, 20.0)]), lane(LaneKind::Controller(10), &[(0.0, 20.0)])];
    let strips: BTreeMap<u32, Strip> = strip(&lanes).into_iter().map(|strip| (0, strip)).collect();
    let mix = |strikes, recorded| Mixdown::new(strikes).with_recorded(recorded).with_strips(strips.clone());
    let both = vec![Strike { drum: Some(3), ..strike(0.0, 36) }, other(0.2)];
    let whole = Arc::new(mix(both, recorded.clone()));
    assert!(whole.stems().into_iter().eq([(0, None), (0, Some(3)), (1, None)]));
    let stems = whole.stems().into_iter().map(|(part, drum)| frames(&whole.stem(part, drum)));
    let stems: Vec<Vec<[f64; 2]>> = stems.collect();
    adds_up(&stems, &frames(&whole));
    let alone = frames(&Mixdown::new(vec![other(0.2)]));
    for (alone, stem) in alone.iter().zip(&stems[2]) {
        assert!((0..2).all(|side| (alone[side] - stem[side]).abs() <= FINEST));
    }
}

/// One step of 16 bits.
const FINEST: f64 = 1.0 / 32768.0;

fn adds_up(stems: &[Vec<[f64; 2]>], whole: &[[f64; 2]]) {
    for (frame, value) in whole.iter().enumerate() {
        for side in 0..2 {
            let sum: f64 = stems.iter().map(|stem| stem[frame][side]).sum();
            assert!((value[side] - sum).abs() <= FINEST, "at {frame}: {} and {sum}", value[side]);
        }
    }
}

#[test]
fn a11_stems_are_choked_and_take_turns_as_in_the_mix() {
    // An open hat that a closed one ends, rolls whose alternates take turns, and so loud that all is made softer.
    let of_drum = |drum: u16, key: u8, seconds: f64| Strike { drum: Some(drum), ..strike(seconds, key) };
    let mut strikes = vec![of_drum(0, 46, 0.0), of_drum(1, 42, 0.15)];
    strikes.extend((0..12).map(|n| of_drum(2 + n % 2, 38, f64::from(n) * 0.05)));
    strikes.extend((0..30).map(|n| of_drum(4, 36, 0.001 * f64::from(n))));
    let whole = Arc::new(Mixdown::new(strikes));
    let stems = whole.stems().into_iter().map(|(part, drum)| frames(&whole.stem(part, drum)));
    let stems: Vec<Vec<[f64; 2]>> = stems.collect();
    assert_eq!(stems.len(), 5);
    adds_up(&stems, &frames(&whole));
    let rings = |from: usize| stems[0][from..].iter().map(|frame| frame[0].abs()).fold(0.0, f64::max);
    assert!(
        rings(100) > 0.02 && rings(44_100 * 2 / 10) == 0.0,
        "the closed hat ends it: {} {}",
        rings(100),
        rings(8820)
    );
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]

    #[test]
    fn whatever_lanes_hold_the_mix_is_a_sound_and_ends(
        values in prop::collection::vec((0u32..4000, -8192i32..8192), 0..40),
        kind in prop_oneof![Just(LaneKind::Bend), Just(LaneKind::EXPRESSION), (0u8..120).prop_filter_map("a lane", LaneKind::of_controller)],
        key in 35u8..82,
    ) {
        let values: Vec<(f64, f64)> = values.iter().map(|&(tick, value)| (f64::from(tick), f64::from(value))).collect();
        let frames = heard(vec![strike(0.0, key), strike(0.3, key)], &[lane(kind, &values)]);
        prop_assert!(frames.iter().flatten().all(|value| value.is_finite() && value.abs() <= 1.0));
        let end = &frames[frames.len() - 20..];
        prop_assert!(energy(end, 0) + energy(end, 1) <= 0.01 * (energy(&frames, 0) + energy(&frames, 1)) + 1e-9);
    }
}
