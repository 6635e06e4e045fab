//! Own sounds of kits: brought in, fitted to strokes, heard in mixdowns, missed, packed.

use crate::common::{answer, client, client_over, get, host, post, put};
use rocket::http::{ContentType, Status};
use rocket::local::blocking::Client;
use serde_json::{Value, json};
use vivida_audio::read;
use vivida_demo::sample_folder;

fn bring(client: &Client, name: &str, bytes: &[u8]) -> (Status, Value) {
    let path = format!("/api/v1/samples?file_name={}", name.replace(' ', "%20"));
    answer(client.post(path).header(host()).header(ContentType::Binary).body(bytes).dispatch())
}

fn bytes(client: &Client, path: &str) -> Vec<u8> {
    let response = client.get(format!("/api/v1{path}")).header(host()).dispatch();
    assert_eq!(response.status(), Status::Ok, "{path}");
    response.into_bytes().unwrap()
}

/// The demo's folder: its files of sound as they were brought in, and its SFZ file.
fn folder(client: &Client) -> (Vec<Value>, String) {
    let (mut files, mut text) = (Vec::new(), String::new());
    for (path, bytes) in sample_folder() {
        if path.ends_with(".sfz") {
            text = String::from_utf8(bytes).unwrap();
            continue;
        }
        let (status, detail) = bring(client, &path, &bytes);
        assert_eq!(status, Status::Created, "{detail}");
        files.push(json!({"path": path, "sound": detail["sound"]}));
    }
    (files, text)
}

fn fit(client: &Client, request: Value) -> (Status, Value) {
    post(client, "/kits/samples", request)
}

/// A kit of one's own with the sounds of the demo's folder.
fn sampled(client: &Client) -> Value {
    let (files, text) = folder(client);
    let (_, plain) = get(client, "/kits/1");
    let mut kit = plain["kit"].clone();
    kit["name"] = json!("Boathouse");
    let texts = json!([{"path": "Boathouse.sfz", "text": text}]);
    let (status, fitted) = fit(client, json!({"kit": kit, "files": files, "sfz": "Boathouse.sfz", "texts": texts}));
    assert_eq!(status, Status::Ok, "{fitted}");
    assert_eq!((&fitted["samples"], &fitted["strokes"]), (&json!(36), &json!(4)), "{}", fitted["said"]);
    assert_eq!(fitted["said"], json!(["Not used: ampeg_release."]));
    let (status, card) = post(client, "/kits", json!({"kit": fitted["kit"]}));
    assert_eq!(status, Status::Created, "{card}");
    card
}

fn stroke<'a>(kit: &'a Value, id: &str, note: u8) -> &'a Value {
    let instrument = kit["instruments"].as_array().unwrap().iter().find(|one| one["id"] == id).unwrap();
    instrument["articulations"].as_array().unwrap().iter().find(|way| way["note"] == note).unwrap()
}

fn take_kit(client: &Client, part: u32, kit: &Value) {
    let (_, detail) = get(client, &format!("/parts/{part}"));
    let body = json!({"revision": detail["state"]["revision"], "kit": kit, "keep_notes": false});
    let (status, state) = put(client, &format!("/parts/{part}/kit"), body);
    assert_eq!(status, Status::Ok, "{state}");
}

#[test]
fn a_folder_with_an_sfz_file_is_heard_in_the_mix() {
    let client = client();
    let plain = bytes(&client, "/songs/1/export.wav");
    let card = sampled(&client);
    let snare = &stroke(&card["kit"], "snare", 38)["samples"];
    assert_eq!(snare.as_array().unwrap().len(), 24);
    assert_eq!(snare[5]["from"], 22, "{}", snare[5]);
    let instrument = card["kit"]["instruments"].as_array().unwrap().iter().find(|one| one["id"] == "snare").unwrap();
    let layers: Vec<u64> =
        instrument["layers"].as_array().unwrap().iter().map(|one| one["from"].as_u64().unwrap()).collect();
    assert_eq!(layers, [1, 22, 43, 64, 85, 106], "the layers of the row are those of the samples");
    take_kit(&client, 1, &card["id"]);
    let own = bytes(&client, "/songs/1/export.wav");
    assert!(own != plain);
    assert_eq!(own, bytes(&client, "/songs/1/export.wav"), "the same each time");
    // What the page plays is the file as it is.
    let file = sample_folder().into_iter().find(|(path, _)| path.contains("Snare Center v1 rr2")).unwrap().1;
    let at = snare.as_array().unwrap().iter().find(|one| one["name"] == "Snare Center v1 rr2.wav").unwrap();
    let played = read(bytes(&client, &format!("/samples/{}", at["sound"].as_str().unwrap()))).unwrap();
    assert!(played.clip == read(file).unwrap().clip);
    // A page is told once what each of the 128 notes sounds by.
    let (_, detail) = get(&client, "/parts/1");
    let own = detail["sounds"]["notes"][38]["own"].as_u64().unwrap() as usize;
    assert_eq!(detail["sounds"]["own"][own], *snare);
    assert_eq!(detail["sounds"]["notes"][51]["own"], Value::Null);
}

#[test]
fn files_are_fitted_by_their_names_or_to_one_stroke() {
    let client = client();
    let (files, _) = folder(&client);
    let (_, plain) = get(&client, "/kits/1");
    let (status, fitted) = fit(&client, json!({"kit": plain["kit"], "files": files}));
    assert_eq!(status, Status::Ok, "{fitted}");
    assert_eq!((&fitted["samples"], &fitted["strokes"], &fitted["said"]), (&json!(36), &json!(4), &json!([])));
    let snare = &stroke(&fitted["kit"], "snare", 38)["samples"];
    let last = &snare[23];
    assert_eq!(
        (&last["name"], &last["from"], &last["turn"]),
        (&json!("Snare Center v6 rr4.wav"), &json!(106), &json!(4))
    );
    // To one stroke, whatever they are called.
    let few = &files[..3];
    let (_, fitted) = fit(&client, json!({"kit": plain["kit"], "files": few, "stroke": [0, 0]}));
    assert_eq!((&fitted["samples"], &fitted["strokes"]), (&json!(3), &json!(1)));
    // Words that were set of one stay when another comes.
    let mut kit = fitted["kit"].clone();
    kit["instruments"][0]["articulations"][0]["samples"][0]["volume"] = json!(-3.5);
    let sound = kit["instruments"][0]["articulations"][0]["samples"][0]["sound"].clone();
    let (_, fitted) = fit(&client, json!({"kit": kit, "files": &files[..4], "stroke": [0, 0]}));
    let samples = fitted["kit"]["instruments"][0]["articulations"][0]["samples"].as_array().unwrap();
    assert_eq!(samples.iter().find(|one| one["sound"] == sound).unwrap()["volume"], -3.5);
}

#[test]
fn what_cannot_be_a_sample_is_refused_by_name() {
    let client = client();
    let (status, problem) = bring(&client, "notes.wav", b"these are no samples");
    assert_eq!((status, problem["file"].as_str()), (Status::UnprocessableEntity, Some("notes.wav")), "{problem}");
    let long: Vec<u8> = {
        let frames = 61 * 8000u32;
        let mut wav = b"RIFF\0\0\0\0WAVEfmt \x10\0\0\0\x01\0\x01\0\x40\x1f\0\0\x40\x1f\0\0\x01\0\x08\0data".to_vec();
        wav[4..8].copy_from_slice(&(36 + frames).to_le_bytes());
        wav.extend(frames.to_le_bytes());
        wav.extend(std::iter::repeat_n(128, frames as usize));
        wav
    };
    let (status, problem) = bring(&client, "long.wav", &long);
    assert_eq!((status, problem["title"].as_str()), (Status::UnprocessableEntity, Some("Too long")), "{problem}");
    let (_, plain) = get(&client, "/kits/1");
    let kit = &plain["kit"];
    let nobody = "0".repeat(64);
    let text = |text: &str| json!([{"path": "a.sfz", "text": text}]);
    let many = "<region> sample=a.wav key=36\n".repeat(6000);
    let cases = [
        (json!({"kit": kit, "files": [{"path": "a.wav", "sound": "../../etc/passwd"}]}), "files[0].sound"),
        (json!({"kit": kit, "files": [], "stroke": [500, 0]}), "stroke"),
        (json!({"kit": {"name": "none", "instruments": []}, "files": []}), "kit.instruments"),
    ];
    for (request, field) in cases {
        let (status, problem) = fit(&client, request);
        assert_eq!((status, problem["field"].as_str()), (Status::UnprocessableEntity, Some(field)), "{problem}");
    }
    let (status, problem) = fit(&client, json!({"kit": kit, "files": [{"path": "a.wav", "sound": nobody}]}));
    assert_eq!((status, problem["file"].as_str()), (Status::NotFound, Some("a.wav")), "{problem}");
    for (what, said) in [
        ("", "no region"),
        ("#include \"a.sfz\"", "includes itself"),
        ("#include \"../b.sfz\"", "outside its folder"),
        ("#include \"b.sfz\"", "not in the folder"),
        (many.as_str(), "more than 5000 regions"),
    ] {
        let (status, problem) = fit(&client, json!({"kit": kit, "files": [], "sfz": "a.sfz", "texts": text(what)}));
        assert_eq!((status, problem["file"].as_str()), (Status::UnprocessableEntity, Some("a.sfz")), "{problem}");
        assert!(problem["detail"].as_str().unwrap().contains(said), "{problem}");
    }
    // What nobody can play is no kit either.
    let card = sampled(&client);
    let place = card["kit"]["instruments"].as_array().unwrap().iter().position(|one| one["id"] == "snare").unwrap();
    for (field, value) in [
        ("volume", json!(99)),
        ("pan", json!(-101)),
        ("turn", json!(0)),
        ("turns", json!(1000)),
        ("from", json!(127)),
        ("frames", json!(0)),
        ("frames", json!(1u64 << 60)),
        ("track", json!(101)),
        ("sound", json!("snare.wav")),
        ("name", json!("a\nb")),
        ("colour", json!("red")),
    ] {
        let mut kit = card["kit"].clone();
        let ways = kit["instruments"][place]["articulations"].as_array_mut().unwrap();
        let way = ways.iter_mut().find(|way| way["note"] == 38).unwrap();
        way["samples"][0][field] = value.clone();
        let change = json!({"revision": card["revision"], "label": "x", "kit": kit});
        let (status, problem) = put(&client, &format!("/kits/{}", card["id"]), change);
        assert_eq!(status, Status::UnprocessableEntity, "{field} {value} {problem}");
        assert!(problem["field"].as_str().unwrap().contains("samples[0]"), "{problem}");
    }
}

#[test]
fn a_file_that_is_gone_is_missed_and_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    let client = client_over(&folder.path().join("vivida.sqlite"));
    let (_, song) = answer(
        client
            .post("/api/v1/songs?file_name=causeway.mid")
            .header(host())
            .header(ContentType::Binary)
            .body(&vivida_demo::songs()[0].bytes[..])
            .dispatch(),
    );
    assert!(song["id"].is_number(), "{song}");
    let card = sampled(&client);
    take_kit(&client, 1, &card["id"]);
    let whole = bytes(&client, "/songs/1/export.wav");
    let kicks = stroke(&card["kit"], "kick", 36)["samples"].as_array().unwrap();
    let gone = kicks.iter().find(|one| one["name"] == "Kick v2 rr1.wav").unwrap().clone();
    let path = folder.path().join("sounds").join(gone["sound"].as_str().unwrap());
    let file = std::fs::read(&path).unwrap();
    std::fs::remove_file(&path).unwrap();
    let (_, now) = get(&client, &format!("/kits/{}", card["id"]));
    assert_eq!(now["missing"], json!([gone["name"]]));
    let (status, problem) = answer(client.get("/api/v1/songs/1/export.wav").header(host()).dispatch());
    assert_eq!((status, &problem["file"]), (Status::NotFound, &gone["name"]), "{problem}");
    let (status, _) = bring(&client, "whatever it is called.wav", &file);
    assert_eq!(status, Status::Created);
    let (_, now) = get(&client, &format!("/kits/{}", card["id"]));
    assert_eq!(now["missing"], json!([]));
    assert!(bytes(&client, "/songs/1/export.wav") == whole);
}

#[test]
fn bundles_carry_own_sounds_if_wished() {
    let (here, there, elsewhere) = (client(), client(), client());
    let card = sampled(&here);
    take_kit(&here, 1, &card["id"]);
    let mix = bytes(&here, "/songs/1/export.wav");
    let unpack = |client: &Client, bundle: &[u8]| {
        let path = "/api/v1/bundles?file_name=one.vivida";
        let (status, cards) =
            answer(client.post(path).header(host()).header(ContentType::Binary).body(bundle).dispatch());
        assert_eq!(status, Status::Created, "{cards}");
        cards[0]["id"].clone()
    };
    let (with, without) = (bytes(&here, "/songs/1/bundle.vivida"), bytes(&here, "/songs/1/bundle.vivida?sounds=false"));
    assert!(with.len() > without.len() + 500_000, "{} {}", with.len(), without.len());
    let song = unpack(&there, &with);
    assert!(bytes(&there, &format!("/songs/{song}/export.wav")) == mix);
    let song = unpack(&elsewhere, &without);
    let (status, problem) = answer(elsewhere.get(format!("/api/v1/songs/{song}/export.wav")).header(host()).dispatch());
    assert_eq!(status, Status::NotFound, "{problem}");
    // The kit as a file names what it plays.
    let file: Value = serde_json::from_slice(&bytes(&here, &format!("/kits/{}/file", card["id"]))).unwrap();
    assert_eq!(file["version"], 2);
    let (_, plain) = get(&here, "/kits/1/file");
    assert_eq!(plain["version"], 1);
}
