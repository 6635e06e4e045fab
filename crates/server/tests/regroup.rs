//! Parts split by their instruments, and parts joined, over the API.

use crate::common::{client, delete, get, host, post, put};
use rocket::http::Status;
use rocket::local::blocking::Client;
use serde_json::{Value, json};
use vivida_smf::{SongFile, read};

fn exported(client: &Client, query: &str) -> SongFile {
    let response = client.get(format!("/api/v1/songs/1/export.mid?{query}")).header(host()).dispatch();
    assert_eq!(response.status(), Status::Ok);
    read(&response.into_bytes().unwrap()).unwrap()
}

/// Note, channel, tick, length and velocity of all hits, over all parts.
fn hits(song: &SongFile) -> Vec<(u8, u8, i64, i64, u8)> {
    let all = song.parts.iter().flat_map(|part| part.part.hits());
    let mut hits: Vec<_> = all
        .map(|hit| (hit.note.get(), hit.channel.get(), hit.tick.0 as i64, hit.length.0 as i64, hit.velocity.get()))
        .collect();
    hits.sort_unstable();
    hits
}

fn revision(client: &Client, part: &Value) -> Value {
    get(client, &format!("/parts/{part}")).1["state"]["revision"].clone()
}

fn shaped(client: &Client) {
    let recipe = json!({"passes": [
        {"id": 1, "action": {"kind": "vary", "by": 14}},
        {"id": 2, "aim": {"instruments": ["kick"]}, "action": {"kind": "lean", "by": 9}},
        {"id": 3, "aim": {"instruments": ["closed-hat", "snare"]}, "action": {"kind": "shape"}},
    ]});
    let change = json!({"revision": revision(client, &json!(1)), "label": "shape", "recipe": recipe});
    assert_eq!(put(client, "/parts/1", change).0, Status::Ok);
}

#[test]
fn a_split_part_sounds_as_before_and_is_joined_to_the_same() {
    let client = client();
    shaped(&client);
    let before = hits(&exported(&client, ""));
    let (_, whole) = get(&client, "/parts/1");
    let request = json!({"revision": 2, "groups": [["kick"], ["snare", "closed-hat"]]});
    let (status, split) = post(&client, "/parts/1/split", request);
    assert_eq!((status, split["parts"].as_array().unwrap().len(), &split["said"]), (Status::Ok, 3, &json!([])));
    assert_eq!(hits(&exported(&client, "")), before);

    let (_, song) = get(&client, "/songs/1");
    let parts = song["parts"].as_array().unwrap();
    let of = |id: &Value| parts.iter().find(|part| part["id"] == *id).unwrap();
    assert_eq!(of(&json!(1))["muted"], true);
    let kick = of(&split["parts"][0]);
    assert_eq!((&kick["name"], &kick["hits"], &kick["passes"]), (&json!("Kick"), &json!(284), &json!(2)));
    assert_eq!(of(&split["parts"][1])["name"], "Snare and closed hat");
    assert_eq!(of(&split["parts"][2])["name"], "Open hat and 5 more");

    // Muting one of them takes its drum out of the file; nothing else.
    let quiet = json!({"revision": revision(&client, &kick["id"]), "label": "mute", "muted": true});
    assert_eq!(put(&client, &format!("/parts/{}", kick["id"]), quiet).0, Status::Ok);
    let without: Vec<_> = before.iter().copied().filter(|hit| (hit.0, hit.1) != (36, 9)).collect();
    assert_eq!(hits(&exported(&client, "")), without);
    assert_eq!(post(&client, "/songs/1/undo", Value::Null).0, Status::Ok);

    // One part of the three: the same hits again, and one step to undo.
    let all: Vec<Value> = split["parts"]
        .as_array()
        .unwrap()
        .iter()
        .map(|id| json!({"id": id, "revision": revision(&client, id)}))
        .collect();
    let (status, joined) = post(&client, "/songs/1/join", json!({"parts": all, "name": "Drums again"}));
    assert_eq!(status, Status::Ok, "{joined}");
    assert_eq!(hits(&exported(&client, "")).len(), before.len());
    let (_, again) = get(&client, &format!("/parts/{}", joined["parts"][0]));
    assert_eq!(again["written"]["ids"].as_array().unwrap().len(), 1591);
    // What was taken apart is one again: passes for everything are, and dealt as they were.
    assert_eq!(again["state"]["recipe"], whole["state"]["recipe"]);
    assert_eq!(hits(&exported(&client, "")), before);

    for _ in 0..2 {
        assert_eq!(post(&client, "/songs/1/undo", Value::Null).0, Status::Ok);
    }
    let (_, song) = get(&client, "/songs/1");
    assert_eq!(song["parts"].as_array().unwrap().len(), 2);
    assert_eq!(hits(&exported(&client, "")), before);
}

/// The ids of what a part strikes of its kit.
fn struck(part: &Value) -> Vec<&Value> {
    let places = part["written"]["instruments"].as_array().unwrap();
    let kit = part["kit"]["instruments"].as_array().unwrap().iter().enumerate();
    kit.filter(|(place, _)| places.contains(&json!(place))).map(|(_, one)| &one["id"]).collect()
}

#[test]
fn drums_that_came_as_a_track_each_are_offered_and_joined() {
    let client = client();
    // Causeway, a track for each instrument, comes in as a song of its own.
    let tracks = client.get("/api/v1/songs/1/export.mid?split=true").header(host()).dispatch().into_bytes().unwrap();
    let response = client.post("/api/v1/songs?file_name=tracks.mid").header(host()).body(&tracks).dispatch();
    let card: Value = serde_json::from_slice(&response.into_bytes().unwrap()).unwrap();
    let path = format!("/songs/{}", card["id"]);
    let (_, song) = get(&client, &path);
    let offered = song["single_drums"].as_array().unwrap().clone();
    assert_eq!(offered.len(), 9);
    let parts: Vec<Value> = offered.iter().map(|id| json!({"id": id, "revision": 1})).collect();
    let (status, joined) = post(&client, &format!("{path}/join"), json!({"parts": parts, "name": "Drums"}));
    assert_eq!(status, Status::Ok, "{joined}");
    let (_, part) = get(&client, &format!("/parts/{}", joined["parts"][0]));
    assert_eq!(part["written"]["ids"].as_array().unwrap().len(), 1591);
    assert_eq!(struck(&part).len(), 9);
    assert_eq!(get(&client, &path).1["single_drums"], json!([]));
    let file = client.get(format!("/api/v1{path}/export.mid")).header(host()).dispatch().into_bytes().unwrap();
    assert_eq!(hits(&read(&file).unwrap()), hits(&read(&tracks).unwrap()));
}

#[test]
fn what_cannot_be_split_or_joined_is_said() {
    let client = client();
    let refused = |path: &str, body: Value| {
        let (status, problem) = post(&client, path, body);
        assert_eq!(status, Status::UnprocessableEntity, "{problem}");
        problem["field"].as_str().unwrap_or_default().to_owned()
    };
    let split = |groups: Value| refused("/parts/1/split", json!({"revision": 1, "groups": groups}));
    assert_eq!(split(json!([])), "groups");
    assert_eq!(split(json!([[]])), "groups[0]");
    assert_eq!(split(json!([["kick"], ["kick"]])), "groups[1]");
    assert_eq!(split(json!([["kick"], ["gong"]])), "groups[1]");
    let drums = ["closed-hat", "open-hat", "snare", "kick", "tom-", "ride-", "crash-", "shaker"];
    let (_, part) = get(&client, "/parts/1");
    let own = struck(&part);
    let is_drum = |id: &&Value| drums.iter().any(|drum| id.as_str().unwrap().starts_with(drum));
    assert!(own.iter().all(is_drum), "{own:?}");
    assert_eq!(split(json!([own])), "groups");
    assert_eq!(split(json!([["kick"], ["cowbell"]])), "groups[1]", "nothing of it is struck");
    let join = |parts: Value, name: &str| refused("/songs/1/join", json!({"parts": parts, "name": name}));
    assert_eq!(join(json!([]), "Drums"), "parts");
    assert_eq!(join(json!([{"id": 1, "revision": 1}]), "Drums"), "parts");
    assert_eq!(join(json!([{"id": 1, "revision": 1}, {"id": 1, "revision": 1}]), "Drums"), "parts[1]");
    assert_eq!(join(json!([{"id": 1, "revision": 1}, {"id": 3, "revision": 1}]), "Drums"), "parts[1]");
    assert_eq!(join(json!([{"id": 1, "revision": 1}, {"id": 2, "revision": 1}]), " "), "name");
    let late = json!({"revision": 9, "groups": [["kick"]]});
    assert_eq!(post(&client, "/parts/1/split", late).0, Status::Conflict);
    assert_eq!(post(&client, "/parts/99/split", json!({"revision": 1, "groups": [["kick"]]})).0, Status::NotFound);
    let (_, song) = get(&client, "/songs/1");
    assert_eq!((song["parts"].as_array().unwrap().len(), &song["history"]["undo"]), (2, &Value::Null));
    // A part that was made can go again; the one that it was made of stays.
    let (_, split) = post(&client, "/parts/1/split", json!({"revision": 1, "groups": [["kick"]]}));
    let made = &split["parts"][0];
    let path = format!("/parts/{made}?revision={}", revision(&client, made));
    assert_eq!(delete(&client, &path).0, Status::NoContent);
}
