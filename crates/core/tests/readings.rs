//! Readings against their definitions, worked out the slow way.

use proptest::collection::vec;
use proptest::prelude::*;
use vivida_core::action::{ByHand, HandHit, Loosen, Vary};
use vivida_core::stats::{mean, quantile, standard_deviation};
use vivida_core::*;

fn part(hits: &[(u32, u8, u8)]) -> Part {
    let hit = |(id, &(tick, note, velocity)): (usize, &(u32, u8, u8))| Hit {
        id: HitId::new(id as u32),
        tick: Ticks(f64::from(tick)),
        length: Ticks(30.0),
        velocity: Velocity::new(velocity).unwrap(),
        release: 64,
        note: Note::new([42, 38, 36][usize::from(note)]).unwrap(),
        channel: Channel::PERCUSSION,
    };
    Part::new(hits.iter().enumerate().map(hit).collect())
}

fn hits() -> impl Strategy<Value = Vec<(u32, u8, u8)>> {
    vec((0..20_000u32, 0..3u8, 1..=127u8), 1..60)
}

struct Stand {
    tempo: TempoMap,
    metre: MetreMap,
}

impl Stand {
    fn new() -> Stand {
        let ppq = Ppq::new(960).unwrap();
        Stand { tempo: TempoMap::new(ppq, [(Ticks(4000.0), 400_000)]), metre: MetreMap::new(ppq, []) }
    }

    fn context(&self) -> Context<'_> {
        Context::new(&self.tempo, &self.metre)
    }
}

/// Figures by their definitions: velocities, then offsets in ms of all but grace notes, of hits in the order of time.
fn check(figures: &Figures, hits: &[(u8, Option<f64>)]) -> Result<(), TestCaseError> {
    let velocities: Vec<f64> = hits.iter().map(|hit| f64::from(hit.0)).collect();
    let offsets: Vec<f64> = hits.iter().filter_map(|hit| hit.1).collect();
    prop_assert_eq!(figures.graces as usize, hits.len() - offsets.len());
    let mut sorted = velocities.clone();
    sorted.sort_by(f64::total_cmp);
    prop_assert_eq!(figures.count as usize, hits.len());
    prop_assert!((figures.velocity_mean - mean(&velocities)).abs() < 1e-9);
    prop_assert!((figures.velocity_spread - standard_deviation(&velocities)).abs() < 1e-9);
    for (figure, share) in [(figures.soft, 0.1), (figures.typical, 0.5), (figures.hard, 0.9)] {
        prop_assert!((figure - quantile(&sorted, share)).abs() < 1e-9);
    }
    prop_assert!((figures.offset_mean.0 - mean(&offsets)).abs() < 1e-9);
    prop_assert!((figures.offset_spread.0 - standard_deviation(&offsets)).abs() < 1e-9);
    if hits.len() > 1 {
        let alike = hits.windows(2).filter(|pair| pair[0].0 == pair[1].0).count();
        prop_assert!((figures.identical_neighbours - alike as f64 / (hits.len() - 1) as f64).abs() < 1e-9);
    }
    Ok(())
}

/// A chart whose timing is measured against 16ths.
fn on_sixteenths(part: &Part) -> Chart {
    let lines = LinesSetting::all(Lines::of(Grid::SIXTEENTHS));
    Chart::new(part, Kit::of_drums(part)).measured_against(lines)
}

/// Ms from the line nearest to where a hit was written.
fn late(stand: &Stand, anchor: Ticks, tick: Ticks) -> f64 {
    let line = Grid::SIXTEENTHS.nearest(&stand.metre, anchor);
    stand.tempo.millis_of(tick - line, line).0
}

proptest! {
    #[test]
    fn the_written_reading_is_what_its_words_say(hits in hits()) {
        let (stand, part) = (Stand::new(), part(&hits));
        let chart = on_sixteenths(&part);
        let reading = Measured::written(&part, &chart, &stand.context());
        let graces = &chart.graces(&part, &stand.tempo).of;
        for (instrument, one) in chart.kit.instruments.iter().zip(&reading.instruments) {
            let own: Vec<(u8, Option<f64>)> = part.hits().iter().zip(graces)
                .filter(|(hit, _)| instrument.articulations.iter().any(|way| way.note == hit.note))
                .map(|(hit, of)| (hit.velocity.get(), of.is_none().then(|| late(&stand, hit.tick, hit.tick))))
                .collect();
            check(&one.figures, &own)?;
            prop_assert!(own.is_empty() || one.portrait.touch.iter().max() == Some(&255));
        }
        prop_assert_eq!(reading.all.count as usize, part.hits().len());
        prop_assert!(reading.loudness.is_some());
    }

    #[test]
    fn the_played_reading_counts_what_sounds_where_it_was_meant(hits in hits(), removed in vec(0..60u32, 0..6), extra in 0..20_000u32) {
        let (stand, part) = (Stand::new(), part(&hits));
        let chart = on_sixteenths(&part);
        let added = HandHit {
            id: HitId::FIRST_BY_HAND,
            tick: Ticks(f64::from(extra)),
            length: Ticks(10.0),
            velocity: Velocity::new(55).unwrap(),
            note: part.hits()[0].note,
            channel: Channel::PERCUSSION,
        };
        let hand = ByHand { removed: removed.into_iter().map(HitId::new).collect(), added: vec![added], ..ByHand::default() };
        let passes = [Action::Loosen(Loosen::default()), Action::Vary(Vary::default()), Action::ByHand(hand)];
        let passes = (1..).zip(passes).map(|(id, action)| Pass::new(id, Aim::everything(), action)).collect();
        let performance = perform(&part, &chart, &Recipe::of(passes), &stand.context());
        let reading = Measured::played(&part, &chart, &stand.context(), &performance);
        let context = stand.context();
        let lines = PlayedLines::of(&part, &chart, &context, &performance);
        prop_assert_eq!(reading.all.count as usize, performance.sounding().count());
        for (instrument, one) in chart.kit.instruments.iter().zip(&reading.instruments) {
            let is_own = |note: Note| instrument.articulations.iter().any(|way| way.note == note);
            let own: Vec<(usize, &PlayedHit)> =
                performance.hits().enumerate().filter(|(_, hit)| hit.silenced.is_none() && is_own(hit.note)).collect();
            let anchor = |row: usize, hit: &PlayedHit| part.hits().get(row).map_or(hit.tick, |was| was.tick);
            let offsets: Vec<f64> = own.iter()
                .filter(|(row, _)| !lines.graces[*row])
                .map(|&(row, hit)| late(&stand, anchor(row, hit), hit.tick))
                .collect();
            prop_assert_eq!(one.figures.count as usize, own.len());
            prop_assert!((one.figures.offset_mean.0 - mean(&offsets)).abs() < 1e-9);
            prop_assert!((one.figures.offset_spread.0 - standard_deviation(&offsets)).abs() < 1e-9);
        }
    }
}

#[test]
fn what_does_not_sound_has_no_loudness() {
    let (stand, part) = (Stand::new(), part(&[(0, 0, 100), (960, 1, 90)]));
    let chart = Chart::new(&part, Kit::of_drums(&part));
    let hand = ByHand { removed: vec![HitId::new(0), HitId::new(1)], ..ByHand::default() };
    let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), Action::ByHand(hand))]);
    let performance = perform(&part, &chart, &recipe, &stand.context());
    let reading = Measured::played(&part, &chart, &stand.context(), &performance);
    assert_eq!((reading.loudness, reading.all.count, reading.all.swing), (None, 0, None));
    assert!(reading.instruments.iter().all(|one| one.portrait.touch.iter().all(|&place| place == 0)));
}

#[test]
fn swing_is_where_the_offbeats_lie() {
    // Beats and late offbeat 8ths: two thirds of the way, as in a shuffle.
    let shuffle: Vec<(u32, u8, u8)> =
        (0..16).flat_map(|beat| [(960 * beat, 0, 90), (960 * beat + 640, 0, 70)]).collect();
    let (stand, part) = (Stand::new(), part(&shuffle));
    let chart = Chart::new(&part, Kit::of_drums(&part));
    let reading = Measured::written(&part, &chart, &stand.context());
    assert!((reading.all.swing.unwrap() - 66.67).abs() < 0.01);
    assert_eq!(chart.meant(&part, &stand.metre, &stand.tempo).grid.to_string(), "1/8 triplet");
    assert_eq!(reading.all.on_grid, 1.0);
}

#[test]
fn swing_is_estimated_from_eighths_and_from_sixteenths() {
    let swung = |count: u32, cell: u32, grid: &str, to| {
        let part = part(&(0..count).map(|id| (cell * id, 0, 80)).collect::<Vec<_>>());
        let swing = action::Swing { grid: grid.parse().unwrap(), to: Percent(to) };
        let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), Action::Swing(swing))]);
        let stand = Stand::new();
        let chart = Chart::new(&part, Kit::of_drums(&part));
        let performance = perform(&part, &chart, &recipe, &stand.context());
        let all = report(&part, &chart, &stand.context(), &performance).played.all;
        (all.swing.map(f64::round), all.swing_sixteenths.map(f64::round))
    };
    assert_eq!(swung(32, 480, "1/8", 60.0), (Some(60.0), None));
    assert_eq!(swung(64, 240, "1/16", 58.0), (Some(50.0), Some(58.0)));
    // Triplets lie at two thirds of the beat; that is no swing of 16ths.
    assert_eq!(swung(48, 320, "1/8", 50.0), (Some(67.0), None));

    // Leaning is no swing: all 20 ms behind, and still straight.
    let part = part(&(0..64).map(|id| (240 * id, 0, 80)).collect::<Vec<_>>());
    let lean = action::Lean { by: Millis(20.0), ..action::Lean::default() };
    let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), Action::Lean(lean))]);
    let (stand, chart) = (Stand::new(), Chart::new(&part, Kit::of_drums(&part)));
    let performance = perform(&part, &chart, &recipe, &stand.context());
    let all = report(&part, &chart, &stand.context(), &performance).played.all;
    assert_eq!((all.swing.map(f64::round), all.swing_sixteenths.map(f64::round)), (Some(50.0), Some(50.0)));
}

#[test]
fn looseness_is_no_swing() {
    let swing_of = |hits: &[(u32, u8, u8)], ms: f64, variation: u32| {
        let part = part(hits);
        let loosen = action::Loosen { early: Millis(ms), late: Millis(ms), ..action::Loosen::default() };
        let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), Action::Loosen(loosen))]);
        let (stand, chart) = (Stand::new(), Chart::new(&part, Kit::of_drums(&part)));
        let context = Context { variation, ..stand.context() };
        let all = report(&part, &chart, &context, &perform(&part, &chart, &recipe, &context)).played.all;
        all.swing
    };
    // Loose 16ths, every fifth of them: some last ones of a beat come early, but swing no 8ths.
    let fifths: Vec<(u32, u8, u8)> = (0..500).map(|id| (1200 * id, 0, 80)).collect();
    // A few offbeats, strewn about.
    let few: Vec<(u32, u8, u8)> = (0..12).map(|id| (480 * id, 0, 80)).collect();
    for variation in 1..20 {
        let swing = swing_of(&fifths, 33.0, variation).unwrap();
        assert!((swing - 50.0).abs() < 2.0, "variation {variation}: {swing}");
        assert!(swing_of(&few, 4.0, variation).is_some(), "variation {variation}");
        assert_eq!(swing_of(&few, 90.0, variation), None, "variation {variation}");
    }
}

#[test]
fn the_eighths_of_compound_metres_are_no_swing() {
    let six = MetreMap::new(Ppq::new(960).unwrap(), [(Ticks(0.0), Metre::new(6, 8).unwrap())]);
    let stand = Stand { metre: six, ..Stand::new() };
    let swing_of = |cell: u32, count: u32, late: u32| {
        let part =
            part(&(0..count).map(|id| (cell * id + if id % 2 == 1 { late } else { 0 }, 0, 80)).collect::<Vec<_>>());
        let chart = Chart::new(&part, Kit::of_drums(&part));
        let all = &Measured::written(&part, &chart, &stand.context()).all;
        (all.swing, all.swing_sixteenths.map(f64::round))
    };
    assert_eq!(swing_of(480, 24, 0), (None, None));
    // Every second 16th 48 of 480 ticks late: 60 %.
    assert_eq!(swing_of(240, 48, 48), (None, Some(60.0)));
}
