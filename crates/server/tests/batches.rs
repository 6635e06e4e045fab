//! Many songs at once, over the API: treated, reported, cancelled, taken back.

use crate::common::{client, client_over, delete, get, host, post, put};
use rocket::http::Status;
use rocket::local::blocking::Client;
use serde_json::{Value, json};
use std::time::Duration;

/// Waits until a batch has come to its end.
fn ended(client: &Client, id: i64) -> Value {
    for _ in 0..600 {
        let (_, batch) = get(client, &format!("/batches/{id}"));
        if batch["state"] != "running" {
            return batch;
        }
        std::thread::sleep(Duration::from_millis(20));
    }
    panic!("the batch goes on for 12 s");
}

fn softer() -> Value {
    json!({"passes": [
        {"id": 1, "aim": {"instruments": ["snare"]}, "action": {"kind": "set", "to": 33}},
        {"id": 2, "aim": {"instruments": ["cowbell"]}, "action": {"kind": "set", "to": 33}}
    ]})
}

fn passes(client: &Client, part: &Value) -> usize {
    get(client, &format!("/parts/{part}")).1["state"]["recipe"]["passes"].as_array().unwrap().len()
}

#[test]
fn an_album_is_treated_reported_and_taken_back() {
    let client = client();
    let (_, songs) = get(&client, "/songs");
    let ids: Vec<i64> = songs.as_array().unwrap().iter().map(|song| song["id"].as_i64().unwrap()).collect();
    let (_, kits) = get(&client, "/kits");
    let general = &kits.as_array().unwrap()[kits.as_array().unwrap().len() - 3];
    let request = json!({"songs": ids, "name": "Low Tide", "recipe": softer(), "kit": general["id"]});
    let (status, batch) = post(&client, "/batches", request);
    assert_eq!((status, batch["songs"].as_array().map(Vec::len)), (Status::Created, Some(6)), "{batch}");
    let id = batch["id"].as_i64().unwrap();
    let batch = ended(&client, id);
    assert_eq!(batch["state"], "done");
    for song in batch["songs"].as_array().unwrap() {
        let report = &song["report"];
        assert_eq!((&song["state"], &report["why"]), (&json!("done"), &Value::Null), "{song}");
        let treatment = &report["parts"][0]["treatment"];
        let drums = treatment["drums"].as_array().unwrap();
        assert!(!drums.is_empty() && treatment["findings"].as_array().unwrap().len() == 2);
        let snare = drums.iter().find(|drum| drum["instrument"] == "snare");
        if let Some(snare) = snare {
            assert!(snare["touched"].as_u64().unwrap() > 10, "{snare}");
        }
        let (_, history) = get(&client, &format!("/songs/{}", song["song"]));
        assert_eq!(history["history"]["undo"], "Low Tide", "one step of each song");
    }
    let csv = client.get(format!("/api/v1/batches/{id}/report.csv")).header(host()).dispatch().into_string().unwrap();
    assert!(csv.lines().count() > 20 && csv.starts_with("song,state,part,drum,"), "{csv}");
    // One song goes on: it stays when the rest is taken back.
    let (_, first) = get(&client, "/songs/1");
    let part = &first["parts"][0]["id"];
    let (_, now) = get(&client, &format!("/parts/{part}"));
    put(
        &client,
        &format!("/parts/{part}"),
        json!({"revision": now["state"]["revision"], "label": "v", "variation": 3}),
    );
    let (status, undone) = post(&client, &format!("/batches/{id}/undo"), Value::Null);
    assert_eq!((status, &undone["left"]), (Status::Ok, &json!(["Causeway"])), "{undone}");
    assert_eq!(passes(&client, part), 2);
    let (_, second) = get(&client, "/songs/2");
    assert_eq!((passes(&client, &second["parts"][0]["id"]), &second["history"]["redo"]), (0, &json!("Low Tide")));
    // Undone there as well, the rest follows.
    post(&client, "/songs/1/undo", Value::Null);
    let (_, undone) = post(&client, &format!("/batches/{id}/undo"), Value::Null);
    assert_eq!((&undone["left"], &undone["batch"]["state"]), (&json!([]), &json!("undone")));
    assert_eq!(passes(&client, part), 0);
}

#[test]
fn a10_every_drum_part_that_sounds_is_treated() {
    let client = client();
    let mut track = b"\0\x99\x26\x64\x60\x26\0".repeat(8);
    track.extend_from_slice(b"\0\xff\x2f\0");
    let mut file = b"MThd\0\0\0\x06\0\x01\0\x03\x01\xe0".to_vec();
    for _ in 0..3 {
        file.extend_from_slice(b"MTrk");
        file.extend_from_slice(&(track.len() as u32).to_be_bytes());
        file.extend_from_slice(&track);
    }
    let request = client.post("/api/v1/songs?file_name=three.mid").header(host()).body(file);
    let (_, song) = crate::common::answer(request.dispatch());
    let parts = song["parts"].as_array().unwrap();
    assert_eq!(parts.len(), 3, "{song}");
    let muted = &parts[2]["id"];
    let (_, now) = get(&client, &format!("/parts/{muted}"));
    let revision = &now["state"]["revision"];
    put(&client, &format!("/parts/{muted}"), json!({"revision": revision, "label": "m", "muted": true}));
    let (_, batch) = post(&client, "/batches", json!({"songs": [song["id"]], "name": "A", "recipe": softer()}));
    let batch = ended(&client, batch["id"].as_i64().unwrap());
    let treated = batch["songs"][0]["report"]["parts"].as_array().unwrap();
    assert_eq!(treated.len(), 2, "{batch:#}");
    assert!(treated.iter().all(|part| part["treatment"]["all"]["touched"] == 8), "{batch:#}");
    assert_eq!(parts.iter().map(|part| passes(&client, &part["id"])).collect::<Vec<_>>(), [1, 1, 0]);
    post(&client, &format!("/songs/{}/undo", song["id"]), Value::Null);
    assert!(parts.iter().all(|part| passes(&client, &part["id"]) == 0), "all of it is one step");
}

#[test]
fn what_fails_is_said_and_the_rest_goes_on() {
    let client = client();
    // A song without drums among the others.
    let bytes = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x0c\0\x90\x24\x64\x60\x80\x24\x40\0\xff\x2f\0";
    let request = client.post("/api/v1/songs?file_name=flute.mid").header(host()).body(bytes);
    let (_, flute) = crate::common::answer(request.dispatch());
    let (_, one) = post(&client, "/batches", json!({"songs": [flute["id"], 2], "name": "A", "recipe": softer()}));
    let (_, two) =
        post(&client, "/batches", json!({"songs": [2, 3], "name": "B", "recipe": softer(), "instead": true}));
    let one = ended(&client, one["id"].as_i64().unwrap());
    let two = ended(&client, two["id"].as_i64().unwrap());
    let states =
        |batch: &Value| batch["songs"].as_array().unwrap().iter().map(|song| song["state"].clone()).collect::<Vec<_>>();
    assert_eq!(states(&one), [json!("failed"), json!("done")]);
    assert!(one["songs"][0]["report"]["why"].as_str().unwrap().contains("no drum part"));
    assert_eq!(states(&two), [json!("unchanged"), json!("done")], "two at once come one after the other");
    for (request, field) in [
        (json!({"songs": [], "name": "A", "usual": true}), "songs"),
        (json!({"songs": [1, 1], "name": "A", "usual": true}), "songs"),
        (json!({"songs": [1], "name": "A"}), "recipe"),
        (
            json!({"songs": [1], "name": "A", "recipe": {"passes": [{"id": 1, "action": {"kind": "set", "to": 300}}]}}),
            "recipe.passes[0].action.to",
        ),
    ] {
        let (status, problem) = post(&client, "/batches", request);
        assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!(field)), "{problem}");
    }
    assert_eq!(post(&client, "/batches", json!({"songs": [99], "name": "A", "usual": true})).0, Status::NotFound);
    assert_eq!(get(&client, "/batches/99").0, Status::NotFound);
    assert_eq!(delete(&client, &format!("/batches/{}", one["id"])).0, Status::NoContent, "it has ended already");
    assert_eq!(get(&client, "/batches").1.as_array().map(Vec::len), Some(2));
}

#[test]
fn a_batch_that_the_program_ended_in_says_which_songs_were_done() {
    use vivida_store::{BatchSongState, BatchState, Reads, Store};
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    let batch = {
        let mut store = Store::open(&path).unwrap();
        let songs: Vec<_> = vivida_demo::songs()
            .iter()
            .take(3)
            .map(|demo| {
                let file = vivida_smf::read(&demo.bytes).unwrap();
                store.change(|change| change.add_song(demo.name, demo.file_name, &demo.bytes, &file)).unwrap()
            })
            .collect();
        let batch = store.change(|change| change.add_batch("Album", &songs)).unwrap();
        let part = store.song(songs[0]).unwrap().parts[0].id;
        let recipe = vivida_core::Recipe::from_value(softer()).unwrap();
        let treat = |change: &mut vivida_store::Change<'_>| {
            change.set_recipe(part, "Album", recipe)?;
            change.batch_song(batch, songs[0], BatchSongState::Done, None)
        };
        store.change(treat).unwrap();
        batch
    };
    let client = client_over(&path);
    let (_, found) = get(&client, &format!("/batches/{}", batch.0));
    let states: Vec<_> = found["songs"].as_array().unwrap().iter().map(|song| song["state"].clone()).collect();
    assert_eq!((&found["state"], states), (&json!("interrupted"), vec![json!("done"), json!("left"), json!("left")]));
    drop(client);
    let store = Store::open(&path).unwrap();
    assert_eq!(store.batch(batch).unwrap().state, BatchState::Interrupted);
}
