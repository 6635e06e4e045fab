//! Every change is one step that can be undone and done again, also after a restart.

use proptest::prelude::*;
use vivida_core::action::Level;
use vivida_core::{Action, Aim, Pass, Recipe, Section};
use vivida_store::{PartChange, Reads, SongId, Store, StoreError, StoredSong};

const KICK: &[u8] = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x0c\0\x99\x24\x64\x60\x89\x24\x40\0\xff\x2f\0";

fn add(store: &mut Store, name: &str) -> SongId {
    store.change(|change| change.add_song(name, "kick.mid", KICK, &vivida_smf::read(KICK).unwrap())).unwrap()
}

fn level(by: f64) -> PartChange {
    let passes = vec![Pass::new(1, Aim::everything(), Action::Level(Level { by }))];
    PartChange { recipe: Some(Recipe::of(passes)), ..PartChange::default() }
}

#[test]
fn songs_come_back_as_they_went() {
    let mut store = Store::temporary().unwrap();
    let id = add(&mut store, "Tide");
    assert_eq!(store.file(store.song(id).unwrap().file).unwrap().bytes, KICK);
    let song = store.song(id).unwrap();
    assert_eq!((song.name.as_str(), song.revision, song.parts.len()), ("Tide", 2, 1));
    store.change(|change| change.rename(id, song.revision, "Low\u{7} tide")).unwrap();
    assert_eq!(store.song(id).unwrap().name, "Low tide");
    assert!(matches!(
        store.change(|change| change.rename(id, song.revision, "Late")),
        Err(StoreError::Conflict { found: 3, .. })
    ));
    assert!(matches!(store.change(|change| change.rename(id, 3, " \n")), Err(StoreError::Invalid { .. })));
    store.change(|change| change.delete(id, 3)).unwrap();
    assert!(store.songs().unwrap().is_empty());
    assert!(matches!(store.song(id), Err(StoreError::NotFound { .. })));
    assert_eq!(store.change(|change| change.undo(None)).unwrap().unwrap(), "delete “Low tide”");
    assert_eq!(store.songs().unwrap().len(), 1);
}

#[test]
fn a_copy_has_the_recipes_and_goes_its_own_way() {
    let mut store = Store::temporary().unwrap();
    let id = add(&mut store, "Tide");
    let part = store.song(id).unwrap().parts[0].clone();
    store.change(|change| change.change_part(part.id, 1, "level", level(5.0))).unwrap();
    let copy = store.change(|change| change.duplicate(id)).unwrap();
    let copied = store.song(copy).unwrap();
    assert_eq!(copied.name, "Tide (copy)");
    assert_eq!(copied.parts[0].current().recipe, store.part(part.id).unwrap().current().recipe);
    store.change(|change| change.change_part(copied.parts[0].id, 1, "level", level(9.0))).unwrap();
    assert_ne!(store.part(copied.parts[0].id).unwrap().current().recipe, store.part(part.id).unwrap().current().recipe);
}

#[test]
fn undo_works_after_a_restart_and_each_history_is_its_own() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    let (id, part) = {
        let mut store = Store::open(&path).unwrap();
        let id = add(&mut store, "Tide");
        let part = store.song(id).unwrap().parts[0].id;
        store.change(|change| change.change_part(part, 1, "level 5", level(5.0))).unwrap();
        store.change(|change| change.change_part(part, 2, "level 9", level(9.0))).unwrap();
        let stale = store.change(|change| change.change_part(part, 2, "late", level(1.0)));
        assert!(matches!(stale, Err(StoreError::Conflict { expected: 2, found: 3, .. })));
        (id, part)
    };
    let mut store = Store::open(&path).unwrap();
    assert_eq!(store.history(Some(id)).unwrap().undo.unwrap(), "level 9");
    store.change(|change| change.undo(Some(id))).unwrap();
    drop(store);
    let mut store = Store::open(&path).unwrap();
    assert_eq!(Some(store.part(part).unwrap().current().recipe.clone()), level(5.0).recipe);
    assert_eq!(store.change(|change| change.redo(Some(id))).unwrap().unwrap(), "level 9");
    assert_eq!(store.change(|change| change.redo(Some(id))).unwrap(), None);
    assert_eq!(store.history(None).unwrap().undo.unwrap(), "add “Tide”");
}

#[test]
fn a_step_that_changes_nothing_is_none() {
    let mut store = Store::temporary().unwrap();
    let id = add(&mut store, "Tide");
    let part = store.song(id).unwrap().parts[0].id;
    store.change(|change| change.change_part(part, 1, "nothing", PartChange::default())).unwrap();
    assert_eq!(store.history(Some(id)).unwrap().undo, None);
    assert_eq!(store.part(part).unwrap().revision, 1);
}

#[test]
fn demo_songs_come_once_and_stay_deleted() {
    let mut store = Store::temporary().unwrap();
    let file = vivida_smf::read(KICK).unwrap();
    for _ in 0..2 {
        store.change(|change| change.add_demo("Causeway", "causeway.mid", KICK, &file)).unwrap();
    }
    let songs = store.songs().unwrap();
    assert!(songs.len() == 1 && songs[0].is_demo);
    store.change(|change| change.delete(songs[0].id, 1)).unwrap();
    store.change(|change| change.add_demo("Causeway", "causeway.mid", KICK, &file)).unwrap();
    assert!(store.songs().unwrap().is_empty());
}

#[test]
fn a_file_that_is_no_database_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    std::fs::write(&path, "a letter to my drummer, long enough to be looked at as a page of a database").unwrap();
    let error = Store::open(&path).unwrap_err().to_string();
    assert!(error.contains("vivida.sqlite") && error.contains("--data"), "{error}");
    assert!(std::fs::read_to_string(&path).unwrap().starts_with("a letter"), "and is left as it was");
}

#[test]
fn views_are_kept() {
    let mut store = Store::temporary().unwrap();
    assert_eq!(store.view("part-1").unwrap(), None);
    store.change(|change| change.set_view("part-1", "{}")).unwrap();
    store.change(|change| change.set_view("part-1", "{\"loop\":1}")).unwrap();
    assert_eq!(store.view("part-1").unwrap().unwrap(), "{\"loop\":1}");
}

#[derive(Clone, Debug)]
enum Move {
    Add,
    Rename(usize),
    Delete(usize),
    Level(usize, i8),
    Print(usize),
    GoTo(usize, usize),
    Second(usize),
    Mute(usize, bool),
    Name(usize),
    Undo(bool),
    Redo(bool),
}

fn moves() -> impl Strategy<Value = Vec<Move>> {
    let one = prop_oneof![
        Just(Move::Add),
        (0..3usize).prop_map(Move::Rename),
        (0..3usize).prop_map(Move::Delete),
        (0..3usize, -9..9i8).prop_map(|(song, by)| Move::Level(song, by)),
        (0..3usize).prop_map(Move::Print),
        (0..3usize, 0..3usize).prop_map(|(song, take)| Move::GoTo(song, take)),
        (0..3usize).prop_map(Move::Second),
        (0..3usize, any::<bool>()).prop_map(|(song, muted)| Move::Mute(song, muted)),
        (0..3usize).prop_map(Move::Name),
        any::<bool>().prop_map(Move::Undo),
        any::<bool>().prop_map(Move::Redo),
    ];
    proptest::collection::vec(one, 0..25)
}

fn without_revisions(songs: Vec<StoredSong>) -> Vec<StoredSong> {
    let mut songs = songs;
    for song in &mut songs {
        (song.revision, song.stamp) = (0, 0);
        song.parts.iter_mut().for_each(|part| part.revision = 0);
    }
    songs
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn undoing_everything_and_redoing_it_returns_to_the_same_shelf(moves in moves()) {
        let mut store = Store::temporary().unwrap();
        let mut count = 0;
        for step in moves {
            let songs = store.songs().unwrap();
            let pick = |index: usize| songs.get(index);
            match step {
                Move::Add => { count += 1; add(&mut store, &format!("Song {count}")); }
                Move::Rename(index) => if let Some(song) = pick(index) {
                    count += 1;
                    store.change(|change| change.rename(song.id, song.revision, &format!("Name {count}"))).unwrap();
                },
                Move::Delete(index) => if let Some(song) = pick(index) { store.change(|change| change.delete(song.id, song.revision)).unwrap() },
                Move::Level(index, by) => if let Some(song) = pick(index) {
                    let part = &song.parts[0];
                    store.change(|change| change.change_part(part.id, part.revision, "level", level(f64::from(by)))).unwrap();
                },
                Move::Print(index) => if let Some(song) = pick(index) {
                    let part = &song.parts[0];
                    let written = vivida_smf::read(KICK).unwrap().parts[0].part.clone();
                    store.change(|change| change.print(part.id, part.revision, "A take", &written)).unwrap();
                },
                Move::GoTo(index, take) => if let Some(song) = pick(index) {
                    let part = &song.parts[0];
                    let take = Some(part.takes[take % part.takes.len()].id);
                    store.change(|change| change.change_part(part.id, part.revision, "go to", PartChange { take, ..PartChange::default() })).unwrap();
                },
                Move::Second(index) => if let Some(song) = pick(index) {
                    store.change(|change| change.duplicate_part(song.parts[0].id, "Second")).unwrap();
                },
                Move::Mute(index, muted) => if let Some(song) = pick(index) {
                    let part = song.parts.last().unwrap();
                    let muted = PartChange { muted: Some(muted), ..PartChange::default() };
                    store.change(|change| change.change_part(part.id, part.revision, "mute", muted)).unwrap();
                },
                Move::Name(index) => if let Some(song) = pick(index) {
                    let sections = vec![Section { name: "Verse".to_owned(), from: 1, to: 1 + song.revision as u32 }];
                    store.change(|change| change.set_sections(song.id, song.revision, sections)).unwrap();
                },
                Move::Undo(shelf) => { store.change(|change| change.undo(if shelf { None } else { pick(0).map(|song| song.id) })).unwrap(); }
                Move::Redo(shelf) => { store.change(|change| change.redo(if shelf { None } else { pick(0).map(|song| song.id) })).unwrap(); }
            }
        }
        let now = without_revisions(store.songs().unwrap());
        // The history of each song on its own, there and back again.
        for song in &now {
            let mut steps = 0;
            while store.change(|change| change.undo(Some(song.id))).unwrap().is_some() { steps += 1; }
            let fresh = store.song(song.id).unwrap();
            prop_assert!(fresh.parts.len() == 1 && fresh.parts[0].takes.len() == 1 && fresh.sections.is_none());
            prop_assert!(fresh.parts[0].current().recipe.passes.is_empty() && !fresh.parts[0].muted);
            for _ in 0..steps { prop_assert!(store.change(|change| change.redo(Some(song.id))).unwrap().is_some()); }
        }
        prop_assert_eq!(&without_revisions(store.songs().unwrap()), &now);
        let mut steps = 0;
        while store.change(|change| change.undo(None)).unwrap().is_some() { steps += 1; }
        prop_assert!(store.songs().unwrap().is_empty());
        for _ in 0..steps { prop_assert!(store.change(|change| change.redo(None)).unwrap().is_some()); }
        prop_assert_eq!(without_revisions(store.songs().unwrap()), now);
    }
}
