//! Recipes on other kits: what fits is taken over, what does not is said.

use crate::action::Action;
use crate::aim::Aim;
use crate::kit::{InstrumentId, Kit};
use crate::recipe::{Pass, Recipe};

impl Recipe {
    /// The passes of this recipe that mean something to another part, and sentences on what does
    /// not. Instruments that it does not strike stand for all of their family there; single hits
    /// belong to the part that they were picked in and stay behind. `kit` is what the part strikes of its kit.
    ///
    /// ```
    /// use vivida_core::{Action, Aim, Kit, Part, Pass, Recipe, action::Level};
    /// let recipe = Recipe { passes: vec![Pass::new(1, Aim::at("snare"), Action::Level(Level { by: 3.0 }))] };
    /// let (fitted, said) = recipe.fitted(&Kit::general_midi().struck_by(&Part::default()));
    /// assert!(fitted.passes.is_empty());
    /// assert_eq!(said, ["Pass 1, Level: there is no snare here; the pass is left out."]);
    /// ```
    pub fn fitted(&self, kit: &Kit) -> (Recipe, Vec<String>) {
        let known = Kit::general_midi();
        let mut said = Vec::new();
        let mut passes = Vec::new();
        for (index, pass) in self.passes.iter().enumerate() {
            let name = format!("Pass {}, {}", index + 1, pass.name.as_deref().unwrap_or(pass.action.info().title));
            match fitted(pass, kit, &known) {
                Ok((pass, notes)) => {
                    passes.push(pass);
                    said.extend(notes.into_iter().map(|note| format!("{name}: {note}")));
                }
                Err(reason) => said.push(format!("{name}: {reason}; the pass is left out.")),
            }
        }
        (Recipe { passes }, said)
    }

    /// These passes behind those that are there, with ids that are still free.
    pub fn followed_by(&self, other: &Recipe) -> Recipe {
        let mut passes = self.passes.clone();
        let renumbered = self.free_ids().zip(&other.passes).map(|(id, pass)| Pass { id, ..pass.clone() });
        passes.extend(renumbered);
        Recipe { passes }
    }
}

fn fitted(pass: &Pass, kit: &Kit, known: &Kit) -> Result<(Pass, Vec<String>), String> {
    if matches!(pass.action, Action::ByHand(_)) {
        return Err("its single hits belong to another part".to_owned());
    }
    if pass.aim.picked.is_some() {
        return Err("its picked hits belong to another part".to_owned());
    }
    let mut notes = Vec::new();
    let mut aim: Aim = pass.aim.clone();
    let mut fit = |ids: &mut Vec<InstrumentId>| {
        if ids.is_empty() {
            return Ok(());
        }
        let (found, missing) = instruments(ids, kit, known);
        if found.is_empty() {
            return Err(format!("there is no {} here", missing.join(" or ")));
        }
        if !missing.is_empty() {
            notes.push(format!("there is no {} here.", missing.join(" or ")));
        }
        *ids = found;
        Ok(())
    };
    fit(&mut aim.instruments)?;
    if let Some(near) = &mut aim.with {
        fit(&mut near.instruments)?;
    }
    // What is not there is never near: the condition holds of itself.
    if aim.without.as_mut().is_some_and(|near| fit(&mut near.instruments).is_err()) {
        aim.without = None;
    }
    Ok((Pass { aim, ..pass.clone() }, notes))
}

/// The instruments of a kit that ids stand for, and the names of those that it has nothing for.
fn instruments(ids: &[InstrumentId], kit: &Kit, known: &Kit) -> (Vec<InstrumentId>, Vec<String>) {
    let mut found: Vec<InstrumentId> = Vec::new();
    let mut missing = Vec::new();
    for id in ids {
        let meant = known.find(id).map(|(_, instrument)| instrument);
        let stand_in =
            |one: &&crate::Instrument| one.id == *id || meant.is_some_and(|meant| meant.family == one.family);
        let own = kit.find(id).map(|(_, one)| vec![one.id.clone()]);
        let some = own.unwrap_or_else(|| kit.instruments.iter().filter(stand_in).map(|one| one.id.clone()).collect());
        if some.is_empty() {
            missing.push(meant.map_or(id.to_string(), |meant| meant.name.to_lowercase()));
        }
        some.into_iter().for_each(|id| {
            if !found.contains(&id) {
                found.push(id)
            }
        });
    }
    (found, missing)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::action::{ByHand, Level, Shape};
    use crate::aim::Near;
    use crate::hit::{Hit, HitId, Part};
    use crate::units::{Channel, Millis, Note, Ticks, Velocity};

    fn kit(notes: &[u8]) -> Kit {
        let hit = |&note: &u8| Hit {
            id: HitId::new(u32::from(note)),
            tick: Ticks(0.0),
            length: Ticks(1.0),
            velocity: Velocity::MAX,
            release: 0,
            note: Note::new(note).unwrap(),
            channel: Channel::PERCUSSION,
        };
        let part = Part::new(notes.iter().map(hit).collect());
        Kit::of_drums(&part).struck_by(&part)
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
        passes.push(Pass::new(6, Aim::everything(), Action::ByHand(ByHand::default())));
        let picked = Aim { picked: Some(vec![HitId::new(1)]), ..Aim::default() };
        passes.push(Pass::new(7, picked, Action::Level(Level { by: 1.0 })));
        // A shaker and an open hat, but neither kick nor congas: the shaker is of their family.
        let (fitted, said) = Recipe { passes }.fitted(&kit(&[82, 46]));
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
    fn passes_that_follow_get_ids_of_their_own() {
        let one = Recipe { passes: vec![Pass::new(7, Aim::everything(), Action::Level(Level { by: 1.0 }))] };
        let ids: Vec<u32> = one.followed_by(&one).passes.iter().map(|pass| pass.id.0).collect();
        assert_eq!(ids, [7, 8]);
    }
}
