//! How long performances take. The ratios at the end are what counts: machines differ.

use criterion::{BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use std::hint::black_box;
use std::time::Instant;
use vivida_core::action::{ActionFamily, Contrast, Groove, Lean, Level, Loosen, Pocket, Pull, Shape, Spread, Swing};
use vivida_core::*;

// As in the program.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn part(hits: u32) -> Part {
    let hit = |id: u32| Hit {
        id: HitId::new(id),
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
        (Aim::everything(), Action::Contrast(Contrast { contrast: Percent(120.0), ..Contrast::default() })),
        (Aim::at("ride-1"), Action::Level(Level { by: -6.0 })),
        (Aim::at("snare"), Action::Lean(Lean { by: Millis(8.0), ..Lean::default() })),
        (Aim::everything(), Action::Loosen(loosen.clone())),
        (Aim::at("closed-hat"), Action::Loosen(loosen)),
    ];
    Recipe::of((1..).zip(passes).map(|(id, (aim, action))| Pass::new(id, aim, action)).collect())
}

/// Twenty passes of Touch on 10 000 hits, every action among them.
fn twenty_passes(criterion: &mut Criterion, context: &Context<'_>) {
    let part = part(10_000);
    let chart = Chart::new(&part, Kit::of_drums(&part));
    let touch = Action::defaults().into_iter().filter(|action| action.info().family == ActionFamily::Touch);
    let passes = (1..=20).zip(touch.collect::<Vec<_>>().into_iter().cycle());
    let recipe = Recipe::of(passes.map(|(id, action)| Pass::new(id, Aim::everything(), action)).collect());
    let play = || perform(black_box(&part), &chart, &recipe, context);
    criterion.bench_function("20 passes, 10 000 hits", |bencher| bencher.iter(play));
    let median = median_of(41, || drop(black_box(play())));
    println!("10 000 hits by 20 passes: {median:.1} ms median; {:.2} of the aimed 4 ms", median / 4.0);
}

/// The same eight passes as a group of 70 %, against the passes themselves; and the rules for 500 of 100 000 hits.
fn groups_and_rules(criterion: &mut Criterion, context: &Context<'_>) {
    let part = part(100_000);
    let chart = Chart::new(&part, Kit::of_drums(&part));
    let plain = eight_passes();
    let mut grouped = plain.clone();
    grouped.groups = vec![Group { amount: Percent(70.0), ..Group::new(GroupId(1), "eight") }];
    grouped.passes.iter_mut().for_each(|pass| pass.group = Some(GroupId(1)));
    let play = |recipe: &Recipe| drop(black_box(perform(black_box(&part), &chart, recipe, context)));
    criterion.bench_function("8 passes in a group of 70 %, 100 000 hits", |bencher| bencher.iter(|| play(&grouped)));
    let [alone, together] = [&plain, &grouped].map(|recipe| median_of(21, || play(recipe)));
    println!("a group of 70 %: {:.2} times its passes, of the aimed 1.15", together / alone);
    let rehearsal = Rehearsal::of(&part, &chart, &plain, context);
    let hats = part.hits().iter().filter(|hit| hit.note.get() == 42 && hit.tick.0 % 960.0 < 60.0);
    let some: Vec<HitId> = hats.skip(300).take(500).map(|hit| hit.id).collect();
    let find = || aim_rules(black_box(&rehearsal), &some);
    println!("{} rules: {:?}", find().len(), find().first().map(|rule| (rule.means, rule.adds)));
    criterion.bench_function("the rules for 500 of 100 000 hits", |bencher| bencher.iter(find));
    let median = median_of(21, || drop(black_box(find())));
    println!("the rules for 500 of 100 000 hits: {median:.1} ms median; {:.2} of the aimed 20 ms", median / 20.0);
}

/// The groove of 100 000 hits, of every family and of all together.
fn extraction(criterion: &mut Criterion, context: &Context<'_>) {
    let part = part(100_000);
    let chart = Chart::new(&part, Kit::of_drums(&part));
    let hits: Vec<PlayedHit> = part.hits().iter().map(PlayedHit::as_written).collect();
    let take = Extraction { length: 2, ..Extraction::default() };
    let extract = || GrooveProfile::taken("", &chart, context.tempo, context.metre, black_box(&hits), &take).unwrap();
    criterion.bench_function("groove of 100 000 hits", |bencher| bencher.iter(extract));
    let median = median_of(21, || drop(black_box(extract())));
    println!("the groove of 100 000 hits: {median:.1} ms median; {:.2} of the aimed 15 ms", median / 15.0);
}

/// A pocket with twelve followers of 2 000 hits each.
fn pocket(criterion: &mut Criterion, context: &Context<'_>) {
    let part = part(24_000);
    let chart = Chart::new(&part, Kit::of_drums(&part));
    let own = GrooveProfile::own().swap_remove(0).groove;
    let settings = PocketSettings {
        pull: Pull { strength: Percent(50.0), ..Pull::default() },
        swing: Swing { to: Percent(57.0), ..Swing::default() },
        groove: Groove { groove: own, ..Groove::default() },
        lean: Lean { by: Millis(4.0), ..Lean::default() },
        loosen: Loosen { wander: Millis(4.0), ..Loosen::default() },
    };
    let pockets: Pockets = [(PocketId(1), settings)].into();
    let follow = Action::Pocket(Pocket { pocket: PocketId(1), strength: Percent(100.0) });
    let share = |id: u32| Aim { bars: vec![BarRange { from: (id - 1) * 31 + 1, to: id * 31 }], ..Aim::everything() };
    let recipe = Recipe::of((1..=13).map(|id| Pass::new(id, share(id), follow.clone())).collect());
    let context = Context { pockets: &pockets, ..*context };
    let play = || perform(black_box(&part), &chart, &recipe, &context);
    criterion.bench_function("pocket with 12 followers of 2 000 hits", |bencher| bencher.iter(play));
    let median = median_of(21, || drop(black_box(play())));
    println!("a pocket, 24 000 hits follow: {median:.1} ms median; {:.2} of the aimed 60 ms", median / 60.0);
}

/// Every pass of Hands on 100 000 hits, and sticking by itself.
fn hands(criterion: &mut Criterion, context: &Context<'_>) {
    let part = part(100_000);
    let chart = Chart::new(&part, Kit::of_drums(&part));
    let hands = Action::defaults().into_iter().filter(|action| action.info().family == ActionFamily::Hands);
    // Ghosts around each snare; grace notes and rolls are rarer, as in music.
    let aims = ["snare", "snare", "snare", "ride-1", "", "open-hat", "open-hat", "closed-hat"];
    let passes = (1..).zip(hands.zip(aims)).map(|(id, (action, name))| {
        let aim = if name.is_empty() { Aim::everything() } else { Aim::at(name) };
        let rare = matches!(action, Action::Flam(_) | Action::Drag(_) | Action::Roll(_));
        Pass::new(id, Aim { share: rare.then_some(Percent(10.0)), ..aim }, action)
    });
    let passes = passes.collect();
    let recipe = Recipe::of(passes);
    let sticking = recipe.passes.iter().filter(|pass| matches!(pass.action, Action::Sticking(_))).cloned().collect();
    for (name, recipe, wanted) in [("8 passes of hands", recipe, 60.0), ("sticking", Recipe::of(sticking), 15.0)] {
        let play = || perform(black_box(&part), &chart, &recipe, context);
        criterion.bench_function(&format!("{name}, 100 000 hits"), |bencher| bencher.iter(play));
        let median = median_of(21, || drop(black_box(play())));
        let made = play().made.len();
        println!(
            "100 000 hits, {name} ({made} made): {median:.1} ms median; {:.2} of the aimed {wanted} ms",
            median / wanted
        );
    }
}

/// What 100 000 hits are meant for, how they are played, and both readings.
fn lines(criterion: &mut Criterion, context: &Context<'_>) {
    let part = part(100_000);
    let chart = || Chart::new(&part, Kit::of_drums(&part));
    let read = |chart: Chart| {
        chart.meant(black_box(&part), context.metre, context.tempo);
        chart
    };
    let fresh = median_of(21, || drop(black_box(chart())));
    let median = median_of(21, || drop(black_box(read(chart())))) - fresh;
    println!("what 100 000 hits are meant for: {median:.1} ms median; {:.2} of the aimed 5 ms", median / 5.0);
    let known = chart();
    known.meant(&part, context.metre, context.tempo);
    let performance = perform(&part, &known, &eight_passes(), context);
    let lines = || drop(black_box(PlayedLines::of(&part, &known, context, &performance)));
    criterion.bench_function("lines of 100 000 played hits", |bencher| bencher.iter(lines));
    let median = median_of(21, lines);
    println!("the lines that 100 000 hits are played on: {median:.1} ms median; {:.2} of the aimed 5 ms", median / 5.0);
    let measured = || drop(black_box(Measured::played(&part, &known, context, &performance)));
    println!("measuring them: {:.1} ms median", median_of(21, measured));
}

/// All findings of 100 000 hits that are alive, and the tidying passes.
fn listening(criterion: &mut Criterion, context: &Context<'_>) {
    let part = part(100_000);
    let chart = Chart::new(&part, Kit::of_drums(&part));
    let played = perform(&part, &chart, &eight_passes(), context);
    let read = || findings(black_box(&part), &chart, context, &played, &Thresholds::default());
    criterion.bench_function("findings, 100 000 hits", |bencher| bencher.iter(read));
    let median = median_of(21, || drop(black_box(read())));
    println!(
        "findings over 100 000 hits ({} found): {median:.1} ms median; {:.2} of the aimed 25 ms",
        read().len(),
        median / 25.0
    );
    let tidy = Action::defaults().into_iter().filter(|action| action.info().family == ActionFamily::Tidy);
    let tidy = tidy.filter(|action| !matches!(action, Action::Silence(_)));
    let recipe = Recipe::of((1..).zip(tidy).map(|(id, action)| Pass::new(id, Aim::everything(), action)).collect());
    let median = median_of(21, || drop(black_box(perform(black_box(&part), &chart, &recipe, context))));
    println!("100 000 hits, strays and limb rescue: {median:.1} ms median");
}

fn median_of(times: usize, mut work: impl FnMut()) -> f64 {
    let mut times: Vec<f64> = (0..times)
        .map(|_| {
            let start = Instant::now();
            work();
            start.elapsed().as_secs_f64() * 1000.0
        })
        .collect();
    times.sort_by(f64::total_cmp);
    times[times.len() / 2]
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
        medians.push(median_of(21, || drop(black_box(perform(black_box(&part), &chart, &recipe, &context)))));
    }
    group.finish();
    twenty_passes(criterion, &context);
    groups_and_rules(criterion, &context);
    extraction(criterion, &context);
    pocket(criterion, &context);
    hands(criterion, &context);
    listening(criterion, &context);
    lines(criterion, &context);
    println!("100 000 hits by 8 passes: {:.1} ms median; {:.2} of the aimed 10 ms", medians[1], medians[1] / 10.0);
    println!("ten times the hits take {:.1} times as long (at most 12.5 is aimed at)", medians[1] / medians[0]);
}

criterion_group!(benches, performances);
criterion_main!(benches);
