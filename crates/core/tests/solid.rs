//! Values that cannot be wrong, and rules that count the same thing once.

use serde_json::json;
use vivida_core::action::{ByHand, FastHands, HandHit, Length, LengthOf, Swell};
use vivida_core::*;

fn hit(id: u32, tick: f64, note: u8) -> Hit {
    Hit {
        id: HitId::new(id),
        tick: Ticks(tick),
        length: Ticks(60.0),
        velocity: Velocity::new(100).unwrap(),
        release: 64,
        note: Note::new(note).unwrap(),
        channel: Channel::PERCUSSION,
    }
}

fn part(hits: &[(f64, u8)]) -> Part {
    Part::new((0..).zip(hits).map(|(id, &(tick, note))| hit(id, tick, note)).collect())
}

fn played(part: &Part, passes: Vec<Pass>) -> Performance {
    let ppq = Ppq::new(960).unwrap();
    let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
    perform(part, &Chart::new(part, Kit::of_drums(part)), &Recipe { passes }, &Context::new(&tempo, &metre))
}

fn lengths(performance: &Performance) -> Vec<f64> {
    performance.written.iter().map(|hit| hit.length.0).collect()
}

fn velocities(performance: &Performance) -> Vec<u8> {
    performance.written.iter().map(|hit| hit.velocity.get()).collect()
}

fn added(id: HitId, tick: f64) -> HandHit {
    let (velocity, note) = (Velocity::new(90).unwrap(), Note::new(38).unwrap());
    HandHit { id, tick: Ticks(tick), length: Ticks(60.0), velocity, note, channel: Channel::PERCUSSION }
}

#[test]
fn every_value_is_checked_where_it_comes_in() {
    for wrong in ["16", "127", "255", "-1", "1.5"] {
        assert!(serde_json::from_str::<Channel>(wrong).is_err(), "channel {wrong}");
    }
    assert!(serde_json::from_str::<Ppq>("0").is_err());
    assert!(serde_json::from_str::<HitId>("9007199254740992").is_err());
    assert_eq!(serde_json::from_str::<HitId>("9007199254740991").unwrap(), HitId::MAX);
    assert!(Millis::try_from(f64::NAN).is_err() && Ticks::try_from(f64::INFINITY).is_err());
    let recipe = |field: &str, value: serde_json::Value| {
        let mut one = json!({"id": 1073741824, "tick": 0, "length": 1, "velocity": 9, "note": 38, "channel": 9});
        one[field] = value;
        let passes = json!([{"id": 1, "action": {"kind": "by-hand", "added": [one]}}]);
        Recipe::from_value(json!({ "passes": passes }))
    };
    assert!(recipe("channel", json!(15)).is_ok());
    for (field, value) in
        [("channel", json!(16)), ("channel", json!(127)), ("id", json!(4_294_967_296u64)), ("tick", json!(1e12))]
    {
        let error = recipe(field, value.clone()).unwrap_err();
        assert!(error.path.starts_with("passes[0].action.added"), "{field} {value}: {error}");
    }
}

#[test]
fn what_is_added_lies_in_the_song_or_an_hour_behind_it() {
    let ppq = Ppq::new(960).unwrap();
    let tempo = TempoMap::new(ppq, []);
    let recipe = |tick: f64| Recipe {
        passes: vec![Pass::new(
            1,
            Aim::everything(),
            Action::ByHand(ByHand { added: vec![added(HitId::FIRST_BY_HAND, tick)], ..ByHand::default() }),
        )],
    };
    let hour = 3600.0 * 2.0 * 960.0;
    assert!(recipe(hour).check_within(Ticks(3840.0), &tempo).is_ok());
    let error = recipe(1e9).check_within(Ticks(3840.0), &tempo).unwrap_err();
    assert_eq!(error.path, "passes[0].action.added[0].tick");
}

#[test]
fn a_note_that_the_kit_does_not_know_is_no_other_instruments() {
    let part = part(&[(0.0, 42), (960.0, 38)]);
    let chart = Chart::new(&part, Kit::general_midi().struck_by(&part));
    let cowbell = Note::new(56).unwrap();
    assert_eq!(chart.instrument_of(cowbell, Channel::PERCUSSION), None);
    let hand =
        ByHand { added: vec![HandHit { note: cowbell, ..added(HitId::FIRST_BY_HAND, 480.0) }], ..ByHand::default() };
    let level = Action::Level(action::Level { by: -50.0 });
    let passes =
        vec![Pass::new(1, Aim::everything(), Action::ByHand(hand)), Pass::new(2, Aim::at("closed-hat"), level)];
    let performance = played(&part, passes);
    assert_eq!(performance.made[0].played.velocity.get(), 90, "the hat's pass is not for it");
    let ppq = Ppq::new(960).unwrap();
    let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
    let reading = Measured::played(&part, &chart, &Context::new(&tempo, &metre), &performance);
    assert_eq!(reading.instruments.iter().map(|one| one.figures.count).sum::<u32>(), 2);
}

#[test]
fn up_to_the_next_means_the_next_of_the_instrument_aimed_at_or_not() {
    let part = part(&[(0.0, 42), (240.0, 42), (480.0, 42), (960.0, 42)]);
    let first = Aim { picked: Some(vec![HitId::new(0), HitId::new(2)]), ..Aim::default() };
    let next = || Action::Length(Length { of: LengthOf::Next, ..Length::default() });
    assert_eq!(lengths(&played(&part, vec![Pass::new(1, first.clone(), next())])), [240.0, 60.0, 480.0, 60.0]);
    // What a pass has silenced is no next one.
    let gone = Action::ByHand(ByHand { removed: vec![HitId::new(1)], ..ByHand::default() });
    let passes = vec![Pass::new(1, Aim::everything(), gone), Pass::new(2, first, next())];
    assert_eq!(lengths(&played(&part, passes))[0], 480.0);
}

#[test]
fn overlapping_bars_count_once() {
    let part = part(&[(0.0, 42), (3840.0, 42), (7680.0, 42)]);
    let bars = |ranges: &[(u32, u32)]| Aim {
        bars: ranges.iter().map(|&(from, to)| BarRange { from, to }).collect(),
        ..Aim::default()
    };
    let swell = || Action::Swell(Swell { from: 0.0, to: -30.0, ..Swell::default() });
    let of = |ranges: &[(u32, u32)]| velocities(&played(&part, vec![Pass::new(1, bars(ranges), swell())]));
    assert_eq!(of(&[(1, 3)]), [100, 90, 80]);
    assert_eq!(of(&[(1, 3), (1, 3)]), of(&[(1, 3)]));
    assert_eq!(of(&[(2, 3), (1, 2)]), of(&[(1, 3)]));
    assert_eq!(of(&[(1, 1), (2, 3)]), [100, 100, 85], "side by side each is a swell of its own");
}

#[test]
fn hits_struck_together_are_one_stroke() {
    // 120 bpm: a 16th is 125 ms. The second stroke is a flam (10 ms), the third two notes at one tick.
    let part = part(&[(0.0, 42), (240.0, 42), (259.0, 42), (480.0, 42), (480.0, 42), (720.0, 42)]);
    let fast = Action::FastHands(FastHands { softer: 12.0, reference: Millis(250.0), climb: 0 });
    assert_eq!(velocities(&played(&part, vec![Pass::new(1, Aim::everything(), fast)])), [100, 88, 88, 88, 88, 88]);
    let second = Aim { run: Some(Run { place: RunPlace::Even, every: 2, gap: Millis(200.0) }), ..Aim::default() };
    let level = |by| Action::Level(action::Level { by });
    assert_eq!(velocities(&played(&part, vec![Pass::new(1, second, level(-10.0))])), [100, 90, 90, 100, 100, 90]);
    let quick = Aim { speed: Some(Speed { at_most: Some(Millis(50.0)), ..Speed::default() }), ..Aim::default() };
    assert_eq!(velocities(&played(&part, vec![Pass::new(1, quick, level(-10.0))])), [100; 6], "none is that fast");
}

#[test]
fn gaps_leave_out_what_is_silenced() {
    let part = part(&[(0.0, 42), (240.0, 42), (480.0, 42)]);
    let gone = Action::ByHand(ByHand { removed: vec![HitId::new(1)], ..ByHand::default() });
    let slow = Aim { speed: Some(Speed { at_least: Some(Millis(240.0)), ..Speed::default() }), ..Aim::default() };
    let passes =
        vec![Pass::new(1, Aim::everything(), gone), Pass::new(2, slow, Action::Level(action::Level { by: -10.0 }))];
    assert_eq!(velocities(&played(&part, passes))[2], 90);
}

#[test]
fn a_later_pass_takes_out_what_an_earlier_one_added() {
    let part = part(&[(0.0, 38), (960.0, 38)]);
    let first = ByHand { added: vec![added(HitId::FIRST_BY_HAND, 480.0)], ..ByHand::default() };
    let second = ByHand { removed: vec![HitId::FIRST_BY_HAND], ..ByHand::default() };
    let passes = [first, second].map(Action::ByHand);
    let passes = (1..).zip(passes).map(|(id, action)| Pass::new(id, Aim::everything(), action)).collect();
    let performance = played(&part, passes);
    assert_eq!(performance.made[0].played.silenced, Some(PassId(2)));
    assert_eq!(performance.sounding().count(), 2);
}

#[test]
fn ids_run_out_nowhere() {
    let level = || Action::Level(action::Level { by: 1.0 });
    let last = Recipe { passes: vec![Pass::new(u32::MAX, Aim::everything(), level())] };
    let more = last.followed_by(&last).followed_by(&last);
    assert_eq!(more.passes.iter().map(|pass| pass.id.0).collect::<Vec<_>>(), [u32::MAX, 1, 2]);
    assert!(more.check().is_ok());
}

#[test]
fn an_aim_names_only_so_many_things() {
    let with = |aim: serde_json::Value| {
        Recipe::from_value(json!({"passes": [{"id": 1, "aim": aim, "action": {"kind": "level"}}]}))
    };
    let bars: Vec<_> = (1..=40_000).map(|bar| json!({"from": bar, "to": bar})).collect();
    let names: Vec<String> = (0..200_000).map(|number| format!("way {number}")).collect();
    for (field, value) in [("bars", json!(bars)), ("articulations", json!(names)), ("instruments", json!(names))] {
        let error = with(json!({ field: value })).unwrap_err();
        assert_eq!(error.path, format!("passes[0].aim.{field}"));
        assert!(error.message.contains("more than the"), "{error}");
    }
}

#[test]
fn made_hits_have_ids_of_their_own() {
    let mut seen = std::collections::HashSet::new();
    for pass in 1..=4 {
        for parent in 0..25_000 {
            for ordinal in 0..3 {
                let id = HitId::made(PassId(pass), HitId::new(parent), ordinal);
                assert!(id >= HitId::FIRST_MADE && id <= HitId::MAX);
                assert!(seen.insert(id), "{pass} {parent} {ordinal}");
            }
        }
    }
}
