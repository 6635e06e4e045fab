//! Kits over the API: the library, a part's kit, and what goes out by it.

use crate::common::{client, delete, get, host, post, put};
use rocket::http::Status;
use rocket::local::blocking::Client;
use serde_json::{Value, json};
use vivida_smf::{SongFile, read};

fn export(client: &Client, query: &str) -> SongFile {
    let response = client.get(format!("/api/v1/songs/1/export.mid?{query}")).header(host()).dispatch();
    assert_eq!(response.status(), Status::Ok, "{query}");
    read(&response.into_bytes().unwrap()).unwrap()
}

/// A kit that reads the snare and the kick alone, and sends the snare elsewhere.
fn small() -> Value {
    json!({"name": "Small", "instruments": [
        {"id": "snare", "name": "Snare", "family": "snare", "limb": "left-hand",
            "articulations": [{"name": "centre", "note": 38, "note_out": 25, "channel_out": 3}], "scale": 50, "offset": 10},
        {"id": "kick", "name": "Kick", "family": "kick", "limb": "right-foot",
            "articulations": [{"name": "beater", "note": 36}]}]})
}

fn own(client: &Client, kit: Value) -> Value {
    let (status, card) = post(client, "/kits", json!({"kit": kit}));
    assert_eq!(status, Status::Created, "{card}");
    card
}

fn exchange(client: &Client, part: u32, kit: &Value, keep_notes: bool) -> Value {
    let (_, detail) = get(client, &format!("/parts/{part}"));
    let body = json!({"revision": detail["state"]["revision"], "kit": kit, "keep_notes": keep_notes});
    let (status, state) = put(client, &format!("/parts/{part}/kit"), body);
    assert_eq!(status, Status::Ok, "{state}");
    state
}

fn names(detail: &Value) -> Vec<String> {
    let instruments = detail["kit"]["instruments"].as_array().unwrap();
    instruments.iter().map(|one| one["name"].as_str().unwrap().to_owned()).collect()
}

#[test]
fn the_library_is_kept_checked_and_undone() {
    let client = client();
    let (_, all) = get(&client, "/kits");
    let shipped: Vec<&str> = all.as_array().unwrap().iter().map(|card| card["kit"]["name"].as_str().unwrap()).collect();
    assert_eq!(shipped, ["General MIDI", "Large kit, both hands", "Hand percussion"]);
    let card = own(&client, small());
    let path = format!("/kits/{}", card["id"]);
    let mut louder = small();
    louder["instruments"][0]["offset"] = json!(400);
    let change = |kit: &Value| json!({"revision": card["revision"], "label": "louder", "kit": kit});
    let (status, problem) = put(&client, &path, change(&louder));
    assert_eq!((status, problem["field"].as_str()), (Status::UnprocessableEntity, Some("kit.instruments[0].offset")));
    louder["instruments"][0]["offset"] = json!(40);
    assert_eq!(put(&client, &path, change(&louder)).0, Status::Ok);
    assert_eq!(put(&client, &path, change(&louder)).0, Status::Conflict);
    let (status, problem) = put(&client, "/kits/1", json!({"revision": 1, "label": "", "kit": small()}));
    assert_eq!(status, Status::UnprocessableEntity, "{problem}");
    assert!(problem["detail"].as_str().unwrap().contains("duplicate it"), "{problem}");
    // As a file, out and in again.
    let file = client.get(format!("/api/v1{path}/file")).header(host()).dispatch().into_string().unwrap();
    let sent = client.post("/api/v1/kits/file?file_name=small.kit.json").header(host()).body(&file).dispatch();
    assert_eq!(sent.status(), Status::Created);
    let torn = client.post("/api/v1/kits/file?file_name=torn.kit.json").header(host()).body(&file[..file.len() / 2]);
    let problem = torn.dispatch().into_string().unwrap();
    assert!(problem.contains("torn.kit.json"), "{problem}");
}

#[test]
fn a_part_is_read_by_its_kit_and_goes_on_with_one_that_was_deleted() {
    let client = client();
    let card = own(&client, small());
    let (_, before) = get(&client, "/parts/1");
    let recipe = json!({"passes": [{"id": 1, "aim": {"instruments": ["snare"]}, "action": {"kind": "level", "by": 5}},
        {"id": 2, "aim": {"instruments": ["china", "closed-hat"]}, "action": {"kind": "level", "by": 5}}]});
    put(&client, "/parts/1", json!({"revision": before["state"]["revision"], "label": "two", "recipe": recipe}));
    let tried = json!({"revision": 0, "kit": card["id"], "keep_notes": false});
    let (status, reading) = post(&client, "/parts/1/kit/reading", tried);
    assert_eq!(status, Status::Ok, "{reading}");
    let (hits, known) = (reading["hits"].as_u64().unwrap(), reading["known"].as_u64().unwrap());
    assert!(0 < known && known < hits, "{reading}");
    assert_eq!(reading["said"], json!(["Pass 2, Level: there is no china there; it waits for one."]));
    let state = exchange(&client, 1, &card["id"], false);
    assert_eq!(state["kit"]["name"], "Small");
    let (_, after) = get(&client, "/parts/1");
    assert_eq!(names(&after)[..2], ["Snare", "Kick"]);
    assert!(names(&after)[2..].iter().all(|name| name.starts_with("Note ")), "{:?}", names(&after));
    // What the kit does not know follows by its notes.
    assert_eq!(state["recipe"]["passes"][1]["aim"]["instruments"], json!(["china", "note-42"]));
    // A change to the kit is a change to the part.
    let mut renamed = small();
    renamed["instruments"][0]["name"] = json!("Field drum");
    let change = json!({"revision": card["revision"], "label": "rename", "kit": renamed});
    assert_eq!(put(&client, &format!("/kits/{}", card["id"]), change).0, Status::Ok);
    assert_eq!(names(&get(&client, "/parts/1").1)[0], "Field drum");
    let (_, card) = get(&client, &format!("/kits/{}", card["id"]));
    assert_eq!(card["parts"], 1);
    let gone = delete(&client, &format!("/kits/{}?revision={}", card["id"], card["revision"]));
    assert_eq!(gone.0, Status::NoContent);
    let (_, still) = get(&client, "/parts/1");
    assert_eq!((names(&still)[0].as_str(), &still["state"]["kit"]["deleted"]), ("Field drum", &json!(true)));
    // Back to the usual one; and a tonal part has none.
    exchange(&client, 1, &Value::Null, false);
    assert_eq!(names(&get(&client, "/parts/1").1), names(&before));
    let (status, problem) = put(&client, "/parts/2/kit", json!({"revision": 1, "kit": 2, "keep_notes": false}));
    assert_eq!((status, problem["field"].as_str()), (Status::UnprocessableEntity, Some("kit")));
}

#[test]
fn what_goes_out_is_what_the_sampler_plays() {
    let client = client();
    let before = export(&client, "");
    let count = |song: &SongFile, note: u8, channel: u8| {
        let hits = song.parts.iter().flat_map(|part| part.part.hits());
        hits.filter(|hit| (hit.note.get(), hit.channel.get()) == (note, channel)).count()
    };
    let snares = count(&before, 38, 9);
    let card = own(&client, small());
    exchange(&client, 1, &card["id"], false);
    for query in ["", "part=1"] {
        let after = export(&client, query);
        assert_eq!((count(&after, 38, 9), count(&after, 25, 3)), (0, snares), "{query}");
        assert_eq!(count(&after, 36, 9), count(&before, 36, 9));
        let sent = after.parts.iter().flat_map(|part| part.part.hits()).find(|hit| hit.note.get() == 25).unwrap();
        assert_eq!(sent.velocity.get(), 60, "100 · 50 % + 10");
    }
    // Split, its snare has a track of its own though it goes out elsewhere.
    let split = export(&client, "split=true");
    assert!(split.parts.iter().any(|part| part.name.contains("Snare") && part.channel.get() == 3));
    // Written, figures and passes know nothing of that.
    let (_, detail) = get(&client, "/parts/1");
    assert!(detail["written"]["notes"].as_array().unwrap().contains(&json!(38)));
    assert_eq!(detail["sounds"]["kinds"][1]["sent"][100], 60);
}

#[test]
fn a_part_in_general_midi_is_sent_to_a_sampler_with_other_notes() {
    let client = client();
    let before = export(&client, "part=1");
    let (_, all) = get(&client, "/kits");
    let large = &all[1];
    let state = exchange(&client, 1, &large["id"], true);
    assert_eq!(state["kit"]["name"], "General MIDI to Large kit, both hands");
    let after = export(&client, "part=1");
    assert_eq!(after.hits, before.hits);
    let large: vivida_core::Kit = serde_json::from_value(large["kit"].clone()).unwrap();
    let of = |song: &SongFile, kit: &vivida_core::Kit, id: &str| {
        let lookup = kit.lookup();
        let hits = song.parts[0].part.hits().iter().filter_map(|hit| lookup.instrument(hit.note, hit.channel));
        hits.filter(|&place| kit.instruments[place].id.as_str() == id).count()
    };
    for id in ["kick", "snare", "closed-hat"] {
        let was = of(&before, &vivida_core::Kit::general_midi(), id);
        assert!(was > 0 && of(&after, &large, id) == was, "{id}");
    }
    // By their notes its drums would be others: what is a kick now is no kick there.
    let tried = json!({"revision": 0, "kit": 1, "keep_notes": false});
    let (_, reading) = post(&client, "/parts/1/kit/reading", tried);
    assert_eq!(reading["alike"], reading["known"], "{reading}");
    let tried = json!({"revision": 0, "kit": 2, "keep_notes": false});
    let (_, reading) = post(&client, "/parts/1/kit/reading", tried);
    assert!(reading["alike"].as_u64().unwrap() * 2 < reading["known"].as_u64().unwrap(), "{reading}");
    // Its other strokes can be asked for: the backbeats as rimshots.
    let recipe = json!({"passes": [{"id": 1, "aim": {"instruments": ["snare"]},
        "action": {"kind": "swap", "to": "stroke", "stroke": "rimshot", "instrument": "ride-1", "keys": 0}}]});
    let change = json!({"revision": state["revision"], "label": "rimshots", "recipe": recipe});
    assert_eq!(put(&client, "/parts/1", change).0, Status::Ok);
    let rimshots = large.instruments.iter().flat_map(|one| &one.articulations).filter(|way| way.name == "rimshot");
    let rimshots: Vec<u8> = rimshots.map(|way| way.note.get()).collect();
    let out = export(&client, "part=1");
    assert!(out.parts[0].part.hits().iter().any(|hit| rimshots.contains(&hit.note.get())));
    // The same again takes the kit that was made.
    exchange(&client, 1, &Value::Null, false);
    exchange(&client, 1, &json!(2), true);
    assert_eq!(get(&client, "/kits").1.as_array().unwrap().len(), 4);
    let (_, notes) = get(&client, "/parts/1/notes");
    let written: u64 = notes.as_array().unwrap().iter().map(|one| one["written"].as_u64().unwrap()).sum();
    assert_eq!(written as usize, before.hits);
}
