//! Takes, second parts, sections and the library: kept, undone, and brought over from the first
//! version of the database.

use rusqlite::{Connection, params};
use std::collections::BTreeMap;
use vivida_core::action::Level;
use vivida_core::{Action, Aim, InstrumentId, LayerBounds, LinesSetting, Part, Pass, Recipe, Section, Velocity};
use vivida_store::{PartChange, Reads, SongId, Store, StoreError, StoredPart};

const KICK: &[u8] = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x0c\0\x99\x24\x64\x60\x89\x24\x40\0\xff\x2f\0";

fn store() -> (Store, SongId) {
    let mut store = Store::temporary().unwrap();
    let id =
        store.change(|change| change.add_song("Tide", "kick.mid", KICK, &vivida_smf::read(KICK).unwrap())).unwrap();
    (store, id)
}

fn part(store: &impl Reads, song: SongId) -> StoredPart {
    store.song(song).unwrap().parts[0].clone()
}

fn written() -> Part {
    vivida_smf::read(KICK).unwrap().parts[0].part.clone()
}

fn level(by: f64) -> Recipe {
    Recipe::of(vec![Pass::new(1, Aim::everything(), Action::Level(Level { by }))])
}

fn with(recipe: Recipe) -> PartChange {
    PartChange { recipe: Some(recipe), ..PartChange::default() }
}

#[test]
fn a_print_is_a_take_that_undo_takes_back_and_redo_returns() {
    let (mut store, song) = store();
    let before = part(&store, song);
    store.change(|change| change.change_part(before.id, before.revision, "level", with(level(5.0)))).unwrap();
    let now = part(&store, song);
    let take = store.change(|change| change.print(now.id, now.revision, "Softer", &written())).unwrap();
    let printed = part(&store, song);
    assert_eq!((printed.take, printed.takes.len()), (take, 2));
    assert!(printed.current().recipe.passes.is_empty() && printed.current().is_print);
    assert_eq!(store.take_hits(take).unwrap(), Some(Ok(written())));
    assert_eq!(store.take_hits(before.take).unwrap(), None, "the first take is as the file has it");

    // The passes of one take are not the other's.
    store.change(|change| change.change_part(printed.id, printed.revision, "level", with(level(9.0)))).unwrap();
    let back = PartChange { take: Some(before.take), ..PartChange::default() };
    store.change(|change| change.change_part(printed.id, part(&*change, song).revision, "go back", back)).unwrap();
    assert_eq!(part(&store, song).current().recipe, level(5.0));

    for label in ["go back", "level", "print “Softer”"] {
        assert_eq!(store.change(|change| change.undo(Some(song))).unwrap().unwrap(), label);
    }
    assert_eq!(part(&store, song).takes.len(), 1);
    for _ in 0..2 {
        store.change(|change| change.redo(Some(song))).unwrap();
    }
    assert_eq!((part(&store, song).take, &part(&store, song).current().recipe), (take, &level(9.0)));
}

#[test]
fn takes_are_renamed_and_deleted_but_never_the_last() {
    let (mut store, song) = store();
    let first = part(&store, song);
    let refused = store.change(|change| change.delete_take(first.id, first.revision, first.take));
    assert!(matches!(refused, Err(StoreError::Invalid { .. })));
    let take = store.change(|change| change.print(first.id, first.revision, "Second", &written())).unwrap();
    let now = part(&store, song);
    store.change(|change| change.rename_take(now.id, now.revision, take, "Late\u{7}r")).unwrap();
    assert_eq!(part(&store, song).current().name, "Later");
    assert!(matches!(
        store.change(|change| change.delete_take(now.id, now.revision, take)),
        Err(StoreError::Conflict { .. })
    ));
    store.change(|change| change.delete_take(now.id, part(&*change, song).revision, take)).unwrap();
    assert_eq!((part(&store, song).takes.len(), part(&store, song).take), (1, first.take));
    store.change(|change| change.undo(Some(song))).unwrap();
    assert_eq!(part(&store, song).take, take, "undo brings the take and goes back to it");
    let other = PartChange { take: Some(vivida_store::TakeId(99)), ..PartChange::default() };
    assert!(matches!(
        store.change(|change| change.change_part(first.id, part(&*change, song).revision, "", other)),
        Err(StoreError::NotFound { what: "take", .. })
    ));
}

#[test]
fn a_second_part_goes_its_own_way_and_can_be_taken_out_again() {
    let (mut store, song) = store();
    let first = part(&store, song);
    store.change(|change| change.change_part(first.id, first.revision, "level", with(level(5.0)))).unwrap();
    let second = store.change(|change| change.duplicate_part(first.id, "Kick, second")).unwrap();
    let muted = PartChange { muted: Some(true), ..PartChange::default() };
    store.change(|change| change.change_part(first.id, part(&*change, song).revision, "mute", muted)).unwrap();
    let parts = store.song(song).unwrap().parts;
    assert_eq!(parts.iter().map(|part| part.muted).collect::<Vec<_>>(), [true, false]);
    assert_eq!((parts[1].name.as_deref(), &parts[1].current().recipe), (Some("Kick, second"), &level(5.0)));
    store.change(|change| change.change_part(second, parts[1].revision, "level", with(level(1.0)))).unwrap();
    assert_eq!(store.part(first.id).unwrap().current().recipe, level(5.0));
    store.change(|change| change.delete_part(second, change.part(second).unwrap().revision, false)).unwrap();
    let own = store.change(|change| change.delete_part(first.id, change.part(first.id).unwrap().revision, false));
    assert!(matches!(own, Err(StoreError::Invalid { .. })), "the file's own part stays");
    store.change(|change| change.undo(Some(song))).unwrap();
    assert_eq!(store.part(second).unwrap().current().recipe, level(1.0));
}

#[test]
fn a_copied_song_has_all_takes_layers_and_sections() {
    let (mut store, song) = store();
    let row = part(&store, song);
    let bounds = [1, 50, 90].map(|bound| Velocity::new(bound).unwrap()).to_vec();
    let layers = LayerBounds(BTreeMap::from([(InstrumentId::new("kick"), bounds)]));
    let own = PartChange { layers: Some(Some(layers.clone())), ..PartChange::default() };
    store.change(|change| change.change_part(row.id, row.revision, "layers", own)).unwrap();
    store.change(|change| change.print(row.id, part(&*change, song).revision, "Second", &written())).unwrap();
    let verse = Section { name: "Verse".to_owned(), from: 1, to: 1 };
    store.change(|change| change.set_sections(song, change.song(song).unwrap().revision, vec![verse.clone()])).unwrap();
    let copy = store.change(|change| change.duplicate(song)).unwrap();
    let copied = store.song(copy).unwrap();
    assert_eq!(copied.sections, Some(vec![verse]));
    assert_eq!(copied.parts[0].layers, Some(layers));
    assert_eq!((copied.parts[0].takes.len(), copied.parts[0].current().name.as_str()), (2, "Second"));
    assert_eq!(store.take_hits(copied.parts[0].take).unwrap(), Some(Ok(written())));
    store.change(|change| change.undo(Some(song))).unwrap();
    assert_eq!(store.song(song).unwrap().sections, None, "the file's markers again");
}

#[test]
fn the_library_is_kept_renamed_and_undone() {
    let mut store = Store::temporary().unwrap();
    let id = store.change(|change| change.add_recipe("Softer", "for verses", &level(-9.0))).unwrap();
    let row = store.recipe(id).unwrap();
    assert_eq!((row.name.as_str(), &row.recipe), ("Softer", &level(-9.0)));
    store.change(|change| change.rename_recipe(id, row.revision, "Softest", "")).unwrap();
    assert!(matches!(
        store.change(|change| change.rename_recipe(id, row.revision, "Late", "")),
        Err(StoreError::Conflict { .. })
    ));
    store.change(|change| change.delete_recipe(id, change.recipe(id).unwrap().revision)).unwrap();
    assert!(store.recipes().unwrap().is_empty());
    assert_eq!(store.change(|change| change.undo(None)).unwrap().unwrap(), "delete the recipe “Softest”");
    store.change(|change| change.undo(None)).unwrap();
    assert_eq!(store.recipes().unwrap()[0].note, "for verses");
}

/// A database as the first version left it: one part with a recipe, and the step that made it.
fn first_version(path: &std::path::Path) {
    let connection = Connection::open(path).unwrap();
    connection.execute_batch(include_str!("../src/schema.sql")).unwrap();
    connection.pragma_update(None, "user_version", 1).unwrap();
    let none = r#"{"passes":[]}"#;
    let made = r#"{"passes":[{"id":1,"on":true,"aim":{},"action":{"kind":"level","by":5.0}}]}"#;
    let song = "INSERT INTO song (name, file_name, original) VALUES ('Tide', 'kick.mid', ?1)";
    connection.execute(song, [KICK]).unwrap();
    let part = "INSERT INTO part (song, position, drums, recipe, variation) VALUES (1, 0, 1, ?1, 7)";
    connection.execute(part, [made]).unwrap();
    let state = |recipe: &str| format!(r#"{{"of":"part","id":1,"recipe":{recipe},"variation":7,"drums":true}}"#);
    let step = "INSERT INTO step (song, label, before, after) VALUES (1, 'level', ?1, ?2)";
    connection.execute(step, params![state(none), state(made)]).unwrap();
}

#[test]
fn what_the_first_version_kept_is_brought_over_with_its_undo() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    first_version(&path);
    let mut store = Store::open(&path).unwrap();
    let row = part(&store, SongId(1));
    assert_eq!((row.takes.len(), row.current().variation), (1, 7));
    assert_eq!(row.current().recipe, level(5.0));
    assert_eq!(store.change(|change| change.undo(Some(SongId(1)))).unwrap().unwrap(), "level");
    assert!(part(&store, SongId(1)).current().recipe.passes.is_empty());
    store.change(|change| change.redo(Some(SongId(1)))).unwrap();
    drop(store);
    let store = Store::open(&path).unwrap();
    assert_eq!(part(&store, SongId(1)).current().recipe, level(5.0));
}

#[test]
fn steps_from_before_grids_are_still_undone() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    first_version(&path);
    drop(Store::open(&path).unwrap());
    // A step as the second version wrote it: a part was muted.
    let connection = Connection::open(&path).unwrap();
    let state = |muted: bool| {
        format!(
            r#"[{{"of":"part-and-take","id":1,"name":null,"drums":true,"muted":{muted},"layers":null,"take":1,"deleted":false}}]"#
        )
    };
    let step = "INSERT INTO step (song, label, before, after) VALUES (1, 'mute', ?1, ?2)";
    connection.execute(step, params![state(false), state(true)]).unwrap();
    connection.execute("UPDATE part SET muted = 1", []).unwrap();
    drop(connection);
    let mut store = Store::open(&path).unwrap();
    assert!(part(&store, SongId(1)).muted);
    assert_eq!(store.change(|change| change.undo(Some(SongId(1)))).unwrap().unwrap(), "mute");
    assert_eq!((part(&store, SongId(1)).muted, part(&store, SongId(1)).lines), (false, LinesSetting::default()));
}
