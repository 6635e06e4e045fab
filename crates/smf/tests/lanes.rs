//! Lanes are read, kept, drawn; hits that move are written so that a reader that knows MIDI alone hears it.

use crate::common::{file, play, play_all};
use midly::{MidiMessage, Smf, TrackEventKind};
use proptest::prelude::*;
use std::collections::HashMap;
use vivida_core::action::{LaneAnchor, LaneLine, LaneOffset, LanePoint, LaneRamp, LaneWay, Lean, Swell, Vary};
use vivida_core::*;
use vivida_smf::{Export, MovedOut, free_channels, moved_out, read, write};

/// The channel messages of a track that a reader finds: (tick, channel, message).
fn messages(bytes: &[u8], track: usize) -> Vec<(u32, u8, MidiMessage)> {
    let smf = Smf::parse(bytes).unwrap();
    let mut tick = 0;
    let found = smf.tracks[track].iter().map(|event| {
        tick += event.delta.as_int();
        (tick, event.kind)
    });
    found
        .filter_map(|(tick, kind)| match kind {
            TrackEventKind::Midi { channel, message } => Some((tick, channel.as_int(), message)),
            _ => None,
        })
        .collect()
}

fn controllers(bytes: &[u8], number: u8) -> Vec<(u32, u8)> {
    let of = |(tick, _, message)| match message {
        MidiMessage::Controller { controller, value } if controller.as_int() == number => Some((tick, value.as_int())),
        _ => None,
    };
    messages(bytes, 0).into_iter().filter_map(of).collect()
}

/// What a receiver plays: each note with its key and what bend (in cents), pan, volume and brightness hold where it
/// begins, and whether any of them moved while it sounded.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Heard {
    tick: u32,
    channel: u8,
    key: u8,
    cents: f64,
    pan: u8,
    volume: u8,
    brightness: u8,
    disturbed: bool,
}

/// A receiver after the MIDI 1.0 specification alone, with two semitones of bend until it is told otherwise.
fn heard(bytes: &[u8]) -> Vec<Heard> {
    #[derive(Clone, Copy)]
    struct State {
        bend: f64,
        range: f64,
        parameter: [u8; 2],
        pan: u8,
        volume: u8,
        brightness: u8,
    }
    let mut all = Vec::new();
    let tracks = Smf::parse(bytes).unwrap().tracks.len();
    let mut found: Vec<_> = (0..tracks).flat_map(|track| messages(bytes, track)).collect();
    found.sort_by_key(|one| one.0);
    let fresh = State { bend: 0.0, range: 200.0, parameter: [127; 2], pan: 64, volume: 100, brightness: 64 };
    let mut states = [fresh; 16];
    let mut open: HashMap<(u8, u8), usize> = HashMap::new();
    for (tick, channel, message) in found {
        let state = &mut states[usize::from(channel)];
        let mut changed = false;
        match message {
            MidiMessage::PitchBend { bend } => {
                let bend = f64::from(i32::from(bend.0.as_int()) - 8192) / 8192.0;
                changed = state.bend != bend;
                state.bend = bend;
            }
            MidiMessage::Controller { controller, value } => match (controller.as_int(), value.as_int()) {
                (101, value) => state.parameter[0] = value,
                (100, value) => state.parameter[1] = value,
                (6, value) if state.parameter == [0, 0] => state.range = 100.0 * f64::from(value),
                (10, value) => (changed, state.pan) = (state.pan != value, value),
                (7, value) => (changed, state.volume) = (state.volume != value, value),
                (74, value) => (changed, state.brightness) = (state.brightness != value, value),
                _ => {}
            },
            MidiMessage::NoteOn { key, vel } if vel.as_int() > 0 => {
                open.insert((channel, key.as_int()), all.len());
                let State { bend, range, pan, volume, brightness, .. } = *state;
                let (cents, key) = (bend * range, key.as_int());
                all.push(Heard { tick, channel, key, cents, pan, volume, brightness, disturbed: false });
            }
            MidiMessage::NoteOn { key, .. } | MidiMessage::NoteOff { key, .. } => {
                open.remove(&(channel, key.as_int()));
            }
            _ => {}
        }
        if changed {
            open.iter().filter(|((on, _), _)| *on == channel).for_each(|(_, &place)| all[place].disturbed = true);
        }
    }
    all
}

/// Hats in 16ths at 480 ppq, a kick with every fourth where wanted.
fn hats(kicks: bool, extra: &[u8]) -> Vec<u8> {
    let mut body = extra.to_vec();
    for step in 0..16u8 {
        if kicks && step % 4 == 0 {
            body.extend([0, 0x99, 36, 100, 0, 0x99, 42, 90, 60, 0x89, 36, 64, 0, 0x89, 42, 64, 60, 0xb9, 1, step]);
        } else {
            body.extend([0, 0x99, 42, 80 + step, 60, 0x89, 42, 64, 60, 0xb9, 1, step]);
        }
    }
    file(480, &[&body])
}

fn pitch(by: f64) -> Action {
    Action::Vary(Vary { by, property: Property::Pitch, ..Vary::default() })
}

#[test]
fn lanes_are_read_with_what_they_mean() {
    // A bend range of 12 semitones, a bend, pressure on a channel and on a note, and orders that are no lane.
    let extra: Vec<u8> = [
        [0, 0xb9, 101, 0, 0, 0xb9, 100, 0, 0, 0xb9, 6, 12, 0, 0xb9, 38, 0].to_vec(),
        [0, 0xe9, 0, 96, 0, 0xd9, 50, 0, 0xa9, 42, 33, 0, 0xb9, 123, 0, 0, 0xb9, 120, 0].to_vec(),
    ]
    .concat();
    let song = read(&hats(false, &extra)).unwrap();
    let part = &song.parts[0];
    let kinds: Vec<String> = part.lanes().iter().map(|lane| lane.kind.to_string()).collect();
    assert_eq!(kinds, ["controller-1", "bend", "pressure", "pressure-42"]);
    assert_eq!(part.bend_range(), Some(1200.0));
    let bend = part.lanes().iter().find(|lane| lane.kind == LaneKind::Bend).unwrap();
    assert_eq!((bend.ticks(), bend.values()), (&[0.0][..], &[4096.0][..]));
    assert_eq!(part.lanes()[0].len(), 16);
}

#[test]
fn a_drawn_line_stands_in_the_place_of_the_old_one_and_nothing_else_is_touched() {
    let extra = [0, 0xb9, 11, 90, 0, 0xb9, 7, 99, 10, 0xb9, 11, 80, 0, 0xb9, 123, 0];
    let bytes = hats(true, &extra);
    let song = read(&bytes).unwrap();
    let fade = Action::LaneRamp(LaneRamp { from: 127.0, to: 0.0, ..LaneRamp::default() });
    let out = write(&bytes, &song, &[play(&song, 0, fade, Export::default())], Export::default());
    let line = controllers(&out, 11);
    assert_eq!((line[0], line.last().unwrap().1, line.len()), ((0, 127), 0, 128));
    let others = |bytes: &[u8]| {
        let mut all = messages(bytes, 0);
        all.retain(|one| !matches!(one.2, MidiMessage::Controller { controller, .. } if controller.as_int() == 11));
        all
    };
    assert_eq!(others(&bytes), others(&out));
}

#[test]
fn a_thousand_values_on_one_tick_are_kept_until_they_are_drawn() {
    let many: Vec<u8> = (0..1000u32).flat_map(|place| [0, 0xb9, 11, (place % 128) as u8]).collect();
    let bytes = hats(false, &many);
    let song = read(&bytes).unwrap();
    let later = play(&song, 0, Action::Lean(Lean { by: Millis(10.0), ..Lean::default() }), Export::default());
    assert_eq!(controllers(&write(&bytes, &song, &[later], Export::default()), 11).len(), 1000);
    let raised = play(&song, 0, Action::LaneOffset(LaneOffset { by: 5.0, ..LaneOffset::default() }), Export::default());
    // 999 % 128 is 103: the last one holds.
    assert_eq!(controllers(&write(&bytes, &song, &[raised], Export::default()), 11), [(0, 108)]);
}

#[test]
fn a_line_goes_with_its_hits_where_it_is_told_to() {
    let bytes = hats(false, &[]);
    let song = read(&bytes).unwrap();
    let lean = Action::Lean(Lean { by: Millis(20.0), ..Lean::default() });
    let kind = LaneKind::Controller(1);
    let anchor = Action::LaneAnchor(LaneAnchor { lane: kind, to: GoesWith::Hits });
    let passes = [(Aim::everything(), lean), (Aim::everything(), anchor)];
    let out = write(&bytes, &song, &[play_all(&song, 0, &passes, Export::default())], Export::default());
    // 20 ms at 120 bpm and 480 ppq are 19 ticks; each value stands 120 behind the start of its hit, where the next is.
    let (before, after) = (controllers(&bytes, 1), controllers(&out, 1));
    for (was, now) in before.iter().zip(&after).take(15) {
        assert_eq!((now.0, now.1), (was.0 + 19, was.1));
    }
    let notes = |bytes: &[u8]| heard(bytes).iter().map(|one| one.tick).collect::<Vec<_>>();
    assert_eq!(notes(&out)[1], notes(&bytes)[1] + 19);
}

#[test]
fn pitch_is_bent_just_before_each_hit_and_back_behind_it() {
    let bytes = hats(false, &[]);
    let song = read(&bytes).unwrap();
    let rise = Action::Swell(Swell { from: 0.0, to: 150.0, property: Property::Pitch, ..Swell::default() });
    let (_, played) = play(&song, 0, rise.clone(), Export::default());
    let out = write(&bytes, &song, &[play(&song, 0, rise, Export::default())], Export::default());
    let all = heard(&out);
    assert_eq!(all.len(), 16);
    for (one, hit) in all.iter().zip(&played.written) {
        assert!((one.cents - f64::from(hit.movement.pitch)).abs() < 0.1, "{one:?} {hit:?}");
        assert!(!one.disturbed);
    }
    assert_eq!(all[15].cents.round(), 150.0);
    let last = messages(&out, 0).into_iter().rev().find_map(|one| match one.2 {
        MidiMessage::PitchBend { bend } => Some(bend.0.as_int()),
        _ => None,
    });
    assert_eq!(last, Some(8192), "left bent");
}

#[test]
fn place_level_and_brightness_are_controllers_about_what_reigns() {
    // The volume of the file is 80.
    let bytes = hats(false, &[0, 0xb9, 7, 80]);
    let song = read(&bytes).unwrap();
    let to = |property, to| (Aim::everything(), Action::Swell(Swell { from: to, to, property, ..Swell::default() }));
    let passes = [to(Property::Place, -50.0), to(Property::Level, 6.0), to(Property::Brightness, 100.0)];
    let out = write(&bytes, &song, &[play_all(&song, 0, &passes, Export::default())], Export::default());
    for one in heard(&out) {
        // 64 − 0.63·50; 80·10^(6/40) is 113; 64 + 63.
        assert_eq!((one.pan, one.volume, one.brightness, one.disturbed), (33, 113, 127, false));
    }
    assert_eq!(controllers(&out, 7).last().unwrap().1, 80, "back to what reigned");
    let loud = [to(Property::Level, 24.0)];
    assert_eq!(moved_out(&song, &[play_all(&song, 0, &loud, Export::default())]).clipped, 16);
}

#[test]
fn a_far_bend_widens_the_range_where_nothing_else_is_bent() {
    let bytes = hats(false, &[]);
    let song = read(&bytes).unwrap();
    let up = Action::Swell(Swell { from: 700.0, to: 700.0, property: Property::Pitch, ..Swell::default() });
    let out = write(&bytes, &song, &[play(&song, 0, up.clone(), Export::default())], Export::default());
    assert!(heard(&out).iter().all(|one| (one.cents - 700.0).abs() < 0.2), "{:?}", heard(&out));
    // With a bend of its own the range is what it was: two semitones are all that there is.
    let bent = hats(false, &[0, 0xe9, 0, 64]);
    let song = read(&bent).unwrap();
    let played = [play(&song, 0, up, Export::default())];
    assert_eq!(moved_out(&song, &played).clipped, 16);
    assert!(heard(&write(&bent, &song, &played, Export::default())).iter().all(|one| one.cents.round() == 200.0));
}

#[test]
fn hits_that_sound_together_need_channels_of_their_own_and_that_is_said() {
    let bytes = hats(true, &[]);
    let song = read(&bytes).unwrap();
    let part = &song.parts[0];
    let chart = part.chart(true);
    let played = || play_all(&song, 0, &[(Aim::at("closed-hat"), pitch(150.0))], Export::default()).1;
    let out = moved_out(&song, &[(0, played())]);
    assert_eq!(out, MovedOut { moving: 16, overlapping: 4, clipped: 0 });
    let own = heard(&write(&bytes, &song, &[(0, played())], Export::default()));
    assert!(own.iter().filter(|one| one.key == 36).all(|kick| kick.cents == 0.0 && !kick.disturbed));

    let mut free = free_channels(&song, &[]);
    assert_eq!(free.len(), 15);
    let (sent, apart) = played().sent_apart(&chart, MovementOut::ChannelForEach, &mut free);
    assert_eq!(apart.on, [("Closed hat".to_owned(), Channel::from_status(0))]);
    let pitches: Vec<f64> =
        sent.written.iter().filter(|hit| hit.note.get() == 42).map(|hit| hit.movement.pitch.into()).collect();
    let all = [(0, sent)];
    assert_eq!(moved_out(&song, &all).overlapping, 0);
    let there = heard(&write(&bytes, &song, &all, Export::default()));
    let hats: Vec<&Heard> = there.iter().filter(|one| one.key == 42).collect();
    assert!(hats.iter().zip(&pitches).all(|(one, cents)| (one.cents - cents).abs() < 0.1 && one.channel == 0));
    assert!(there.iter().all(|one| !one.disturbed));
}

#[test]
fn notes_take_turns_on_the_members_of_a_zone() {
    // Chords of three on channel 1.
    let chord = [0, 0x90, 60, 90, 0, 0x90, 64, 80, 0, 0x90, 67, 70, 240, 0x80, 60, 0, 0, 0x80, 64, 0, 0, 0x80, 67, 0];
    let fixed: Vec<u8> = chord.iter().map(|&byte| if byte == 240 { 120 } else { byte }).collect();
    let bytes = file(480, &[&fixed.repeat(8)]);
    let song = read(&bytes).unwrap();
    let part = &song.parts[0];
    let played = play(&song, 0, pitch(40.0), Export::default()).1;
    let (sent, apart) = played.sent_apart(&part.chart(false), MovementOut::Mpe, &mut free_channels(&song, &[]));
    assert_eq!(apart.members, 8, "channels 2 to 9: the tenth is for drums");
    let wanted: Vec<f64> = sent.written.iter().map(|hit| hit.movement.pitch.into()).collect();
    let all = [(0, sent)];
    assert_eq!(moved_out(&song, &all), MovedOut { moving: 24, overlapping: 0, clipped: 0 });
    let out = write(&bytes, &song, &all, Export { zone: apart.members, ..Export::default() });
    let there = heard(&out);
    assert!(
        there.iter().zip(&wanted).all(|(one, cents)| (one.cents - cents).abs() < 0.2 && !one.disturbed),
        "{there:?}"
    );
    // The zone is configured on its master: parameter 6 with eight members.
    let master: Vec<(u8, u8)> = messages(&out, 0)
        .into_iter()
        .take_while(|one| one.0 == 0)
        .filter_map(|(_, channel, message)| match message {
            MidiMessage::Controller { controller, value } if channel == 0 => {
                Some((controller.as_int(), value.as_int()))
            }
            _ => None,
        })
        .collect();
    assert_eq!(master[..3], [(101, 0), (100, 6), (6, 8)]);
}

#[test]
fn a_file_of_a_zone_from_elsewhere_stays_as_it_is() {
    let mpe: Vec<u8> = [
        vec![0, 0xb0, 101, 0, 0, 0xb0, 100, 6, 0, 0xb0, 6, 15],
        vec![0, 0xe1, 0, 70, 0, 0xb1, 74, 20, 0, 0x91, 60, 90, 0, 0xe2, 0, 50, 0, 0x92, 64, 90],
        vec![60, 0xe1, 5, 71, 60, 0x81, 60, 0, 0, 0x82, 64, 0],
    ]
    .concat();
    let bytes = file(480, &[&mpe]);
    let song = read(&bytes).unwrap();
    assert_eq!(song.parts.len(), 2);
    assert_eq!(write(&bytes, &song, &[], Export::default()), bytes);
    let level = |index| play(&song, index, Action::Level(action::Level { by: 5.0 }), Export::default());
    let out = write(&bytes, &song, &[level(0), level(1)], Export::default());
    let lines = |bytes: &[u8]| {
        let mut all = messages(bytes, 0);
        all.retain(|one| !matches!(one.2, MidiMessage::NoteOn { .. } | MidiMessage::NoteOff { .. }));
        all
    };
    assert_eq!(lines(&bytes), lines(&out));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn bends_belong_to_their_hits(starts in prop::collection::vec((0..30u32, 1..60u32, 0..3usize), 1..40), by in 1.0..1200.0, lead_in in any::<bool>()) {
        // Any hits: those that sound alone are bent as they should be, the others are counted, and none is disturbed.
        let mut body = Vec::new();
        let mut notes: Vec<(u32, u32, u8)> = starts.iter().scan(0, |at, (gap, length, key)| {
            *at += gap;
            Some((*at, *at + length, [36u8, 38, 42][*key]))
        }).collect();
        notes.sort();
        let mut events: Vec<(u32, [u8; 3])> = notes.iter().flat_map(|&(on, off, key)| [(on, [0x99, key, 90]), (off, [0x89, key, 64])]).collect();
        events.sort_by_key(|one| one.0);
        let mut now = 0;
        for (tick, bytes) in events {
            body.push((tick - now) as u8);
            body.extend(bytes);
            now = tick;
        }
        let bytes = file(480, &[&body]);
        let song = read(&bytes).unwrap();
        let export = Export { lead_in, ..Export::default() };
        let played = play(&song, 0, pitch(by), export);
        let out = moved_out(&song, std::slice::from_ref(&played));
        let heard = heard(&write(&bytes, &song, std::slice::from_ref(&played), export));
        prop_assert_eq!(heard.len(), song.parts[0].part.hits().len());
        let bent = heard.iter().filter(|one| one.cents != 0.0).count();
        prop_assert!(bent <= out.moving - out.overlapping);
        prop_assert!(heard.iter().all(|one| !one.disturbed));
        let wanted: Vec<f64> = played.1.hits().map(|hit| f64::from(hit.movement.pitch)).collect();
        for one in heard.iter().filter(|one| one.cents != 0.0) {
            // Range over 8192 steps.
            prop_assert!(wanted.iter().any(|cents| (cents - one.cents).abs() < 0.3), "{:?}", one);
        }
    }

    #[test]
    fn what_was_drawn_is_read_back(values in prop::collection::vec((1.0..3.0, 0.0..127.0), 2..10)) {
        let mut points: Vec<LanePoint> = values.into_iter().map(|(bar, value)| LanePoint { bar, value, way: LaneWay::Stepped }).collect();
        points.sort_by(|a, b| a.bar.total_cmp(&b.bar));
        let bytes = hats(true, &[]);
        let song = read(&bytes).unwrap();
        let (index, played) = play(&song, 0, Action::LaneLine(LaneLine { points, ..LaneLine::default() }), Export::default());
        let lane = played.lanes.iter().find(|one| one.lane.kind == LaneKind::EXPRESSION).unwrap().lane.clone();
        let again = read(&write(&bytes, &song, &[(index, played)], Export::default())).unwrap();
        let found = again.parts[0].lanes().iter().find(|one| one.kind == LaneKind::EXPRESSION).unwrap();
        for (tick, value) in lane.ticks().iter().zip(lane.values()) {
            // The file's own ticks are half as fine.
            prop_assert!((found.at(tick + 1.0) - value).abs() < 0.5 || lane.within_a_tick(*tick), "{} at {}", value, tick);
        }
    }
}

trait Near {
    fn within_a_tick(&self, tick: f64) -> bool;
}

impl Near for Lane {
    /// Another value stands next to it.
    fn within_a_tick(&self, tick: f64) -> bool {
        self.ticks().iter().any(|one| *one != tick && (one - tick).abs() <= 2.0)
    }
}
