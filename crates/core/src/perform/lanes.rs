//! Lanes as they are played: those that go with the hits are where these are.

use crate::base::units::Note;
use crate::kit::Family;
use crate::kit::chart::Chart;
use crate::part::hit::{Hit, Part};
use crate::part::lane::{GoesWith, Lane, LaneKind};
use crate::perform::PlayedHit;

impl Lane {
    /// Where its values stand when they go with the hits of a part.
    ///
    /// The hat's pedal prepares the hat that comes next and goes with it, behind the one before. Everything else goes
    /// with the hit that sounds there (of its own note, where it is the pressure on one, and no longer than that
    /// sounds), and where none does, with the next. None passes its neighbours.
    pub fn carried(&self, part: &Part, played: &[PlayedHit], chart: &Chart) -> Vec<f64> {
        let hits = part.hits();
        let hats = chart.kit.instruments.iter().map(|one| one.family == Family::Hat).collect::<Vec<bool>>();
        let is_hat = |place: &Option<u16>| place.is_some_and(|place| hats[usize::from(place)]);
        let without_hats = !chart.instruments.iter().any(is_hat);
        let means = |note: Note, place: &Option<u16>| match self.kind {
            LaneKind::PEDAL => without_hats || is_hat(place),
            LaneKind::NotePressure(own) => note == own,
            _ => true,
        };
        let all = hits.iter().zip(played).zip(&chart.instruments);
        let own: Vec<(&Hit, &PlayedHit)> = all
            .filter(|((hit, played), place)| played.silenced.is_none() && means(hit.note, place))
            .map(|(both, _)| both)
            .collect();
        let moved = |tick: f64, (hit, played): (&Hit, &PlayedHit)| tick + played.tick.0 - hit.tick.0;
        let (mut last, mut next) = (0.0f64, 0);
        let carry = |&tick: &f64| {
            next += own[next..].iter().take_while(|one| one.0.tick.0 < tick).count();
            let coming = own.get(next).copied();
            let begun = next.checked_sub(1).map(|place| own[place]);
            let here = coming.filter(|one| one.0.tick.0 == tick);
            let sounding = begun.filter(|one| tick <= one.0.tick.0 + one.0.length.0);
            let tick = match self.kind {
                LaneKind::PEDAL => coming.map_or(tick, |hat| {
                    let front = begun.map_or(0.0, |one| one.1.tick.0 + 1.0);
                    moved(tick, hat).max(front).min(hat.1.tick.0)
                }),
                LaneKind::NotePressure(_) => here.or(sounding).map_or(tick, |one| {
                    let (on, length) = (one.1.tick.0, one.1.length.0);
                    moved(tick, one).clamp(on, on + length - 1.0)
                }),
                _ => here.or(sounding).or(coming).map_or(tick, |one| moved(tick, one)),
            };
            last = last.max(tick);
            last
        };
        self.ticks().iter().map(carry).collect()
    }
}

/// A lane as it is played.
#[derive(Clone, Debug, PartialEq)]
pub struct PlayedLane {
    /// The line.
    pub lane: Lane,
    /// What it goes with.
    pub goes_with: GoesWith,
    /// A pass changed its values; else they are the written ones, each in its place.
    pub drawn: bool,
}

impl PlayedLane {
    /// No pass touched it.
    pub fn is_as_usual(&self) -> bool {
        !self.drawn && self.goes_with == self.lane.kind.usually_goes_with()
    }
}
