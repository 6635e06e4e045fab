//! Every documented recipe on every demo song, by the engine and the files together.

use std::path::{Path, PathBuf};
use vivida_core::{Context, RecipeFile, perform};
use vivida_smf::{Export, Resolution, read, write};

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn files(folder: &str, ending: &str) -> Vec<(String, Vec<u8>)> {
    let mut found: Vec<PathBuf> =
        std::fs::read_dir(root().join(folder)).unwrap().map(|entry| entry.unwrap().path()).collect();
    found.retain(|path| path.to_string_lossy().ends_with(ending));
    found.sort();
    let named =
        |path: PathBuf| (path.file_name().unwrap().to_string_lossy().into_owned(), std::fs::read(&path).unwrap());
    found.into_iter().map(named).collect()
}

#[test]
fn every_recipe_plays_every_song_and_the_file_can_be_read_again() {
    let songs = files("demo", ".mid");
    let recipes = files("docs/formats/recipes", ".recipe.json");
    assert!(songs.len() == 6 && recipes.len() > 15);
    for (song_name, bytes) in &songs {
        let song = read(bytes).unwrap();
        for (recipe_name, text) in &recipes {
            let what = format!("{song_name} by {recipe_name}");
            let file = RecipeFile::parse(std::str::from_utf8(text).unwrap()).unwrap();
            let context = Context::new(&song.tempo, &song.metre);
            let drums = song.parts.iter().position(|part| part.drums).unwrap_or(0);
            let part = &song.parts[drums];
            let chart = part.chart(part.drums);
            let (recipe, said) = file.recipe.fitted(&chart.kit, &part.part);
            assert!(said.len() <= file.recipe.passes.len(), "{what}: {said:?}");
            let played = perform(&part.part, &chart, &recipe, &context);
            let again = perform(&part.part, &chart, &recipe, &context);
            assert_eq!(played, again, "{what}: equal input, equal output");
            let sounding = played.sounding().count();
            for resolution in [Resolution::Own, Resolution::Fine] {
                let export = Export { resolution, lead_in: false, ..Export::default() };
                let written = write(bytes, &song, &[(drums, played.clone())], export);
                let back = read(&written).unwrap_or_else(|error| panic!("{what}: {error}"));
                let hits = back.parts.iter().find(|other| other.track == part.track && other.channel == part.channel);
                let hits = hits.map_or(0, |part| part.part.hits().len());
                assert_eq!(hits, sounding, "{what}: nothing is lost and nothing added");
                assert!(back.bars() <= song.bars() + 1, "{what}");
            }
        }
    }
}

#[test]
fn a_print_of_a_performance_says_the_same_in_the_file() {
    for (song_name, bytes) in files("demo", ".mid") {
        let song = read(&bytes).unwrap();
        let context = Context::new(&song.tempo, &song.metre);
        let part = &song.parts[0];
        let chart = part.chart(part.drums);
        let text = std::fs::read_to_string(root().join("docs/formats/recipes/shape.recipe.json")).unwrap();
        let recipe = RecipeFile::parse(&text).unwrap().plain();
        let played = perform(&part.part, &chart, &recipe, &context);
        let printed = played.printed();
        let plain =
            perform(&printed, &vivida_core::Chart::new(&printed, chart.kit.clone()), &Default::default(), &context);
        let fine = Export { resolution: Resolution::Fine, lead_in: false, ..Export::default() };
        let one = read(&write(&bytes, &song, &[(0, played)], fine)).unwrap();
        let other = read(&write(&bytes, &song, &[(0, plain.instead_of(&part.part))], fine)).unwrap();
        let heard = |file: &vivida_smf::SongFile| {
            let mut hits: Vec<(i64, u8, u8)> = file.parts[0]
                .part
                .hits()
                .iter()
                .map(|hit| (hit.tick.0 as i64, hit.note.get(), hit.velocity.get()))
                .collect();
            hits.sort_unstable();
            hits
        };
        assert_eq!(heard(&one), heard(&other), "{song_name}");
    }
}

#[test]
fn a_recipe_can_speak_of_the_sections_of_a_file() {
    let folder = tempfile::TempDir::new().unwrap();
    let recipe = r#"{"format": "vivida-recipe", "version": 1, "passes": [
        {"id": 1, "aim": {"instruments": ["kick"], "sections": ["Break"]}, "action": {"kind": "set", "to": 33}}]}"#;
    std::fs::write(folder.path().join("break.recipe.json"), recipe).unwrap();
    let song = root().join("demo/causeway.mid");
    let done = std::process::Command::new(env!("CARGO_BIN_EXE_vivida"))
        .current_dir(folder.path())
        .arg("apply")
        .arg(&song)
        .args(["--recipe", "break.recipe.json", "-o", "out.mid"])
        .output()
        .unwrap();
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let (before, after) =
        (read(&std::fs::read(&song).unwrap()).unwrap(), std::fs::read(folder.path().join("out.mid")).unwrap());
    let after = read(&after).unwrap();
    let section = before.sections().into_iter().find(|section| section.name == "Break").unwrap();
    let drums = |file: &vivida_smf::SongFile| file.parts.iter().find(|part| part.drums).unwrap().part.clone();
    let mut changed = 0;
    for (was, now) in drums(&before).hits().iter().zip(drums(&after).hits()) {
        let bar = before.metre.bar_at(was.tick).number;
        if was.note.get() == 36 && (section.from..=section.to).contains(&bar) {
            assert_eq!(now.velocity.get(), 33);
            changed += 1;
        } else {
            assert_eq!(now, was);
        }
    }
    assert!(changed > 4, "{changed} kicks in the break");
}
