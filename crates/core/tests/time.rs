//! Tempo, metre and grid: properties that hold for every song.

use proptest::collection::vec;
use proptest::prelude::*;
use vivida_core::{Grid, Metre, MetreMap, Millis, Ppq, TempoMap, Ticks};

fn tempos() -> impl Strategy<Value = TempoMap> {
    vec((0..50_000u32, 100_000..2_000_000u32), 0..8).prop_map(|mut changes| {
        changes.sort();
        TempoMap::new(
            Ppq::new(960).unwrap(),
            changes.into_iter().map(|(tick, micros)| (Ticks(f64::from(tick)), micros)),
        )
    })
}

fn metres() -> impl Strategy<Value = MetreMap> {
    vec((0..50_000u32, 1..13u8, 0..5u32), 0..6).prop_map(|mut changes| {
        changes.sort();
        let metre = |(tick, numerator, power): (u32, u8, u32)| {
            (Ticks(f64::from(tick)), Metre::new(numerator, 1 << power).unwrap())
        };
        MetreMap::new(Ppq::new(960).unwrap(), changes.into_iter().map(metre))
    })
}

fn grids() -> impl Strategy<Value = Grid> {
    let text = prop_oneof![
        (0..8u32).prop_map(|power| format!("1/{}", 1 << power)),
        (0..8u32).prop_map(|power| format!("1/{} dotted", 1 << power)),
        (0..8u32).prop_map(|power| format!("1/{} triplet", 1 << power)),
        (0..8u32, 1..=9u8, 1..=9u8).prop_map(|(power, count, space)| format!("1/{} {count}:{space}", 1 << power)),
    ];
    text.prop_map(|text| text.parse().unwrap())
}

proptest! {
    #[test]
    fn time_never_runs_backwards(tempo in tempos(), a in 0.0..60_000.0, b in 0.0..60_000.0) {
        let (early, late) = if a < b { (a, b) } else { (b, a) };
        prop_assert!(tempo.seconds(Ticks(early)) <= tempo.seconds(Ticks(late)));
    }

    #[test]
    fn millis_and_ticks_are_each_others_inverse(tempo in tempos(), at in 0.0..60_000.0, ms in -500.0..500.0) {
        let there = tempo.ticks_of(Millis(ms), Ticks(at));
        prop_assert!((tempo.millis_of(there, Ticks(at)).0 - ms).abs() < 1e-9);
    }

    #[test]
    fn a_short_stretch_lasts_as_long_as_its_tempo_says(tempo in tempos(), at in 0.0..60_000.0) {
        // Within one tick there is at most one change, so the two ways agree to the faster tick.
        let passed = 1000.0 * (tempo.seconds(Ticks(at + 1.0)) - tempo.seconds(Ticks(at)));
        let rates = [tempo.millis_per_tick(Ticks(at)), tempo.millis_per_tick(Ticks(at + 1.0))];
        let (least, most) = (rates[0].min(rates[1]), rates[0].max(rates[1]));
        prop_assert!(passed >= least - 1e-9 && passed <= most + 1e-9);
    }

    #[test]
    fn every_tick_lies_in_its_bar(metre in metres(), at in 0.0..200_000.0) {
        let bar = metre.bar_at(Ticks(at));
        prop_assert!(bar.start.0 <= at && at < bar.start.0 + bar.length.0 + 1e-9);
        prop_assert_eq!(metre.bar(bar.number).start, bar.start);
        let next = metre.bar(bar.number + 1);
        prop_assert!((next.start.0 - bar.start.0 - bar.length.0).abs() < 1e-6, "no gap up to the next bar");
        prop_assert_eq!(metre.bar_at(next.start).number, bar.number + 1);
    }

    #[test]
    fn downbeats_are_heaviest_and_weights_are_shares(metre in metres(), at in 0.0..200_000.0) {
        let weight = metre.weight(Ticks(at));
        prop_assert!((0.0..=1.0).contains(&weight));
        prop_assert_eq!(metre.weight(metre.bar_at(Ticks(at)).start), 1.0);
    }

    #[test]
    fn beats_lie_in_their_bar_in_order(metre in metres(), at in 0.0..200_000.0) {
        let bar = metre.bar_at(Ticks(at));
        let beats = bar.metre.beats(metre.ppq());
        prop_assert_eq!(beats[0], Ticks(0.0));
        prop_assert!(beats.windows(2).all(|pair| pair[0] < pair[1]));
        prop_assert!(beats[beats.len() - 1] < bar.metre.bar_length(metre.ppq()));
    }

    #[test]
    fn no_grid_line_is_nearer_than_the_nearest(metre in metres(), grid in grids(), at in 0.0..100_000.0) {
        let bar = metre.bar_at(Ticks(at));
        let line = grid.nearest(&metre, Ticks(at));
        let cell = grid.cell(metre.ppq()).0;
        prop_assert!(line >= bar.start && line.0 <= bar.start.0 + bar.length.0 + 1e-9, "a line of this bar");
        let apart = (line.0 - at).abs();
        prop_assert!(apart <= cell / 2.0 + 1e-6, "{apart} ticks to a line that has another each {cell}");
        // A line stays where it is.
        prop_assert!((grid.nearest(&metre, line).0 - line.0).abs() < 1e-6);
    }

    #[test]
    fn a_grid_reads_as_it_is_written(grid in grids()) {
        prop_assert_eq!(grid.to_string().parse::<Grid>().unwrap(), grid);
        let json = serde_json::to_string(&grid).unwrap();
        prop_assert_eq!(serde_json::from_str::<Grid>(&json).unwrap(), grid);
    }
}
