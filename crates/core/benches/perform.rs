//! How long performances take. The ratios at the end are what counts: machines differ.

use criterion::{BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use std::hint::black_box;
use std::time::Instant;
use vivida_core::action::{ActionFamily, Contrast, Lean, Level, Loosen, Shape, Spread};
use vivida_core::*;

// As in the program.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn part(hits: u32) -> Part {
    let hit = |id: u32| Hit {
        id: HitId(id),
        tick: Ticks(60.0 * f64::from(id)),
        length: Ticks(50.0),
        velocity: Velocity::new((id * 37 % 127) as u8 + 1).unwrap(),
        release: 64,
        note: Note::new([42, 38, 42, 36, 42, 46, 42, 51][id as usize % 8]).unwrap(),
        channel: Channel::PERCUSSION,
    };
    Part::new((0..hits).map(hit).collect())
}

/// Eight passes of a usual mix: three shapes, contrast, level, a lean and two loosens.
fn eight_passes() -> Recipe {
    let loosen = Loosen { early: Millis(3.0), late: Millis(6.0), spread: Spread::Bell, ..Loosen::default() };
    let passes = [
        (Aim::at("closed-hat"), Action::Shape(Shape::default())),
        (Aim::at("snare"), Action::Shape(Shape::default())),
        (Aim::at("kick"), Action::Shape(Shape { follow: Percent(100.0), ..Shape::default() })),
        (Aim::everything(), Action::Contrast(Contrast { contrast: Percent(120.0), pivot: None })),
        (Aim::at("ride"), Action::Level(Level { by: -6.0 })),
        (Aim::at("snare"), Action::Lean(Lean { by: Millis(8.0), ..Lean::default() })),
        (Aim::everything(), Action::Loosen(loosen.clone())),
        (Aim::at("closed-hat"), Action::Loosen(loosen)),
    ];
    Recipe { passes: (1..).zip(passes).map(|(id, (aim, action))| Pass::new(id, aim, action)).collect() }
}

/// Twenty passes of Touch on 10 000 hits, every action among them.
fn twenty_passes(criterion: &mut Criterion, context: &Context<'_>) {
    let part = part(10_000);
    let chart = Chart::new(&part, Kit::of_drums(&part));
    let touch = Action::defaults().into_iter().filter(|action| action.info().family == ActionFamily::Touch);
    let passes = (1..=20).zip(touch.collect::<Vec<_>>().into_iter().cycle());
    let recipe = Recipe { passes: passes.map(|(id, action)| Pass::new(id, Aim::everything(), action)).collect() };
    let play = || perform(black_box(&part), &chart, &recipe, context);
    criterion.bench_function("20 passes, 10 000 hits", |bencher| bencher.iter(play));
    let mut times: Vec<f64> = (0..41)
        .map(|_| {
            let start = Instant::now();
            black_box(play());
            start.elapsed().as_secs_f64() * 1000.0
        })
        .collect();
    times.sort_by(f64::total_cmp);
    println!("10 000 hits by 20 passes: {:.1} ms median; {:.2} of the aimed 15 ms", times[20], times[20] / 15.0);
}

fn performances(criterion: &mut Criterion) {
    let ppq = Ppq::new(960).unwrap();
    let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
    let context = Context::new(&tempo, &metre);
    let recipe = eight_passes();
    let mut group = criterion.benchmark_group("perform, 8 passes");
    let mut medians = Vec::new();
    for hits in [10_000, 100_000] {
        let part = part(hits);
        let chart = Chart::new(&part, Kit::of_drums(&part));
        group.throughput(Throughput::Elements(u64::from(hits)));
        group.bench_with_input(BenchmarkId::from_parameter(hits), &part, |bencher, part| {
            bencher.iter(|| perform(black_box(part), &chart, &recipe, &context));
        });
        let mut times: Vec<f64> = (0..21)
            .map(|_| {
                let start = Instant::now();
                black_box(perform(black_box(&part), &chart, &recipe, &context));
                start.elapsed().as_secs_f64() * 1000.0
            })
            .collect();
        times.sort_by(f64::total_cmp);
        medians.push(times[times.len() / 2]);
    }
    group.finish();
    twenty_passes(criterion, &context);
    println!("100 000 hits by 8 passes: {:.1} ms median; {:.2} of the aimed 40 ms", medians[1], medians[1] / 40.0);
    println!("ten times the hits take {:.1} times as long (n log n would be 12.5)", medians[1] / medians[0]);
}

criterion_group!(benches, performances);
criterion_main!(benches);
