//! Drop strays against performances whose accidents are known, and against ones that have none.

use std::collections::BTreeMap;
use vivida_core::action::Strays;
use vivida_core::{Action, Aim, Context, HitId, Pass, Performance, Recipe, Rule, Thresholds, findings, perform};
use vivida_demo::{Accident, clean, rough};
use vivida_smf::read;

/// The drums of a file as Drop strays leaves them, beside what they were.
fn cleaned(bytes: &[u8]) -> (Performance, Vec<(u32, u8, HitId)>) {
    let song = read(bytes).unwrap();
    let part = song.parts.iter().find(|part| part.drums).unwrap();
    let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), Action::Strays(Strays::default()))]);
    let performance = perform(&part.part, &part.chart(true), &recipe, &Context::new(&song.tempo, &song.metre));
    let hits = part.part.hits().iter().map(|hit| ((hit.tick.0 / 2.0) as u32, hit.note.get(), hit.id)).collect();
    (performance, hits)
}

/// Precision and recall.
fn judged(bytes: &[u8], accidents: &[Accident]) -> (f64, f64) {
    let (performance, hits) = cleaned(bytes);
    let mut left: BTreeMap<Accident, u32> = BTreeMap::new();
    accidents.iter().for_each(|one| *left.entry(*one).or_default() += 1);
    let (mut right, mut wrong) = (0.0, 0.0);
    for ((tick, note, _), hit) in hits.iter().zip(&performance.written) {
        if hit.silenced.is_none() {
            continue;
        }
        match left.get_mut(&(*tick, *note)).filter(|count| **count > 0) {
            Some(count) => {
                *count -= 1;
                right += 1.0;
            }
            None => wrong += 1.0,
        }
    }
    (right / (right + wrong), right / accidents.len() as f64)
}

fn on_other_pads(note: u8) -> u8 {
    match note {
        50 => 48,
        47 => 45,
        43 => 41,
        51 => 59,
        49 => 57,
        other => other,
    }
}

fn on_hand_drums(note: u8) -> u8 {
    match note {
        50 => 62,
        47 => 63,
        43 => 64,
        42 => 44,
        38 => 40,
        36 => 35,
        other => other,
    }
}

#[test]
fn accidents_are_found_and_strokes_are_left() {
    let (bytes, accidents) = rough("Tin Roof", 41, |note| note);
    let (precision, recall) = judged(&bytes, &accidents);
    println!("Tin Roof: {} accidents, precision {precision:.3}, recall {recall:.3}", accidents.len());
    assert!(precision >= 0.95 && recall >= 0.95);
    let kits: [fn(u8) -> u8; 3] = [|note| note, on_other_pads, on_hand_drums];
    for seed in 100..110 {
        let (bytes, accidents) = rough("Rough", seed, kits[seed as usize % 3]);
        let (precision, recall) = judged(&bytes, &accidents);
        println!("{seed}: {} accidents, precision {precision:.3}, recall {recall:.3}", accidents.len());
        assert!(precision >= 0.95 && recall >= 0.95);
    }
}

/// What is said of a performance by the three rules of mis-hits.
fn said(bytes: &[u8]) -> Vec<String> {
    let song = read(bytes).unwrap();
    let part = song.parts.iter().find(|part| part.drums).unwrap();
    let (chart, context) = (part.chart(true), Context::new(&song.tempo, &song.metre));
    let performance = perform(&part.part, &chart, &Recipe::default(), &context);
    let found = findings(&part.part, &chart, &context, &performance, &Thresholds::default()).into_iter();
    let rules = [Rule::Stray, Rule::DoubleTrigger, Rule::Crosstalk];
    found.filter(|one| rules.contains(&one.rule)).map(|one| one.said).collect()
}

#[test]
fn what_was_meant_is_no_finding() {
    let clean: Vec<String> = (1..=20).flat_map(|seed| said(&clean("Clean", seed))).collect();
    assert!(clean.is_empty(), "{clean:?}");
    for demo in vivida_demo::songs() {
        assert!(said(&demo.bytes).is_empty() == (demo.name != "Tin Roof"), "{}: {:?}", demo.name, said(&demo.bytes));
    }
}

#[test]
fn what_was_meant_stays() {
    for seed in 1..=20 {
        let (performance, hits) = cleaned(&clean("Clean", seed));
        let dropped: Vec<_> = hits
            .iter()
            .zip(&performance.written)
            .filter(|(_, hit)| hit.silenced.is_some())
            .map(|(was, _)| was)
            .collect();
        assert!(dropped.is_empty(), "{seed}: {dropped:?} {:?}", performance.passes[0].reasons);
    }
    for demo in vivida_demo::songs().iter().filter(|song| ["Night Ferry", "The Weir"].contains(&song.name)) {
        let (performance, _) = cleaned(&demo.bytes);
        assert_eq!(performance.passes[0].silenced, 0, "{}: {:?}", demo.name, performance.passes[0].reasons);
    }
}
