//! The program where things go wrong: files that were mended, pipes that are closed, disks that are full.

#![cfg(unix)]

use std::io::{BufRead, BufReader, Read, Write};
use std::path::Path;
use std::process::{Command, Output, Stdio};
use tempfile::TempDir;

fn vivida(folder: &Path) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_vivida"));
    command.current_dir(folder);
    command
}

fn run(arguments: &[&str], folder: &Path) -> Output {
    vivida(folder).args(arguments).output().unwrap()
}

fn demo(name: &str) -> String {
    format!("{}/../../demo/{name}", env!("CARGO_MANIFEST_DIR"))
}

fn lines(bytes: &[u8]) -> Vec<String> {
    String::from_utf8_lossy(bytes).lines().map(str::to_owned).collect()
}

/// Running status goes on behind a text, so the file is mended.
const MENDED: &[u8] = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x16\
    \0\x99\x24\x64\x60\xff\x01\x01a\0\x24\0\x60\x26\x5a\x0a\x26\0\x00\xff\x2f\0";
const SILENT: &[u8] = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk\0\0\0\x04\0\xff\x2f\0";

fn level(folder: &Path) -> String {
    let recipe =
        r#"{"format": "vivida-recipe", "version": 1, "passes": [{"id": 1, "action": {"kind": "level", "by": 5}}]}"#;
    std::fs::write(folder.join("level.json"), recipe).unwrap();
    "level.json".to_owned()
}

#[test]
fn what_was_mended_is_said_to_those_who_ask() {
    let folder = TempDir::new().unwrap();
    std::fs::write(folder.path().join("in.mid"), MENDED).unwrap();
    let recipe = level(folder.path());
    let apply = ["apply", "in.mid", "--recipe", &recipe, "-o", "out.mid"];
    let quiet = run(&apply, folder.path());
    assert!(quiet.status.success() && quiet.stderr.is_empty(), "{quiet:?}");
    let told = run(&[&apply[..], &["--verbose"]].concat(), folder.path());
    let said = lines(&told.stderr);
    assert!(told.status.success() && said.len() == 1 && said[0].contains("in.mid: note:"), "{said:?}");
    let report = run(&["inspect", "in.mid", "--json"], folder.path());
    let json: serde_json::Value = serde_json::from_slice(&report.stdout).unwrap();
    assert_eq!(json["mended"].as_array().unwrap().len(), 1, "{json}");
    assert!(report.stderr.is_empty());
}

#[test]
fn a_file_without_notes_goes_through_as_it_is() {
    let folder = TempDir::new().unwrap();
    std::fs::write(folder.path().join("in.mid"), SILENT).unwrap();
    let recipe = level(folder.path());
    let applied = run(&["apply", "in.mid", "--recipe", &recipe, "-o", "out.mid"], folder.path());
    assert!(applied.status.success() && applied.stderr.is_empty(), "{applied:?}");
    assert_eq!(std::fs::read(folder.path().join("out.mid")).unwrap(), SILENT);
    assert!(run(&["inspect", "in.mid"], folder.path()).status.success());
    let rendered = run(&["render", "in.mid", "-o", "out.wav"], folder.path());
    assert!(rendered.status.code().is_some_and(|code| code < 2) && lines(&rendered.stderr).len() <= 1, "{rendered:?}");
}

#[test]
fn who_stops_reading_has_read_enough() {
    let folder = TempDir::new().unwrap();
    let long = demo("causeway.mid");
    for arguments in [&["inspect", &long, "--json"][..], &["inspect", &long], &["--help"]] {
        let mut child =
            vivida(folder.path()).args(arguments).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
        drop(child.stdout.take());
        let mut said = String::new();
        child.stderr.take().unwrap().read_to_string(&mut said).unwrap();
        let status = child.wait().unwrap();
        assert!(!said.contains("panicked") && said.lines().count() <= 1, "{arguments:?}: {said}");
        assert!(status.code().is_some_and(|code| code < 2), "{arguments:?}: {status}");
    }
}

#[test]
fn a_full_disk_is_one_line() {
    let folder = TempDir::new().unwrap();
    let recipe = level(folder.path());
    let long = demo("causeway.mid");
    for arguments in [
        &["apply", &long, "--recipe", &recipe, "-o", "/dev/full"][..],
        &["render", &long, "-o", "/dev/full"],
        &["groove", &long, "-o", "/dev/full"],
    ] {
        let output = run(arguments, folder.path());
        let said = lines(&output.stderr);
        assert!(output.status.code() == Some(1) && said.len() == 1, "{arguments:?}: {output:?}");
        assert!(said[0].contains("/dev/full") && said[0].contains("the disk is full"), "{said:?}");
    }
    for arguments in [&["inspect", &long, "--json"][..], &["inspect", &long]] {
        let full = std::fs::File::options().write(true).open("/dev/full").unwrap();
        let output = vivida(folder.path()).args(arguments).stdout(full).stderr(Stdio::piped()).output().unwrap();
        let said = lines(&output.stderr);
        assert!(output.status.code() == Some(1) && said.len() == 1, "{arguments:?}: {output:?}");
    }
}

#[test]
fn what_cannot_be_written_leaves_what_was_there() {
    let folder = TempDir::new().unwrap();
    let recipe = level(folder.path());
    std::fs::create_dir(folder.path().join("out.mid")).unwrap();
    let output = run(&["apply", &demo("causeway.mid"), "--recipe", &recipe, "-o", "out.mid"], folder.path());
    assert!(output.status.code() == Some(1) && lines(&output.stderr).len() == 1, "{output:?}");
    let names: Vec<_> = std::fs::read_dir(folder.path()).unwrap().map(|entry| entry.unwrap().file_name()).collect();
    assert_eq!(names.len(), 2, "nothing half written lies about: {names:?}");
}

#[test]
fn a_second_program_is_sent_to_the_first() {
    let folder = TempDir::new().unwrap();
    let mut first =
        vivida(folder.path()).args(["serve", "--port", "0", "--data", "data"]).stdout(Stdio::piped()).spawn().unwrap();
    let mut line = String::new();
    let mut out = BufReader::new(first.stdout.take().unwrap());
    out.read_line(&mut line).unwrap();
    let address = line.split_whitespace().find(|word| word.starts_with("http")).unwrap();
    let second = run(&["serve", "--port", "0", "--data", "data"], folder.path());
    first.kill().unwrap();
    first.wait().unwrap();
    let said = lines(&second.stderr);
    assert!(second.status.code() == Some(1) && said.len() == 1, "{second:?}");
    assert!(said[0].contains(address.trim_end_matches('/')) && said[0].contains("--data"), "{said:?}");
    // A killed program leaves no lock behind.
    let mut third =
        vivida(folder.path()).args(["serve", "--port", "0", "--data", "data"]).stdout(Stdio::piped()).spawn().unwrap();
    let mut line = String::new();
    BufReader::new(third.stdout.take().unwrap()).read_line(&mut line).unwrap();
    third.kill().unwrap();
    third.wait().unwrap();
    assert!(line.contains("http"), "{line}");
}

#[cfg(unix)]
#[test]
fn a_program_that_is_ended_during_a_request_ends_well() {
    let folder = TempDir::new().unwrap();
    let mut child = vivida(folder.path())
        .args(["serve", "--port", "0", "--data", "data"])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut line = String::new();
    BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
    let port = line.split(['/', ':', ' ']).find_map(|word| word.parse::<u16>().ok()).unwrap();
    // A request whose body never comes.
    let mut waiting = std::net::TcpStream::connect(("127.0.0.1", port)).unwrap();
    let head = "POST /api/v1/songs?file_name=a.mid HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 1000\r\n\r\nMThd";
    waiting.write_all(head.as_bytes()).unwrap();
    std::thread::sleep(std::time::Duration::from_millis(300));
    Command::new("kill").args(["-TERM", &child.id().to_string()]).status().unwrap();
    let status = child.wait().unwrap();
    let mut said = String::new();
    child.stderr.take().unwrap().read_to_string(&mut said).unwrap();
    assert!(status.success() && said.is_empty(), "{status}: {said}");
}

#[test]
fn a_database_that_cannot_be_opened_is_said_as_what_it_is() {
    let folder = TempDir::new().unwrap();
    let serve = |data: &str| {
        let output = run(&["serve", "--port", "0", "--data", data], folder.path());
        let said = lines(&output.stderr);
        assert!(output.status.code() == Some(1) && said.len() == 1, "{data}: {output:?}");
        said[0].clone()
    };
    let beside = |data: &str, bytes: &[u8]| {
        std::fs::create_dir(folder.path().join(data)).unwrap();
        std::fs::write(folder.path().join(data).join("vivida.sqlite"), bytes).unwrap();
    };
    beside("text", "x".repeat(5000).as_bytes());
    assert!(serve("text").contains("no SQLite database"));
    std::fs::create_dir_all(folder.path().join("nested/vivida.sqlite")).unwrap();
    assert!(serve("nested").contains("a folder"));
    let unwritable = serve("/proc/self/nowhere");
    assert!(unwritable.contains("/proc/self/nowhere") && !unwritable.contains("newer"), "{unwritable}");
}

#[test]
fn notices_say_who_speaks_and_no_more_threads_run_than_cores() {
    let folder = TempDir::new().unwrap();
    std::fs::create_dir(folder.path().join("songs")).unwrap();
    std::fs::copy(demo("causeway.mid"), folder.path().join("songs/a.mid")).unwrap();
    // As many threads as that nobody can have.
    let output = run(&["batch", "songs", "-o", "out", "--jobs", "100000"], folder.path());
    assert!(output.status.success(), "{output:?}");
    let recipe = folder.path().join("moves.json");
    let pass = r#"{"id": 1, "action": {"kind": "vary", "property": "pitch", "by": 30}}"#;
    let text = format!(r#"{{"format": "vivida-recipe", "version": 1, "passes": [{pass}]}}"#);
    std::fs::write(&recipe, text).unwrap();
    let recipe = recipe.to_str().unwrap();
    let output = run(&["apply", &demo("causeway.mid"), "--recipe", recipe, "-o", "out.mid"], folder.path());
    let said = lines(&output.stderr);
    assert!(output.status.success() && !said.is_empty(), "{output:?}");
    assert!(said.iter().all(|line| line.starts_with("vivida: ")), "{said:?}");
}

#[test]
fn the_memory_of_a_render_does_not_grow_with_its_length() {
    let folder = TempDir::new().unwrap();
    // A hit each quarter for one and for ten minutes, at 120 bpm.
    let song = |minutes: u32, name: &str| {
        let mut body = Vec::new();
        for _ in 0..minutes * 120 {
            body.extend_from_slice(b"\0\x99\x24\x64\x83\x60\x89\x24\x40");
        }
        body.extend_from_slice(b"\0\xff\x2f\0");
        let mut bytes = b"MThd\0\0\0\x06\0\0\0\x01\x01\xe0MTrk".to_vec();
        bytes.extend_from_slice(&(body.len() as u32).to_be_bytes());
        bytes.extend_from_slice(&body);
        std::fs::write(folder.path().join(name), bytes).unwrap();
    };
    song(1, "short.mid");
    song(10, "long.mid");
    let peak = |name: &str| {
        let mut child = vivida(folder.path()).args(["render", name, "-o", "out.wav"]).spawn().unwrap();
        let status = format!("/proc/{}/status", child.id());
        let mut peak = 0;
        while child.try_wait().unwrap().is_none() {
            let text = std::fs::read_to_string(&status).unwrap_or_default();
            let line = text.lines().find_map(|line| line.strip_prefix("VmHWM:"));
            let kilobytes = line.and_then(|line| line.split_whitespace().next()?.parse::<u64>().ok());
            peak = peak.max(kilobytes.unwrap_or_default());
            std::thread::sleep(std::time::Duration::from_millis(5));
        }
        assert!(child.wait().unwrap().success());
        peak
    };
    let (short, long) = (peak("short.mid"), peak("long.mid"));
    let bytes = std::fs::metadata(folder.path().join("out.wav")).unwrap().len();
    assert!(bytes > 100_000_000, "{bytes}");
    assert!(long < short + 20_000, "{short} kB for one minute, {long} kB for ten");
}

#[test]
fn what_is_asked_for_wrongly_ends_with_2() {
    let folder = TempDir::new().unwrap();
    let song = demo("causeway.mid");
    let tap = std::fs::read_dir(demo("loops")).unwrap().map(|entry| entry.unwrap().path().display().to_string());
    let tap = tap.into_iter().find(|path| path.ends_with(".wav")).unwrap();
    let groove = std::fs::read_dir(demo("../docs/formats/grooves")).unwrap().next().unwrap().unwrap();
    let groove = groove.path().display().to_string();
    for arguments in [
        &["onsets", &song, "--sensitivity", "300"][..],
        &["onsets", &song, "--beats", "0"],
        &["batch", ".", "-o", "out", "--jobs", "0"],
        &["apply", &song, "--part", "0", "-o", "x.mid"],
        &["groove", &song, "--part", "0", "-o", "x.json"],
        &["apply", &song, "--start", "One good take", "--recipe", "r.json", "-o", "x.mid"],
        &["apply", &song, "--start", "Nobody", "-o", "x.mid"],
        &["apply", &song, "--split", "--one-track", "-o", "x.mid"],
        &["apply", &song, "--depth", "16", "-o", "x.mid"],
        &["apply", &song, "--beats", "4", "-o", "x.mid"],
        &["apply", &song, "-o", "x.wav"],
        &["apply", &tap, "--bars", "2", "--split", "-o", "x.wav"],
        &["apply", &tap, "--bars", "2", "--part", "1", "-o", "x.wav"],
        &["apply", &tap, "--bars", "2", "--kit", "k.json", "-o", "x.wav"],
        &["apply", &tap, "--bars", "5-6", "-o", "x.wav"],
        &["apply", &tap, "--bars", "2", "-o", "x.mid"],
        &["render", &song, "-o", "x.mp3"],
        &["render", &song, "--stems", "-o", "x.wav"],
        &["groove", &song, "-o", "x.txt"],
        &["groove", &song, "--sensitivity", "20", "-o", "x.json"],
        &["groove", &tap, "--part", "1", "-o", "x.json"],
        &["groove", &groove, "--grid", "1/8", "-o", "x.mid"],
        &["refit", &song, &song, "-o", "x.json"],
        &["pack", "-o", "x.mid"],
        &["onsets", &tap, "--bars", "0"],
    ] {
        let output = run(arguments, folder.path());
        assert_eq!(output.status.code(), Some(2), "{arguments:?}: {output:?}");
    }
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0);
}

#[test]
fn what_is_read_is_written_over_only_where_that_is_said() {
    let folder = TempDir::new().unwrap();
    std::fs::copy(demo("causeway.mid"), folder.path().join("a.mid")).unwrap();
    std::os::unix::fs::symlink("a.mid", folder.path().join("b.mid")).unwrap();
    let before = std::fs::read(folder.path().join("a.mid")).unwrap();
    let recipe = level(folder.path());
    for to in ["a.mid", "./a.mid", "b.mid"] {
        let refused = run(&["apply", "a.mid", "--recipe", &recipe, "-o", to], folder.path());
        assert!(refused.status.code() == Some(2) && lines(&refused.stderr)[0].contains("--force"), "{refused:?}");
        assert!(std::fs::read(folder.path().join("a.mid")).unwrap() == before);
    }
    let done = run(&["apply", "a.mid", "--recipe", &recipe, "-o", "a.mid", "--force"], folder.path());
    assert!(done.status.success() && std::fs::read(folder.path().join("a.mid")).unwrap() != before, "{done:?}");
}

#[test]
fn pipes_are_read_and_written() {
    use std::io::Write;
    let folder = TempDir::new().unwrap();
    let recipe = level(folder.path());
    let song = demo("causeway.mid");
    assert!(run(&["apply", &song, "--recipe", &recipe, "-o", "file.mid"], folder.path()).status.success());
    let piped = |arguments: &[&str], bytes: &[u8]| {
        let mut child = vivida(folder.path())
            .args(arguments)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        let mut input = child.stdin.take().unwrap();
        let bytes = bytes.to_vec();
        let feeds = std::thread::spawn(move || input.write_all(&bytes));
        let output = child.wait_with_output().unwrap();
        feeds.join().unwrap().unwrap();
        output
    };
    let bytes = std::fs::read(&song).unwrap();
    let done = piped(&["apply", "-", "--recipe", &recipe, "-o", "-"], &bytes);
    assert!(done.status.success() && done.stderr.is_empty(), "{:?}", lines(&done.stderr));
    assert!(done.stdout == std::fs::read(folder.path().join("file.mid")).unwrap());
    let told = piped(&["inspect", "-"], &bytes);
    assert!(told.status.success() && lines(&told.stdout).iter().any(|line| line.contains("Closed hat")), "{told:?}");
    // Where the file goes to standard output, words go elsewhere.
    let groove = piped(&["groove", "-", "-o", "-"], &bytes);
    assert!(
        groove.status.success() && serde_json::from_slice::<serde_json::Value>(&groove.stdout).is_ok(),
        "{groove:?}"
    );
    assert!(lines(&groove.stderr).iter().any(|line| line.contains("1 bar of 4/4")), "{:?}", lines(&groove.stderr));
    let refit = piped(&["refit", &song, "-", "-o", "-"], &bytes);
    assert!(run(&["refit", &song, &song, "-o", "file.mid"], folder.path()).status.success());
    let written = std::fs::read(folder.path().join("file.mid")).unwrap();
    assert!(refit.stdout == written && !refit.stderr.is_empty(), "{:?}", lines(&refit.stderr));
    let bad = piped(&["apply", "-", "-o", "-"], b"text");
    assert!(bad.status.code() == Some(1) && lines(&bad.stderr)[0].contains("standard input"), "{bad:?}");
    assert!(bad.stdout.is_empty() && std::fs::read_dir(folder.path()).unwrap().count() == 2);
}

#[test]
fn a_recipe_that_touches_nothing_says_what_there_is() {
    let folder = TempDir::new().unwrap();
    let recipe = r#"{"format": "vivida-recipe", "version": 1, "passes": [
        {"id": 1, "aim": {"instruments": ["snare2"]}, "action": {"kind": "level", "by": 5}},
        {"id": 2, "aim": {"sections": ["Bridge"]}, "action": {"kind": "level", "by": 5}},
        {"id": 3, "aim": {"instruments": ["snare"]}, "action": {"kind": "level", "by": 5}}]}"#;
    std::fs::write(folder.path().join("r.json"), recipe).unwrap();
    let done = run(&["apply", &demo("causeway.mid"), "--recipe", "r.json", "-o", "x.mid"], folder.path());
    let said = lines(&done.stderr);
    assert!(done.status.success() && said.len() == 2, "{said:?}");
    assert!(said[0].contains("pass 1, Level") && said[0].contains("snare2") && said[0].contains("kick"), "{said:?}");
    assert!(said[1].contains("pass 2") && said[1].contains("Bridge"), "{said:?}");
}

#[test]
fn a_starting_point_is_given_by_its_name() {
    let folder = TempDir::new().unwrap();
    let song = demo("causeway.mid");
    let done = run(&["apply", &song, "--start", "one good take", "-o", "played.mid"], folder.path());
    assert!(done.status.success() && done.stderr.is_empty(), "{done:?}");
    let read = |path: &Path| vivida_smf::read(&std::fs::read(path).unwrap()).unwrap();
    let (before, after) = (read(Path::new(&song)), read(&folder.path().join("played.mid")));
    let drums = |song: &vivida_smf::SongFile| song.parts.iter().position(|part| part.drums).unwrap();
    let place = drums(&before);
    let velocities = |song: &vivida_smf::SongFile| -> Vec<u8> {
        song.parts[place].part.hits().iter().map(|hit| hit.velocity.get()).collect()
    };
    let (was, now) = (velocities(&before), velocities(&after));
    let moved = was.iter().zip(&now).filter(|(was, now)| was != now).count();
    assert!(moved * 2 > was.len(), "{moved} of {}", was.len());
    let none = run(&["apply", &song, "--start", "Nobody", "-o", "x.mid"], folder.path());
    assert!(none.status.code() == Some(2) && lines(&none.stderr)[0].contains("One good take"), "{none:?}");
    let refit = run(&["refit", &song, &song, "--start", "One good take", "-o", "again.mid"], folder.path());
    let bytes = |name: &str| std::fs::read(folder.path().join(name)).unwrap();
    assert!(refit.status.success() && bytes("again.mid") == bytes("played.mid"), "{refit:?}");
}

#[test]
fn errors_name_what_was_typed_in_plain_words() {
    let folder = TempDir::new().unwrap();
    let song = demo("causeway.mid");
    let here = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    let pass = |action: &str| {
        format!(r#"{{"format": "vivida-recipe", "version": 1, "passes": [{{"id": 1, "action": {action}}}]}}"#)
    };
    here("cut.json", "{\"format\": ");
    here("comma.json", "{\"format\": \"vivida-recipe\",}");
    here("text.json", &pass(r#"{"kind": "level", "by": "soft"}"#));
    here("field.json", &pass(r#"{"kind": "level", "bye": 3}"#));
    here("kind.json", &pass(r#"{"kind": "soften"}"#));
    here("kit.json", r#"{"format": "vivida-kit", "version": 1, "name": "A", "instruments": {}}"#);
    for (arguments, said) in [
        (vec!["--recipe", "cut.json"], "cut.json: line 1: this is no JSON; it breaks off"),
        (
            vec!["--recipe", "comma.json"],
            "comma.json: line 1: this is no JSON; it goes wrong at character 28 of the line",
        ),
        (vec!["--recipe", "text.json"], "passes[0].action.by: this is the text “soft”, where a number is wanted"),
        (vec!["--recipe", "field.json"], "there is no field “bye” here; there are by"),
        (vec!["--recipe", "kind.json"], "soften"),
        (vec!["--recipe", "none.json"], "none.json: there is no such file or folder"),
        (vec!["--kit", "kit.json"], "kit.json: instruments: this is an object, where a list is wanted"),
        (vec!["-o", "nowhere/x.mid"], "nowhere/x.mid: there is no such folder"),
        (vec!["-o", "cut.json/x.mid"], "cut.json/x.mid: part of the path is a file"),
    ] {
        let to = if arguments[0] == "-o" { vec![] } else { vec!["-o", "x.mid"] };
        let done = run(&[&["apply", &song][..], &arguments, &to].concat(), folder.path());
        let words = lines(&done.stderr);
        assert!(
            done.status.code() == Some(1) && words.len() == 1 && words[0].contains(said),
            "{arguments:?}: {words:?}"
        );
        for raw in ["os error", ".part", "expected", "invalid", "`", "column"] {
            assert!(!words[0].contains(raw), "{words:?}");
        }
    }
}

#[test]
fn bars_a_minute_kits_and_grids_are_read_as_in_the_browser() {
    let folder = TempDir::new().unwrap();
    let told = run(&["inspect", &demo("the-weir.mid")], folder.path());
    assert!(lines(&told.stdout)[0].contains("88 bpm"), "{:?}", lines(&told.stdout)[0]);
    let json = run(&["inspect", &demo("the-weir.mid"), "--json"], folder.path());
    assert_eq!(serde_json::from_slice::<serde_json::Value>(&json.stdout).unwrap()["bpm"], 88.0);
    let kit = demo("../docs/formats/kits/three-pads.kit.json");
    let named = run(&["inspect", &demo("causeway.mid"), "--kit", &kit, "--json"], folder.path());
    let plain = run(&["inspect", &demo("causeway.mid"), "--json"], folder.path());
    assert!(named.status.success() && named.stdout != plain.stdout);
    // A clip that was made of a groove says its grid.
    let mut of_eighths = 0;
    for groove in std::fs::read_dir(demo("../docs/formats/grooves")).unwrap() {
        let path = groove.unwrap().path();
        let read =
            |path: &Path| -> serde_json::Value { serde_json::from_slice(&std::fs::read(path).unwrap()).unwrap() };
        let before = read(&path);
        assert!(run(&["groove", path.to_str().unwrap(), "-o", "clip.mid"], folder.path()).status.success());
        assert!(run(&["groove", "clip.mid", "-o", "again.json"], folder.path()).status.success());
        assert_eq!(read(&folder.path().join("again.json"))["grid"], before["grid"], "{}", path.display());
        of_eighths += usize::from(before["grid"] == "1/8");
    }
    assert!(of_eighths > 0);
}

#[test]
fn every_command_tells_its_options_alike() {
    let folder = TempDir::new().unwrap();
    let help = |arguments: &[&str]| String::from_utf8(run(arguments, folder.path()).stdout).unwrap();
    let all = help(&["--help"]);
    let commands: Vec<&str> = all
        .lines()
        .skip_while(|line| *line != "Commands:")
        .skip(1)
        .take_while(|line| !line.is_empty())
        .filter_map(|line| line.split_whitespace().next())
        .filter(|one| *one != "help")
        .collect();
    assert!(commands.len() >= 14, "{commands:?}");
    let mut known: std::collections::BTreeMap<String, (String, String)> = std::collections::BTreeMap::new();
    let order = [
        "--data",
        "--recipe",
        "--start",
        "--variation",
        "--kit",
        "--sampler",
        "--part",
        "--bars",
        "--json",
        "--output",
    ];
    let readme = std::fs::read_to_string(demo("../README.md")).unwrap();
    for command in commands {
        let text = help(&[command, "--help"]);
        let mut places = Vec::new();
        let synopsis: String =
            readme.lines().skip_while(|line| !line.starts_with(&format!("vivida {command} "))).take(60).collect();
        for line in text.lines().map(str::trim_start).filter(|line| line.starts_with('-')) {
            let Some(option) = line.split_whitespace().find(|word| word.starts_with("--")) else { continue };
            let option = option.trim_end_matches(',');
            places.extend(order.iter().position(|one| *one == option));
            // Beside the option, or in the lines below it.
            let below = text.split(line).nth(1).unwrap_or_default().lines().skip(1);
            let below: String = below.take_while(|line| !line.trim().is_empty()).map(str::trim).collect();
            let beside = line.split_once("  ").map(|(_, said)| said.trim().to_owned());
            let said = beside.unwrap_or(below).replace(" [default: 1]", "");
            if ["--help", "--verbose"].contains(&option)
                || ["onsets", "groove"].contains(&command) && option == "--bars"
                // A groove is taken from one part, whichever that is.
                || command == "groove" && option == "--part"
            {
                continue;
            }
            let short = if option == "--output" { "-o" } else { option };
            assert!(synopsis.contains(short), "{command} {option} is not in the README's synopsis");
            if !["--output", "--data", "--json", "--song"].contains(&option) {
                let (before, same) = known.entry(option.to_owned()).or_insert((command.to_owned(), said.clone()));
                assert_eq!(*same, said, "{option} of {command} and {before}");
            }
        }
        assert!(places.is_sorted(), "{command}: {places:?}");
    }
    assert!(help(&["completions", "bash"]).contains("--variation"));
    assert!(help(&["man"]).contains(".TH vivida 1"));
    assert!(run(&["man", "-o", "pages"], folder.path()).status.success());
    assert!(std::fs::read_to_string(folder.path().join("pages/vivida-apply.1")).unwrap().contains("variation"));
}
