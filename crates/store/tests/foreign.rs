//! What comes from elsewhere: bundles whose histories name what is not theirs, backups of other programs and other
//! times, databases under other names.

use rusqlite::Connection;
use serde_json::json;
use std::fs;
use std::path::Path;
use std::time::{Duration, SystemTime};
use tempfile::TempDir;
use vivida_core::action::Level;
use vivida_core::{Action, Aim, Pass, PocketSettings, Recipe};
use vivida_store::*;

const KICK: &[u8] = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x0c\0\x99\x24\x64\x60\x89\x24\x40\0\xff\x2f\0";

fn shelf() -> (TempDir, Store) {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("vivida.sqlite")).unwrap();
    (folder, store)
}

fn add(store: &mut Store, name: &str) -> SongId {
    store.change(|change| change.add_song(name, "kick.mid", KICK, &vivida_smf::read(KICK).unwrap())).unwrap()
}

fn level(by: f64) -> Recipe {
    Recipe::of(vec![Pass::new(1, Aim::everything(), Action::Level(Level { by }))])
}

fn set_level(store: &mut Store, part: PartId, revision: i64, by: f64) -> Result<(), StoreError> {
    let change = PartChange { recipe: Some(level(by)), ..PartChange::default() };
    store.change(|one| one.change_part(part, revision, "level", change))
}

/// Everything of a song, to be compared bit by bit.
fn all_of(store: &Store, id: SongId) -> SongPack {
    SongPack::of(store, id).unwrap()
}

/// A state of each kind that a step may hold, of things that are not in the pack.
fn foreign_states(song: &StoredSong, pocket: u32, recipe: i64, kit: i64) -> Vec<serde_json::Value> {
    let (part, take) = (song.parts[0].id.0, song.parts[0].take.0);
    let empty = json!({"passes": []});
    vec![
        json!({"of": "song", "id": song.id.0, "name": "x", "deleted": true}),
        json!({"of": "sections", "song": song.id.0, "sections": [{"name": "x", "from": 1, "to": 1}]}),
        json!({"of": "file", "song": song.id.0, "file": song.file.0}),
        json!({"of": "written", "take": take, "hits": [], "without": [0]}),
        json!({"of": "part-and-take", "id": part, "name": "x", "drums": false, "muted": true, "layers": null,
               "take": take, "deleted": true}),
        json!({"of": "part", "id": part, "recipe": empty, "variation": 9, "drums": false}),
        json!({"of": "take", "id": take, "name": "x", "recipe": empty, "variation": 9, "deleted": true}),
        json!({"of": "pocket", "id": pocket, "name": "x", "settings": {}, "deleted": true}),
        json!({"of": "recipe", "id": recipe, "name": "x", "note": "", "recipe": empty, "deleted": true}),
        json!({"of": "groove", "id": 1, "note": "x", "groove": {}, "favourite": true, "deleted": true}),
        json!({"of": "kit", "id": kit, "kit": {}, "deleted": true}),
    ]
}

#[test]
fn a_bundles_history_reaches_no_other_song() {
    let (_folder, mut store) = shelf();
    let other = add(&mut store, "Other");
    let settings = PocketSettings::default();
    let pocket = store.change(|change| change.add_pocket(other, "Pocket", &settings)).unwrap();
    let recipe = store.change(|change| change.add_recipe("Recipe", "", &level(3.0))).unwrap();
    let kit = store.kits().unwrap()[0].id;
    let own = add(&mut store, "Own");
    let whole = all_of(&store, own);
    let other_song = store.song(other).unwrap();
    let seen = |store: &Store| {
        (all_of(store, other), store.recipes().unwrap(), store.kits().unwrap(), store.grooves().unwrap())
    };
    let before = seen(&store);
    for state in foreign_states(&other_song, pocket.0, recipe.0, kit.0) {
        // Also where the pack claims the other song's id for itself, and beside a state that is its own.
        for id in [whole.id, other.0] {
            let side = json!([state]).to_string();
            let step = StepPack { label: "x".to_owned(), before: side.clone(), after: side, ..StepPack::default() };
            let pack = SongPack { id, steps: vec![step], ..whole.clone() };
            let unpacked = store.change(|change| change.unpack_song(&pack));
            if let Ok(song) = unpacked {
                // What was let in touches the new song alone.
                let _ = store.change(|change| change.undo(Some(song)));
                let _ = store.change(|change| change.redo(Some(song)));
                assert!(state["of"] == "sections", "{state} was let in");
            }
            assert!(seen(&store) == before, "{state} reached another song");
        }
    }
}

#[test]
fn a_step_of_a_song_reaches_nothing_else_whatever_the_database_holds() {
    let (folder, mut store) = shelf();
    let other = add(&mut store, "Other");
    let pocket = store.change(|change| change.add_pocket(other, "Pocket", &PocketSettings::default())).unwrap();
    let recipe = store.change(|change| change.add_recipe("Recipe", "", &level(3.0))).unwrap();
    let kit = store.kits().unwrap()[0].id;
    let own = add(&mut store, "Own");
    let other_song = store.song(other).unwrap();
    let before = all_of(&store, other);
    let direct = Connection::open(folder.path().join("vivida.sqlite")).unwrap();
    for state in foreign_states(&other_song, pocket.0, recipe.0, kit.0) {
        let side = json!([state]).to_string();
        let sql = "INSERT INTO step (song, label, before, after) VALUES (?1, 'x', ?2, ?2)";
        direct.execute(sql, rusqlite::params![own.0, side]).unwrap();
        let undone = store.change(|change| change.undo(Some(own)));
        assert!(matches!(undone, Err(StoreError::Damaged { .. })), "{state}: {undone:?}");
        assert!(all_of(&store, other) == before, "{state} reached another song");
        direct.execute("DELETE FROM step WHERE label = 'x'", []).unwrap();
    }
}

#[test]
fn a_packed_history_goes_on_elsewhere_also_where_some_of_it_is_damaged() {
    let (_folder, mut store) = shelf();
    let song = add(&mut store, "Tide");
    let part = store.song(song).unwrap().parts[0].id;
    set_level(&mut store, part, 1, 4.0).unwrap();
    let mut pack = all_of(&store, song);
    let torn = StepPack {
        label: "torn".to_owned(),
        before: "[{".to_owned(),
        after: r#"[{"of":"gong","id":1}]"#.to_owned(),
        ..StepPack::default()
    };
    pack.steps.insert(0, torn);
    let (_elsewhere, mut there) = shelf();
    let came = there.change(|change| change.unpack_song(&pack)).unwrap();
    assert_eq!(there.change(|change| change.undo(Some(came))).unwrap().as_deref(), Some("level"));
    assert!(there.song(came).unwrap().parts[0].current().recipe.passes.is_empty());
    assert!(matches!(there.change(|change| change.undo(Some(came))), Err(StoreError::Damaged { .. })));
}

#[test]
fn names_from_bundles_have_a_length_that_can_be_shown() {
    let (_folder, mut store) = shelf();
    let song = add(&mut store, "Tide");
    let part = store.song(song).unwrap().parts[0].clone();
    store.change(|change| change.rename_take(part.id, 1, part.take, "Called")).unwrap();
    let long = "n".repeat(1 << 20);
    let mut pack = all_of(&store, song);
    pack.parts[0].name = Some(long.clone());
    pack.takes[0].name.clone_from(&long);
    pack.files[0].name.clone_from(&long);
    for step in &mut pack.steps {
        step.label.clone_from(&long);
        step.before = step.before.replace("As it came", &long);
    }
    let came = store.change(|change| change.unpack_song(&pack)).unwrap();
    store.change(|change| change.undo(Some(came))).unwrap();
    let text = serde_json::to_string(&all_of(&store, came)).unwrap();
    assert!(text.len() < 10_000, "{} bytes", text.len());
    let wrong = SongPack { parts: vec![PartPack::default(); 500_000], ..pack };
    assert!(matches!(store.change(|change| change.unpack_song(&wrong)), Err(StoreError::Invalid { .. })));
}

fn names(store: &Store) -> Vec<String> {
    store.backups().into_iter().map(|one| one.name).collect()
}

#[test]
fn a_backup_that_was_just_taken_is_never_thrown_away() {
    let (folder, mut store) = shelf();
    let song = add(&mut store, "First");
    let backups = folder.path().join("backups");
    // A clock that was wrong once: what was taken then is dated ahead, by its name and on the disk.
    for count in 0..10 {
        let name = store.take_backup(BackupKind::Daily).unwrap().unwrap();
        let ahead = backups.join(format!("2099-01-01 00.00.0{count}.000, daily.sqlite"));
        fs::rename(backups.join(name), &ahead).unwrap();
        let future = SystemTime::now() + Duration::from_secs(80_000_000);
        fs::File::options().write(true).open(&ahead).unwrap().set_modified(future).unwrap();
    }
    let new = store.take_backup(BackupKind::Daily).unwrap().unwrap();
    assert_eq!(names(&store)[0], new);
    assert_eq!(names(&store).len(), 10, "the oldest went");
    assert!(!backups.join("2099-01-01 00.00.00.000, daily.sqlite").exists());
    store.change(|change| change.rename(song, 2, "Today")).unwrap();
    let old = names(&store).last().unwrap().clone();
    store.restore(&old).unwrap();
    assert_eq!(store.song(song).unwrap().name, "First");
    let before = names(&store)[0].clone();
    assert!(before.ends_with("before restoring.sqlite"), "{before}");
    store.restore(&before).unwrap();
    assert_eq!(store.song(song).unwrap().name, "Today");
    // Those by hand are counted apart, and one that is dated ahead does not stand for today's.
    for _ in 0..12 {
        store.take_backup(BackupKind::ByHand).unwrap();
    }
    let by_hand = names(&store).iter().filter(|name| name.contains("by hand")).count();
    assert_eq!((by_hand, names(&store).len()), (10, 20));
    for entry in fs::read_dir(&backups).unwrap() {
        let future = SystemTime::now() + Duration::from_secs(90_000);
        fs::File::options().write(true).open(entry.unwrap().path()).unwrap().set_modified(future).unwrap();
    }
    assert!(store.take_daily_backup().unwrap().is_some());
    assert!(store.take_daily_backup().unwrap().is_none());
}

#[test]
fn revisions_and_ids_never_come_twice() {
    let (_folder, mut store) = shelf();
    let song = add(&mut store, "Tide");
    let part = store.song(song).unwrap().parts[0].id;
    let revision = |store: &Store| store.part(part).unwrap().revision;
    let set = |store: &mut Store, name: &str| store.change(|change| change.set_setting(name, "1"));
    set_level(&mut store, part, 1, 1.0).unwrap();
    let early = store.take_backup(BackupKind::ByHand).unwrap().unwrap();
    // A page reads this state, and is left open.
    let now = revision(&store);
    set_level(&mut store, part, now, 2.0).unwrap();
    set(&mut store, "new").unwrap();
    let (stale, stale_setting) = (revision(&store), store.setting_revision("new").unwrap());
    let later = add(&mut store, "Later");
    let later_part = store.song(later).unwrap().parts[0].id;
    store.restore(&early).unwrap();
    // Another page writes as often as was written before.
    for by in 0..5 {
        assert_ne!(revision(&store), stale);
        let now = revision(&store);
        set_level(&mut store, part, now, f64::from(by)).unwrap();
        set(&mut store, "new").unwrap();
        assert_ne!(store.setting_revision("new").unwrap(), stale_setting);
    }
    let refused = set_level(&mut store, part, stale, 9.0);
    assert!(matches!(refused, Err(StoreError::Conflict { .. })), "{refused:?}");
    let again = add(&mut store, "Again");
    assert_ne!(again, later);
    assert_ne!(store.song(again).unwrap().parts[0].id, later_part);
    // What was thrown away for good comes back with revisions of its own.
    let bundle = store.take_backup(BackupKind::ByHand).unwrap().unwrap();
    let row = store.song(again).unwrap();
    let mut last = row.revision;
    for count in 0..9 {
        store.change(|change| change.rename(again, last, &format!("Name {count}"))).unwrap();
        last = store.song(again).unwrap().revision;
    }
    store.change(|change| change.delete(again, last)).unwrap();
    store.change(|change| change.undo(None)).unwrap();
    let gone = store.song(again).unwrap().revision;
    while store.change(|change| change.undo(None)).unwrap().is_some() {}
    add(&mut store, "Other");
    store.restore(&bundle).unwrap();
    store.change(|change| change.rename(again, row.revision, "Back")).unwrap();
    assert!(store.song(again).unwrap().revision > gone);
}

/// Databases that are no backups of Vivida, by what is wrong with them.
fn wrong_databases(folder: &Path) -> Vec<(&'static str, String)> {
    let make = |name: &str, sql: &str| {
        let path = folder.join(name);
        Connection::open(&path).unwrap().execute_batch(sql).unwrap();
        name.to_owned()
    };
    let tables = "CREATE TABLE song (id INTEGER); INSERT INTO song VALUES (7);";
    vec![
        ("another program's", make("a, by hand.sqlite", &format!("{tables} PRAGMA user_version = 8;"))),
        ("marked as another's", make("b, by hand.sqlite", "PRAGMA application_id = 77; PRAGMA user_version = 8;")),
        ("empty", make("c, by hand.sqlite", "VACUUM")),
        ("newer", make("d, by hand.sqlite", &format!("{tables} PRAGMA user_version = 4000;"))),
        ("of no version", make("e, by hand.sqlite", tables)),
    ]
}

#[test]
fn what_is_no_backup_does_not_take_the_place() {
    let (folder, mut store) = shelf();
    let song = add(&mut store, "Tide");
    let good = store.take_backup(BackupKind::ByHand).unwrap().unwrap();
    let backups = folder.path().join("backups");
    let mut wrong = wrong_databases(&backups);
    let copy_with = |name: &'static str, sql: &str| {
        let to = backups.join(format!("{name}, by hand.sqlite"));
        fs::copy(backups.join(&good), &to).unwrap();
        Connection::open(&to).unwrap().execute_batch(sql).unwrap();
        (name, format!("{name}, by hand.sqlite"))
    };
    wrong.push(copy_with("trigger", "CREATE TRIGGER eat AFTER INSERT ON song BEGIN DELETE FROM song; END"));
    wrong.push(copy_with("view", "CREATE VIEW window AS SELECT * FROM song"));
    wrong.push(copy_with("column", "ALTER TABLE song ADD COLUMN extra TEXT"));
    wrong.push(copy_with("table", "DROP TABLE take"));
    let torn = backups.join("torn, by hand.sqlite");
    let bytes = fs::read(backups.join(&good)).unwrap();
    fs::write(&torn, &bytes[..bytes.len() / 2]).unwrap();
    wrong.push(("torn", "torn, by hand.sqlite".to_owned()));
    fs::write(backups.join("text, by hand.sqlite"), "text").unwrap();
    wrong.push(("text", "text, by hand.sqlite".to_owned()));
    for (what, name) in wrong {
        let refused = store.restore(&name);
        assert!(refused.is_err(), "{what} was restored");
        let said = refused.unwrap_err().to_string();
        assert!(!said.contains("SQL logic error") && !said.contains("no such"), "{what}: {said}");
        assert_eq!(store.songs().unwrap()[0].name, "Tide", "{what}");
        assert!(store.song(song).unwrap().parts[0].takes.len() == 1);
        assert!(!folder.path().join("restoring.sqlite").exists());
    }
    store.restore(&good).unwrap();
    drop(store);
    let store = Store::open(&folder.path().join("vivida.sqlite")).unwrap();
    assert_eq!(store.songs().unwrap()[0].name, "Tide");
}

#[test]
fn what_is_no_database_of_this_vivida_stays_as_it_is() {
    for (what, sql) in [
        ("newer", "CREATE TABLE song (id INTEGER); PRAGMA user_version = 4000;"),
        ("another program's", "CREATE TABLE mail (id INTEGER);"),
        ("marked as another's", "PRAGMA application_id = 77; CREATE TABLE t (id INTEGER);"),
    ] {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("vivida.sqlite");
        Connection::open(&path).unwrap().execute_batch(sql).unwrap();
        let before = fs::read(&path).unwrap();
        let refused = Store::open(&path).unwrap_err().to_string();
        assert_eq!(refused.contains("newer Vivida"), what == "newer", "{refused}");
        assert_eq!(fs::read(&path).unwrap(), before, "{what} was changed");
        let beside: Vec<_> = fs::read_dir(folder.path()).unwrap().flatten().map(|one| one.file_name()).collect();
        assert!(beside.iter().all(|name| name == "vivida.sqlite" || name == "vivida.lock"), "{beside:?}");
    }
}

#[cfg(unix)]
#[test]
fn the_lock_goes_with_the_file() {
    let (folder, _store) = shelf();
    let elsewhere = tempfile::tempdir().unwrap();
    let (path, link) = (folder.path().join("vivida.sqlite"), elsewhere.path().join("vivida.sqlite"));
    std::os::unix::fs::symlink(&path, &link).unwrap();
    let second = elsewhere.path().join("second.sqlite");
    std::os::unix::fs::symlink(&link, &second).unwrap();
    for link in [&link, &second] {
        assert!(matches!(Store::open(link), Err(StoreError::InUse { .. })));
    }
    // Under a second name it would have a second log.
    fs::hard_link(&path, elsewhere.path().join("hard.sqlite")).unwrap();
    let refused = Store::open(&elsewhere.path().join("hard.sqlite")).unwrap_err().to_string();
    assert!(refused.contains("hard links"), "{refused}");
    // A link to where nothing is yet leads there.
    let (target, link) = (folder.path().join("new.sqlite"), elsewhere.path().join("new.sqlite"));
    std::os::unix::fs::symlink(&target, &link).unwrap();
    let store = Store::open(&link).unwrap();
    assert_eq!(store.folder().unwrap(), folder.path().canonicalize().unwrap());
    drop(store);
    assert!(target.exists());
}

#[test]
fn what_kills_left_behind_is_swept_at_start() {
    let (folder, store) = shelf();
    store.take_backup(BackupKind::ByHand).unwrap();
    drop(store);
    let left =
        ["restoring.sqlite", "restoring.sqlite-journal", "backups/x.sqlite.part", "backups/x.sqlite.part-journal"];
    for name in left {
        fs::write(folder.path().join(name), "left").unwrap();
    }
    let store = Store::open(&folder.path().join("vivida.sqlite")).unwrap();
    for name in left {
        assert!(!folder.path().join(name).exists(), "{name}");
    }
    assert_eq!(names(&store).len(), 1);
}

#[test]
fn who_reads_waits_for_nobody_and_sees_one_moment() {
    let (_folder, mut store) = shelf();
    let song = add(&mut store, "Before");
    let readers = store.readers();
    let early = readers.read().unwrap();
    store
        .change(|change| {
            change.rename(song, 2, "After")?;
            // In the midst of a change, which may last as long as it likes.
            assert_eq!(readers.read()?.song(song)?.name, "Before");
            Ok::<_, StoreError>(())
        })
        .unwrap();
    assert_eq!(early.song(song).unwrap().name, "Before");
    assert_eq!(readers.read().unwrap().song(song).unwrap().name, "After");
    // A restore does not disturb it either.
    let name = store.take_backup(BackupKind::ByHand).unwrap().unwrap();
    let revision = store.song(song).unwrap().revision;
    store.change(|change| change.rename(song, revision, "Last")).unwrap();
    let late = readers.read().unwrap();
    store.restore(&name).unwrap();
    assert_eq!(late.song(song).unwrap().name, "Last");
    assert_eq!(readers.read().unwrap().song(song).unwrap().name, "After");
}

#[test]
fn sounds_are_named_by_parts_kits_histories_and_backups() {
    let (folder, mut store) = shelf();
    let song = add(&mut store, "Tide");
    let hash = |digit: &str| digit.repeat(64);
    let direct = Connection::open(folder.path().join("vivida.sqlite")).unwrap();
    direct.execute("UPDATE part SET audio = ?1", [json!({"sound": hash("a")}).to_string()]).unwrap();
    direct.execute("INSERT INTO kit (kit) VALUES (?1)", [json!({"sound": hash("b")}).to_string()]).unwrap();
    let state = json!([{"of": "part-and-take", "audio": json!({"sound": hash("c")}).to_string()}]).to_string();
    direct
        .execute(
            "INSERT INTO step (song, label, before, after) VALUES (?1, 'x', ?2, '[]')",
            rusqlite::params![song.0, state],
        )
        .unwrap();
    store.take_backup(BackupKind::ByHand).unwrap();
    direct.execute_batch("DELETE FROM step; DELETE FROM song; UPDATE kit SET kit = '{}' WHERE origin IS NULL").unwrap();
    let all: Vec<String> = store.readers().sounds_named().unwrap().into_iter().collect();
    assert_eq!(all, [hash("a"), hash("b"), hash("c")]);
}
