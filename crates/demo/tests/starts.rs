//! Starting points on the demo songs, and on copies of them whose velocities are all alike.

use std::collections::BTreeSet;
use vivida_core::{
    Chart, Context, Family, Hit, Kit, Measured, Part, Performance, Rule, Thresholds, Velocity, findings, perform,
    starting_points,
};
use vivida_demo::songs;
use vivida_smf::read;

fn flattened(part: &Part, to: u8) -> Part {
    Part::new(part.hits().iter().map(|hit| Hit { velocity: Velocity::new(to).unwrap(), ..*hit }).collect())
}

/// The layers of a drum that are played.
fn layers(chart: &Chart, place: usize, played: &Performance) -> usize {
    let kit: &Kit = &chart.kit;
    let own = played.sounding().filter(|hit| chart.instrument_of(hit.note, hit.channel) == Some(place));
    let layer = |velocity: Velocity| kit.instruments[place].layers.iter().rposition(|one| one.from <= velocity);
    own.map(|hit| layer(hit.velocity)).collect::<BTreeSet<_>>().len()
}

#[test]
fn they_use_the_layers_of_the_kit_whatever_the_velocity_was() {
    for demo in songs() {
        let song = read(&demo.bytes).unwrap();
        let Some(file_part) = song.parts.iter().filter(|part| part.drums).max_by_key(|part| part.part.hits().len())
        else {
            continue;
        };
        let sections = song.sections();
        let context = Context { sections: &sections, ..Context::new(&song.tempo, &song.metre) };
        for to in [None, Some(127), Some(100), Some(64)] {
            let part = to.map_or_else(|| file_part.part.clone(), |to| flattened(&file_part.part, to));
            let chart = Chart::new(&part, Kit::of_drums(&part));
            for point in starting_points(&part, &chart, &context) {
                let played = perform(&part, &chart, &point.recipe, &context);
                let name = format!("{} {to:?} {}", demo.name, point.name);
                let reading = Measured::played(&part, &chart, &context, &played);
                let thresholds = Thresholds::default();
                let left: Vec<_> = findings(&part, &chart, &context, &played, &thresholds)
                    .into_iter()
                    .filter(|one| {
                        matches!(one.rule, Rule::OneVelocity | Rule::IdenticalNeighbours | Rule::Slammed | Rule::OnGrid)
                    })
                    .map(|one| one.said)
                    .collect();
                assert!(left.is_empty(), "{name}: {left:?}");
                let mut typical = Vec::new();
                for (place, instrument) in chart.kit.instruments.iter().enumerate() {
                    let figures = &reading.instruments[place].figures;
                    if figures.count < 48 {
                        continue;
                    }
                    typical.push((instrument.family, figures.typical, figures.hard));
                    if to.is_some() && matches!(instrument.family, Family::Hat | Family::Snare) {
                        let used = layers(&chart, place, &played);
                        assert!(used >= 3, "{name}: {} uses {used} layers, {figures:?}", instrument.name);
                    }
                }
                let alike = reading.all.identical_neighbours;
                assert!(to.is_none() || alike <= 0.05, "{name}: {alike} identical neighbours");
                let top = played.sounding().filter(|hit| hit.velocity == Velocity::MAX).count();
                let share = top as f64 / f64::from(reading.all.count);
                assert!(to.is_none() || share <= 0.02, "{name}: {share} at 127");
                // The backbeat stays the loudest.
                let snare = typical.iter().find(|one| one.0 == Family::Snare).map(|one| one.1);
                for (family, other, _) in typical.iter().filter(|one| !matches!(one.0, Family::Snare | Family::Crash)) {
                    let louder = snare.is_none_or(|snare| snare + 1.0 >= *other);
                    assert!(to.is_none() || louder, "{name}: {family:?} at {other}, the snare at {snare:?}");
                }
            }
        }
    }
}

/// A rough performance is tidied and pulled together by any of them, and keeps its life.
#[test]
fn a_rough_performance_is_tidied() {
    let songs = songs();
    let demo = songs.iter().find(|demo| demo.name == "Tin Roof").unwrap();
    let song = read(&demo.bytes).unwrap();
    let (part, context) = (&song.parts[0], Context::new(&song.tempo, &song.metre));
    let chart = part.chart(true);
    let written = Measured::written(&part.part, &chart, &context).all.clone();
    for point in starting_points(&part.part, &chart, &context) {
        let played = perform(&part.part, &chart, &point.recipe, &context);
        let now = Measured::played(&part.part, &chart, &context, &played).all;
        let found = findings(&part.part, &chart, &context, &played, &Thresholds::default());
        let (was, is) = (written.offset_spread.0, now.offset_spread.0);
        println!("{}: {was:.1} to {is:.1} ms, {} findings", point.name, found.len());
        assert!(is < 0.85 * was && is > 1.0, "{}: {was} {is}", point.name);
        let accident =
            |one: &&vivida_core::Finding| matches!(one.rule, Rule::Stray | Rule::DoubleTrigger | Rule::Crosstalk);
        assert!(!found.iter().any(|one| accident(&one)), "{}: {found:?}", point.name);
        assert!(now.identical_neighbours < 0.08 && now.velocity_spread > 10.0, "{}: {now:?}", point.name);
    }
}
