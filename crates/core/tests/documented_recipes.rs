//! The example recipes in docs/formats are real: each can be read, does something, and there is one
//! for every action.

use std::collections::BTreeSet;
use std::path::Path;
use vivida_core::{Action, GrooveFile, GrooveSlot, Kit, KitFile, RecipeFile};

#[test]
fn there_is_a_working_example_of_every_action() {
    let docs = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/formats");
    let page = std::fs::read_to_string(docs.join("recipe.md")).unwrap();
    let mut shown = BTreeSet::new();
    for entry in std::fs::read_dir(docs.join("recipes")).unwrap() {
        let path = entry.unwrap().path();
        let text = std::fs::read_to_string(&path).unwrap();
        let file = RecipeFile::parse(&text).unwrap_or_else(|error| panic!("{}: {error}", path.display()));
        assert!(!file.name.is_empty() && !file.note.is_empty(), "{}", path.display());
        shown.extend(file.recipe.passes.iter().map(|pass| pass.action.info().kind));
    }
    for info in Action::all() {
        assert!(shown.contains(info.kind), "no example of {}", info.kind);
        assert!(page.contains(&format!("### {}\n", info.kind)), "recipe.md does not describe {}", info.kind);
        for setting in info.settings {
            assert!(page.contains(&format!("`{}`", setting.name)), "recipe.md does not describe {}", setting.name);
        }
    }
}

#[test]
fn the_example_groove_can_be_read() {
    let docs = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/formats");
    let text = std::fs::read_to_string(docs.join("grooves/late-twos.groove.json")).unwrap();
    let file = GrooveFile::parse(&text).unwrap();
    assert_eq!((file.groove.slots(), file.groove.families.len()), (8, 1));
    let again = GrooveFile::parse(&serde_json::to_string(&file).unwrap()).unwrap();
    assert_eq!(again, file);
    let page = std::fs::read_to_string(docs.join("groove.md")).unwrap();
    for object in [serde_json::json!(file), serde_json::json!(GrooveSlot::default())] {
        for field in object.as_object().unwrap().keys() {
            assert!(page.contains(&format!("| `{field}` |")), "groove.md does not describe {field}");
        }
    }
}

#[test]
fn the_example_kits_can_be_read_and_ours_are_among_them() {
    let docs = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/formats");
    let read = |name: &str| {
        let text = std::fs::read_to_string(docs.join(format!("kits/{name}.kit.json"))).unwrap();
        KitFile::parse(&text).unwrap_or_else(|error| panic!("{name}: {error}"))
    };
    for (name, own) in [("large", 1), ("hand-percussion", 2)] {
        let kit = Kit::own().swap_remove(own);
        if std::env::var_os("VIVIDA_WRITE_KITS").is_some() {
            let text = serde_json::to_string_pretty(&KitFile::new(kit.clone())).unwrap();
            std::fs::write(docs.join(format!("kits/{name}.kit.json")), text + "\n").unwrap();
        }
        assert_eq!(read(name).kit, kit, "{name}");
    }
    let page = std::fs::read_to_string(docs.join("kit.md")).unwrap();
    let pads = serde_json::json!(read("three-pads"));
    let whole = |object: &serde_json::Value| {
        for field in object.as_object().unwrap().keys() {
            assert!(page.contains(&format!("| `{field}` |")), "kit.md does not describe {field}");
        }
    };
    whole(&pads);
    whole(&pads["instruments"][0]);
    whole(&pads["instruments"][1]);
    whole(&pads["instruments"][0]["articulations"][0]);
}
