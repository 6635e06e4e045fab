//! Damaged, odd and huge files: a clear error, or an import that says what it mended.

use vivida_core::{Performance, Ticks};
use vivida_smf::{Export, MOST_PARTS, MOST_TRACKS, ReadError, SongFile, read, write};

/// A file of one track from the bytes of its events.
fn file(division: [u8; 2], events: &[u8]) -> Vec<u8> {
    let mut bytes = b"MThd\0\0\0\x06\0\0\0\x01".to_vec();
    bytes.extend(division);
    bytes.extend(b"MTrk");
    bytes.extend((events.len() as u32).to_be_bytes());
    bytes.extend(events);
    bytes
}

const END: [u8; 4] = [0, 0xff, 0x2f, 0];

fn song(events: &[u8]) -> SongFile {
    read(&file([1, 0xe0], &[events, &END].concat())).unwrap()
}

fn mended(bytes: &[u8]) -> String {
    read(bytes).unwrap().mended.join("\n")
}

#[test]
fn what_is_no_midi_file_says_so_and_where() {
    assert_eq!(read(b""), Err(ReadError::Empty));
    assert_eq!(read(b"To whom it may concern"), Err(ReadError::NotMidi));
    assert_eq!(read(b"MThd\0\0\0\x06\0"), Err(ReadError::HeaderCut { offset: 9 }));
    assert_eq!(read(b"MThd\0\0\0\x02\0\0\0\0\0\0"), Err(ReadError::HeaderShort { length: 2 }));
    assert_eq!(read(b"MThd\0\0\0\x06\0\x07\0\x01\0\x60"), Err(ReadError::Format { format: 7 }));
    assert_eq!(read(b"MThd\0\0\0\x06\0\x01\0\x01\0\x60"), Err(ReadError::NoTracks { offset: 14 }));
    assert_eq!(read(&file([0, 0], &END)), Err(ReadError::NoResolution));
    for error in [ReadError::NotMidi, ReadError::HeaderCut { offset: 9 }, ReadError::NoResolution] {
        assert!(error.to_string().contains(&format!("offset {}", error.offset().unwrap())), "{error}");
    }
}

#[test]
fn a_file_without_notes_is_a_song_with_nothing_to_play() {
    let empty = file([0, 96], &END);
    let song = read(&empty).unwrap();
    assert_eq!((song.parts.len(), song.hits, song.bars()), (0, 0, 1));
    assert_eq!(write(&empty, &song, &[], Export::default()), empty);
}

#[test]
fn tracks_and_parts_have_limits_that_are_said() {
    let tracks = |count: usize, events: &[u8]| {
        let mut bytes = vec![b'M', b'T', b'h', b'd', 0, 0, 0, 6, 0, 1, 0xff, 0xff, 1, 0xe0];
        for _ in 0..count {
            bytes.extend(b"MTrk");
            bytes.extend((events.len() as u32).to_be_bytes());
            bytes.extend(events);
        }
        bytes
    };
    let many = read(&tracks(MOST_TRACKS, &END)).unwrap();
    assert_eq!(many.parts.len(), 0);
    assert_eq!(read(&tracks(MOST_TRACKS + 1, &END)), Err(ReadError::TooManyTracks { tracks: 65_536 }));
    let note = [&[0, 0x99, 36, 100, 0x60, 0x89, 36, 64][..], &END].concat();
    let parts = tracks(MOST_PARTS, &note);
    let song = read(&parts).unwrap();
    assert_eq!(song.parts.len(), MOST_PARTS);
    let all: Vec<(usize, Performance)> = (0..MOST_PARTS).map(|index| (index, Performance::default())).collect();
    assert_eq!(read(&write(&parts, &song, &all, Export::default())).unwrap().parts.len(), MOST_PARTS);
    let error = read(&tracks(31_000, &note)).unwrap_err();
    assert!(matches!(error, ReadError::TooManyParts { .. }) && error.to_string().contains("1000 are the most"));
}

#[test]
fn a_file_cut_short_keeps_what_came_before() {
    let whole = file(
        [1, 0xe0],
        &[&[0, 0x99, 36, 100, 0x60, 0x89, 36, 64, 0, 0x99, 38, 90, 0x60, 0x89, 38, 64][..], &END].concat(),
    );
    let first = 22 + 8; // the header, the track's head, the first note
    for length in first..whole.len() - 4 {
        let song = read(&whole[..length]).unwrap();
        assert!(!song.parts[0].part.hits().is_empty());
        assert!(song.mended.iter().any(|text| text.contains(&format!("Offset {length}"))), "{:?}", song.mended);
    }
    assert_eq!(read(&whole[..first]).unwrap().parts[0].part.hits().len(), 1);
}

#[test]
fn wrong_track_counts_missing_ends_and_unknown_chunks() {
    let note = [0, 0x99, 36, 100, 0x60, 0x89, 36, 64];
    let mut lies = file([1, 0xe0], &[&note[..], &END].concat());
    lies[11] = 200;
    assert!(mended(&lies).contains("claims 200 tracks; the file holds 1"));
    assert!(mended(&file([1, 0xe0], &note)).contains("its end is not marked"));
    let mut unknown = file([1, 0xe0], &[&note[..], &END].concat());
    unknown.extend(b"XYZW\0\0\0\x02ab");
    assert_eq!(mended(&unknown), "");
}

#[test]
fn running_status_strays_overlaps_and_notes_without_an_end() {
    // Running status throughout: two overlapping kicks, ended first in, first out.
    let overlap = song(&[0, 0x99, 36, 100, 10, 36, 90, 10, 36, 0, 10, 36, 0]);
    let lengths: Vec<Ticks> = overlap.parts[0].part.hits().iter().map(|hit| hit.length).collect();
    assert_eq!(lengths, [Ticks(40.0), Ticks(40.0)]);

    let stray = song(&[0, 0x89, 36, 64, 0, 0x99, 36, 100, 48, 0x89, 36, 64, 0, 0x89, 36, 64]);
    assert_eq!(stray.parts[0].part.hits().len(), 1);
    assert!(stray.mended.join("").contains("2 note-offs end no note"));

    let endless = song(&[0, 0x99, 36, 100, 96, 0xb9, 7, 100]);
    assert_eq!(endless.parts[0].part.hits()[0].length, Ticks(192.0));
    assert!(endless.mended.join("").contains("1 note is never ended"));

    let short = song(&[0, 0x99, 36, 100, 0, 0x89, 36, 64]);
    assert_eq!(short.parts[0].part.hits()[0].length, Ticks(1.0));
    assert!(short.mended.join("").contains("no length"));

    let high = song(&[0, 0x99, 36, 200, 9, 0x89, 36, 64]);
    assert_eq!(high.parts[0].part.hits()[0].velocity.get(), 200 & 0x7f);
    assert!(high.mended.join("").contains("1 data byte above 127"));
}

#[test]
fn odd_resolutions_and_frames() {
    let note = [&[0, 0x99, 36, 100, 1, 0x89, 36, 64][..], &END].concat();
    for ppq in [1u16, 7, 959, 961, 32767] {
        let song = read(&file(ppq.to_be_bytes(), &note)).unwrap();
        assert!(song.ppq.get() >= 960 && song.ppq.get() == u32::from(ppq) * song.factor);
    }
    // 25 frames of 40: a thousand ticks a second. 29.97 frames are exact, too.
    for (frames, sub, seconds) in [(25u8, 40u8, 1e-3), (24, 1, 1.0 / 24.0), (25, 1, 0.04), (29, 100, 1001.0 / 3e6)] {
        let song = read(&file([frames.wrapping_neg(), sub], &note)).unwrap();
        let hit = song.parts[0].part.hits()[0];
        assert!(song.smpte && song.ppq.get() >= 960);
        assert!((song.tempo.seconds(hit.length) - seconds).abs() < 1e-9, "{frames} frames of {sub}");
        assert!(song.mended.join("").contains("120 bpm"));
    }
}

#[test]
fn impossible_metres_and_endless_songs() {
    let odd = song(&[0, 0xff, 0x58, 4, 0, 200, 24, 8, 0, 0x99, 36, 100, 9, 0x89, 36, 64]);
    assert!(odd.mended.join("").contains("impossible time signature"));
    assert_eq!(odd.metre.bar(1).metre.numerator, 4);

    let far = file([0, 1], &[&[0xff, 0xff, 0xff, 0x7f, 0x99, 36, 100, 1, 0x89, 36, 64][..], &END].concat());
    assert!(matches!(read(&far), Err(ReadError::TooLong { .. })));
}

#[test]
fn names_of_every_kind_can_be_shown() {
    let named = |name: &[u8]| {
        let mut events = vec![0, 0xff, 0x03];
        if name.len() > 127 {
            events.push(0x80 | (name.len() >> 7) as u8);
        }
        events.push((name.len() & 0x7f) as u8);
        events.extend(name);
        events.extend([0, 0x91, 36, 100, 9, 0x81, 36, 64]);
        song(&events).parts[0].clone()
    };
    assert_eq!(named("Малый \"барабан\" 太鼓\x07\n".as_bytes()).name, "Малый \"барабан\" 太鼓");
    assert_eq!(named(b"caf\xe9").name, "café");
    assert_eq!(named(&[b'x'; 300]).name.chars().count(), 200);
    assert_eq!(named(b"\x01\x02").name, "Track 1, channel 2");
    assert!(named(b"Kit takes").drums && named(b"Hi-Hat").drums && !named(b"Bass").drums);
}

#[test]
fn a_large_part_is_read_and_a_too_large_one_refused() {
    let hits =
        |count: usize| [vec![0, 0x99, 36, 100], [12, 36, 0, 12, 36, 99].repeat(count - 1), vec![12, 36, 0]].concat();
    let large = song(&hits(200_000));
    assert_eq!(large.parts[0].part.hits().len(), 200_000);
    let too_large = file([1, 0xe0], &[hits(500_001), END.to_vec()].concat());
    assert_eq!(read(&too_large), Err(ReadError::TooManyNotes { hits: 500_001 }));
    let noise: Vec<u8> = (0..16u32 << 20).map(|place| (place.wrapping_mul(2_654_435_761) >> 24) as u8).collect();
    assert_eq!(read(&noise), Err(ReadError::NotMidi));
    let mut noise_in_a_track = file([1, 0xe0], &[]);
    noise_in_a_track[18..22].copy_from_slice(&(noise.len() as u32).to_be_bytes());
    noise_in_a_track.extend(noise);
    let _ = read(&noise_in_a_track);
}
