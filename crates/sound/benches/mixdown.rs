//! How long a mixdown takes, all voices busy, and that an hour is no harder on the memory than a minute.

use criterion::{Criterion, criterion_group, criterion_main};
use std::hint::black_box;
use std::io;
use std::time::Instant;
use vivida_core::{Note, Velocity};
use vivida_sound::{Mixdown, Strike, drum_sound};

// As in the program.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// 16ths at 120 bpm on eight instruments at a time, going round all notes of the kit.
fn minutes(minutes: u32) -> Mixdown {
    let strike = |index: u32| {
        let sound = drum_sound(Note::new((27 + index % 61) as u8).unwrap());
        Strike::plain(f64::from(index / 8) * 0.125, 0.1, Velocity::new((index * 37 % 127) as u8 + 1).unwrap(), sound)
    };
    Mixdown::new((0..minutes * 480 * 8).map(strike).collect())
}

fn seconds(mixdown: &Mixdown) -> f64 {
    let start = Instant::now();
    black_box(mixdown).write(&mut io::sink(), |_| true).expect("a sink takes all");
    start.elapsed().as_secs_f64()
}

fn mixdowns(criterion: &mut Criterion) {
    let (minute, ten) = (minutes(1), minutes(10));
    // The samples are made once.
    seconds(&minute);
    let mut group = criterion.benchmark_group("mixdown");
    group.sample_size(10);
    group.bench_function("a minute, all voices", |bencher| bencher.iter(|| seconds(&minute)));
    group.finish();
    let mut times: Vec<f64> = (0..9).map(|_| seconds(&minute)).collect();
    times.sort_by(f64::total_cmp);
    println!("a minute of WAV: {:.2} s median; {:.2} of the aimed 0.4 s", times[4], times[4] / 0.4);
    println!("ten minutes take {:.1} times as long", seconds(&ten) / times[4]);
}

criterion_group!(benches, mixdowns);
criterion_main!(benches);
