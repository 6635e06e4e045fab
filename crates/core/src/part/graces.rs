//! Grace notes: strokes that lead to another, or bounce out of it, and keep no time of their own.

use serde::Serialize;
use ts_rs::TS;

/// How a hit is ornamented, by what is found before it or bounces out of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, TS)]
#[serde(rename_all = "kebab-case")]
pub enum Ornament {
    /// One softer stroke before it.
    Flam,
    /// Two.
    Drag,
    /// Three or more.
    Ruff,
    /// Strokes as fast as a stick bounces.
    Roll,
}

/// A stroke of one drum.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Strike {
    /// When, in seconds.
    pub at: f64,
    /// How hard.
    pub velocity: f64,
}

/// What is nearer together is one stroke, in s.
const ONE: f64 = 0.005;
/// Several grace notes are at most so long before one another and what they lead to, in s; a single one less.
const LEADS: f64 = 0.065;
const LEADS_ALONE: f64 = 0.050;
/// It is at most so loud beside what it leads to.
const SOFTER: f64 = 0.8;
/// The stroke before it is so many times further away: what keeps on at one speed is no ornament.
const APART: f64 = 1.35;
/// Strokes of a roll or a buzz come at least so fast one after another, in s: 20 a second, which two hands do not do by single
/// strokes.
const BOUNCES: f64 = 0.050;
/// So many of them are a roll, and so many, or so long, in s, are a passage that keeps time by itself.
const ROLL: usize = 3;
const PASSAGE: usize = 17;
const LONG: f64 = 0.7;
/// So many strokes lead to one at most, but for rolls.
const MOST: usize = 4;

/// For each of one drum's strokes, in order of time, the place of the stroke that it belongs to, if it is a grace note.
///
/// Strokes that follow one another as fast as a stick bounces are a roll: they belong to the last of them where that is
/// the loudest, else to the first. Else up to four strokes before a louder one, close to it and to one another, and further
/// from what comes before them, lead to it.
pub(crate) fn graces(strikes: &[Strike]) -> Vec<Option<usize>> {
    let mut of: Vec<Option<usize>> = vec![None; strikes.len()];
    let gap = |place: usize| match place {
        0 => f64::INFINITY,
        place => strikes.get(place).map_or(f64::INFINITY, |strike| strike.at - strikes[place - 1].at),
    };
    let mut from = 0;
    while from < strikes.len() {
        let bounces = |place: usize| (ONE..=BOUNCES).contains(&gap(place));
        let after = (from + 1..strikes.len()).find(|&place| !bounces(place)).unwrap_or(strikes.len());
        let lasts = strikes[after - 1].at - strikes[from].at;
        if (ROLL..PASSAGE).contains(&(after - from)) && lasts <= LONG && !leads(strikes, from, after) {
            let head = head_of(strikes, from, after);
            (from..after).filter(|&place| place != head).for_each(|place| of[place] = Some(head));
        }
        from = after;
    }
    for main in 1..strikes.len() {
        let soft = |place: usize| strikes[place].velocity <= SOFTER * strikes[main].velocity;
        let near = |place: usize| (ONE..=LEADS).contains(&gap(place + 1));
        let mut first = main;
        while first > 0 && main - first < MOST && of[first - 1].is_none() && soft(first - 1) && near(first - 1) {
            first -= 1;
        }
        if first == main || of[main].is_some() {
            continue;
        }
        let widest = (first + 1..=main).map(gap).fold(0.0, f64::max);
        let near = main - first > 1 || widest <= LEADS_ALONE;
        if near && gap(first) >= APART * widest {
            (first..main).for_each(|place| of[place] = Some(main));
        }
    }
    // What leads to a grace note leads to where that leads. Later places are settled first.
    for place in (0..of.len()).rev() {
        of[place] = of[place].map(|head| of[head].unwrap_or(head));
    }
    of
}

/// Whether bouncing strokes are but a few soft ones before a loud one: a ruff.
fn leads(strikes: &[Strike], from: usize, after: usize) -> bool {
    let main = strikes[after - 1].velocity;
    after - from <= MOST + 1 && strikes[from..after - 1].iter().all(|strike| strike.velocity <= SOFTER * main)
}

/// The stroke of a roll that the others belong to.
fn head_of(strikes: &[Strike], from: usize, after: usize) -> usize {
    let last = after - 1;
    let loudest = strikes[from..last].iter().map(|strike| strike.velocity).fold(0.0, f64::max);
    if strikes[last].velocity > loudest { last } else { from }
}

/// How many hits are ornamented, and how.
pub(crate) fn ornaments(strikes: &[Strike], of: &[Option<usize>]) -> Vec<(usize, Ornament)> {
    let mut found: Vec<(usize, Ornament)> = Vec::new();
    let mut count = vec![0usize; strikes.len()];
    let mut rolls = vec![false; strikes.len()];
    for (place, head) in of.iter().enumerate() {
        let Some(head) = *head else { continue };
        count[head] += 1;
        rolls[head] |= head < place || strikes[place].velocity > SOFTER * strikes[head].velocity;
    }
    for (head, (&count, &rolls)) in count.iter().zip(&rolls).enumerate().filter(|(_, (count, _))| **count > 0) {
        let kind = match count {
            _ if rolls => Ornament::Roll,
            1 => Ornament::Flam,
            2 => Ornament::Drag,
            _ => Ornament::Ruff,
        };
        found.push((head, kind));
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(strokes: &[(f64, f64)]) -> Vec<Option<usize>> {
        let strikes: Vec<Strike> = strokes.iter().map(|&(ms, velocity)| Strike { at: ms / 1000.0, velocity }).collect();
        graces(&strikes)
    }

    #[test]
    fn flams_drags_and_ruffs_lead_to_a_louder_stroke() {
        assert_eq!(found(&[(0.0, 100.0), (474.0, 40.0), (500.0, 110.0)]), [None, Some(2), None]);
        assert_eq!(found(&[(0.0, 36.0), (46.0, 38.0), (92.0, 110.0)]), [Some(2), Some(2), None]);
        let ruff = [(0.0, 30.0), (35.0, 34.0), (70.0, 38.0), (105.0, 112.0)];
        assert_eq!(found(&ruff), [Some(3), Some(3), Some(3), None]);
    }

    #[test]
    fn what_bounces_is_a_roll() {
        let buzz = [(0.0, 110.0), (30.0, 90.0), (60.0, 80.0), (90.0, 70.0), (500.0, 100.0)];
        assert_eq!(found(&buzz), [None, Some(0), Some(0), Some(0), None]);
        let roll: Vec<(f64, f64)> = (0..12).map(|nth| (40.0 * f64::from(nth), 60.0 + f64::from(nth))).collect();
        assert_eq!(found(&roll)[..11], [Some(11); 11]);
        assert_eq!(found(&roll)[11], None);
    }

    #[test]
    fn what_keeps_time_is_no_grace_note() {
        // A double trigger comes behind; 16ths at 250 bpm go on; a fast double is as loud, or later.
        assert_eq!(found(&[(0.0, 100.0), (20.0, 30.0), (500.0, 100.0)]), [None; 3]);
        let fast: Vec<(f64, f64)> =
            (0..16).map(|nth| (60.0 * f64::from(nth), if nth % 4 == 0 { 110.0 } else { 70.0 })).collect();
        assert!(found(&fast)[1..].iter().all(Option::is_none));
        assert_eq!(found(&[(0.0, 90.0), (62.0, 60.0), (500.0, 90.0)]), [None; 3]);
        assert_eq!(found(&[(0.0, 30.0), (125.0, 110.0)]), [None; 2], "a ghost note a 16th before");
    }

    #[test]
    fn they_are_called_as_players_call_them() {
        let named = |strokes: &[(f64, f64)]| {
            let strikes: Vec<Strike> =
                strokes.iter().map(|&(ms, velocity)| Strike { at: ms / 1000.0, velocity }).collect();
            ornaments(&strikes, &graces(&strikes))
        };
        assert_eq!(named(&[(0.0, 40.0), (26.0, 110.0)]), [(1, Ornament::Flam)]);
        assert_eq!(named(&[(0.0, 36.0), (46.0, 38.0), (92.0, 110.0)]), [(2, Ornament::Drag)]);
        assert_eq!(named(&[(0.0, 110.0), (30.0, 90.0), (60.0, 80.0)]), [(0, Ornament::Roll)]);
    }
}
