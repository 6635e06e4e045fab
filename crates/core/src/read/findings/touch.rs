//! What is wrong with velocities.

use super::{Cure, Finding, Listening, Rule, called, cure, in_bars, on, plural};
use crate::base::stats::{Counts, mean, quantile};
use crate::base::steps::step;
use crate::base::units::{Millis, Percent, Ticks, Velocity};
use crate::kit::{Family, Instrument};
use crate::read::touch_with_room::roomy;
use crate::recipe::action::{Action, FastHands, Level, NoTwins, Set, Shape, Silence, Spread, TwinsMove, Vary, VaryHow};
use crate::recipe::aim::{Aim, BarRange};
use std::collections::{BTreeMap, BTreeSet};

/// Fewer hits of a drum say nothing about how it is played.
const ENOUGH: usize = 8;

pub(super) fn findings(all: &Listening<'_>) -> Vec<Finding> {
    let mut found = Vec::new();
    for (one, places) in all.drums() {
        let velocities: Vec<f64> = places.iter().map(|&place| all.heard[place].velocity).collect();
        let mut sorted = velocities.clone();
        sorted.sort_by(f64::total_cmp);
        let level = if places.len() >= ENOUGH { level(all, one, places, &velocities, &sorted) } else { None };
        if level.is_none() {
            found.extend(machine_gun(all, one, places, &velocities));
        }
        found.extend(level);
        if one.family == Family::Snare {
            found.extend(loud_ghost(all, one, places, &sorted));
            found.extend(dense(all, one, places));
        }
        found.extend(level_jump(all, one, places));
    }
    found.extend(loud_fill(all));
    found
}

/// What is wrong with a drum as a whole: the worst of it.
fn level(
    all: &Listening<'_>,
    one: &Instrument,
    places: &[usize],
    velocities: &[f64],
    sorted: &[f64],
) -> Option<Finding> {
    let name = called(one);
    let alike = velocities.windows(2).filter(|two| two[0] == two[1]).count() as f64 / (velocities.len() - 1) as f64;
    let top = velocities.iter().filter(|&&velocity| velocity >= 124.0).count() as f64 / velocities.len() as f64;
    if top >= 0.5 {
        let said = if top == 1.0 {
            format!("Every {name} is struck as hard as it goes.")
        } else {
            format!("{:.0} % of the {name} is struck as hard as it goes.", 100.0 * top)
        };
        let mut finding = all.about_all(Rule::Slammed, one, places, 0.95 * (0.5 + 0.5 * top), said);
        finding.proposals = vec![shaped(one, "Bring it down to where the kit has room"), {
            let level = Action::Level(Level { by: -(sorted[sorted.len() / 2] - roomy(one)[1]).max(8.0) });
            cure("Bring it down and vary it", [(on(one), level), vary(one, 8.0), twins(one)])
        }];
        return Some(finding);
    }
    if alike > all.thresholds.alike {
        let first = sorted[0];
        let (rule, said) = if sorted[0] == sorted[sorted.len() - 1] {
            (Rule::OneVelocity, format!("Every {name} strikes at {first:.0}."))
        } else {
            (Rule::IdenticalNeighbours, format!("{:.0} % of neighbouring {name} hits are equally loud.", 100.0 * alike))
        };
        let mut finding = all.about_all(rule, one, places, 0.9 * alike, said);
        finding.proposals = vec![
            shaped(one, "Loud on the beat, soft between"),
            cure("Small differences, no two alike", [vary(one, 6.0), twins(one)]),
            cure(
                "A slow rise and fall",
                [
                    (on(one), Action::Vary(Vary { by: 7.0, how: VaryHow::Natural, slowness: 1.0, ..Vary::default() })),
                    twins(one),
                ],
            ),
        ];
        return Some(finding);
    }
    one_layer(all, one, places, velocities)
}

fn one_layer(all: &Listening<'_>, one: &Instrument, places: &[usize], velocities: &[f64]) -> Option<Finding> {
    let moves = matches!(one.family, Family::Hat | Family::Snare | Family::Ride | Family::HandPercussion);
    if !moves || one.layers.len() < 3 || places.len() < 2 * ENOUGH {
        return None;
    }
    let layer =
        |velocity: f64| one.layers.iter().rposition(|layer| f64::from(layer.from.get()) <= velocity).unwrap_or(0);
    let first = layer(velocities[0]);
    if velocities.iter().any(|&velocity| layer(velocity) != first) {
        return None;
    }
    let said = format!("The {} stays in one layer of the kit, “{}”.", called(one), one.layers[first].name);
    let mut finding = all.about_all(Rule::OneLayer, one, places, 0.35, said);
    finding.proposals = vec![shaped(one, "Use the layers of the kit")];
    Some(finding)
}

/// A shape where the kit has room for the drum.
fn shaped(one: &Instrument, name: &str) -> Cure {
    let shape = Shape::straight(roomy(one).map(|value| f64::from(Velocity::rounded(value).get())));
    let shape = Shape { follow: Percent(75.0), ..shape };
    cure(name, [(on(one), Action::Shape(shape)), twins(one)])
}

fn twins(one: &Instrument) -> (Aim, Action) {
    (on(one), Action::NoTwins(NoTwins { least: 2.0, moves: TwinsMove::default() }))
}

fn vary(one: &Instrument, by: f64) -> (Aim, Action) {
    (on(one), Action::Vary(Vary { by, spread: Spread::Bell, ..Vary::default() }))
}

/// Equal strokes in a row, quickly.
fn machine_gun(all: &Listening<'_>, one: &Instrument, places: &[usize], velocities: &[f64]) -> Option<Finding> {
    let fast = all.thresholds.fast / 1000.0;
    let (mut fired, mut longest, mut runs) = (Vec::new(), 0, 0);
    let mut from = 0;
    for nth in 1..=places.len() {
        let goes_on = nth < places.len()
            && velocities[nth] == velocities[nth - 1]
            && all.heard[places[nth]].at - all.heard[places[nth - 1]].at <= fast;
        if goes_on {
            continue;
        }
        if nth - from >= all.thresholds.machine_gun as usize {
            fired.extend_from_slice(&places[from..nth]);
            longest = longest.max(nth - from);
            runs += 1;
        }
        from = nth;
    }
    if runs == 0 {
        return None;
    }
    let bars = all.stretches(&fired);
    let said = format!("The {} fires {longest} equal strokes in a row, {}.", called(one), in_bars(&bars));
    let mut finding = all.about(Rule::MachineGun, Some(one), &fired, 0.6, said);
    let aim = || Aim { bars: bars.clone(), ..on(one) };
    let differ = (aim(), Action::NoTwins(NoTwins { least: 4.0, moves: TwinsMove::default() }));
    let natural = Action::Vary(Vary { by: 6.0, how: VaryHow::Natural, ..Vary::default() });
    finding.proposals =
        vec![cure("No two alike", [differ.clone()]), cure("Vary them, no two alike", [(aim(), natural), differ])];
    Some(finding)
}

/// A ghost note that is as loud as a stroke, among soft ones of the same places.
fn loud_ghost(all: &Listening<'_>, one: &Instrument, places: &[usize], sorted: &[f64]) -> Option<Finding> {
    let metre = all.context.metre;
    let off_the_beat = |&&place: &&usize| metre.weight(Ticks(all.heard[place].anchor)) < 0.5;
    let between: Vec<usize> = places.iter().filter(off_the_beat).copied().collect();
    if between.len() < 2 * ENOUGH {
        return None;
    }
    let mut soft: Vec<f64> = between.iter().map(|&place| all.heard[place].velocity).collect();
    soft.sort_by(f64::total_cmp);
    let (typical, most, loud) = (quantile(&soft, 0.5), quantile(&soft, 0.9), quantile(sorted, 0.9));
    if typical > 0.6 * loud {
        return None;
    }
    let limit = (most + 16.0).max(1.8 * typical).max(0.75 * loud);
    let mut wrong: Vec<usize> = between.iter().copied().filter(|&place| all.heard[place].velocity > limit).collect();
    // In a fill they are strokes.
    let toms: BTreeSet<u32> = of_family(all, Family::Tom).into_iter().map(|place| all.bar(place)).collect();
    let mut in_bar: BTreeMap<u32, u32> = BTreeMap::new();
    wrong.iter().for_each(|&place| *in_bar.entry(all.bar(place)).or_default() += 1);
    wrong.retain(|&place| {
        let bar = all.bar(place);
        !toms.contains(&bar) && in_bar.get(&bar) == Some(&1)
    });
    // More of them are accents.
    if wrong.is_empty() || wrong.len() > 2.max(between.len() / 40) {
        return None;
    }
    let velocity = all.heard[wrong[0]].velocity;
    let said = if wrong.len() == 1 {
        format!("A ghost note at {velocity:.0} among soft ones, {}.", in_bars(&all.stretches(&wrong)))
    } else {
        format!("{} among soft ones, {}.", plural(wrong.len(), "loud ghost note"), in_bars(&all.stretches(&wrong)))
    };
    let mut finding = all.about(Rule::LoudGhost, Some(one), &wrong, 0.5, said);
    let aim = || Aim { picked: Some(finding.hits.clone()), ..Aim::default() };
    let set = Set { to: Velocity::rounded(typical), ..Set::default() };
    let cures = vec![
        cure("As soft as the others", [(aim(), Action::Set(set))]),
        cure("Leave it out", [(aim(), Action::Silence(Silence {}))]),
    ];
    finding.proposals = cures;
    Some(finding)
}

/// A passage as dense as a blast, struck as hard as single strokes.
fn dense(all: &Listening<'_>, one: &Instrument, places: &[usize]) -> Option<Finding> {
    const SECONDS: f64 = 2.0;
    const LOUD: f64 = 92.0;
    let gap = 1.0 / all.thresholds.dense;
    let (mut blast, mut fastest) = (Vec::new(), 0.0_f64);
    let mut from = 0;
    for nth in 1..=places.len() {
        let goes_on = nth < places.len() && all.heard[places[nth]].at - all.heard[places[nth - 1]].at <= gap + 1e-6;
        if goes_on {
            continue;
        }
        let run = &places[from..nth];
        let lasts = all.heard[run[run.len() - 1]].at - all.heard[run[0]].at;
        let loud = mean(&run.iter().map(|&place| all.heard[place].velocity).collect::<Vec<_>>());
        if lasts >= SECONDS && loud >= LOUD {
            blast.extend_from_slice(run);
            fastest = fastest.max((run.len() - 1) as f64 / lasts);
        }
        from = nth;
    }
    if blast.is_empty() {
        return None;
    }
    let bars = all.stretches(&blast);
    let loud = mean(&blast.iter().map(|&place| all.heard[place].velocity).collect::<Vec<_>>());
    let said = format!("The {} plays {fastest:.0} strokes a second at {loud:.0}, {}.", called(one), in_bars(&bars));
    let mut finding = all.about(Rule::Dense, Some(one), &blast, 0.7, said);
    let aim = Aim { bars, ..on(one) };
    let level = |by: f64| Action::Level(Level { by });
    let faster = FastHands { softer: 24.0, reference: Millis(250.0), climb: 0 };
    let down_to = |to: f64| (format!("Down to {to:.0} there"), level(-(loud - to)));
    let (down, far_down) = (down_to(84.0), down_to(72.0));
    finding.proposals = vec![
        cure(down.0, [(aim.clone(), down.1)]),
        cure(far_down.0, [(aim.clone(), far_down.1)]),
        cure("Softer the faster", [(aim, Action::FastHands(faster))]),
    ];
    Some(finding)
}

/// A section in which a drum is far louder than in the others.
fn level_jump(all: &Listening<'_>, one: &Instrument, places: &[usize]) -> Option<Finding> {
    if places.len() < 3 * ENOUGH || all.context.sections.len() < 2 {
        return None;
    }
    // Its typical and its loud strokes: a few ghost notes more or less make no section louder.
    let levels = |counts: &[u32; 128]| [0.5, 0.9].map(|share| Counts::new(counts).quantile(share));
    let mut by_bar: Vec<(u32, usize)> = places.iter().map(|&place| (all.bar(place), place)).collect();
    by_bar.sort_unstable();
    let strike = |counts: &mut [u32; 128], place: usize| counts[all.heard[place].velocity as usize & 127] += 1;
    let mut everywhere = [0u32; 128];
    places.iter().for_each(|&place| strike(&mut everywhere, place));
    let mut worst: Option<(f64, f64, Vec<usize>, BarRange, &str)> = None;
    for section in all.context.sections {
        let from = by_bar.partition_point(|(bar, _)| *bar < section.from);
        let inside = &by_bar[from..from + by_bar[from..].partition_point(|(bar, _)| *bar <= section.to)];
        if inside.len() < ENOUGH || places.len() - inside.len() < ENOUGH {
            continue;
        }
        let mut counts = [0u32; 128];
        inside.iter().for_each(|(_, place)| {
            step();
            strike(&mut counts, *place);
        });
        let elsewhere: [u32; 128] = std::array::from_fn(|velocity| everywhere[velocity] - counts[velocity]);
        let (now, others) = (levels(&counts), levels(&elsewhere));
        let by = (now[0] - others[0]).min(now[1] - others[1]);
        let times = (now[0] / others[0].max(1.0)).min(now[1] / others[1].max(1.0));
        if by >= 30.0 && times >= 1.6 && worst.as_ref().is_none_or(|one| by > one.0) {
            let mut here: Vec<usize> = inside.iter().map(|(_, place)| *place).collect();
            here.sort_unstable();
            worst = Some((by, times, here, BarRange { from: section.from, to: section.to }, &section.name));
        }
    }
    let (by, times, here, range, section) = worst?;
    let where_it_is = in_bars(&[range]);
    let said = format!("The {} is {times:.1} times as loud in “{section}” ({where_it_is}) as elsewhere.", called(one));
    let mut finding = all.about(Rule::LevelJump, Some(one), &here, 0.6, said);
    finding.bars = vec![range];
    let aim = Aim { bars: vec![range], ..on(one) };
    let level = |by: f64| (aim.clone(), Action::Level(Level { by: -by.round() }));
    finding.proposals =
        vec![cure("As loud as elsewhere", [level(by)]), cure("Nearly as loud as elsewhere", [level(by - 12.0)])];
    Some(finding)
}

fn of_family(all: &Listening<'_>, family: Family) -> Vec<usize> {
    all.drums().filter(|(one, _)| one.family == family).flat_map(|(_, places)| places).copied().collect()
}

/// Bars with toms that are louder throughout than the bars around them.
fn loud_fill(all: &Listening<'_>) -> Option<Finding> {
    const TOMS: usize = 3;
    let (toms, snares) = (of_family(all, Family::Tom), of_family(all, Family::Snare));
    if toms.len() < TOMS || snares.len() < ENOUGH {
        return None;
    }
    let mut by_bar: BTreeMap<u32, (Vec<usize>, usize)> = BTreeMap::new();
    for &place in &toms {
        let bar = by_bar.entry(all.bar(place)).or_default();
        bar.0.push(place);
        bar.1 += 1;
    }
    by_bar.retain(|_, bar| bar.1 >= TOMS);
    let mut around = Vec::new();
    for &place in &snares {
        match by_bar.get_mut(&all.bar(place)) {
            // The fill begins with its first tom.
            Some(bar) if place > bar.0[0] => bar.0.push(place),
            Some(_) => {}
            None => around.push(all.heard[place].velocity),
        }
    }
    around.sort_by(f64::total_cmp);
    if around.len() < ENOUGH {
        return None;
    }
    let usual = quantile(&around, 0.9);
    let level = |places: &[usize]| mean(&places.iter().map(|&place| all.heard[place].velocity).collect::<Vec<_>>());
    let loud: Vec<&(Vec<usize>, usize)> = by_bar.values().filter(|bar| level(&bar.0) >= usual + 12.0).collect();
    let places: Vec<usize> = loud.iter().flat_map(|bar| bar.0.iter().copied()).collect();
    if places.is_empty() {
        return None;
    }
    let over = level(&places) - usual;
    let bars = all.stretches(&places);
    let fills = if loud.len() == 1 { "The fill is" } else { "The fills are" };
    let said = format!("{fills} {over:.0} louder throughout than the snare around, {}.", in_bars(&bars));
    let mut finding = all.about(Rule::LoudFill, None, &places, 0.45, said);
    let drums = all.drums().filter(|(one, _)| matches!(one.family, Family::Tom | Family::Snare));
    let aim = Aim { instruments: drums.map(|(one, _)| one.id.clone()).collect(), bars, ..Aim::default() };
    let down = |by: f64| (aim.clone(), Action::Level(Level { by: -by.round() }));
    finding.proposals =
        vec![cure("As loud as the snare around", [down(over)]), cure("Well below it", [down(over + 12.0)])];
    Some(finding)
}
