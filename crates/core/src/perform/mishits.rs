//! Hits that nobody meant: brushed pads, double triggers, crosstalk.

use crate::base::stats::median;
use crate::base::steps::step;
use crate::kit::{Family, Kit};
use crate::perform::loudest::Loudest;
use crate::perform::sounding::{Heard, by_voice, loud};
use std::collections::BTreeMap;

/// Why a hit is taken for one that nobody meant.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Mishit {
    /// Too soft.
    Soft,
    /// Far softer than all strokes of its drum.
    Apart,
    /// Too short.
    Short,
    /// The same drum again, at once and much softer.
    Double,
    /// Another drum that shook with it.
    Crosstalk {
        /// The voice that was struck.
        of: usize,
    },
}

/// What is looked for; 0 is not at all.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Suspicion {
    /// Velocity below this.
    pub softer: f64,
    /// Shorter than so many ms.
    pub shorter: f64,
    /// So many ms after a louder one of the same drum.
    pub again: f64,
    /// Within so many ms of a louder one of another drum.
    pub bleed: f64,
    /// At most this share of the louder one's velocity.
    pub share: f64,
    /// Whichever two drums they are; else those that shake one another, as far as the part tells.
    pub any_pair: bool,
}

/// A roll goes on: what is followed so soon, in s, by its own drum again is no double trigger.
const ROLL: f64 = 0.060;
/// Crosstalk is a small share of what shook it, and of what its own pad can do.
const FAINT: f64 = 0.30;
/// … and never above this.
const FAINTEST: f64 = 24.0;
/// So many hits of a drum that are a little harder than what is too soft, and it has soft strokes.
const SOFT_STROKES: usize = 3;
/// Pads that answer are brushed a little harder, too: as few as one of so many hits, and so many times softer than any stroke
/// of the pad; on one that is never struck by itself, than half of all strokes of the kit.
const ONE_OF: usize = 50;
const APART: f64 = 3.0;
/// So many times, and the part has told that one drum shakes another.
const SURE: u32 = 3;

/// The mis-hits among the places that are looked at, each with its reason.
pub(crate) fn mishits(heard: &[Heard], kit: &Kit, look_at: &[bool], what: &Suspicion) -> Vec<(usize, Mishit)> {
    let voices = by_voice(heard, kit);
    let mut found = Vec::new();
    let mut reason: Vec<Option<Mishit>> = vec![None; heard.len()];
    for places in &voices {
        let mut before = Loudest::default();
        for (nth, &place) in places.iter().enumerate() {
            let hit = &heard[place];
            if hit.length < what.shorter {
                reason[place] = Some(Mishit::Short);
            } else if what.again > 0.0 && again(heard, places, nth, &mut before, what) {
                reason[place] = Some(Mishit::Double);
            }
            before.add(hit.at, hit.velocity, place);
        }
    }
    if what.bleed > 0.0 {
        let louds: Vec<f64> = voices.iter().map(|places| loud(heard, places)).collect();
        for (place, of) in crosstalk(heard, kit, &louds, what) {
            reason[place].get_or_insert(Mishit::Crosstalk { of });
        }
    }
    let usual = median(&mut heard.iter().map(|hit| hit.velocity).collect::<Vec<f64>>());
    for (voice, places) in voices.iter().enumerate() {
        let unexplained = || places.iter().copied().filter(|&place| reason[place].is_none());
        let family = kit.instruments.get(voice).map_or(Family::Other, |one| one.family);
        let (weak, strokes): (Vec<usize>, Vec<usize>) =
            unexplained().partition(|&place| heard[place].velocity < 2.0 * what.softer);
        let hardest = weak.iter().map(|&place| heard[place].velocity).fold(0.0, f64::max);
        let softest = strokes.iter().map(|&place| heard[place].velocity).min_by(f64::total_cmp).unwrap_or(usual);
        if is_shaken(family) && weak.len() * ONE_OF <= heard.len() && hardest * APART <= softest {
            for place in weak {
                let is_soft = heard[place].velocity < what.softer;
                reason[place] = Some(if is_soft { Mishit::Soft } else { Mishit::Apart });
            }
            continue;
        }
        // A drum that has soft strokes has softer ones, too.
        let a_little_harder = 1.2 * what.softer..2.0 * what.softer;
        let soft = weak.iter().filter(|&&place| a_little_harder.contains(&heard[place].velocity));
        if soft.count() < SOFT_STROKES {
            let too_soft = weak.into_iter().filter(|&place| heard[place].velocity < what.softer);
            too_soft.for_each(|place| reason[place] = Some(Mishit::Soft));
        }
    }
    for (place, why) in reason.into_iter().enumerate() {
        found.extend(why.filter(|_| look_at[place]).map(|why| (place, why)));
    }
    found
}

/// The same drum, at once after a louder stroke, much softer, and not in a roll. `before` is what was struck of the drum
/// before it.
fn again(heard: &[Heard], places: &[usize], nth: usize, before: &mut Loudest, what: &Suspicion) -> bool {
    let hit = &heard[places[nth]];
    before.keep(|at| (hit.at - at) * 1000.0 <= what.again + 1e-6);
    let struck = before.get().is_some_and(|(velocity, _)| hit.velocity <= what.share * velocity);
    let goes_on = places.get(nth + 1).is_some_and(|&next| {
        let next = &heard[next];
        next.at - hit.at <= ROLL && next.velocity <= 1.6 * hit.velocity.max(8.0)
    });
    struck && !goes_on
}

/// Each hit that another drum may have shaken, and that drum.
fn crosstalk(heard: &[Heard], kit: &Kit, louds: &[f64], what: &Suspicion) -> Vec<(usize, usize)> {
    let family = |voice: usize| kit.instruments.get(voice).map_or(Family::Other, |one| one.family);
    // A hit, what may have shaken it, and how loud it is beside that.
    let mut suspects: Vec<(usize, usize, f64)> = Vec::new();
    // What may have shaken it, voice by voice, from so far back to a ms ahead.
    let mut near: Vec<Loudest> = vec![Loudest::default(); kit.instruments.len() + 128];
    let mut sounding: Vec<usize> = Vec::new();
    let mut ahead = 0;
    for (place, hit) in heard.iter().enumerate() {
        while ahead < heard.len() && (heard[ahead].at - hit.at) * 1000.0 <= 1.0 {
            let (later, of) = (&heard[ahead], heard[ahead].voice(kit));
            if what.any_pair || shakes(family(of)) {
                if near[of].get().is_none() {
                    sounding.push(of);
                }
                near[of].add(later.at, later.velocity, ahead);
            }
            ahead += 1;
        }
        sounding.retain(|&of| {
            step();
            near[of].keep(|at| (hit.at - at) * 1000.0 <= what.bleed + 1e-6);
            near[of].get().is_some()
        });
        let voice = hit.voice(kit);
        if !what.any_pair && !is_shaken(family(voice)) {
            continue;
        }
        let others = sounding.iter().filter(|&&of| of != voice).filter_map(|&of| Some((near[of].get()?, of)));
        let loudest = others.max_by(|a, b| a.0.0.total_cmp(&b.0.0).then(a.0.1.cmp(&b.0.1)));
        let Some(((velocity, _), of)) = loudest else { continue };
        suspects.push((place, of, hit.velocity / velocity.max(1.0)));
    }
    if what.any_pair {
        suspects.retain(|suspect| suspect.2 <= what.share);
        return suspects.into_iter().map(|(place, of, _)| (place, of)).collect();
    }
    // A pad that is played, too, is played harder than that; one that is not is never struck at all.
    suspects.retain(|&(place, ..)| {
        let (velocity, loud) = (heard[place].velocity, louds[heard[place].voice(kit)]);
        velocity <= FAINTEST && (loud <= FAINTEST || velocity <= 0.35 * loud)
    });
    // Where loud strokes shake a pad for sure, soft ones do, too.
    let mut sure: BTreeMap<(usize, usize), u32> = BTreeMap::new();
    let pair = |&(place, of, _): &(usize, usize, f64)| (of, heard[place].voice(kit));
    suspects.iter().filter(|one| one.2 <= FAINT).for_each(|one| *sure.entry(pair(one)).or_default() += 1);
    let is_known = |one: &(usize, usize, f64)| sure.get(&pair(one)).is_some_and(|&count| count >= SURE);
    suspects.retain(|one| one.2 <= what.share * if is_known(one) { 1.5 } else { FAINT / 0.5 });
    suspects.into_iter().map(|(place, of, _)| (place, of)).collect()
}

/// Drums that shake their neighbours.
fn shakes(family: Family) -> bool {
    matches!(family, Family::Kick | Family::Snare | Family::Tom | Family::Crash | Family::HandPercussion)
}

/// Pads that answer: ghost notes of a snare and soft hats are played.
fn is_shaken(family: Family) -> bool {
    matches!(family, Family::Tom | Family::Crash | Family::Ride | Family::HandPercussion | Family::Other)
}
