//! Findings and studies over the API.

use crate::common::{client, get, put};
use rocket::http::Status;
use rocket::local::blocking::Client;
use serde_json::{Value, json};

fn findings(client: &Client, part: u64) -> Vec<Value> {
    let (status, found) = get(client, &format!("/parts/{part}/findings"));
    assert_eq!(status, Status::Ok, "{found}");
    found.as_array().unwrap().clone()
}

fn rules(found: &[Value]) -> Vec<&str> {
    found.iter().map(|one| one["rule"].as_str().unwrap()).collect()
}

/// The first part of a song of the demo.
fn part_of(client: &Client, song: &str) -> u64 {
    let (_, songs) = get(client, "/songs");
    let songs = songs.as_array().unwrap().clone();
    let found = songs.iter().find(|one| one["name"] == song).unwrap();
    found["parts"][0]["id"].as_u64().unwrap()
}

#[test]
fn a_cure_that_is_taken_makes_its_finding_vanish() {
    let client = client();
    let part = part_of(&client, "Tin Roof");
    let found = findings(&client, part);
    assert_eq!(rules(&found), ["double-trigger", "crosstalk", "stray"]);
    let (_, bare) = get(&client, &format!("/parts/{part}/findings?cures=false"));
    assert_eq!((rules(bare.as_array().unwrap()), &bare[0]["cures"]), (rules(&found), &json!([])));
    let cure = &found[0]["cures"][0];
    let (_, detail) = get(&client, &format!("/parts/{part}"));
    let gesture = json!({"kind": "add-passes", "passes": cure["passes"], "instead": false});
    let body = json!({"revision": detail["state"]["revision"], "label": "mend", "gestures": [gesture]});
    assert_eq!(put(&client, &format!("/parts/{part}"), body).0, Status::Ok);
    assert_eq!(rules(&findings(&client, part)), ["crosstalk", "stray"]);
}

#[test]
fn thresholds_are_kept_and_checked() {
    let client = client();
    let part = part_of(&client, "Night Ferry");
    let before = rules(&findings(&client, part)).join(" ");
    assert!(before.contains("identical-neighbours"), "{before}");
    let (status, _) = put(&client, "/findings/thresholds", json!({"alike": 0.95}));
    assert_eq!(status, Status::NoContent);
    assert!(!rules(&findings(&client, part)).contains(&"identical-neighbours"));
    assert_eq!(get(&client, "/findings/thresholds").1["alike"], 0.95);
    for (wrong, field) in [(json!({"alike": 2}), "alike"), (json!({"foot": -1}), "foot"), (json!({"feet": 1}), "feet")]
    {
        let (status, problem) = put(&client, "/findings/thresholds", wrong);
        assert_eq!(status, Status::UnprocessableEntity, "{problem}");
        assert_eq!(problem["field"], field);
    }
    assert_eq!(get(&client, "/findings/thresholds").1["alike"], 0.95);
}

#[test]
fn parts_are_held_against_others() {
    let client = client();
    let (own, other) = (part_of(&client, "Causeway"), part_of(&client, "The Weir"));
    let (status, same) = get(&client, &format!("/parts/{own}/study/{own}"));
    assert_eq!(status, Status::Ok);
    let apart = same["apart"].as_array().unwrap();
    assert!(apart.len() > 5 && apart.iter().all(|one| one["velocity"] == 0.0 && one["timing"] == 0.0));
    let (_, far) = get(&client, &format!("/parts/{own}/study/{other}"));
    let snare = far["apart"].as_array().unwrap().iter().find(|one| one["instrument"] == "snare").unwrap().clone();
    assert!(snare["velocity"].as_f64().unwrap() > 20.0 && snare["against"] == "snare", "{snare}");
    assert!(far["name"].as_str().unwrap().starts_with("The Weir") && far["touch"]["instruments"].is_array());
    assert_eq!(get(&client, &format!("/parts/{own}/study/999")).0, Status::NotFound);
    // A take of its own is learned from as well.
    let (_, detail) = get(&client, &format!("/parts/{own}"));
    let take = &detail["state"]["takes"][0]["id"];
    let (status, same) = get(&client, &format!("/parts/{own}/study/{own}?take={take}"));
    assert!(status == Status::Ok && same["apart"][0]["velocity"] == 0.0, "{same}");
    assert_eq!(get(&client, &format!("/parts/{own}/study/{other}?take={take}")).0, Status::NotFound);
}
