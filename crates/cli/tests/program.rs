//! The program as people run it: without a browser, and killed at any moment.

use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Output, Stdio};
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

fn text(path: &Path) -> &str {
    path.to_str().expect("a readable path")
}

/// It failed with one line on stderr that holds these words.
fn failed(output: &Output, code: i32, words: &[&str]) {
    let said = String::from_utf8_lossy(&output.stderr);
    assert_eq!(output.status.code(), Some(code), "{said}");
    assert!(code != 1 || said.trim_end().lines().count() == 1, "more than a line: {said}");
    for word in words {
        assert!(said.contains(word), "“{word}” is not in: {said}");
    }
}

#[test]
fn apply_without_a_recipe_writes_the_same_bytes() {
    let folder = TempDir::new().unwrap();
    for name in ["causeway.mid", "tin-roof.mid", "the-weir.mid"] {
        let done = vivida(&["apply", &demo(name), "-o", "out.mid"], folder.path());
        assert!(done.status.success());
        assert_eq!(std::fs::read(folder.path().join("out.mid")).unwrap(), std::fs::read(demo(name)).unwrap());
    }
}

#[test]
fn apply_plays_the_drums_by_every_example_recipe() {
    let folder = TempDir::new().unwrap();
    let original = vivida_smf::read(&std::fs::read(demo("causeway.mid")).unwrap()).unwrap();
    for name in ["shape", "contrast", "level", "lean", "loosen"] {
        let arguments = ["apply", &demo("causeway.mid"), "--recipe", &recipe(name), "-o", "out.mid", "--fine"];
        let done = vivida(&arguments, folder.path());
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        let song = vivida_smf::read(&std::fs::read(folder.path().join("out.mid")).unwrap()).unwrap();
        // All velocities of the song are one, so contrast about the typical has nothing to do.
        assert_eq!(song.parts[0].part != original.parts[0].part, name != "contrast", "{name}");
        assert_eq!(song.parts[1].part.hits().len(), original.parts[1].part.hits().len());
        let velocities =
            |song: &vivida_smf::SongFile| song.parts[1].part.hits().iter().map(|h| h.velocity).collect::<Vec<_>>();
        assert_eq!(velocities(&song), velocities(&original), "the bass is left alone");
    }
    let again = |variation: &str| {
        let arguments =
            ["apply", &demo("causeway.mid"), "--recipe", &recipe("loosen"), "--variation", variation, "-o", "v.mid"];
        assert!(vivida(&arguments, folder.path()).status.success());
        std::fs::read(folder.path().join("v.mid")).unwrap()
    };
    assert_eq!(again("7"), again("7"));
    assert_ne!(again("7"), again("8"));
}

#[test]
fn inspect_says_what_is_there() {
    let folder = TempDir::new().unwrap();
    let done = vivida(&["inspect", &demo("tin-roof.mid")], folder.path());
    let said = String::from_utf8(done.stdout).unwrap();
    assert!(said.starts_with("56 bars of 5/4, 7/8") && said.contains("Closed hat") && said.contains("ms"), "{said}");
    let done = vivida(&["inspect", &demo("causeway.mid"), "--json"], folder.path());
    let json: serde_json::Value = serde_json::from_slice(&done.stdout).unwrap();
    assert_eq!(json["parts"][0]["figures"]["identical_neighbours"], 1.0);
    assert_eq!(json["parts"][0]["instruments"][0]["id"], "closed-hat");
    assert_eq!(json["parts"][1]["drums"], false);
}

#[test]
fn findings_say_what_is_wrong_and_what_mends_it() {
    let folder = TempDir::new().unwrap();
    let said = |arguments: &[&str]| String::from_utf8(vivida(arguments, folder.path()).stdout).unwrap();
    let rough = said(&["findings", &demo("tin-roof.mid")]);
    assert!(
        rough.contains("38 double triggers, bars 2, 4") && rough.contains("mended by: Drop these 38 hits"),
        "{rough}"
    );
    let json: serde_json::Value = serde_json::from_str(&said(&["findings", &demo("causeway.mid"), "--json"])).unwrap();
    assert_eq!(json["parts"][0]["findings"][0]["rule"], "on-grid");
    assert!(!json["parts"][0]["findings"][0]["cures"].as_array().unwrap().is_empty());
    // By a recipe that mends them there are none.
    let mended = said(&["findings", &demo("tin-roof.mid"), "--recipe", &recipe("strays")]);
    assert!(mended.contains("(0 findings)"), "{mended}");

    let same = said(&["compare", &demo("causeway.mid"), &demo("causeway.mid"), "--json"]);
    let json: serde_json::Value = serde_json::from_str(&same).unwrap();
    assert!(json["instruments"].as_array().unwrap().iter().all(|one| one["velocity"] == 0.0));
    let apart = said(&["compare", &demo("causeway.mid"), &demo("the-weir.mid")]);
    assert!(apart.lines().next().unwrap().contains("velocity") && apart.contains("Snare"), "{apart}");
    let done = vivida(&["compare", &demo("causeway.mid"), "nowhere.mid"], folder.path());
    assert_eq!(done.status.code(), Some(1));
}

#[test]
fn render_makes_the_same_sound_every_time() {
    let folder = TempDir::new().unwrap();
    let render = || {
        let arguments = ["render", &demo("paper-lanterns.mid"), "--recipe", &recipe("loosen"), "-o", "out.wav"];
        assert!(vivida(&arguments, folder.path()).status.success());
        std::fs::read(folder.path().join("out.wav")).unwrap()
    };
    let first = render();
    assert_eq!(first, render());
    let reader = hound::WavReader::new(&first[..]).unwrap();
    assert_eq!((reader.spec().channels, reader.spec().sample_rate), (2, 44_100));
    assert!(reader.duration() > 100 * 44_100);
}

#[test]
fn bad_input_is_one_line_and_wrong_usage_is_two() {
    let folder = TempDir::new().unwrap();
    let write = |name: &str, bytes: &[u8]| std::fs::write(folder.path().join(name), bytes).unwrap();
    write("letter.mid", b"Dear drummer");
    write("empty.mid", b"");
    write(
        "wrong.json",
        br#"{"format": "vivida-recipe", "version": 1, "passes": [{"id": 1, "action": {"kind": "level", "by": 900}}]}"#,
    );
    write("newer.json", br#"{"format": "vivida-recipe", "version": 99, "passes": []}"#);
    let apply =
        |input: &str, recipe: &str| vivida(&["apply", input, "--recipe", recipe, "-o", "out.mid"], folder.path());
    failed(&apply("letter.mid", &recipe("level")), 1, &["letter.mid", "offset 0", "MThd"]);
    failed(&apply("empty.mid", &recipe("level")), 1, &["empty.mid", "empty"]);
    failed(&apply("nowhere.mid", &recipe("level")), 1, &["nowhere.mid"]);
    failed(&apply(&demo("causeway.mid"), "wrong.json"), 1, &["wrong.json", "passes[0].action.by", "-126 to 126"]);
    failed(&apply(&demo("causeway.mid"), "newer.json"), 1, &["newer.json", "newer than this Vivida"]);
    assert!(!folder.path().join("out.mid").exists());
    failed(&vivida(&["apply"], folder.path()), 2, &[]);
    failed(&vivida(&["sing"], folder.path()), 2, &[]);
}

struct Served {
    child: Child,
    address: String,
}

impl Served {
    fn start(data: &Path) -> Served {
        let mut child = Command::new(env!("CARGO_BIN_EXE_vivida"))
            .args(["serve", "--demo", "--port", "0", "--data", text(data)])
            .stdout(Stdio::piped())
            .spawn()
            .expect("the program runs");
        let mut line = String::new();
        BufReader::new(child.stdout.take().expect("piped")).read_line(&mut line).expect("it says where it is");
        let address = line.split_whitespace().find(|word| word.starts_with("http")).expect("an address").to_owned();
        Served { child, address }
    }

    fn part(&self) -> serde_json::Value {
        ureq::get(format!("{}api/v1/parts/1", self.address)).call().unwrap().into_body().read_json().unwrap()
    }

    fn change(&self, revision: i64, by: i64) -> Result<(), ureq::Error> {
        let recipe = serde_json::json!({"passes": [{"id": 1, "action": {"kind": "level", "by": by}}]});
        let body = serde_json::json!({"revision": revision, "label": "level", "recipe": recipe});
        ureq::put(format!("{}api/v1/parts/1", self.address)).send_json(body).map(drop)
    }
}

impl Drop for Served {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

#[test]
fn a_kill_loses_at_most_the_step_being_written() {
    let folder = TempDir::new().unwrap();
    for round in 0..4i64 {
        let mut served = Served::start(folder.path());
        let first = served.part()["state"]["revision"].as_i64().unwrap();
        // Changes go on while the process is killed in the middle of them.
        let kept = std::sync::Mutex::new(first);
        std::thread::scope(|scope| {
            let changing = scope.spawn(|| {
                for step in 0..200 {
                    // Never what is kept already: that would be no step.
                    if served.change(first + step, 1 + (first + step) % 100).is_err() {
                        return;
                    }
                    *kept.lock().unwrap() = first + step + 1;
                }
            });
            std::thread::sleep(std::time::Duration::from_millis(60 + 45 * round as u64));
            // SIGKILL: no chance to tidy up.
            let _ = Command::new("kill").args(["-9", &served.child.id().to_string()]).status();
            changing.join().unwrap();
        });
        let _ = served.child.wait();
        let served = Served::start(folder.path());
        let state = &served.part()["state"];
        let (found, answered) = (state["revision"].as_i64().unwrap(), *kept.lock().unwrap());
        assert!(found == answered || found == answered + 1, "{answered} was answered, {found} is kept");
        assert!(found > first, "some changes were made before the kill");
        assert_eq!(state["recipe"]["passes"][0]["action"]["by"].as_f64(), Some((1 + (found - 1) % 100) as f64));
    }
}

#[test]
fn a_kill_in_the_midst_of_a_batch_leaves_each_song_wholly_treated_or_wholly_not() {
    let folder = TempDir::new().unwrap();
    let get = |served: &Served, path: &str| -> serde_json::Value {
        ureq::get(format!("{}api/v1/{path}", served.address)).call().unwrap().into_body().read_json().unwrap()
    };
    let mut interrupted = 0;
    for round in 0..4u64 {
        let mut served = Served::start(folder.path());
        if round == 0 {
            for _ in 0..24 {
                ureq::post(format!("{}api/v1/songs/2/duplicate", served.address)).send_empty().unwrap();
            }
        }
        let songs: Vec<_> = get(&served, "songs").as_array().unwrap().iter().map(|song| song["id"].clone()).collect();
        let name = format!("Round {round}");
        let recipe = serde_json::json!({"passes": [{"id": 1, "action": {"kind": "level", "by": 3}}]});
        let body = serde_json::json!({"songs": songs, "name": name, "recipe": recipe});
        let batch: serde_json::Value = ureq::post(format!("{}api/v1/batches", served.address))
            .send_json(body)
            .unwrap()
            .into_body()
            .read_json()
            .unwrap();
        std::thread::sleep(std::time::Duration::from_millis(40 + 70 * round));
        let _ = Command::new("kill").args(["-9", &served.child.id().to_string()]).status();
        let _ = served.child.wait();
        let served = Served::start(folder.path());
        let found = get(&served, &format!("batches/{}", batch["id"]));
        interrupted += usize::from(found["state"] == "interrupted");
        for song in found["songs"].as_array().unwrap() {
            let step = get(&served, &format!("songs/{}", song["song"]))["history"]["undo"].clone();
            let treated = step == name.as_str();
            assert_eq!(song["state"] == "done", treated, "{song} {step}");
            assert_eq!(song["report"].is_null(), !treated, "{song}");
        }
    }
    assert!(interrupted > 0, "no batch was interrupted");
}

#[test]
fn a_port_in_use_says_so() {
    let folder = TempDir::new().unwrap();
    let taken = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let port = taken.local_addr().unwrap().port().to_string();
    let output = vivida(&["serve", "--port", &port, "--data", "data"], folder.path());
    failed(&output, 1, &[&port, "--port"]);
}

#[test]
fn a_groove_is_taken_and_turned_into_a_clip_and_back() {
    let folder = TempDir::new().unwrap();
    let take = |more: &[&str]| {
        let arguments: Vec<&str> = ["groove"].iter().chain(more).copied().collect();
        vivida(&arguments, folder.path())
    };
    let roof = demo("tin-roof.mid");
    let done = take(&[&roof, "--instrument", "closed-hat", "--grid", "1/16", "-o", "hats.groove.json"]);
    let said = String::from_utf8_lossy(&done.stdout);
    assert!(done.status.success() && said.contains("1 bar of 5/4 in 1/16") && said.contains("steady to"), "{said}");
    assert!(take(&["hats.groove.json", "-o", "hats.mid"]).status.success());
    let clip = take(&["hats.mid", "--grid", "1/16", "-o", "again.groove.json"]);
    assert!(clip.status.success(), "{}", String::from_utf8_lossy(&clip.stderr));
    let slots = |name: &str| {
        let text = std::fs::read_to_string(folder.path().join(name)).unwrap();
        vivida_core::GrooveFile::parse(&text).unwrap().groove.together
    };
    let (first, again) = (slots("hats.groove.json"), slots("again.groove.json"));
    assert_eq!(first.keys().collect::<Vec<_>>(), again.keys().collect::<Vec<_>>());
    for (slot, was) in &first {
        assert!((again[slot].offset - was.offset).abs() * 240.0 <= 0.5 + 1e-6, "{slot}");
    }
    failed(&take(&[&roof, "--part", "9", "-o", "x.json"]), 1, &["tin-roof.mid", "no part 9"]);
    failed(&take(&[&roof, "--bars", "90-95", "-o", "x.json"]), 1, &["choose other bars"]);
    failed(&take(&[&roof, "--bars", "0", "-o", "x.json"]), 2, &["counted from 1"]);
    failed(&take(&[&roof, "--grid", "1/3", "-o", "x.json"]), 2, &["is no grid"]);
    std::fs::write(folder.path().join("bad.json"), "{\"format\": \"vivida-groove\", \"version\": 1}").unwrap();
    failed(&take(&["bad.json", "-o", "x.json"]), 1, &["bad.json", "at least one slot"]);
}

#[test]
fn some_bars_of_one_part_go_out_split_and_as_stems() {
    let folder = TempDir::new().unwrap();
    let run = |arguments: &[&str]| {
        let done = vivida(arguments, folder.path());
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    };
    let song = demo("causeway.mid");
    let read = |name: &str| vivida_smf::read(&std::fs::read(folder.path().join(name)).unwrap()).unwrap();
    run(&["apply", &song, "--part", "1", "--bars", "5-8", "--split", "-o", "split.mid"]);
    let split = read("split.mid");
    assert!(split.parts.len() > 2 && split.parts.iter().all(|part| part.name != "Bass"));
    assert_eq!(split.bars(), 4);
    run(&["apply", &song, "--bars", "5-8", "--one-track", "--recipe", &recipe("lean"), "-o", "one.mid"]);
    let one = read("one.mid");
    assert_eq!((one.format, one.bars()), (0, 4));
    let drums = one.parts.iter().find(|part| part.drums).unwrap();
    assert_eq!(split.hits, drums.part.hits().len());
    run(&["render", &song, "--part", "1", "--bars", "5-6", "--stems", "-o", "stems.zip"]);
    let zip = std::fs::read(folder.path().join("stems.zip")).unwrap();
    assert!(zip.starts_with(b"PK") && String::from_utf8_lossy(&zip).contains("Drums, Snare.wav"));
    failed(
        &vivida(&["apply", &song, "--bars", "5-999", "-o", "x.mid"], folder.path()),
        1,
        &["bars 5 to 999 are not all there", "1 to 72"],
    );
    failed(&vivida(&["apply", &song, "--part", "9", "-o", "x.mid"], folder.path()), 1, &["no part 9"]);
    failed(&vivida(&["render", &song, "--bars", "0", "-o", "x.wav"], folder.path()), 2, &["counted from 1"]);
    assert!(!folder.path().join("x.mid").exists());
}

#[test]
fn a_sampler_gets_its_notes_channels_and_velocities() {
    let folder = TempDir::new().unwrap();
    let kit = format!("{}/../../docs/formats/kits/three-pads.kit.json", env!("CARGO_MANIFEST_DIR"));
    let large = format!("{}/../../docs/formats/kits/large.kit.json", env!("CARGO_MANIFEST_DIR"));
    let read = |name: &str| vivida_smf::read(&std::fs::read(folder.path().join(name)).unwrap()).unwrap();
    let original = vivida_smf::read(&std::fs::read(demo("causeway.mid")).unwrap()).unwrap();
    let count = |song: &vivida_smf::SongFile, note: u8, channel: u8| {
        let hits = song.parts.iter().flat_map(|part| part.part.hits());
        hits.filter(|hit| (hit.note.get(), hit.channel.get()) == (note, channel)).count()
    };
    let done = vivida(&["apply", &demo("causeway.mid"), "--kit", &kit, "-o", "out.mid"], folder.path());
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let sent = read("out.mid");
    assert_eq!((count(&sent, 60, 0), count(&sent, 38, 9)), (count(&original, 38, 9), 0));
    assert_eq!(count(&sent, 60, 1), count(&original, 42, 9));
    assert_eq!(count(&sent, 36, 9), count(&original, 36, 9), "what the kit does not know goes out as it is");
    let split = ["apply", &demo("causeway.mid"), "--sampler", &large, "--split", "-o", "split.mid"];
    assert!(vivida(&split, folder.path()).status.success());
    let split = read("split.mid");
    assert!(
        split.parts.iter().any(|part| part.name == "Snare"),
        "{:?}",
        split.parts.iter().map(|part| &part.name).collect::<Vec<_>>()
    );
    assert_eq!(split.hits, original.hits);
    let bad = folder.path().join("bad.kit.json");
    std::fs::write(&bad, r#"{"format": "vivida-kit", "version": 1, "name": "Bad", "instruments": []}"#).unwrap();
    failed(
        &vivida(&["apply", &demo("causeway.mid"), "--kit", text(&bad), "-o", "no.mid"], folder.path()),
        1,
        &["bad.kit.json", "instruments", "1 to 256"],
    );
    let wav = ["render", &demo("causeway.mid"), "--kit", &kit, "--bars", "5-6", "-o", "out.wav"];
    assert!(vivida(&wav, folder.path()).status.success());
}

#[test]
fn inspect_lists_lanes_and_apply_says_what_of_the_movement_comes_through() {
    let folder = TempDir::new().unwrap();
    let said = |arguments: &[&str]| {
        let done = vivida(arguments, folder.path());
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        [done.stdout, done.stderr].map(|bytes| String::from_utf8_lossy(&bytes).into_owned())
    };
    let [words, _] = said(&["inspect", &demo("the-weir.mid")]);
    assert!(words.contains("hat pedal (controller-4)") && words.contains("432 values from 12 to 96"), "{words}");
    let [json, _] = said(&["inspect", &demo("the-weir.mid"), "--json"]);
    let json: serde_json::Value = serde_json::from_str(&json).unwrap();
    assert_eq!(json["parts"][0]["lanes"][0]["lane"], "controller-4");
    assert_eq!(json["parts"][0]["lanes"][0]["goes_with"], "hits");
    // The hats of Causeway sound with its kick and snare: on their own channel all of it comes through.
    let apply = |movement: &str| {
        said(&[
            "apply",
            &demo("causeway.mid"),
            "--recipe",
            &recipe("movement"),
            "--movement",
            movement,
            "-o",
            &format!("{movement}.mid"),
        ])
    };
    let [_, own] = apply("own");
    assert!(own.contains("another hit sounds on their channel"), "{own}");
    let [_, channels] = apply("channels");
    assert!(channels.contains("Channels of their own: ") && channels.contains("Closed hat on "), "{channels}");
    let read = |name: &str| vivida_smf::read(&std::fs::read(folder.path().join(name)).unwrap()).unwrap();
    let bent = |song: &vivida_smf::SongFile| {
        song.parts.iter().flat_map(|part| part.lanes()).filter(|lane| lane.kind.to_string() == "bend").count()
    };
    assert!(bent(&read("channels.mid")) > 1, "each instrument that moves has bends");
    let wrong = vivida(&["apply", &demo("causeway.mid"), "--movement", "sideways", "-o", "x.mid"], folder.path());
    failed(&wrong, 2, &["own", "channels", "mpe"]);
}
