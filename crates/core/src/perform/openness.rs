//! How far a hat is open.

use crate::base::units::{Note, Ticks};
use crate::kit::{Family, Kit};
use crate::part::hit::HitId;
use crate::part::lane::{Lane, LaneKind};
use crate::perform::Performance;
use std::collections::HashSet;

/// The notes of a kit's hat by how far it is open, as its names tell.
#[derive(Clone, Debug, Default)]
pub(crate) struct Openness {
    closed: Option<Note>,
    half: Option<Note>,
    open: Option<Note>,
    all: HashSet<Note>,
}

impl Openness {
    /// Controller 4 from here on: closed.
    const CLOSED: u8 = 90;
    /// From here on half open, where the kit has that; else open.
    const HALF: u8 = 40;

    pub fn of(kit: &Kit) -> Openness {
        let mut found = Openness::default();
        for instrument in kit.instruments.iter().filter(|one| one.family == Family::Hat) {
            for way in &instrument.articulations {
                let words = format!("{} {}", instrument.name, way.name).to_lowercase();
                let place = match words.as_str() {
                    words if words.contains("pedal") || words.contains("foot") || words.contains("splash") => continue,
                    words if words.contains("half") => &mut found.half,
                    words if words.contains("open") => &mut found.open,
                    words if words.contains("closed") || words.contains("tight") => &mut found.closed,
                    _ => continue,
                };
                place.get_or_insert(way.note);
                found.all.insert(way.note);
            }
        }
        found
    }

    /// The stroke that is meant where the pedal stands so.
    pub fn note(&self, note: Note, pedal: u8) -> Note {
        if !self.all.contains(&note) {
            return note;
        }
        let wanted = match pedal {
            Openness::CLOSED.. => self.closed,
            Openness::HALF.. => self.half.or(self.open),
            _ => self.open,
        };
        wanted.unwrap_or(note)
    }
}

/// The hat's pedal, where it moves: it says which stroke of the hat is heard.
#[derive(Clone, Debug)]
pub struct HatPedal<'a> {
    lane: &'a Lane,
    openness: Openness,
}

impl<'a> HatPedal<'a> {
    /// Nothing where there is no pedal, or it rests where it is: it says nothing then that the notes do not.
    pub fn of(lanes: impl IntoIterator<Item = &'a Lane>, kit: &Kit) -> Option<HatPedal<'a>> {
        let lane = lanes.into_iter().find(|lane| lane.kind == LaneKind::PEDAL)?;
        let (first, rest) = lane.values().split_first()?;
        let moves = rest.iter().any(|value| value != first);
        moves.then(|| HatPedal { lane, openness: Openness::of(kit) })
    }

    /// The note that is heard of one that is struck there.
    pub fn note(&self, note: Note, at: Ticks) -> Note {
        self.openness.note(note, self.lane.at(at.0) as u8)
    }
}

impl HatPedal<'_> {
    /// Of hits with their notes, where they are struck, those that are heard by another note, and by which.
    pub fn otherwise(&self, struck: impl Iterator<Item = (HitId, Note, Ticks)>) -> Vec<(HitId, Note)> {
        let heard = struck.map(|(id, note, at)| (id, note, self.note(note, at)));
        heard.filter(|(_, note, heard)| note != heard).map(|(id, _, heard)| (id, heard)).collect()
    }
}

impl Performance {
    /// Its hat's pedal, where it moves.
    pub fn pedal(&self, kit: &Kit) -> Option<HatPedal<'_>> {
        HatPedal::of(self.lanes.iter().map(|one| &one.lane), kit)
    }

    /// As it is heard: where the hat's pedal moves, each hat is as far open as it is.
    pub fn by_pedal(mut self, kit: &Kit) -> Performance {
        let Some(pedal) = self.pedal(kit) else { return self };
        let note = |hit: &crate::PlayedHit| pedal.note(hit.note, hit.tick);
        let written: Vec<Note> = self.written.iter().map(note).collect();
        let made: Vec<Note> = self.made.iter().map(|made| note(&made.played)).collect();
        self.written.iter_mut().zip(written).for_each(|(hit, note)| hit.note = note);
        self.made.iter_mut().zip(made).for_each(|(made, note)| made.played.note = note);
        self
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::part::lane::GoesWith;
    use crate::perform::PlayedHit;
    use crate::perform::lanes::PlayedLane;
    use crate::perform::testing::drums;

    #[test]
    fn a_pedal_that_moves_opens_and_closes_the_hat() {
        let kit = Kit::general_midi();
        // Closed hats, an open one, the foot, and a snare.
        let part = drums(&[(0.0, 42, 100), (125.0, 46, 100), (250.0, 44, 100), (375.0, 38, 100), (500.0, 42, 100)]);
        let written = part.hits().iter().map(PlayedHit::as_written).collect();
        let mut played = Performance { written, made: Vec::new(), passes: Vec::new(), lanes: Vec::new() };
        let notes = |performance: &Performance| -> Vec<u8> { performance.hits().map(|hit| hit.note.get()).collect() };
        let pedal = |values: &[(f64, f64)]| PlayedLane {
            lane: Lane::new(LaneKind::PEDAL, values.to_vec()),
            goes_with: GoesWith::Hits,
            drawn: false,
        };
        played.lanes = vec![pedal(&[(0.0, 0.0), (240.0, 127.0), (900.0, 20.0)])];
        assert_eq!(notes(&played.clone().by_pedal(&kit)), [46, 42, 44, 38, 46]);
        // One that rests says nothing.
        played.lanes = vec![pedal(&[(0.0, 0.0), (240.0, 0.0)])];
        assert_eq!(notes(&played.by_pedal(&kit)), [42, 46, 44, 38, 42]);
    }
}
