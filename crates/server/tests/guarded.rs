//! What nobody may do to the shelf: hostile bundles, files that were changed on disk, readers that do not read, names
//! without end, songs that go while they are listed.

use crate::common::{answer, client_over, delete, get, host, post, put};
use proptest::prelude::Rng;
use proptest::test_runner::{RngAlgorithm, TestRng};
use rocket::http::Status;
use rocket::local::blocking::Client;
use rusqlite::Connection;
use serde_json::{Value, json};
use std::io::{Cursor, Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::sync::{Arc, mpsc};
use tempfile::TempDir;
use vivida_server::App;
use vivida_store::Store;
use zip::write::SimpleFileOptions;
use zip::{ZipArchive, ZipWriter};

/// A shelf on disk with two demo songs.
fn shelf() -> (TempDir, Client) {
    let folder = tempfile::tempdir().unwrap();
    let client = client_over(&folder.path().join("vivida.sqlite"));
    for song in &vivida_demo::songs()[..2] {
        add(&client, song.file_name, &song.bytes);
    }
    (folder, client)
}

fn add(client: &Client, name: &str, bytes: &[u8]) -> Value {
    let path = format!("/api/v1/songs?file_name={name}");
    let (status, card) = answer(client.post(path).header(host()).body(bytes).dispatch());
    assert_eq!(status, Status::Created, "{card}");
    card
}

fn unpack(client: &Client, bytes: &[u8]) -> (Status, Value) {
    answer(client.post("/api/v1/bundles?file_name=b.vivida").header(host()).body(bytes).dispatch())
}

fn bytes_of(client: &Client, path: &str) -> Vec<u8> {
    let response = client.get(format!("/api/v1{path}")).header(host()).dispatch();
    assert_eq!(response.status(), Status::Ok, "{path}");
    response.into_bytes().unwrap()
}

fn zipped(files: &[(String, Vec<u8>)]) -> Vec<u8> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in files {
        zip.start_file(name.as_str(), SimpleFileOptions::default()).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

fn unzipped(bytes: &[u8]) -> Vec<(String, Vec<u8>)> {
    let mut zip = ZipArchive::new(Cursor::new(bytes)).unwrap();
    let names: Vec<String> = (0..zip.len()).map(|at| zip.by_index(at).unwrap().name().unwrap().to_string()).collect();
    let file = |name: String| {
        let mut bytes = Vec::new();
        zip.by_name(&name).unwrap().read_to_end(&mut bytes).unwrap();
        (name, bytes)
    };
    names.into_iter().map(file).collect()
}

/// Makes something of a song that leaves all kinds of states in its history.
fn work(client: &Client) {
    let revision = |path: &str| get(client, path).1["revision"].clone();
    let part = || get(client, "/parts/1").1["state"]["revision"].clone();
    let recipe = json!({"passes": [
        {"id": 1, "aim": {"instruments": ["snare"]}, "action": {"kind": "ghosts"}},
        {"id": 2, "action": {"kind": "by-hand", "moved": [{"hit": 5, "velocity": -30, "time": 7}], "removed": [9]}}
    ]});
    let settings = json!({"pull": {"strength": 40}});
    let followers = json!([{"part": 1, "instruments": ["kick"]}]);
    let done = [
        put(client, "/parts/1", json!({"revision": part(), "label": "one", "recipe": recipe, "name": "Kit"})),
        post(client, "/songs/1/pockets", json!({"name": "Late", "settings": settings, "followers": followers})),
        post(client, "/parts/1/takes", json!({"revision": part(), "name": "Print"})),
        put(client, "/parts/1/kit", json!({"revision": part(), "kit": 2, "keep_notes": true})),
        put(
            client,
            "/songs/1/sections",
            json!({"revision": revision("/songs/1"), "sections": [{"name": "Verse", "from": 1, "to": 4}]}),
        ),
        post(client, "/parts/1/duplicate", Value::Null),
    ];
    for (status, answer) in done {
        assert!(status.code < 300, "{status}: {answer}");
    }
}

/// All rows of a song and of the libraries, to be compared bit by bit.
fn rows(folder: &Path, song: i64) -> Vec<String> {
    let direct = Connection::open(folder.join("vivida.sqlite")).unwrap();
    let queries = [
        format!("SELECT * FROM song WHERE id = {song}"),
        format!("SELECT * FROM part WHERE song = {song}"),
        format!("SELECT take.* FROM take JOIN part ON part.id = take.part WHERE part.song = {song}"),
        format!("SELECT * FROM pocket WHERE song = {song}"),
        format!("SELECT id, song, name, hex(bytes), ids FROM file WHERE song = {song}"),
        format!("SELECT * FROM step WHERE song = {song}"),
        "SELECT * FROM recipe".to_owned(),
        "SELECT * FROM groove".to_owned(),
        "SELECT * FROM kit WHERE origin IS NOT NULL".to_owned(),
    ];
    let mut all = Vec::new();
    for sql in queries {
        let mut query = direct.prepare(&sql).unwrap();
        let columns = query.column_count();
        let mut rows = query.query([]).unwrap();
        while let Some(row) = rows.next().unwrap() {
            let cells: Vec<String> = (0..columns).map(|at| format!("{:?}", row.get_ref(at).unwrap())).collect();
            all.push(cells.join("|"));
        }
    }
    all
}

/// Changes one thing of a JSON, or of a JSON that is a text within it: another id, another type, huge, negative,
/// missing, twice.
fn mutated(value: &mut Value, random: &mut TestRng) {
    let pick = |random: &mut TestRng, count: usize| random.next_u32() as usize % count.max(1);
    match value {
        Value::Array(all) if !all.is_empty() && pick(random, 8) > 0 => {
            let place = pick(random, all.len());
            match pick(random, 12) {
                0 => all.push(all[place].clone()),
                1 => _ = all.remove(place),
                _ => mutated(&mut all[place], random),
            }
        }
        Value::Object(fields) if !fields.is_empty() && pick(random, 12) > 0 => {
            let place = pick(random, fields.len());
            let key = fields.keys().nth(place).cloned().unwrap();
            if pick(random, 12) == 0 {
                fields.remove(&key);
            } else {
                mutated(&mut fields[&key], random);
            }
        }
        Value::String(text) if pick(random, 6) > 0 => match serde_json::from_str::<Value>(text) {
            Ok(mut inner) if !inner.is_number() => {
                mutated(&mut inner, random);
                *text = inner.to_string();
            }
            _ => {
                *text = ["", "song", "take", "kit", "recipe", "[", "\u{202e}", "9999-99-99"][pick(random, 8)].to_owned()
            }
        },
        Value::Number(number) if pick(random, 4) > 0 => {
            let now = number.as_i64().unwrap_or(0);
            let others = [1, 2, 3, now + 1, now - 1, -1, 0, 1 << 40, i64::MAX, i64::MIN, 127, 500];
            *value = json!(others[pick(random, others.len())]);
        }
        other => {
            let odd = [
                json!(null),
                json!(true),
                json!(-7),
                json!(1e300),
                json!("x"),
                json!([]),
                json!({}),
                json!([[5, 6, 5]]),
            ];
            *other = odd[pick(random, odd.len())].clone();
        }
    }
}

/// Bundles of which everything was changed: refused or unpacked, but no fault, and every other song as it was, to the
/// bit, also after each undo. `VIVIDA_FUZZ` asks for more of them.
#[test]
fn hostile_bundles_reach_nothing() {
    let count: u32 = std::env::var("VIVIDA_FUZZ").ok().and_then(|text| text.parse().ok()).unwrap_or(150);
    let (folder, client) = shelf();
    work(&client);
    let files = unzipped(&bytes_of(&client, "/songs/1/bundle.vivida"));
    let text = files.iter().find(|(name, _)| name.ends_with("song.json")).unwrap().1.clone();
    let before = [rows(folder.path(), 1), rows(folder.path(), 2)];
    let mut random = TestRng::from_seed(RngAlgorithm::ChaCha, &[7; 32]);
    let mut let_in = 0;
    for number in 0..count {
        let mut song: Value = serde_json::from_slice(&text).unwrap();
        for _ in 0..=random.next_u32() % 3 {
            mutated(&mut song, &mut random);
        }
        let files: Vec<(String, Vec<u8>)> = files
            .iter()
            .map(|(name, bytes)| {
                let bytes = if name.ends_with("song.json") { song.to_string().into_bytes() } else { bytes.clone() };
                (name.clone(), bytes)
            })
            .collect();
        let (status, cards) = unpack(&client, &zipped(&files));
        assert!(status.code < 500, "{number}: {status}: {cards} for {song}");
        if status != Status::Created {
            continue;
        }
        let_in += 1;
        let id = cards[0]["id"].as_i64().unwrap();
        let asked = |client: &Client| {
            let mut paths = vec![format!("/songs/{id}"), format!("/songs/{id}/export"), format!("/songs/{id}/history")];
            let (_, detail) = get(client, &format!("/songs/{id}"));
            let parts = detail["parts"].as_array().cloned().unwrap_or_default();
            paths.extend(parts.iter().map(|part| format!("/parts/{}", part["id"])));
            for path in paths {
                let (status, answer) = get(client, &path);
                assert!(status.code < 500, "{number}: {path}: {status}: {answer}");
            }
            let export = client.get(format!("/api/v1/songs/{id}/export.mid")).header(host()).dispatch();
            assert!(export.status().code < 500, "{number}: {}", export.status());
        };
        asked(&client);
        for direction in ["undo", "undo", "redo", "undo", "undo", "undo", "undo", "undo"] {
            let (status, answer) = post(&client, &format!("/songs/{id}/{direction}"), Value::Null);
            assert!(status.code < 500, "{number}: {direction}: {status}: {answer}");
        }
        asked(&client);
        assert!([rows(folder.path(), 1), rows(folder.path(), 2)] == before, "{number} reached another song");
        assert!(post(&client, "/shelf/undo", Value::Null).0.code < 300);
        assert!([rows(folder.path(), 1), rows(folder.path(), 2)] == before, "{number} reached another song");
    }
    println!("{let_in} of {count} hostile bundles were let in");
    assert!(let_in * 10 > count, "too few came so far as to be undone");
}

#[test]
fn a_folder_is_unpacked_once() {
    let (_folder, client) = shelf();
    let mut files = unzipped(&bytes_of(&client, "/songs/1/bundle.vivida"));
    let manifest = json!({"format": "vivida-bundle", "version": 1, "songs": vec!["songs/1"; 2000]});
    files.retain(|(name, _)| name != "manifest.json");
    files.push(("manifest.json".to_owned(), manifest.to_string().into_bytes()));
    let (status, problem) = unpack(&client, &zipped(&files));
    assert_eq!(status, Status::UnprocessableEntity);
    assert!(problem["detail"].as_str().unwrap().contains("twice"), "{problem}");
}

#[test]
fn ids_of_hits_that_do_not_fit_are_numbers_again() {
    let (_folder, client) = shelf();
    let kick = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x14\0\x99\x24\x64\x60\x89\x24\x40\0\x99\x24\x64\x60\x89\x24\x40\0\xff\x2f\0";
    let card = add(&client, "kick.mid", kick);
    let mut files = unzipped(&bytes_of(&client, &format!("/songs/{}/bundle.vivida", card["id"])));
    for (_, bytes) in files.iter_mut().filter(|(name, _)| name.ends_with("song.json")) {
        let mut song: Value = serde_json::from_slice(bytes).unwrap();
        song["files"][0]["ids"] = json!("[[5,6,5]]");
        *bytes = song.to_string().into_bytes();
    }
    let (status, cards) = unpack(&client, &zipped(&files));
    assert_eq!(status, Status::Created, "{cards}");
    let part = &cards[0]["parts"][0]["id"];
    let (_, state) = get(&client, &format!("/parts/{part}"));
    let change = json!({"revision": state["state"]["revision"], "label": "x", "recipe":
        {"passes": [{"id": 1, "action": {"kind": "level", "by": -9}}]}});
    assert_eq!(put(&client, &format!("/parts/{part}"), change).0, Status::Ok);
    let export = client.get(format!("/api/v1/songs/{}/export.mid", cards[0]["id"])).header(host()).dispatch();
    assert_eq!(export.status(), Status::Ok);
}

/// A second of a tick, as a WAV file.
fn wav(frames: usize) -> Vec<u8> {
    let samples: Vec<f32> = (0..frames).map(|at| if at % 11_025 < 400 { 0.5 } else { 0.0 }).collect();
    vivida_audio::write_wav(&vivida_audio::Clip::new(vec![samples]), vivida_audio::Depth::Sixteen).unwrap()
}

fn lay_loop(client: &Client) -> (Value, Value, String) {
    let sound = answer(client.post("/api/v1/sounds?file_name=tick.wav").header(host()).body(wav(44_100)).dispatch()).1;
    let request = json!({"sound": sound["sound"], "name": "Tick", "file_name": "tick.wav", "bars": 1});
    let (status, laid) = post(client, "/loops", request);
    assert_eq!(status, Status::Created, "{laid}");
    (laid["song"].clone(), laid["part"].clone(), sound["sound"].as_str().unwrap().to_owned())
}

/// Every way in which a loop is heard or looked at.
fn hear(client: &Client, song: &Value, part: &Value) -> Vec<Status> {
    let heard = json!({"from": 0, "frames": 1000, "speed": 1});
    let asked = [
        format!("/parts/{part}"),
        format!("/parts/{part}/onsets.csv"),
        format!("/parts/{part}/loop.wav"),
        format!("/songs/{song}/export.wav"),
    ];
    let mut all: Vec<Status> =
        asked.iter().map(|path| client.get(format!("/api/v1{path}")).header(host()).dispatch().status()).collect();
    all.push(post(client, &format!("/parts/{part}/heard"), heard).0);
    all.push(post(client, "/renders", json!({"song": song, "wanted": {}})).0);
    all
}

#[test]
fn a_loop_that_does_not_fit_its_file_is_said_and_brings_nothing_down() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    let client = client_over(&path);
    let (song, part, _) = lay_loop(&client);
    assert!(hear(&client, &song, &part).iter().all(|status| status.code < 300));
    let direct = Connection::open(&path).unwrap();
    let audio: String =
        direct.query_row("SELECT audio FROM part WHERE audio IS NOT NULL", [], |row| row.get(0)).unwrap();
    for (frames, to) in [(99_999_999_999u64, 44_100u64), (99_999_999, 99_999_999), (10_000, 9000), (44_100, 44_101)] {
        let mut wrong: Value = serde_json::from_str(&audio).unwrap();
        wrong["frames"] = json!(frames);
        wrong["slicing"]["to"] = json!(to);
        direct.execute("UPDATE part SET audio = ?1 WHERE audio IS NOT NULL", [wrong.to_string()]).unwrap();
        let said = hear(&client, &song, &part);
        assert!(said[0].code == 200 && said.iter().all(|status| status.code < 500), "{frames}, {to}: {said:?}");
        let (_, detail) = get(&client, &format!("/parts/{part}"));
        let is_said = detail["audio"]["missing"] == json!(true) || detail["state"]["damage"].is_string();
        assert!(is_said, "{frames}, {to}: {}", detail["audio"]);
    }
}

#[test]
fn a_file_of_sound_that_was_changed_is_missed() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    let client = client_over(&path);
    let (song, part, sound) = lay_loop(&client);
    let file = folder.path().join("sounds").join(sound);
    for bytes in [wav(44_100)[..20_000].to_vec(), wav(22_050), Vec::new(), b"text".to_vec()] {
        std::fs::write(&file, bytes).unwrap();
        // A program that is started anew has it not in use.
        drop(client_over(&folder.path().join("other.sqlite")));
        let client =
            Client::untracked(vivida_server::rocket(Arc::new(App::new(reopened(&path, folder.path()))), 0)).unwrap();
        let said = hear(&client, &song, &part);
        assert!(said[0].code == 200 && said[1..].iter().all(|status| (400..500).contains(&status.code)), "{said:?}");
        assert_eq!(get(&client, &format!("/parts/{part}")).1["audio"]["missing"], json!(true));
    }
}

/// A copy of a database in the same folder, as another program would open it.
fn reopened(path: &Path, folder: &Path) -> Store {
    let number = std::fs::read_dir(folder).unwrap().count();
    let copy = folder.join(format!("copy-{number}.sqlite"));
    let direct = Connection::open(path).unwrap();
    direct.execute("VACUUM INTO ?1", [copy.to_str().unwrap()]).unwrap();
    Store::open(&copy).unwrap()
}

#[test]
fn sounds_that_nothing_leads_to_go_and_refused_bundles_leave_none() {
    let here = tempfile::tempdir().unwrap();
    let client = client_over(&here.path().join("vivida.sqlite"));
    let (song, _, sound) = lay_loop(&client);
    let good = bytes_of(&client, &format!("/songs/{song}/bundle.vivida"));
    let mut files = unzipped(&good);
    for (_, bytes) in files.iter_mut().filter(|(name, _)| name.ends_with("song.json")) {
        let mut song: Value = serde_json::from_slice(bytes).unwrap();
        song["steps"] = json!([{"label": "x", "undone": false, "created": "",
            "before": "[{\"of\":\"song\",\"id\":1,\"name\":\"x\",\"deleted\":true}]", "after": "[]"}]);
        *bytes = song.to_string().into_bytes();
    }
    let there = tempfile::tempdir().unwrap();
    let path = there.path().join("vivida.sqlite");
    std::fs::create_dir(there.path().join("sounds")).unwrap();
    let left = [".unfinished-abc", ".tmpXYZ"].map(|name| there.path().join("sounds").join(name));
    left.iter().for_each(|path| std::fs::write(path, "left by a kill").unwrap());
    let app = Arc::new(App::new(Store::open(&path).unwrap()));
    let client = Client::untracked(vivida_server::rocket(Arc::clone(&app), 0)).unwrap();
    let kept = || std::fs::read_dir(there.path().join("sounds")).map_or(0, Iterator::count);
    assert_eq!(kept(), 0, "what kills left behind is swept at start");
    let (status, problem) = unpack(&client, &zipped(&files));
    assert_eq!((status, kept()), (Status::UnprocessableEntity, 0), "{problem}");
    assert_eq!(unpack(&client, &good).0, Status::Created);
    app.sweep_sounds();
    assert_eq!(kept(), 1);
    // A file that was there and is named by nothing goes; one that was used a moment ago does not yet.
    std::fs::write(there.path().join("sounds").join("a".repeat(64)), "nobody's").unwrap();
    app.sweep_sounds();
    assert_eq!(kept(), 1);
    assert!(there.path().join("sounds").join(sound).exists());
}

#[test]
fn tables_hold_no_formulas() {
    let (_folder, client) = shelf();
    let formula = "=HYPERLINK(\"http://x\")";
    let (_, now) = get(&client, "/parts/1");
    let change = json!({"revision": now["state"]["revision"], "label": "x", "name": formula});
    assert_eq!(put(&client, "/parts/1", change).0, Status::Ok);
    let recipe = json!({"passes": [{"id": 1, "action": {"kind": "level", "by": -9}}]});
    let (status, batch) =
        post(&client, "/batches", json!({"songs": [1], "recipe": recipe, "name": formula, "instead": false}));
    assert!(status.code < 300, "{batch}");
    let path = format!("/batches/{}", batch["id"]);
    while get(&client, &path).1["state"] == "running" {
        std::thread::yield_now();
    }
    let report = String::from_utf8(bytes_of(&client, &format!("{path}/report.csv"))).unwrap();
    assert!(report.contains("\"'=HYPERLINK"), "{report}");
    assert!(!report.contains(",\"=HYPERLINK") && !report.contains(",=HYPERLINK"), "{report}");
}

#[test]
fn a_batch_that_changed_nothing_has_nothing_to_undo() {
    let (_folder, client) = shelf();
    let recipe = json!({"passes": [{"id": 1, "action": {"kind": "level", "by": -9}}]});
    let treat = |songs: Value| {
        let (_, batch) =
            post(&client, "/batches", json!({"songs": songs, "recipe": recipe, "name": "x", "instead": true}));
        let path = format!("/batches/{}", batch["id"]);
        loop {
            let (_, batch) = get(&client, &path);
            if batch["state"] != "running" {
                return (path, batch);
            }
            std::thread::yield_now();
        }
    };
    let states =
        |batch: &Value| batch["songs"].as_array().unwrap().iter().map(|song| song["state"].clone()).collect::<Vec<_>>();
    let (_, first) = treat(json!([1]));
    assert_eq!(states(&first), [json!("done")]);
    let (path, again) = treat(json!([1]));
    assert_eq!(states(&again), [json!("unchanged")]);
    let (status, problem) = post(&client, &format!("{path}/undo"), Value::Null);
    assert_eq!(status, Status::UnprocessableEntity, "{problem}");
    // Of several, those that changed are taken back, and no song is said to be left.
    let (path, both) = treat(json!([1, 2]));
    assert_eq!(states(&both), [json!("unchanged"), json!("done")]);
    let (status, undone) = post(&client, &format!("{path}/undo"), Value::Null);
    assert_eq!((status, &undone["left"]), (Status::Ok, &json!([])), "{undone}");
    assert_eq!(states(&undone["batch"]), [json!("unchanged"), json!("undone")]);
}

#[test]
fn names_have_a_limit_at_every_door() {
    let (_folder, client) = shelf();
    let long = "n".repeat(1 << 20);
    let part = || get(&client, "/parts/1").1["state"]["revision"].clone();
    let song =
        || get(&client, "/songs").1.as_array().unwrap().iter().find(|one| one["id"] == 1).unwrap()["revision"].clone();
    let outline = json!({"bars": 4, "tempos": [{"bar": 1, "bpm": 100}], "metres": [{"bar": 1, "metre": "4/4"}]});
    let level = json!({"passes": [{"id": 1, "action": {"kind": "level", "by": 1}}]});
    let tried = [
        put(&client, "/parts/1", json!({"revision": part(), "label": &long, "name": &long})),
        post(&client, "/parts/1/takes", json!({"revision": part(), "name": &long})),
        crate::common::patch(&client, "/songs/1", json!({"revision": song(), "name": &long})),
        post(&client, "/songs/begun", json!({"name": &long, "outline": outline})),
        post(&client, "/songs/1/pockets", json!({"name": &long})),
        post(&client, "/recipes", json!({"name": &long, "note": &long, "recipe": level})),
        post(&client, "/songs/1/join", json!({"name": &long, "parts": []})),
        put(
            &client,
            "/songs/1/sections",
            json!({"revision": song(), "sections": [{"name": &long, "from": 1, "to": 2}]}),
        ),
    ];
    assert!(tried.iter().all(|(status, _)| status.code < 500), "{tried:?}");
    assert!(tried.iter().filter(|(status, _)| status.code < 300).count() >= 5);
    for path in ["/songs", "/songs/1", "/parts/1", "/songs/1/pockets", "/recipes", "/songs/1/history"] {
        let text = get(&client, path).1.to_string();
        assert!(!text.contains(&"n".repeat(201)), "{path} holds a name without end");
    }
}

#[test]
fn songs_that_go_while_they_are_listed_are_no_fault() {
    let (folder, client) = shelf();
    let app = Arc::new(App::new(reopened(&folder.path().join("vivida.sqlite"), folder.path())));
    drop(client);
    let client = || Client::untracked(vivida_server::rocket(Arc::clone(&app), 0)).unwrap();
    let kick = vivida_demo::songs()[0].bytes.clone();
    let (stop, stopped) = mpsc::channel::<()>();
    std::thread::scope(|scope| {
        let (lists, adds, deletes) = (client(), client(), client());
        scope.spawn(move || {
            // Whatever is there goes at once.
            while stopped.try_recv() == Err(mpsc::TryRecvError::Empty) {
                let (_, songs) = get(&deletes, "/songs");
                for song in songs.as_array().unwrap().iter().filter(|song| song["id"].as_i64() > Some(2)) {
                    delete(&deletes, &format!("/songs/{}?revision={}", song["id"], song["revision"]));
                }
            }
        });
        let adding = scope.spawn(move || {
            for _ in 0..25 {
                add(&adds, "kick.mid", &kick);
            }
        });
        for _ in 0..150 {
            let (status, songs) = get(&lists, "/songs");
            assert_eq!(status, Status::Ok, "{songs}");
        }
        adding.join().unwrap();
        stop.send(()).unwrap();
    });
}

/// Readers that ask for a large file and take none of it.
#[cfg(target_os = "linux")]
#[test]
fn slow_readers_cost_no_threads() {
    const READERS: usize = 120;
    let folder = tempfile::tempdir().unwrap();
    let app = Arc::new(App::new(Store::open(&folder.path().join("vivida.sqlite")).unwrap()));
    let (say, told) = mpsc::channel();
    let server = Arc::clone(&app);
    std::thread::spawn(move || {
        rocket::execute(async move {
            let say = rocket::fairing::AdHoc::on_liftoff("say where", move |rocket| {
                let port = rocket.config().port;
                Box::pin(async move {
                    say.send((port, rocket.shutdown())).unwrap();
                })
            });
            vivida_server::rocket(server, 0).attach(say).launch().await.map(drop).map_err(drop)
        })
    });
    let (port, shutdown) = told.recv().unwrap();
    // Half a minute, so that it does not fit into what lies between the two.
    let outline = json!({"bars": 16, "tempos": [{"bar": 1, "bpm": 120}], "metres": [{"bar": 1, "metre": "4/4"}]});
    let agent = ureq::agent();
    let url = |path: &str| format!("http://127.0.0.1:{port}/api/v1{path}");
    let mut begun =
        agent.post(url("/songs/begun")).send_json(json!({"name": "Long", "outline": outline, "kit": 2})).unwrap();
    let card: Value = begun.body_mut().read_json().unwrap();
    let part = &card["parts"][0];
    let fill = json!({"kind": "fill", "instrument": "snare", "from": 0, "to": 61_000, "grid": "1/1", "path": []});
    let draw = json!({"revision": part["revision"], "label": "x", "drawings": [fill]});
    agent.put(url(&format!("/parts/{}/written", part["id"]))).send_json(draw).unwrap();
    let ask = || {
        let mut stream = TcpStream::connect(("127.0.0.1", port)).unwrap();
        write!(stream, "GET /api/v1/songs/{}/export.wav HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n\r\n", card["id"])
            .unwrap();
        stream
    };
    let mut readers: Vec<TcpStream> = (0..READERS).map(|_| ask()).collect();
    // All have the beginning of their file, and take no more.
    for reader in &mut readers {
        let mut head = [0; 12];
        reader.read_exact(&mut head).unwrap();
        assert_eq!(&head, b"HTTP/1.1 200");
    }
    let status = std::fs::read_to_string("/proc/self/status").unwrap();
    let threads = status.lines().find_map(|line| line.strip_prefix("Threads:")).unwrap().trim();
    let threads: usize = threads.parse().unwrap();
    let songs = agent.get(url("/songs")).call().unwrap();
    assert_eq!(songs.status(), 200);
    assert!(threads < READERS, "{threads} threads for {READERS} readers");
    drop(readers);
    shutdown.notify();
}
