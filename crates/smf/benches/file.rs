//! How long a whole file takes (read, 8 passes, write) against midly alone reading and writing it.

use criterion::{Criterion, criterion_group, criterion_main};
use midly::num::{u4, u7, u15, u28};
use midly::{Format, Header, MetaMessage, MidiMessage, Smf, Timing, TrackEvent, TrackEventKind};
use std::hint::black_box;
use std::time::Instant;
use vivida_core::action::{
    Contrast, LaneAnchor, LaneOffset, LaneScale, LaneSmooth, LaneThin, Lean, Level, Loosen, Shape,
};
use vivida_core::*;
use vivida_smf::{Export, read, write};

// As in the program.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn file(hits: u32) -> Vec<u8> {
    let note = |delta: u32, key: u8, vel: u8| TrackEvent {
        delta: u28::from(delta),
        kind: TrackEventKind::Midi {
            channel: u4::from(9),
            message: MidiMessage::NoteOn { key: u7::from(key), vel: u7::from(vel) },
        },
    };
    let mut track = Vec::new();
    for index in 0..hits {
        let key = [42, 38, 42, 36, 42, 46, 42, 51][index as usize % 8];
        track.push(note(20, key, (index * 37 % 127) as u8 + 1));
        track.push(note(40, key, 0));
    }
    track.push(TrackEvent { delta: u28::from(0), kind: TrackEventKind::Meta(MetaMessage::EndOfTrack) });
    let header = Header { format: Format::SingleTrack, timing: Timing::Metrical(u15::from(480)) };
    let mut bytes = Vec::new();
    Smf { header, tracks: vec![track] }.write_std(&mut bytes).expect("memory can be written to");
    bytes
}

/// A note now and then, and so many values of expression: a slow wave with a nervous hand.
fn lines(values: u32) -> Vec<u8> {
    let event = |delta: u32, message| TrackEvent {
        delta: u28::from(delta),
        kind: TrackEventKind::Midi { channel: u4::from(9), message },
    };
    let mut track = Vec::new();
    for index in 0..values {
        let wave = 64.0 + 50.0 * (f64::from(index) / 400.0).sin() + f64::from(index * 37 % 7);
        let value = u7::from(wave as u8);
        track.push(event(5, MidiMessage::Controller { controller: u7::from(11), value }));
        if index % 50 == 0 {
            track.push(event(0, MidiMessage::NoteOn { key: u7::from(42), vel: u7::from(90) }));
            track.push(event(5, MidiMessage::NoteOn { key: u7::from(42), vel: u7::from(0) }));
        }
    }
    track.push(TrackEvent { delta: u28::from(0), kind: TrackEventKind::Meta(MetaMessage::EndOfTrack) });
    let header = Header { format: Format::SingleTrack, timing: Timing::Metrical(u15::from(480)) };
    let mut bytes = Vec::new();
    Smf { header, tracks: vec![track] }.write_std(&mut bytes).expect("memory can be written to");
    bytes
}

fn lane_passes() -> Recipe {
    let passes = [
        Action::LaneSmooth(LaneSmooth { over: Millis(60.0), ..LaneSmooth::default() }),
        Action::LaneScale(LaneScale::default()),
        Action::LaneOffset(LaneOffset::default()),
        Action::LaneAnchor(LaneAnchor::default()),
    ];
    Recipe::of((1..).zip(passes).map(|(id, action)| Pass::new(id, Aim::everything(), action)).collect())
}

fn eight_passes() -> Recipe {
    let passes = [
        (Aim::at("closed-hat"), Action::Shape(Shape::default())),
        (Aim::at("snare"), Action::Shape(Shape::default())),
        (Aim::at("kick"), Action::Shape(Shape::default())),
        (Aim::everything(), Action::Contrast(Contrast::default())),
        (Aim::at("ride-1"), Action::Level(Level { by: -6.0 })),
        (Aim::at("snare"), Action::Lean(Lean { by: Millis(8.0), ..Lean::default() })),
        (Aim::everything(), Action::Loosen(Loosen::default())),
        (Aim::at("closed-hat"), Action::Loosen(Loosen::default())),
    ];
    Recipe::of((1..).zip(passes).map(|(id, (aim, action))| Pass::new(id, aim, action)).collect())
}

fn with_vivida(bytes: &[u8], recipe: &Recipe) -> Vec<u8> {
    let song = read(bytes).expect("a good file");
    let part = &song.parts[0];
    let context = Context { lanes: part.lanes(), ..Context::new(&song.tempo, &song.metre) };
    let played = perform(&part.part, &part.chart(true), recipe, &context);
    write(bytes, &song, &[(0, played)], Export::default())
}

fn with_midly(bytes: &[u8]) -> Vec<u8> {
    let smf = Smf::parse(bytes).expect("a good file");
    let mut out = Vec::new();
    smf.write_std(&mut out).expect("memory can be written to");
    out
}

fn millis(work: impl FnOnce() -> Vec<u8>) -> f64 {
    let start = Instant::now();
    black_box(work());
    start.elapsed().as_secs_f64() * 1000.0
}

fn median(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

/// How much longer Vivida takes than midly: the median over pairs of runs, one right after the
/// other, so that a busy machine slows both.
fn ratio(bytes: &[u8], recipe: &Recipe) -> f64 {
    let pair = |_| {
        let midly = millis(|| with_midly(black_box(bytes)));
        millis(|| with_vivida(black_box(bytes), recipe)) / midly
    };
    median((0..41).map(pair).collect())
}

fn files(criterion: &mut Criterion) {
    let bytes = file(100_000);
    let (eight, none) = (eight_passes(), Recipe::default());
    let mut group = criterion.benchmark_group("a file of 100 000 hits");
    group.sample_size(20);
    group.bench_function("read, 8 passes, write", |bencher| bencher.iter(|| with_vivida(black_box(&bytes), &eight)));
    group.bench_function("midly alone: read, write", |bencher| bencher.iter(|| with_midly(black_box(&bytes))));
    group.bench_function("read, write", |bencher| bencher.iter(|| with_vivida(black_box(&bytes), &none)));
    group.bench_function("read", |bencher| bencher.iter(|| read(black_box(&bytes))));
    group.finish();
    println!("read, 8 passes, write: {:.2} times as long as midly alone (aimed at: 3)", ratio(&bytes, &eight));
    println!("read, write: {:.2} times as long (aimed at: 1.6)", ratio(&bytes, &none));
    let lines = lines(100_000);
    let lanes = lane_passes();
    let mut group = criterion.benchmark_group("a file of 100 000 lane values");
    group.sample_size(20);
    group.bench_function("read, 4 lane passes, write", |bencher| {
        bencher.iter(|| with_vivida(black_box(&lines), &lanes));
    });
    group.bench_function("midly alone: read, write", |bencher| bencher.iter(|| with_midly(black_box(&lines))));
    group.finish();
    println!(
        "100 000 lane values, read, 4 lane passes, write: {:.2} times as long (aimed at: 3)",
        ratio(&lines, &lanes)
    );
    println!("100 000 lane values, read, write: {:.2} times as long (aimed at: 1.6)", ratio(&lines, &none));
    let song = read(&lines).expect("a good file");
    let part = &song.parts[0];
    let context = Context { lanes: part.lanes(), ..Context::new(&song.tempo, &song.metre) };
    let chart = part.chart(true);
    let thin = Action::LaneThin(LaneThin { within: 2.0, ..LaneThin::default() });
    let thin = Recipe::of(vec![Pass::new(1, Aim::everything(), thin)]);
    let times = (0..21).map(|_| {
        let start = Instant::now();
        black_box(perform(&part.part, &chart, &thin, &context));
        start.elapsed().as_secs_f64() * 1000.0
    });
    let median = median(times.collect());
    println!("100 000 lane values thinned: {median:.1} ms median; {:.2} of the aimed 20 ms", median / 20.0);
}

criterion_group!(benches, files);
criterion_main!(benches);
