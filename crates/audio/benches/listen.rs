//! How much faster than real time a loop is listened to and played: ratios of one run.

use criterion::{Criterion, criterion_group, criterion_main};
use std::hint::black_box;
use std::time::Instant;
use vivida_audio::{Analysis, Clip, Placed, Sensitivity, render};
use vivida_demo::LoopPlan;

/// Thirty seconds of a break.
fn clip() -> Clip {
    let made = LoopPlan { bars: 12, bpm: 96.0, ..LoopPlan::cut_break() }.make();
    Clip::new([0, 1].map(|side| made.frames.iter().map(|frame| frame[side]).collect()).to_vec())
}

/// How many times as long as one call of it the clip lasts: the median of several.
fn times(clip: &Clip, mut call: impl FnMut()) -> f64 {
    let mut took: Vec<f64> = (0..9)
        .map(|_| {
            let begun = Instant::now();
            call();
            begun.elapsed().as_secs_f64()
        })
        .collect();
    took.sort_by(f64::total_cmp);
    clip.seconds() / took[took.len() / 2]
}

fn listen(criterion: &mut Criterion) {
    let clip = clip();
    let found = Analysis::of(&clip).onsets(Sensitivity::default());
    let moved: Vec<Placed> = found
        .iter()
        .zip(found.iter().skip(1))
        .enumerate()
        .map(|(place, (onset, next))| {
            let late = if place % 2 == 1 { 900.0 } else { 0.0 };
            Placed { from: onset.frame, to: next.frame, at: onset.frame as f64 + late, gain: 0.9 }
        })
        .collect();
    let analysed = times(&clip, || {
        black_box(Analysis::of(&clip).onsets(Sensitivity::default()));
    });
    let rendered = times(&clip, || {
        black_box(render(&clip, &moved, 0..clip.frames(), clip.frames()));
    });
    println!(
        "analysis: {analysed:.0} times real time (wanted 60); rendering, every slice moved: {rendered:.0} (wanted 100)"
    );
    criterion
        .bench_function("analysis of 30 s", |bench| bench.iter(|| Analysis::of(&clip).onsets(Sensitivity::default())));
    criterion.bench_function("30 s, every slice moved", |bench| {
        bench.iter(|| render(&clip, &moved, 0..clip.frames(), clip.frames()));
    });
}

criterion_group! { name = benches; config = Criterion::default().sample_size(10); targets = listen }
criterion_main!(benches);
