//! Songs that begin here, over the API: drawn in, their bars changed, parts added, exported.

mod common;

use common::{answer, client, delete, get, host, post, put};
use rocket::http::Status;
use rocket::local::blocking::Client;
use serde_json::{Value, json};
use vivida_smf::read;

/// A song of eight bars in 4/4 with the second kit of the library: its id, and its part's.
fn begun(client: &Client) -> (i64, i64) {
    let (_, kits) = get(client, "/kits");
    let large = kits.as_array().unwrap().iter().find(|kit| kit["kit"]["name"] == "Large kit, both hands").unwrap();
    let outline = json!({"bars": 8, "tempos": [{"bar": 1, "bpm": 100}], "metres": [{"bar": 1, "metre": "4/4"}]});
    let request = json!({"name": "Spring Tide", "outline": outline, "kit": large["id"]});
    let (status, card) = post(client, "/songs/begun", request);
    assert_eq!((status, &card["bars"]), (Status::Created, &json!(8)), "{card}");
    (card["id"].as_i64().unwrap(), card["parts"][0]["id"].as_i64().unwrap())
}

fn draw(client: &Client, part: i64, drawings: Value) -> (Status, Value) {
    let (_, now) = get(client, &format!("/parts/{part}"));
    let request = json!({"revision": now["state"]["revision"], "label": "draw", "drawings": drawings});
    put(client, &format!("/parts/{part}/written"), request)
}

fn fill(instrument: &str, from: f64, to: f64, grid: &str, velocity: u8) -> Value {
    let path = [json!({"tick": from, "velocity": velocity})];
    json!({"kind": "fill", "instrument": instrument, "from": from, "to": to, "grid": grid, "path": path})
}

fn hits(client: &Client, part: i64) -> usize {
    get(client, &format!("/parts/{part}")).1["written"]["ids"].as_array().unwrap().len()
}

#[test]
fn a_beat_is_drawn_copied_varied_shaped_and_exported() {
    let client = client();
    let (song, part) = begun(&client);
    let (_, empty) = get(&client, &format!("/parts/{part}"));
    assert!(empty["kit"]["instruments"].as_array().unwrap().len() >= 15 && empty["state"]["written"] == 0);
    let (status, drawn) = draw(&client, part, json!([fill("closed-hat", 0.0, 7440.0, "1/16", 80)]));
    assert_eq!((status, drawn["written"]["ids"].as_array().map(Vec::len)), (Status::Ok, Some(32)), "{drawn}");
    let backbeats = [960.0, 2880.0, 4800.0, 6720.0].map(|at| fill("snare", at, at, "1/4", 110));
    draw(&client, part, json!(backbeats));
    let (_, drawn) = draw(&client, part, json!([fill("kick", 0.0, 0.0, "1/16", 100)]));
    assert_eq!(drawn["state"]["written"], 3);
    let copy = json!([{"kind": "copy-bars", "bars": {"from": 1, "to": 2}, "to": 3, "times": 3}]);
    assert_eq!(draw(&client, part, copy).0, Status::Ok);
    let all = hits(&client, part);
    assert_eq!(all, 4 * (32 + 4 + 1), "four times two bars");
    // Each stroke is a step.
    let (_, back) = post(&client, &format!("/songs/{song}/undo"), Value::Null);
    assert_eq!((back["label"].clone(), hits(&client, part)), (json!("draw"), all / 4));
    post(&client, &format!("/songs/{song}/redo"), Value::Null);
    assert_eq!(hits(&client, part), all);
    // Shaped as any other part is, and exported with what was drawn.
    let (_, now) = get(&client, &format!("/parts/{part}"));
    let recipe = json!({"passes": [{"id": 1, "aim": {"instruments": ["snare"]}, "action": {"kind": "set", "to": 33}}]});
    let change = json!({"revision": now["state"]["revision"], "label": "softer", "recipe": recipe});
    assert_eq!(put(&client, &format!("/parts/{part}"), change).0, Status::Ok);
    let bytes = client.get(format!("/api/v1/songs/{song}/export.mid")).header(host()).dispatch().into_bytes().unwrap();
    let file = read(&bytes).unwrap();
    assert_eq!((file.hits, file.bars(), file.mended.len()), (all, 8, 0));
    assert!(file.parts[0].part.hits().iter().any(|hit| hit.velocity.get() == 33));
    let (_, cards) = get(&client, "/songs");
    let card = cards.as_array().unwrap().iter().find(|card| card["id"] == song).unwrap();
    assert_eq!((&card["parts"][0]["hits"], &card["bars"], &card["damage"]), (&json!(all), &json!(8), &Value::Null));
}

#[test]
fn bars_and_all_that_is_said_of_them_move() {
    let client = client();
    let (song, part) = begun(&client);
    draw(&client, part, json!([fill("kick", 0.0, 30_000.0, "1/4", 90)]));
    let (_, now) = get(&client, &format!("/parts/{part}"));
    let recipe =
        json!({"passes": [{"id": 1, "aim": {"bars": [{"from": 3, "to": 4}]}, "action": {"kind": "set", "to": 33}}]});
    put(
        &client,
        &format!("/parts/{part}"),
        json!({"revision": now["state"]["revision"], "label": "x", "recipe": recipe}),
    );
    let edit = |edit: Value| {
        let (_, detail) = get(&client, &format!("/songs/{song}"));
        put(&client, &format!("/songs/{song}/bars"), json!({"revision": detail["revision"], "edit": edit}))
    };
    let (status, longer) = edit(json!({"kind": "insert", "before": 3, "count": 2}));
    assert_eq!((status, &longer["outline"]["bars"]), (Status::Ok, &json!(10)), "{longer}");
    let (_, moved) = get(&client, &format!("/parts/{part}"));
    assert_eq!(moved["state"]["recipe"]["passes"][0]["aim"]["bars"], json!([{"from": 5, "to": 6}]));
    let ticks = |value: &Value| {
        value["written"]["ticks"].as_array().unwrap().iter().map(|t| t.as_f64().unwrap()).collect::<Vec<_>>()
    };
    assert_eq!(ticks(&moved)[8], 4.0 * 3840.0, "two empty bars");
    edit(json!({"kind": "repeat", "bars": {"from": 1, "to": 1}, "times": 1}));
    assert_eq!(hits(&client, part), 36);
    let (status, problem) = edit(json!({"kind": "delete", "bars": {"from": 1, "to": 99}}));
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("edit.bars")));
    post(&client, &format!("/songs/{song}/undo"), Value::Null);
    post(&client, &format!("/songs/{song}/undo"), Value::Null);
    let (_, back) = get(&client, &format!("/parts/{part}"));
    assert_eq!(back["state"]["recipe"]["passes"][0]["aim"]["bars"], json!([{"from": 3, "to": 4}]));
    assert_eq!(
        (hits(&client, part), get(&client, &format!("/songs/{song}")).1["outline"]["bars"].clone()),
        (32, json!(8))
    );
}

#[test]
fn tempo_and_metre_are_set_at_bars() {
    let client = client();
    let (song, part) = begun(&client);
    draw(&client, part, json!([fill("kick", 0.0, 30_000.0, "1/4", 90)]));
    let set = |outline: Value| {
        let (_, detail) = get(&client, &format!("/songs/{song}"));
        put(&client, &format!("/songs/{song}/outline"), json!({"revision": detail["revision"], "outline": outline}))
    };
    let tempos = json!([{"bar": 1, "bpm": 100}, {"bar": 5, "bpm": 143}]);
    let metres = json!([{"bar": 1, "metre": "4/4"}, {"bar": 3, "metre": "3/4"}]);
    let (status, changed) = set(json!({"bars": 8, "tempos": tempos, "metres": metres}));
    assert_eq!(status, Status::Ok, "{changed}");
    assert_eq!((&changed["outline"]["bars"], &changed["outline"]["metres"]), (&json!(10), &metres), "two bars more");
    assert_eq!(changed["outline"]["tempos"][1]["bpm"], 143.0);
    let plain = |bars: u32, bpm: f64| json!({"bars": bars, "tempos": [{"bar": 1, "bpm": bpm}], "metres": [{"bar": 1, "metre": "4/4"}]});
    let (status, problem) = set(plain(2, 100.0));
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("outline.bars")), "{problem}");
    let (status, problem) =
        set(json!({"bars": 8, "tempos": [{"bar": 1, "bpm": 1e9}], "metres": [{"bar": 1, "metre": "4/4"}]}));
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("outline.tempos[0].bpm")));
    assert_eq!(hits(&client, part), 32);
}

#[test]
fn a_part_of_a_file_is_added_and_taken_away() {
    let client = client();
    let (song, _) = begun(&client);
    let lanterns = vivida_demo::songs().into_iter().find(|song| song.name == "Paper Lanterns").unwrap();
    let add = |song: i64, revision: i64, bytes: &[u8]| {
        let path = format!("/api/v1/songs/{song}/parts?file_name=lanterns.mid&revision={revision}");
        answer(client.post(path).header(host()).body(bytes).dispatch())
    };
    for id in [song, 1] {
        let (_, before) = get(&client, &format!("/songs/{id}"));
        let parts = before["parts"].as_array().unwrap().len();
        let (status, after) = add(id, before["revision"].as_i64().unwrap(), &lanterns.bytes);
        assert_eq!(status, Status::Ok, "{after}");
        let all = after["parts"].as_array().unwrap();
        assert!(all.len() > parts, "{after}");
        let new = &all[parts];
        assert!(new["hits"].as_u64().unwrap() > 0 && new["damage"] == Value::Null, "{new}");
        let bytes =
            client.get(format!("/api/v1/songs/{id}/export.mid")).header(host()).dispatch().into_bytes().unwrap();
        let file = read(&bytes).unwrap();
        assert!(file.parts.iter().any(|part| part.part.hits().len() as u64 == new["hits"].as_u64().unwrap()));
        // A stale revision changes nothing, and what was begun here can go again.
        assert_eq!(add(id, before["revision"].as_i64().unwrap(), &lanterns.bytes).0, Status::Conflict);
        let (status, _) = delete(&client, &format!("/parts/{}?revision={}", new["id"], new["revision"]));
        assert_eq!(status, Status::NoContent);
        assert_eq!(get(&client, &format!("/songs/{id}")).1["parts"].as_array().unwrap().len(), all.len() - 1);
    }
    let (status, problem) = add(song, 3, b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x04\0\xff\x2f\0");
    assert_eq!((status, &problem["file"]), (Status::UnprocessableEntity, &json!("lanterns.mid")), "{problem}");
}

#[test]
fn what_cannot_be_drawn_is_named_and_changes_nothing() {
    let client = client();
    let (song, part) = begun(&client);
    for (drawing, field) in [
        (fill("gong", 0.0, 1.0, "1/16", 9), "drawings[0].instrument"),
        (json!({"kind": "thin", "hits": [7]}), "drawings[0].hits"),
        (json!({"kind": "copy-bars", "bars": {"from": 1, "to": 2}, "to": 8, "times": 1}), "drawings[0].to"),
        (json!({"kind": "faster", "hits": [], "times": 2, "grid": "1/16"}), "drawings[0].hits"),
        (fill("kick", 0.0, 1.0, "1/1000", 9), "drawings[0]"),
        (json!({"kind": "scribble"}), "drawings[0]"),
    ] {
        let (status, problem) = draw(&client, part, json!([drawing]));
        assert_eq!(status, Status::UnprocessableEntity, "{drawing}");
        assert!(problem["field"].as_str().unwrap().starts_with(field), "{problem}");
    }
    assert_eq!(draw(&client, part, json!([])).0, Status::UnprocessableEntity);
    let (status, problem) = draw(&client, 1, json!([fill("snare", 0.0, 1.0, "1/16", 9)]));
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("drawings")), "a part of a file");
    let stale = json!({"revision": 99, "label": "draw", "drawings": [fill("kick", 0.0, 1.0, "1/16", 9)]});
    let (status, problem) = put(&client, &format!("/parts/{part}/written"), stale);
    assert_eq!((status, &problem["current"]["id"]), (Status::Conflict, &json!(part)));
    let (_, detail) = get(&client, "/songs/1");
    let edit = json!({"revision": detail["revision"], "edit": {"kind": "insert", "before": 1, "count": 1}});
    let (status, problem) = put(&client, "/songs/1/bars", edit);
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("song")));
    assert_eq!(
        (hits(&client, part), get(&client, &format!("/songs/{song}")).1["history"]["undo"].clone()),
        (0, Value::Null)
    );
    let outline = json!({"bars": 8, "tempos": [], "metres": []});
    let (status, problem) = post(&client, "/songs/begun", json!({"name": "A", "outline": outline}));
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("outline.tempos")));
    let (_, card) = post(
        &client,
        "/songs/begun",
        json!({"name": " ", "outline": {"bars": 8, "tempos": [{"bar": 1, "bpm": 90}], "metres": [{"bar": 1, "metre": "4/4"}]}}),
    );
    assert_eq!(card["field"], "name");
}
