//! What no body could play, and what nobody meant.

use super::{Cure, Finding, Listening, Rule, called, cure, in_bars, listed, on, plural};
use crate::base::steps::step;
use crate::base::units::{Millis, Percent};
use crate::kit::chart::Chart;
use crate::kit::{Family, Limb, note_name};
use crate::perform::limbs::{Clash, Limits, clashes, least};
use crate::perform::mishits::{Mishit, Suspicion, mishits};
use crate::perform::sounding::Heard;
use crate::recipe::action::{Action, Length, LengthOf, Rescue, Strays};
use crate::recipe::aim::Aim;
use std::collections::BTreeMap;

pub(super) fn findings(all: &Listening<'_>) -> Vec<Finding> {
    let mut found = limbs(all);
    found.extend(footless_hat(all));
    found.extend(overlaps(all));
    found.extend(silent(all));
    found
}

fn limbs(all: &Listening<'_>) -> Vec<Finding> {
    let Listening { heard, chart, thresholds, .. } = all;
    let seconds = |ms: f64| ms / 1000.0;
    let limits = Limits {
        together: seconds(thresholds.together),
        travel: seconds(thresholds.travel),
        hand: seconds(thresholds.hand),
        foot: seconds(thresholds.foot),
    };
    let found = clashes(heard, &chart.kit, &limits, |places| least(heard, &chart.kit, places, false));
    let of = |rule: Rule, which: [Clash; 2], said: &dyn Fn([usize; 2]) -> String| {
        let given: Vec<usize> = found.iter().filter(|(clash, _)| which.contains(clash)).map(|one| one.1).collect();
        if given.is_empty() {
            return None;
        }
        let counts = which.map(|what| found.iter().filter(|(clash, _)| *clash == what).count());
        let at_once = if rule == Rule::TooManyLimbs { struck_at_once(all, &given) } else { None };
        let with = at_once.map_or(String::new(), |drums| format!(" ({drums} at once)"));
        let said = format!("{}{with}, {}.", said(counts), in_bars(&all.stretches(&given)));
        let mut finding = all.about(rule, None, &given, 0.7, said);
        let rescue = Rescue {
            together: Millis(thresholds.together),
            travel: Millis(thresholds.travel),
            hand: Millis(thresholds.hand),
            foot: Millis(thresholds.foot),
            ..Rescue::default()
        };
        let name = format!("Give up the {}", drums_of(all, &given));
        finding.proposals = vec![cure(name, [(Aim::everything(), Action::Rescue(rescue))])];
        finding.proposals.push(all.without(format!("Leave out {} there", these(given.len())), &given));
        finding.proposals.extend(other_given(all, &given));
        Some(finding)
    };
    let too_many = |[hands, feet]: [usize; 2]| match (hands, feet) {
        (hands, 0) => format!("{} a third hand", needs(hands)),
        (0, feet) => format!("{} another foot", needs(feet)),
        (hands, feet) => format!("{} a third hand, {} another foot", needs(hands), needs(feet)),
    };
    let too_fast = |[hands, feet]: [usize; 2]| match (hands, feet) {
        (hands, 0) => format!("{} too fast for the hands", comes(hands)),
        (0, feet) => format!("{} too fast for the feet", comes(feet)),
        (hands, feet) => format!("{} too fast for hands and feet", comes(hands + feet)),
    };
    let many = of(Rule::TooManyLimbs, [Clash::Hands, Clash::Feet], &too_many);
    let fast = of(Rule::LimbTooFast, [Clash::HandTooFast, Clash::FootTooFast], &too_fast);
    many.into_iter().chain(fast).collect()
}

/// “closed hat”, “ride and closed hat”: the drums of some hits, those with most of them first.
fn drums_of(all: &Listening<'_>, places: &[usize]) -> String {
    let mut counts: Vec<(String, usize)> = Vec::new();
    for one in places.iter().filter_map(|&place| all.heard[place].instrument) {
        let name = called(&all.chart.kit.instruments[usize::from(one)]);
        match counts.iter_mut().find(|(known, _)| *known == name) {
            Some((_, count)) => *count += 1,
            None => counts.push((name, 1)),
        }
    }
    counts.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
    let names: Vec<String> = counts.into_iter().map(|(name, _)| name).collect();
    match names.as_slice() {
        [] => "least important stroke".to_owned(),
        [one] => one.clone(),
        [_, _] => listed(&names),
        [one, ..] => format!("{one} and others"),
    }
}

/// “crash, snare and closed hat”: what is struck at once where a limb is missing, of all such places the most frequent.
fn struck_at_once(all: &Listening<'_>, given: &[usize]) -> Option<String> {
    let kit = &all.chart.kit.instruments;
    let is_foot = |one: u16| matches!(kit[usize::from(one)].limb, Limb::LeftFoot | Limb::RightFoot);
    let together = all.thresholds.together / 1000.0;
    let mut counts: BTreeMap<Vec<u16>, usize> = BTreeMap::new();
    for &place in given {
        let hit = &all.heard[place];
        let Some(own) = hit.instrument else { continue };
        let near = |other: &&Heard| (other.at - hit.at).abs() <= together;
        let before = all.heard[..place].iter().rev().take(MOST_NEAR).take_while(near);
        let after = all.heard[place + 1..].iter().take(MOST_NEAR).take_while(near);
        let mut drums: Vec<u16> = before.chain(after).filter_map(|other| other.instrument).collect();
        drums.push(own);
        drums.retain(|&one| is_foot(one) == is_foot(own) && kit[usize::from(one)].limb != Limb::None);
        drums.sort_unstable();
        drums.dedup();
        *counts.entry(drums).or_default() += 1;
    }
    let (drums, _) = counts.into_iter().filter(|(drums, _)| drums.len() > 1).max_by_key(|(_, count)| *count)?;
    let names: Vec<String> = drums.into_iter().map(|one| called(&kit[usize::from(one)])).collect();
    Some(listed(&names))
}

/// So many hits before and after one are looked at for what is struck with it.
const MOST_NEAR: usize = 16;

fn these(count: usize) -> String {
    if count == 1 { "this hit".to_owned() } else { format!("these {count} hits") }
}

/// What else may be given up: of what is struck together with those strokes, in order of time, the drum that is struck most often.
fn other_given(all: &Listening<'_>, given: &[usize]) -> Option<Cure> {
    let kit = &all.chart.kit.instruments;
    let together = all.thresholds.together / 1000.0;
    // For each the last one before it that is of another drum.
    let mut others: Vec<Option<usize>> = Vec::with_capacity(given.len());
    for nth in 0..given.len() {
        let before = nth.checked_sub(1);
        let differs = |&last: &usize| all.heard[given[last]].instrument != all.heard[given[nth]].instrument;
        others.push(before.filter(differs).or_else(|| before.and_then(|last| others[last])));
    }
    let mut of: BTreeMap<u16, Vec<usize>> = BTreeMap::new();
    let mut from = 0;
    for (at, hit) in all.heard.iter().enumerate() {
        let Some(one) = hit.instrument else { continue };
        if !matches!(kit[usize::from(one)].limb, Limb::LeftHand | Limb::RightHand | Limb::EitherHand) {
            continue;
        }
        step();
        while from < given.len() && all.heard[given[from]].at < hit.at - together {
            step();
            from += 1;
        }
        let until = given.partition_point(|&place| all.heard[place].at <= hit.at + together);
        let Some(last) = until.checked_sub(1).filter(|last| *last >= from) else { continue };
        if all.heard[given[last]].instrument != hit.instrument || others[last].is_some_and(|other| other >= from) {
            of.entry(one).or_default().push(at);
        }
    }
    let (one, places) = of.into_iter().max_by_key(|(one, places)| (places.len(), std::cmp::Reverse(*one)))?;
    let name = called(&kit[usize::from(one)]);
    Some(all.without(format!("Give up the {name} instead, {}", plural(places.len(), "hit")), &places))
}

/// Kicks that come so fast one after another, in s, and so many of them, are played with both feet: 16ths at 115 bpm.
const SUSTAINED: f64 = 0.131;
const LASTING: usize = 6;

/// A closed hat under a crash while both feet are on the kick: the hat stands open, and a hand is short.
fn footless_hat(all: &Listening<'_>) -> Option<Finding> {
    let kit = &all.chart.kit.instruments;
    let of = |place: usize| all.heard[place].instrument.map(|at| &kit[usize::from(at)]);
    let family = |place: usize, family: Family| of(place).is_some_and(|one| one.family == family);
    let (together, foot) = (all.thresholds.together / 1000.0, all.thresholds.foot / 1000.0);
    let times = |wanted: Family| -> Vec<f64> {
        let mut times: Vec<f64> = Vec::new();
        for place in (0..all.heard.len()).filter(|&place| family(place, wanted)) {
            // What is struck at once is one stroke.
            if times.last() != Some(&all.heard[place].at) {
                times.push(all.heard[place].at);
            }
        }
        times
    };
    let (crashes, kicks) = (times(Family::Crash), times(Family::Kick));
    if crashes.is_empty() || kicks.is_empty() {
        return None;
    }
    let near = |times: &[f64], at: f64, within: f64| {
        let first = times.partition_point(|&time| at - time > within);
        first..first + times[first..].partition_point(|&time| time - at <= within)
    };
    // How many kicks up to each come closer to the one before than one foot can play, at once or for long.
    let mut fast_until = vec![0u32; kicks.len()];
    let mut from = 0;
    for nth in 1..kicks.len() {
        if kicks[nth] - kicks[nth - 1] > SUSTAINED {
            from = nth;
        }
        // A run of so many is played with both feet from its beginning.
        let goes_on = kicks[nth..].windows(2).take(LASTING).take_while(|two| two[1] - two[0] <= SUSTAINED).count();
        let lasts = nth - from + goes_on >= LASTING;
        let gap = kicks[nth] - kicks[nth - 1];
        let is_fast = (0.002..foot).contains(&gap) || (lasts && (0.002..=SUSTAINED).contains(&gap));
        fast_until[nth] = fast_until[nth - 1] + u32::from(is_fast);
    }
    // Kicks on both sides, closer than one foot can play: one after the other belongs to each foot.
    let busy = |at: f64| {
        step();
        let around = near(&kicks, at, 2.0 * foot.max(SUSTAINED));
        let Some(last) = around.end.checked_sub(1).filter(|last| around.start <= *last) else { return false };
        let fast = fast_until[last] - fast_until[around.start];
        fast >= 2 && kicks[around.start] <= at + together && kicks[last] >= at - together
    };
    // Whatever is not played with the foot and not open is held closed by it.
    let closed = |place: usize| {
        family(place, Family::Hat)
            && of(place).is_some_and(|one| one.limb != Limb::LeftFoot && !one.id.as_str().contains("open"))
    };
    let under_crash = |at: f64| !near(&crashes, at, together).is_empty();
    let hats: Vec<usize> = (0..all.heard.len())
        .filter(|&place| closed(place) && under_crash(all.heard[place].at) && busy(all.heard[place].at))
        .collect();
    if hats.is_empty() {
        return None;
    }
    let said = format!(
        "{} struck under a crash while both feet are on the kick, {}.",
        if hats.len() == 1 { "A closed hat is".to_owned() } else { format!("{} closed hats are", hats.len()) },
        in_bars(&all.stretches(&hats))
    );
    let mut finding = all.about(Rule::FootlessHat, None, &hats, 0.4, said);
    let times: Vec<f64> = hats.iter().map(|&hat| all.heard[hat].at).collect();
    let crashing =
        |place: &usize| family(*place, Family::Crash) && !near(&times, all.heard[*place].at, together).is_empty();
    let crashes: Vec<usize> = (0..all.heard.len()).filter(|place| crashing(place)).collect();
    finding.proposals = vec![
        all.without("Leave out the hat: the crash takes its hand", &hats),
        all.without("Leave out the crash: the hat stays", &crashes),
    ];
    Some(finding)
}

fn needs(count: usize) -> String {
    format!("{} {}", plural(count, "stroke"), if count == 1 { "needs" } else { "need" })
}

fn comes(count: usize) -> String {
    format!("{} {}", plural(count, "stroke"), if count == 1 { "comes" } else { "come" })
}

/// The hits of a part that nobody meant; a tonal part has no pads.
pub(crate) fn mishits_of(heard: &[Heard], chart: &Chart) -> Vec<(usize, Mishit)> {
    if chart.kit.instruments.iter().all(|one| one.family == Family::Tonal) {
        return Vec::new();
    }
    let usual = Strays::default();
    let what = Suspicion {
        softer: usual.softer,
        shorter: 0.0,
        again: usual.again.0,
        bleed: usual.bleed.0,
        share: usual.share.factor(),
        any_pair: false,
    };
    mishits(heard, &chart.kit, &vec![true; heard.len()], &what)
}

/// What is said of them.
pub(super) fn accidents(all: &Listening<'_>, found: &[(usize, Mishit)]) -> Vec<Finding> {
    let usual = Strays::default();
    let off = || Strays { softer: 0.0, again: Millis(0.0), bleed: Millis(0.0), share: Percent(50.0), ..usual.clone() };
    let of = |rule: Rule, is: &dyn Fn(Mishit) -> bool, strays: Strays, said: &dyn Fn(usize) -> String| {
        let places: Vec<usize> = found.iter().filter(|(_, why)| is(*why)).map(|one| one.0).collect();
        if places.is_empty() {
            return None;
        }
        let said = format!("{}, {}.", said(places.len()), in_bars(&all.stretches(&places)));
        let mut finding = all.about(rule, None, &places, 0.65, said);
        let drop = |name: String, strays: Strays| cure(name, [(Aim::everything(), Action::Strays(strays))]);
        finding.proposals = vec![drop(format!("Drop {}", these(places.len())), strays)];
        if places.len() < found.len() {
            let name = format!("Drop all {} that nobody meant: soft ones, doubles and crosstalk", found.len());
            finding.proposals.push(drop(name, usual.clone()));
        }
        Some(finding)
    };
    let soft = |count: usize| match count {
        1 => "A hit is too soft to be meant".to_owned(),
        count => format!("{count} hits are too soft to be meant"),
    };
    let shaken = found.iter().find_map(|(place, why)| match why {
        Mishit::Crosstalk { of } => Some((*place, *of)),
        _ => None,
    });
    let pair = shaken.and_then(|(place, of)| {
        let kit = &all.chart.kit.instruments;
        let onto = kit.get(usize::from(all.heard[place].instrument?))?;
        Some(format!("from the {} onto the {}", called(kit.get(of)?), called(onto)))
    });
    let crosstalk = |count: usize| {
        let hits = if count == 1 { "1 hit is".to_owned() } else { format!("{count} hits are") };
        format!("{hits} crosstalk, such as {}", pair.clone().unwrap_or_else(|| "between pads".to_owned()))
    };
    [
        of(
            Rule::Stray,
            &|why| matches!(why, Mishit::Soft | Mishit::Apart | Mishit::Short),
            Strays { softer: usual.softer, ..off() },
            &soft,
        ),
        of(Rule::DoubleTrigger, &|why| why == Mishit::Double, Strays { again: usual.again, ..off() }, &|count| {
            plural(count, "double trigger")
        }),
        of(
            Rule::Crosstalk,
            &|why| matches!(why, Mishit::Crosstalk { .. }),
            Strays { bleed: usual.bleed, ..off() },
            &crosstalk,
        ),
    ]
    .into_iter()
    .flatten()
    .collect()
}

/// A note that still sounds when it is struck again.
fn overlaps(all: &Listening<'_>) -> Vec<Finding> {
    let mut found = Vec::new();
    for (one, places) in all.drums() {
        let mut newest = [None; 128];
        let mut over = Vec::new();
        for &place in places {
            let hit = &all.heard[place];
            let note = usize::from(hit.note.get());
            if let Some(before) = newest[note].replace(place) {
                let before: &crate::perform::sounding::Heard = &all.heard[before];
                // Half a ms is a rounding of ticks.
                if before.at + before.length / 1000.0 > hit.at + 0.0005 && hit.at > before.at {
                    over.push(place);
                }
            }
        }
        if over.is_empty() {
            continue;
        }
        let said = format!(
            "The {} is struck again while it still sounds: {}, {}.",
            called(one),
            plural(over.len(), "hit"),
            in_bars(&all.stretches(&over))
        );
        let mut finding = all.about(Rule::Overlap, Some(one), &over, 0.2, said);
        let cut = |share: f64| {
            let next = Length { share: Percent(share), of: LengthOf::Next, ..Length::default() };
            (on(one), Action::Length(next))
        };
        let shorter = Length { share: Percent(99.0), ..Length::default() };
        finding.proposals = vec![
            cure("Cut it where it is struck again", [(on(one), Action::Length(shorter))]),
            cure("Let each sound up to the next", [cut(95.0)]),
        ];
        found.push(finding);
    }
    found
}

/// Notes that the kit knows nothing about.
fn silent(all: &Listening<'_>) -> Vec<Finding> {
    let is_unknown = |id: &str, note: u8| id == format!("note-{note}");
    let drums = all.drums().filter(|(one, places)| {
        one.family == Family::Other && is_unknown(one.id.as_str(), all.heard[places[0]].note.get())
    });
    let of = |(one, places): (&crate::kit::Instrument, &[usize])| {
        let note = all.heard[places[0]].note;
        let hits = plural(places.len(), "hit");
        let said = format!("The kit does not know note {} ({}): {hits} make no sound.", note.get(), note_name(note));
        all.about_all(Rule::Silent, one, places, 0.8, said)
    };
    drums.map(of).collect()
}
