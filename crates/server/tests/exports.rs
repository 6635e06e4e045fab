//! Taking songs away: some bars, one part, a track for each instrument, stems, a table.

use crate::common::{client, get, host, put};
use rocket::http::Status;
use rocket::local::blocking::Client;
use serde_json::json;
use std::collections::BTreeMap;
use std::io::Cursor;
use std::time::Duration;
use vivida_smf::{SongFile, read};

fn bytes(client: &Client, path: &str) -> Vec<u8> {
    let response = client.get(format!("/api/v1{path}")).header(host()).dispatch();
    assert_eq!(response.status(), Status::Ok, "{path}");
    response.into_bytes().unwrap()
}

fn export(client: &Client, query: &str) -> SongFile {
    read(&bytes(client, &format!("/songs/1/export.mid?{query}"))).unwrap()
}

/// Causeway, all of its drums 20 ms early.
fn early() -> Client {
    let client = client();
    let recipe = json!({"passes": [{"id": 1, "action": {"kind": "lean", "by": -20}}]});
    let change = json!({"revision": 1, "label": "early", "recipe": recipe});
    assert_eq!(put(&client, "/parts/1", change).0, Status::Ok);
    client
}

/// Note, tick and velocity of all hits, over all parts.
fn hits(song: &SongFile) -> Vec<(u8, i64, u8)> {
    let all = song.parts.iter().flat_map(|part| part.part.hits());
    let mut hits: Vec<_> = all.map(|hit| (hit.note.get(), hit.tick.0 as i64, hit.velocity.get())).collect();
    hits.sort_unstable();
    hits
}

#[test]
fn some_bars_are_a_file_of_their_own() {
    let client = early();
    let whole = export(&client, "part=1");
    assert_eq!(whole.parts.len(), 1, "the bass stays behind");
    let four = export(&client, "part=1&bars=5-8");
    let bar = 4 * 960;
    let (from, to) = (4 * bar, 8 * bar);
    // 20 ms at 96 bpm are 31 ticks: what belongs to bar 5 comes before its line, and is held at the start.
    let expected: Vec<(u8, i64, u8)> = hits(&whole)
        .into_iter()
        .filter(|&(_, tick, _)| (from - 200..to - 200).contains(&tick))
        .map(|(note, tick, velocity)| (note, (tick - from).max(0), velocity))
        .collect();
    let sorted = |mut hits: Vec<_>| {
        hits.sort_unstable();
        hits
    };
    assert!(expected.len() > 30);
    assert_eq!(hits(&four), sorted(expected));
    assert_eq!(four.bars(), 4);
    // With a bar in front they survive.
    let led = export(&client, "part=1&bars=5-8&lead_in=true");
    let first = led.parts[0].part.hits()[0].tick.0 as i64;
    assert!((bar - 40..bar).contains(&first), "{first}");
    assert_eq!(hits(&led).len(), hits(&four).len());
    // Tempo and metre come along; all parts without a part named.
    assert_eq!(four.tempo.changes().next(), whole.tempo.changes().next());
    assert_eq!(export(&client, "bars=5-8").parts.len(), 2);
}

#[test]
fn tracks_are_split_and_put_together() {
    let client = early();
    let whole = export(&client, "");
    let split = export(&client, "split=true");
    let names: Vec<&str> = split.parts.iter().map(|part| part.name.as_str()).collect();
    assert!(names.contains(&"Snare") && names.contains(&"Closed hat") && names.contains(&"Bass"), "{names:?}");
    assert_eq!(hits(&split), hits(&whole), "nothing is lost or moved");
    let one = export(&client, "format=0");
    assert_eq!(one.format, 0);
    assert_eq!(hits(&one), hits(&whole));
    assert_eq!(one.markers, whole.markers);
    let both = export(&client, "split=true&format=0&part=1&bars=9-9&resolution=fine");
    assert_eq!((both.format, both.bars()), (0, 1));
}

#[test]
fn what_is_not_there_is_refused_by_name() {
    let client = client();
    for (query, field) in
        [("bars=8-5", "bars"), ("bars=0-2", "bars"), ("bars=1-999", "bars"), ("bars=x", "bars"), ("format=2", "format")]
    {
        let (status, refused) = get(&client, &format!("/songs/1/export.mid?{query}"));
        assert_eq!((status, &refused["field"]), (Status::UnprocessableEntity, &json!(field)), "{query}");
    }
    assert_eq!(get(&client, "/songs/1/export.mid?part=999").0, Status::NotFound);
    assert_eq!(get(&client, "/songs/export.zip?ids=1,x").0, Status::UnprocessableEntity);
}

#[test]
fn a_file_that_nothing_is_asked_of_is_the_same_to_the_byte() {
    let client = client();
    assert_eq!(bytes(&client, "/songs/1/export.mid?format=1"), bytes(&client, "/songs/1/original"));
}

/// Samples from −1 to 1.
fn samples(wav: &[u8]) -> Vec<f64> {
    let mut wav = hound::WavReader::new(wav).unwrap();
    let full = f64::from(1u32 << (wav.spec().bits_per_sample - 1));
    wav.samples::<i32>().map(|value| f64::from(value.unwrap()) / full).collect()
}

#[test]
fn stems_add_up_to_the_mix() {
    let client = early();
    let made = |wanted: serde_json::Value| {
        let (status, mut state) = crate::common::post(&client, "/renders", json!({"song": 1, "wanted": wanted}));
        assert_eq!(status, Status::Accepted);
        let path = format!("/renders/{}", state["id"]);
        while state["ready"] != true {
            assert_eq!(state["failed"], json!(null));
            std::thread::sleep(Duration::from_millis(20));
            state = get(&client, &path).1;
        }
        bytes(&client, &format!("{path}/file"))
    };
    let mix = samples(&made(json!({"part": 1, "bars": {"from": 5, "to": 6}})));
    let zip = made(json!({"part": 1, "bars": {"from": 5, "to": 6}, "split": true}));
    let mut zip = zip::ZipArchive::new(Cursor::new(zip)).unwrap();
    let mut stems = BTreeMap::new();
    for index in 0..zip.len() {
        let mut file = zip.by_index(index).unwrap();
        let mut wav = Vec::new();
        std::io::copy(&mut file, &mut wav).unwrap();
        stems.insert(file.name().unwrap().into_owned(), samples(&wav));
    }
    assert!(stems.contains_key("Drums, Snare.wav"), "{:?}", stems.keys());
    let mut sum = vec![0.0; mix.len()];
    for stem in stems.values() {
        assert_eq!(stem.len(), mix.len());
        sum.iter_mut().zip(stem).for_each(|(sum, value)| *sum += value);
    }
    let off = sum.iter().zip(&mix).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
    assert!(off <= 1.0 / 32768.0, "{off}");
    assert!(mix.iter().any(|value| value.abs() > 0.1));
}

#[test]
fn hits_are_a_table() {
    let client = early();
    let table = String::from_utf8(bytes(&client, "/parts/1/hits.csv")).unwrap();
    let mut lines = csv::Reader::from_reader(table.as_bytes());
    let lines: Vec<csv::StringRecord> = lines.records().map(Result::unwrap).collect();
    assert_eq!(lines.len(), get(&client, "/parts/1").1["written"]["ids"].as_array().unwrap().len());
    let snare = lines.iter().find(|line| &line[2] == "Snare" && &line[0] == "5").unwrap();
    assert_eq!((&snare[1], &snare[3], &snare[5], &snare[9], &snare[11]), ("2.000", "acoustic", "100", "-20.18", "1"));
}

#[test]
fn songs_are_zipped_and_deleted_together() {
    let client = client();
    let zip = bytes(&client, "/songs/export.zip?ids=1,2,1");
    let mut zip = zip::ZipArchive::new(Cursor::new(zip)).unwrap();
    let mut names: Vec<String> = zip.file_names().map(|name| name.unwrap().into_owned()).collect();
    names.sort();
    assert_eq!(names, ["Causeway 2.mid", "Causeway.mid", "Kiln Yard.mid"]);
    let mut one = Vec::new();
    std::io::copy(&mut zip.by_name("Causeway.mid").unwrap(), &mut one).unwrap();
    assert_eq!(one, bytes(&client, "/songs/1/original"));

    let some = |revision: i64| json!({"songs": [{"id": 1, "revision": 1}, {"id": 2, "revision": revision}]});
    assert_eq!(crate::common::post(&client, "/songs/delete", some(7)).0, Status::Conflict);
    let count = || get(&client, "/songs").1.as_array().unwrap().len();
    assert_eq!(count(), 6, "all or none");
    assert_eq!(crate::common::post(&client, "/songs/delete", some(1)).0, Status::NoContent);
    assert_eq!(count(), 4);
    assert_eq!(crate::common::post(&client, "/shelf/undo", json!({})).1["label"], "delete 2 songs");
    assert_eq!(count(), 6, "one step brings them back");
}
