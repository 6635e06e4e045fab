//! Same in, same out: every documented recipe on the drums of every demo song, in two variations, gives to the
//! bit what is kept in `golden.txt`, where it does anything there; each does something to some song. A line is song,
//! recipe, variation, hits that sound, how many of them the recipe touched or made, the sum of their velocities, and a
//! fingerprint of all that they are. `VIVIDA_WRITE_GOLDEN=1` writes it anew, for a change that is meant.

use std::collections::{BTreeSet, HashMap};
use std::path::{Path, PathBuf};
use vivida_core::action::{Lean, Loosen, PocketId, PocketSettings, Pockets, Swing};
use vivida_core::{Context, HitId, Millis, Percent, Performance, PlayedHit, PlayedLane, Recipe, RecipeFile, perform};
use vivida_demo::songs;
use vivida_smf::read;

/// FNV-1a of 64 bits.
fn fingerprint(performance: &Performance) -> u64 {
    let mut value = 0xcbf2_9ce4_8422_2325_u64;
    let mut take = |bytes: &[u8]| {
        for byte in bytes {
            value = (value ^ u64::from(*byte)).wrapping_mul(0x0100_0000_01b3);
        }
    };
    for hit in performance.sounding() {
        take(&hit.id.get().to_le_bytes());
        take(&hit.tick.0.to_bits().to_le_bytes());
        take(&hit.length.0.to_bits().to_le_bytes());
        take(&[hit.velocity.get(), hit.note.get()]);
        if !hit.movement.is_none() {
            hit.movement.values().iter().for_each(|value| take(&value.to_bits().to_le_bytes()));
        }
    }
    for PlayedLane { lane, .. } in performance.lanes.iter().filter(|lane| lane.drawn) {
        for (tick, value) in lane.ticks().iter().zip(lane.values()) {
            take(&tick.to_bits().to_le_bytes());
            take(&value.to_bits().to_le_bytes());
        }
    }
    value
}

fn folder(path: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join(path)
}

#[test]
fn same_in_same_out() {
    let mut names: Vec<_> =
        std::fs::read_dir(folder("../../docs/formats/recipes")).unwrap().map(|entry| entry.unwrap().path()).collect();
    names.sort();
    // The pockets that recipes name.
    let pocket = PocketSettings {
        swing: Swing { to: Percent(58.0), ..Swing::default() },
        lean: Lean { by: Millis(4.0), ..Lean::default() },
        loosen: Loosen { wander: Millis(3.0), ..Loosen::default() },
        ..PocketSettings::default()
    };
    let pockets: Pockets = (1..4).map(|id| (PocketId(id), pocket.clone())).collect();
    let mut lines = String::new();
    let mut idle: BTreeSet<String> = BTreeSet::new();
    for path in &names {
        idle.insert(path.file_name().unwrap().to_string_lossy().replace(".recipe.json", ""));
    }
    for demo in songs() {
        let song = read(&demo.bytes).unwrap();
        let part = song.parts.iter().find(|part| part.drums).unwrap();
        let (chart, sections) = (part.chart(true), song.sections());
        let bare = perform(&part.part, &chart, &Recipe::default(), &Context::new(&song.tempo, &song.metre));
        let bare: HashMap<HitId, PlayedHit> = bare.sounding().map(|hit| (hit.id, *hit)).collect();
        for path in &names {
            let file = RecipeFile::parse(&std::fs::read_to_string(path).unwrap()).unwrap();
            for variation in [1, 7] {
                let context = Context {
                    variation,
                    sections: &sections,
                    lanes: part.lanes(),
                    pockets: &pockets,
                    ..Context::new(&song.tempo, &song.metre)
                };
                let performance = perform(&part.part, &chart, &file.recipe, &context);
                let touched = performance.sounding().filter(|hit| bare.get(&hit.id) != Some(hit)).count();
                let drawn = performance.lanes.iter().any(|lane| lane.drawn);
                if touched == 0 && !drawn && performance.sounding().count() == bare.len() {
                    continue;
                }
                let hits: Vec<_> = performance.sounding().map(|hit| u64::from(hit.velocity.get())).collect();
                let recipe = path.file_name().unwrap().to_string_lossy().replace(".recipe.json", "");
                let (count, sum, print) = (hits.len(), hits.iter().sum::<u64>(), fingerprint(&performance));
                lines += &format!("{}\t{recipe}\t{variation}\t{count}\t{touched}\t{sum}\t{print:016x}\n", demo.name);
                idle.remove(&recipe);
            }
        }
    }
    assert!(idle.is_empty(), "recipes that do nothing to any demo song: {idle:?}");
    let kept = folder("tests/golden.txt");
    if std::env::var_os("VIVIDA_WRITE_GOLDEN").is_some() {
        std::fs::write(&kept, &lines).unwrap();
    }
    let kept = std::fs::read_to_string(kept).unwrap();
    for (found, expected) in lines.lines().zip(kept.lines()) {
        assert_eq!(found, expected, "what is played has changed; see the head of this file");
    }
    assert_eq!(lines.lines().count(), kept.lines().count());
}
