//! What several tests of files share.

#![allow(dead_code)]

use midly::{MidiMessage, Smf, TrackEventKind};
use std::collections::HashMap;
use vivida_core::*;
use vivida_smf::{Export, SongFile};

/// A file of tracks from the bytes of their events; the ends are added.
pub fn file(ppq: u16, tracks: &[&[u8]]) -> Vec<u8> {
    file_of(u8::from(tracks.len() > 1), ppq, tracks)
}

/// The same of any format.
pub fn file_of(format: u8, ppq: u16, tracks: &[&[u8]]) -> Vec<u8> {
    let mut bytes = vec![b'M', b'T', b'h', b'd', 0, 0, 0, 6, 0, format, 0, tracks.len() as u8];
    bytes.extend(ppq.to_be_bytes());
    for events in tracks {
        bytes.extend(b"MTrk");
        bytes.extend((events.len() as u32 + 4).to_be_bytes());
        bytes.extend(*events);
        bytes.extend([0, 0xff, 0x2f, 0]);
    }
    bytes
}

/// A part played by one action on everything.
pub fn play(song: &SongFile, index: usize, action: Action, export: Export) -> (usize, Performance) {
    play_all(song, index, &[(Aim::everything(), action)], export)
}

/// A part played by some actions.
pub fn play_all(song: &SongFile, index: usize, passes: &[(Aim, Action)], export: Export) -> (usize, Performance) {
    let part = &song.parts[index];
    let start = export.start(song);
    let context = Context { start, lanes: part.lanes(), ..Context::new(&song.tempo, &song.metre) };
    let passes = (1..).zip(passes).map(|(id, (aim, action))| Pass::new(id, aim.clone(), action.clone()));
    let recipe = Recipe::of(passes.collect());
    (index, perform(&part.part, &part.chart(part.drums), &recipe, &context))
}

/// The events of a track's bytes as (tick, bytes), read by hand: deltas of one or two bytes,
/// channel messages with their status, metas.
pub fn events(bytes: &[u8], track: usize) -> Vec<(u32, Vec<u8>)> {
    let mut at = 14;
    for _ in 0..track {
        at += 8 + u32::from_be_bytes(bytes[at + 4..at + 8].try_into().unwrap()) as usize;
    }
    let end = at + 8 + u32::from_be_bytes(bytes[at + 4..at + 8].try_into().unwrap()) as usize;
    at += 8;
    let (mut tick, mut found) = (0, Vec::new());
    while at < end {
        let mut delta = 0u32;
        loop {
            delta = delta << 7 | u32::from(bytes[at] & 0x7f);
            at += 1;
            if bytes[at - 1] < 0x80 {
                break;
            }
        }
        tick += delta;
        let size = match bytes[at] {
            0xff => 3 + usize::from(bytes[at + 2]),
            0xf0 => 2 + usize::from(bytes[at + 1]),
            0xc0..=0xdf => 2,
            _ => 3,
        };
        found.push((tick, bytes[at..at + size].to_vec()));
        at += size;
    }
    found
}

/// The notes of a track's channel as a reader finds them that keeps to the letter of the format:
/// (start, end, key, velocity). A note that another one of its key or a note-off ends is ended.
pub fn voices(bytes: &[u8], track: usize, channel: u8) -> Vec<(u32, u32, u8, u8)> {
    let smf = Smf::parse(bytes).unwrap();
    let (mut tick, mut found) = (0, Vec::new());
    let mut open: HashMap<u8, (u32, u8)> = HashMap::new();
    for event in &smf.tracks[track] {
        tick += event.delta.as_int();
        let TrackEventKind::Midi { channel: on, message } = event.kind else { continue };
        let (key, velocity) = match message {
            MidiMessage::NoteOn { key, vel } => (key.as_int(), vel.as_int()),
            MidiMessage::NoteOff { key, .. } => (key.as_int(), 0),
            _ => continue,
        };
        if on.as_int() != channel {
            continue;
        }
        if let Some((start, was)) = open.remove(&key) {
            found.push((start, tick, key, was));
        }
        if velocity > 0 {
            open.insert(key, (tick, velocity));
        }
    }
    assert!(open.is_empty(), "hanging notes: {open:?}");
    found
}

/// One of six small songs of different makes.
pub fn small_song(which: usize) -> Vec<u8> {
    let beat: Vec<u8> = (0..12u8)
        .flat_map(|step| {
            let key = [42, 36, 42, 38][usize::from(step % 4)];
            [0, 0x99, key, 60 + step * 3, 30, 0x89, key, 64, 90, 0xb9, 4, step * 8]
        })
        .collect();
    let running: Vec<u8> = [vec![0, 0x99, 42, 100], [20, 42, 0, 100, 42, 90].repeat(10), vec![20, 42, 0]].concat();
    let metas: Vec<u8> = [
        &[0, 0xff, 0x51, 3, 7, 161, 32, 0, 0xff, 0x58, 4, 5, 2, 24, 8, 0, 0xff, 3, 4, b'K', b'i', b't', b's'][..],
        &[10, 0x91, 40, 80, 0, 0xa1, 40, 9, 40, 0x81, 40, 64, 0, 0xff, 6, 2, b'V', b'1', 0, 0xf0, 3, 1, 2, 0xf7],
        &[0x83, 0x60, 0x92, 50, 1, 5, 0x82, 50, 0],
    ]
    .concat();
    match which {
        0 => file(480, &[&beat]),
        1 => file(96, &[&metas, &beat]),
        2 => file_of(0, 960, &[&running]),
        3 => file_of(2, 24, &[&beat, &running]),
        4 => {
            let mut frames = file(1, &[&metas]);
            frames[12..14].copy_from_slice(&[25u8.wrapping_neg(), 40]);
            frames
        }
        _ => file(480, &[&metas, &running, &beat, &[0, 0x90, 60, 100, 0x60, 0xff, 5, 1, b'a', 0, 60, 0]]),
    }
}
