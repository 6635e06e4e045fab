//! The lines that are meant, and grace notes.

use proptest::prelude::*;
use vivida_core::action::{Drag, Flam, Lean, Loosen, Pull, Swing};
use vivida_core::*;

struct Stand {
    tempo: TempoMap,
    metre: MetreMap,
}

impl Stand {
    fn new(bpm: f64) -> Stand {
        let ppq = Ppq::new(960).unwrap();
        let tempo = TempoMap::new(ppq, [(Ticks(0.0), micros(bpm))]);
        Stand { tempo, metre: MetreMap::new(ppq, []) }
    }

    fn context(&self) -> Context<'_> {
        Context::new(&self.tempo, &self.metre)
    }
}

fn part(hits: impl IntoIterator<Item = (f64, u8, u8)>) -> Part {
    let hit = |(id, (tick, note, velocity)): (u32, (f64, u8, u8))| Hit {
        id: HitId::new(id),
        tick: Ticks(tick.round()),
        length: Ticks(60.0),
        velocity: Velocity::new(velocity).unwrap(),
        release: 64,
        note: Note::new(note).unwrap(),
        channel: Channel::PERCUSSION,
    };
    Part::new((0..).zip(hits).map(hit).collect())
}

/// 16ths of a hat, backbeats and kicks, as a machine writes them.
fn machine(bars: u32) -> Part {
    let hats = (0..16 * bars).map(|n| (240.0 * f64::from(n), 42, if n % 4 == 0 { 100 } else { 70 }));
    let snares = (0..2 * bars).map(|n| (1920.0 * f64::from(n) + 960.0, 38, 110));
    let kicks = (0..4 * bars).flat_map(|n| [(960.0 * f64::from(n), 36, 100), (960.0 * f64::from(n) + 720.0, 36, 90)]);
    part(hats.chain(snares).chain(kicks))
}

fn measured(part: &Part, stand: &Stand, passes: Vec<Action>) -> Measured {
    let chart = Chart::new(part, Kit::of_drums(part));
    let recipe = (1..).zip(passes).map(|(id, action)| Pass::new(id, Aim::everything(), action)).collect();
    let performance = perform(part, &chart, &Recipe::of(recipe), &stand.context());
    Measured::played(part, &chart, &stand.context(), &performance)
}

fn of<'a>(reading: &'a Measured, id: &str) -> &'a MeasuredInstrument {
    reading.instruments.iter().find(|one| one.instrument.as_str() == id).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn what_a_swing_makes_exact_lies_on_its_lines(eighths in any::<bool>(), swing in 52.0..66.0f64, bpm in 70.0..150.0f64) {
        let (stand, part) = (Stand::new(bpm), machine(8));
        let grid: Grid = if eighths { "1/8" } else { "1/16" }.parse().unwrap();
        let made = measured(&part, &stand, vec![Action::Swing(Swing { grid, to: Percent(swing) })]);
        for one in made.instruments.iter().filter(|one| one.figures.count > 0) {
            prop_assert!(one.figures.offset_spread.0 < 0.5 && one.figures.offset_mean.0.abs() < 0.5, "{one:?}");
            prop_assert!(one.figures.on_grid >= 0.99, "{one:?}");
        }
        let hat = of(&made, "closed-hat").lines[0].lines;
        prop_assert!(hat.pairs_of() == grid && (hat.swing.0 - swing).abs() < 0.3, "{hat:?}");

        // It is measured alike when it is written so.
        let chart = Chart::new(&part, Kit::of_drums(&part));
        let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), Action::Swing(Swing { grid, to: Percent(swing) }))]);
        let played = perform(&part, &chart, &recipe, &stand.context()).written;
        let hits = played.iter().zip(part.hits()).map(|(hit, was)| Hit { tick: hit.tick, ..*was });
        let written = measured(&Part::new(hits.collect()), &stand, Vec::new());
        prop_assert_eq!(&of(&written, "closed-hat").figures.on_grid, &1.0);
        let again = of(&written, "closed-hat").lines[0].lines;
        prop_assert!((again.swing.0 - swing).abs() < 0.3 && again.pairs_of() == grid, "{again:?}");

        // And straightened again it is straight.
        let straight = Pull { strength: Percent(100.0), ..Pull::default() };
        let back = measured(&part, &stand, vec![Action::Swing(Swing { grid, to: Percent(swing.min(62.0)) }), Action::Pull(straight)]);
        prop_assert!(of(&back, "closed-hat").lines[0].lines.is_straight());
    }

    #[test]
    fn grace_notes_go_where_their_hit_goes(before in 14.0..45.0f64, ms in -30.0..30.0f64, drag in any::<bool>(), swing in 50.0..66.0f64) {
        let stand = Stand::new(100.0);
        let ticks = before * 1.6;
        let graces = if drag { vec![2.0 * ticks, ticks] } else { vec![ticks] };
        let backbeats = (0..16).flat_map(|n| {
            let at = 1920.0 * f64::from(n) + 1200.0;
            graces.iter().map(move |by| (at - by, 38, 40)).chain([(at, 38, 110)]).collect::<Vec<_>>()
        });
        let part = part(backbeats);
        let chart = Chart::new(&part, Kit::of_drums(&part));
        let meant = chart.meant(&part, &stand.metre, &stand.tempo);
        prop_assert_eq!(meant.graces.count, 16 * graces.len());
        let loosen = Loosen { early: Millis(15.0), late: Millis(15.0), ..Loosen::default() };
        let passes = [
            Action::Lean(Lean { by: Millis(ms), ..Lean::default() }),
            Action::Swing(Swing { grid: "1/16".parse().unwrap(), to: Percent(swing) }),
            Action::Loosen(loosen),
            Action::Pull(Pull { strength: Percent(80.0), ..Pull::default() }),
        ];
        for action in passes {
            let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), action.clone())]);
            let performance = perform(&part, &chart, &recipe, &stand.context());
            for (index, of) in meant.graces.pairs() {
                let apart = performance.written[of].tick - performance.written[index].tick;
                let was = part.hits()[of].tick - part.hits()[index].tick;
                prop_assert!((apart.0 - was.0).abs() < 1e-9, "{:?}: {} instead of {}", action.info().kind, apart.0, was.0);
            }
        }
    }

    #[test]
    fn what_is_found_changes_nothing_that_sounds(hits in proptest::collection::vec((0..20_000u32, 36..50u8, 1..127u8), 1..60)) {
        let (stand, part) = (Stand::new(120.0), part(hits.into_iter().map(|(at, note, velocity)| (f64::from(at), note, velocity))));
        let chart = Chart::new(&part, Kit::of_drums(&part));
        chart.meant(&part, &stand.metre, &stand.tempo);
        let performance = perform(&part, &chart, &Recipe::default(), &stand.context());
        prop_assert!(performance.written.iter().zip(part.hits()).all(|(hit, was)| *hit == PlayedHit::as_written(was)));
    }
}

#[test]
fn flams_that_passes_make_are_no_looseness() {
    let (stand, part) = (Stand::new(110.0), machine(8));
    for action in [Action::Flam(Flam::default()), Action::Drag(Drag::default())] {
        let made = measured(&part, &stand, vec![action]);
        let snare = &of(&made, "snare").figures;
        assert!(snare.graces >= 16 && snare.offset_spread.0 == 0.0 && snare.on_grid == 1.0, "{snare:?}");
    }
}

#[test]
fn lines_that_are_set_are_those_that_count() {
    let (stand, part) = (Stand::new(120.0), machine(4));
    let swung = Lines::swung(Grid::SIXTEENTHS, Percent(60.0));
    let drums = [(InstrumentId::new("closed-hat"), swung)].into_iter().collect();
    let lines = LinesSetting { all: None, drums };
    let chart = Chart::new(&part, Kit::of_drums(&part)).measured_against(lines);
    let reading = Measured::written(&part, &chart, &stand.context());
    // Every second 16th is 10 % of 250 ms early.
    let hat = &of(reading, "closed-hat").figures;
    assert!((hat.offset_mean.0 + 12.5).abs() < 0.01 && (hat.on_grid - 0.5).abs() < 0.01, "{hat:?}");
    assert_eq!(of(reading, "snare").figures.on_grid, 1.0);
}

#[test]
fn triplets_between_straight_bars_are_told_apart() {
    let bar = |number: u32, of: u32, cell: f64| {
        (0..of).map(move |n| (3840.0 * f64::from(number) + cell * f64::from(n), 38, 90))
    };
    let part = part(
        (0..4)
            .flat_map(|number| bar(number, 16, 240.0))
            .chain(bar(4, 12, 320.0))
            .chain((5..8).flat_map(|number| bar(number, 16, 240.0))),
    );
    let reading = measured(&part, &Stand::new(120.0), Vec::new());
    let snare = of(&reading, "snare");
    let said: Vec<String> = snare.lines.iter().map(|from| format!("{}: {}", from.bar, from.lines)).collect();
    assert_eq!(said, ["1: straight 16ths", "5: 8th triplets", "6: straight 16ths"]);
    assert_eq!((snare.figures.on_grid, snare.figures.offset_spread.0), (1.0, 0.0));
}

#[test]
fn the_worst_hit_is_named() {
    let mut hits: Vec<(f64, u8, u8)> = (0..64).map(|n| (240.0 * f64::from(n), 42, 80)).collect();
    hits[37].0 += 48.0;
    let reading = measured(&part(hits), &Stand::new(120.0), Vec::new());
    let worst = of(&reading, "closed-hat").figures.worst.unwrap();
    assert_eq!((worst.hit, worst.bar), (HitId::new(37), 3));
    assert!((worst.late.0 - 25.0).abs() < 1e-9);
}
