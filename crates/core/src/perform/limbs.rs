//! Two hands and two feet: which of them plays what, and where there are too few.
//!
//! One sweep over time. Each stroke is given to a hand (or foot) that has had time to come there: the one that a
//! pass gave it to, else the one that usually plays it, else the other. Where neither has, there is a clash. Hits of one
//! instrument at one moment are one stroke.

use crate::base::steps::step;
use crate::kit::{Family, Kit, Limb};
use crate::perform::Side;
use crate::perform::sounding::Heard;

/// What a limb needs, in s.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Limits {
    /// What is struck within this needs a limb each.
    pub together: f64,
    /// From one drum to another.
    pub travel: f64,
    /// The same hand on the same drum again, as in bounced strokes.
    pub hand: f64,
    /// The same foot again.
    pub foot: f64,
}

/// What cannot be played.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Clash {
    /// A third hand.
    Hands,
    /// A third foot, or two left ones.
    Feet,
    /// A hand that has no time to come there.
    HandTooFast,
    /// A foot that has none.
    FootTooFast,
}

/// What a limb did last.
#[derive(Clone, Copy)]
struct Busy {
    at: f64,
    voice: usize,
    place: usize,
}

impl Busy {
    const IDLE: Busy = Busy { at: f64::NEG_INFINITY, voice: usize::MAX, place: usize::MAX };
}

/// One moment on one instrument.
const AT_ONCE: f64 = 0.0015;

/// All clashes, each with the stroke that is given up so that there is none left. `gives_up` chooses it among those
/// that clash.
pub(crate) fn clashes(
    heard: &[Heard],
    kit: &Kit,
    limits: &Limits,
    gives_up: impl Fn(&[usize]) -> usize,
) -> Vec<(Clash, usize)> {
    /// What is given up changes who plays what; so often that is looked at anew.
    const SWEEPS: usize = 8;
    let drummer = Drummer::of(kit, heard.iter().filter_map(|hit| hit.instrument.map(usize::from)));
    let plays = |hit: &Heard| hit.instrument.is_some_and(|place| drummer.plays(usize::from(place)));
    let mut there: Vec<bool> = heard.iter().map(plays).collect();
    let mut found = Vec::new();
    for _ in 0..SWEEPS {
        let some = sweep(heard, kit, limits, &there, &gives_up);
        let news = some.into_iter().filter(|&(_, given)| std::mem::take(&mut there[given])).collect::<Vec<_>>();
        if news.is_empty() {
            break;
        }
        found.extend(news);
    }
    found.sort_by_key(|&(_, given)| given);
    found
}

/// Which instruments of a part the drummer plays. Where any drum of a set is struck, that is the set: hand percussion
/// and whatever else is played beside it needs none of the drummer's limbs. One rule for findings, Limb rescue and what
/// Hands makes.
#[derive(Clone, Debug)]
pub(crate) struct Drummer(Vec<bool>);

impl Drummer {
    /// Of a kit of which these instruments are struck.
    pub fn of(kit: &Kit, mut struck: impl Iterator<Item = usize>) -> Drummer {
        let of_set: Vec<bool> = kit.instruments.iter().map(|one| is_of_set(one.family)).collect();
        let is_set = struck.any(|place| of_set[place]);
        Drummer(if is_set { of_set } else { vec![true; of_set.len()] })
    }

    /// Whether the instrument at this place of the kit is the drummer's.
    pub fn plays(&self, place: usize) -> bool {
        self.0[place]
    }
}

fn is_of_set(family: Family) -> bool {
    matches!(family, Family::Kick | Family::Snare | Family::Tom | Family::Hat | Family::Ride | Family::Crash)
}

/// Once from front to back, going on without what is given up.
fn sweep(
    heard: &[Heard],
    kit: &Kit,
    limits: &Limits,
    there: &[bool],
    gives_up: &impl Fn(&[usize]) -> usize,
) -> Vec<(Clash, usize)> {
    let mut found = Vec::new();
    let (mut hands, mut feet) = ([Busy::IDLE; 2], [Busy::IDLE; 2]);
    let mut newest = vec![f64::NEG_INFINITY; kit.instruments.len()];
    for (place, hit) in heard.iter().enumerate() {
        let Some(voice) = hit.instrument.map(usize::from).filter(|_| there[place]) else { continue };
        let instrument = &kit.instruments[voice];
        if hit.at - newest[voice] <= AT_ONCE {
            continue;
        }
        newest[voice] = hit.at;
        step();
        let is_foot = matches!(instrument.limb, Limb::RightFoot | Limb::LeftFoot);
        if instrument.limb == Limb::None {
            continue;
        }
        let pair = if is_foot { &mut feet } else { &mut hands };
        let usual = match (hit.hand, instrument.limb) {
            (Some(side), _) => Some(side),
            (None, Limb::RightHand | Limb::RightFoot) => Some(Side::Right),
            (None, Limb::LeftHand | Limb::LeftFoot) => Some(Side::Left),
            _ => None,
        };
        // The hat's pedal is under the left foot and nowhere else; both feet may play the kick.
        let only = (is_foot && instrument.family != Family::Kick).then_some(Side::Left);
        let time = |busy: &Busy| hit.at - busy.at;
        let is_free = |busy: &Busy| {
            let again = if is_foot { limits.foot } else { limits.hand };
            let elsewhere = limits.travel.max(limits.together);
            let needed = match busy.voice == voice {
                true => again,
                // A foot comes to another pedal no sooner than to its own.
                false if is_foot => elsewhere.max(again),
                false => elsewhere,
            };
            time(busy) >= needed - 1e-6
        };
        let sides = match (only, usual) {
            (Some(only), _) => vec![only],
            (None, Some(usual)) => vec![usual, usual.other()],
            (None, None) if time(&pair[0]) >= time(&pair[1]) => vec![Side::Left, Side::Right],
            (None, None) => vec![Side::Right, Side::Left],
        };
        let slot = |side: Side| if side == Side::Left { 0 } else { 1 };
        let now = Busy { at: hit.at, voice, place };
        if let Some(&side) = sides.iter().find(|&&side| is_free(&pair[slot(side)])) {
            pair[slot(side)] = now;
            continue;
        }
        let at_once = sides.iter().all(|&side| time(&pair[slot(side)]) <= limits.together);
        let what = match (is_foot, at_once) {
            (false, true) => Clash::Hands,
            (true, true) => Clash::Feet,
            (false, false) => Clash::HandTooFast,
            (true, false) => Clash::FootTooFast,
        };
        let mut places: Vec<usize> = sides.iter().map(|&side| pair[slot(side)].place).collect();
        places.sort_unstable();
        places.push(place);
        let given = gives_up(&places);
        // Another one gives way: its limb comes here instead.
        if given != place {
            for side in sides {
                if pair[slot(side)].place == given {
                    pair[slot(side)] = now;
                }
            }
        }
        found.push((what, given));
    }
    found
}

/// How much a stroke is missed where it is given up: families in the order in which a drummer would let go of them.
pub(crate) fn importance(hit: &Heard, kit: &Kit) -> (u8, f64) {
    let family = hit.instrument.map(|place| kit.instruments[usize::from(place)].family);
    let rank = match family {
        Some(Family::Other | Family::Tonal) | None => 0,
        Some(Family::HandPercussion) => 1,
        Some(Family::Hat) => 2,
        Some(Family::Ride) => 3,
        Some(Family::Tom) => 4,
        Some(Family::Crash) => 5,
        Some(Family::Snare) => 6,
        Some(Family::Kick) => 7,
    };
    (rank, hit.velocity)
}

/// Strokes of one family that are so near in velocity are as important as one another.
const ALIKE: f64 = 2.0 / 3.0;

/// The least important of some strokes, given in order of time. Of those that are as important the last one: whoever
/// gives up the first one for it, and then that for the next, gives up far more strokes than are too many.
pub(crate) fn least(heard: &[Heard], kit: &Kit, places: &[usize], softest: bool) -> usize {
    let worse = |one: usize, other: usize| {
        let ((family, velocity), (others, than)) = (importance(&heard[one], kit), importance(&heard[other], kit));
        match softest {
            true => velocity < than || velocity == than && family <= others,
            false => family < others || family == others && velocity * ALIKE <= than,
        }
    };
    places.iter().copied().reduce(|least, next| if worse(next, least) { next } else { least }).unwrap_or(0)
}
