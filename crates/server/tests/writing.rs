//! Songs that begin here, over the API: drawn in, their bars changed, parts added, exported.

use crate::common::{answer, client, delete, get, host, post, put};
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
    assert!(empty["kit"]["instruments"].as_array().unwrap().len() >= 15 && empty["state"]["drawn"] == true);
    let (status, drawn) = draw(&client, part, json!([fill("closed-hat", 0.0, 7440.0, "1/16", 80)]));
    assert_eq!((status, drawn["written"]["ids"].as_array().map(Vec::len)), (Status::Ok, Some(32)), "{drawn}");
    let backbeats = [960.0, 2880.0, 4800.0, 6720.0].map(|at| fill("snare", at, at, "1/4", 110));
    draw(&client, part, json!(backbeats));
    let before = drawn["state"]["source"].clone();
    let (_, drawn) = draw(&client, part, json!([fill("kick", 0.0, 0.0, "1/16", 100)]));
    assert!(drawn["state"]["source"] != before && drawn["performance"]["source"] == drawn["state"]["source"]);
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
    // What was made on an older state of the song is refused, whichever way.
    let outline = json!({"bars": 9, "tempos": [{"bar": 1, "bpm": 90}], "metres": [{"bar": 1, "metre": "4/4"}]});
    let edit = json!({"kind": "insert", "before": 1, "count": 1});
    for (what, body) in
        [("bars", json!({"revision": 77, "edit": edit})), ("outline", json!({"revision": 77, "outline": outline}))]
    {
        assert_eq!(put(&client, &format!("/songs/{song}/{what}"), body).0, Status::Conflict, "{what}");
    }
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

/// The demo song with a bar more in front of bar 9, as a file of another program might have it.
fn grown(bytes: &[u8]) -> Vec<u8> {
    use vivida_core::{BarsEdit, Hit, MadeHit, Outline, PassId, Performance, PlayedHit, Ticks};
    let song = read(bytes).unwrap();
    let plan = BarsEdit::Insert { before: 9, count: 1 }.plan(song.bars()).unwrap();
    let outline = plan.outline(&Outline::of(song.bars(), &song.tempo, &song.metre));
    let (_, metre) = outline.maps();
    let moves = plan.moves(song.bars());
    let tracks: Vec<vivida_smf::NewTrack> =
        song.parts.iter().map(|part| vivida_smf::NewTrack { name: part.name.clone(), channel: part.channel }).collect();
    let empty = vivida_smf::begin(&outline, &tracks);
    let file = read(&empty).unwrap();
    let made = |hit: &Hit| {
        let tick = moves.tick(hit.tick, &song.metre, &metre).unwrap_or(Ticks(0.0));
        let played = PlayedHit::as_written(&Hit { tick, ..*hit });
        MadeHit { played, pass: PassId(0), parent: None, anchor: tick }
    };
    let played = |(place, part): (usize, &vivida_smf::SongPart)| {
        let made = part.part.hits().iter().map(made).collect();
        (place, Performance { made, ..Performance::default() })
    };
    let all: Vec<(usize, Performance)> = song.parts.iter().enumerate().map(played).collect();
    vivida_smf::write(&empty, &file, &all, vivida_smf::Export::default())
}

#[test]
fn a_newer_file_keeps_what_was_made() {
    let client = client();
    let demo = vivida_demo::songs().remove(0);
    let (_, before) = get(&client, "/parts/1");
    let id = |place: usize| before["written"]["ids"][place].clone();
    let passes = json!({"passes": [
        {"id": 1, "aim": {"bars": [{"from": 9, "to": 16}]}, "action": {"kind": "vary", "by": 20}},
        {"id": 2, "action": {"kind": "by-hand", "moved": [{"hit": id(900), "velocity": -30}], "removed": [id(901)]}}
    ]});
    let request = json!({"revision": before["state"]["revision"], "label": "mine", "recipe": passes});
    assert_eq!(put(&client, "/parts/1", request).0, Status::Ok);
    let (_, before) = get(&client, "/parts/1");
    let (_, song) = get(&client, "/songs/1");
    let send = |method: &str, path: String, bytes: Vec<u8>| {
        let request = if method == "PUT" { client.put(path) } else { client.post(path) };
        answer(request.header(host()).body(bytes).dispatch())
    };
    let newer = grown(&demo.bytes);
    let (status, preview) = send("POST", "/api/v1/songs/1/file?file_name=v2.mid".into(), newer.clone());
    assert_eq!(status, Status::Ok, "{preview}");
    assert!(
        preview["said"].as_array().unwrap().iter().any(|one| one == "Bars 9 to 72 are bars 10 to 73 now."),
        "{preview}"
    );
    let drums = &preview["parts"][0];
    let all = before["written"]["ids"].as_array().unwrap().len();
    assert_eq!(
        (&drums["fate"], &drums["kept"], &drums["came"], &drums["gone"]),
        (&json!("kept"), &json!(all), &json!(0), &json!(0))
    );
    assert_eq!(get(&client, "/parts/1").1["written"], before["written"], "a preview changes nothing");
    let path = |revision: i64| format!("/api/v1/songs/1/file?file_name=v2.mid&revision={revision}");
    let revision = song["revision"].as_i64().unwrap();
    assert_eq!(send("PUT", path(revision + 7), newer.clone()).0, Status::Conflict);
    let (status, report) = send("PUT", path(revision), newer);
    assert_eq!(status, Status::Ok, "{report}");
    let (_, after) = get(&client, "/parts/1");
    assert_eq!(after["state"]["recipe"]["passes"][0]["aim"]["bars"], json!([{"from": 10, "to": 17}]));
    // The same hits have the same velocities as before: their dice and what was done by hand held.
    let loud = |part: &Value| -> std::collections::BTreeMap<u64, u64> {
        let number = |value: &Value| value.as_u64().unwrap();
        let ids = part["written"]["ids"].as_array().unwrap().iter().map(number);
        let velocities = part["performance"]["velocities"].as_array().cloned().unwrap_or_default();
        ids.zip(velocities.iter().map(number).collect::<Vec<_>>()).collect()
    };
    assert_eq!(loud(&after), loud(&before));
    assert_eq!(after["performance"]["silenced"], before["performance"]["silenced"]);
    let (_, song) = get(&client, "/songs/1");
    assert_eq!((&song["file_name"], song["bars"]["ticks"].as_array().unwrap().len()), (&json!("v2.mid"), 74));
    let bytes = client.get("/api/v1/songs/1/export.mid").header(host()).dispatch().into_bytes().unwrap();
    assert_eq!(read(&bytes).unwrap().hits, read(&demo.bytes).unwrap().hits - 1, "one was taken out by hand");
    // One step, and all is as it was.
    let (_, back) = post(&client, "/songs/1/undo", Value::Null);
    assert_eq!(back["label"], "bring in “v2.mid”");
    let (_, undone) = get(&client, "/parts/1");
    assert_eq!((&undone["written"], &undone["state"]["recipe"]), (&before["written"], &before["state"]["recipe"]));
}

#[test]
fn a_newer_file_may_be_anything() {
    let client = client();
    let revision = || get(&client, "/songs/1").1["revision"].as_i64().unwrap();
    let bring = |song: i64, bytes: &[u8]| {
        let path = format!(
            "/api/v1/songs/{song}/file?file_name=x.mid&revision={}",
            get(&client, &format!("/songs/{song}")).1["revision"]
        );
        answer(client.put(path).header(host()).body(bytes).dispatch())
    };
    for bytes in [&b"no midi"[..], b"", b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x04\0\xff\x2f\0"] {
        let before = revision();
        let (status, problem) = bring(1, bytes);
        assert_eq!(
            (status, &problem["file"], revision()),
            (Status::UnprocessableEntity, &json!("x.mid"), before),
            "{problem}"
        );
    }
    // Every other demo song: other parts, metres, resolutions. What is gone comes back by undo.
    let before = get(&client, "/songs/1").1;
    for demo in vivida_demo::songs().iter().skip(1) {
        let (status, report) = bring(1, &demo.bytes);
        assert_eq!(status, Status::Ok, "{}: {report}", demo.name);
        let (_, song) = get(&client, "/songs/1");
        for part in song["parts"].as_array().unwrap() {
            assert_eq!(part["damage"], Value::Null, "{}: {part}", demo.name);
            assert_eq!(get(&client, &format!("/parts/{}", part["id"])).0, Status::Ok);
        }
        let bytes = client.get("/api/v1/songs/1/export.mid").header(host()).dispatch().into_bytes().unwrap();
        assert_eq!(bytes, &demo.bytes[..], "{}: without passes it is the file", demo.name);
    }
    for _ in 1..6 {
        post(&client, "/songs/1/undo", Value::Null);
    }
    let after = get(&client, "/songs/1").1;
    assert_eq!((&after["parts"][0]["name"], &after["file_name"]), (&before["parts"][0]["name"], &before["file_name"]));
    assert_eq!(after["parts"].as_array().map(Vec::len), before["parts"].as_array().map(Vec::len));
    let (song, _) = begun(&client);
    assert_eq!(bring(song, &vivida_demo::songs()[0].bytes).0, Status::UnprocessableEntity, "it has no file");
}
