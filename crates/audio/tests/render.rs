//! Slices played anew: as they were where nothing moved, and without a click where something did.

use proptest::prelude::*;
use vivida_audio::{Analysis, Clip, Cut, Depth, Placed, Played, RATE, Sensitivity, Struck, read, render, write_wav};
use vivida_core::{Ppq, Slicing, TempoMap, Ticks, Velocity};
use vivida_demo::{LoopPlan, MadeLoop};

fn clip_of(made: &MadeLoop) -> Clip {
    Clip::new([0, 1].map(|side| made.frames.iter().map(|frame| frame[side]).collect()).to_vec())
}

/// The slices of a loop as they lie.
fn slices(clip: &Clip) -> Vec<Placed> {
    let mut starts: Vec<usize> =
        Analysis::of(clip).onsets(Sensitivity::default()).iter().map(|onset| onset.frame).collect();
    if starts.first() != Some(&0) {
        starts.insert(0, 0);
    }
    let ends: Vec<usize> = starts.iter().skip(1).copied().chain([clip.frames()]).collect();
    starts.iter().zip(ends).map(|(&from, to)| Placed { from, to, at: from as f64, gain: 1.0 }).collect()
}

/// The largest step from frame to frame of the mono signal within a stretch.
fn step(clip: &Clip, from: usize, to: usize) -> f32 {
    clip.channels()
        .iter()
        .flat_map(|channel| channel[from.max(1) - 1..to.min(channel.len())].windows(2))
        .map(|pair| (pair[1] - pair[0]).abs())
        .fold(0.0, f32::max)
}

#[test]
fn nothing_moved_is_the_clip_sample_for_sample() {
    for seed in 0..8 {
        let clip = clip_of(&LoopPlan::numbered(seed).make());
        let out = render(&clip, &slices(&clip), 0..clip.frames(), clip.frames());
        assert!(out == clip, "loop {seed}");
        // Twice round, over the border.
        let mut twice = slices(&clip);
        twice.extend(slices(&clip).iter().map(|one| Placed { at: one.at + clip.frames() as f64, ..*one }));
        let out = render(&clip, &twice, 0..clip.frames(), 2 * clip.frames());
        assert!(out.part(clip.frames(), 2 * clip.frames()) == clip && out.part(0, clip.frames()) == clip);
    }
}

/// A part of a song: its cuts by ticks, and nothing moved, at the clip's own tempo.
#[test]
fn a_part_without_passes_is_the_clip_each_time_round() {
    for seed in 0..8 {
        let plan = LoopPlan::numbered(seed);
        let clip = clip_of(&plan.make());
        let ppq = Ppq::new(960).unwrap();
        let ticks = Ticks(960.0 * 4.0 * f64::from(plan.bars));
        // As a file holds it: whole microseconds.
        let micros = (clip.seconds() / (4.0 * f64::from(plan.bars)) * 1e6).round() as u32;
        let tempo = TempoMap::new(ppq, [(Ticks(0.0), micros)]);
        let slicing = Slicing { from: 0, to: clip.frames() as u64, start: Ticks(0.0), ticks, times: 3 };
        let onsets = Analysis::of(&clip).onsets(Sensitivity::default());
        let cuts: Vec<Cut> = (0..3)
            .flat_map(|round| {
                onsets.iter().map(move |onset| Cut { tick: slicing.tick(onset.frame, round), velocity: onset.velocity })
            })
            .collect();
        let struck = |cut: usize| Struck { cut, seconds: tempo.seconds(cuts[cut].tick), velocity: cuts[cut].velocity };
        let struck: Vec<Struck> = (0..cuts.len()).map(struck).collect();
        let length = clip.frames();
        let played = Played { slicing: &slicing, cuts: &cuts, struck: &struck, tempo: &tempo, speed: 1.0 };
        let arranged = played.arrange();
        let out = arranged.render(&clip, 0..3 * length as i64);
        for round in 0..3 {
            assert!(out.part(round * length, (round + 1) * length) == clip, "loop {seed}, round {round}");
        }
        // A piece of it is the same piece of the whole.
        assert!(arranged.render(&clip, 1000..1000 + length as i64) == out.part(1000, 1000 + length));
        // The second half of a loop by itself, over and over.
        let half = slicing.tick(length / 2, 0)..slicing.tick(length, 0);
        let [from, to] = [half.start, half.end].map(|tick| played.frame(tick).round() as i64);
        let around = played.arrange_round(half).render(&clip, from..to);
        // It meets its own beginning in a fade of 3 ms; the whole loop does not.
        let own = (to - from) as usize - 140;
        assert!(around.part(0, own) == clip.part(from as usize, from as usize + own), "loop {seed}");
        let whole = played.arrange_round(Ticks(0.0)..ticks).render(&clip, 0..length as i64);
        assert!(whole == clip, "loop {seed}");
        // Twice as fast is half as long, and a louder kick is louder.
        let fast = Played { speed: 2.0, ..played.clone() }.arrange().render(&clip, 0..2 * length as i64);
        assert!(fast.part(3 * length / 2 + 4 * RATE as usize, 2 * length).peak() < 1e-3);
    }
}

#[test]
fn moved_slices_make_no_click() {
    for seed in 0..12 {
        let clip = clip_of(&LoopPlan::numbered(seed).make());
        let own = step(&clip, 1, clip.frames());
        for far in [-1500.0, -400.0, 700.0, 2500.0] {
            let moved: Vec<Placed> = slices(&clip)
                .iter()
                .enumerate()
                .map(|(place, one)| Placed { at: (one.at + if place % 2 == 1 { far } else { 0.0 }).max(0.0), ..*one })
                .collect();
            let out = render(&clip, &moved, 0..clip.frames(), clip.frames() + 9000);
            let largest = step(&out, 1, out.frames());
            assert!(largest <= 1.25 * own, "loop {seed} moved by {far}: {largest} over {own}");
            // Nor where slices meet, held against what is about there: the 3 ms before each onset are fades alone.
            for one in &moved {
                let at = one.at.round() as usize;
                if at < 400 || at + 400 > out.frames() {
                    continue;
                }
                let join = step(&out, at - 140, at);
                let about = step(&out, at - 400, at + 400);
                assert!(join <= about, "loop {seed} at {at}");
            }
        }
    }
}

#[test]
fn a_gap_is_filled_by_what_dies_away() {
    let clip = clip_of(&LoopPlan::numbered(2).make());
    let slow: Vec<Placed> = slices(&clip).iter().map(|one| Placed { at: one.at * 1.3, ..*one }).collect();
    let out = render(&clip, &slow, 0..clip.frames(), (clip.frames() as f64 * 1.3) as usize);
    // Loud where it was loud: the level of the whole is about what it was.
    let level = |clip: &Clip| {
        let squares: f64 = clip.mono().iter().map(|value| f64::from(value * value)).sum();
        10.0 * (squares / clip.frames() as f64).log10()
    };
    assert!((level(&out) - level(&clip)).abs() < 2.5, "{} {}", level(&out), level(&clip));
    // Silence never lasts longer than it did.
    assert!(out.part(out.frames() - 3000, out.frames()).peak() > 0.0);
}

#[test]
fn wav_files_come_back_as_they_went() {
    let clip = clip_of(&LoopPlan::numbered(4).make());
    for depth in [Depth::Sixteen, Depth::TwentyFour, Depth::Float] {
        let bytes = write_wav(&clip, depth).unwrap();
        let back = read(bytes.clone()).unwrap();
        assert!(back.said.is_empty() && back.rate == RATE, "{:?}", back.said);
        if depth == Depth::Float {
            assert!(back.clip == clip);
        }
        assert_eq!(write_wav(&back.clip, depth).unwrap(), bytes);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    /// Whatever comes: it renders, stays finite, and is the same in pieces as in one.
    #[test]
    fn any_slices_are_rendered(
        wild in prop::collection::vec((0usize..3000, 0usize..3000, -2000.0f64..6000.0, 0.0f32..3.0), 0..20),
        cut in 0i64..5000,
    ) {
        let clip = Clip::new(vec![(0..3000).map(|at| ((at * at) as f32 * 0.001).sin()).collect()]);
        let slices: Vec<Placed> = wild.iter().map(|&(from, to, at, gain)| Placed { from, to, at, gain }).collect();
        let arranged = vivida_audio::Arranged::new(&slices, 0..3000);
        let whole = arranged.render(&clip, 0..5000);
        prop_assert!(whole.channels()[0].iter().all(|value| value.is_finite() && value.abs() < 20.0));
        let first = arranged.render(&clip, 0..cut);
        let second = arranged.render(&clip, cut..5000);
        let joined: Vec<f32> = first.channels()[0].iter().chain(&second.channels()[0]).copied().collect();
        prop_assert_eq!(&joined, &whole.channels()[0]);
    }

    /// Any slicing, any hits.
    #[test]
    fn any_part_is_arranged(
        ticks in prop::collection::vec(-100.0f64..9000.0, 0..12),
        times in 1u32..4,
        velocity in 1u8..=127,
        speed in 0.2f64..4.0,
    ) {
        let clip = Clip::silence(2, 2000);
        let slicing = Slicing { from: 100, to: 1900, start: Ticks(480.0), ticks: Ticks(1920.0), times };
        let mut ticks = ticks;
        ticks.sort_by(f64::total_cmp);
        let velocity = Velocity::new(velocity).unwrap();
        let cuts: Vec<Cut> = ticks.iter().map(|tick| Cut { tick: Ticks(*tick), velocity }).collect();
        let struck: Vec<Struck> =
            (0..cuts.len()).map(|cut| Struck { cut, seconds: cuts[cut].tick.0 / 960.0, velocity }).collect();
        let tempo = TempoMap::new(Ppq::new(960).unwrap(), []);
        let out = Played { slicing: &slicing, cuts: &cuts, struck: &struck, tempo: &tempo, speed }.arrange().render(&clip, 0..3000);
        prop_assert_eq!(out.frames(), 3000);
    }
}
