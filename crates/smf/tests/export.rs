//! Exports: what comes before what at one tick, other resolutions, lead-in bars, odd songs.

use vivida_core::action::{Lean, Level};
use vivida_core::*;
use vivida_smf::{Export, Resolution, read, write};

use crate::common::{events, file_of as file, play};

fn lean(ms: f64) -> Action {
    Action::Lean(Lean { by: Millis(ms), ..Lean::default() })
}

#[test]
fn at_one_tick_offs_come_first_and_ons_last() {
    // Kick at 0 and 96, a controller at 96, all at 96 ppq and 120 bpm: 10 ms are 1.92 ticks.
    let song_file =
        file(0, 96, &[&[0, 0x99, 36, 100, 90, 0x89, 36, 64, 6, 0xb9, 7, 9, 2, 0x99, 36, 90, 20, 0x89, 36, 64]]);
    let song = read(&song_file).unwrap();
    // The second kick comes from 98 to 96, where the controller is; the first is cut there.
    let kick = |tick, velocity| (tick, vec![0x99, 36, velocity]);
    let second_bar_less = play(&song, 0, lean(-10.0), Export::default());
    let out = events(&write(&song_file, &song, &[second_bar_less], Export::default()), 0);
    assert_eq!(out[0], kick(0, 100));
    assert_eq!(out[1].1, [0x89, 36, 64]);
    assert_eq!((&out[2], &out[3]), (&(96, vec![0xb9, 7, 9]), &kick(96, 90)), "what stood there, then what came there");
}

#[test]
fn running_status_is_written_out_and_other_bytes_are_kept() {
    let sysex: &[u8] = &[0, 0xf0, 3, 1, 2, 0xf7];
    let unknown_meta: &[u8] = &[0, 0xff, 0x60, 2, 7, 7];
    let running: &[u8] = &[0, 0xb9, 1, 10, 5, 2, 20, 5, 3, 30];
    let notes: &[u8] = &[0, 0x99, 38, 80, 48, 38, 0];
    let song_file = file(0, 480, &[&[sysex, unknown_meta, running, notes].concat()]);
    let song = read(&song_file).unwrap();
    let louder = play(&song, 0, Action::Level(Level { by: 7.0 }), Export::default());
    let out = events(&write(&song_file, &song, &[louder], Export::default()), 0);
    let bytes: Vec<&[u8]> = out.iter().map(|(_, bytes)| bytes.as_slice()).collect();
    let wanted: [&[u8]; 8] = [
        &[0xf0, 3, 1, 2, 0xf7],
        &[0xff, 0x60, 2, 7, 7],
        &[0xb9, 1, 10],
        &[0xb9, 2, 20],
        &[0xb9, 3, 30],
        &[0x99, 38, 87],
        &[0x89, 38, 64],
        &[0xff, 0x2f, 0],
    ];
    assert_eq!(bytes, wanted);
    assert_eq!(out.iter().map(|(tick, _)| *tick).collect::<Vec<u32>>(), [0, 0, 0, 5, 10, 10, 58, 58]);
}

#[test]
fn a_lead_in_bar_moves_everything_but_what_sets_the_song_up() {
    let conductor: &[u8] =
        &[0, 0xff, 0x51, 3, 7, 161, 32, 0, 0xff, 0x58, 4, 3, 2, 24, 8, 96, 0xff, 0x51, 3, 3, 208, 144];
    let drums: &[u8] = &[0, 0xc9, 8, 0, 0x99, 36, 100, 48, 0x89, 36, 64];
    let bass: &[u8] = &[0, 0x91, 40, 100, 48, 0x81, 40, 64];
    let song_file = file(1, 96, &[conductor, drums, bass]);
    let song = read(&song_file).unwrap();
    let export = Export { resolution: Resolution::Own, lead_in: true, ..Export::default() };
    let out = write(&song_file, &song, &[play(&song, 0, lean(-100.0), export)], export);
    // A bar of 3/4 is 288 ticks; 100 ms early are 19.2 of them.
    let ticks = |track| events(&out, track).iter().map(|(tick, _)| *tick).collect::<Vec<u32>>();
    assert_eq!(ticks(0)[..3], [0, 0, 384], "tempo and metre stay, the later tempo moves");
    assert_eq!(ticks(1)[..3], [0, 269, 317], "the program stays, the kick is early");
    assert_eq!(ticks(2)[..2], [288, 336], "the untreated bass moves, too");
    let again = read(&out).unwrap();
    assert_eq!(again.metre.bar_at(again.parts[1].part.hits()[0].tick).number, 2);
}

#[test]
fn the_fine_resolution_is_what_is_heard() {
    let song_file = file(0, 24, &[&[0, 0x99, 42, 70, 6, 0x89, 42, 64, 6, 0x99, 42, 71, 6, 0x89, 42, 64]]);
    let song = read(&song_file).unwrap();
    assert_eq!((song.factor, song.ppq.get()), (40, 960));
    let fine = Export { resolution: Resolution::Fine, lead_in: false, ..Export::default() };
    let played = play(&song, 0, lean(3.0), fine);
    let again = read(&write(&song_file, &song, std::slice::from_ref(&played), fine)).unwrap();
    assert_eq!(again.factor, 1);
    for (found, wanted) in again.parts[0].part.hits().iter().zip(&played.1.written) {
        assert_eq!((found.tick, found.length, found.velocity), (wanted.tick, wanted.length, wanted.velocity));
    }
}

#[test]
fn one_channel_of_a_track_is_treated_and_the_other_left() {
    let both: &[u8] = &[0, 0x99, 36, 100, 0, 0x91, 40, 90, 48, 0x89, 36, 64, 0, 0x81, 40, 64];
    let song_file = file(0, 480, &[both]);
    let song = read(&song_file).unwrap();
    assert_eq!(song.parts.iter().map(|part| part.drums).collect::<Vec<bool>>(), [false, true]);
    let drums = song.parts.iter().position(|part| part.drums).unwrap();
    let out = write(&song_file, &song, &[play(&song, drums, lean(10.0), Export::default())], Export::default());
    let again = read(&out).unwrap();
    assert_eq!(again.parts[0].part, song.parts[0].part);
    assert_eq!(again.parts[1].part.hits()[0].tick, Ticks(20.0), "9.6 ticks of 480, rounded to 10");
}

#[test]
fn patterns_side_by_side_and_frames_come_out_as_they_went_in() {
    let pattern: &[u8] = &[0, 0x99, 36, 100, 48, 0x89, 36, 64];
    let patterns = file(2, 480, &[pattern, pattern]);
    let song = read(&patterns).unwrap();
    assert_eq!((song.format, song.parts.len()), (2, 2));
    assert!(song.mended.iter().any(|text| text.starts_with("Format 2")));
    let out = write(&patterns, &song, &[play(&song, 1, lean(10.0), Export::default())], Export::default());
    assert_eq!(events(&out, 0), events(&patterns, 0));
    assert_eq!(out[9], 2);

    let frames = file(0, u16::from_be_bytes([0xe7, 40]), &[pattern]);
    let song = read(&frames).unwrap();
    let fine = Export { resolution: Resolution::Fine, lead_in: false, ..Export::default() };
    let out = write(&frames, &song, &[play(&song, 0, lean(10.0), fine)], fine);
    assert_eq!(out[12..14], [0xe7, 40], "they keep counting in frames");
    assert_eq!(events(&out, 0)[0].0, 10, "a thousand ticks a second: 10 ms");
}

#[test]
fn markers_and_names_are_read_and_never_empty() {
    let conductor: &[u8] = &[
        0, 0xff, 0x03, 4, b'S', b'o', b'n', b'g', 0, 0xff, 0x06, 0, 0, 0xff, 0x06, 5, b'V', b'e', b'r', b's', b'e', 96,
        0xff, 0x06, 4, b'L', b'i', b'f', b't',
    ];
    let drums: &[u8] = &[0, 0x99, 36, 100, 48, 0x89, 36, 64];
    let song = read(&file(1, 96, &[conductor, drums])).unwrap();
    let markers: Vec<(f64, &str)> = song.markers.iter().map(|marker| (marker.tick.0, marker.name.as_str())).collect();
    assert_eq!(markers, [(0.0, "Verse"), (960.0, "Lift")]);
    assert_eq!(song.parts[0].name, "Drums (track 2, channel 10)");
    let sections: Vec<(String, u32, u32)> =
        song.sections().into_iter().map(|section| (section.name, section.from, section.to)).collect();
    assert_eq!(sections, [("Verse".to_owned(), 1, 1), ("Lift".to_owned(), 1, 1)], "both in the only bar");
}

#[test]
fn sections_last_up_to_the_next_and_end_with_the_song() {
    // Three bars of 4/4 at 96 ppq; markers at bars 1, 2 and far behind the end.
    let conductor: &[u8] = &[0, 0xff, 0x06, 1, b'A', 0x83, 0x00, 0xff, 0x06, 1, b'B', 0xa0, 0x00, 0xff, 0x06, 1, b'Z'];
    let drums: &[u8] = &[0, 0x99, 36, 100, 0x89, 0x00, 0x89, 36, 64];
    let song = read(&file(1, 96, &[conductor, drums])).unwrap();
    let sections: Vec<(String, u32, u32)> =
        song.sections().into_iter().map(|section| (section.name, section.from, section.to)).collect();
    assert_eq!(song.bars(), 3);
    assert_eq!(sections, [("A".to_owned(), 1, 1), ("B".to_owned(), 2, 3)], "what lies behind the end names nothing");
}
