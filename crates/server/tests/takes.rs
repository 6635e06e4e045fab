//! Takes, second parts, sections, layers and the library over the API.

use crate::common::{answer, client, delete, get, host, patch, post, put};
use rocket::http::Status;
use serde_json::{Value, json};
use vivida_smf::read;

fn softer() -> Value {
    json!({"passes": [{"id": 1, "aim": {"instruments": ["snare"]}, "action": {"kind": "set", "to": 33}}]})
}

fn change(client: &rocket::local::blocking::Client, part: i64, change: Value) -> Value {
    let (_, now) = get(client, &format!("/parts/{part}"));
    let mut request = json!({"revision": now["state"]["revision"], "label": "change"});
    request.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
    let (status, state) = put(client, &format!("/parts/{part}"), request);
    assert_eq!(status, Status::Ok, "{state}");
    state
}

fn exported(client: &rocket::local::blocking::Client) -> vivida_smf::SongFile {
    read(&client.get("/api/v1/songs/1/export.mid").header(host()).dispatch().into_bytes().unwrap()).unwrap()
}

#[test]
fn a_print_becomes_what_is_written_and_is_exported() {
    let client = client();
    let state = change(&client, 1, json!({"recipe": softer()}));
    let (status, printed) = post(&client, "/parts/1/takes", json!({"revision": state["revision"], "name": "Ghosts"}));
    assert_eq!((status, printed["takes"].as_array().unwrap().len()), (Status::Ok, 2));
    assert_eq!(printed["recipe"], json!({"passes": []}));
    let (_, part) = get(&client, "/parts/1");
    let notes = part["written"]["notes"].as_array().unwrap();
    let snares: Vec<usize> = (0..notes.len()).filter(|&row| notes[row] == 38).collect();
    assert!(snares.len() > 100 && snares.iter().all(|&row| part["written"]["velocities"][row] == 33));

    let file = exported(&client);
    let drums = file.parts.iter().find(|part| part.drums).unwrap();
    assert_eq!(drums.part.hits().len(), notes.len());
    let soft = drums.part.hits().iter().filter(|hit| hit.note.get() == 38).all(|hit| hit.velocity.get() == 33);
    assert!(soft, "the print is what the file holds");

    // Both takes, side by side.
    let first = printed["takes"][0]["id"].as_i64().unwrap();
    let (status, other) = get(&client, &format!("/parts/1/takes/{first}/performance"));
    assert_eq!(status, Status::Ok);
    assert_eq!(other["ticks"].as_array().unwrap().len(), notes.len());
    let state = change(&client, 1, json!({"take": first}));
    assert_eq!(state["recipe"]["passes"][0]["action"]["to"], 33);
    let second = printed["take"].as_i64().unwrap();
    let (_, renamed) =
        patch(&client, &format!("/parts/1/takes/{second}"), json!({"revision": state["revision"], "name": "Mine"}));
    assert_eq!(renamed["takes"][1]["name"], "Mine");
    let (status, _) = delete(&client, &format!("/parts/1/takes/{second}?revision=1"));
    assert_eq!(status, Status::Conflict);
}

#[test]
fn of_a_duplicated_part_only_what_is_not_muted_is_exported() {
    let client = client();
    let count = |file: &vivida_smf::SongFile| file.parts.iter().find(|part| part.drums).unwrap().part.hits().len();
    let all = count(&exported(&client));
    let (status, second) = post(&client, "/parts/1/duplicate", Value::Null);
    assert_eq!((status, &second["name"]), (Status::Created, &json!("Drums, second")));
    let second = second["id"].as_i64().unwrap();
    change(&client, second, json!({"recipe": softer()}));
    assert_eq!(count(&exported(&client)), all, "of two alike one sounds");
    change(&client, 1, json!({"muted": true}));
    let file = exported(&client);
    let drums = file.parts.iter().find(|part| part.drums).unwrap();
    assert!(drums.part.hits().iter().filter(|hit| hit.note.get() == 38).all(|hit| hit.velocity.get() == 33));
    let (_, song) = get(&client, "/songs/1");
    assert_eq!(song["parts"].as_array().unwrap().iter().filter(|part| part["is_second"] == true).count(), 1);
    let (_, now) = get(&client, &format!("/parts/{second}"));
    let (status, _) = delete(&client, &format!("/parts/{second}?revision={}", now["state"]["revision"]));
    assert_eq!(status, Status::NoContent);
    assert!(exported(&client).parts.iter().all(|part| !part.drums), "muted and alone: silent");
}

#[test]
fn sections_come_from_markers_and_can_be_set() {
    let client = client();
    let (_, song) = get(&client, "/songs/1");
    let sections = song["sections"].as_array().unwrap();
    assert_eq!((&sections[0]["name"], &sections[0]["from"]), (&json!("Intro"), &json!(1)));
    assert_eq!(sections.last().unwrap()["to"], 72);
    let set = |sections: Value| {
        let (_, song) = get(&client, "/songs/1");
        put(&client, "/songs/1/sections", json!({"revision": song["revision"], "sections": sections}))
    };
    let (status, problem) = set(json!([{"name": "Verse", "from": 5, "to": 99}]));
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("sections[0].to")));
    let verse = json!([{"name": "Verse", "from": 5, "to": 6}]);
    assert_eq!(set(verse.clone()).1["sections"], verse);
    let recipe = json!({"passes": [{"id": 1, "aim": {"instruments": ["kick"], "sections": ["Verse"]}, "action": {"kind": "level", "by": 9}}]});
    let request = json!({"recipe": recipe, "variation": 1, "round": 0, "touched_by": 1, "aimed": true});
    let (_, rows) = post(&client, "/parts/1/touched", request);
    let (_, part) = get(&client, "/parts/1");
    let bar = 4.0 * song["ppq"].as_f64().unwrap();
    assert!(!rows.as_array().unwrap().is_empty());
    for row in rows.as_array().unwrap() {
        let tick = part["written"]["ticks"][row.as_u64().unwrap() as usize].as_f64().unwrap();
        assert!(tick >= 4.0 * bar && tick < 6.0 * bar, "{tick}");
    }
}

#[test]
fn layers_hold_for_one_part_or_for_all() {
    let client = client();
    let bounds = |client: &rocket::local::blocking::Client, part: i64| -> Vec<i64> {
        let (_, part) = get(client, &format!("/parts/{part}"));
        let kick = part["kit"]["instruments"].as_array().unwrap().iter().find(|one| one["id"] == "kick").unwrap();
        kick["layers"].as_array().unwrap().iter().map(|layer| layer["from"].as_i64().unwrap()).collect()
    };
    assert_eq!(bounds(&client, 1), [1, 42, 77, 108]);
    let (status, problem) = put(&client, "/kit/layers", json!({"kick": [1, 60, 50]}));
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("layers.kick[2]")));
    let (status, _) = put(&client, "/kit/layers", json!({"kick": [1, 30, 60, 90]}));
    assert_eq!(status, Status::NoContent);
    assert_eq!(bounds(&client, 1), [1, 30, 60, 90]);
    change(&client, 1, json!({"layers": {"kick": [1, 20, 40, 80]}}));
    assert_eq!(bounds(&client, 1), [1, 20, 40, 80]);
    change(&client, 1, json!({"shared_layers": true}));
    assert_eq!(bounds(&client, 1), [1, 30, 60, 90]);
}

#[test]
fn recipes_are_kept_fitted_and_travel_as_files() {
    let client = client();
    let note = json!({"name": "Soft snare", "note": "for verses", "recipe": softer()});
    let (status, card) = post(&client, "/recipes", note);
    assert_eq!(status, Status::Created);
    let file = client.get(format!("/api/v1/recipes/{}/file", card["id"])).header(host()).dispatch();
    let text = file.into_string().unwrap();
    assert!(text.contains("vivida-recipe"), "{text}");
    let import = |name: &str, text: &str| {
        let request = client.post(format!("/api/v1/recipes/file?file_name={name}")).header(host());
        answer(request.body(text).dispatch())
    };
    let (status, again) = import("soft.recipe.json", &text);
    assert_eq!((status, &again["recipe"]), (Status::Created, &card["recipe"]));
    let newer = format!("\"version\": {}", vivida_core::Recipe::VERSION);
    let (status, problem) = import("new.json", &text.replace(&newer, "\"version\": 99"));
    assert_eq!(
        (status, &problem["field"], &problem["file"]),
        (Status::UnprocessableEntity, &json!("version"), &json!("new.json"))
    );
    let (_, problem) = import("odd.json", &text.replace("\"set\"", "\"sparkle\""));
    assert_eq!(problem["field"], "passes[0].action.kind");
    assert!(problem["detail"].as_str().unwrap().contains("odd.json"));
    let (status, _) = post(&client, "/recipes", json!({"name": "Empty", "recipe": {"passes": []}}));
    assert_eq!(status, Status::UnprocessableEntity);
    let (_, renamed) = patch(
        &client,
        &format!("/recipes/{}", card["id"]),
        json!({"revision": card["revision"], "name": "Softer", "note": ""}),
    );
    assert_eq!(renamed["name"], "Softer");
    let (status, _) = delete(&client, &format!("/recipes/{}?revision={}", card["id"], renamed["revision"]));
    assert_eq!((status, get(&client, "/recipes").1.as_array().unwrap().len()), (Status::NoContent, 1));

    // Paper Lanterns has no snare: what does not fit is said, and nothing is lost.
    let (_, songs) = get(&client, "/songs");
    let lanterns = songs[4]["parts"][0]["id"].as_i64().unwrap();
    let (_, fitted) = post(&client, &format!("/parts/{lanterns}/fit"), json!({"recipe": softer()}));
    assert_eq!((&fitted["recipe"], fitted["said"].as_array().unwrap().len()), (&json!({"passes": []}), 1));
    let (_, received) = post(&client, "/parts/1/passes", json!({"recipe": softer()}));
    assert_eq!(received["added"], 1);
    assert_eq!(get(&client, "/parts/1").1["state"]["recipe"]["passes"].as_array().unwrap().len(), 1);
}

#[test]
fn a_part_has_starting_points_and_a_touch_to_match() {
    let client = client();
    let (_, points) = get(&client, "/parts/1/starting-points");
    let names: Vec<&str> = points.as_array().unwrap().iter().map(|point| point["name"].as_str().unwrap()).collect();
    assert_eq!((names.len(), names[0]), (6, "Barely there"));
    let (_, songs) = get(&client, "/songs");
    let weir = songs[5]["parts"][0]["id"].as_i64().unwrap();
    let (_, touch) = get(&client, &format!("/parts/{weir}/touch"));
    assert!(touch["name"].as_str().unwrap().starts_with("The Weir"));
    let recipe = json!({"passes": [{"id": 1, "action": {"kind": "match", "reference": touch}}]});
    let (status, played) = post(&client, "/parts/1/performance", json!({"recipe": recipe, "variation": 1, "round": 0}));
    assert_eq!(status, Status::Ok, "{played}");
    assert!(played["passes"][0]["touched"].as_u64().unwrap() > 100);
}

#[test]
fn wrong_takes_parts_and_names_are_refused_and_nothing_changes() {
    let client = client();
    let before = get(&client, "/parts/1").1;
    let (status, _) = post(&client, "/parts/1/takes", json!({"revision": 1, "name": " "}));
    assert_eq!(status, Status::UnprocessableEntity);
    let (status, problem) = post(&client, "/parts/1/takes", json!({"revision": 9, "name": "Late"}));
    assert_eq!((status, &problem["current"]["revision"]), (Status::Conflict, &json!(1)));
    let (status, problem) = delete(&client, "/parts/1/takes/1?revision=1");
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("take")));
    assert_eq!(delete(&client, "/parts/1/takes/99?revision=1").0, Status::NotFound);
    assert_eq!(get(&client, "/parts/1/takes/99/performance").0, Status::NotFound);
    let (status, problem) = delete(&client, "/parts/1?revision=1");
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("part")));
    assert_eq!(post(&client, "/parts/99/duplicate", Value::Null).0, Status::NotFound);
    let (status, problem) = put(&client, "/parts/1", json!({"revision": 1, "label": "", "take": 99}));
    assert_eq!(status, Status::NotFound, "{problem}");
    let layers = json!({"revision": 1, "label": "", "layers": {"snare": []}});
    let (status, problem) = put(&client, "/parts/1", layers);
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("layers.snare[0]")));
    assert_eq!(get(&client, "/parts/1").1, before);
}

#[test]
fn a_part_that_is_silent_cannot_be_printed() {
    let client = client();
    let (_, part) = get(&client, "/parts/1");
    let all = &part["written"]["ids"];
    let recipe = json!({"passes": [{"id": 1, "action": {"kind": "by-hand", "removed": all}}]});
    let state = change(&client, 1, json!({"recipe": recipe}));
    let (status, problem) = post(&client, "/parts/1/takes", json!({"revision": state["revision"], "name": "Silence"}));
    assert_eq!(status, Status::UnprocessableEntity, "{problem}");
    assert!(problem["detail"].as_str().unwrap().contains("nothing sounds"));
}

#[test]
fn recipes_that_are_too_long_or_odd_are_refused_by_path() {
    let client = client();
    let pass = |id: u32| json!({"id": id, "action": {"kind": "level", "by": 1}});
    let many: Vec<Value> = (0..10_000).map(pass).collect();
    let wrong = |recipe: Value| {
        let (status, problem) = put(&client, "/parts/1", json!({"revision": 1, "label": "", "recipe": recipe}));
        assert_eq!(status, Status::UnprocessableEntity, "{problem}");
        problem["field"].as_str().unwrap().to_owned()
    };
    assert_eq!(wrong(json!({"passes": many})), "recipe.passes");
    assert_eq!(
        wrong(json!({"passes": [{"id": 1, "action": {"kind": "pull", "reach": 900}}]})),
        "recipe.passes[0].action.reach"
    );
    assert_eq!(
        wrong(json!({"passes": [{"id": 1, "action": {"kind": "swing", "to": 90}}]})),
        "recipe.passes[0].action.to"
    );
    assert_eq!(
        wrong(json!({"passes": [{"id": 1, "action": {"kind": "accents", "pattern": [99]}}]})),
        "recipe.passes[0].action.pattern"
    );
    assert_eq!(
        wrong(json!({"passes": [{"id": 1, "action": {"kind": "draw", "from": 90, "to": 20}}]})),
        "recipe.passes[0].action.from"
    );
    let odd = json!({"name": "x", "quarters": 4, "instruments": [{"instrument": "snare", "family": "snare", "all": [9, 8, 7, 6, 5, 4, 3, 2, 1, 1, 1], "slots": {}}]});
    let reference = json!({"passes": [{"id": 1, "action": {"kind": "match", "reference": odd}}]});
    assert_eq!(wrong(reference), "recipe.passes[0].action.reference");
    assert_eq!(
        wrong(json!({"passes": [{"id": 1, "aim": {"sections": "Verse"}, "action": {"kind": "level"}}]})),
        "recipe.passes[0].aim.sections"
    );
}

#[test]
fn a_printed_take_keeps_its_early_hits_in_a_lead_in_bar() {
    let client = client();
    let early = json!({"passes": [{"id": 1, "aim": {"instruments": ["kick"]}, "action": {"kind": "lean", "by": -40}}]});
    let (_, info) = get(&client, "/songs/1/export");
    assert_eq!(info["held_at_start"], 0);
    let state = change(&client, 1, json!({"recipe": early}));
    let (_, info) = get(&client, "/songs/1/export");
    assert_eq!(info["held_at_start"], 1, "the first kick wants to come before the start");
    let (status, _) = post(&client, "/parts/1/takes", json!({"revision": state["revision"], "name": "Early"}));
    assert_eq!(status, Status::Ok);
    let (_, info) = get(&client, "/songs/1/export");
    assert_eq!(info["held_at_start"], 0, "what is printed lies within the song");
    let (_, part) = get(&client, "/parts/1");
    assert_eq!(part["written"]["ticks"][0], 0.0);
}

#[test]
fn recipe_files_that_are_no_text_or_too_large_are_named() {
    let client = client();
    let import = |bytes: Vec<u8>| {
        let request = client.post("/api/v1/recipes/file?file_name=mine.json").header(host());
        answer(request.body(bytes).dispatch())
    };
    for (bytes, expected) in [
        (vec![0xff, 0xfe, 0x00], Status::UnprocessableEntity),
        (b"{".to_vec(), Status::UnprocessableEntity),
        (b"[]".to_vec(), Status::UnprocessableEntity),
        (vec![b' '; (4 << 20) + 1], Status::PayloadTooLarge),
    ] {
        let (status, problem) = import(bytes);
        assert_eq!((status, &problem["file"]), (expected, &json!("mine.json")), "{problem}");
    }
    assert!(get(&client, "/recipes").1.as_array().unwrap().is_empty());
}

#[test]
fn sections_and_takes_are_guarded_by_revisions_and_undone_by_the_song() {
    let client = client();
    let (_, song) = get(&client, "/songs/1");
    let one = json!([{"name": "All", "from": 1, "to": 72}]);
    let set = |revision: &Value| put(&client, "/songs/1/sections", json!({"revision": revision, "sections": one}));
    assert_eq!(set(&song["revision"]).0, Status::Ok);
    assert_eq!(set(&song["revision"]).0, Status::Conflict, "the second tab was late");
    let (_, part) = get(&client, "/parts/1");
    let named = json!({"revision": part["state"]["revision"], "name": "Second"});
    let (_, printed) = post(&client, "/parts/1/takes", named);
    assert_eq!(printed["history"]["undo"], "print “Second”");
    let (_, undone) = post(&client, "/songs/1/undo", Value::Null);
    assert_eq!(undone["label"], "print “Second”");
    assert_eq!(undone["parts"][0]["takes"].as_array().unwrap().len(), 1);
    assert_eq!(post(&client, "/songs/1/undo", Value::Null).1["label"], "sections");
    assert_eq!(get(&client, "/songs/1").1["sections"], song["sections"], "the file's markers again");
    for label in ["sections", "print “Second”"] {
        assert_eq!(post(&client, "/songs/1/redo", Value::Null).1["label"], label);
    }
    assert_eq!(get(&client, "/songs/1").1["sections"], one);
}

#[test]
fn rounds_are_printed_as_so_many_phrases() {
    let client = client();
    let fresh = json!({"passes": [{"id": 1, "fresh": true, "aim": {"instruments": ["closed-hat"]}, "action": {"kind": "vary", "by": 20}}]});
    let state = change(&client, 1, json!({"recipe": fresh}));
    let print = |rounds: Value| {
        post(&client, "/parts/1/takes", json!({"revision": state["revision"], "name": "Eight", "rounds": rounds}))
    };
    for (rounds, field) in [
        (json!({"bars": {"from": 5, "to": 8}, "count": 0}), "rounds.count"),
        (json!({"bars": {"from": 5, "to": 8}, "count": 18}), "rounds.count"),
        (json!({"bars": {"from": 0, "to": 8}, "count": 2}), "rounds.bars"),
        (json!({"bars": {"from": 5, "to": 400}, "count": 2}), "rounds.bars"),
    ] {
        let (status, problem) = print(rounds);
        assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!(field)));
    }
    let (status, printed) = print(json!({"bars": {"from": 5, "to": 8}, "count": 8}));
    assert_eq!(status, Status::Ok, "{printed}");
    let (_, part) = get(&client, "/parts/1");
    let written = &part["written"];
    let hats = |phrase: u64| -> Vec<(u64, u64)> {
        let notes = written["notes"].as_array().unwrap();
        let bar = 3840 * 4;
        let within = |row: &usize| {
            let tick = written["ticks"][*row].as_f64().unwrap() as u64;
            notes[*row] == 42 && tick >= 4 * 3840 + phrase * bar && tick < 4 * 3840 + (phrase + 1) * bar
        };
        let rows = (0..notes.len()).filter(within);
        rows.map(|row| {
            let tick = written["ticks"][row].as_f64().unwrap() as u64;
            (tick % bar, written["velocities"][row].as_u64().unwrap())
        })
        .collect()
    };
    let phrases: Vec<_> = (0..8).map(hats).collect();
    let ticks = |phrase: &[(u64, u64)]| phrase.iter().map(|hit| hit.0).collect::<Vec<_>>();
    assert!(phrases[0].len() > 40 && phrases.iter().all(|phrase| ticks(phrase) == ticks(&phrases[0])));
    assert!(phrases.windows(2).all(|two| two[0] != two[1]), "eight different phrases");
}
