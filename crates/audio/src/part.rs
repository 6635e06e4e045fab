//! A loop as a part: hits of what was found in it, and a performance of them as slices.

use crate::onsets::Onset;
use crate::slicing::{Cut, Struck};
use std::collections::HashMap;
use vivida_core::{Channel, Family, Hit, HitId, Note, Part, Performance, PlayedHit, Slicing, TempoMap, Ticks};

/// The note that stands for a family in a part that is a loop: kick, snare, closed hat, or a tom for what is none of
/// them.
pub fn note_of(family: Family) -> Note {
    Note::from_data(match family {
        Family::Kick => 36,
        Family::Snare => 38,
        Family::Hat => 42,
        _ => 45,
    })
}

/// The hits that a loop is cut at, each time round, up to the end of the song. Each lasts to the next; their ids are
/// numbered from `first` on.
pub fn part_of(onsets: &[Onset], slicing: &Slicing, end: Ticks, first: u32) -> Part {
    let frames = slicing.frames();
    let onsets: Vec<&Onset> = onsets.iter().filter(|onset| frames.contains(&onset.frame)).collect();
    let mut hits = Vec::new();
    for round in 0..slicing.times {
        for (place, onset) in onsets.iter().enumerate() {
            let tick = slicing.tick(onset.frame, round);
            if tick >= end {
                break;
            }
            let next = onsets.get(place + 1).map_or(frames.end, |next| next.frame);
            hits.push(Hit {
                id: HitId::new(first + hits.len() as u32),
                tick,
                length: Ticks((slicing.tick(next, round).0 - tick.0).floor().max(1.0)),
                velocity: onset.velocity,
                release: 64,
                note: note_of(onset.family),
                channel: Channel::PERCUSSION,
            });
        }
    }
    Part::new(hits)
}

/// Where a part is cut, and how its performance strikes it: of the hits that sound and are `heard`. A hit that a pass
/// made is a slice of the hit that it was made of, or of what was recorded where it belongs.
pub fn struck(
    part: &Part,
    performance: &Performance,
    tempo: &TempoMap,
    heard: impl Fn(&PlayedHit) -> bool,
) -> (Vec<Cut>, Vec<Struck>) {
    let cuts: Vec<Cut> = part.hits().iter().map(|hit| Cut { tick: hit.tick, velocity: hit.velocity }).collect();
    let places: HashMap<HitId, usize> = part.hits().iter().enumerate().map(|(place, hit)| (hit.id, place)).collect();
    let sounds = |hit: &PlayedHit| hit.silenced.is_none() && heard(hit);
    let written = performance.written.iter().enumerate().filter(|(_, hit)| sounds(hit)).map(|(cut, hit)| {
        // What did not move stays where it was, be that between two ticks.
        let own = cuts[cut].tick;
        let tick = if hit.tick == own.rounded() { own } else { hit.tick };
        Struck { cut, seconds: tempo.seconds(tick), velocity: hit.velocity }
    });
    let made = performance.made.iter().filter(|made| sounds(&made.played)).filter_map(|made| {
        let parent = made.parent.and_then(|parent| places.get(&parent).copied());
        let cut = parent.or_else(|| cuts.partition_point(|cut| cut.tick <= made.anchor).checked_sub(1))?;
        Some(Struck { cut, seconds: tempo.seconds(made.played.tick), velocity: made.played.velocity })
    });
    let struck = written.chain(made).collect();
    (cuts, struck)
}
