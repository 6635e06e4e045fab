//! The demo songs are what the scenario says they are.

use vivida_demo::{generate, songs};
use vivida_smf::{SongFile, read};

fn song(name: &str) -> SongFile {
    let song = generate().into_iter().find(|song| song.name == name).unwrap();
    read(&song.bytes).unwrap()
}

fn velocities(song: &SongFile, part: usize) -> std::collections::BTreeSet<u8> {
    song.parts[part].part.hits().iter().map(|hit| hit.velocity.get()).collect()
}

#[test]
fn the_loops_of_the_folder_are_those_that_are_made() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/loops");
    for one in vivida_demo::loops() {
        let path = folder.join(one.file_name);
        let as_made = std::fs::read(&path).is_ok_and(|kept| kept == one.bytes)
            && std::fs::read_to_string(path.with_extension("csv")).is_ok_and(|kept| kept == one.onsets);
        assert!(as_made, "run `cargo xtask demo-files` and commit demo/");
    }
}

#[test]
fn the_files_are_what_the_generator_makes() {
    assert!(songs() == generate(), "run `cargo xtask demo-files` and commit demo/");
}

#[test]
fn every_song_is_whole() {
    for demo in generate() {
        let song = read(&demo.bytes).unwrap();
        assert_eq!(song.mended, Vec::<String>::new(), "{}", demo.name);
        assert!(song.bars() >= 40 && song.markers.len() >= 2, "{}: {} bars", demo.name, song.bars());
        assert!(song.parts[0].drums, "{}", demo.name);
    }
}

#[test]
fn causeway_is_dead() {
    let song = song("Causeway");
    assert_eq!((song.bars(), song.tempo.bpm(vivida_core::Ticks(0.0)).round()), (72, 96.0));
    assert_eq!(velocities(&song, 0).into_iter().collect::<Vec<u8>>(), [100]);
    assert!(song.parts[0].part.hits().iter().all(|hit| hit.tick.0 % 240.0 == 0.0));
    assert!(!song.parts[1].drums);
}

#[test]
fn the_others_show_what_they_are_for() {
    let kiln = song("Kiln Yard");
    assert_eq!((kiln.factor, velocities(&kiln, 0).len()), (10, 2));
    assert!(song("Night Ferry").tempo.changes().count() > 3);
    let roof = song("Tin Roof");
    let metres: Vec<u8> = roof.metre.changes().map(|(_, metre)| metre.numerator).collect();
    assert_eq!(metres, [5, 7]);
    assert!(roof.parts[0].part.hits().iter().filter(|hit| hit.velocity.get() < 20).count() > 20, "mis-hits");
    let lanterns = song("Paper Lanterns");
    assert_eq!(lanterns.parts.iter().filter(|part| part.drums).count(), 3);
    assert!(song("The Weir").metre.bar(1).metre.is_compound() && velocities(&song("The Weir"), 0).len() > 40);
}
