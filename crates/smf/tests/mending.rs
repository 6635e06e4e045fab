//! What other programs write is read on, written right, and never has to be mended twice.

use crate::common::{file, play, voices};
use proptest::prelude::*;
use vivida_core::action::{ByHand, Lean, Loosen};
use vivida_core::*;
use vivida_smf::{Export, Resolution, read, write};

#[test]
fn running_status_goes_on_behind_meta_and_sysex_events() {
    for between in [&[0xff, 5, 1, b'a'][..], &[0xf0, 2, 1, 0xf7]] {
        let body = [&[0, 0x99, 36, 100, 96][..], between, &[0, 36, 0, 96, 38, 90, 10, 38, 0]].concat();
        let bytes = file(480, &[&body]);
        let song = read(&bytes).unwrap();
        let hits = song.parts[0].part.hits();
        assert_eq!(
            hits.iter().map(|hit| (hit.tick.0, hit.length.0)).collect::<Vec<_>>(),
            [(0.0, 192.0), (384.0, 20.0)]
        );
        assert!(song.mended.join("").contains("1 event goes on with the status"), "{:?}", song.mended);
        assert_eq!(write(&bytes, &song, &[], Export::default()), bytes);
        let out = write(
            &bytes,
            &song,
            &[play(&song, 0, Action::ByHand(ByHand::default()), Export::default())],
            Export::default(),
        );
        assert_eq!(voices(&out, 0, 9), [(0, 96, 36, 100), (192, 202, 38, 90)], "by a reader that keeps to the letter");
    }
}

#[test]
fn the_smallest_file_that_was_cut_off_is_whole_again() {
    let hex = "4d546864000000060001000201e04d54726b0000000c009924646089244000ff2f00\
               4d54726b0000001600903c6460ff050161003c0000406460400000ff2f00";
    let byte = |pair: &[u8]| u8::from_str_radix(std::str::from_utf8(pair).unwrap(), 16).unwrap();
    let bytes: Vec<u8> = hex.as_bytes().chunks(2).map(byte).collect();
    let song = read(&bytes).unwrap();
    let lengths: Vec<f64> = song.parts[1].part.hits().iter().map(|hit| hit.length.0).collect();
    assert_eq!(lengths, [192.0, 192.0]);
    assert!(!song.mended.join("").contains("never ended"), "{:?}", song.mended);
}

#[test]
fn an_event_that_claims_too_much_swallows_nothing_that_is_written_behind_it() {
    // A note that is never ended, then a text of 127 bytes of which three are there.
    let bytes = {
        let mut bytes = file(480, &[&[0, 0x99, 36, 100, 96, 0xff, 1, 0x7f, b'a', b'b', b'c']]);
        let end = bytes.len() - 4;
        bytes.truncate(end);
        let length = (bytes.len() - 22) as u32;
        bytes[18..22].copy_from_slice(&length.to_be_bytes());
        bytes
    };
    let song = read(&bytes).unwrap();
    assert!(song.mended.join("").contains("claims more bytes"), "{:?}", song.mended);
    let later = play(&song, 0, Action::Lean(Lean { by: Millis(20.0), ..Lean::default() }), Export::default());
    let out = write(&bytes, &song, &[later], Export::default());
    assert_eq!(voices(&out, 0, 9).len(), 1, "its note-off is found by a reader that keeps to the letter");
    assert!(out.windows(6).any(|part| part == [0xff, 1, 3, b'a', b'b', b'c']), "the text with its true length");
    let again = read(&out).unwrap();
    assert!(again.mended.is_empty(), "{:?}", again.mended);
}

#[test]
fn a_lead_in_bar_moves_the_music_and_leaves_the_set_up_in_front() {
    let text = |kind: u8| vec![0, 0xff, kind, 1, b'x'];
    let set_up = [
        vec![0, 0xff, 0x51, 3, 7, 161, 32],
        vec![0, 0xff, 0x58, 4, 3, 2, 24, 8],
        text(3),
        vec![0, 0xc9, 5],
        vec![0, 0xb9, 7, 99],
    ];
    let music = [text(1), text(5), text(6), text(7), vec![0, 0x99, 36, 100], vec![0, 0xa9, 36, 50]];
    let body: Vec<u8> = set_up.iter().chain(&music).flatten().copied().chain([96, 0x89, 36, 64]).collect();
    let bytes = file(480, &[&body]);
    let song = read(&bytes).unwrap();
    let out = write(&bytes, &song, &[], Export { lead_in: true, ..Export::default() });
    let events = crate::common::events(&out, 0);
    let bar = 3 * 480;
    let ticks: Vec<u32> = events.iter().map(|(tick, _)| *tick).collect();
    assert_eq!(ticks[..set_up.len()], [0; 5]);
    assert_eq!(ticks[set_up.len()..set_up.len() + music.len()], [bar; 6], "{events:?}");
}

#[test]
fn what_belongs_to_a_note_moves_with_it() {
    // Pedal down just before a closed hat, pressure while it sounds, a note-off too many behind it.
    let body = [
        [10, 0xb9, 4, 90],
        [10, 0x99, 42, 100],
        [5, 0xa9, 42, 64],
        [15, 0x89, 42, 64],
        [20, 0x89, 42, 0],
        [40, 0xb9, 4, 20],
        [20, 0x99, 46, 80],
        [30, 0x89, 46, 64],
    ];
    let bytes = file(480, &[&body.concat()]);
    let song = read(&bytes).unwrap();
    // 10 ms are 9.6 ticks at 480 ppq and 120 bpm.
    let out = |ms: f64| {
        let later = play(&song, 0, Action::Lean(Lean { by: Millis(ms), ..Lean::default() }), Export::default());
        crate::common::events(&write(&bytes, &song, &[later], Export::default()), 0)
    };
    let before = [10, 20, 25, 40, 60, 100, 120, 150];
    for (ms, by) in [(50.0, 48), (-5.208_333, -5)] {
        let ticks: Vec<i64> = out(ms).iter().map(|(tick, _)| i64::from(*tick)).collect();
        assert_eq!(ticks[..8], before.map(|tick: i64| tick + by), "{ms} ms");
    }
    assert_eq!(out(0.0).iter().map(|(tick, _)| i64::from(*tick)).collect::<Vec<_>>()[..8], before);
}

#[test]
fn a_note_off_too_many_never_ends_a_note_that_moved_over_it() {
    // The stray stands at 60; the second kick comes from 80 to 50.
    let body = [[0u8, 0x99, 36, 100], [30, 0x89, 36, 64], [30, 0x89, 36, 0], [20, 0x99, 36, 90], [40, 0x89, 36, 64]];
    let bytes = file(480, &[&body.concat()]);
    let song = read(&bytes).unwrap();
    let hand = ByHand {
        moved: vec![action::HandMove { time: Millis(-31.25), ..action::HandMove::of(HitId::new(1)) }],
        ..ByHand::default()
    };
    let out = write(&bytes, &song, &[play(&song, 0, Action::ByHand(hand), Export::default())], Export::default());
    assert_eq!(voices(&out, 0, 9), [(0, 30, 36, 100), (50, 90, 36, 90)]);
}

/// How many files the fuzzing below reads; more by an environment variable.
fn cases(usual: u32) -> u32 {
    std::env::var("VIVIDA_FUZZ").ok().and_then(|text| text.parse().ok()).unwrap_or(usual)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(cases(3000)))]

    /// Whatever was damaged and mended, what is written then is read without mending what was treated.
    #[test]
    fn what_was_written_can_be_read(
        song in 0..6usize,
        damage in proptest::collection::vec((any::<prop::sample::Index>(), 0..6u8, any::<u8>()), 1..12),
        lead_in in any::<bool>(),
        fine in any::<bool>(),
    ) {
        let mut bytes = crate::common::small_song(song);
        for (place, kind, byte) in damage {
            let at = place.index(bytes.len());
            match kind {
                0 => bytes[at] = byte,
                1 => bytes[at] ^= 1 << (byte % 8),
                2 => { bytes.remove(at); }
                3 => bytes.insert(at, byte),
                4 => bytes.truncate(at.max(30)),
                _ => {
                    let end = (at + usize::from(byte)).min(bytes.len());
                    let copy = bytes[at..end].to_vec();
                    bytes.splice(at..at, copy);
                }
            }
            if bytes.len() < 2 {
                break;
            }
        }
        let Ok(song) = read(&bytes) else { return Ok(()) };
        prop_assert_eq!(&write(&bytes, &song, &[], Export::default()), &bytes);
        let export = Export { lead_in, resolution: if fine { Resolution::Fine } else { Resolution::Own }, ..Export::default() };
        let loosen = Action::Loosen(Loosen { early: Millis(30.0), late: Millis(40.0), ..Loosen::default() });
        let played: Vec<_> = (0..song.parts.len()).map(|index| play(&song, index, loosen.clone(), export)).collect();
        let out = write(&bytes, &song, &played, export);
        let again = read(&out);
        prop_assert!(again.is_ok() || song.bars() > 9_000, "{:?}", again.map(|song| song.mended));
        let Ok(again) = again else { return Ok(()) };
        prop_assert_eq!(again.hits, song.hits);
        if song.parts.is_empty() {
            return Ok(());
        }
        for wrong in ["never ended", "claims", "ends too early", "stop making sense", "not marked", "go on with"] {
            prop_assert!(!again.mended.iter().any(|text| text.contains(wrong)), "{:?} of {:?}", again.mended, song.mended);
        }
        for ((_, played), part) in played.iter().zip(&again.parts) {
            prop_assert_eq!(part.part.hits().len(), played.sounding().count());
        }
    }
}
