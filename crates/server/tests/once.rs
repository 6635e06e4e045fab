//! A change whose answer was lost is sent again: however often it arrives, it is made once.

use crate::common::{client, get, post, put};
use rocket::http::Status;
use rocket::local::blocking::Client;
use serde_json::{Value, json};
use std::sync::{Arc, Barrier};
use vivida_server::App;
use vivida_store::Store;

fn duplicate(key: &str, revision: &Value) -> Value {
    json!({"key": key, "revision": revision, "label": "add a level",
           "gestures": [{"kind": "add-passes", "instead": false,
                         "passes": [{"id": 1, "aim": {}, "action": {"kind": "level", "by": 1}}]}]})
}

fn passes(state: &Value) -> usize {
    state["recipe"]["passes"].as_array().unwrap().len()
}

#[test]
fn a_change_that_arrives_twice_is_made_once() {
    let client = client();
    let before = get(&client, "/parts/1").1["state"].clone();
    let change = duplicate("one", &before["revision"]);
    let (_, first) = put(&client, "/parts/1", change.clone());
    let (status, second) = put(&client, "/parts/1", change.clone());
    assert_eq!((status, &second), (Status::Ok, &first));
    assert_eq!(passes(&first), passes(&before) + 1);
    // Whoever came in between is seen, and is not in its way.
    let (_, theirs) = put(&client, "/parts/1", duplicate("theirs", &first["revision"]));
    assert_eq!(put(&client, "/parts/1", change.clone()), (Status::Ok, theirs.clone()));
    // Another change on the old revision is late all the same.
    assert_eq!(put(&client, "/parts/1", duplicate("other", &before["revision"])).0, Status::Conflict);
    assert_eq!(put(&client, "/parts/1", duplicate("", &theirs["revision"])).1["field"], "key");
    assert_eq!(put(&client, "/parts/1", duplicate(&"k".repeat(101), &theirs["revision"])).1["field"], "key");
    // A key is the part's: the same one elsewhere in the song names another change.
    let beside = get(&client, "/parts/2").1["state"].clone();
    let (status, made) = put(&client, "/parts/2", duplicate("one", &beside["revision"]));
    assert_eq!((status, passes(&made)), (Status::Ok, passes(&beside) + 1));
    post(&client, "/songs/1/undo", Value::Null);
    // Taken back, it stays so.
    post(&client, "/songs/1/undo", Value::Null);
    post(&client, "/songs/1/undo", Value::Null);
    let (_, back) = put(&client, "/parts/1", change);
    assert_eq!(passes(&back), passes(&before));
}

#[test]
fn a_change_that_arrives_twice_at_once_is_made_once() {
    let app = Arc::new(App::new(Store::temporary().unwrap()));
    app.add_demo().unwrap();
    let new = || Client::untracked(vivida_server::rocket(Arc::clone(&app), 0)).unwrap();
    let first = new();
    for round in 0..20 {
        let before = get(&first, "/parts/1").1["state"].clone();
        let change = duplicate(&format!("round {round}"), &before["revision"]);
        let together = Barrier::new(3);
        std::thread::scope(|scope| {
            for _ in 0..3 {
                scope.spawn(|| {
                    let client = new();
                    together.wait();
                    assert_eq!(put(&client, "/parts/1", change.clone()).0, Status::Ok);
                });
            }
        });
        assert_eq!(passes(&get(&first, "/parts/1").1["state"]), passes(&before) + 1);
    }
}

#[test]
fn strokes_and_settings_of_pockets_that_arrive_twice_are_made_once() {
    let client = client();
    let outline = json!({"bars": 4, "tempos": [{"bar": 1, "bpm": 100}], "metres": [{"bar": 1, "metre": "4/4"}]});
    let (_, card) = post(&client, "/songs/begun", json!({"name": "Twice", "outline": outline}));
    let part = format!("/parts/{}", card["parts"][0]["id"]);
    let revision = get(&client, &part).1["state"]["revision"].clone();
    let fill = json!({"kind": "fill", "instrument": "kick", "from": 0, "to": 960, "grid": "1/4",
                      "path": [{"tick": 0, "velocity": 90}]});
    let strokes = json!({"key": "s", "revision": revision, "label": "draw", "drawings": [fill]});
    let (status, drawn) = put(&client, &format!("{part}/written"), strokes.clone());
    assert_eq!(status, Status::Ok, "{drawn}");
    let (status, again) = put(&client, &format!("{part}/written"), strokes);
    assert_eq!((status, &again["state"]["revision"]), (Status::Ok, &drawn["state"]["revision"]));

    let (_, made) = post(&client, "/songs/1/pockets", json!({"name": "Late"}));
    let pocket = &made["pockets"][0];
    let change = json!({"key": "p", "revision": pocket["revision"], "label": "lean", "name": "Later",
                        "settings": pocket["settings"]});
    let address = format!("/pockets/{}", pocket["id"]);
    let (status, first) = put(&client, &address, change.clone());
    assert_eq!((status, &first["pockets"][0]["name"]), (Status::Ok, &json!("Later")), "{first}");
    let (status, second) = put(&client, &address, change);
    assert_eq!((status, &second["pockets"]), (Status::Ok, &first["pockets"]));
}

#[test]
fn changes_of_kits_and_grooves_that_arrive_twice_are_made_once() {
    let client = client();
    let (_, kits) = get(&client, "/kits");
    let own = kits.as_array().unwrap().iter().find(|card| card["own"] == true).unwrap();
    let (_, kit) = post(&client, "/kits", json!({"kit": own["kit"]}));
    let mut shape = kit["kit"].clone();
    shape["name"] = json!("Twice");
    let change = json!({"key": "one", "revision": kit["revision"], "label": "rename", "kit": shape});
    let path = format!("/kits/{}", kit["id"]);
    let (status, first) = put(&client, &path, change.clone());
    assert_eq!((status, &first["kit"]["name"]), (Status::Ok, &json!("Twice")));
    assert_eq!(put(&client, &path, change.clone()), (Status::Ok, first.clone()));
    let mut late = change.clone();
    late["key"] = json!("two");
    assert_eq!(put(&client, &path, late).0, Status::Conflict);
    // Taken back, it is not made again.
    post(&client, "/shelf/undo", Value::Null);
    assert_ne!(put(&client, &path, change).1["kit"]["name"], "Twice");

    let (_, grooves) = get(&client, "/grooves");
    let own = &grooves.as_array().unwrap()[0];
    let (_, groove) = post(&client, "/grooves", json!({"note": "", "groove": own["groove"]}));
    let change = json!({"key": "one", "revision": groove["revision"], "note": "again", "favourite": true,
                        "groove": groove["groove"]});
    let path = format!("/grooves/{}", groove["id"]);
    let (status, first) = put(&client, &path, change.clone());
    assert_eq!((status, &first["note"]), (Status::Ok, &json!("again")));
    assert_eq!(put(&client, &path, change), (Status::Ok, first));
}
