//! Followers of pockets that are called otherwise elsewhere, or that become ordinary passes.

use crate::recipe::action::{Action, Pocket, PocketId, Pockets};
use crate::recipe::names::{Carrier, Named};
use crate::recipe::{Pass, Recipe};

impl Recipe {
    /// The recipe with the passes of `which` doing by themselves what their pocket says, at their
    /// strength. The last of those that take the place of one keeps its id and name, so that random
    /// timing stays as it was dealt; a slow drift that followers shared becomes their own.
    ///
    /// ```
    /// use vivida_core::action::{Lean, Pocket, PocketSettings};
    /// use vivida_core::{Action, Aim, Millis, Pass, Percent, PocketId, Pockets, Recipe};
    /// let lean = Lean { by: Millis(10.0), ..Lean::default() };
    /// let pockets: Pockets = [(PocketId(4), PocketSettings { lean, ..PocketSettings::default() })].into();
    /// let follow = Action::Pocket(Pocket { pocket: PocketId(4), strength: Percent(50.0) });
    /// let recipe = Recipe::of(vec![Pass::new(1, Aim::at("snare"), follow)]);
    /// let Action::Lean(lean) = &recipe.detached(&pockets, |_| true).passes[0].action else { panic!() };
    /// assert_eq!(lean.by, Millis(5.0));
    /// ```
    pub fn detached(&self, pockets: &Pockets, which: impl Fn(&Pass) -> bool) -> Recipe {
        let mut free = self.free_ids();
        let mut passes = Vec::with_capacity(self.passes.len());
        for pass in &self.passes {
            let settings = pass.follows().and_then(|pocket| Some((pockets.get(&pocket.pocket)?, pocket.strength)));
            let Some((settings, strength)) = settings.filter(|_| which(pass)) else {
                passes.push(pass.clone());
                continue;
            };
            let actions = settings.as_actions(strength);
            let last = actions.len();
            for (action, place) in actions.into_iter().zip(1..) {
                let id = if place == last { pass.id } else { free.next().unwrap_or(pass.id) };
                let name = pass.name.clone().filter(|_| place == last);
                passes.push(Pass { id, name, action, ..pass.clone() });
            }
        }
        Recipe { passes, groups: self.groups.clone() }.tidied()
    }

    /// The recipe with other pockets in the place of those that it follows.
    ///
    /// ```
    /// use vivida_core::{Action, Aim, Pass, PocketId, Recipe, action::Pocket};
    /// let follow = Action::Pocket(Pocket { pocket: PocketId(4), ..Pocket::default() });
    /// let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), follow)]);
    /// let renamed = recipe.following(|_| PocketId(9));
    /// assert_eq!(renamed.passes[0].follows().unwrap().pocket, PocketId(9));
    /// ```
    pub fn following(&self, renamed: impl Fn(PocketId) -> PocketId) -> Recipe {
        self.taken_along(&mut OtherPockets(renamed)).0
    }
}

/// Among pockets that are called otherwise.
struct OtherPockets<F>(F);

impl<F: Fn(PocketId) -> PocketId> Carrier for OtherPockets<F> {
    fn take(&mut self, named: Named<'_>) -> bool {
        match named {
            Named::Pocket(id) => *id = self.0(*id),
            Named::Instruments(..)
            | Named::Instrument(_)
            | Named::Stroke(..)
            | Named::Bars(_)
            | Named::Place(_)
            | Named::Stretch(..)
            | Named::Hit(_) => {}
        }
        true
    }

    fn comes(&mut self, _: &mut Pass, _: &mut Vec<String>) -> bool {
        true
    }
}

impl Pass {
    /// The pocket that it follows, if it follows one.
    pub fn follows(&self) -> Option<&Pocket> {
        match &self.action {
            Action::Pocket(pocket) => Some(pocket),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::units::{Millis, Percent};
    use crate::recipe::PassId;
    use crate::recipe::action::{Lean, PocketSettings, Swing};
    use crate::recipe::aim::Aim;

    #[test]
    fn passes_keep_their_place_and_ids_stay_unique() {
        let settings = PocketSettings {
            swing: Swing { to: Percent(60.0), ..Swing::default() },
            lean: Lean { by: Millis(4.0), ..Lean::default() },
            ..PocketSettings::default()
        };
        let pockets: Pockets = [(PocketId(1), settings), (PocketId(2), PocketSettings::default())].into();
        let follow = |pocket| Action::Pocket(Pocket { pocket: PocketId(pocket), strength: Percent(100.0) });
        let recipe = Recipe::of(vec![
            Pass::new(1, Aim::everything(), follow(1)),
            Pass { on: false, ..Pass::new(2, Aim::at("ride-1"), follow(1)) },
            Pass::new(3, Aim::everything(), follow(2)),
            Pass::new(4, Aim::everything(), follow(9)),
        ]);
        let detached = recipe.detached(&pockets, |pass| pass.id != PassId(2));
        let told = |pass: &Pass| (pass.id.0, pass.on, pass.action.info().kind);
        // The third pocket does nothing, so nothing is left of it; the fourth is unknown and stays.
        let expected = [(5, true, "swing"), (1, true, "lean"), (2, false, "pocket"), (4, true, "pocket")];
        assert_eq!(detached.passes.iter().map(told).collect::<Vec<_>>(), expected);
        let all = recipe.detached(&pockets, |_| true);
        assert_eq!(all.passes.iter().map(told).collect::<Vec<_>>()[2..4], [(6, false, "swing"), (2, false, "lean")]);
    }
}
