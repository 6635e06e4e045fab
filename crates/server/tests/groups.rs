//! Groups of passes and rules for hits over the API.

use crate::common::{client, get, post, put};
use rocket::http::Status;
use rocket::local::blocking::Client;
use serde_json::{Value, json};

/// A part with a recipe.
fn with(client: &Client, part: i64, recipe: Value) -> Value {
    let (_, now) = get(client, &format!("/parts/{part}"));
    let change = json!({"revision": now["state"]["revision"], "label": "change", "recipe": recipe});
    let (status, state) = put(client, &format!("/parts/{part}"), change);
    assert_eq!(status, Status::Ok, "{state}");
    state
}

fn softer(amount: f64) -> Value {
    json!({
        "passes": [
            {"id": 1, "group": 1, "aim": {"instruments": ["snare"]}, "action": {"kind": "level", "by": -40}},
            {"id": 2, "group": 1, "aim": {"instruments": ["kick"]}, "action": {"kind": "level", "by": -20}},
            {"id": 3, "action": {"kind": "level", "by": -1}},
        ],
        "groups": [{"id": 1, "name": "Softer", "amount": amount}],
    })
}

/// The velocities of a note, as a recipe is played.
fn velocities(client: &Client, note: u64, more: &Value) -> Vec<u64> {
    let (_, part) = get(client, "/parts/1");
    let mut request = json!({"recipe": part["state"]["recipe"], "variation": 1, "round": 0});
    request.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    let (status, played) = post(client, "/parts/1/performance", request);
    assert_eq!(status, Status::Ok, "{played}");
    let notes = part["written"]["notes"].as_array().unwrap();
    let own = (0..notes.len()).filter(|&hit| notes[hit] == note);
    own.map(|hit| played["velocities"][hit].as_u64().unwrap()).collect()
}

#[test]
fn a_group_is_played_as_far_as_its_amount_goes_and_alone() {
    let client = client();
    with(&client, 1, softer(50.0));
    let all = |note, more| {
        let found = velocities(&client, note, &more);
        assert!(found.iter().all(|velocity| *velocity == found[0]));
        found[0]
    };
    assert_eq!((all(38, json!({})), all(36, json!({}))), (79, 89));
    let amount = |amount: i32| json!({"gestures": [{"kind": "change-group", "group": 1, "amount": amount}]});
    assert_eq!((all(38, amount(0)), all(38, amount(100)), all(38, amount(150))), (99, 59, 39));
    assert_eq!(all(38, json!({"alone_group": 1})), 80);
    assert_eq!(all(38, json!({"alone": 3})), 99);
    let off = json!({"gestures": [{"kind": "change-group", "group": 1, "on": false}]});
    assert_eq!(all(38, off), 99);
}

#[test]
fn groups_come_through_the_library_a_print_and_a_copy_to_another_part() {
    let client = client();
    let lanes = json!({
        "passes": [
            {"id": 1, "group": 4, "action": {"kind": "lane-line", "lane": "controller-11",
                "points": [{"bar": 1, "value": 127}, {"bar": 9, "value": 20}]}},
            {"id": 2, "group": 4, "action": {"kind": "level", "by": -9}},
        ],
        "groups": [{"id": 4, "name": "Fade", "amount": 70.0}],
    });
    let state = with(&client, 1, lanes.clone());
    let (status, kept) = post(&client, "/recipes", json!({"name": "Fade", "note": "", "recipe": lanes}));
    assert_eq!(status, Status::Created, "{kept}");
    assert_eq!(kept["recipe"]["groups"][0]["name"], "Fade", "{kept}");
    let (status, printed) = post(&client, "/parts/1/takes", json!({"revision": state["revision"], "name": "Fade"}));
    assert_eq!(status, Status::Ok, "{printed}");
    assert_eq!(printed["recipe"]["passes"].as_array().map(Vec::len), Some(1));
    assert_eq!(printed["recipe"]["groups"][0]["amount"], 70.0, "what is left of a group goes as far as before");
}

#[test]
fn a_wrong_group_is_refused_by_its_path() {
    let client = client();
    let (_, now) = get(&client, "/parts/1");
    let refused = |recipe: Value| {
        let change = json!({"revision": now["state"]["revision"], "label": "change", "recipe": recipe});
        let (status, problem) = put(&client, "/parts/1", change);
        assert_eq!(status, Status::UnprocessableEntity, "{problem}");
        problem["field"].as_str().unwrap_or_default().to_owned()
    };
    assert_eq!(refused(softer(151.0)), "recipe.groups[0].amount");
    let mut gone = softer(50.0);
    gone["groups"] = json!([]);
    assert_eq!(refused(gone), "recipe.passes[0].group");
}

#[test]
fn hits_are_named_by_the_rule_that_they_follow() {
    let client = client();
    let (_, part) = get(&client, "/parts/1");
    let written = &part["written"];
    let notes = written["notes"].as_array().unwrap();
    let own: Vec<&Value> = (0..notes.len()).filter(|&hit| notes[hit] == 38).map(|hit| &written["ids"][hit]).collect();
    let ask = |hits: Value| {
        let request = json!({"recipe": part["state"]["recipe"], "variation": 1, "round": 0, "rules_for": hits});
        post(&client, "/parts/1/rules", request)
    };
    let (status, rules) = ask(json!(own));
    assert_eq!(status, Status::Ok, "{rules}");
    assert_eq!((rules[0]["adds"].as_u64(), rules[0]["misses"].as_u64()), (Some(0), Some(0)), "{rules}");
    assert_eq!(ask(json!([999_999_999])), (Status::Ok, json!([])));
    let without = json!({"recipe": part["state"]["recipe"], "variation": 1, "round": 0});
    let (status, problem) = post(&client, "/parts/1/rules", without);
    assert_eq!((status, problem["field"].as_str()), (Status::UnprocessableEntity, Some("rules_for")), "{problem}");
}
