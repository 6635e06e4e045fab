//! Parts made of performances: printed takes, and several parts in the place of one.

use crate::base::units::Ticks;
use crate::part::hit::{Hit, HitId, Part};
use crate::perform::lanes::PlayedLane;
use crate::perform::{MadeHit, Performance, PlayedHit};
use crate::recipe::action::{Action, ByHand, HandMove};
use crate::recipe::aim::Aim;
use crate::recipe::{Pass, PassId, Recipe};
use std::collections::HashMap;

impl Performance {
    /// What sounds, as the Written of a new take: hits numbered anew in order of time.
    pub fn printed(&self) -> Part {
        let sounding = self.in_time();
        let hit = |(id, played): (usize, &PlayedHit)| Hit {
            id: HitId::new(id as u32),
            tick: Ticks(played.tick.0.max(0.0)),
            length: played.length,
            velocity: played.velocity,
            release: played.release,
            note: played.note,
            channel: played.channel,
        };
        Part::new(sounding.into_iter().enumerate().map(hit).collect())
    }

    fn in_time(&self) -> Vec<&PlayedHit> {
        let mut sounding: Vec<&PlayedHit> = self.sounding().collect();
        sounding.sort_by(|a, b| a.tick.0.total_cmp(&b.tick.0).then(a.id.cmp(&b.id)));
        sounding
    }

    /// The passes of a new take that is printed: a hit as it is written has no movement, and a part's lanes are its
    /// file's; so the movement comes along by hand, and the passes that change lanes as they are.
    pub fn beside_printed(&self, recipe: &Recipe) -> Recipe {
        let lanes = recipe.playing().filter(|pass| pass.action.lane().is_some());
        let mut beside = Recipe { passes: lanes.cloned().collect(), groups: recipe.groups.clone() }.tidied();
        let moved: Vec<HandMove> = (0..)
            .zip(self.in_time())
            .filter(|(_, hit)| !hit.movement.is_none())
            .map(|(id, hit)| HandMove { movement: hit.movement, ..HandMove::of(HitId::new(id)) })
            .collect();
        for moved in moved.chunks(ByHand::MOST) {
            let action = Action::ByHand(ByHand { moved: moved.to_vec(), ..ByHand::default() });
            let id = beside.free_id();
            beside.passes.push(Pass { id, ..Pass::new(0, Aim::everything(), action) });
        }
        beside
    }

    /// A stretch printed round after round: each performance's own, one behind the other from where the stretch begins. What
    /// stood in their place gives way; what is before and behind stays as the first one plays it.
    pub fn rounds(rounds: Vec<Performance>, part: &Part, from: Ticks, to: Ticks) -> Performance {
        let length = to - from;
        let Some(first) = rounds.first().cloned() else { return Performance::default() };
        let end = from + length * rounds.len() as f64;
        let mut all = vec![first.where_meant(part, |anchor| anchor < from || anchor >= end)];
        for (number, round) in rounds.into_iter().enumerate() {
            let mut round = round.between(part, from, to);
            let later = length * number as f64;
            round.written.iter_mut().for_each(|hit| hit.tick += later);
            round.made.iter_mut().for_each(|made| made.played.tick += later);
            all.push(round);
        }
        Performance::together(all)
    }

    /// These hits in the place of a part's own, which fall silent: how a printed take is written to
    /// the file that its part came from.
    pub fn instead_of(self, part: &Part) -> Performance {
        let silent = |hit: &Hit| PlayedHit { silenced: Some(PassId(0)), ..PlayedHit::as_written(hit) };
        let made = self.sounding().copied().map(standing).collect();
        Performance { written: part.hits().iter().map(silent).collect(), made, ..self }
    }

    /// What of a performance belongs between two places of the metre; the rest falls silent. A hit that is
    /// played early belongs where it was meant.
    pub fn between(self, part: &Part, from: Ticks, to: Ticks) -> Performance {
        self.where_meant(part, |anchor| anchor >= from && anchor < to)
    }

    /// What is meant for such places; the rest falls silent.
    fn where_meant(mut self, part: &Part, is_meant: impl Fn(Ticks) -> bool) -> Performance {
        let written = part.hits().iter().map(|hit| hit.tick).zip(&mut self.written);
        let made = self.made.iter_mut().map(|made| (made.anchor, &mut made.played));
        for (_, played) in written.chain(made).filter(|&(anchor, _)| !is_meant(anchor)) {
            played.silenced.get_or_insert(PassId(0));
        }
        self
    }

    /// Several performances as one. Of hits of one note at one tick the loudest sounds, and none
    /// sounds longer than up to the next one of its note.
    pub fn together(performances: Vec<Performance>) -> Performance {
        // Of each lane the one that passes drew, where one of them did.
        let mut lanes: Vec<PlayedLane> = Vec::new();
        for lane in performances.iter().flat_map(|performance| &performance.lanes) {
            match lanes.iter_mut().find(|known| known.lane.kind == lane.lane.kind) {
                Some(known) if lane.drawn && !known.drawn => *known = lane.clone(),
                Some(_) => {}
                None => lanes.push(lane.clone()),
            }
        }
        let mut hits: Vec<PlayedHit> = performances
            .into_iter()
            .flat_map(|performance| performance.sounding().copied().collect::<Vec<PlayedHit>>())
            .collect();
        hits.sort_by(|a, b| a.tick.0.total_cmp(&b.tick.0).then(b.velocity.cmp(&a.velocity)));
        let mut last: HashMap<(u8, u8), usize> = HashMap::new();
        let mut kept: Vec<PlayedHit> = Vec::with_capacity(hits.len());
        for hit in hits {
            let place = kept.len();
            match last.get(&(hit.note.get(), hit.channel.get())) {
                Some(&before) if kept[before].tick == hit.tick => continue,
                Some(&before) => {
                    let room = hit.tick - kept[before].tick;
                    kept[before].length = if room < kept[before].length { room } else { kept[before].length };
                }
                None => {}
            }
            last.insert((hit.note.get(), hit.channel.get()), place);
            kept.push(hit);
        }
        Performance { made: kept.into_iter().map(standing).collect(), lanes, ..Performance::default() }
    }
}

/// A hit that no pass made and that stands by itself.
fn standing(played: PlayedHit) -> MadeHit {
    MadeHit { played, pass: PassId(0), parent: None, anchor: played.tick }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::{Channel, Note, Ticks, Velocity};
    use crate::perform::testing::{play, sixteenths};
    use crate::recipe::action::{HandHit, Level, Vary};

    fn performance(hits: Vec<PlayedHit>) -> Performance {
        Performance { written: hits, ..Performance::default() }
    }

    #[test]
    fn a_print_holds_what_sounds_in_order() {
        let added = HandHit {
            id: HitId::FIRST_BY_HAND,
            tick: Ticks(120.0),
            length: Ticks(60.0),
            velocity: Velocity::rounded(33.0),
            note: Note::new(38).unwrap(),
            channel: Channel::PERCUSSION,
        };
        let by_hand = ByHand { removed: vec![HitId::new(1)], added: vec![added], ..ByHand::default() };
        let printed = performance(play(&sixteenths(&[100; 3]), Action::ByHand(by_hand))).printed();
        let found: Vec<(u64, f64, u8)> =
            printed.hits().iter().map(|hit| (hit.id.get(), hit.tick.0, hit.velocity.get())).collect();
        assert_eq!(found, [(0, 0.0, 100), (1, 120.0, 33), (2, 480.0, 100)]);
    }

    #[test]
    fn rounds_are_printed_one_behind_the_other() {
        // 24 16ths are a bar and a half; a beat of four is printed three times from the second beat on.
        let part = sixteenths(&[60; 24]);
        let round = |by: f64| performance(play(&part, Action::Level(Level { by })));
        let rounds = vec![round(0.0), round(10.0), round(20.0)];
        let printed = Performance::rounds(rounds, &part, Ticks(960.0), Ticks(1920.0)).printed();
        let velocities: Vec<u8> = printed.hits().iter().map(|hit| hit.velocity.get()).collect();
        assert_eq!(velocities[..16], [60, 60, 60, 60, 60, 60, 60, 60, 70, 70, 70, 70, 80, 80, 80, 80]);
        assert_eq!((velocities.len(), &velocities[16..]), (24, &[60; 8][..]));
        assert!(printed.hits().iter().zip(part.hits()).all(|(now, was)| now.tick == was.tick));
    }

    #[test]
    fn parts_together_keep_the_louder_and_do_not_overlap() {
        let part = sixteenths(&[60; 2]);
        let louder = play(&part, Action::Level(Level { by: 20.0 }));
        let mut longer = play(&part, Action::Level(Level { by: 0.0 }));
        longer.iter_mut().for_each(|hit| (hit.tick, hit.length) = (hit.tick + Ticks(100.0), Ticks(900.0)));
        let same = Performance::together(vec![
            performance(louder.clone()),
            performance(play(&part, Action::Level(Level { by: 0.0 }))),
        ]);
        assert_eq!(same.hits().map(|hit| hit.velocity.get()).collect::<Vec<_>>(), [80, 80]);
        let both = Performance::together(vec![performance(louder), performance(longer)]);
        assert_eq!(both.hits().map(|hit| hit.length.0).collect::<Vec<_>>(), [100.0, 140.0, 100.0, 900.0]);
        let instead = both.instead_of(&part);
        assert_eq!((instead.hits().count(), instead.sounding().count()), (6, 4));
    }

    #[test]
    fn movement_comes_along_with_a_printed_take() {
        let part = sixteenths(&[60; 16]);
        let moving = Vary { by: 40.0, property: crate::Property::Pitch, ..Vary::default() };
        let played = performance(play(&part, Action::Vary(moving)));
        let beside = played.beside_printed(&Recipe::default());
        beside.check().unwrap();
        let again = play(&played.printed(), beside.passes[0].action.clone());
        let pitches = |hits: &[PlayedHit]| hits.iter().map(|hit| hit.movement.pitch).collect::<Vec<f32>>();
        assert_eq!(pitches(&again), pitches(&played.written));
        assert!(
            performance(play(&part, Action::Level(Level { by: 3.0 })))
                .beside_printed(&Recipe::default())
                .passes
                .is_empty()
        );
    }
}
