//! Bundles: a song, or the shelf, taken to another machine and back, and files that are none.

use crate::common::{answer, client, client_over, get, host, post, put};
use rocket::http::Status;
use rocket::local::blocking::Client;
use serde_json::{Value, json};
use std::io::{Cursor, Write};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

fn bundle(client: &Client, path: &str) -> Vec<u8> {
    let response = client.get(format!("/api/v1{path}/bundle.vivida")).header(host()).dispatch();
    assert_eq!(response.status(), Status::Ok);
    response.into_bytes().unwrap()
}

fn unpack(client: &Client, bytes: &[u8]) -> (Status, Value) {
    answer(client.post("/api/v1/bundles?file_name=b.vivida").header(host()).body(bytes).dispatch())
}

/// A client with nothing on its shelf.
fn empty() -> (tempfile::TempDir, Client) {
    let folder = tempfile::tempdir().unwrap();
    let client = client_over(&folder.path().join("vivida.sqlite"));
    (folder, client)
}

/// What of a part sounds, and by what.
fn played(client: &Client, part: &Value) -> Value {
    let (_, detail) = get(client, &format!("/parts/{part}"));
    let mut performance = detail["performance"].clone();
    // Passes follow pockets by ids, and files have ids, which are others there.
    for key in ["recipe", "timing_key", "touch_key", "source"] {
        performance.as_object_mut().unwrap().remove(key);
    }
    json!([performance, detail["written"], detail["kit"], detail["state"]["variation"]])
}

/// Makes something of all that a song can hold.
fn work(client: &Client) {
    let change = |part: i64, change: Value| {
        let (_, now) = get(client, &format!("/parts/{part}"));
        let mut request = json!({"revision": now["state"]["revision"], "label": "work"});
        request.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
        let (status, state) = put(client, &format!("/parts/{part}"), request);
        assert_eq!(status, Status::Ok, "{state}");
    };
    let recipe = json!({"passes": [
        {"id": 1, "aim": {"instruments": ["closed-hat"]}, "action": {"kind": "shape", "soft": 40, "typical": 60, "hard": 90, "follow": 70, "amount": 100}},
        {"id": 2, "aim": {"instruments": ["snare"]}, "action": {"kind": "ghosts"}},
        {"id": 3, "action": {"kind": "loosen", "early": 8, "late": 8}},
        {"id": 4, "action": {"kind": "by-hand", "moved": [{"hit": 5, "velocity": -30, "time": 7}], "removed": [9]}}
    ]});
    change(1, json!({"recipe": recipe, "variation": 4, "name": "Kit of the bundle"}));
    let (_, now) = get(client, "/parts/1");
    let (status, _) = post(client, "/parts/1/takes", json!({"revision": now["state"]["revision"], "name": "Print"}));
    assert_eq!(status, Status::Ok);
    change(1, json!({"recipe": {"passes": [{"id": 1, "action": {"kind": "level", "by": -9}}]}}));
    let (_, kits) = get(client, "/kits");
    let large = kits.as_array().unwrap().iter().find(|kit| kit["kit"]["name"] == "Large kit, both hands").unwrap();
    let (_, now) = get(client, "/parts/1");
    let request = json!({"revision": now["state"]["revision"], "kit": large["id"], "keep_notes": true});
    let (status, state) = put(client, "/parts/1/kit", request);
    assert_eq!(status, Status::Ok, "{state}");
    let settings = json!({"pull": {"strength": 40}});
    let (status, pockets) = post(client, "/songs/1/pockets", json!({"name": "Late", "settings": settings}));
    assert_eq!(status, Status::Ok, "{pockets}");
}

#[test]
fn a_song_sounds_there_as_it_did_here_and_is_undone_there() {
    let here = client();
    work(&here);
    let bytes = bundle(&here, "/songs/1");
    let (_folder, there) = empty();
    let (status, cards) = unpack(&there, &bytes);
    assert_eq!((status, cards.as_array().map(Vec::len)), (Status::Created, Some(1)), "{cards}");
    assert_eq!((&cards[0]["damage"], &cards[0]["name"]), (&Value::Null, &json!("Causeway")));
    let part = &cards[0]["parts"][0]["id"];
    assert_eq!(played(&there, part), played(&here, &json!(1)));
    // Its history came along: back to the beginning on both machines, step by step.
    let song = &cards[0]["id"];
    for _ in 0..20 {
        let (_, one) = post(&here, "/songs/1/undo", Value::Null);
        let (_, other) = post(&there, &format!("/songs/{song}/undo"), Value::Null);
        assert_eq!(one["label"], other["label"]);
        assert_eq!(played(&there, part), played(&here, &json!(1)), "after undoing {}", one["label"]);
        if one["label"].is_null() {
            break;
        }
    }
    loop {
        let (_, one) = post(&here, "/songs/1/redo", Value::Null);
        let (_, other) = post(&there, &format!("/songs/{song}/redo"), Value::Null);
        assert_eq!(one["label"], other["label"]);
        if one["label"].is_null() {
            break;
        }
    }
    assert_eq!(played(&there, part), played(&here, &json!(1)));
    // Packed again it holds the same; the shelf takes it back in one step.
    assert_eq!(unpack(&there, &bundle(&there, &format!("/songs/{song}"))).0, Status::Created);
    let (_, undone) = post(&there, "/shelf/undo", Value::Null);
    assert_eq!(
        (&undone["label"], get(&there, "/songs").1.as_array().map(Vec::len)),
        (&json!("unpack a song"), Some(1))
    );
}

#[test]
fn a_shelf_travels_whole() {
    let here = client();
    work(&here);
    post(
        &here,
        "/recipes",
        json!({"name": "Mine", "note": "", "recipe": {"passes": [{"id": 1, "action": {"kind": "level", "by": 3}}]}}),
    );
    let bytes = bundle(&here, "/shelf");
    let (_folder, there) = empty();
    let (status, cards) = unpack(&there, &bytes);
    assert_eq!((status, cards.as_array().map(Vec::len)), (Status::Created, Some(6)), "{cards}");
    let (_, recipes) = get(&there, "/recipes");
    assert_eq!((recipes.as_array().map(Vec::len), &recipes[0]["name"]), (Some(1), &json!("Mine")));
    let (_, ours) = get(&here, "/songs");
    for song in ours.as_array().unwrap() {
        let other = cards.as_array().unwrap().iter().find(|card| card["name"] == song["name"]).unwrap();
        for (one, other) in song["parts"].as_array().unwrap().iter().zip(other["parts"].as_array().unwrap()) {
            assert_eq!(played(&there, &other["id"]), played(&here, &one["id"]), "{}", song["name"]);
        }
    }
    // Once more: the songs come again, the libraries do not.
    assert_eq!(unpack(&there, &bytes).0, Status::Created);
    assert_eq!(get(&there, "/recipes").1.as_array().map(Vec::len), Some(1));
}

/// A zip file of these files.
fn zipped(files: &[(&str, &[u8])]) -> Vec<u8> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in files {
        zip.start_file(*name, SimpleFileOptions::default()).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

#[test]
fn what_is_no_bundle_is_said_and_changes_nothing() {
    let (_folder, client) = empty();
    let manifest = |version: u32, songs: Value| {
        serde_json::to_vec(&json!({"format": "vivida-bundle", "version": version, "songs": songs})).unwrap()
    };
    let one = manifest(1, json!(["songs/1"]));
    let song = |files: Value| {
        let pack = json!({"id": 1, "name": "A", "sections": null, "file": 1, "files": files, "parts": [], "takes": [],
            "pockets": [], "kits": [], "steps": []});
        serde_json::to_vec(&pack).unwrap()
    };
    let bomb = vec![b' '; (128 << 20) + 9];
    let cases: Vec<(Vec<u8>, &str)> = vec![
        (b"no zip".to_vec(), "no bundle"),
        (Vec::new(), "no bundle"),
        (zipped(&[("a.txt", b"a")]), "manifest.json is not in it"),
        (zipped(&[("manifest.json", b"{")]), "manifest.json"),
        (zipped(&[("manifest.json", &manifest(2, json!([])))]), "newer Vivida"),
        (zipped(&[("manifest.json", br#"{"format":"other","version":1,"songs":[]}"#)]), "“other”"),
        (zipped(&[("manifest.json", &one)]), "songs/1/song.json is not in it"),
        (zipped(&[("manifest.json", &one), ("songs/1/song.json", b"[]")]), "songs/1/song.json"),
        (zipped(&[("manifest.json", &one), ("songs/1/song.json", &song(json!([])))]), "there is no file 1"),
        (
            zipped(&[
                ("manifest.json", &one),
                ("songs/1/song.json", &song(json!([{"id": 1, "name": "a", "ids": null}]))),
            ]),
            "songs/1/files/1.mid is not in it",
        ),
        (
            zipped(&[
                ("manifest.json", &one),
                ("songs/1/song.json", &song(json!([{"id": 1, "name": "a", "ids": null}]))),
                ("songs/1/files/1.mid", b"text"),
            ]),
            "MThd",
        ),
        (zipped(&[("manifest.json", &manifest(1, json!(["../../etc"]))), ("../../etc/song.json", b"{}")]), "../../etc"),
        (zipped(&[("manifest.json", &bomb)]), "larger than anything"),
    ];
    for (bytes, expected) in cases {
        let (status, problem) = unpack(&client, &bytes);
        assert_eq!((status, &problem["file"]), (Status::UnprocessableEntity, &json!("b.vivida")), "{problem}");
        assert!(problem["detail"].as_str().unwrap().contains(expected), "{expected}: {problem}");
    }
    assert_eq!(get(&client, "/songs").1, json!([]));
    let (_, undone) = post(&client, "/shelf/undo", Value::Null);
    assert_eq!(undone["label"], Value::Null);
}

#[test]
fn a_bundle_with_anything_in_it_leaves_a_shelf_that_can_be_read() {
    let here = client();
    work(&here);
    let bytes = bundle(&here, "/songs/1");
    let mut zip = zip::ZipArchive::new(Cursor::new(&bytes[..])).unwrap();
    let text = std::io::read_to_string(zip.by_name("songs/1/song.json").unwrap()).unwrap();
    let file: Value = serde_json::from_str::<Value>(&text).unwrap()["files"][0]["id"].clone();
    let name = format!("songs/1/files/{file}.mid");
    let midi = vivida_demo::songs()[0].bytes.clone();
    for (from, to) in [
        ("\"position\":0", "\"position\":-7"),
        ("\"position\":0", "\"position\":99999999"),
        ("\"variation\":4", "\"variation\":-4"),
        ("\\\"kind\\\":\\\"level\\\"", "\\\"kind\\\":\\\"gong\\\""),
        ("\"take\":", "\"take\":9"),
        ("\"deleted\":false", "\"deleted\":true"),
        ("\\\"tick\\\":", "\\\"tick\\\":-1e300,\\\"a\\\":"),
        ("\\\"of\\\":\\\"take\\\"", "\\\"of\\\":\\\"song\\\""),
    ] {
        let (_folder, there) = empty();
        let changed = text.replace(from, to);
        assert_ne!(changed, text, "{from}");
        let manifest = br#"{"format":"vivida-bundle","version":1,"songs":["songs/1"]}"#;
        let bytes = zipped(&[("manifest.json", manifest), ("songs/1/song.json", changed.as_bytes()), (&name, &midi)]);
        let (status, _) = unpack(&there, &bytes);
        assert!([Status::Created, Status::UnprocessableEntity].contains(&status), "{from}");
        let (status, songs) = get(&there, "/songs");
        assert_eq!(status, Status::Ok, "{from}");
        for song in songs.as_array().unwrap() {
            assert_eq!(get(&there, &format!("/songs/{}", song["id"])).0, Status::Ok, "{from}");
            let _ = post(&there, &format!("/songs/{}/undo", song["id"]), Value::Null);
            assert_eq!(get(&there, "/songs").0, Status::Ok, "{from}");
        }
    }
}

#[test]
fn backups_are_taken_listed_and_restored() {
    let (_folder, client) = empty();
    assert_eq!(get(&client, "/backups").1, json!([]));
    let (status, all) = post(&client, "/backups", Value::Null);
    assert_eq!((status, all.as_array().map(Vec::len)), (Status::Ok, Some(1)), "{all}");
    let bytes = bundle(&crate::common::client(), "/songs/1");
    assert_eq!(unpack(&client, &bytes).0, Status::Created);
    let path = |name: &str| format!("/backups/{}/restore", name.replace(' ', "%20"));
    let (status, all) = post(&client, &path(all[0]["name"].as_str().unwrap()), Value::Null);
    assert_eq!((status, get(&client, "/songs").1), (Status::Ok, json!([])), "{all}");
    let safety =
        all.as_array().unwrap().iter().find(|one| one["name"].as_str().unwrap().contains("restoring")).unwrap();
    assert_eq!(post(&client, &path(safety["name"].as_str().unwrap()), Value::Null).0, Status::Ok);
    let (_, songs) = get(&client, "/songs");
    assert_eq!(get(&client, &format!("/parts/{}", songs[0]["parts"][0]["id"])).0, Status::Ok);
    let (status, problem) = post(&client, "/backups/none.sqlite/restore", Value::Null);
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("name")));
}

#[test]
fn what_was_drawn_and_brought_in_is_undone_there_as_here() {
    let here = client();
    let outline = json!({"bars": 4, "tempos": [{"bar": 1, "bpm": 100}], "metres": [{"bar": 1, "metre": "4/4"}]});
    let (_, card) = post(&here, "/songs/begun", json!({"name": "Drawn", "outline": outline, "kit": 2}));
    let (song, part) = (card["id"].clone(), card["parts"][0]["id"].clone());
    let draw = |drawings: Value| {
        let (_, now) = get(&here, &format!("/parts/{part}"));
        let request = json!({"revision": now["state"]["revision"], "label": "draw", "drawings": drawings});
        assert_eq!(put(&here, &format!("/parts/{part}/written"), request).0, Status::Ok);
    };
    draw(json!([{"kind": "fill", "instrument": "snare", "from": 0, "to": 9000, "grid": "1/8", "path": []}]));
    draw(json!([{"kind": "clear-bars", "bars": {"from": 2, "to": 2}}]));
    let (_, detail) = get(&here, &format!("/songs/{song}"));
    let edit =
        json!({"revision": detail["revision"], "edit": {"kind": "repeat", "bars": {"from": 1, "to": 1}, "times": 2}});
    assert_eq!(put(&here, &format!("/songs/{song}/bars"), edit).0, Status::Ok);
    // And a song that is another file now.
    let demo = &vivida_demo::songs()[1];
    let path = format!("/api/v1/songs/1/file?file_name=b.mid&revision={}", get(&here, "/songs/1").1["revision"]);
    assert_eq!(answer(here.put(path).header(host()).body(&demo.bytes[..]).dispatch()).0, Status::Ok);
    let (_folder, there) = empty();
    for (one, part) in [(&song, &part), (&json!(1), &json!(1))] {
        let (status, cards) = unpack(&there, &bundle(&here, &format!("/songs/{one}")));
        assert_eq!(status, Status::Created, "{cards}");
        let (other, unpacked) = (&cards[0]["id"], &cards[0]["parts"][0]["id"]);
        assert_eq!(played(&there, unpacked), played(&here, part));
        for _ in 0..6 {
            let (_, first) = post(&here, &format!("/songs/{one}/undo"), Value::Null);
            let (_, second) = post(&there, &format!("/songs/{other}/undo"), Value::Null);
            assert_eq!(first["label"], second["label"]);
            assert_eq!(played(&there, unpacked), played(&here, part), "after undoing {}", first["label"]);
            let bars = |client: &Client, song: &Value| get(client, &format!("/songs/{song}")).1["bars"].clone();
            assert_eq!(bars(&there, other), bars(&here, one));
        }
    }
}
