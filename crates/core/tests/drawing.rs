//! Drawing: the same strokes change a Written of one's own and, by hand, a part of a file, and both sound alike.

use proptest::collection::vec;
use proptest::prelude::*;
use vivida_core::*;

const INSTRUMENTS: [&str; 4] = ["kick", "snare", "closed-hat", "ride-1"];
const BARS: u32 = 6;

/// A drawing in terms of hits by their order, so that it means the same in both parts.
#[derive(Clone, Debug)]
enum Stroke {
    Fill(usize, f64, f64, Grid, Option<Velocity>),
    Erase(usize, f64, f64, Grid),
    Thin(Vec<usize>),
    Shift(Vec<usize>, i32, Grid, Option<usize>, bool),
    Faster(Vec<usize>, u8),
    CopyBars(u32, u32, u32, u32),
    ClearBars(u32, u32),
}

fn strokes() -> impl Strategy<Value = Vec<Stroke>> {
    let place = || -500.0..25_000.0f64;
    let grid = || {
        prop_oneof![Just("1/16"), Just("1/8 triplet"), Just("1/32"), Just("1/4")].prop_map(|text| text.parse().unwrap())
    };
    let some = || vec(0usize..40, 1..6);
    let velocity = proptest::option::of((1u8..=127).prop_map(|value| Velocity::new(value).unwrap()));
    let one = prop_oneof![
        4 => (0..4usize, place(), place(), grid(), velocity).prop_map(|(i, a, b, g, v)| Stroke::Fill(i, a, b, g, v)),
        1 => (0..4usize, place(), place(), grid()).prop_map(|(i, a, b, g)| Stroke::Erase(i, a, b, g)),
        1 => some().prop_map(Stroke::Thin),
        3 => (some(), -9..9i32, grid(), proptest::option::of(0..4usize), any::<bool>())
            .prop_map(|(hits, by, grid, to, copy)| Stroke::Shift(hits, by, grid, to, copy)),
        1 => (some(), 2..=4u8).prop_map(|(hits, times)| Stroke::Faster(hits, times)),
        2 => (1..6u32, 0..2u32, 1..7u32, 1..3u32).prop_map(|(from, more, to, times)| Stroke::CopyBars(from, from + more, to, times)),
        1 => (1..6u32, 0..2u32).prop_map(|(from, more)| Stroke::ClearBars(from, from + more)),
    ];
    vec(one, 1..12)
}

/// As a drawing on these hits; nothing where it chooses none.
fn drawing(stroke: &Stroke, ids: &[HitId]) -> Option<Drawing> {
    let named = |place: usize| InstrumentId::new(INSTRUMENTS[place]);
    let chosen = |places: &[usize]| -> Option<Vec<HitId>> {
        let hits: Vec<HitId> = places.iter().filter_map(|&place| ids.get(place).copied()).collect();
        (!hits.is_empty()).then_some(hits)
    };
    Some(match stroke {
        Stroke::Fill(one, from, to, grid, velocity) => Drawing::Fill {
            instrument: named(*one),
            from: Ticks(*from),
            to: Ticks(*to),
            grid: *grid,
            path: velocity.map(|velocity| PathPoint { tick: Ticks(*from), velocity }).into_iter().collect(),
        },
        Stroke::Erase(one, from, to, grid) => {
            Drawing::Erase { instrument: named(*one), from: Ticks(*from), to: Ticks(*to), grid: *grid }
        }
        Stroke::Thin(hits) => Drawing::Thin { hits: chosen(hits)? },
        Stroke::Shift(hits, cells, grid, to, copy) => {
            Drawing::Shift { hits: chosen(hits)?, cells: *cells, grid: *grid, instrument: to.map(named), copy: *copy }
        }
        Stroke::Faster(hits, times) => Drawing::Faster { hits: chosen(hits)?, times: *times, grid: Grid::SIXTEENTHS },
        Stroke::CopyBars(from, to, at, times) => Drawing::CopyBars {
            bars: BarRange { from: *from, to: *to },
            to: *at,
            times: *times,
            instruments: Vec::new(),
        },
        Stroke::ClearBars(from, to) => {
            Drawing::ClearBars { bars: BarRange { from: *from, to: *to }, instruments: Vec::new() }
        }
    })
}

/// A hit as it is heard, and its id.
type Heard = (i64, u8, u8, HitId);

fn in_order(mut heard: Vec<Heard>) -> Vec<Heard> {
    heard.sort_by_key(|&(tick, note, velocity, _)| (tick, note, velocity));
    heard
}

proptest! {
    #[test]
    fn written_and_by_hand_sound_alike(strokes in strokes()) {
        let outline = Outline::plain(BARS, 100.0, "4/4");
        let (tempo, metre) = outline.maps();
        let end = outline.end(&metre);
        let context = Context::new(&tempo, &metre);
        let kit = Kit::general_midi();
        let of_file = Part::default();
        let file_chart = Chart::new(&of_file, kit.clone());
        let mut own = Part::default();
        let mut recipe = Recipe::default();
        for stroke in &strokes {
            let chart = Chart::new(&own, kit.clone());
            let standing = own.standing();
            let written = in_order(standing.iter().map(|one| (one.tick.0 as i64, one.note.get(), one.velocity.get(), one.id)).collect());
            let played = perform(&of_file, &file_chart, &recipe, &context);
            let by_hand = in_order(played.sounding().map(|hit| (hit.tick.0 as i64, hit.note.get(), hit.velocity.get(), hit.id)).collect());
            let ids = |heard: &[Heard]| heard.iter().map(|one| one.3).collect::<Vec<HitId>>();
            let paper = Paper { chart: &chart, metre: &metre, standing: &standing, end };
            let first = drawing(stroke, &ids(&written)).map(|one| one.edits(&paper));
            let gesture = drawing(stroke, &ids(&by_hand)).map(|drawing| Gesture::Draw { drawing });
            let bench = Bench::new(&of_file, &file_chart, &context).until(end);
            let second = gesture.map(|gesture| bench.after(&recipe, &gesture));
            match (first, second) {
                (Some(Ok(edits)), Some(Ok(after))) => {
                    own = own.drawn(&edits, own.free_id());
                    recipe = after;
                }
                (Some(Err(one)), Some(Err(other))) => prop_assert_eq!(one, (other.path, other.message)),
                (None, None) => {}
                other => prop_assert!(false, "{other:?}"),
            }
            prop_assert!(own.hits().iter().all(|hit| hit.tick.0 >= 0.0 && hit.tick < end));
            let heard = |all: Vec<Heard>| all.into_iter().map(|(tick, note, velocity, _)| (tick, note, velocity)).collect::<Vec<_>>();
            let played = perform(&of_file, &file_chart, &recipe, &context);
            let by_hand = in_order(played.sounding().map(|hit| (hit.tick.0 as i64, hit.note.get(), hit.velocity.get(), hit.id)).collect());
            let written = in_order(own.hits().iter().map(|one| (one.tick.0 as i64, one.note.get(), one.velocity.get(), one.id)).collect());
            prop_assert_eq!(heard(written), heard(by_hand), "{:?}", stroke);
        }
    }
}
