//! The store against a plain model: random changes, undo, redo, restarts, two clients.

#[path = "common/model.rs"]
mod shelf;

use proptest::prelude::Rng;
use proptest::strategy::{Strategy, ValueTree};
use proptest::test_runner::{Config, TestRunner};
use proptest_state_machine::prop_state_machine;
use shelf::{Held, Move, Outcome, Part, Shelf, Subject, Take, Work, moves, sequences};
use std::collections::BTreeMap;
use std::fs;
use std::time::{Duration, SystemTime};
use tempfile::TempDir;
use vivida_core::action::{Lean, Level};
use vivida_core::*;
use vivida_store::*;

const KICK: &[u8] = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x0c\0\x99\x24\x64\x60\x89\x24\x40\0\xff\x2f\0";

struct OnDisk {
    store: Store,
    folder: TempDir,
}

fn level(by: i32) -> Action {
    Action::Level(Level { by: f64::from(by) })
}

fn levels(recipe: &Recipe) -> Vec<i32> {
    let level = |pass: &Pass| match &pass.action {
        Action::Level(level) => level.by as i32,
        other => panic!("{other:?}"),
    };
    recipe.passes.iter().map(level).collect()
}

fn outcome<T>(result: Result<T, StoreError>) -> Outcome {
    match result {
        Ok(_) => Outcome::Done,
        Err(StoreError::Conflict { .. }) => Outcome::Conflict,
        Err(StoreError::Invalid { .. }) => Outcome::Refused,
        Err(other) => panic!("{other}"),
    }
}

impl OnDisk {
    fn song(&self, before: &Shelf, song: usize) -> Option<StoredSong> {
        let songs = self.store.songs().unwrap();
        assert_eq!(songs.len(), before.live().len());
        if songs.is_empty() { None } else { Some(songs[song % songs.len()].clone()) }
    }
}

impl Subject for OnDisk {
    fn empty() -> OnDisk {
        let folder = tempfile::tempdir().unwrap();
        OnDisk { store: Store::open(&folder.path().join("vivida.sqlite")).unwrap(), folder }
    }

    fn take(mut self, step: &Move, before: &Shelf, number: u32) -> (OnDisk, Outcome) {
        if let Move::Restart = step {
            let OnDisk { store, folder } = self;
            drop(store);
            return (
                OnDisk { store: Store::open(&folder.path().join("vivida.sqlite")).unwrap(), folder },
                Outcome::Done,
            );
        }
        let done = self.done(step, before, number);
        (self, done)
    }

    fn told(&self) -> (Vec<(String, Work)>, Vec<(String, i32)>) {
        let take = |take: &StoredTake| Take {
            name: take.name.clone(),
            levels: levels(&take.recipe),
            variation: take.variation,
        };
        let part = |part: &StoredPart| Part {
            name: part.name.clone(),
            muted: part.muted,
            takes: part.takes.iter().map(take).collect(),
            current: part.takes.iter().position(|take| take.id == part.take).unwrap(),
            second: part.name.is_some(),
        };
        let song = |song: StoredSong| {
            let lean = |pocket: StoredPocket| (pocket.name, pocket.settings.lean.by.0 as i32);
            let sections = song.sections.map(|all| all.iter().map(|one| (one.from, one.to)).collect());
            let pockets = self.store.pockets(song.id).unwrap().into_iter().map(lean).collect();
            (song.name, Work { sections, parts: song.parts.iter().map(part).collect(), pockets })
        };
        let recipes = self.store.recipes().unwrap().into_iter();
        let recipes = recipes.map(|one| (one.name, levels(&one.recipe)[0])).collect();
        (self.store.songs().unwrap().into_iter().map(song).collect(), recipes)
    }
}

impl OnDisk {
    fn done(&mut self, step: &Move, before: &Shelf, number: u32) -> Outcome {
        let store = &mut self.store;
        let file = || vivida_smf::read(KICK).unwrap();
        let stale = |revision: i64, stale: bool| if stale { revision - 1 } else { revision };
        match *step {
            Move::AddSong => {
                return outcome(
                    store.change(|change| change.add_song(&format!("Song {number}"), "kick.mid", KICK, &file())),
                );
            }
            Move::AddRecipe { level: by } => {
                let recipe = Recipe::of(vec![Pass::new(1, Aim::everything(), level(by))]);
                return outcome(store.change(|change| change.add_recipe(&format!("Recipe {number}"), "", &recipe)));
            }
            Move::RenameRecipe { recipe, .. } | Move::DeleteRecipe { recipe } => {
                let all = store.recipes().unwrap();
                if all.is_empty() {
                    return Outcome::Nothing;
                }
                let one = &all[recipe % all.len()];
                return match *step {
                    Move::RenameRecipe { stale: late, .. } => {
                        let revision = stale(one.revision, late);
                        outcome(
                            store.change(|change| {
                                change.rename_recipe(one.id, revision, &format!("Called {number}"), "")
                            }),
                        )
                    }
                    _ => outcome(store.change(|change| change.delete_recipe(one.id, one.revision))),
                };
            }
            Move::Undo { song: None } => return outcome(store.change(|change| change.undo(None))),
            Move::Redo { song: None } => return outcome(store.change(|change| change.redo(None))),
            _ => {}
        }
        let place = step.song().expect("the others are done above");
        let Some(song) = self.song(before, place) else { return Outcome::Nothing };
        let store = &mut self.store;
        let part_at = |part: usize| song.parts[part % song.parts.len()].clone();
        let mut change_part = |part: &StoredPart, revision: i64, change: PartChange| {
            outcome(store.change(|one| one.change_part(part.id, revision, "change", change)))
        };
        match *step {
            Move::Level { part, by, stale: late, .. } => {
                let part = part_at(part);
                let mut recipe = part.current().recipe.clone();
                let id = recipe.free_id().0;
                recipe.passes.push(Pass::new(id, Aim::everything(), level(by)));
                let revision = stale(part.revision, late);
                change_part(&part, revision, PartChange { recipe: Some(recipe), ..PartChange::default() })
            }
            Move::Unlevel { part, .. } => {
                let part = part_at(part);
                let mut recipe = part.current().recipe.clone();
                recipe.passes.pop();
                change_part(&part, part.revision, PartChange { recipe: Some(recipe), ..PartChange::default() })
            }
            Move::Vary { part, variation, .. } => {
                let part = part_at(part);
                change_part(&part, part.revision, PartChange { variation: Some(variation), ..PartChange::default() })
            }
            Move::Mute { part, muted, stale: late, .. } => {
                let part = part_at(part);
                let revision = stale(part.revision, late);
                change_part(&part, revision, PartChange { muted: Some(muted), ..PartChange::default() })
            }
            Move::GoTo { part, take, .. } => {
                let part = part_at(part);
                let take = Some(part.takes[take % part.takes.len()].id);
                change_part(&part, part.revision, PartChange { take, ..PartChange::default() })
            }
            Move::Print { part, .. } => {
                let part = part_at(part);
                let name = format!("Take {number}");
                outcome(store.change(|change| change.print(part.id, part.revision, &name, &file().parts[0].part)))
            }
            Move::RenameTake { part, take, .. } => {
                let part = part_at(part);
                let take = part.takes[take % part.takes.len()].id;
                let name = format!("Called {number}");
                outcome(store.change(|change| change.rename_take(part.id, part.revision, take, &name)))
            }
            Move::DeleteTake { part, take, .. } => {
                let part = part_at(part);
                let take = part.takes[take % part.takes.len()].id;
                outcome(store.change(|change| change.delete_take(part.id, part.revision, take)))
            }
            Move::Second { part, .. } => {
                outcome(store.change(|change| change.duplicate_part(part_at(part).id, &format!("Second {number}"))))
            }
            Move::DeletePart { part, .. } => {
                let part = part_at(part);
                outcome(store.change(|change| change.delete_part(part.id, part.revision, false)))
            }
            Move::Rename { stale: late, .. } => {
                let revision = stale(song.revision, late);
                outcome(store.change(|change| change.rename(song.id, revision, &format!("Name {number}"))))
            }
            Move::Delete { stale: late, .. } => {
                outcome(store.change(|change| change.delete(song.id, stale(song.revision, late))))
            }
            Move::Duplicate { .. } => outcome(store.change(|change| change.duplicate(song.id))),
            Move::Sections { to, stale: late, .. } => {
                let sections = vec![Section { name: "Verse".to_owned(), from: 1, to }];
                let revision = stale(song.revision, late);
                outcome(store.change(|change| change.set_sections(song.id, revision, sections)))
            }
            Move::AddPocket { .. } => {
                let settings = PocketSettings::default();
                outcome(store.change(|change| change.add_pocket(song.id, &format!("Pocket {number}"), &settings)))
            }
            Move::ChangePocket { pocket, .. } | Move::DeletePocket { pocket, .. } => {
                let pockets = store.pockets(song.id).unwrap();
                if pockets.is_empty() {
                    return Outcome::Nothing;
                }
                let one = &pockets[pocket % pockets.len()];
                match *step {
                    Move::ChangePocket { lean, stale: late, .. } => {
                        let lean = Lean { by: Millis(f64::from(lean)), ..Lean::default() };
                        let settings = PocketSettings { lean, ..PocketSettings::default() };
                        let revision = stale(one.revision, late);
                        outcome(
                            store.change(|change| change.change_pocket(one.id, revision, "lean", &one.name, &settings)),
                        )
                    }
                    _ => outcome(store.change(|change| change.delete_pocket(one.id, one.revision))),
                }
            }
            Move::Undo { .. } => outcome(store.change(|change| change.undo(Some(song.id)))),
            Move::Redo { .. } => outcome(store.change(|change| change.redo(Some(song.id)))),
            _ => unreachable!(),
        }
    }
}

prop_state_machine! {
    #![proptest_config(Config { cases: sequences(420), max_shrink_iters: 2000, ..Config::default() })]

    #[test]
    fn the_store_is_what_the_model_says(sequential 1..50 => Held<OnDisk>);
}

/// A shelf and what the model says of it, with its backups.
struct World {
    subject: OnDisk,
    model: Shelf,
    /// What the model said when each was taken.
    backups: BTreeMap<String, Shelf>,
    /// Pages that were left open: a part, its revision and its passes.
    open: Vec<(PartId, i64, Recipe)>,
}

impl World {
    fn new() -> World {
        World { subject: OnDisk::empty(), model: Shelf::new(), backups: BTreeMap::new(), open: Vec::new() }
    }

    fn check(&self, after: &str) {
        let of = |place: usize| (self.model.songs[place].name.clone(), self.model.songs[place].work().clone());
        let songs: Vec<(String, Work)> = self.model.live().into_iter().map(of).collect();
        assert_eq!(self.subject.told(), (songs, self.model.recipes.clone()), "after {after}");
    }

    fn step(mut self, step: &Move) -> World {
        let before = self.model.clone();
        let wanted = self.model.take(step);
        let (subject, outcome) = self.subject.take(step, &before, self.model.number());
        assert_eq!(outcome, wanted, "{step:?}");
        World { subject, ..self }
    }

    fn back_up(&mut self) {
        let name = self.subject.store.take_backup(BackupKind::ByHand).unwrap().unwrap();
        assert_eq!(self.subject.store.backups()[0].name, name, "the newest is the first, whatever the clock says");
        self.backups.insert(name, self.model.clone());
    }

    fn restore(&mut self, random: u32) {
        let store = &mut self.subject.store;
        let there: Vec<String> = store.backups().into_iter().map(|one| one.name).collect();
        let known: Vec<&String> = there.iter().filter(|name| self.backups.contains_key(*name)).collect();
        if known.is_empty() {
            return;
        }
        let name = known[random as usize % known.len()].clone();
        store.restore(&name).unwrap();
        let safety = store.backups()[0].name.clone();
        assert!(safety.contains("before restoring"), "{safety}");
        self.backups.insert(safety, self.model.clone());
        self.model = self.backups[&name].clone();
    }

    /// A clock goes wrong: the files of backups were written at any time.
    fn jump(&self, random: u32) {
        for (number, entry) in
            fs::read_dir(self.subject.folder.path().join("backups")).into_iter().flatten().enumerate()
        {
            let seconds = u64::from(random.rotate_left(number as u32 * 5)) / 2;
            let when = SystemTime::UNIX_EPOCH + Duration::from_secs(seconds);
            fs::File::options().write(true).open(entry.unwrap().path()).unwrap().set_modified(when).unwrap();
        }
    }

    /// A page is opened and left.
    fn open_page(&mut self, random: u32) {
        let songs = self.subject.store.songs().unwrap();
        if let Some(song) = songs.get(random as usize % songs.len().max(1)) {
            let part = &song.parts[0];
            self.open.push((part.id, part.revision, part.current().recipe.clone()));
        }
    }

    /// A page that was left open writes. A revision that is still the newest says that all is as the page knew it; any
    /// other is refused.
    fn write_late(&mut self, random: u32) {
        if self.open.is_empty() {
            return;
        }
        let (part, revision, recipe) = self.open.swap_remove(random as usize % self.open.len());
        let store = &mut self.subject.store;
        match store.part(part) {
            Ok(now) if now.revision == revision => {
                assert_eq!(now.current().recipe, recipe, "a revision came twice");
            }
            _ => {
                let change = PartChange { variation: Some(77), ..PartChange::default() };
                let refused = store.change(|one| one.change_part(part, revision, "late", change));
                let is_refused = matches!(refused, Err(StoreError::Conflict { .. } | StoreError::NotFound { .. }));
                assert!(is_refused, "{refused:?}");
            }
        }
    }
}

/// A song goes from one shelf to the other, with its history; and with a history that names what is not its own.
fn carry(from: &World, to: &mut World, random: u32) {
    let live = from.model.live();
    if live.is_empty() || to.model.songs.len() > 12 {
        return;
    }
    let place = random as usize % live.len();
    let song = from.subject.store.songs().unwrap()[place].id;
    let pack = SongPack::of(&from.subject.store, song).unwrap();
    let states = ["song", "take", "part", "pocket", "recipe", "kit", "groove"];
    let of = states[(random >> 8) as usize % states.len()];
    let state = format!(
        r#"[{{"of":"{of}","id":{},"name":"x","note":"","recipe":{{"passes":[]}},"groove":{{}},"kit":{{}},"settings":{{}},
             "variation":1,"drums":true,"favourite":false,"deleted":true}}]"#,
        1 + (random >> 16) % 9
    );
    let step = StepPack { before: state.clone(), after: state, label: "x".to_owned(), ..StepPack::default() };
    let hostile = SongPack { steps: vec![step], takes: Vec::new(), pockets: Vec::new(), ..pack.clone() };
    let refused = to.subject.store.change(|change| {
        change.unpack_song(&hostile)?;
        // What is its own by chance is no attack, and does not stay.
        Err::<(), StoreError>(StoreError::Full)
    });
    assert!(refused.is_err());
    to.check("a hostile bundle");
    to.subject.store.change(|change| change.unpack_song(&pack)).unwrap();
    to.model.receive(&from.model, live[place]);
}

/// Two shelves, songs that go from one to the other, backups and restores at any moment, clocks that jump, pages that
/// were left open: 10 000 steps, or as many times 1000 as `VIVIDA_FUZZ` says.
#[test]
fn two_shelves_are_what_the_model_says_through_restores_and_bundles() {
    const STEPS: u32 = 250;
    let mut runner = TestRunner::deterministic();
    let moves = moves();
    for _ in 0..sequences(10) * 1000 / STEPS {
        let (mut one, mut other) = (World::new(), World::new());
        for _ in 0..STEPS {
            let random = runner.rng().next_u32();
            match random % 40 {
                0 => one.back_up(),
                1 => one.restore(random >> 6),
                2 => one.jump(random),
                3 | 4 => one.open_page(random >> 6),
                5 | 6 => one.write_late(random >> 6),
                7 => carry(&one, &mut other, random),
                8..=11 => std::mem::swap(&mut one, &mut other),
                _ => {
                    let step = moves.new_tree(&mut runner).unwrap().current();
                    one = one.step(&step);
                }
            }
            one.check("a step");
        }
    }
}
