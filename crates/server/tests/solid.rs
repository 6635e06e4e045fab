//! The edges: what is kept is always readable, what is damaged hides nothing, what nobody means is refused.

use crate::common::{HOST, answer, client, client_over, delete, get, host, post, put};
use rocket::http::{ContentType, Header, Status};
use rocket::local::blocking::Client;
use rusqlite::Connection;
use serde_json::{Value, json};
use tempfile::TempDir;

fn recipe_of(client: &Client, part: &str) -> Value {
    get(client, part).1["state"]["recipe"].clone()
}

fn change(client: &Client, part: &str, fields: Value) -> (Status, Value) {
    let mut body = json!({"revision": get(client, part).1["state"]["revision"], "label": "change"});
    body.as_object_mut().unwrap().extend(fields.as_object().unwrap().clone());
    put(client, part, body)
}

fn follow(pocket: &Value, id: u32) -> Value {
    json!({"id": id, "action": {"kind": "pocket", "pocket": pocket}})
}

/// A pocket of the first song that unfolds to two passes.
fn pocket(client: &Client) -> Value {
    let settings = json!({"swing": {"to": 60}, "lean": {"by": 4}});
    let (status, made) = post(client, "/songs/1/pockets", json!({"name": "Two", "settings": settings}));
    assert_eq!(status, Status::Ok);
    made["pockets"][0]["id"].clone()
}

/// All that lists anything still answers.
fn all_answers(client: &Client) {
    for path in ["/songs", "/recipes", "/grooves", "/defaults", "/songs/1", "/parts/1", "/songs/1/pockets"] {
        let (status, answer) = get(client, path);
        assert!(status.code < 500, "{path}: {status} {answer}");
    }
}

#[test]
fn passes_that_unfold_to_too_many_are_not_kept_so() {
    let client = client();
    let pocket = pocket(&client);
    let passes: Vec<Value> = (1..=251).map(|id| follow(&pocket, id)).collect();
    assert_eq!(change(&client, "/parts/1", json!({"recipe": {"passes": passes}})).0, Status::Ok);
    let (status, refused) = post(&client, "/recipes", json!({"name": "Too many", "recipe": {"passes": passes}}));
    assert_eq!((status, &refused["field"]), (Status::UnprocessableEntity, &json!("recipe.passes")));
    assert!(refused["detail"].as_str().unwrap().contains("502 passes are more than the 500"), "{refused}");
    // The pocket cannot go as long as its followers would be too many.
    let revision = get(&client, "/songs/1/pockets").1[0]["revision"].clone();
    let (status, refused) = delete(&client, &format!("/pockets/{pocket}?revision={revision}"));
    assert_eq!(status, Status::UnprocessableEntity);
    assert!(refused["detail"].as_str().unwrap().contains("502 passes"), "{refused}");
    assert_eq!(get(&client, "/songs/1/pockets").1[0]["followers"].as_array().unwrap().len(), 251);
    all_answers(&client);
}

#[test]
fn a_full_recipe_takes_no_more() {
    let client = client();
    let level = json!({"kind": "level", "by": 1});
    let passes: Vec<Value> = (1..=500).map(|id| json!({"id": id, "action": level})).collect();
    assert_eq!(change(&client, "/parts/1", json!({"recipe": {"passes": passes}})).0, Status::Ok);
    let pocket = pocket(&client);
    let join = json!({"part": 1, "change": {"kind": "follow", "instruments": []}});
    let more = [
        post(&client, &format!("/pockets/{pocket}/followers"), join),
        post(&client, "/parts/1/passes", json!({"recipe": {"passes": [{"id": 1, "action": level}]}})),
        change(&client, "/parts/1", json!({"gestures": [{"kind": "lean-by", "instrument": "snare", "by": 3}]})),
        post(&client, "/songs/1/pockets", json!({"name": "More", "followers": [{"part": 1}]})),
    ];
    for (status, refused) in more {
        assert_eq!(status, Status::UnprocessableEntity);
        assert!(refused["detail"].as_str().unwrap().contains("501 passes are more than the 500"), "{refused}");
    }
    assert_eq!(recipe_of(&client, "/parts/1")["passes"].as_array().unwrap().len(), 500);
    all_answers(&client);
}

#[test]
fn the_highest_id_is_an_id_like_any_other() {
    let client = client();
    let last = json!({"passes": [{"id": 4_294_967_295u32, "action": {"kind": "level", "by": 1}}]});
    assert_eq!(change(&client, "/parts/1", json!({"recipe": last})).0, Status::Ok);
    let gesture = json!({"kind": "lean-by", "instrument": "snare", "by": 3});
    assert_eq!(change(&client, "/parts/1", json!({"gestures": [gesture]})).0, Status::Ok);
    assert_eq!(post(&client, "/parts/1/passes", json!({"recipe": last})).0, Status::Ok);
    let ids: Vec<u64> = recipe_of(&client, "/parts/1")["passes"]
        .as_array()
        .unwrap()
        .iter()
        .map(|p| p["id"].as_u64().unwrap())
        .collect();
    assert_eq!(ids, [4_294_967_295, 1, 2]);
    all_answers(&client);
}

#[test]
fn hits_out_of_this_world_are_refused() {
    let client = client();
    let added = |field: &str, value: Value| {
        let mut hit = json!({"id": 1073741824, "tick": 0, "length": 10, "velocity": 90, "note": 38, "channel": 9});
        hit[field] = value;
        let passes = json!([{"id": 1, "action": {"kind": "by-hand", "added": [hit]}}]);
        let recipe = json!({ "passes": passes });
        let performed = post(&client, "/parts/1/performance", json!({"recipe": recipe, "variation": 1, "round": 0}));
        let kept = change(&client, "/parts/1", json!({"recipe": recipe}));
        assert_eq!(performed.0, kept.0, "{field}: {} {}", performed.1, kept.1);
        kept
    };
    assert_eq!(added("tick", json!(5000)).0, Status::Ok);
    for (field, value) in
        [("channel", json!(127)), ("channel", json!(16)), ("tick", json!(1e9)), ("length", json!(1e9))]
    {
        let (status, refused) = added(field, value);
        assert_eq!(status, Status::UnprocessableEntity, "{field}");
        assert!(refused["field"].as_str().unwrap().starts_with("recipe.passes[0].action.added"), "{refused}");
    }
    let names: Vec<String> = (0..200_000).map(|number| format!("{number}")).collect();
    let aim = json!({"passes": [{"id": 1, "aim": {"articulations": names}, "action": {"kind": "level"}}]});
    let (status, refused) = post(&client, "/parts/1/performance", json!({"recipe": aim, "variation": 1, "round": 0}));
    assert_eq!(
        (status, &refused["field"]),
        (Status::UnprocessableEntity, &json!("recipe.passes[0].aim.articulations"))
    );
}

#[test]
fn rubbish_behind_json_and_forms_are_refused() {
    let client = client();
    let raw = |body: &str| {
        let request = client.put("/api/v1/defaults").header(host()).header(ContentType::JSON).body(body);
        answer(request.dispatch())
    };
    assert_eq!(raw("{} trailing").0, Status::UnprocessableEntity);
    assert_eq!(raw("{}{}").0, Status::UnprocessableEntity);
    assert_eq!(raw("{} \n").0, Status::Ok);
    let form = client.post("/api/v1/songs/1").header(host()).header(ContentType::Form);
    let (status, _) = answer(form.body("_method=DELETE&revision=1").dispatch());
    assert_eq!(status, Status::UnsupportedMediaType);
    let form = client.post("/api/v1/songs/1?revision=1").header(Header::new(HOST.0, HOST.1)).header(ContentType::Form);
    assert_eq!(form.body("_method=delete").dispatch().status(), Status::UnsupportedMediaType);
    assert_eq!(get(&client, "/songs/1").0, Status::Ok);
}

#[test]
fn nothing_of_a_deleted_song_can_be_changed_or_undone() {
    let client = client();
    let change =
        json!({"revision": 1, "label": "level", "gestures": [{"kind": "lean-by", "instrument": "snare", "by": 3}]});
    assert_eq!(put(&client, "/parts/1", change.clone()).0, Status::Ok);
    let pocket = pocket(&client);
    let revision = get(&client, "/songs/1").1["revision"].clone();
    assert_eq!(delete(&client, &format!("/songs/1?revision={revision}")).0, Status::NoContent);
    let mut late = change;
    late["revision"] = json!(2);
    for (status, answer) in [
        put(&client, "/parts/1", late),
        post(&client, "/songs/1/undo", json!({})),
        post(&client, "/songs/1/redo", json!({})),
        post(&client, "/parts/1/duplicate", json!({})),
        post(&client, "/songs/1/defaults", json!({})),
        delete(&client, &format!("/pockets/{pocket}?revision=2")),
        get(&client, "/songs/1/original"),
    ] {
        assert_eq!(status, Status::NotFound, "{answer}");
    }
    post(&client, "/shelf/undo", json!({}));
    let (_, part) = get(&client, "/parts/1");
    assert_eq!(part["state"]["recipe"]["passes"].as_array().unwrap().len(), 1, "and all is as it was");
    assert_eq!(get(&client, "/songs/1/pockets").1.as_array().unwrap().len(), 1);
}

#[test]
fn undo_tells_all_that_it_changed() {
    let client = client();
    let song = get(&client, "/songs/1").1;
    let sections = json!([{"name": "Mine", "from": 1, "to": 2}]);
    put(&client, "/songs/1/sections", json!({"revision": song["revision"], "sections": sections}));
    let (_, undone) = post(&client, "/songs/1/undo", json!({}));
    assert_eq!((&undone["label"], &undone["song"]["sections"]), (&json!("sections"), &song["sections"]));
    assert_eq!(undone["song"]["history"]["redo"], "sections");
    let (_, second) = post(&client, "/parts/1/duplicate", json!({}));
    let (_, undone) = post(&client, "/songs/1/undo", json!({}));
    let ids: Vec<&Value> = undone["parts"].as_array().unwrap().iter().map(|part| &part["id"]).collect();
    assert!(!ids.contains(&&second["id"]), "the second part is gone");
    assert_eq!(undone["song"]["parts"].as_array().unwrap().len(), ids.len());
}

/// A database with the demo songs, a recipe, a groove and a pocket, and the means to damage it.
struct Damaged {
    folder: TempDir,
}

impl Damaged {
    fn new() -> Damaged {
        let folder = tempfile::tempdir().unwrap();
        let client = client_over(&folder.path().join("vivida.sqlite"));
        for song in &vivida_demo::songs()[..2] {
            let request = client.post(format!("/api/v1/songs?file_name={}", song.file_name)).header(host());
            assert_eq!(request.body(&song.bytes).dispatch().status(), Status::Created);
        }
        let passes = json!({"passes": [{"id": 1, "action": {"kind": "level", "by": 5}}]});
        post(&client, "/recipes", json!({"name": "Five", "recipe": passes}));
        assert_eq!(change(&client, "/parts/1", json!({"recipe": passes})).0, Status::Ok);
        pocket(&client);
        Damaged { folder }
    }

    fn with(&self, sql: &str) -> Client {
        let path = self.folder.path().join("vivida.sqlite");
        let connection = Connection::open(&path).unwrap();
        assert!(connection.execute(sql, []).unwrap() > 0, "{sql}");
        connection.execute("DELETE FROM card", []).unwrap();
        drop(connection);
        client_over(&path)
    }
}

#[test]
fn what_is_damaged_says_so_and_hides_nothing_else() {
    let rows = [
        (
            "UPDATE take SET recipe = '{\"passes\":[{\"id\":1,\"action\":{\"kind\":\"level\",\"by\":900}}]}' WHERE id = 1",
            "/parts/1",
        ),
        ("UPDATE take SET recipe = 'rubbish' WHERE id = 1", "/parts/1"),
        ("UPDATE take SET variation = -7 WHERE id = 1", "/parts/1"),
        ("UPDATE take SET deleted = 1 WHERE id = 1", "/parts/1"),
        ("UPDATE part SET take = 999 WHERE id = 1", "/parts/1"),
        ("UPDATE part SET layers = '[1' WHERE id = 1", "/parts/1"),
        ("UPDATE part SET lines = '1/0' WHERE id = 1", "/parts/1"),
        ("UPDATE part SET position = 77 WHERE id = 1", "/songs/1"),
        ("UPDATE part SET position = -1 WHERE id = 1", "/songs/1"),
        ("UPDATE song SET sections = '{' WHERE id = 1", "/songs/1"),
        ("UPDATE file SET bytes = x'00' WHERE song = 1", "/songs/1"),
        ("UPDATE recipe SET recipe = '[]'", "/recipes"),
        ("UPDATE groove SET groove = '{}'", "/grooves"),
        ("UPDATE pocket SET settings = '{\"lean\":{\"by\":99999}}'", "/songs/1/pockets"),
        ("INSERT INTO setting (name, value) VALUES ('kit-layers', 'x')", "/parts/1"),
        ("INSERT INTO setting (name, value) VALUES ('session-defaults', 'x')", "/defaults"),
        ("UPDATE step SET before = 'x', after = 'x'", "/songs/1"),
    ];
    for (sql, path) in rows {
        let damaged = Damaged::new();
        let client = damaged.with(sql);
        all_answers(&client);
        let (status, songs) = get(&client, "/songs");
        assert_eq!((status, songs.as_array().unwrap().len()), (Status::Ok, 2), "{sql}");
        let (status, told) = get(&client, path);
        assert!(status.code < 500, "{sql}: {told}");
        let text = format!("{told} {songs} {}", get(&client, "/songs/1/pockets").1);
        let harmless = sql.contains("variation")
            || sql.contains("deleted")
            || sql.contains("999 ")
            || sql.contains("setting")
            || sql.contains("step");
        let says =
            text.contains("\"damage\":\"") || told["title"] == "Damaged" || told["title"] == "The file cannot be read";
        assert!(harmless || says, "{sql}: {text}");
        // The other song is as it was; so is undoing on the shelf, or it says why not.
        assert_eq!(get(&client, "/songs/2").0, Status::Ok, "{sql}");
        assert!(post(&client, "/shelf/undo", json!({})).0.code < 500, "{sql}");
        assert!(post(&client, "/songs/1/undo", json!({})).0.code < 500, "{sql}");
    }
}

#[test]
fn what_is_damaged_can_be_exported_mended_and_deleted() {
    let damaged = Damaged::new();
    let client = damaged.with("UPDATE take SET recipe = 'rubbish' WHERE id = 1");
    let (_, part) = get(&client, "/parts/1");
    assert!(part["state"]["takes"][0]["damage"].is_string() && part["state"]["damage"].is_string());
    assert_eq!(part["state"]["recipe"], json!({"passes": []}), "it is played as it was written");
    let file = client.get("/api/v1/parts/1/takes/1/file").header(host()).dispatch();
    assert_eq!(file.into_string().unwrap(), "rubbish");
    // Other passes take its place; undo brings back even what cannot be read, and then what was before.
    let passes = json!({"passes": [{"id": 1, "action": {"kind": "level", "by": 3}}]});
    assert_eq!(change(&client, "/parts/1", json!({"recipe": passes})).0, Status::Ok);
    assert_eq!(get(&client, "/parts/1").1["state"]["damage"], Value::Null);
    post(&client, "/songs/1/undo", json!({}));
    assert!(get(&client, "/parts/1").1["state"]["damage"].is_string());
    for _ in 0..2 {
        // The pocket that was made, then the level.
        post(&client, "/songs/1/undo", json!({}));
    }
    assert_eq!(get(&client, "/parts/1").1["state"]["damage"], Value::Null, "mended by undo");
    drop(client);

    let client = damaged.with("UPDATE recipe SET recipe = 'rubbish'");
    let card = &get(&client, "/recipes").1[0];
    assert!(card["damage"].is_string() && card["name"] == "Five");
    let file = client.get(format!("/api/v1/recipes/{}/file", card["id"])).header(host()).dispatch();
    assert_eq!(file.into_string().unwrap(), "rubbish");
    assert_eq!(delete(&client, &format!("/recipes/{}?revision={}", card["id"], card["revision"])).0, Status::NoContent);
    post(&client, "/shelf/undo", json!({}));
    assert!(get(&client, "/recipes").1[0]["damage"].is_string());
    drop(client);

    let client = damaged.with("UPDATE file SET bytes = x'4d' WHERE song = 1");
    let songs = get(&client, "/songs").1;
    let card = songs.as_array().unwrap().iter().find(|card| card["id"] == 1).unwrap().clone();
    assert!(card["damage"].is_string(), "{card}");
    let file = client.get("/api/v1/songs/1/original").header(host()).dispatch();
    assert_eq!(file.into_bytes().unwrap(), b"M");
    assert_eq!(delete(&client, &format!("/songs/1?revision={}", card["revision"])).0, Status::NoContent);
    assert_eq!(get(&client, "/songs").1.as_array().unwrap().len(), 1);
}

#[test]
fn damaged_prints_pockets_and_what_is_usual_say_so() {
    let damaged = Damaged::new();
    let client = damaged.with("UPDATE part SET muted = 0");
    let revision = get(&client, "/parts/1").1["state"]["revision"].clone();
    let (_, printed) = post(&client, "/parts/1/takes", json!({"revision": revision, "name": "Kept"}));
    let take = printed["take"].clone();
    let revision = get(&client, "/defaults").1["revision"].clone();
    let recipe = get(&client, "/recipes").1[0]["id"].clone();
    let usual = |name: &str, revision: Value| {
        let pocket = json!({"name": name, "settings": {"lean": {"by": 3}}});
        json!({"revision": revision, "recipe": recipe, "pocket": pocket, "grid": null, "tones": false})
    };
    let (status, refused) = put(&client, "/defaults", usual(" ", revision.clone()));
    assert_eq!((status, &refused["field"]), (Status::UnprocessableEntity, &json!("pocket.name")));
    assert_eq!(put(&client, "/defaults", usual("Late", revision)).0, Status::Ok);
    drop(client);

    let client = damaged.with("UPDATE take SET hits = '[3]' WHERE hits IS NOT NULL");
    let (status, part) = get(&client, "/parts/1");
    assert_eq!((status, &part["state"]["take"]), (Status::Ok, &take), "it is shown as the file has it");
    assert!(part["state"]["damage"].as_str().unwrap().contains("its printed hits"), "{}", part["state"]["damage"]);
    let file = client.get(format!("/api/v1/parts/1/takes/{take}/file")).header(host()).dispatch();
    assert_eq!(file.into_string().unwrap(), "[3]", "what is damaged can be saved as it is");
    let back = json!({"take": 1, "label": "back"});
    let (status, state) = change(&client, "/parts/1", back);
    assert_eq!((status, &state["damage"]), (Status::Ok, &Value::Null));
    let path = format!("/parts/1/takes/{take}?revision={}", state["revision"]);
    assert_eq!(delete(&client, &path).0, Status::Ok);
    drop(client);

    let client = damaged.with("UPDATE pocket SET settings = 'rubbish'");
    let pocket = &get(&client, "/songs/1/pockets").1[0];
    assert!(pocket["damage"].is_string());
    let file = client.get(format!("/api/v1/pockets/{}/file", pocket["id"])).header(host()).dispatch();
    assert_eq!(file.into_string().unwrap(), "rubbish");
    drop(client);

    let client = damaged.with("UPDATE recipe SET recipe = 'rubbish'");
    let (status, refused) = post(&client, "/songs/1/defaults", json!({}));
    assert_eq!((status, &refused["title"]), (Status::UnprocessableEntity, &json!("Damaged")));
}

#[test]
fn a_file_without_notes_is_on_the_shelf_and_says_so() {
    let client = client();
    let empty = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x04\0\xff\x2f\0";
    let request = client.post("/api/v1/songs?file_name=empty.mid").header(host()).body(empty);
    let (status, card) = answer(request.dispatch());
    assert_eq!((status, &card["parts"]), (Status::Created, &json!([])));
    let export = client.get(format!("/api/v1/songs/{}/export.mid", card["id"])).header(host()).dispatch();
    assert_eq!(export.into_bytes().unwrap(), empty);
    assert_eq!(get(&client, &format!("/songs/{}", card["id"])).0, Status::Ok);
    assert!(post(&client, &format!("/songs/{}/defaults", card["id"]), json!({})).0.code < 500);
}

#[test]
fn a_wav_file_is_made_in_the_background_and_can_be_stopped() {
    let client = client();
    let (status, state) = post(&client, "/renders", json!({"song": 1}));
    assert_eq!((status, &state["ready"]), (Status::Accepted, &json!(false)));
    let path = format!("/renders/{}", state["id"]);
    assert_eq!(get(&client, &format!("{path}/file")).0, Status::Conflict, "not before it is ready");
    let mut last = 0.0;
    loop {
        let (_, state) = get(&client, &path);
        assert_eq!(state["failed"], Value::Null);
        assert!(state["done"].as_f64().unwrap() >= last);
        last = state["done"].as_f64().unwrap();
        if state["ready"] == true {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
    let made = client.get(format!("/api/v1{path}/file")).header(host()).dispatch().into_bytes().unwrap();
    let streamed = client.get("/api/v1/songs/1/export.wav").header(host()).dispatch().into_bytes().unwrap();
    assert!(made == streamed && made.starts_with(b"RIFF"), "{} and {} bytes", made.len(), streamed.len());

    let (_, state) = post(&client, "/renders", json!({"song": 2, "written": true}));
    let path = format!("/renders/{}", state["id"]);
    assert_eq!(delete(&client, &path).0, Status::NoContent);
    assert_eq!(get(&client, &path).0, Status::NotFound);
    assert_eq!(post(&client, "/renders", json!({"song": 999})).0, Status::NotFound);
}

#[test]
fn a_history_is_gone_through_by_its_steps() {
    let client = client();
    let level = |by: i32| json!({"recipe": {"passes": [{"id": 1, "action": {"kind": "level", "by": by}}]}});
    for by in 1..=4 {
        assert_eq!(change(&client, "/parts/1", level(by)).0, Status::Ok);
    }
    let steps = || get(&client, "/songs/1/history").1.as_array().unwrap().clone();
    let all = steps();
    assert_eq!(all.len(), 4);
    assert!(all.windows(2).all(|pair| pair[0]["id"].as_i64() > pair[1]["id"].as_i64()), "the newest first");
    assert!(all.iter().all(|step| step["undone"] == false && step["when"].as_str().is_some_and(|at| at.len() == 19)));
    let by = || recipe_of(&client, "/parts/1")["passes"][0]["action"]["by"].clone();
    // Back to where it stood after the second, then on to the third.
    for (place, is, undone) in [(2, 2.0, 2), (1, 3.0, 1), (0, 4.0, 0), (3, 1.0, 3)] {
        let path = format!("/songs/1/history/{}", all[place]["id"]);
        assert_eq!(post(&client, &path, json!({})).0, Status::Ok);
        assert_eq!(by(), json!(is));
        assert_eq!(steps().iter().filter(|step| step["undone"] == true).count(), undone);
    }
    assert_eq!(post(&client, "/songs/1/history/99999", json!({})).0, Status::NotFound);
    assert_eq!(get(&client, "/songs/77/history").0, Status::NotFound);
}
