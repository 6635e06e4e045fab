//! The API at its edge: shapes, refusals and errors.

use crate::common::{HOST, answer, client, get, host, post, put};
use rocket::http::{Header, Status};
use serde_json::{Value, json};

fn perform(recipe: Value) -> Value {
    json!({"recipe": recipe, "variation": 1, "round": 0})
}

#[test]
fn the_shelf_lists_the_songs() {
    let (status, songs) = get(&client(), "/songs");
    assert_eq!(status, Status::Ok);
    let names: Vec<&str> = songs.as_array().unwrap().iter().map(|song| song["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["Causeway", "Kiln Yard", "Night Ferry", "Tin Roof", "Paper Lanterns", "The Weir"]);
    assert_eq!(songs[5]["bpm"], 88.0);
    assert_eq!(songs[3]["metres"], json!(["5/4", "7/8"]));
}

#[test]
fn a_performance_travels_as_columns() {
    let client = client();
    let shape = json!({"passes": [{"id": 1, "aim": {"instruments": ["closed-hat"]}, "action": {"kind": "shape"}}]});
    let (status, performance) = post(&client, "/parts/1/performance", perform(shape.clone()));
    assert_eq!(status, Status::Ok);
    let (_, part) = get(&client, "/parts/1");
    let count = part["written"]["ticks"].as_array().unwrap().len();
    assert_eq!(performance["velocities"].as_array().unwrap().len(), count);
    for column in ["ticks", "at"] {
        let column = performance["timing"][column].as_array().unwrap();
        assert!(column.len() == count && column.iter().all(|moved| moved == 0), "touch moves nothing");
    }
    assert_eq!(performance["timing"]["lasts"], json!([]));
    let mut again = perform(shape.clone());
    again["timing"] = performance["timing_key"].clone();
    again["touch"] = performance["touch_key"].clone();
    let (_, again) = post(&client, "/parts/1/performance", again);
    assert_eq!(again["timing"], Value::Null, "what the page has already does not travel again");
    assert_eq!(again["velocities"], Value::Null);
    assert_eq!(again["touch_key"], performance["touch_key"]);

    // Of moved hits it travels by how much; of lengths only those that changed.
    let late = json!({"passes": [{"id": 1, "aim": {"instruments": ["snare"]}, "action": {"kind": "lean", "by": 12}}]});
    let mut moved = perform(late);
    moved["timing"] = performance["timing_key"].clone();
    moved["touch"] = performance["touch_key"].clone();
    let (_, moved) = post(&client, "/parts/1/performance", moved);
    assert!(moved["velocities"].is_array(), "back to what was written is not what the page had");
    let snare = part["kit"]["instruments"].as_array().unwrap().iter().position(|one| one["id"] == "snare").unwrap();
    for (row, instrument) in part["written"]["instruments"].as_array().unwrap().iter().enumerate() {
        let at = moved["timing"]["at"][row].as_f64().unwrap();
        let wanted = if *instrument == snare { 1200.0 } else { 0.0 };
        assert!((at - wanted).abs() < 40.0, "row {row} moved by {at} hundredths of a ms");
    }
    assert_eq!(moved["timing"]["lasts"], json!([]));
    assert_eq!(performance["passes"][0]["touched"], 520);
    let asked = json!({"recipe": shape, "variation": 1, "round": 0, "touched_by": 1});
    let (_, touched) = post(&client, "/parts/1/touched", asked);
    assert_eq!(touched.as_array().unwrap().len(), 520);
    assert_eq!(part["state"]["recipe"], json!({"passes": []}), "performing keeps nothing");
}

#[test]
fn what_is_wrong_is_named_by_its_path() {
    let client = client();
    let wrong = |recipe: Value| {
        let (status, problem) = post(&client, "/parts/1/performance", perform(recipe));
        assert_eq!(status, Status::UnprocessableEntity, "{problem}");
        problem["field"].as_str().unwrap().to_owned()
    };
    assert_eq!(
        wrong(json!({"passes": [{"id": 1, "action": {"kind": "level", "by": 1e9}}]})),
        "recipe.passes[0].action.by"
    );
    assert_eq!(wrong(json!({"passes": [{"id": 1, "action": {"kind": "sparkle"}}]})), "recipe.passes[0].action.kind");
    assert_eq!(wrong(json!({"passes": 7})), "recipe.passes");
    assert_eq!(wrong(json!([])), "recipe");
    let (status, problem) = put(&client, "/parts/1", json!({"revision": "one", "label": ""}));
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("revision")));
    let (status, _) = post(&client, "/parts/1/performance", Value::Null);
    assert_eq!(status, Status::UnprocessableEntity);
    assert_eq!(get(&client, "/songs/99").0, Status::NotFound);
    assert_eq!(get(&client, "/songs/seven").0, Status::NotFound);
    assert_eq!(get(&client, "/nothing").0, Status::NotFound);
    assert_eq!(get(&client, "/sound/trumpet.wav").0, Status::NotFound);
    assert_eq!(post(&client, "/songs/1/sideways", Value::Null).0, Status::NotFound);
}

#[test]
fn the_second_of_two_tabs_gets_the_newer_state() {
    let client = client();
    let change = |revision: i64, by: i64| {
        let recipe = json!({"passes": [{"id": 1, "action": {"kind": "level", "by": by}}]});
        put(&client, "/parts/1", json!({"revision": revision, "label": "level", "recipe": recipe}))
    };
    assert_eq!(change(1, 5).1["revision"], 2);
    let (status, problem) = change(1, 9);
    assert_eq!(status, Status::Conflict);
    assert_eq!(problem["current"]["revision"], 2);
    assert_eq!(problem["current"]["recipe"]["passes"][0]["action"]["by"], 5.0);
    let (_, undone) = post(&client, "/songs/1/undo", Value::Null);
    assert_eq!((&undone["label"], &undone["parts"][0]["recipe"]), (&json!("level"), &json!({"passes": []})));
}

#[test]
fn uploads_say_what_is_wrong_with_the_file() {
    let client = client();
    let upload = |name: &str, bytes: Vec<u8>| {
        let request = client.post(format!("/api/v1/songs?file_name={name}")).header(host());
        answer(request.body(bytes).dispatch())
    };
    let (status, problem) = upload("letter.mid", b"Dear drummer".to_vec());
    assert_eq!((status, &problem["offset"]), (Status::UnprocessableEntity, &json!(0)));
    assert!(problem["detail"].as_str().unwrap().contains("letter.mid"));
    let (status, _) = upload("noise.mid", vec![0x55; (16 << 20) + 1]);
    assert_eq!(status, Status::PayloadTooLarge);
    let good = std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/causeway.mid")).unwrap();
    let (status, song) = upload("%22Causeway%22%20%D1%82%D0%B5%D1%81%D1%82.MID", good.clone());
    assert_eq!((status, &song["name"]), (Status::Created, &json!("\"Causeway\" тест")));
    let (_, song) = upload(&"x".repeat(300), good);
    assert_eq!(song["name"].as_str().unwrap().chars().count(), 200);
    assert_eq!(get(&client, "/songs").1.as_array().unwrap().len(), 8, "and no half of a bad one");
}

#[test]
fn only_this_machines_own_page_is_answered() {
    let client = client();
    let ask = |headers: &[(&'static str, &'static str)]| {
        let mut request = client.get("/api/v1/songs");
        for &(name, value) in headers {
            request.add_header(Header::new(name, value));
        }
        request.dispatch().status()
    };
    assert_eq!(ask(&[HOST]), Status::Ok);
    assert_eq!(ask(&[("Host", "localhost:1")]), Status::Ok);
    assert_eq!(ask(&[HOST, ("Origin", "http://127.0.0.1:8347")]), Status::Ok);
    assert_eq!(ask(&[]), Status::Forbidden);
    assert_eq!(ask(&[("Host", "drums.example")]), Status::Forbidden);
    assert_eq!(ask(&[("Host", "127.0.0.1.example:80")]), Status::Forbidden);
    assert_eq!(ask(&[HOST, ("Origin", "http://drums.example")]), Status::Forbidden);
    assert_eq!(ask(&[HOST, ("Origin", "null")]), Status::Forbidden);
    assert_eq!(ask(&[HOST, ("Sec-Fetch-Site", "cross-site")]), Status::Forbidden);
}

#[test]
fn the_page_brings_everything_with_it() {
    let client = client();
    let response = client.get("/songs/1/parts/1").header(host()).dispatch();
    let policy = response.headers().get_one("Content-Security-Policy").unwrap().to_owned();
    assert!(policy.contains("default-src 'none'") && policy.contains("script-src 'self';"), "{policy}");
    let nonce = policy.split("'nonce-").nth(1).and_then(|rest| rest.split('\'').next()).unwrap().to_owned();
    let page = response.into_string().unwrap();
    assert!(page.contains(&nonce) && !page.contains("__NONCE__"), "is the front end built? (cargo xtask build)");
    assert!(!page.contains("http://") && !page.contains("https://"));
}

#[test]
fn exports_are_files_with_the_songs_name() {
    let client = client();
    let response = client.get("/api/v1/songs/1/export.mid").header(host()).dispatch();
    assert!(response.headers().get_one("Content-Disposition").unwrap().contains("Causeway.mid"));
    let original = std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/causeway.mid")).unwrap();
    assert_eq!(response.into_bytes().unwrap(), original, "nothing was changed");
    assert_eq!(get(&client, "/songs/1/export.mid?resolution=coarse").0, Status::UnprocessableEntity);
    let (_, info) = get(&client, "/songs/2/export");
    assert_eq!((&info["file_ppq"], &info["fine_ppq"]), (&json!(96), &json!(960)));
}

#[test]
fn views_are_kept() {
    let client = client();
    assert_eq!(get(&client, "/views/part-1").1, Value::Null);
    assert_eq!(put(&client, "/views/part-1", json!({"loop": [1, 8]})).0, Status::NoContent);
    assert_eq!(get(&client, "/views/part-1").1, json!({"loop": [1, 8]}));
}

#[test]
fn the_other_parts_of_a_song_come_together_but_for_those_that_are_muted() {
    let client = client();
    let song = get(&client, "/songs/1").1;
    let parts: Vec<i64> = song["parts"].as_array().unwrap().iter().filter_map(|part| part["id"].as_i64()).collect();
    let ids = |answer: &Value| -> Vec<i64> {
        answer.as_array().unwrap().iter().filter_map(|part| part["state"]["id"].as_i64()).collect()
    };
    let (status, others) = get(&client, &format!("/songs/1/parts?open={}", parts[0]));
    assert_eq!((status, ids(&others)), (Status::Ok, parts[1..].to_vec()));
    assert_eq!(others[0], get(&client, &format!("/parts/{}", parts[1])).1);
    let revision = others[0]["state"]["revision"].clone();
    put(&client, &format!("/parts/{}", parts[1]), json!({"revision": revision, "label": "mute", "muted": true}));
    assert_eq!(ids(&get(&client, &format!("/songs/1/parts?open={}", parts[0])).1), parts[2..].to_vec());
}
