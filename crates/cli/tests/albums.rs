//! Many songs, newer versions and bundles without a browser.

use std::path::Path;
use std::process::{Command, Output};
use tempfile::TempDir;

fn vivida(arguments: &[&str], folder: &Path) -> Output {
    Command::new(env!("CARGO_BIN_EXE_vivida")).args(arguments).current_dir(folder).output().expect("the program runs")
}

fn demo(name: &str) -> String {
    format!("{}/../../demo/{name}", env!("CARGO_MANIFEST_DIR"))
}

fn recipe(name: &str) -> String {
    format!("{}/../../docs/formats/recipes/{name}.recipe.json", env!("CARGO_MANIFEST_DIR"))
}

fn said(output: &Output) -> String {
    format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr))
}

const SONGS: [&str; 4] = ["causeway.mid", "kiln-yard.mid", "the-weir.mid", "tin-roof.mid"];

#[test]
fn a_batch_is_the_same_on_one_core_and_two_and_as_each_song_alone() {
    let folder = TempDir::new().unwrap();
    let songs = folder.path().join("songs");
    std::fs::create_dir(&songs).unwrap();
    for name in SONGS {
        std::fs::copy(demo(name), songs.join(name)).unwrap();
    }
    let shape = recipe("shape");
    for jobs in ["1", "2"] {
        let out = format!("out{jobs}");
        let done = vivida(&["batch", "songs", "--recipe", &shape, "-o", &out, "--jobs", jobs], folder.path());
        assert!(done.status.success(), "{}", said(&done));
    }
    for name in SONGS {
        let read = |of: &str| std::fs::read(folder.path().join(of)).unwrap();
        assert_eq!(read(&format!("out1/{name}")), read(&format!("out2/{name}")), "{name}");
        let done = vivida(&["apply", &demo(name), "--recipe", &shape, "-o", "alone.mid"], folder.path());
        assert!(done.status.success());
        let parts = |bytes: &[u8]| vivida_smf::read(bytes).unwrap().parts.len();
        assert_eq!(parts(&read("alone.mid")), parts(&read(&format!("out1/{name}"))));
        assert_eq!(read(&format!("songs/{name}")), std::fs::read(demo(name)).unwrap(), "what came in stays");
    }
}

#[test]
fn a_batch_goes_on_over_what_cannot_be_read_and_says_so() {
    let folder = TempDir::new().unwrap();
    let songs = folder.path().join("songs");
    std::fs::create_dir(&songs).unwrap();
    std::fs::copy(demo("causeway.mid"), songs.join("a.MID")).unwrap();
    std::fs::write(songs.join("b.mid"), "text").unwrap();
    for number in 0..50 {
        std::fs::write(songs.join(format!("{number}.txt")), "text").unwrap();
    }
    let shape = recipe("shape");
    for report in ["r.csv", "r.json"] {
        let done = vivida(&["batch", "songs", "--recipe", &shape, "-o", "out", "--report", report], folder.path());
        let words = said(&done);
        assert_eq!(done.status.code(), Some(1), "{words}");
        assert!(
            words.contains("1 song written") && words.contains("b.mid: offset 0") && words.contains("1 of 2"),
            "{words}"
        );
        let text = std::fs::read_to_string(folder.path().join(report)).unwrap();
        assert!(text.contains("Closed hat") && text.contains("no Standard MIDI File"), "{text}");
    }
    assert_eq!(std::fs::read_dir(folder.path().join("out")).unwrap().count(), 1);
    for (arguments, status, words) in [
        (vec!["batch", "nowhere", "-o", "out"], 1, "nowhere: there is no such file or folder"),
        (vec!["batch", ".", "-o", "out"], 1, "no .mid"),
        (vec!["batch", "songs", "-o", "songs"], 2, "choose another one"),
        (vec!["batch", "songs", "-o", "out", "--report", "r.txt"], 2, ".csv or a .json"),
    ] {
        let done = vivida(&arguments, folder.path());
        assert_eq!(done.status.code(), Some(status), "{arguments:?}: {}", said(&done));
        assert!(said(&done).contains(words), "{arguments:?}: {}", said(&done));
    }
}

/// A file with two drum parts: a kit on one track, a shaker on another.
fn two_drum_parts() -> Vec<u8> {
    let track = |name: &str, note: u8| {
        let mut track = vec![0, 0xff, 3, name.len() as u8];
        track.extend_from_slice(name.as_bytes());
        for _ in 0..8 {
            track.extend_from_slice(&[0, 0x99, note, 100, 0x60, 0x89, note, 64]);
        }
        track.extend_from_slice(&[0, 0xff, 0x2f, 0]);
        track
    };
    let mut file = b"MThd\0\0\0\x06\0\x01\0\x02\x01\xe0".to_vec();
    for track in [track("Drums", 38), track("Shaker", 70)] {
        file.extend_from_slice(b"MTrk");
        file.extend_from_slice(&(track.len() as u32).to_be_bytes());
        file.extend_from_slice(&track);
    }
    file
}

#[test]
fn a10_every_drum_part_is_treated_and_reported() {
    let folder = TempDir::new().unwrap();
    std::fs::create_dir(folder.path().join("songs")).unwrap();
    std::fs::write(folder.path().join("songs/two.mid"), two_drum_parts()).unwrap();
    let vary =
        r#"{"format": "vivida-recipe", "version": 1, "passes": [{"id": 1, "action": {"kind": "vary", "by": 20}}]}"#;
    std::fs::write(folder.path().join("vary.json"), vary).unwrap();
    for given in [["--recipe", "vary.json"], ["--start", "One good take"]] {
        let batch = [&["batch", "songs"], &given[..], &["-o", "out", "--report", "r.json"]].concat();
        assert!(vivida(&batch, folder.path()).status.success());
        let apply = [&["apply", "songs/two.mid"], &given[..], &["-o", "alone.mid"]].concat();
        assert!(vivida(&apply, folder.path()).status.success());
        let read = |name: &str| std::fs::read(folder.path().join(name)).unwrap();
        assert_eq!(read("out/two.mid"), read("alone.mid"));
        let report: serde_json::Value = serde_json::from_slice(&read("r.json")).unwrap();
        let parts = report[0]["parts"].as_array().unwrap();
        let touched = |part: &serde_json::Value| part["drums"][0]["touched"].as_u64().unwrap();
        assert_eq!(parts.iter().map(|part| part["part"].as_str().unwrap()).collect::<Vec<_>>(), ["Drums", "Shaker"]);
        assert!(parts.iter().all(|part| touched(part) > 4), "{report:#}");
    }
}

#[test]
fn a_newer_version_is_matched_and_played_as_the_former_was() {
    let folder = TempDir::new().unwrap();
    let (old, vary) = (demo("causeway.mid"), recipe("vary"));
    let apply = vivida(&["apply", &old, "--recipe", &vary, "-o", "apply.mid"], folder.path());
    let refit = vivida(&["refit", &old, &old, "--recipe", &vary, "-o", "refit.mid"], folder.path());
    assert!(apply.status.success() && refit.status.success(), "{}", said(&refit));
    let read = |name: &str| std::fs::read(folder.path().join(name)).unwrap();
    assert_eq!(read("apply.mid"), read("refit.mid"), "nothing has changed: nothing sounds otherwise");
    let other = vivida(&["refit", &old, &demo("kiln-yard.mid"), "--json"], folder.path());
    let value: serde_json::Value = serde_json::from_slice(&other.stdout).unwrap();
    assert!(value["parts"][0]["came"].as_array().is_some_and(|came| !came.is_empty()), "{}", said(&other));
    std::fs::write(folder.path().join("b.mid"), "text").unwrap();
    let bad = vivida(&["refit", &old, "b.mid"], folder.path());
    assert!(bad.status.code() == Some(1) && said(&bad).contains("b.mid"), "{}", said(&bad));
}

#[test]
fn a_shelf_is_packed_and_unpacked() {
    let folder = TempDir::new().unwrap();
    let mut store = vivida_store::Store::open(&folder.path().join("vivida.sqlite")).unwrap();
    for name in SONGS {
        let bytes = std::fs::read(demo(name)).unwrap();
        let file = vivida_smf::read(&bytes).unwrap();
        store.change(|change| change.add_song(name, name, &bytes, &file)).unwrap();
    }
    drop(store);
    let data = folder.path().to_str().unwrap();
    let done = vivida(&["pack", "--data", data, "-o", "shelf.vivida"], folder.path());
    assert!(done.status.success() && said(&done).contains("4 songs packed"), "{}", said(&done));
    let done = vivida(&["pack", "--data", data, "--song", "causeway.mid", "-o", "one.vivida"], folder.path());
    assert!(done.status.success() && said(&done).contains("1 song packed"), "{}", said(&done));
    let there = TempDir::new().unwrap();
    for (file, count) in [("shelf.vivida", "4 songs"), ("one.vivida", "1 song")] {
        let path = folder.path().join(file);
        let arguments = ["unpack", path.to_str().unwrap(), "--data", there.path().to_str().unwrap()];
        let done = vivida(&arguments, folder.path());
        assert!(done.status.success() && said(&done).contains(&format!("{count} unpacked")), "{}", said(&done));
    }
    // A bundle goes through a pipe as it is.
    let packed = vivida(&["pack", "--data", data, "--song", "causeway.mid", "-o", "-"], folder.path());
    assert!(packed.status.success() && packed.stdout.starts_with(b"PK") && said(&packed).contains("1 song packed"));
    let mut child = std::process::Command::new(env!("CARGO_BIN_EXE_vivida"))
        .args(["unpack", "-", "--data", there.path().to_str().unwrap()])
        .stdin(std::process::Stdio::piped())
        .stdout(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    std::io::Write::write_all(&mut child.stdin.take().unwrap(), &packed.stdout).unwrap();
    let unpacked = child.wait_with_output().unwrap();
    assert!(unpacked.status.success() && said(&unpacked).contains("1 song unpacked"), "{}", said(&unpacked));
    // A name that was mistyped is said, and makes no empty shelf.
    let typo = folder.path().join("vivdia");
    for verb in ["pack", "unpack"] {
        let mut arguments = vec![verb, "--data", typo.to_str().unwrap()];
        arguments.extend(if verb == "pack" { vec!["-o", "typo.vivida"] } else { vec!["one.vivida"] });
        let done = vivida(&arguments, folder.path());
        assert!(done.status.code() == Some(1) && said(&done).contains("vivdia: there is no"), "{}", said(&done));
        assert!(!typo.exists() && !folder.path().join("typo.vivida").exists());
    }
    let none = vivida(&["pack", "--data", data, "--song", "Nobody", "-o", "no.vivida"], folder.path());
    assert!(none.status.code() == Some(1) && said(&none).contains("Nobody"));
    std::fs::write(folder.path().join("bad.vivida"), "text").unwrap();
    let bad = vivida(&["unpack", "bad.vivida", "--data", there.path().to_str().unwrap()], folder.path());
    assert!(bad.status.code() == Some(1) && said(&bad).contains("no bundle"), "{}", said(&bad));
}
