//! Recorded loops without a browser.

use std::path::Path;
use std::process::{Command, Output};
use tempfile::TempDir;

fn vivida(arguments: &[&str], folder: &Path) -> Output {
    Command::new(env!("CARGO_BIN_EXE_vivida")).args(arguments).current_dir(folder).output().expect("the program runs")
}

fn of_demo(name: &str) -> String {
    format!("{}/../../demo/loops/{name}", env!("CARGO_MANIFEST_DIR"))
}

fn samples(path: &Path) -> Vec<i32> {
    hound::WavReader::open(path).unwrap().into_samples::<i32>().map(Result::unwrap).collect()
}

#[test]
fn onsets_are_told_as_text_csv_and_json() {
    let folder = TempDir::new().unwrap();
    let told = vivida(&["onsets", &of_demo("cut-break.wav"), "--bars", "2", "--json"], folder.path());
    assert!(told.status.success());
    let value: serde_json::Value = serde_json::from_slice(&told.stdout).unwrap();
    assert!((value["bpm"].as_f64().unwrap() - 92.0).abs() < 0.01, "{value}");
    let found: Vec<f64> =
        value["onsets"].as_array().unwrap().iter().map(|one| one["seconds"].as_f64().unwrap()).collect();
    // Each true stroke has one within 10 ms.
    let truth = std::fs::read_to_string(of_demo("cut-break.csv")).unwrap();
    let strokes: Vec<f64> =
        truth.lines().skip(1).map(|line| line.split(',').next().unwrap().parse().unwrap()).collect();
    let heard = strokes.iter().filter(|stroke| found.iter().any(|one| (one - **stroke).abs() < 0.01)).count();
    assert!(10 * heard >= 9 * strokes.len(), "{heard} of {}", strokes.len());
    let table = vivida(&["onsets", &of_demo("cut-break.wav"), "--csv"], folder.path());
    assert_eq!(String::from_utf8(table.stdout).unwrap().lines().count(), found.len() + 1);
    let text = String::from_utf8(vivida(&["onsets", &of_demo("shaker.wav")], folder.path()).stdout).unwrap();
    assert!(text.contains("2 bars of 4/4 at 100.00 bpm"), "{text}");
}

#[test]
fn a_loop_is_played_by_a_recipe_and_stays_as_it_was_without_one() {
    let folder = TempDir::new().unwrap();
    let input = of_demo("cut-break.wav");
    let apply = |more: &[&str]| {
        let arguments = [&["apply", &input, "--bars", "2", "-o", "out.wav", "--depth", "16"], more].concat();
        let done = vivida(&arguments, folder.path());
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        samples(&folder.path().join("out.wav"))
    };
    let own = samples(Path::new(&input));
    assert!(apply(&[]) == own, "sample for sample");
    let swing = format!("{}/../../docs/formats/recipes/swing.recipe.json", env!("CARGO_MANIFEST_DIR"));
    let swung = apply(&["--recipe", &swing]);
    assert!(swung.len() == own.len() && swung != own);
}

#[test]
fn a_groove_is_taken_from_a_loop() {
    let folder = TempDir::new().unwrap();
    let arguments = ["groove", &of_demo("shaker.wav"), "--bars", "2", "--grid", "1/16", "-o", "lilt.json"];
    let done = vivida(&arguments, folder.path());
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let text = String::from_utf8(done.stdout).unwrap();
    assert!(text.contains("swung"), "{text}");
}

#[test]
fn what_is_no_loop_is_said() {
    let folder = TempDir::new().unwrap();
    std::fs::write(folder.path().join("text.wav"), "text, not sound").unwrap();
    for arguments in [
        vec!["onsets", "text.wav"],
        vec!["onsets", "nowhere.wav"],
        vec!["apply", "text.wav", "-o", "out.wav"],
        vec!["groove", "text.wav", "-o", "out.json"],
    ] {
        let done = vivida(&arguments, folder.path());
        let said = String::from_utf8(done.stderr).unwrap();
        assert!(!done.status.success() && said.contains(arguments[1]) && said.lines().count() == 1, "{said}");
    }
    let input = of_demo("shaker.wav");
    for (flag, value) in [("--bars", "0"), ("--bars", "900"), ("--beats", "0"), ("--sensitivity", "101")] {
        let done = vivida(&["apply", &input, flag, value, "-o", "out.wav"], folder.path());
        let said = String::from_utf8(done.stderr).unwrap();
        assert!(!done.status.success() && said.contains(flag), "{flag} {value}: {said}");
    }
}
