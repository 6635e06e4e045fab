//! Recipes in other songs: what fits is taken over, what does not is said.

use crate::kit::{Instrument, InstrumentId, Kit};
use crate::part::hit::Part;
use crate::recipe::names::{Carrier, For, Named};
use crate::recipe::{Pass, Recipe};

impl Recipe {
    /// The passes of this recipe that mean something to another part, as a kit reads it, and sentences on what does
    /// not. Instruments that it does not strike stand for all of their family there; single hits
    /// belong to the part that they were picked in and stay behind.
    ///
    /// ```
    /// use vivida_core::{Action, Aim, Kit, Part, Pass, Recipe, action::Level};
    /// let recipe = Recipe::of(vec![Pass::new(1, Aim::at("snare"), Action::Level(Level { by: 3.0 }))]);
    /// let (fitted, said) = recipe.fitted(&Kit::general_midi(), &Part::default());
    /// assert!(fitted.passes.is_empty());
    /// assert_eq!(said, ["Pass 1, Level: there is no snare here; the pass is left out."]);
    /// ```
    pub fn fitted(&self, kit: &Kit, part: &Part) -> (Recipe, Vec<String>) {
        let struck = kit.clone().struck_by(part);
        let known = Kit::general_midi();
        self.taken_along(&mut ToSong { kit, struck, known, lacks: None, said: Vec::new() })
    }

    /// These passes behind those that are there, with ids that are still free.
    pub fn followed_by(&self, other: &Recipe) -> Recipe {
        let (groups, theirs) = self.groups_beside(other, |_, _| false);
        let mut passes = self.passes.clone();
        passes.extend(self.free_ids().zip(theirs).map(|(id, pass)| Pass { id, ..pass }));
        Recipe { passes, groups }
    }
}

/// To a part of another song.
struct ToSong<'a> {
    kit: &'a Kit,
    /// What of it the part strikes.
    struck: Kit,
    /// Where the family of an instrument is looked up.
    known: Kit,
    /// Why the pass means nothing here.
    lacks: Option<String>,
    said: Vec<String>,
}

impl ToSong<'_> {
    /// The instruments of a kit that one of the other song stands for.
    fn stand_ins(&self, id: &InstrumentId, kit: &Kit) -> Vec<InstrumentId> {
        if kit.find(id).is_some() {
            return vec![id.clone()];
        }
        let family = self.known.find(id).map(|(_, meant)| meant.family);
        let alike = |one: &&Instrument| Some(one.family) == family;
        kit.instruments.iter().filter(alike).map(|one| one.id.clone()).collect()
    }

    fn instruments(&mut self, ids: &mut Vec<InstrumentId>, what_for: For) -> bool {
        if ids.is_empty() {
            return true;
        }
        let (mut found, mut missing) = (Vec::new(), Vec::new());
        for id in ids.iter() {
            let some = self.stand_ins(id, &self.struck);
            if some.is_empty() {
                missing.push(self.known.find(id).map_or(id.to_string(), |(_, meant)| meant.name.to_lowercase()));
            }
            for id in some {
                if !found.contains(&id) {
                    found.push(id);
                }
            }
        }
        let none = format!("there is no {} here", missing.join(" or "));
        match (found.is_empty(), what_for) {
            // What is not there is never near: the condition holds of itself.
            (true, For::Without) => return false,
            (true, _) => {
                self.lacks.get_or_insert(none);
                return true;
            }
            (false, _) if !missing.is_empty() => self.said.push(format!("{none}.")),
            _ => {}
        }
        *ids = found;
        true
    }
}

impl Carrier for ToSong<'_> {
    fn take(&mut self, named: Named<'_>) -> bool {
        match named {
            Named::Instruments(ids, what_for) => return self.instruments(ids, what_for),
            Named::Instrument(id) => {
                if let Some(first) = self.stand_ins(id, self.kit).into_iter().next() {
                    *id = first;
                }
            }
            Named::Stroke(name, what_for) => {
                let mut ways = self.kit.instruments.iter().flat_map(|one| &one.articulations);
                if what_for == For::Aim && !ways.any(|way| way.name == *name) {
                    self.said.push(format!("no stroke is called “{name}” here; it is aimed at all the same."));
                }
            }
            Named::Hit(_) => {
                self.lacks.get_or_insert("its single hits belong to another part".to_owned());
            }
            Named::Bars(_) | Named::Place(_) | Named::Stretch(..) | Named::Pocket(_) => {}
        }
        true
    }

    fn comes(&mut self, _: &mut Pass, said: &mut Vec<String>) -> bool {
        let notes = std::mem::take(&mut self.said);
        match self.lacks.take() {
            None => said.extend(notes),
            Some(reason) => {
                said.push(format!("{reason}; the pass is left out."));
                return false;
            }
        }
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::{Channel, Millis, Note, Ticks, Velocity};
    use crate::part::hit::{Hit, HitId};
    use crate::recipe::action::{Action, ByHand, Level, Shape, Swap, SwapTo};
    use crate::recipe::aim::{Aim, Near};

    fn part(notes: &[u8]) -> Part {
        let hit = |&note: &u8| Hit {
            id: HitId::new(u32::from(note)),
            tick: Ticks(0.0),
            length: Ticks(1.0),
            velocity: Velocity::MAX,
            release: 0,
            note: Note::new(note).unwrap(),
            channel: Channel::PERCUSSION,
        };
        Part::new(notes.iter().map(hit).collect())
    }

    #[test]
    fn families_stand_in_and_what_does_not_fit_is_said() {
        let near = Near { instruments: vec![InstrumentId::new("kick")], within: Millis(20.0) };
        let with_kick = Aim { with: Some(near.clone()), ..Aim::at("high-conga") };
        let without_kick = Aim { without: Some(near), ..Aim::at("high-conga") };
        let both =
            Aim { instruments: vec![InstrumentId::new("closed-hat"), InstrumentId::new("shaker")], ..Aim::default() };
        let aims = [Aim::at("closed-hat"), both, with_kick, without_kick, Aim::everything()];
        let mut passes: Vec<Pass> =
            (1..).zip(aims).map(|(id, aim)| Pass::new(id, aim, Action::Shape(Shape::default()))).collect();
        let by_hand = ByHand { removed: vec![HitId::new(1)], ..ByHand::default() };
        passes.push(Pass::new(6, Aim::everything(), Action::ByHand(by_hand)));
        let picked = Aim { picked: Some(vec![HitId::new(1)]), ..Aim::default() };
        passes.push(Pass::new(7, picked, Action::Level(Level { by: 1.0 })));
        // A shaker and an open hat, but neither kick nor congas: the shaker is of their family.
        let (fitted, said) = Recipe::of(passes).fitted(&Kit::general_midi(), &part(&[82, 46]));
        let ids: Vec<u32> = fitted.passes.iter().map(|pass| pass.id.0).collect();
        assert_eq!(ids, [1, 2, 4, 5]);
        assert_eq!(fitted.passes[0].aim.instruments, [InstrumentId::new("open-hat")]);
        assert_eq!(fitted.passes[1].aim.instruments, [InstrumentId::new("open-hat"), InstrumentId::new("shaker")]);
        assert_eq!(
            (&fitted.passes[2].aim.without, &fitted.passes[2].aim.instruments),
            (&None, &vec![InstrumentId::new("shaker")])
        );
        assert_eq!(said.len(), 3, "{said:?}");
        assert!(said[0].contains("no kick"), "{said:?}");
    }

    #[test]
    fn what_hits_are_put_on_is_found_in_the_other_kit_too() {
        let mut own = Kit::general_midi();
        own.instruments.retain(|one| one.id.as_str() != "ride-1");
        let swap = |id: &str| {
            let swap = Swap { to: SwapTo::Instrument, instrument: InstrumentId::new(id), ..Swap::default() };
            let recipe = Recipe::of(vec![Pass::new(1, Aim::at("snare"), Action::Swap(swap))]);
            let (fitted, said) = recipe.fitted(&own, &part(&[38]));
            let Action::Swap(swap) = &fitted.passes[0].action else { panic!("it stays a swap") };
            (swap.instrument.to_string(), said)
        };
        // The part strikes no ride yet; the kit has one.
        assert_eq!(swap("ride-1"), ("ride-2".to_owned(), vec![]));
        assert_eq!(swap("crash-2"), ("crash-2".to_owned(), vec![]));
        // What nobody knows stays named, and is said where it is played.
        assert_eq!(swap("moon").0, "moon");
    }

    #[test]
    fn passes_that_follow_get_ids_of_their_own() {
        let one = Recipe::of(vec![Pass::new(7, Aim::everything(), Action::Level(Level { by: 1.0 }))]);
        let ids: Vec<u32> = one.followed_by(&one).passes.iter().map(|pass| pass.id.0).collect();
        assert_eq!(ids, [7, 8]);
    }
}
