//! A plain model of the shelf, and random sequences of everything that changes it. What it is held against
//! is a [`Subject`]: the store, or the API over it.

use proptest::prelude::*;
use proptest_state_machine::{ReferenceStateMachine, StateMachineTest};
use std::fmt::Debug;
use std::marker::PhantomData;

/// A take as the model knows it: its passes are levels.
#[derive(Clone, Debug, PartialEq)]
pub struct Take {
    pub name: String,
    pub levels: Vec<i32>,
    pub variation: u32,
}

#[derive(Clone, Debug, PartialEq)]
pub struct Part {
    pub name: Option<String>,
    pub muted: bool,
    pub takes: Vec<Take>,
    /// The place of the take that is worked on.
    pub current: usize,
    pub second: bool,
}

/// What a song's own history goes over.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Work {
    pub sections: Option<Vec<(u32, u32)>>,
    pub parts: Vec<Part>,
    /// Names and ms of lean.
    pub pockets: Vec<(String, i32)>,
}

#[derive(Clone, Debug)]
pub struct Song {
    pub name: String,
    pub deleted: bool,
    history: Vec<Work>,
    at: usize,
}

impl Song {
    pub fn work(&self) -> &Work {
        &self.history[self.at]
    }
}

/// What the shelf's history goes over: each song's name and whether it is deleted, and the library.
type Covers = (Vec<(String, bool)>, Vec<(String, i32)>);

#[derive(Clone, Debug)]
pub struct Shelf {
    pub songs: Vec<Song>,
    /// Names and levels.
    pub recipes: Vec<(String, i32)>,
    history: Vec<Covers>,
    at: usize,
    count: u32,
}

/// One change, by places among what is there. Where `stale` is set, it is made on what was there before.
#[derive(Clone, Debug)]
pub enum Move {
    AddSong,
    Rename { song: usize, stale: bool },
    Delete { song: usize, stale: bool },
    Duplicate { song: usize },
    Level { song: usize, part: usize, by: i32, stale: bool },
    Unlevel { song: usize, part: usize },
    Vary { song: usize, part: usize, variation: u32 },
    Mute { song: usize, part: usize, muted: bool, stale: bool },
    Print { song: usize, part: usize },
    RenameTake { song: usize, part: usize, take: usize },
    DeleteTake { song: usize, part: usize, take: usize },
    GoTo { song: usize, part: usize, take: usize },
    Second { song: usize, part: usize },
    DeletePart { song: usize, part: usize },
    Sections { song: usize, to: u32, stale: bool },
    AddPocket { song: usize },
    ChangePocket { song: usize, pocket: usize, lean: i32, stale: bool },
    DeletePocket { song: usize, pocket: usize },
    AddRecipe { level: i32 },
    RenameRecipe { recipe: usize, stale: bool },
    DeleteRecipe { recipe: usize },
    Undo { song: Option<usize> },
    Redo { song: Option<usize> },
    Restart,
}

impl Move {
    /// The place of the song that it is done to.
    pub fn song(&self) -> Option<usize> {
        match *self {
            Move::Rename { song, .. }
            | Move::Delete { song, .. }
            | Move::Duplicate { song }
            | Move::Level { song, .. }
            | Move::Unlevel { song, .. }
            | Move::Vary { song, .. }
            | Move::Mute { song, .. }
            | Move::Print { song, .. }
            | Move::RenameTake { song, .. }
            | Move::DeleteTake { song, .. }
            | Move::GoTo { song, .. }
            | Move::Second { song, .. }
            | Move::DeletePart { song, .. }
            | Move::Sections { song, .. }
            | Move::AddPocket { song }
            | Move::ChangePocket { song, .. }
            | Move::DeletePocket { song, .. } => Some(song),
            Move::Undo { song } | Move::Redo { song } => song,
            _ => None,
        }
    }
}

/// What the model says of a move.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Outcome {
    Done,
    /// It was made on what is not there any more.
    Conflict,
    /// It cannot be done.
    Refused,
    /// There is nothing that it could be done to.
    Nothing,
}

impl Shelf {
    pub fn new() -> Shelf {
        let empty = (Vec::new(), Vec::new());
        Shelf { songs: Vec::new(), recipes: Vec::new(), history: vec![empty], at: 0, count: 0 }
    }

    /// The places of the songs that are not deleted.
    pub fn live(&self) -> Vec<usize> {
        (0..self.songs.len()).filter(|&place| !self.songs[place].deleted).collect()
    }

    fn covers(&self) -> Covers {
        (self.songs.iter().map(|song| (song.name.clone(), song.deleted)).collect(), self.recipes.clone())
    }

    fn shelf_step(&mut self) {
        let now = self.covers();
        if self.history[self.at] != now {
            self.history.truncate(self.at + 1);
            self.history.push(now);
            self.at += 1;
        }
    }

    fn travel_shelf(&mut self, back: bool) {
        let to = if back { self.at.checked_sub(1) } else { Some(self.at + 1).filter(|&at| at < self.history.len()) };
        let Some(to) = to else { return };
        self.at = to;
        let (songs, recipes) = self.history[to].clone();
        for (place, song) in self.songs.iter_mut().enumerate() {
            match songs.get(place) {
                Some((name, deleted)) => (song.name, song.deleted) = (name.clone(), *deleted),
                None => song.deleted = true,
            }
        }
        self.recipes = recipes;
    }

    fn in_song(&mut self, song: usize, change: impl FnOnce(&mut Work) -> Outcome) -> Outcome {
        let live = self.live();
        if live.is_empty() {
            return Outcome::Nothing;
        }
        let song = &mut self.songs[live[song % live.len()]];
        let mut work = song.work().clone();
        let outcome = change(&mut work);
        if outcome == Outcome::Done && work != *song.work() {
            song.history.truncate(song.at + 1);
            song.history.push(work);
            song.at += 1;
        }
        outcome
    }

    fn in_part(&mut self, song: usize, part: usize, stale: bool, change: impl FnOnce(&mut Part)) -> Outcome {
        self.in_song(song, |work| {
            if stale {
                return Outcome::Conflict;
            }
            let count = work.parts.len();
            change(&mut work.parts[part % count]);
            Outcome::Done
        })
    }

    /// Does a move; answers what becomes of it.
    pub fn take(&mut self, step: &Move) -> Outcome {
        self.count += 1;
        let count = self.count;
        let live = self.live();
        let picked = |song: usize| if live.is_empty() { None } else { Some(live[song % live.len()]) };
        match *step {
            Move::AddSong => {
                let take = Take { name: "As it came".to_owned(), levels: Vec::new(), variation: 1 };
                let part = Part { name: None, muted: false, takes: vec![take], current: 0, second: false };
                let work = Work { parts: vec![part], ..Work::default() };
                self.songs.push(Song { name: format!("Song {count}"), deleted: false, history: vec![work], at: 0 });
                self.shelf_step();
                Outcome::Done
            }
            Move::Rename { song, stale } | Move::Delete { song, stale } => {
                let Some(place) = picked(song) else { return Outcome::Nothing };
                if stale {
                    return Outcome::Conflict;
                }
                match step {
                    Move::Rename { .. } => self.songs[place].name = format!("Name {count}"),
                    _ => self.songs[place].deleted = true,
                }
                self.shelf_step();
                Outcome::Done
            }
            Move::Duplicate { song } => {
                let Some(place) = picked(song) else { return Outcome::Nothing };
                let from = &self.songs[place];
                let (name, work) = (format!("{} (copy)", from.name), from.work().clone());
                self.songs.push(Song { name, deleted: false, history: vec![work], at: 0 });
                self.shelf_step();
                Outcome::Done
            }
            Move::Level { song, part, by, stale } => self.in_part(song, part, stale, |part| {
                let current = part.current;
                part.takes[current].levels.push(by);
            }),
            Move::Unlevel { song, part } => self.in_part(song, part, false, |part| {
                let current = part.current;
                part.takes[current].levels.pop();
            }),
            Move::Vary { song, part, variation } => self.in_part(song, part, false, |part| {
                let current = part.current;
                part.takes[current].variation = variation;
            }),
            Move::Mute { song, part, muted, stale } => self.in_part(song, part, stale, |part| part.muted = muted),
            Move::Print { song, part } => self.in_part(song, part, false, |part| {
                part.takes.push(Take { name: format!("Take {count}"), levels: Vec::new(), variation: 1 });
                part.current = part.takes.len() - 1;
            }),
            Move::RenameTake { song, part, take } => self.in_part(song, part, false, |part| {
                let place = take % part.takes.len();
                part.takes[place].name = format!("Called {count}");
            }),
            Move::DeleteTake { song, part, take } => self.in_song(song, |work| {
                let place = part % work.parts.len();
                let part = &mut work.parts[place];
                if part.takes.len() == 1 {
                    return Outcome::Refused;
                }
                let gone = take % part.takes.len();
                part.takes.remove(gone);
                part.current = match part.current {
                    current if current == gone => 0,
                    current if current > gone => current - 1,
                    current => current,
                };
                Outcome::Done
            }),
            Move::GoTo { song, part, take } => {
                self.in_part(song, part, false, |part| part.current = take % part.takes.len())
            }
            Move::Second { song, part } => self.in_song(song, |work| {
                let place = part % work.parts.len();
                let copy = Part { name: Some(format!("Second {count}")), second: true, ..work.parts[place].clone() };
                work.parts.push(copy);
                Outcome::Done
            }),
            Move::DeletePart { song, part } => self.in_song(song, |work| {
                if work.parts.len() == 1 {
                    return Outcome::Refused;
                }
                work.parts.remove(part % work.parts.len());
                Outcome::Done
            }),
            Move::Sections { song, to, stale } => self.in_song(song, |work| {
                if stale {
                    return Outcome::Conflict;
                }
                work.sections = Some(vec![(1, to)]);
                Outcome::Done
            }),
            Move::AddPocket { song } => self.in_song(song, |work| {
                work.pockets.push((format!("Pocket {count}"), 0));
                Outcome::Done
            }),
            Move::ChangePocket { song, pocket, lean, stale } => self.in_song(song, |work| {
                if work.pockets.is_empty() {
                    return Outcome::Nothing;
                }
                if stale {
                    return Outcome::Conflict;
                }
                let place = pocket % work.pockets.len();
                work.pockets[place].1 = lean;
                Outcome::Done
            }),
            Move::DeletePocket { song, pocket } => self.in_song(song, |work| {
                if work.pockets.is_empty() {
                    return Outcome::Nothing;
                }
                work.pockets.remove(pocket % work.pockets.len());
                Outcome::Done
            }),
            Move::AddRecipe { level } => {
                self.recipes.insert(0, (format!("Recipe {count}"), level));
                self.shelf_step();
                Outcome::Done
            }
            Move::RenameRecipe { recipe, stale } => {
                if self.recipes.is_empty() {
                    return Outcome::Nothing;
                }
                if stale {
                    return Outcome::Conflict;
                }
                let place = recipe % self.recipes.len();
                self.recipes[place].0 = format!("Called {count}");
                self.shelf_step();
                Outcome::Done
            }
            Move::DeleteRecipe { recipe } => {
                if self.recipes.is_empty() {
                    return Outcome::Nothing;
                }
                self.recipes.remove(recipe % self.recipes.len());
                self.shelf_step();
                Outcome::Done
            }
            Move::Undo { song: None } => {
                self.travel_shelf(true);
                Outcome::Done
            }
            Move::Redo { song: None } => {
                self.travel_shelf(false);
                Outcome::Done
            }
            Move::Undo { song: Some(song) } | Move::Redo { song: Some(song) } => {
                let Some(place) = picked(song) else { return Outcome::Nothing };
                let song = &mut self.songs[place];
                song.at = match step {
                    Move::Undo { .. } => song.at.saturating_sub(1),
                    _ => (song.at + 1).min(song.history.len() - 1),
                };
                Outcome::Done
            }
            Move::Restart => Outcome::Done,
        }
    }

    /// A song of another shelf comes, with its history.
    #[allow(dead_code, reason = "the API is held against one shelf")]
    pub fn receive(&mut self, from: &Shelf, place: usize) {
        self.count += 1;
        self.songs.push(Song { deleted: false, ..from.songs[place].clone() });
        self.shelf_step();
    }

    /// The number of the move that is done next, which names hang on.
    pub fn number(&self) -> u32 {
        self.count
    }
}

pub fn moves() -> impl Strategy<Value = Move> {
    let (song, part, more) = (0..4usize, 0..3usize, 0..4usize);
    let seldom = || proptest::bool::weighted(0.12);
    let level = (song.clone(), part.clone(), -9..10i32, seldom());
    let whose = proptest::option::weighted(0.7, song.clone());
    prop_oneof![
        3 => Just(Move::AddSong),
        2 => (song.clone(), seldom()).prop_map(|(song, stale)| Move::Rename { song, stale }),
        1 => (song.clone(), seldom()).prop_map(|(song, stale)| Move::Delete { song, stale }),
        1 => song.clone().prop_map(|song| Move::Duplicate { song }),
        6 => level.prop_map(|(song, part, by, stale)| Move::Level { song, part, by, stale }),
        2 => (song.clone(), part.clone()).prop_map(|(song, part)| Move::Unlevel { song, part }),
        2 => (song.clone(), part.clone(), 1..9u32).prop_map(|(song, part, variation)| Move::Vary { song, part, variation }),
        2 => (song.clone(), part.clone(), any::<bool>(), seldom()).prop_map(|(song, part, muted, stale)| Move::Mute { song, part, muted, stale }),
        2 => (song.clone(), part.clone()).prop_map(|(song, part)| Move::Print { song, part }),
        1 => (song.clone(), part.clone(), more.clone()).prop_map(|(song, part, take)| Move::RenameTake { song, part, take }),
        1 => (song.clone(), part.clone(), more.clone()).prop_map(|(song, part, take)| Move::DeleteTake { song, part, take }),
        2 => (song.clone(), part.clone(), more.clone()).prop_map(|(song, part, take)| Move::GoTo { song, part, take }),
        1 => (song.clone(), part.clone()).prop_map(|(song, part)| Move::Second { song, part }),
        1 => (song.clone(), part.clone()).prop_map(|(song, part)| Move::DeletePart { song, part }),
        2 => (song.clone(), 1..2u32, seldom()).prop_map(|(song, to, stale)| Move::Sections { song, to, stale }),
        2 => song.clone().prop_map(|song| Move::AddPocket { song }),
        3 => (song.clone(), more.clone(), -20..20i32, seldom()).prop_map(|(song, pocket, lean, stale)| Move::ChangePocket { song, pocket, lean, stale }),
        1 => (song.clone(), more.clone()).prop_map(|(song, pocket)| Move::DeletePocket { song, pocket }),
        2 => (-9..10i32).prop_map(|level| Move::AddRecipe { level }),
        1 => (more.clone(), seldom()).prop_map(|(recipe, stale)| Move::RenameRecipe { recipe, stale }),
        1 => more.prop_map(|recipe| Move::DeleteRecipe { recipe }),
        7 => whose.clone().prop_map(|song| Move::Undo { song }),
        5 => whose.prop_map(|song| Move::Redo { song }),
        1 => Just(Move::Restart),
    ]
}

/// What is held against the model.
pub trait Subject: Sized {
    /// An empty shelf.
    fn empty() -> Self;
    /// Does a move to the songs of these places; the model is as it was before.
    fn take(self, step: &Move, before: &Shelf, number: u32) -> (Self, Outcome);
    /// All songs that are not deleted, in the order in which they came, and the recipes, the newest first.
    #[allow(clippy::type_complexity, reason = "it is said once")]
    fn told(&self) -> (Vec<(String, Work)>, Vec<(String, i32)>);
    /// A song's work as far as the subject tells it.
    fn as_told(work: Work) -> Work {
        work
    }
}

/// The model and what was done last.
#[derive(Clone, Debug)]
pub struct Reference<S> {
    pub shelf: Shelf,
    before: Shelf,
    outcome: Outcome,
    of: PhantomData<S>,
}

impl<S: Clone + Debug + 'static> ReferenceStateMachine for Reference<S> {
    type State = Reference<S>;
    type Transition = Move;

    fn init_state() -> BoxedStrategy<Reference<S>> {
        let shelf = Shelf::new();
        Just(Reference { before: shelf.clone(), shelf, outcome: Outcome::Done, of: PhantomData }).boxed()
    }

    fn transitions(_: &Reference<S>) -> BoxedStrategy<Move> {
        moves().boxed()
    }

    fn apply(mut state: Reference<S>, step: &Move) -> Reference<S> {
        state.before = state.shelf.clone();
        state.outcome = state.shelf.take(step);
        state
    }
}

/// A subject held against the model.
pub struct Held<S>(PhantomData<S>);

/// Names a subject where the model is written down.
#[derive(Clone, Debug)]
pub struct Tag;

impl<S: Subject> StateMachineTest for Held<S> {
    type SystemUnderTest = S;
    type Reference = Reference<Tag>;

    fn init_test(_: &Reference<Tag>) -> S {
        S::empty()
    }

    fn apply(subject: S, reference: &Reference<Tag>, step: Move) -> S {
        let (subject, outcome) = subject.take(&step, &reference.before, reference.shelf.number());
        assert_eq!(outcome, reference.outcome, "{step:?}");
        let live = reference.shelf.live();
        let songs: Vec<(String, Work)> = live
            .iter()
            .map(|&place| {
                (reference.shelf.songs[place].name.clone(), S::as_told(reference.shelf.songs[place].work().clone()))
            })
            .collect();
        assert_eq!(subject.told(), (songs, reference.shelf.recipes.clone()), "after {step:?}");
        subject
    }
}

/// How many sequences are tried; more by an environment variable.
pub fn sequences(usual: u32) -> u32 {
    std::env::var("VIVIDA_FUZZ").ok().and_then(|text| text.parse().ok()).unwrap_or(usual)
}
