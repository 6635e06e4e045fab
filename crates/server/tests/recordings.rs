//! Recording into parts: kept in pieces, one window at a time, laid in as one step.

use crate::common::{client, client_over, delete, get, post, put};
use rocket::http::Status;
use rocket::local::blocking::Client;
use serde_json::{Value, json};

/// Strokes (s, note, velocity) on a device whose clock is the audio clock in ms; the song begins at 1 s.
fn piece(number: u32, strokes: &[(f64, u8, u8)], last: bool) -> Value {
    let first = f64::from(number) * 2.0;
    let message =
        |(at, note, velocity): &(f64, u8, u8)| json!({"at": at * 1000.0, "device": 0, "data": [0x99, note, velocity]});
    json!({"number": number, "last": last, "piece": {
        "devices": [{"name": "pads", "latency": 0}],
        "messages": strokes.iter().map(message).collect::<Vec<_>>(),
        "clock": (0..10).map(|count| f64::from(count) / 5.0 + first)
            .map(|at| json!({"device": 0, "at": at * 1000.0, "audio": at})).collect::<Vec<_>>(),
        "course": [{"audio": 1, "second": 0, "tempo": 1, "round": 0}, {"audio": 5.8, "second": 0, "tempo": 1, "round": 1}],
    }})
}

fn began(client: &Client) -> u64 {
    let outline = json!({"bars": 8, "tempos": [{"bar": 1, "bpm": 100}], "metres": [{"bar": 1, "metre": "4/4"}]});
    let (status, card) = post(client, "/songs/begun", json!({"name": "Mine", "outline": outline}));
    assert_eq!(status, Status::Created, "{card}");
    card["parts"][0]["id"].as_u64().unwrap()
}

fn recorded(client: &Client, part: u64, window: &str) -> u64 {
    let (status, card) = post(client, &format!("/parts/{part}/recordings"), json!({"client": window}));
    assert_eq!(status, Status::Created, "{card}");
    let id = card["id"].as_u64().unwrap();
    for (number, strokes) in
        [vec![(1.004, 36, 100), (1.6, 38, 90), (1.9, 3, 60)], vec![(2.8, 38, 95)], vec![(5.8, 36, 80), (6.411, 38, 70)]]
            .iter()
            .enumerate()
    {
        let body = piece(number as u32, strokes, number == 2);
        assert_eq!(post(client, &format!("/recordings/{id}/pieces"), body).0, Status::NoContent);
    }
    id
}

fn revision(client: &Client, part: u64) -> Value {
    get(client, &format!("/parts/{part}")).1["state"]["revision"].clone()
}

fn written(client: &Client, part: u64) -> Vec<(f64, u64)> {
    let (_, detail) = get(client, &format!("/parts/{part}"));
    let column = |name: &str| detail["written"][name].as_array().unwrap().clone();
    column("ticks")
        .iter()
        .zip(column("notes"))
        .map(|(tick, note)| (tick.as_f64().unwrap(), note.as_u64().unwrap()))
        .collect()
}

#[test]
fn a_recording_is_laid_in_as_one_step_and_can_be_laid_in_again() {
    let client = client();
    let part = began(&client);
    let id = recorded(&client, part, "one");
    let (_, all) = get(&client, &format!("/parts/{part}/recordings"));
    assert_eq!((&all[0]["open"], &all[0]["kept"], &all[0]["damage"]), (&json!(false), &json!(false), &Value::Null));
    assert_eq!(all[0]["rounds"].as_array().unwrap().iter().map(|one| one["hits"].clone()).collect::<Vec<_>>(), [4, 2]);
    let lay = |laying: Value| {
        put(&client, &format!("/recordings/{id}"), json!({"revision": revision(&client, part), "laying": laying}))
    };
    let (status, detail) = lay(json!({"how": "over"}));
    assert_eq!(status, Status::Ok, "{detail}");
    // 4 ms of 100 bpm are 6.4 ticks; what the kit does not know is an instrument of its own.
    let hits = written(&client, part);
    assert_eq!(hits.len(), 6);
    assert!((hits[1].0 - 6.4).abs() < 1e-6 && hits[1].1 == 36, "{hits:?}");
    assert!(detail["kit"]["instruments"].as_array().unwrap().iter().any(|one| one["id"] == "note-3"));
    assert_eq!(get(&client, &format!("/parts/{part}/recordings")).1[0]["kept"], true);
    // One step back; the raw recording stays, and can be laid in otherwise.
    let song = detail["state"]["song"].clone();
    assert_eq!(post(&client, &format!("/songs/{song}/undo"), Value::Null).1["label"], "record");
    assert!(written(&client, part).is_empty());
    let (status, detail) = lay(json!({"how": "takes", "rounds": [1]}));
    assert_eq!(status, Status::Ok, "{detail}");
    let takes = detail["state"]["takes"].as_array().unwrap();
    assert_eq!(takes.iter().map(|take| take["name"].as_str().unwrap()).collect::<Vec<_>>(), ["First", "Round 2"]);
    assert_eq!(written(&client, part).iter().map(|hit| hit.1).collect::<Vec<_>>(), [36, 38]);
    // Again: the name is another one.
    let (_, detail) = lay(json!({"how": "takes", "rounds": [1]}));
    assert_eq!(detail["state"]["takes"][2]["name"], "Round 2, 2");
    assert_eq!(delete(&client, &format!("/recordings/{id}")).0, Status::NoContent);
    assert_eq!(get(&client, &format!("/recordings/{id}")).0, Status::NotFound);
}

#[test]
fn a_part_of_a_file_gets_takes_with_its_passes_and_stays() {
    let client = client();
    let before = written(&client, 1);
    let pull = json!({"passes": [{"id": 1, "action": {"kind": "pull", "strength": 50}}]});
    let change = json!({"revision": revision(&client, 1), "label": "pull", "recipe": pull});
    assert_eq!(put(&client, "/parts/1", change).0, Status::Ok);
    let id = recorded(&client, 1, "one");
    let body = json!({"revision": revision(&client, 1), "laying": {"how": "over"}});
    let (status, detail) = put(&client, &format!("/recordings/{id}"), body);
    assert_eq!(status, Status::Ok, "{detail}");
    assert_eq!(detail["state"]["takes"][1]["name"], "Recorded");
    assert_eq!(detail["written"]["ids"].as_array().unwrap().len(), before.len() + 6);
    // It stays as it was played, and is heard pulled at once.
    assert_eq!(detail["state"]["recipe"]["passes"][0]["action"]["kind"], "pull");
    let moved = detail["performance"]["timing"]["ticks"].as_array().unwrap();
    assert!(moved.iter().any(|ticks| ticks.as_f64().unwrap() != 0.0));
    let (_, undone) = post(&client, "/songs/1/undo", Value::Null);
    assert_eq!((&undone["label"], written(&client, 1)), (&json!("record “Recorded”"), before));
}

/// What a pedal sent is a pass of the take, laid in and undone with the hits; laid in again it is one line still.
#[test]
fn a_pedal_comes_with_the_hits() {
    let client = client();
    let part = began(&client);
    let (_, card) = post(&client, &format!("/parts/{part}/recordings"), json!({"client": "one"}));
    let id = card["id"].as_u64().unwrap();
    let mut body = piece(0, &[(1.0, 46, 100), (2.2, 46, 90)], true);
    let messages = body["piece"]["messages"].as_array_mut().unwrap();
    let pedal = |at: f64, value: u8| json!({"at": at * 1000.0, "device": 0, "data": [0xb9, 4, value]});
    messages.extend([pedal(0.9, 120), pedal(2.2, 10), json!({"at": 2300.0, "device": 0, "data": [0xe9, 0, 96]})]);
    assert_eq!(post(&client, &format!("/recordings/{id}/pieces"), body).0, Status::NoContent);
    let lay = |how: &str| {
        let body = json!({"revision": revision(&client, part), "laying": {"how": how}});
        let (status, detail) = put(&client, &format!("/recordings/{id}"), body);
        assert_eq!(status, Status::Ok, "{detail}");
        detail
    };
    let detail = lay("over");
    let passes = detail["state"]["recipe"]["passes"].as_array().unwrap();
    let lines: Vec<(&Value, usize)> = passes
        .iter()
        .map(|pass| (&pass["action"]["lane"], pass["action"]["points"].as_array().unwrap().len()))
        .collect();
    assert_eq!(lines, [(&json!("controller-4"), 2), (&json!("bend"), 1)]);
    // The closed one is heard by the note that was played, and the pedal is where it was.
    let lanes = detail["performance"]["lanes"].as_array().unwrap();
    assert_eq!((&lanes[0]["ticks"], &lanes[0]["values"]), (&json!([0, 1920]), &json!([120, 10])));
    assert_eq!(lay("over")["state"]["recipe"]["passes"].as_array().unwrap().len(), 2);
    assert_eq!(lay("takes")["state"]["recipe"]["passes"].as_array().unwrap().len(), 2);
    let song = detail["state"]["song"].clone();
    for _ in 0..3 {
        assert_eq!(post(&client, &format!("/songs/{song}/undo"), Value::Null).0, Status::Ok);
    }
    let (_, detail) = get(&client, &format!("/parts/{part}"));
    assert_eq!((&detail["state"]["recipe"]["passes"], written(&client, part).len()), (&json!([]), 0));
}

#[test]
fn one_window_records_at_a_time_and_a_recording_is_in_pieces() {
    let client = client();
    let begin = |window: &str| post(&client, "/parts/1/recordings", json!({"client": window}));
    let (_, first) = begin("one");
    let id = first["id"].clone();
    assert_eq!(first["open"], true);
    let (status, problem) = begin("two");
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("recording")), "{problem}");
    // Another part, or the same window, may.
    assert_eq!(post(&client, "/parts/3/recordings", json!({"client": "two"})).0, Status::Created);
    let add = |number: u32, last: bool| {
        post(&client, &format!("/recordings/{id}/pieces"), piece(number, &[(1.5, 38, 90)], last)).0
    };
    // A piece that comes twice is there once; one that is lost leaves the others.
    assert_eq!([add(0, false), add(0, false), add(2, false)], [Status::NoContent; 3]);
    let (_, rounds) = get(&client, &format!("/recordings/{id}"));
    assert_eq!(rounds["rounds"][0]["ticks"].as_array().unwrap().len(), 2);
    assert_eq!(add(3, true), Status::NoContent);
    assert_eq!(begin("two").0, Status::Created);
}

#[test]
fn what_is_wrong_is_named() {
    let client = client();
    let id = recorded(&client, 1, "one");
    let field = |(status, problem): (Status, Value)| {
        assert_eq!(status, Status::UnprocessableEntity, "{problem}");
        problem["field"].as_str().unwrap_or_default().to_owned()
    };
    let pieces = format!("/recordings/{id}/pieces");
    let changed = |path: &str, value: Value| {
        let mut body = piece(9, &[(1.0, 38, 90)], false);
        *body.pointer_mut(path).unwrap() = value;
        field(post(&client, &pieces, body))
    };
    assert_eq!(changed("/piece/messages/0/device", json!(4)), "piece.messages[0].device");
    assert_eq!(changed("/piece/messages/0/data", json!([1, 2, 3, 4])), "piece.messages[0].data");
    assert_eq!(changed("/piece/messages/0/at", json!(1e300)), "piece.messages[0].at");
    assert_eq!(changed("/piece/course/0/tempo", json!(0)), "piece.course[0]");
    assert_eq!(changed("/piece/devices/0/latency", json!(501)), "piece.devices[0].latency");
    assert_eq!(changed("/number", json!(5000)), "number");
    assert_eq!(field(post(&client, "/parts/1/recordings", json!({"client": ""}))), "client");
    let lay = |laying: Value| {
        put(&client, &format!("/recordings/{id}"), json!({"revision": revision(&client, 1), "laying": laying}))
    };
    assert_eq!(field(lay(json!({"instruments": ["shaker"]}))), "laying");
    assert_eq!(field(lay(json!({"rounds": [7]}))), "laying");
    let stale = json!({"revision": 0, "laying": {}});
    assert_eq!(put(&client, &format!("/recordings/{id}"), stale).0, Status::Conflict);
    let few = json!({"recording": piece(0, &[(1.0, 38, 90)], true)["piece"], "clicks": [1, 2, 3]});
    assert_eq!(field(post(&client, "/latency", few)), "recording.messages");
    assert_eq!(get(&client, "/recordings/99").0, Status::NotFound);
    // A storm: as much as a piece takes, and no more.
    let storm: Vec<(f64, u8, u8)> = (0..20_001).map(|count| (1.0 + f64::from(count) / 1e4, 38, 90)).collect();
    let mut many = piece(10, &storm, false);
    assert_eq!(field(post(&client, &pieces, many.clone())), "piece.messages");
    many["piece"]["messages"].as_array_mut().unwrap().pop();
    assert_eq!(post(&client, &pieces, many).0, Status::NoContent);
    assert_eq!(lay(json!({"how": "takes"})).0, Status::Ok);
}

/// Pieces that are small by themselves come to no more than a recording holds; what was struck behind the song's end
/// is not written.
#[test]
fn many_small_pieces_are_no_side_door() {
    let client = client();
    let part = began(&client);
    let (_, card) = post(&client, &format!("/parts/{part}/recordings"), json!({"client": "one"}));
    let id = card["id"].clone();
    let mut crowd = piece(0, &[(1.5, 38, 90)], false);
    let pair = crowd["piece"]["clock"][0].clone();
    crowd["piece"]["clock"] = json!(vec![pair; 30_000]);
    let send = |number: u32, body: &Value| {
        let mut body = body.clone();
        body["number"] = json!(number);
        post(&client, &format!("/recordings/{id}/pieces"), body)
    };
    assert_eq!(send(0, &crowd).0, Status::NoContent);
    let (status, problem) = send(1, &crowd);
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("piece.clock")));
    let mut far = piece(2, &[(1.5, 38, 90)], true);
    far["piece"]["course"] = json!([{"audio": 0, "second": 1e6, "tempo": 1, "round": 0}]);
    let (_, other) = post(&client, &format!("/parts/{part}/recordings"), json!({"client": "one"}));
    assert_eq!(post(&client, &format!("/recordings/{}/pieces", other["id"]), far).0, Status::NoContent);
    let body = json!({"revision": revision(&client, part)});
    assert_eq!(put(&client, &format!("/recordings/{}", other["id"]), body).1["field"], "laying");
}

/// The program ends in its midst: what came stays, and is offered.
#[test]
fn what_was_recorded_before_a_kill_is_there() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    let (part, id) = {
        let client = client_over(&path);
        let part = began(&client);
        let (_, card) = post(&client, &format!("/parts/{part}/recordings"), json!({"client": "one"}));
        let id = card["id"].clone();
        let first = piece(0, &[(1.0, 36, 90), (1.5, 38, 90)], false);
        assert_eq!(post(&client, &format!("/recordings/{id}/pieces"), first).0, Status::NoContent);
        (part, id)
    };
    let client = client_over(&path);
    let (_, all) = get(&client, &format!("/parts/{part}/recordings"));
    assert_eq!((&all[0]["id"], &all[0]["kept"], &all[0]["rounds"][0]["hits"]), (&id, &json!(false), &json!(2)));
    let body = json!({"revision": revision(&client, part)});
    assert_eq!(put(&client, &format!("/recordings/{id}"), body).0, Status::Ok);
    assert_eq!(written(&client, part).len(), 2);
}
