//! Invariant 14 and its neighbours: what goes in comes out.

use midly::num::{u4, u7, u14, u15, u24, u28};
use midly::{Format, Header, MetaMessage, MidiMessage, Smf, Timing, TrackEvent, TrackEventKind};
use proptest::collection::vec;
use proptest::prelude::*;
use vivida_core::action::{Lean, Loosen, Shape};
use vivida_core::*;
use vivida_smf::{Export, Resolution, SongFile, read, rounding, write};

fn events() -> impl Strategy<Value = Vec<TrackEvent<'static>>> {
    let note = |on: bool| {
        (9..11u8, 36..40u8, 0..128u8).prop_map(move |(channel, key, vel)| {
            let (key, vel) = (u7::from(key), u7::from(vel));
            let message = if on { MidiMessage::NoteOn { key, vel } } else { MidiMessage::NoteOff { key, vel } };
            TrackEventKind::Midi { channel: u4::from(channel), message }
        })
    };
    let controller = (9..11u8, 0..128u8, 0..128u8).prop_map(|(channel, controller, value)| TrackEventKind::Midi {
        channel: u4::from(channel),
        message: MidiMessage::Controller { controller: u7::from(controller), value: u7::from(value) },
    });
    let other = prop_oneof![
        Just(TrackEventKind::SysEx(&[1, 2, 3, 0xf7])),
        Just(TrackEventKind::Escape(&[0xf3, 0x01])),
        Just(TrackEventKind::Meta(MetaMessage::Lyric(b"la"))),
        Just(TrackEventKind::Meta(MetaMessage::Unknown(0x60, &[9, 9]))),
        (250_000..900_000u32).prop_map(|micros| TrackEventKind::Meta(MetaMessage::Tempo(u24::from(micros)))),
    ];
    let line = (9..11u8, 0..16384u16, any::<bool>()).prop_map(|(channel, value, bend)| TrackEventKind::Midi {
        channel: u4::from(channel),
        message: match bend {
            true => MidiMessage::PitchBend { bend: midly::PitchBend(u14::from(value)) },
            false => MidiMessage::ChannelAftertouch { vel: u7::from((value & 0x7f) as u8) },
        },
    });
    let kind = prop_oneof![6 => note(true), 5 => note(false), 2 => controller, 2 => line, 2 => other];
    vec((prop_oneof![Just(0u32), 0..200u32], kind), 0..80).prop_map(|events| {
        let event = |(delta, kind)| TrackEvent { delta: u28::from(delta), kind };
        let end = TrackEvent { delta: u28::from(3), kind: TrackEventKind::Meta(MetaMessage::EndOfTrack) };
        events.into_iter().map(event).chain([end]).collect()
    })
}

fn files() -> impl Strategy<Value = Vec<u8>> {
    (vec(events(), 1..4), 1..32768u16).prop_map(|(mut tracks, ppq)| {
        // Every file holds at least one note.
        let hit = |vel| TrackEventKind::Midi {
            channel: u4::from(9),
            message: MidiMessage::NoteOn { key: u7::from(36), vel: u7::from(vel) },
        };
        tracks[0].insert(0, TrackEvent { delta: u28::from(1), kind: hit(0) });
        tracks[0].insert(0, TrackEvent { delta: u28::from(0), kind: hit(90) });
        let header = Header { format: Format::Parallel, timing: Timing::Metrical(u15::from(ppq)) };
        let mut bytes = Vec::new();
        Smf { header, tracks }.write_std(&mut bytes).unwrap();
        bytes
    })
}

fn recipe() -> Recipe {
    let passes = [
        Action::Shape(Shape::default()),
        Action::Loosen(Loosen { early: Millis(20.0), late: Millis(30.0), ..Loosen::default() }),
        Action::Lean(Lean { by: Millis(-7.0), ..Lean::default() }),
    ];
    Recipe::of((1..).zip(passes).map(|(id, action)| Pass::new(id, Aim::everything(), action)).collect())
}

fn play(song: &SongFile, index: usize, recipe: &Recipe, export: Export) -> (usize, Performance) {
    let part = &song.parts[index];
    let start = export.start(song);
    let context = Context { start, lanes: part.lanes(), ..Context::new(&song.tempo, &song.metre) };
    (index, perform(&part.part, &part.chart(part.drums), recipe, &context))
}

/// All events of each track but the notes of (track, channel), with their ticks.
fn other_events(bytes: &[u8], track: usize, channel: u8) -> Vec<Vec<(u64, String)>> {
    let smf = Smf::parse(bytes).unwrap();
    let tracks = smf.tracks.iter().enumerate();
    tracks
        .map(|(number, events)| {
            let mut tick = 0;
            let timed = events.iter().map(|event| {
                tick += u64::from(event.delta.as_int());
                (tick, event.kind)
            });
            let rest = timed.filter(|(_, kind)| match kind {
                TrackEventKind::Midi { channel: on, message } => {
                    // What belongs to a note goes with it (`mending.rs`).
                    let pedal = u7::from(4);
                    let of_notes = match message {
                        MidiMessage::NoteOn { .. } | MidiMessage::NoteOff { .. } | MidiMessage::Aftertouch { .. } => {
                            true
                        }
                        MidiMessage::Controller { controller, .. } => *controller == pedal,
                        _ => false,
                    };
                    !(of_notes && number == track && on.as_int() == channel)
                }
                TrackEventKind::Meta(MetaMessage::EndOfTrack) => false,
                _ => true,
            });
            rest.map(|(tick, kind)| (tick, format!("{kind:?}"))).collect()
        })
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(128))]

    #[test]
    fn lossless_file(bytes in files(), chosen in any::<prop::sample::Index>()) {
        let song = read(&bytes).unwrap();
        prop_assert_eq!(write(&bytes, &song, &[], Export::default()), bytes.clone());

        let index = chosen.index(song.parts.len());
        let part = &song.parts[index];
        let played = play(&song, index, &recipe(), Export::default());
        let out = write(&bytes, &song, &[played], Export::default());
        let channel = part.channel.get();
        // A note-off that ends no note is not a note of the part, and is kept; it is left out of
        // the comparison because it looks like one.
        prop_assert_eq!(other_events(&bytes, part.track, channel), other_events(&out, part.track, channel));
    }

    #[test]
    fn what_was_played_is_read_back(bytes in files(), chosen in any::<prop::sample::Index>()) {
        let song = read(&bytes).unwrap();
        let index = chosen.index(song.parts.len());
        let export = Export { resolution: Resolution::Fine, lead_in: false, ..Export::default() };
        let played = play(&song, index, &recipe(), export);
        let again = read(&write(&bytes, &song, std::slice::from_ref(&played), export)).unwrap();
        let mut wanted: Vec<_> = played.1.hits().map(|hit| (hit.tick.0 as u64, hit.note, hit.velocity)).collect();
        let same = again.parts.iter().find(|part| (part.track, part.channel) == (song.parts[index].track, song.parts[index].channel));
        let mut found: Vec<_> = same.unwrap().part.hits().iter().map(|hit| (hit.tick.0 as u64, hit.note, hit.velocity)).collect();
        wanted.sort();
        found.sort();
        prop_assert_eq!(found, wanted);
    }

    #[test]
    fn no_bytes_make_it_panic(mut bytes in files(), changes in vec((any::<prop::sample::Index>(), any::<u8>()), 1..12), cut in any::<prop::sample::Index>()) {
        for (place, byte) in changes {
            let place = place.index(bytes.len());
            bytes[place] = byte;
        }
        bytes.truncate(cut.index(bytes.len()) + 1);
        if let Ok(song) = read(&bytes) {
            prop_assert_eq!(write(&bytes, &song, &[], Export::default()), bytes.clone());
            if song.parts.is_empty() {
                return Ok(());
            }
            let played = play(&song, 0, &recipe(), Export::default());
            let out = write(&bytes, &song, &[played], Export::default());
            prop_assert!(read(&out).is_ok(), "what Vivida writes it can read");
        }
    }

    #[test]
    fn no_noise_makes_it_panic(noise in vec(any::<u8>(), 0..400)) {
        let mut bytes = b"MThd\0\0\0\x06\0\x01\0\x02\0\x60MTrk\0\0\0\x40".to_vec();
        bytes.extend(noise);
        let _ = read(&bytes);
    }
}

/// One bar of kicks on the beats with a controller and a tempo, at 96 ppq.
fn small() -> Vec<u8> {
    let note = |delta: u32, vel: u8| TrackEvent {
        delta: u28::from(delta),
        kind: TrackEventKind::Midi {
            channel: u4::from(9),
            message: MidiMessage::NoteOn { key: u7::from(36), vel: u7::from(vel) },
        },
    };
    let mut track =
        vec![TrackEvent { delta: u28::from(0), kind: TrackEventKind::Meta(MetaMessage::Tempo(u24::from(500_000))) }];
    for _ in 0..4 {
        track.extend([note(0, 100), note(96, 0)]);
    }
    track.push(TrackEvent { delta: u28::from(0), kind: TrackEventKind::Meta(MetaMessage::EndOfTrack) });
    let header = Header { format: Format::SingleTrack, timing: Timing::Metrical(u15::from(96)) };
    let mut bytes = Vec::new();
    Smf { header, tracks: vec![track] }.write_std(&mut bytes).unwrap();
    bytes
}

fn leaning(by: f64) -> Recipe {
    Recipe::of(vec![Pass::new(1, Aim::everything(), Action::Lean(Lean { by: Millis(by), ..Lean::default() }))])
}

fn ticks(bytes: &[u8]) -> (u32, Vec<f64>) {
    let song = read(bytes).unwrap();
    (
        song.ppq.get() / song.factor,
        song.parts[0].part.hits().iter().map(|hit| hit.tick.0 / f64::from(song.factor)).collect(),
    )
}

#[test]
fn a_lead_in_bar_saves_early_first_hits() {
    let bytes = small();
    let song = read(&bytes).unwrap();
    let plain = Export::default();
    let out = write(&bytes, &song, &[play(&song, 0, &leaning(-50.0), plain)], plain);
    assert_eq!(ticks(&out).1, [0.0, 86.0, 182.0, 278.0], "the first hit is held at the start");

    let lead_in = Export { lead_in: true, ..plain };
    let out = write(&bytes, &song, &[play(&song, 0, &leaning(-50.0), lead_in)], lead_in);
    assert_eq!(ticks(&out).1, [374.0, 470.0, 566.0, 662.0], "a bar later, all 10 ticks early");
    assert_eq!(read(&out).unwrap().tempo.changes().next(), song.tempo.changes().next());
}

#[test]
fn the_own_resolution_says_how_far_it_rounds_and_the_fine_one_does_not() {
    let bytes = small();
    let song = read(&bytes).unwrap();
    assert_eq!((song.ppq.get(), song.factor), (960, 10));
    let (own, fine) = (Export::default(), Export { resolution: Resolution::Fine, lead_in: false, ..Export::default() });
    let played = [play(&song, 0, &leaning(2.0), own)];
    // 2 ms are 3.84 ticks of 960, rounded to 4; of 96 it is 0.4, rounded away: 4 · 500/960 ms.
    assert!((rounding(&song, &played, own).0 - 4.0 * 500.0 / 960.0).abs() < 1e-9);
    assert_eq!(rounding(&song, &played, fine), Millis(0.0));
    assert_eq!(ticks(&write(&bytes, &song, &played, own)).1, [0.0, 96.0, 192.0, 288.0]);
    assert_eq!(ticks(&write(&bytes, &song, &played, fine)), (960, vec![4.0, 964.0, 1924.0, 2884.0]));
    assert_eq!(ticks(&write(&bytes, &song, &[], fine)), (960, vec![0.0, 960.0, 1920.0, 2880.0]));
}
