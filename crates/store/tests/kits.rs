//! Kits of the library, and the parts that have them.

use rusqlite::{Connection, params};
use vivida_core::action::Level;
use vivida_core::{Action, Aim, Kit, Pass, Recipe};
use vivida_store::{KitId, PartId, Reads, Store, StoreError};

const KICK: &[u8] = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x0c\0\x99\x24\x64\x60\x89\x24\x40\0\xff\x2f\0";

fn store() -> (Store, PartId) {
    let mut store = Store::temporary().unwrap();
    let file = vivida_smf::read(KICK).unwrap();
    let song = store.change(|change| change.add_song("Tide", "kick.mid", KICK, &file)).unwrap();
    let part = store.song(song).unwrap().parts[0].id;
    (store, part)
}

fn named(name: &str) -> Kit {
    Kit { name: name.to_owned(), ..Kit::general_midi() }
}

fn add(store: &mut Store, name: &str) -> KitId {
    store.change(|change| change.add_kit(&named(name))).unwrap()
}

fn exchange(store: &mut Store, part: PartId, kit: Option<KitId>) -> Result<(), StoreError> {
    let revision = store.part(part)?.revision;
    store.change(|change| change.exchange_kit(part, revision, "another kit", kit, Vec::new()))
}

#[test]
fn kits_are_kept_changed_deleted_and_undone() {
    let (mut store, _) = store();
    assert_eq!(store.kits().unwrap().iter().filter(|kit| kit.own).count(), 3);
    let id = add(&mut store, "Mine");
    let mut kit = named("Mine, louder");
    kit.instruments[0].offset = 12.0;
    store.change(|change| change.change_kit(id, 2, "louder", &kit)).unwrap();
    assert_eq!(store.kit(id).unwrap().kit, kit);
    let late = store.change(|change| change.change_kit(id, 2, "late", &kit));
    assert!(matches!(late, Err(StoreError::Conflict { .. })));
    let mut wrong = kit.clone();
    wrong.instruments[0].offset = 900.0;
    let refused = store.change(|change| change.change_kit(id, 3, "wrong", &wrong));
    assert!(matches!(refused, Err(StoreError::Invalid { field, .. }) if field == "kit.instruments[0].offset"));
    store.change(|change| change.delete_kit(id, 3)).unwrap();
    assert!(matches!(store.kit(id), Err(StoreError::NotFound { .. })));
    store.change(|change| change.undo(None)).unwrap();
    store.change(|change| change.undo(None)).unwrap();
    assert_eq!(store.kit(id).unwrap().kit, named("Mine"));
    // What ships with Vivida stays as it is; it can be put away.
    let own = store.kits().unwrap().into_iter().find(|kit| kit.own).unwrap();
    let refused = store.change(|change| change.change_kit(own.id, own.revision, "mine", &kit));
    assert!(matches!(refused, Err(StoreError::Invalid { .. })));
    store.change(|change| change.delete_kit(own.id, own.revision)).unwrap();
    assert_eq!(store.kits().unwrap().iter().filter(|kit| kit.own).count(), 2);
}

#[test]
fn a_part_goes_on_with_a_kit_that_was_deleted() {
    let (mut store, part) = store();
    let id = add(&mut store, "Mine");
    exchange(&mut store, part, Some(id)).unwrap();
    assert_eq!(store.kit_uses(id).unwrap(), 1);
    let revision = store.kit(id).unwrap().revision;
    store.change(|change| change.delete_kit(id, revision)).unwrap();
    // Its step is undone and gone; what was deleted and is not used would be thrown away now.
    for _ in 0..2 {
        store.change(|change| change.undo(None)).unwrap();
    }
    add(&mut store, "Another");
    let kept = store.kit_of_part(id).unwrap().unwrap();
    assert!((kept.kit == named("Mine")) & kept.deleted);
    assert_eq!(store.part(part).unwrap().kit, Some(id));
    assert!(matches!(exchange(&mut store, part, Some(id)), Err(StoreError::NotFound { .. })));
    // Nor is it gone while undo can bring it back to the part.
    exchange(&mut store, part, None).unwrap();
    add(&mut store, "A third");
    store.change(|change| change.undo(None)).unwrap();
    add(&mut store, "A fourth");
    let song = store.part(part).unwrap().song;
    store.change(|change| change.undo(Some(song))).unwrap();
    assert_eq!(store.part(part).unwrap().kit, Some(id));
    assert_eq!(store.kit_of_part(id).unwrap().unwrap().kit, named("Mine"));
}

#[test]
fn a_kit_is_exchanged_with_the_passes_in_one_step() {
    let (mut store, part) = store();
    let id = add(&mut store, "Mine");
    let row = store.part(part).unwrap();
    let recipe = Recipe::of(vec![Pass::new(1, Aim::at("kick"), Action::Level(Level { by: 3.0 }))]);
    let recipes = vec![(row.take, recipe.clone())];
    store.change(|change| change.exchange_kit(part, row.revision, "to “Mine”", Some(id), recipes)).unwrap();
    let after = store.part(part).unwrap();
    assert_eq!((after.kit, &after.current().recipe), (Some(id), &recipe));
    let song = row.song;
    store.change(|change| change.undo(Some(song))).unwrap();
    let back = store.part(part).unwrap();
    assert_eq!((back.kit, back.current().recipe.passes.len()), (None, 0));
    store.change(|change| change.redo(Some(song))).unwrap();
    let copy = store.change(|change| change.duplicate_part(part, "Second")).unwrap();
    assert_eq!(store.part(copy).unwrap().kit, Some(id));
}

#[test]
fn a_kit_that_cannot_be_read_hides_nothing_else() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    let mut store = Store::open(&path).unwrap();
    let (good, bad) = (add(&mut store, "Good"), add(&mut store, "Bad"));
    drop(store);
    let connection = Connection::open(&path).unwrap();
    connection.execute("UPDATE kit SET kit = '{\"name\": 7}' WHERE id = ?1", params![bad.0]).unwrap();
    drop(connection);
    let mut store = Store::open(&path).unwrap();
    assert_eq!(store.kit(good).unwrap().kit, named("Good"));
    let damaged = store.kit(bad).unwrap();
    assert!(damaged.damage.as_ref().is_some_and(|damage| damage.reason.contains("name")), "{damaged:?}");
    store.change(|change| change.change_kit(bad, damaged.revision, "mend", &named("Mended"))).unwrap();
    assert_eq!(store.kit(bad).unwrap().damage, None);
    store.change(|change| change.undo(None)).unwrap();
    assert!(store.kit(bad).unwrap().damage.is_some());
}
