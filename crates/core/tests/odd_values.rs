//! Every field of every documented recipe and groove, set to values that nobody means. Each is either
//! refused by name, or it is a setting like any other: what it plays is whole, in range, and the same again
//! when it is read from what was written.

use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use vivida_core::*;

fn odd_values() -> Vec<Value> {
    let long = "é".repeat(300);
    let mut values =
        vec![json!(null), json!(true), json!(""), json!(long), json!([]), json!({}), json!([1]), json!("1/16")];
    values.extend([0.0, -0.0, 0.5, -1.0, 1e-300, -1e300, 1e300, 1e15].map(|number| json!(number)));
    values.extend([0, 1, 2, 7, 127, 128, 1000, u32::MAX as u64, u64::MAX].map(|number| json!(number)));
    values.extend([i64::from(i32::MIN), i64::MIN, -9].map(|number| json!(number)));
    values
}

/// The places of all values inside, the whole left out.
fn places(value: &Value, at: &str, found: &mut Vec<String>) {
    let inner: Vec<(String, &Value)> = match value {
        Value::Object(fields) => {
            fields.iter().map(|(name, one)| (name.replace('~', "~0").replace('/', "~1"), one)).collect()
        }
        Value::Array(list) => list.iter().enumerate().map(|(index, one)| (index.to_string(), one)).collect(),
        _ => return,
    };
    for (name, one) in inner {
        let place = format!("{at}/{name}");
        found.push(place.clone());
        places(one, &place, found);
    }
}

/// Calls `check` with the document and each of its fields in turn set to each odd value, left out, and
/// joined by one that is unknown; with words for it and the place of the field, too.
fn in_all_ways(document: &Value, check: impl Fn(&str, &str, Value)) {
    let mut all = Vec::new();
    places(document, "", &mut all);
    assert!(!all.is_empty());
    for place in all {
        for odd in odd_values() {
            let mut changed = document.clone();
            *changed.pointer_mut(&place).unwrap() = odd.clone();
            check(&format!("{place} = {odd:.40}"), &place, changed);
        }
        let (parent, name) = place.rsplit_once('/').unwrap();
        let mut changed = document.clone();
        let Some(fields) = changed.pointer_mut(parent).and_then(Value::as_object_mut) else { continue };
        let known = fields.remove(&name.replace("~1", "/").replace("~0", "~"));
        check(&format!("without {place}"), &place, changed.clone());
        let fields = changed.pointer_mut(parent).and_then(Value::as_object_mut).unwrap();
        fields.insert(name.replace("~1", "/").replace("~0", "~"), known.unwrap());
        fields.insert("gong".to_owned(), json!(1));
        check(&format!("with {parent}/gong"), parent, changed);
    }
}

/// Some bars in 4/4 and some in 7/8, of three instruments, with two hits at one place.
struct Song {
    tempo: TempoMap,
    metre: MetreMap,
    part: Part,
}

impl Song {
    fn new() -> Song {
        let ppq = Ppq::new(480).unwrap();
        let metres = [(Ticks(0.0), Metre::new(4, 4).unwrap()), (Ticks(3840.0), Metre::new(7, 8).unwrap())];
        let hit = |id: u32| Hit {
            id: HitId::new(id),
            tick: Ticks(f64::from(id / 2 * 130)),
            length: Ticks(f64::from(30 + id % 5 * 60)),
            velocity: Velocity::new((1 + id * 37 % 127) as u8).unwrap(),
            release: 64,
            note: Note::new([42, 38, 36][id as usize % 3]).unwrap(),
            channel: Channel::PERCUSSION,
        };
        Song {
            tempo: TempoMap::new(ppq, []),
            metre: MetreMap::new(ppq, metres),
            part: Part::new((0..80).map(hit).collect()),
        }
    }

    fn play(&self, recipe: &Recipe, pockets: &Pockets) -> Performance {
        let chart = Chart::new(&self.part, Kit::of_drums(&self.part));
        let context = Context { pockets, ..Context::new(&self.tempo, &self.metre) };
        let performance = perform(&self.part, &chart, recipe, &context);
        Measured::played(&self.part, &chart, &context, &performance);
        performance
    }
}

fn check_recipe(song: &Song, said: &str, place: &str, document: Value) {
    match RecipeFile::parse(&document.to_string()) {
        Err(error) => {
            // A field of the same aim or action is named, or one that holds it.
            let path = error.path.replace("].", "/").replace(['.', '['], "/").replace(']', "");
            let named = path.split('/').zip(place.split('/').skip(1)).take(3).all(|(told, meant)| told == meant);
            let whole = error.path == "." && place.matches('/').count() < 2;
            let twice = place.ends_with("/id") && error.path.ends_with(".id");
            // Passes name their groups: one that is gone is missed there.
            let missed = place.starts_with("/groups") && error.path.ends_with(".group");
            assert!(named || whole || twice || missed, "{said}: {error}");
        }
        Ok(file) => {
            let again = RecipeFile::parse(&serde_json::to_string(&file).unwrap());
            let again = again.unwrap_or_else(|error| panic!("{said}: what was read cannot be read again: {error}"));
            assert_eq!(again, file, "{said}");
            let performance = song.play(&file.recipe, &file.pockets);
            assert!(performance.written.len() >= song.part.hits().len(), "{said}: hits are missing");
            for hit in &performance.written {
                let whole = hit.tick.0.fract() == 0.0 && hit.length.0.fract() == 0.0;
                assert!(whole && hit.tick.0 >= 0.0 && hit.length.0 >= 1.0, "{said}: {hit:?}");
                assert!(hit.tick.0 < 1e6 && hit.length.0 < 1e6, "{said}: {hit:?}");
            }
        }
    }
}

fn documents(folder: &str) -> Vec<(PathBuf, Value)> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/formats").join(folder);
    let read = |path: PathBuf| {
        let document = serde_json::from_str(&std::fs::read_to_string(&path).unwrap()).unwrap();
        (path, document)
    };
    let found: Vec<_> = std::fs::read_dir(folder).unwrap().map(|entry| read(entry.unwrap().path())).collect();
    assert!(!found.is_empty());
    found
}

#[test]
fn every_field_of_every_documented_recipe() {
    let song = Song::new();
    for (path, document) in documents("recipes") {
        // With every setting told, also those that the example leaves out.
        let file = RecipeFile::parse(&document.to_string()).unwrap();
        let document = serde_json::to_value(&file).unwrap();
        in_all_ways(&document, |said, place, odd| {
            check_recipe(&song, &format!("{}: {said}", path.display()), place, odd);
        });
    }
}

#[test]
fn every_condition_of_an_aim() {
    let song = Song::new();
    let aim = json!({
        "instruments": ["closed-hat"], "articulations": ["tip"],
        "bars": [{"from": 1, "to": 4}], "sections": ["Verse"],
        "positions": {"grid": "1/8", "slots": [1, 3], "bars": 2, "tolerance": 40},
        "velocity": {"from": 20, "to": 110}, "length": {"from": 5, "to": 500},
        "speed": {"at_most": 400, "at_least": 10, "value": "1/16", "by_limb": true},
        "run": {"place": "every", "every": 3, "gap": 300},
        "with": {"instruments": ["snare"], "within": 20}, "without": {"instruments": ["kick"], "within": 20},
        "share": 60, "picked": [1, 2, 5], "invert": true
    });
    let level = json!({"kind": "level", "by": 9});
    let document = |aim: &Value| {
        json!({"format": "vivida-recipe", "version": 1, "name": "Odd", "note": "",
            "passes": [{"id": 1, "aim": aim, "action": level}]})
    };
    // Each condition by itself reaches hits that all of them together would not.
    for (name, condition) in aim.as_object().unwrap() {
        let alone = document(&json!({name.as_str(): condition}));
        RecipeFile::parse(&alone.to_string()).unwrap_or_else(|error| panic!("{error}"));
        in_all_ways(&alone, |said, place, odd| {
            check_recipe(&song, &format!("{name} alone: {said}"), place, odd);
        });
    }
}

#[test]
fn every_field_of_the_documented_grooves() {
    let song = Song::new();
    for (path, document) in documents("grooves") {
        in_all_ways(&document, |said, _, odd| {
            let said = format!("{}: {said}", path.display());
            let Ok(file) = GrooveFile::parse(&odd.to_string()) else { return };
            let again = GrooveFile::parse(&serde_json::to_string(&file).unwrap()).unwrap();
            assert_eq!(again, file, "{said}");
            let recipe = json!({"format": "vivida-recipe", "version": 1, "name": "Odd", "note": "", "passes": [
                {"id": 1, "action": {"kind": "groove", "groove": file.groove, "timing": 200, "touch": 200, "liveliness": 100}}
            ]});
            check_recipe(&song, &said, "/passes/0/action/groove", recipe);
        });
    }
}

#[test]
fn numbers_that_are_none_are_no_json() {
    let (path, document) = documents("grooves").remove(0);
    let text = document.to_string();
    assert!(GrooveFile::parse(&text).is_ok(), "{}", path.display());
    for number in ["NaN", "Infinity", "-Infinity", "1e999", "-1e999"] {
        let odd = text.replacen("\"tempo\":", &format!("\"tempo\":{number},\"was\":"), 1);
        assert_ne!(odd, text);
        let error = GrooveFile::parse(&odd).unwrap_err().to_string();
        assert!(error.contains("line 1"), "{number}: {error}");
    }
}
