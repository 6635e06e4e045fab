//! Pockets, those who follow them, and what new songs are usually given.

use crate::api::*;
use crate::app::{Answer, App};
use crate::problem::Problem;
use serde_json::Value;
use vivida_core::action::Pocket;
use vivida_core::{Action, Aim, InstrumentId, Pass, PassId, Percent, PocketId, PocketSettings, Pockets, Recipe};
use vivida_store::{PartRow, PocketRow, Recipes, SetUp, SongId, StoreError};

pub(crate) fn settings_of(path: &str, value: Value) -> Answer<PocketSettings> {
    PocketSettings::from_value(value).map_err(|(field, message)| Problem::field(format!("{path}.{field}"), message))
}

/// The name of the setting that holds what new songs are usually given.
const DEFAULTS_SETTING: &str = "session-defaults";

fn follow(pocket: PocketId, instruments: Vec<InstrumentId>, recipe: &Recipe) -> Recipe {
    let aim = Aim { instruments, ..Aim::default() };
    let action = Action::Pocket(Pocket { pocket, strength: Percent(100.0) });
    recipe.followed_by(&Recipe { passes: vec![Pass::new(1, aim, action)] })
}

impl App {
    /// The pockets of a song, each with those who follow it.
    pub(crate) fn pockets(&self, song: SongId) -> Answer<Vec<PocketCard>> {
        let (rows, parts) = {
            let store = self.store();
            (store.pockets(song)?, store.song(song)?.parts)
        };
        let opened: Vec<_> = parts.into_iter().map(|part| self.open(part.id, None)).collect::<Answer<_>>()?;
        let card = |row: PocketRow| {
            let followers = opened.iter().flat_map(|opened| {
                let follows = move |pass: &&Pass| pass.follows().is_some_and(|follow| follow.pocket == row.id);
                opened.take.recipe.passes.iter().filter(follows).map(|pass| Follower {
                    part: opened.row.id,
                    part_name: opened.name(),
                    pass: pass.id,
                    on: pass.on,
                    strength: pass.follows().map_or(0.0, |follow| follow.strength.0),
                    instruments: pass.aim.instruments.clone(),
                    names: names(&opened.chart().kit, &pass.aim),
                    narrowed: pass.aim.clone() != Aim { instruments: pass.aim.instruments.clone(), ..Aim::default() },
                })
            });
            let followers = followers.collect();
            let (id, revision) = (row.id, row.revision as i32);
            PocketCard { id, revision, name: row.name, settings: row.settings, followers }
        };
        Ok(rows.into_iter().map(card).collect())
    }

    fn with_pockets(&self, song: SongId) -> Answer<SongPockets> {
        let rows = self.store().song(song)?.parts;
        let parts = rows.iter().map(|row| self.part_state(row)).collect::<Answer<_>>()?;
        Ok(SongPockets { pockets: self.pockets(song)?, parts, history: self.history(song)? })
    }

    /// Where a change came too late, the newest state comes with the problem.
    fn pocket_changed(&self, song: SongId, changed: Result<(), StoreError>) -> Answer<SongPockets> {
        match changed {
            Err(error @ StoreError::Conflict { .. }) => {
                let newest = Some(Box::new(self.with_pockets(song)?));
                Err(Problem { pockets: newest, ..Problem::from(error) })
            }
            Err(error) => Err(error.into()),
            Ok(()) => self.with_pockets(song),
        }
    }

    /// A new pocket with its first followers.
    pub(crate) fn add_pocket(&self, song: SongId, request: NewPocket) -> Answer<SongPockets> {
        let settings =
            request.settings.map_or(Ok(PocketSettings::default()), |value| settings_of("settings", value))?;
        let parts = self.store().song(song)?.parts;
        if let Some(place) = request.followers.iter().position(|one| parts.iter().all(|part| part.id != one.part)) {
            return Err(Problem::field(format!("followers[{place}].part"), "this part is none of the song's"));
        }
        let followers = |pocket| {
            let of = |part: &PartRow| {
                let joining = request.followers.iter().filter(|one| one.part == part.id);
                let recipe = joining.fold(part.current().recipe.clone(), |recipe, one| {
                    follow(pocket, one.instruments.clone(), &recipe)
                });
                (recipe != part.current().recipe).then_some((part.id, recipe))
            };
            parts.iter().filter_map(of).collect::<Recipes>()
        };
        self.store().add_pocket(song, &request.name, &settings, followers)?;
        self.with_pockets(song)
    }

    /// Changes a pocket's name or settings.
    pub(crate) fn change_pocket(&self, id: PocketId, request: PocketChange) -> Answer<SongPockets> {
        let settings = settings_of("settings", request.settings)?;
        let song = self.store().pocket(id)?.song;
        let label = vivida_smf::readable(request.label.as_bytes());
        let changed = self.store().change_pocket(id, request.revision, &label, &request.name, &settings);
        self.pocket_changed(song, changed)
    }

    /// Deletes a pocket; its followers keep what it says as ordinary passes.
    pub(crate) fn delete_pocket(&self, id: PocketId, revision: i64) -> Answer<SongPockets> {
        let song = self.store().pocket(id)?.song;
        let changed = self.store().delete_pocket(id, revision);
        self.pocket_changed(song, changed)
    }

    /// Lets somebody follow, changes how, or lets them go.
    pub(crate) fn change_followers(&self, id: PocketId, request: FollowerChange) -> Answer<SongPockets> {
        let (song, settings, name) = {
            let row = self.store().pocket(id)?;
            (row.song, row.settings, row.name)
        };
        let part = self.store().part(request.part)?;
        if part.song != song {
            return Err(Problem::field("part", "this part is none of the song's"));
        }
        let recipe = &part.current().recipe;
        let (label, changed) = match (request.pass, request.change) {
            (None, Following::Follow { instruments }) => (format!("follow “{name}”"), follow(id, instruments, recipe)),
            (Some(pass), change) => {
                let is_it = |one: &Pass| one.id == pass && one.follows().is_some_and(|follow| follow.pocket == id);
                if !recipe.passes.iter().any(is_it) {
                    return Err(Problem::field("pass", "this pass does not follow the pocket any more"));
                }
                match change {
                    Following::Detach => {
                        let pockets: Pockets = [(id, settings)].into();
                        (format!("detach from “{name}”"), recipe.detached(&pockets, is_it))
                    }
                    Following::Leave => {
                        let passes = recipe.passes.iter().filter(|one| one.id != pass).cloned().collect();
                        (format!("leave “{name}”"), Recipe { passes })
                    }
                    Following::Switch { on } => {
                        (format!("follow “{name}”: on or off"), with(recipe, pass, |one| one.on = on))
                    }
                    Following::Strength { strength } => {
                        if !(0.0..=200.0).contains(&strength) {
                            return Err(Problem::field("change.strength", "a strength is 0 to 200 %"));
                        }
                        let set = |one: &mut Pass| {
                            if let Action::Pocket(follow) = &mut one.action {
                                follow.strength = Percent(strength);
                            }
                        };
                        (format!("follow “{name}”: strength"), with(recipe, pass, set))
                    }
                    Following::Follow { .. } => return Err(Problem::field("pass", "a new follower has no pass yet")),
                }
            }
            (None, _) => return Err(Problem::field("pass", "name the pass that follows the pocket")),
        };
        self.store().set_recipes(song, &label, vec![(part.id, changed)])?;
        self.with_pockets(song)
    }

    /// A recipe whose passes follow pockets of this song alone; those of others stand by themselves.
    pub(crate) fn within(&self, song: SongId, recipe: Recipe) -> Answer<Recipe> {
        let own = self.store().pockets(song)?;
        let pockets = self.pockets_named(&recipe);
        let is_own = |pass: &Pass| own.iter().any(|row| pass.follows().is_some_and(|follow| follow.pocket == row.id));
        Ok(recipe.detached(&pockets, |pass| !is_own(pass)))
    }

    /// A recipe that follows no pocket.
    pub(crate) fn plain(&self, recipe: Recipe) -> Answer<Recipe> {
        Ok(recipe.detached(&self.pockets_named(&recipe), |_| true))
    }

    fn pockets_named(&self, recipe: &Recipe) -> Pockets {
        let store = self.store();
        let named = recipe.passes.iter().filter_map(Pass::follows);
        named.filter_map(|follow| Some((follow.pocket, store.pocket(follow.pocket).ok()?.settings))).collect()
    }

    /// What new songs are usually given.
    pub(crate) fn defaults(&self) -> Answer<SessionDefaults> {
        let text = self.store().setting(DEFAULTS_SETTING)?;
        Ok(text.and_then(|text| serde_json::from_str(&text).ok()).unwrap_or_default())
    }

    pub(crate) fn set_defaults(&self, defaults: SessionDefaults) -> Answer<()> {
        if let Some(pocket) = &defaults.pocket {
            settings_of("pocket.settings", pocket.settings.clone())?;
        }
        let text = serde_json::to_string(&defaults).map_err(|error| Problem::field(".", error.to_string()))?;
        Ok(self.store().set_setting(DEFAULTS_SETTING, &text)?)
    }

    /// Gives a song what new songs are usually given: one step of it.
    pub(crate) fn apply_defaults(&self, song: SongId) -> Answer<DefaultsApplied> {
        let defaults = self.defaults()?;
        if defaults.recipe.is_none() && defaults.pocket.is_none() && defaults.grid.is_none() {
            let what = "nothing is chosen yet; choose a recipe, a pocket or a grid under “Usual feel”";
            return Err(Problem::field("defaults", what));
        }
        let recipe = defaults.recipe.map(|id| self.store().recipe(id)).transpose()?;
        let rows = self.store().song(song)?.parts;
        let pocket = self.store().next_pocket()?;
        let settings = defaults.pocket.as_ref().map(|one| settings_of("pocket.settings", one.settings.clone()));
        let settings = settings.transpose()?;
        let mut set_up = SetUp::default();
        let mut said = Vec::new();
        for row in rows.into_iter().filter(|row| row.drums || defaults.tones) {
            let opened = self.open(row.id, None)?;
            let mut passes = opened.take.recipe.clone();
            if let Some(recipe) = recipe.as_ref().filter(|_| row.drums) {
                let (fitted, unfit) = recipe.recipe.fitted(&opened.chart().kit);
                said.extend(unfit.into_iter().map(|sentence| format!("{}: {sentence}", opened.name())));
                passes = passes.followed_by(&fitted);
            }
            if settings.is_some() {
                passes = follow(pocket, Vec::new(), &passes);
            }
            if passes != opened.take.recipe {
                set_up.recipes.push((row.id, passes));
            }
            set_up.grids.extend(defaults.grid.map(|grid| (row.id, grid)));
        }
        if set_up.recipes.is_empty() && set_up.grids.is_empty() {
            return Err(Problem::field("song", "it has no drums that the usual feel could be given to"));
        }
        let parts = set_up.recipes.len().max(set_up.grids.len()) as u32;
        if let (Some(usual), Some(settings)) = (&defaults.pocket, &settings) {
            set_up.pocket = Some((pocket, &usual.name, settings));
        }
        self.store().set_up(song, "the usual feel", set_up)?;
        Ok(DefaultsApplied { parts, said })
    }
}

fn with(recipe: &Recipe, id: PassId, change: impl Fn(&mut Pass)) -> Recipe {
    let mut recipe = recipe.clone();
    recipe.passes.iter_mut().filter(|pass| pass.id == id).for_each(change);
    recipe
}

/// Who follows, in words.
fn names(kit: &vivida_core::Kit, aim: &Aim) -> Vec<String> {
    let name = |id: &InstrumentId| kit.find(id).map_or(id.to_string(), |(_, instrument)| instrument.name.clone());
    aim.instruments.iter().map(name).collect()
}
