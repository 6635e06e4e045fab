//! Pockets, those who follow them, and what new songs are usually given.

use crate::api::*;
use crate::app::{Answer, App, Opened};
use crate::keyed::{key_of, once};
use crate::problem::Problem;
use serde_json::Value;
use vivida_core::action::Pocket;
use vivida_core::{
    Action, Aim, InstrumentId, Lines, LinesSetting, Pass, PassId, Percent, PocketId, PocketSettings, Pockets, Recipe,
};
use vivida_store::{Change, Reads, Scope, SongId, StoreError, StoredPocket};

pub(crate) fn settings_of(path: &str, value: Value) -> Answer<PocketSettings> {
    PocketSettings::from_value(value).map_err(|(field, message)| Problem::field(format!("{path}.{field}"), message))
}

/// The name of the setting that holds what new songs are usually given.
const DEFAULTS_SETTING: &str = "session-defaults";

fn follow(pocket: PocketId, instruments: Vec<InstrumentId>, recipe: &Recipe) -> Recipe {
    let aim = Aim { instruments, ..Aim::default() };
    let action = Action::Pocket(Pocket { pocket, strength: Percent(100.0) });
    recipe.followed_by(&Recipe::of(vec![Pass::new(1, aim, action)]))
}

impl App {
    /// The pockets of a song, each with those who follow it.
    pub(crate) fn pockets(&self, song: SongId) -> Answer<Vec<PocketCard>> {
        self.pockets_in(&self.reading()?, song)
    }

    pub(crate) fn pockets_in(&self, reads: &impl Reads, song: SongId) -> Answer<Vec<PocketCard>> {
        let row = reads.song(song)?;
        let open = |part: &vivida_store::StoredPart| self.open_stored(reads, &row, part.clone(), None);
        // A part that cannot be opened follows nobody; it says itself what is the matter.
        let opened: Vec<Opened> = row.parts.iter().filter_map(|part| open(part).ok()).collect();
        Ok(reads.pockets(song)?.into_iter().map(|pocket| card(pocket, &opened)).collect())
    }

    fn with_pockets(&self, reads: &impl Reads, song: SongId) -> Answer<SongPockets> {
        let parts = self.part_states(reads, song)?;
        Ok(SongPockets { pockets: self.pockets_in(reads, song)?, parts, history: reads.history(Some(song))? })
    }

    /// Makes a change to pockets of a song and answers the newest state of them and of its parts; where the
    /// change came too late, that comes with the problem.
    fn changing_pockets<T>(
        &self,
        song: SongId,
        make: impl FnOnce(&mut Change<'_>) -> Answer<T>,
    ) -> Answer<SongPockets> {
        self.warm_song(song)?;
        let (changed, reading) = self.change_then_read(make);
        let reading = reading?;
        let newest = || self.with_pockets(&reading, song);
        match changed {
            Ok(_) => newest(),
            Err(problem) if problem.is_conflict() => Err(Problem { pockets: Some(Box::new(newest()?)), ..problem }),
            Err(problem) => Err(problem),
        }
    }

    /// A new pocket with its first followers.
    pub(crate) fn add_pocket(&self, song: SongId, request: NewPocket) -> Answer<SongPockets> {
        let settings =
            request.settings.map_or(Ok(PocketSettings::default()), |value| settings_of("settings", value))?;
        self.changing_pockets(song, |change| {
            let pocket = change.add_pocket(song, &request.name, &settings)?;
            for (place, one) in request.followers.into_iter().enumerate() {
                let at = |detail: &str| Problem::field(format!("followers[{place}].part"), detail);
                let part = change.part(one.part).map_err(|_| at("there is no such part"))?;
                if part.song != song {
                    return Err(at("this part is none of the song's"));
                }
                let recipe = follow(pocket, one.instruments, &part.current().recipe);
                recipe.check().map_err(|error| at(&error.message))?;
                change.set_recipe(part.id, "", recipe)?;
            }
            Ok(())
        })
    }

    /// Changes a pocket's name or settings.
    pub(crate) fn change_pocket(&self, id: PocketId, request: PocketChange) -> Answer<SongPockets> {
        let settings = settings_of("settings", request.settings)?;
        let song = self.reading()?.pocket(id)?.song;
        let label = vivida_smf::readable(request.label.as_bytes());
        let key = key_of(format_args!("pocket {}", id.0), request.key.as_deref())?;
        self.changing_pockets(song, |change| {
            let make =
                |change: &mut Change<'_>| change.change_pocket(id, request.revision, &label, &request.name, &settings);
            Ok(once(change, Scope::Song(song), key.as_deref(), make)?)
        })
    }

    /// The settings of a pocket as a file, and its name; as they stand in the database where they cannot be read.
    pub(crate) fn pocket_file(&self, id: PocketId) -> Answer<(String, Vec<u8>)> {
        let StoredPocket { name, settings, damage, .. } = self.reading()?.pocket(id)?;
        let bytes = match damage {
            Some(damage) => damage.text.into_bytes(),
            None => {
                serde_json::to_vec_pretty(&settings).map_err(|error| Problem::field("settings", error.to_string()))?
            }
        };
        Ok((name, bytes))
    }

    /// Deletes a pocket; its followers keep what it says as ordinary passes.
    pub(crate) fn delete_pocket(&self, id: PocketId, revision: i64) -> Answer<SongPockets> {
        let song = self.reading()?.pocket(id)?.song;
        self.changing_pockets(song, |change| Ok(change.delete_pocket(id, revision)?))
    }

    /// Lets somebody follow, changes how, or lets them go.
    pub(crate) fn change_followers(&self, id: PocketId, request: FollowerChange) -> Answer<SongPockets> {
        let song = self.reading()?.pocket(id)?.song;
        self.changing_pockets(song, |change| {
            let pocket = change.pocket(id)?;
            let part = change.part(request.part)?;
            if part.song != song {
                return Err(Problem::field("part", "this part is none of the song's"));
            }
            let (label, recipe) = followed(&pocket, request.pass, request.change, &part.current().recipe)?;
            recipe.check().map_err(|error| Problem::field("part", error.message))?;
            Ok(change.set_recipe(part.id, &label, recipe)?)
        })
    }

    /// A recipe whose passes follow pockets of this song alone; those of others stand by themselves.
    pub(crate) fn within(&self, reads: &impl Reads, song: SongId, recipe: Recipe) -> Answer<Recipe> {
        let own = reads.pockets(song)?;
        let is_own = |pass: &Pass| own.iter().any(|row| pass.follows().is_some_and(|follow| follow.pocket == row.id));
        Ok(recipe.detached(&pockets_named(reads, &recipe), |pass| !is_own(pass)))
    }

    /// A recipe that follows no pocket.
    pub(crate) fn plain(&self, reads: &impl Reads, recipe: Recipe) -> Recipe {
        recipe.detached(&pockets_named(reads, &recipe), |_| true)
    }

    /// What new songs are usually given.
    pub(crate) fn defaults(&self) -> Answer<SessionDefaults> {
        defaults(&self.reading()?)
    }

    pub(crate) fn set_defaults(&self, wanted: SessionDefaults) -> Answer<SessionDefaults> {
        if let Some(pocket) = &wanted.pocket {
            settings_of("pocket.settings", pocket.settings.clone())?;
            if vivida_smf::readable(pocket.name.as_bytes()).is_empty() {
                return Err(Problem::field("pocket.name", "it needs a name that can be read"));
            }
        }
        let text = serde_json::to_string(&wanted).map_err(|error| Problem::field(".", error.to_string()))?;
        let ((), reading) = self.changed(|change| {
            let found = change.setting_revision(DEFAULTS_SETTING)?;
            if found != wanted.revision {
                let (what, id, expected) = ("the usual feel", 0, wanted.revision);
                return Err(Problem::from(StoreError::Conflict { what, id, expected, found }));
            }
            Ok(change.set_setting(DEFAULTS_SETTING, &text)?)
        })?;
        defaults(&reading)
    }

    /// Gives a song what new songs are usually given: one step of it.
    pub(crate) fn apply_defaults(&self, song: SongId) -> Answer<DefaultsApplied> {
        self.warm_song(song)?;
        self.change(|change| self.give_usual(change, song))
    }

    /// The same, in the midst of a change.
    pub(crate) fn give_usual(&self, change: &mut Change<'_>, song: SongId) -> Answer<DefaultsApplied> {
        change.song_alone(song)?;
        let usual = defaults(&*change)?;
        if usual.recipe.is_none() && usual.pocket.is_none() && usual.grid.is_none() {
            let what = "nothing is chosen yet; choose a recipe, a pocket or a grid under “Usual feel”";
            return Err(Problem::field("defaults", what));
        }
        change.step(Scope::Song(song), "the usual feel");
        let recipe = usual.recipe.map(|id| change.recipe(id)).transpose()?;
        if let Some((recipe, damage)) = recipe.as_ref().and_then(|recipe| Some((recipe, recipe.damage.as_ref()?))) {
            return Err(Problem::damaged(&recipe.name, &damage.reason));
        }
        let rows = change.song(song)?.parts.into_iter().filter(|row| row.drums || usual.tones);
        let rows: Vec<_> = rows.collect();
        if rows.is_empty() {
            return Err(Problem::field("song", "it has no drums that the usual feel could be given to"));
        }
        let pocket = match &usual.pocket {
            Some(pocket) => {
                let settings = settings_of("pocket.settings", pocket.settings.clone())?;
                Some(change.add_pocket(song, &pocket.name, &settings)?)
            }
            None => None,
        };
        let (mut said, mut parts) = (Vec::new(), 0);
        for row in rows {
            let opened = self.open_in(&*change, row.id, None)?;
            let mut passes = opened.take.recipe.clone();
            if let Some(recipe) = recipe.as_ref().filter(|_| row.drums) {
                let (fitted, unfit) = recipe.recipe.fitted(&opened.chart().listed_kit(), opened.part());
                said.extend(unfit.into_iter().map(|sentence| format!("{}: {sentence}", opened.name())));
                passes = passes.followed_by(&fitted);
            }
            if let Some(pocket) = pocket {
                passes = follow(pocket, Vec::new(), &passes);
            }
            passes.check().map_err(|error| Problem::field("song", format!("{}: {error}", opened.name())))?;
            parts += 1;
            change.set_recipe(row.id, "", passes)?;
            if let Some(grid) = usual.grid {
                change.set_lines(row.id, "", LinesSetting::all(Lines::of(grid)))?;
            }
        }
        Ok(DefaultsApplied { parts, said })
    }
}

fn defaults(reads: &impl Reads) -> Answer<SessionDefaults> {
    let text = reads.setting(DEFAULTS_SETTING)?;
    let kept: SessionDefaults = text.and_then(|text| serde_json::from_str(&text).ok()).unwrap_or_default();
    Ok(SessionDefaults { revision: reads.setting_revision(DEFAULTS_SETTING)?, ..kept })
}

fn pockets_named(reads: &impl Reads, recipe: &Recipe) -> Pockets {
    let named = recipe.passes.iter().filter_map(Pass::follows);
    named.filter_map(|follow| Some((follow.pocket, reads.pocket(follow.pocket).ok()?.settings))).collect()
}

fn card(pocket: StoredPocket, opened: &[Opened]) -> PocketCard {
    let followers = opened.iter().flat_map(|opened| {
        let follows = |pass: &&Pass| pass.follows().is_some_and(|follow| follow.pocket == pocket.id);
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
    PocketCard {
        id: pocket.id,
        revision: pocket.revision as i32,
        active: pocket.settings.active(),
        followers: followers.collect(),
        damage: pocket.damage.map(|damage| damage.reason),
        name: pocket.name,
        settings: pocket.settings,
    }
}

/// The recipe of a part after somebody in it follows, or follows otherwise; and what undo calls that.
fn followed(
    pocket: &StoredPocket,
    pass: Option<PassId>,
    change: Following,
    recipe: &Recipe,
) -> Answer<(String, Recipe)> {
    let (id, name) = (pocket.id, &pocket.name);
    let Some(pass) = pass else {
        return match change {
            Following::Follow { instruments } => Ok((format!("follow “{name}”"), follow(id, instruments, recipe))),
            _ => Err(Problem::field("pass", "name the pass that follows the pocket")),
        };
    };
    let is_it = |one: &Pass| one.id == pass && one.follows().is_some_and(|follow| follow.pocket == id);
    if !recipe.passes.iter().any(is_it) {
        return Err(Problem::field("pass", "this pass does not follow the pocket any more"));
    }
    match change {
        Following::Detach => {
            let pockets: Pockets = [(id, pocket.settings.clone())].into();
            Ok((format!("detach from “{name}”"), recipe.detached(&pockets, is_it)))
        }
        Following::Leave => Ok((format!("leave “{name}”"), recipe.without(pass))),
        Following::Switch { on } => Ok((format!("follow “{name}”: on or off"), with(recipe, pass, |one| one.on = on))),
        Following::Strength { strength } => {
            if !(0.0..=200.0).contains(&strength) {
                return Err(Problem::field("change.strength", "a strength is 0 to 200 %"));
            }
            let set = |one: &mut Pass| {
                if let Action::Pocket(follow) = &mut one.action {
                    follow.strength = Percent(strength);
                }
            };
            Ok((format!("follow “{name}”: strength"), with(recipe, pass, set)))
        }
        Following::Follow { .. } => Err(Problem::field("pass", "a new follower has no pass yet")),
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
