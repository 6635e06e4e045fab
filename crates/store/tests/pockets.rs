//! Pockets and the library of grooves: steps, revisions, what is left when something is deleted.

use vivida_core::action::{Lean, Pocket, Swing};
use vivida_core::*;
use vivida_store::*;

fn demo() -> (Store, SongId) {
    let mut store = Store::temporary().unwrap();
    let song = &vivida_demo::songs()[0];
    let file = vivida_smf::read(&song.bytes).unwrap();
    let id = store.change(|change| change.add_song(song.name, song.file_name, &song.bytes, &file)).unwrap();
    (store, id)
}

fn follow(pocket: PocketId, strength: f64, id: u32) -> Pass {
    Pass::new(id, Aim::everything(), Action::Pocket(Pocket { pocket, strength: Percent(strength) }))
}

fn late(ms: f64) -> PocketSettings {
    PocketSettings { lean: Lean { by: Millis(ms), ..Lean::default() }, ..PocketSettings::default() }
}

fn recipe(store: &impl Reads, song: SongId, part: usize) -> Recipe {
    store.song(song).unwrap().parts[part].current().recipe.clone()
}

#[test]
fn a_pocket_comes_with_its_followers_and_goes_leaving_them_its_settings() {
    let (mut store, song) = demo();
    let parts: Vec<PartId> = store.song(song).unwrap().parts.iter().map(|part| part.id).collect();
    let followers = |pocket| {
        let of = |(&part, strength)| (part, Recipe::of(vec![follow(pocket, strength, 1)]));
        parts.iter().zip([100.0, 50.0]).map(of).collect()
    };
    let pocket = store
        .change(|change| {
            let pocket = change.add_pocket(song, "Rhythm section", &late(8.0))?;
            let recipes: Vec<(PartId, Recipe)> = followers(pocket);
            recipes.into_iter().try_for_each(|(part, recipe)| change.set_recipe(part, "follow", recipe))?;
            Ok::<_, StoreError>(pocket)
        })
        .unwrap();
    assert_eq!(recipe(&store, song, 1).passes[0].follows().unwrap().pocket, pocket);
    let row = store.pocket(pocket).unwrap();
    store.change(|change| change.change_pocket(pocket, row.revision, "lean", &row.name, &late(10.0))).unwrap();
    assert!(matches!(
        store.change(|change| change.change_pocket(pocket, row.revision, "lean", &row.name, &late(12.0))),
        Err(StoreError::Conflict { what: "pocket", .. })
    ));

    store.change(|change| change.delete_pocket(pocket, row.revision + 1)).unwrap();
    assert_eq!(store.pockets(song).unwrap(), []);
    let kept = |store: &Store, part| match recipe(store, song, part).passes[0].action.clone() {
        Action::Lean(lean) => lean.by.0,
        other => panic!("{other:?}"),
    };
    assert_eq!((kept(&store, 0), kept(&store, 1)), (10.0, 5.0));

    // Every step back, one by one, and all forward again.
    store.change(|change| change.undo(Some(song))).unwrap();
    assert_eq!(store.pocket(pocket).unwrap().settings, late(10.0));
    assert!(recipe(&store, song, 0).passes[0].follows().is_some());
    store.change(|change| change.undo(Some(song))).unwrap();
    assert_eq!(store.pocket(pocket).unwrap().settings, late(8.0));
    store.change(|change| change.undo(Some(song))).unwrap();
    assert_eq!((store.pockets(song).unwrap().len(), recipe(&store, song, 0).passes.len()), (0, 0));
    for _ in 0..3 {
        store.change(|change| change.redo(Some(song))).unwrap();
    }
    assert_eq!((kept(&store, 0), store.pockets(song).unwrap().len()), (10.0, 0));
}

#[test]
fn the_copy_of_a_song_has_pockets_of_its_own() {
    let (mut store, song) = demo();
    let part = store.song(song).unwrap().parts[0].id;
    let pocket = store
        .change(|change| {
            let pocket = change.add_pocket(song, "Hats", &late(8.0))?;
            change.set_recipe(part, "follow", Recipe::of(vec![follow(pocket, 100.0, 1)]))?;
            Ok::<_, StoreError>(pocket)
        })
        .unwrap();
    let copy = store.change(|change| change.duplicate(song)).unwrap();
    let own = store.pockets(copy).unwrap().remove(0);
    assert_ne!(own.id, pocket);
    assert_eq!(recipe(&store, copy, 0).passes[0].follows().unwrap().pocket, own.id);
    store.change(|change| change.change_pocket(own.id, own.revision, "lean", "Hats", &late(1.0))).unwrap();
    assert_eq!(store.pocket(pocket).unwrap().settings, late(8.0), "the first song's stays");
}

#[test]
fn several_parts_change_in_one_step() {
    let (mut store, song) = demo();
    let parts: Vec<PartId> = store.song(song).unwrap().parts.iter().map(|part| part.id).collect();
    let swing = Pass::new(1, Aim::everything(), Action::Swing(Swing::default()));
    let recipe_of = || Recipe::of(vec![swing.clone()]);
    store.change(|change| parts.iter().try_for_each(|&part| change.set_recipe(part, "both", recipe_of()))).unwrap();
    assert_eq!((recipe(&store, song, 0).passes.len(), recipe(&store, song, 1).passes.len()), (1, 1));
    store.change(|change| change.undo(Some(song))).unwrap();
    assert_eq!((recipe(&store, song, 0).passes.len(), recipe(&store, song, 1).passes.len()), (0, 0));
}

#[test]
fn the_library_of_grooves_is_kept_and_undone() {
    let mut store = Store::temporary().unwrap();
    let own = store.grooves().unwrap();
    assert_eq!(own.len(), GrooveProfile::own().len());
    assert!(own.iter().all(|row| row.own && !row.note.is_empty()));

    let groove = GrooveProfile { name: "Mine".to_owned(), ..own[0].groove.clone() };
    let id = store.change(|change| change.add_groove("from a rehearsal", &groove)).unwrap();
    let row = store.groove(id).unwrap();
    store.change(|change| change.change_groove(id, row.revision, "loved", true, &groove)).unwrap();
    assert!(matches!(
        store.change(|change| change.delete_groove(id, row.revision)),
        Err(StoreError::Conflict { what: "groove", .. })
    ));
    assert_eq!(store.grooves().unwrap()[0].id, id, "favourites come first");
    store.change(|change| change.delete_groove(id, row.revision + 1)).unwrap();
    assert!(matches!(store.groove(id), Err(StoreError::NotFound { .. })));
    store.change(|change| change.undo(None)).unwrap();
    store.change(|change| change.undo(None)).unwrap();
    assert_eq!(
        (store.groove(id).unwrap().note.as_str(), store.groove(id).unwrap().favourite),
        ("from a rehearsal", false)
    );
    assert!(store.change(|change| change.add_groove("", &GrooveProfile { name: " ".to_owned(), ..groove })).is_err());
}

#[test]
fn an_own_groove_that_was_deleted_stays_so() {
    let folder = std::env::temp_dir().join(format!("vivida-grooves-{}", std::process::id()));
    std::fs::create_dir_all(&folder).unwrap();
    let path = folder.join("grooves.sqlite");
    let count = {
        let mut store = Store::open(&path).unwrap();
        let first = store.grooves().unwrap().remove(0);
        store.change(|change| change.delete_groove(first.id, first.revision)).unwrap();
        store.grooves().unwrap().len()
    };
    let mut store = Store::open(&path).unwrap();
    assert_eq!(store.grooves().unwrap().len(), count);
    store.change(|change| change.undo(None)).unwrap();
    assert_eq!(store.grooves().unwrap().len(), count + 1);
    std::fs::remove_dir_all(folder).unwrap();
}
