//! Lanes and movement over the API: read, drawn, printed, exported.

use crate::common::{client, get, host, post, put};
use rocket::http::Status;
use rocket::local::blocking::Client;
use serde_json::{Value, json};
use vivida_core::LaneKind;
use vivida_smf::read;

/// The drums of The Weir: the song and the part.
fn weir(client: &Client) -> (i64, i64) {
    let (_, songs) = get(client, "/songs");
    let song = songs.as_array().unwrap().iter().find(|song| song["name"] == "The Weir").unwrap();
    (song["id"].as_i64().unwrap(), song["parts"][0]["id"].as_i64().unwrap())
}

fn keep(client: &Client, part: i64, passes: Value) -> Value {
    let (_, now) = get(client, &format!("/parts/{part}"));
    let request = json!({"revision": now["state"]["revision"], "label": "set", "recipe": {"passes": passes}});
    let (status, state) = put(client, &format!("/parts/{part}"), request);
    assert_eq!(status, Status::Ok, "{state}");
    state
}

fn file(client: &Client, address: &str) -> vivida_smf::SongFile {
    read(&client.get(format!("/api/v1{address}")).header(host()).dispatch().into_bytes().unwrap()).unwrap()
}

#[test]
fn the_vocabulary_knows_properties_and_lanes() {
    let (status, words) = get(&client(), "/vocabulary");
    assert_eq!(status, Status::Ok);
    let names: Vec<&Value> = words["properties"].as_array().unwrap().iter().map(|one| &one["name"]).collect();
    assert_eq!(names, ["velocity", "pitch", "place", "level", "brightness"]);
    assert!(words["lanes"].as_array().unwrap().iter().any(|lane| lane["kind"] == "controller-11"));
    assert!(words["actions"].as_array().unwrap().iter().any(|one| one["info"]["family"] == "lanes"));
}

#[test]
fn lanes_travel_once_and_are_exported_as_they_are_drawn() {
    let client = client();
    let (song, part) = weir(&client);
    let (_, detail) = get(&client, &format!("/parts/{part}"));
    let written = &detail["written"]["lanes"][0];
    assert_eq!((&written["kind"], &written["name"]), (&json!("controller-4"), &json!("hat pedal")));
    assert_eq!(written["values"], detail["performance"]["lanes"][0]["values"]);
    let passes = json!([{"id": 1, "action": {"kind": "lane-ramp", "lane": "controller-11"}}]);
    let mut request = json!({"recipe": {"passes": passes}, "variation": 1, "round": 0});
    let path = format!("/parts/{part}/performance");
    let (_, first) = post(&client, &path, request.clone());
    let lanes = first["lanes"].as_array().unwrap();
    assert!(lanes.iter().any(|lane| lane["kind"] == "controller-11" && lane["drawn"] == true));
    request["lanes"] = first["lanes_key"].clone();
    let (_, second) = post(&client, &path, request);
    assert_eq!((&second["lanes"], &second["lanes_key"]), (&Value::Null, &first["lanes_key"]));

    let before = file(&client, &format!("/songs/{song}/export.mid"));
    keep(&client, part, passes);
    let after = file(&client, &format!("/songs/{song}/export.mid"));
    let pedal =
        |song: &vivida_smf::SongFile| song.parts[0].lanes().iter().find(|one| one.kind == LaneKind::PEDAL).cloned();
    assert!(pedal(&before).is_some());
    assert_eq!(pedal(&before), pedal(&after));
    assert_eq!(before.parts[0].part, after.parts[0].part);
    let drawn = after.parts[0].lanes().iter().find(|one| one.kind == LaneKind::EXPRESSION).unwrap();
    assert_eq!((drawn.values()[0], drawn.values()[drawn.len() - 1]), (127.0, 40.0));
}

#[test]
fn movement_and_lanes_come_along_with_a_printed_take() {
    let client = client();
    let (_, part) = weir(&client);
    let state = keep(
        &client,
        part,
        json!([
            {"id": 1, "aim": {"instruments": ["ride-1"]}, "action": {"kind": "vary", "property": "pitch", "by": 30}},
            {"id": 2, "action": {"kind": "level", "by": 5}},
            {"id": 3, "action": {"kind": "lane-ramp", "lane": "controller-11"}},
        ]),
    );
    let (_, before) = get(&client, &format!("/parts/{part}"));
    let request = json!({"revision": state["revision"], "name": "Moving"});
    let (status, printed) = post(&client, &format!("/parts/{part}/takes"), request);
    assert_eq!(status, Status::Ok, "{printed}");
    let kinds: Vec<&Value> =
        printed["recipe"]["passes"].as_array().unwrap().iter().map(|pass| &pass["action"]["kind"]).collect();
    assert_eq!(kinds, ["lane-ramp", "by-hand"]);
    let (_, after) = get(&client, &format!("/parts/{part}"));
    for field in ["movement", "lanes"] {
        assert_eq!(before["performance"][field], after["performance"][field], "{field}");
    }
}

#[test]
fn exports_say_what_of_the_movement_comes_through() {
    let client = client();
    let (song, part) = weir(&client);
    let (_, info) = get(&client, &format!("/songs/{song}/export"));
    assert_eq!(info["movement"], Value::Null);
    keep(
        &client,
        part,
        json!([{"id": 1, "aim": {"instruments": ["ride-1"]}, "action": {"kind": "vary", "property": "pitch", "by": 30}}]),
    );
    let (_, info) = get(&client, &format!("/songs/{song}/export"));
    let own = info["movement"]["own"].as_str().unwrap();
    assert!(own.contains("another hit sounds on their channel"), "{own}");
    let channels = info["movement"]["channels"].as_str().unwrap();
    assert!(channels.contains("Ride on 1.") && !channels.contains("another hit"), "{channels}");
    let mpe = info["movement"]["mpe"].as_str().unwrap();
    assert!(mpe.contains("channel 2 is taken"), "{mpe}");
    let apart = file(&client, &format!("/songs/{song}/export.mid?movement=channels"));
    let rides = apart.parts.iter().find(|part| part.channel.get() == 0).expect("the ride has a channel");
    assert!(rides.part.hits().iter().all(|hit| hit.note.get() == 51));
    assert!(rides.lanes().iter().any(|lane| lane.kind == LaneKind::Bend && lane.len() > 100));
    // One part of it, a track for each instrument: the bends are still there.
    let only = file(&client, &format!("/songs/{song}/export.mid?movement=channels&part={part}&split=true"));
    assert!(only.parts.iter().flat_map(|part| part.lanes()).any(|lane| lane.kind == LaneKind::Bend));
    let (status, problem) = get(&client, &format!("/songs/{song}/export.mid?movement=sideways"));
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("movement")));
}

/// A take that is held against another is heard with its lines and its movement.
#[test]
fn a_take_is_played_with_its_lanes_and_its_movement() {
    let client = client();
    let (_, part) = weir(&client);
    let hats = json!({"instruments": ["ride-1"]});
    keep(
        &client,
        part,
        json!([
            {"id": 1, "aim": hats, "action": {"kind": "vary", "property": "pitch"}},
            {"id": 2, "action": {"kind": "lane-ramp", "lane": "controller-11"}},
        ]),
    );
    let (_, detail) = get(&client, &format!("/parts/{part}"));
    let take = &detail["state"]["take"];
    let (status, played) = get(&client, &format!("/parts/{part}/takes/{take}/performance"));
    assert_eq!(status, Status::Ok, "{played}");
    let count = played["ticks"].as_array().unwrap().len();
    for column in ["notes", "heard", "instruments"] {
        assert_eq!(played[column].as_array().unwrap().len(), count, "{column}");
    }
    assert_eq!(
        (&played["movement"][0]["property"], played["movement"].as_array().unwrap().len()),
        (&json!("pitch"), 1)
    );
    let rides: Vec<(bool, bool)> = played["movement"][0]["values"]
        .as_array()
        .unwrap()
        .iter()
        .zip(played["notes"].as_array().unwrap())
        .map(|(pitch, note)| (pitch != &json!(0.0), note == &json!(51)))
        .collect();
    assert!(rides.len() == count && rides.iter().any(|one| one.0) && rides.iter().all(|(moves, ride)| *ride || !moves));
    let kinds: Vec<&Value> = played["lanes"].as_array().unwrap().iter().map(|lane| &lane["kind"]).collect();
    assert_eq!(kinds, ["controller-4", "controller-11"]);
    assert_eq!(played["lanes"], detail["performance"]["lanes"]);
}
