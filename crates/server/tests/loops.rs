//! Recorded loops: brought in, laid into songs, heard, cut, taken away.

use crate::common::{answer, client, client_over, get, host, post, put};
use rocket::http::{ContentType, Status};
use rocket::local::blocking::Client;
use serde_json::{Value, json};
use vivida_audio::{RATE, read};
use vivida_demo::LoopPlan;

fn bring(client: &Client, name: &str, bytes: &[u8]) -> (Status, Value) {
    let path = format!("/api/v1/sounds?file_name={name}");
    answer(client.post(path).header(host()).header(ContentType::Binary).body(bytes).dispatch())
}

fn bytes(client: &Client, path: &str) -> Vec<u8> {
    let response = client.get(format!("/api/v1{path}")).header(host()).dispatch();
    assert_eq!(response.status(), Status::Ok, "{path}");
    response.into_bytes().unwrap()
}

fn heard(client: &Client, part: &Value, request: Value) -> Vec<f32> {
    let path = format!("/api/v1/parts/{part}/heard");
    let response = client.post(path).header(host()).header(ContentType::JSON).body(request.to_string()).dispatch();
    assert_eq!(response.status(), Status::Ok);
    let bytes = response.into_bytes().unwrap();
    bytes.chunks_exact(4).map(|four| f32::from_le_bytes([four[0], four[1], four[2], four[3]])).collect()
}

/// A song that is the demo's break.
fn begun(client: &Client) -> (Value, Value, Vec<u8>) {
    let file = LoopPlan::cut_break().make().wav();
    let (status, sound) = bring(client, "cut-break.wav", &file);
    assert_eq!(status, Status::Created, "{sound}");
    assert_eq!((&sound["proposals"][0]["bars"], &sound["proposals"][0]["beats"]), (&json!(2), &json!(4)), "{sound}");
    let request =
        json!({"sound": sound["sound"], "name": "Break", "file_name": "cut-break.wav", "bars": 2, "beats": 4});
    let (status, laid) = post(client, "/loops", request);
    assert_eq!(status, Status::Created, "{laid}");
    (laid["song"].clone(), laid["part"].clone(), file)
}

#[test]
fn a_loop_becomes_a_song_that_sounds_as_it_was_recorded() {
    let client = client();
    let (song, part, file) = begun(&client);
    let own = read(file).unwrap().clip;
    let frames = own.frames();
    let request = json!({"from": 0, "frames": frames, "speed": 1.0, "round": {"from": 1, "to": 2}});
    let out = heard(&client, &part, request);
    assert!(out[..frames] == own.channels()[0][..] && out[frames..] == own.channels()[1][..], "sample for sample");
    for depth in ["16", "24", "32f"] {
        let wav = bytes(&client, &format!("/parts/{part}/loop.wav?depth={depth}"));
        assert!(read(wav).unwrap().clip == own, "{depth}");
    }
    let (_, detail) = get(&client, &format!("/parts/{part}"));
    assert!((detail["audio"]["bpm"].as_f64().unwrap() - 92.0).abs() < 0.01, "{}", detail["audio"]);
    assert_eq!(detail["state"]["drawn"], true);
    let families: Vec<&str> =
        detail["kit"]["instruments"].as_array().unwrap().iter().map(|one| one["id"].as_str().unwrap()).collect();
    assert!(["kick", "snare", "closed-hat"].iter().all(|one| families.contains(one)), "{families:?}");

    // Swung, it is otherwise.
    let recipe =
        |to: u32| json!({"passes": [{"id": 1, "aim": {}, "action": {"kind": "swing", "to": to, "grid": "1/16"}}]});
    let recipe_of = |to: u32| {
        let played = json!({"recipe": recipe(to), "variation": 1, "round": 0});
        json!({"played": played, "from": 0, "frames": frames, "speed": 1.0, "round": {"from": 1, "to": 2}})
    };
    let swung = heard(&client, &part, recipe_of(66));
    assert!(swung != out && swung.iter().all(|value| value.is_finite() && value.abs() <= 1.5));

    // Silenced instruments are not heard.
    let without = json!({"from": 0, "frames": frames, "speed": 1.0, "without": ["snare", "kick"]});
    let quiet = heard(&client, &part, without);
    let energy = |all: &[f32]| all.iter().map(|value| f64::from(value * value)).sum::<f64>();
    assert!(energy(&quiet) < 0.5 * energy(&out));

    let table = String::from_utf8(bytes(&client, &format!("/parts/{part}/onsets.csv"))).unwrap();
    let hits = detail["written"]["ids"].as_array().unwrap().len();
    assert_eq!(table.lines().count(), hits + 1);
    // As MIDI, for which nothing more has to be done.
    let midi = bytes(&client, &format!("/songs/{song}/export.mid?resolution=own&lead_in=false"));
    assert_eq!(vivida_smf::read(&midi).unwrap().parts[0].part.hits().len(), hits);
}

#[test]
fn a_mix_has_the_loop_in_it() {
    let client = client();
    let (song, _, file) = begun(&client);
    let (status, render) = post(&client, "/renders", json!({"song": song, "written": true}));
    assert!(status.code < 300, "{render}");
    let id = &render["id"];
    for _ in 0..200 {
        if get(&client, &format!("/renders/{id}")).1["ready"] == true {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
    let mix = read(bytes(&client, &format!("/renders/{id}/file"))).unwrap().clip;
    let own = read(file).unwrap().clip;
    // Nothing but the loop, a step of 16 bits apart at most.
    assert_eq!(mix.frames(), own.frames());
    let far = mix.channels().iter().flatten().zip(own.channels().iter().flatten()).map(|(a, b)| (a - b).abs());
    assert!(far.fold(0.0f32, f32::max) < 1.1 / 32768.0);
}

#[test]
fn a_loop_is_laid_into_a_song_and_goes_at_its_tempo() {
    let client = client();
    let file = LoopPlan::shaker().make().wav();
    let (_, sound) = bring(&client, "shaker.wav", &file);
    let (_, before) = get(&client, "/songs/1");
    let request = json!({"sound": sound["sound"], "name": "Shaker", "file_name": "shaker.wav", "bars": 2,
                         "song": 1, "revision": before["revision"]});
    let (status, laid) = post(&client, "/loops", request.clone());
    assert_eq!(status, Status::Created, "{laid}");
    assert_eq!(post(&client, "/loops", request).0, Status::Conflict, "the song has changed");
    let part = &laid["part"];
    let (_, detail) = get(&client, &format!("/parts/{part}"));
    // 72 bars, so 36 times; at 96 bpm in the place of 100.
    assert_eq!(detail["audio"]["source"]["slicing"]["times"], 36);
    assert!((detail["audio"]["bpm"].as_f64().unwrap() - 100.0).abs() < 0.01);
    let second = |seconds: f64| (seconds * f64::from(RATE)) as u64;
    let request = json!({"from": second(100.0), "frames": second(2.0), "speed": 1.0});
    assert!(heard(&client, part, request).iter().any(|value| value.abs() > 0.01), "it still goes on there");
    // The mix has it: its stem is as long as the song, and no strike of the kit.
    let (_, undone) = post(&client, "/songs/1/undo", json!({}));
    assert!(undone["parts"].is_array() || undone["history"].is_object(), "{undone}");
    assert_eq!(get(&client, &format!("/parts/{part}")).0, Status::NotFound);
    post(&client, "/songs/1/redo", json!({}));
    assert_eq!(get(&client, &format!("/parts/{part}")).0, Status::Ok);
}

#[test]
fn onsets_are_found_again_drawn_and_undone() {
    let client = client();
    let (song, part, _) = begun(&client);
    let count = |client: &Client| get(client, &format!("/parts/{part}")).1["written"]["ids"].as_array().unwrap().len();
    let revision = |client: &Client| get(client, &format!("/parts/{part}")).1["state"]["revision"].clone();
    let before = count(&client);
    let (status, found) =
        put(&client, &format!("/parts/{part}/onsets"), json!({"revision": revision(&client), "sensitivity": 0}));
    assert_eq!(status, Status::Ok, "{found}");
    assert!(count(&client) < before);
    assert_eq!(found["audio"]["source"]["sensitivity"], 0.0);
    let stale = put(&client, &format!("/parts/{part}/onsets"), json!({"revision": 0, "sensitivity": 2}));
    assert_eq!(stale.0, Status::Conflict);
    post(&client, &format!("/songs/{song}/undo"), json!({}));
    assert_eq!(count(&client), before);
    // One that was missed is drawn; the sound is as it was, cut once more.
    let stroke = json!({"kind": "fill", "instrument": "snare", "from": 3360, "to": 3360, "grid": "1/32",
                        "path": [{"tick": 3360, "velocity": 60}]});
    let drawing = json!({"revision": revision(&client), "label": "draw", "drawings": [stroke]});
    let (status, drawn) = put(&client, &format!("/parts/{part}/written"), drawing);
    assert_eq!(status, Status::Ok, "{drawn}");
    assert_eq!(count(&client), before + 1);
    let (status, made) = post(&client, &format!("/parts/{part}/by-the-kit"), json!({}));
    assert_eq!(status, Status::Created, "{made}");
    let (_, midi) = get(&client, &format!("/parts/{}", made["parts"][0]));
    assert!(midi["audio"].is_null() && midi["written"]["ids"].as_array().unwrap().len() >= before);
}

#[test]
fn what_cannot_be_is_refused_by_field() {
    let client = client();
    let (status, problem) = bring(&client, "notes.wav", b"not a sound");
    assert_eq!(status, Status::UnprocessableEntity);
    assert!(problem["detail"].as_str().unwrap().contains("notes.wav") && problem["file"] == "notes.wav", "{problem}");
    let (song, part, _) = begun(&client);
    let sound = get(&client, &format!("/parts/{part}")).1["audio"]["source"]["sound"].clone();
    let lay = |change: Value| {
        let mut request = json!({"sound": sound, "name": "x", "file_name": "x.wav", "bars": 2, "beats": 4});
        request.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
        post(&client, "/loops", request)
    };
    for (change, field) in [
        (json!({"bars": 0}), "bars"),
        (json!({"bars": 1_000_000}), "bars"),
        (json!({"bars": 1900}), "bars"),
        (json!({"beats": 0}), "beats"),
        (json!({"sensitivity": 101}), "sensitivity"),
        (json!({"song": song}), "revision"),
        (json!({"name": " "}), "name"),
        (json!({"name": "two\nlines"}), "name"),
        (json!({"name": "x".repeat(201)}), "name"),
    ] {
        let (status, problem) = lay(change.clone());
        assert_eq!(
            (status, problem["field"].as_str()),
            (Status::UnprocessableEntity, Some(field)),
            "{change} {problem}"
        );
    }
    assert_eq!(lay(json!({"sound": "0".repeat(64)})).0, Status::NotFound);
    assert_eq!(lay(json!({"sound": "../../etc/passwd"})).0, Status::NotFound);
    assert_eq!(get(&client, "/sounds/..%2f..%2fetc/onsets?sensitivity=5").0, Status::NotFound);
    assert_eq!(
        get(&client, &format!("/sounds/{}/peaks?from=3&to=1&count=9", sound.as_str().unwrap())).0,
        Status::UnprocessableEntity
    );
    for request in [
        json!({"from": 0, "frames": 4_000_000_000u32, "speed": 1.0}),
        json!({"from": i64::MIN, "frames": 10, "speed": 1.0}),
        json!({"from": 0, "frames": 10, "speed": 0.0}),
        json!({"from": 0, "frames": 10, "speed": 1.0, "round": {"from": 9, "to": 12}}),
    ] {
        assert_eq!(post(&client, &format!("/parts/{part}/heard"), request).0, Status::UnprocessableEntity);
    }
    let (status, problem) = post(&client, &format!("/parts/{part}/recordings"), json!({"client": "mine"}));
    assert_eq!((status, &problem["field"]), (Status::UnprocessableEntity, &json!("part")), "{problem}");
    // A part that is none.
    assert_eq!(
        post(&client, "/parts/1/heard", json!({"from": 0, "frames": 9, "speed": 1})).0,
        Status::UnprocessableEntity
    );
}

#[test]
fn a_file_that_is_gone_is_missed_and_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("vivida.sqlite");
    let (part, file) = {
        let client = client_over(&path);
        let (_, part, file) = begun(&client);
        (part, file)
    };
    let sounds = folder.path().join("sounds");
    let kept = std::fs::read_dir(&sounds).unwrap().next().unwrap().unwrap().path();
    std::fs::remove_file(&kept).unwrap();
    let client = client_over(&path);
    let (status, detail) = get(&client, &format!("/parts/{part}"));
    assert_eq!((status, &detail["audio"]["missing"]), (Status::Ok, &json!(true)));
    let (status, problem) = post(&client, &format!("/parts/{part}/heard"), json!({"from": 0, "frames": 9, "speed": 1}));
    assert_eq!(status, Status::NotFound);
    assert!(problem["detail"].as_str().unwrap().contains("cut-break.wav"), "{problem}");
    assert_eq!(bring(&client, "again.wav", &file).0, Status::Created);
    assert_eq!(get(&client, &format!("/parts/{part}")).1["audio"]["missing"], false);
    // A file that somebody changed is none of ours, and does not bring the part down.
    std::fs::write(&kept, vec![b'x'; file.len()]).unwrap();
    drop(client);
    let client = client_over(&path);
    assert_eq!(get(&client, &format!("/parts/{part}")).1["audio"]["missing"], true);
    assert_eq!(bring(&client, "again.wav", &file).0, Status::Created);
    assert_eq!(get(&client, &format!("/parts/{part}")).1["audio"]["missing"], false);
}

#[test]
fn a_bundle_takes_its_loops_along() {
    let here = client();
    let (song, _, file) = begun(&here);
    let bundle = bytes(&here, &format!("/songs/{song}/bundle.vivida"));
    let there = client();
    let path = "/api/v1/bundles?file_name=break.vivida";
    let (status, cards) = answer(there.post(path).header(host()).header(ContentType::Binary).body(&bundle).dispatch());
    assert_eq!(status, Status::Created, "{cards}");
    let part = &cards[0]["parts"][0]["id"];
    let wav = bytes(&there, &format!("/parts/{part}/loop.wav?depth=16"));
    assert!(read(wav).unwrap().clip == read(file).unwrap().clip);
}

/// A file with something before and behind its bars: the loop is what lies between, sample for sample.
#[test]
fn a_file_that_is_not_cut_at_its_bars_is_cut_here() {
    let client = client();
    let made = LoopPlan::cut_break().make();
    let (before, behind) = (13_230, 22_050);
    let mut frames = vec![[0.0; 2]; before];
    frames.extend(&made.frames);
    frames.extend(vec![[0.0; 2]; behind]);
    let own = read(made.wav()).unwrap().clip;
    let padded = vivida_demo::MadeLoop { frames, strokes: Vec::new() };
    let (_, sound) = bring(&client, "padded.wav", &padded.wav());
    let id = sound["sound"].as_str().unwrap();
    assert!((sound["begins"].as_f64().unwrap() - 0.3).abs() < 0.002, "{}", sound["begins"]);
    let (from, to) = (0.3, 0.3 + own.seconds());
    let (_, proposals) = get(&client, &format!("/sounds/{id}/proposals?sensitivity=50&from={from}&to={to}"));
    assert_eq!((&proposals[0]["bars"], &proposals[0]["beats"]), (&json!(2), &json!(4)), "{proposals}");
    let request = |from: f64, to: f64| json!({"sound": id, "name": "Break", "file_name": "padded.wav", "bars": 2, "beats": 4, "from": from, "to": to});
    let (status, laid) = post(&client, "/loops", request(from, to));
    assert_eq!(status, Status::Created, "{laid}");
    let (_, detail) = get(&client, &format!("/parts/{}", laid["part"]));
    assert!((detail["audio"]["bpm"].as_f64().unwrap() - 92.0).abs() < 0.01, "{}", detail["audio"]);
    let wav = bytes(&client, &format!("/parts/{}/loop.wav?depth=32f", laid["part"]));
    assert!(read(wav).unwrap().clip == own);
    // Every stroke of the made loop is where it was, from the loop's beginning.
    let written = detail["written"]["ticks"].as_array().unwrap();
    assert!(written.len() > 15 && written.iter().all(|tick| (0.0..7680.0).contains(&tick.as_f64().unwrap())));
    for (from, to, field) in [(-1.0, 2.0, "from"), (0.0, 99.0, "to"), (3.0, 2.0, "to"), (1.0, 1.01, "to")] {
        let (status, problem) = post(&client, "/loops", request(from, to));
        assert_eq!((status, problem["field"].as_str()), (Status::UnprocessableEntity, Some(field)), "{problem}");
    }
}
