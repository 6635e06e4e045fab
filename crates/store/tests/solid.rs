//! What stands under the database: one program at a time, bounded histories, files of every former schema.

use rusqlite::{Connection, params};
use vivida_core::action::{ByHand, HandHit, Level};
use vivida_core::{Action, Aim, HitId, Pass, Recipe, Ticks};
use vivida_store::{BackupKind, Change, PartChange, Reads, SongId, Store, StoreError};

const KICK: &[u8] = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x0c\0\x99\x24\x64\x60\x89\x24\x40\0\xff\x2f\0";

fn add(store: &mut Store) -> SongId {
    store.change(|change| change.add_song("Tide", "kick.mid", KICK, &vivida_smf::read(KICK).unwrap())).unwrap()
}

fn recipe(passes: Vec<Pass>) -> PartChange {
    PartChange { recipe: Some(Recipe::of(passes)), ..PartChange::default() }
}

#[test]
fn a_second_program_is_refused_with_the_address_of_the_first() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    let mut store = Store::open(&path).unwrap();
    let refused = |path| match Store::open(path) {
        Err(StoreError::InUse { address, .. }) => address,
        Err(other) => panic!("{other}"),
        Ok(_) => panic!("two at a time"),
    };
    assert_eq!(refused(&path), None);
    store.say_address("http://127.0.0.1:8347/");
    assert_eq!(refused(&path).as_deref(), Some("http://127.0.0.1:8347/"));
    Store::open(&folder.path().join("other.sqlite")).unwrap();
    drop(store);
    Store::open(&path).unwrap();
}

/// A pass of about 200 kB that no other is like.
fn long(id: u32, count: u32) -> Pass {
    let moved = (0..4000).map(|hit| {
        let value = serde_json::json!({"hit": hit, "velocity": (hit * 7 + count) % 100 + 1, "time": count % 9 + 1});
        serde_json::from_value(value).unwrap()
    });
    Pass::new(id, Aim::everything(), Action::ByHand(ByHand { moved: moved.collect(), ..ByHand::default() }))
}

#[test]
fn a_history_is_bounded_and_gives_its_space_back() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    let mut store = Store::open(&path).unwrap();
    let song = add(&mut store);
    let part = store.song(song).unwrap().parts[0].id;
    let change = |store: &mut Store, passes: Vec<Pass>| {
        let revision = store.part(part).unwrap().revision;
        store.change(|change| change.change_part(part, revision, "by hand", recipe(passes))).unwrap();
    };
    for count in 0..30 {
        change(&mut store, vec![long(1, count)]);
    }
    let ask = |sql: &str| Connection::open(&path).unwrap().query_row(sql, [], |row| row.get::<_, i64>(0)).unwrap();
    let sizes = ask("SELECT min(size) FROM step WHERE id > 2");
    assert!(sizes > 200_000, "a step that holds {sizes} bytes");
    // As if each were larger than it is.
    Connection::open(&path).unwrap().execute("UPDATE step SET size = 8000000", []).unwrap();
    change(&mut store, vec![long(1, 31)]);
    let steps = ask("SELECT count(*) FROM step WHERE song IS NOT NULL");
    assert_eq!(steps, 20, "64 MiB hold fewer, and as many stay");
    // As many as are left can be undone, and no more.
    let mut undone = 0;
    while store.change(|change| change.undo(Some(song))).unwrap().is_some() {
        undone += 1;
    }
    assert_eq!(undone, steps);
    // A new step drops what was undone, and the file becomes small again.
    change(&mut store, vec![]);
    drop(store);
    Store::open(&path).unwrap();
    let length = std::fs::metadata(&path).unwrap().len();
    assert!(length < 4 << 20, "{length} bytes");
}

#[test]
fn a_step_keeps_the_passes_that_it_changed() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    let mut store = Store::open(&path).unwrap();
    let song = add(&mut store);
    let part = store.song(song).unwrap().parts[0].id;
    let level = |by: f64| Pass::new(2, Aim::everything(), Action::Level(Level { by }));
    for by in 1..=50 {
        let revision = store.part(part).unwrap().revision;
        let passes = vec![long(1, 7), level(f64::from(by))];
        store.change(|change| change.change_part(part, revision, "level", recipe(passes))).unwrap();
    }
    let sql = "SELECT max(length(before) + length(after)) FROM step WHERE label = 'level' AND id > 2";
    let size: i64 = Connection::open(&path).unwrap().query_row(sql, [], |row| row.get(0)).unwrap();
    assert!(size < 2000, "{size} bytes for a level beside 200 kB of hits");
    for by in (1..50).rev() {
        store.change(|change| change.undo(Some(song))).unwrap();
        assert_eq!(store.part(part).unwrap().current().recipe.passes, [long(1, 7), level(f64::from(by))]);
    }
}

#[test]
fn a_step_that_changes_a_take_twice_is_undone_whole() {
    let mut store = Store::temporary().unwrap();
    let song = add(&mut store);
    let part = store.song(song).unwrap().parts[0].id;
    let level = |id: u32, by: f64| Pass::new(id, Aim::everything(), Action::Level(Level { by }));
    store.change(|change| change.change_part(part, 1, "level", recipe(vec![level(1, 1.0), level(2, 2.0)]))).unwrap();
    let kept = store.part(part).unwrap().current().recipe.clone();
    let twice = |change: &mut Change<'_>| {
        change.set_recipe(part, "twice", Recipe::of(vec![level(1, 9.0), level(2, 2.0)]))?;
        change.set_recipe(part, "twice", Recipe::of(vec![level(2, 8.0), level(3, 3.0)]))
    };
    store.change(twice).unwrap();
    let last = store.part(part).unwrap().current().recipe.clone();
    store.change(|change| change.undo(Some(song))).unwrap();
    assert_eq!(store.part(part).unwrap().current().recipe, kept);
    store.change(|change| change.redo(Some(song))).unwrap();
    assert_eq!(store.part(part).unwrap().current().recipe, last);
}

#[test]
fn undo_mends_a_damaged_take_also_where_a_step_changed_one_pass_of_many() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    let mut store = Store::open(&path).unwrap();
    let song = add(&mut store);
    let part = store.song(song).unwrap().parts[0].id;
    let level = |id: u32, by: f64| Pass::new(id, Aim::everything(), Action::Level(Level { by }));
    let mut seen = Vec::new();
    for by in 1..=4 {
        let revision = store.part(part).unwrap().revision;
        let passes = vec![level(1, 50.0), level(2, 40.0 + f64::from(by / 2)), level(3, f64::from(by))];
        store.change(|change| change.change_part(part, revision, "level", recipe(passes))).unwrap();
        seen.push(store.part(part).unwrap().current().recipe.clone());
    }
    drop(store);
    Connection::open(&path).unwrap().execute("UPDATE take SET recipe = 'rubbish'", []).unwrap();
    let mut store = Store::open(&path).unwrap();
    for expected in seen.iter().rev().skip(1) {
        store.change(|change| change.undo(Some(song))).unwrap();
        assert_eq!(&store.part(part).unwrap().current().recipe, expected);
    }
    for expected in &seen[1..] {
        store.change(|change| change.redo(Some(song))).unwrap();
        assert_eq!(&store.part(part).unwrap().current().recipe, expected);
    }
}

#[test]
fn what_would_not_be_read_back_is_not_kept() {
    let mut store = Store::temporary().unwrap();
    let song = add(&mut store);
    let part = store.song(song).unwrap().parts[0].id;
    let pass = |id: u32, by: f64| Pass::new(id, Aim::everything(), Action::Level(Level { by }));
    let added = |tick: f64| {
        let hit = serde_json::json!({"id": HitId::FIRST_BY_HAND, "tick": 0, "length": 1, "velocity": 9, "note": 38, "channel": 9});
        let hit = HandHit { tick: Ticks(tick), ..serde_json::from_value(hit).unwrap() };
        Pass::new(1, Aim::everything(), Action::ByHand(ByHand { added: vec![hit], ..ByHand::default() }))
    };
    let wrong = [
        vec![pass(1, 900.0)],
        vec![pass(1, f64::NAN)],
        vec![pass(1, 1.0), pass(1, 2.0)],
        (1..=501).map(|id| pass(id, 1.0)).collect(),
        vec![added(f64::INFINITY)],
        vec![added(-5.0)],
    ];
    for passes in wrong {
        let shown = format!("{:?}", passes.first());
        let refused = store.change(|change| change.change_part(part, 1, "wrong", recipe(passes.clone())));
        assert!(matches!(refused, Err(StoreError::Invalid { .. })), "{shown}: {refused:?}");
        let refused = store.change(|change| change.add_recipe("Wrong", "", &Recipe::of(passes)));
        assert!(matches!(refused, Err(StoreError::Invalid { .. })), "{shown}: {refused:?}");
    }
    assert_eq!((store.part(part).unwrap().revision, store.recipes().unwrap().len()), (1, 0));
}

/// A database as each former version made it, with two songs and a step, some of it damaged.
fn former(path: &std::path::Path, version: usize) {
    let connection = Connection::open(path).unwrap();
    let schemas = [
        include_str!("../src/schema.sql"),
        include_str!("../src/schema-2.sql"),
        include_str!("../src/schema-3.sql"),
        include_str!("../src/schema-4.sql"),
        include_str!("../src/schema-5.sql"),
    ];
    connection.execute_batch(schemas[0]).unwrap();
    let add = "INSERT INTO song (name, file_name, original) VALUES (?1, 'kick.mid', ?2)";
    connection.execute(add, params!["Tide", KICK]).unwrap();
    connection.execute(add, params!["Ebb", KICK]).unwrap();
    let level = r#"{"passes":[{"id":1,"action":{"kind":"level","by":4}}]}"#;
    let part = "INSERT INTO part (song, position, drums, recipe, variation) VALUES (?1, 0, 1, ?2, ?3)";
    connection.execute(part, params![1, level, 1]).unwrap();
    connection.execute(part, params![2, r#"{"passes":[{"id":1,"action":{"kind":"level","by":4000}}]}"#, -3]).unwrap();
    let empty = r#"{"passes":[]}"#;
    let state = |recipe: &str| format!(r#"{{"of":"part","id":1,"recipe":{recipe},"variation":1,"drums":true}}"#);
    let step = "INSERT INTO step (song, label, before, after) VALUES (?1, 'level', ?2, ?3)";
    connection.execute(step, params![1, state(empty), state(level)]).unwrap();
    connection.execute(step, params![2, "rubbish", "[]"]).unwrap();
    connection.execute(step, params![Option::<i64>::None, r#"[{"of":"gong"}]"#, "3"]).unwrap();
    for schema in &schemas[1..version] {
        connection.execute_batch(schema).unwrap();
    }
    if version >= 2 {
        connection.execute("INSERT INTO recipe (name, note, recipe) VALUES ('Old', '', 'rubbish')", []).unwrap();
        connection.execute("INSERT INTO setting (name, value) VALUES ('kit-layers', '[')", []).unwrap();
        connection.execute("UPDATE song SET sections = '[' WHERE id = 2", []).unwrap();
    }
    if version >= 3 {
        connection.execute("INSERT INTO pocket (song, name, settings) VALUES (1, 'Old', '{}')", []).unwrap();
        connection.execute("INSERT INTO pocket (song, name, settings) VALUES (1, 'Odd', '4')", []).unwrap();
        connection.execute("INSERT INTO groove (note, groove) VALUES ('', '{}')", []).unwrap();
    }
    connection.pragma_update(None, "user_version", version as i64).unwrap();
}

#[test]
fn databases_of_each_former_version_open_with_what_is_damaged_in_them() {
    for version in 1..=5 {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("vivida.sqlite");
        former(&path, version);
        let mut store = Store::open(&path).unwrap_or_else(|error| panic!("version {version}: {error}"));
        let songs = store.songs().unwrap();
        assert_eq!(songs.len(), 2);
        assert_eq!(store.file(songs[0].file).unwrap().bytes, KICK);
        assert_eq!(songs[1].file_name, "kick.mid");
        let whole = store.song(SongId(1)).unwrap();
        let take = whole.parts[0].current();
        assert!(take.damage.is_none() && take.recipe.passes.len() == 1, "{take:?}");
        let odd = store.song(SongId(2)).unwrap();
        assert!(odd.parts[0].current().damage.is_some(), "{odd:?}");
        if version >= 2 {
            assert!(store.recipes().unwrap()[0].damage.is_some());
        }
        if version >= 3 {
            let pockets = store.pockets(SongId(1)).unwrap();
            assert_eq!(pockets.iter().filter(|pocket| pocket.damage.is_some()).count(), 1);
        }
        // The step of before is undone; the damaged ones say so and change nothing.
        assert_eq!(store.change(|change| change.undo(Some(SongId(1)))).unwrap().as_deref(), Some("level"));
        assert!(store.part(whole.parts[0].id).unwrap().current().recipe.passes.is_empty());
        assert_eq!(store.change(|change| change.redo(Some(SongId(1)))).unwrap().as_deref(), Some("level"));
        for scope in [Some(SongId(2)), None] {
            let refused = store.change(|change| change.undo(scope));
            assert!(matches!(refused, Err(StoreError::Damaged { .. })), "{refused:?}");
        }
        assert_eq!(store.songs().unwrap().len(), 2);
        store.change(|change| change.delete(SongId(2), odd.revision)).unwrap();
        assert_eq!(store.songs().unwrap().len(), 1);
    }
}

#[test]
fn backups_are_taken_by_themselves_and_bring_everything_back() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    former(&path, 5);
    let mut store = Store::open(&path).unwrap();
    let names = |store: &Store| store.backups().into_iter().map(|one| one.name).collect::<Vec<_>>();
    let first = names(&store);
    assert!(first.len() == 1 && first[0].ends_with("before an upgrade.sqlite"), "{first:?}");
    assert_eq!(store.take_daily_backup().unwrap(), None, "there is one of today");
    drop(store);
    store = Store::open(&path).unwrap();
    assert_eq!(names(&store), first, "nothing was brought over");
    // What was done since is gone, and can be had back.
    let song = store.songs().unwrap()[0].clone();
    store.change(|change| change.rename(song.id, song.revision, "Another name")).unwrap();
    store.restore(&first[0]).unwrap();
    assert_eq!(store.songs().unwrap()[0].name, "Tide");
    let safety = names(&store)[0].clone();
    assert!(safety.ends_with("before restoring.sqlite"));
    store.restore(&safety).unwrap();
    assert_eq!(store.songs().unwrap()[0].name, "Another name");
    let song = store.songs().unwrap()[0].clone();
    store.change(|change| change.rename(song.id, song.revision, "Tide")).unwrap();
    for name in ["nowhere.sqlite", "../vivida.sqlite", ""] {
        assert!(matches!(store.restore(name), Err(StoreError::Invalid { .. })), "{name}");
    }
    // A file that is none does no harm and is left where it is; no more than ten of a kind are kept.
    std::fs::write(folder.path().join("backups/0000, text.sqlite"), "text").unwrap();
    assert!(matches!(store.restore("0000, text.sqlite"), Err(StoreError::Invalid { .. })));
    assert_eq!(store.songs().unwrap()[0].name, "Tide");
    for _ in 0..12 {
        store.take_backup(BackupKind::ByHand).unwrap();
    }
    assert_eq!(names(&store).iter().filter(|name| name.ends_with("by hand.sqlite")).count(), 10);
    assert!(Store::temporary().unwrap().take_backup(BackupKind::ByHand).unwrap().is_none());
}

#[test]
fn a_written_that_was_damaged_is_left_as_it_is_by_undo() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    let mut store = Store::open(&path).unwrap();
    let outline = vivida_core::Outline::plain(4, 100.0, "4/4");
    let drums = vivida_smf::NewTrack { name: "Drums".to_owned(), channel: vivida_core::Channel::PERCUSSION };
    let bytes = vivida_smf::begin(&outline, &[drums]);
    let file = vivida_smf::read(&bytes).unwrap();
    let song = store.change(|change| change.begin_song("Ebb", &bytes, &file, None)).unwrap();
    let part = store.song(song).unwrap().parts[0].clone();
    let kick = vivida_smf::read(KICK).unwrap().parts[0].part.clone();
    store.change(|change| change.write(part.id, part.revision, "draw", &kick, None)).unwrap();
    let hits = |store: &Store| store.take_hits(part.take).unwrap().unwrap();
    assert_eq!(hits(&store).unwrap(), kick);
    let sql = "UPDATE take SET hits = 'torn' WHERE id = ?1";
    Connection::open(&path).unwrap().execute(sql, [part.take.0]).unwrap();
    let undone = store.change(|change| change.undo(Some(song)));
    assert!(matches!(undone, Err(StoreError::Damaged { .. })), "{undone:?}");
    assert_eq!(hits(&store).unwrap_err().text, "torn");
    // Nor is anything kept that could not be read again.
    let far = vivida_core::Part::new(vec![vivida_core::Hit { tick: Ticks(1e12), ..kick.hits()[0] }]);
    let revision = store.part(part.id).unwrap().revision;
    let refused = store.change(|change| change.print(part.id, revision, "Far", &far));
    assert!(matches!(refused, Err(StoreError::Invalid { .. })), "{refused:?}");
}

/// What a pedal sent becomes a pass. A take whose passes cannot be read keeps them as they stand and has no room for it:
/// that is said, and the recording stays to be laid in once the take is mended.
#[test]
fn passes_for_a_damaged_take_are_refused_instead_of_dropped() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    let mut store = Store::open(&path).unwrap();
    let outline = vivida_core::Outline::plain(2, 100.0, "4/4");
    let drums = vivida_smf::NewTrack { name: "Drums".to_owned(), channel: vivida_core::Channel::PERCUSSION };
    let bytes = vivida_smf::begin(&outline, &[drums]);
    let file = vivida_smf::read(&bytes).unwrap();
    let song = store.change(|change| change.begin_song("Ebb", &bytes, &file, None)).unwrap();
    let kick = vivida_smf::read(KICK).unwrap().parts[0].part.clone();
    drop(store);
    Connection::open(&path).unwrap().execute("UPDATE take SET recipe = 'rubbish'", []).unwrap();
    let mut store = Store::open(&path).unwrap();
    let part = store.song(song).unwrap().parts[0].clone();
    let passes = Recipe::of(vec![Pass::new(1, Aim::everything(), Action::Level(Level { by: 1.0 }))]);
    let refused = store.change(|change| change.write(part.id, part.revision, "record", &kick, Some(passes)));
    assert!(matches!(refused, Err(StoreError::Damaged { .. })), "{refused:?}");
    // Hits alone are laid in, and what was damaged stays to be mended.
    store.change(|change| change.write(part.id, part.revision, "record", &kick, Some(Recipe::default()))).unwrap();
    let after = store.part(part.id).unwrap();
    assert!(after.current().damage.as_ref().is_some_and(|damage| damage.text == "rubbish"));
}
