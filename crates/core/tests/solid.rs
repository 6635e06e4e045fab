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
    perform(part, &Chart::new(part, Kit::of_drums(part)), &Recipe::of(passes), &Context::new(&tempo, &metre))
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
    let recipe = |tick: f64| {
        Recipe::of(vec![Pass::new(
            1,
            Aim::everything(),
            Action::ByHand(ByHand { added: vec![added(HitId::FIRST_BY_HAND, tick)], ..ByHand::default() }),
        )])
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
    let place = chart.instrument_of(cowbell, Channel::PERCUSSION).unwrap();
    assert_eq!(chart.kit.instruments[place].id.as_str(), "note-56");
    assert!(place >= chart.listed, "nothing is written on it");
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
    assert_eq!(reading.instruments[place].figures.count, 1);
    assert_eq!(reading.instruments.iter().map(|one| one.figures.count).sum::<u32>(), 3);
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
    let last = Recipe::of(vec![Pass::new(u32::MAX, Aim::everything(), level())]);
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

/// A kit whose drums have ids, notes and channels that no other has.
fn own_kit() -> Kit {
    let one = |id: &str, family: &str, note: u8, channel: u8| {
        json!({"id": id, "name": id, "family": family, "limb": "right-hand",
            "articulations": [{"name": "way", "note": note, "channel": channel}]})
    };
    let instruments = [one("k", "kick", 60, 0), one("s", "snare", 61, 1), one("h", "hat", 62, 1)];
    serde_json::from_value(json!({"name": "Own", "instruments": instruments})).unwrap()
}

fn on(channel: u8, hit: Hit) -> Hit {
    Hit { channel: Channel::new(channel).unwrap(), ..hit }
}

#[test]
fn a_hats_pedal_goes_with_the_hats_of_any_kit() {
    let part = Part::new(vec![on(0, hit(0, 0.0, 60)), on(1, hit(1, 960.0, 62)), on(1, hit(2, 1920.0, 62))]);
    let ppq = Ppq::new(960).unwrap();
    let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
    let lanes = [Lane::new(LaneKind::PEDAL, vec![(900.0, 20.0), (1860.0, 100.0)])];
    let context = Context { lanes: &lanes, ..Context::new(&tempo, &metre) };
    let lean = Action::Lean(action::Lean { by: Millis(50.0), ..Default::default() });
    let recipe = Recipe::of(vec![Pass::new(1, Aim::at("h"), lean)]);
    let played = perform(&part, &Chart::new(&part, own_kit()), &recipe, &context);
    // 50 ms are 96 ticks.
    assert_eq!(played.written[1].tick, Ticks(1056.0));
    assert_eq!(played.lanes[0].lane.ticks(), [996.0, 1956.0]);
}

#[test]
fn a_hit_that_is_put_on_another_drum_goes_to_its_channel() {
    let part = Part::new(vec![on(0, hit(0, 0.0, 60)), on(1, hit(1, 960.0, 61))]);
    let ppq = Ppq::new(960).unwrap();
    let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
    let chart = Chart::new(&part, own_kit());
    let context = Context::new(&tempo, &metre);
    let bench = Bench::new(&part, &chart, &context);
    let put = |recipe: &Recipe, on: &str| {
        let gesture = serde_json::from_value(json!({"kind": "put-on", "hits": [0], "instrument": on})).unwrap();
        bench.after(recipe, &gesture).unwrap()
    };
    let snare = put(&Recipe::default(), "s");
    let played = perform(&part, &chart, &snare, &context);
    let drum = |played: &Performance| {
        let PlayedHit { note, channel, .. } = played.written[0];
        chart.instrument_of(note, channel).map(|place| chart.kit.instruments[place].id.to_string())
    };
    assert_eq!(drum(&played).as_deref(), Some("s"));
    assert_eq!(drum(&perform(&part, &chart, &put(&snare, "k"), &context)).as_deref(), Some("k"));
    // It is read again as it was written.
    assert_eq!(Recipe::from_value(serde_json::to_value(&snare).unwrap()).unwrap(), snare);
}

#[test]
fn a_drum_that_an_older_id_still_means_is_not_said_to_be_missing() {
    let swap = |id: &str| {
        let to =
            action::Swap { to: action::SwapTo::Instrument, instrument: InstrumentId::new(id), ..Default::default() };
        let played = played(&part(&[(0.0, 36), (960.0, 36)]), vec![Pass::new(1, Aim::everything(), Action::Swap(to))]);
        (played.written[0].note.get(), played.passes[0].said.clone())
    };
    assert_eq!(swap("crash"), (49, None));
    assert_eq!(swap("moon"), (36, Some("This kit has no moon.".to_owned())));
}

#[test]
fn hundreds_of_passes_at_their_limits_still_play_every_hit() {
    let limits = |(id, kind): (u32, usize)| {
        let settings = [
            json!({"kind": "groove", "touch": 200, "timing": 200, "lengths": 200, "liveliness": 100, "groove":
                {"grid": "1/16", "bars": 1, "tempo": 90, "together": {"1": {"offset": 0.4, "velocity": 20, "length": 100}}}}),
            json!({"kind": "contrast", "contrast": 400}),
            json!({"kind": "length", "share": 400}),
            json!({"kind": "level", "by": -126}),
            json!({"kind": "swing", "to": 80}),
            json!({"kind": "contrast", "contrast": 0}),
        ];
        json!({"id": id, "action": settings[kind]})
    };
    let hits: Vec<(f64, u8)> = (0..32).map(|place| (f64::from(place) * 240.0, 36 + (place % 3) as u8)).collect();
    for order in [[0, 0, 0], [1, 0, 2], [0, 1, 5], [2, 3, 0], [4, 0, 1]] {
        let passes: Vec<serde_json::Value> = (1..=500).map(|id| limits((id, order[id as usize % 3]))).collect();
        let recipe = Recipe::from_value(json!({ "passes": passes })).unwrap();
        let played = played(&part(&hits), recipe.passes);
        assert_eq!(played.written.len(), 32);
        for hit in &played.written {
            let range = hit.velocity.get() >= 1 && hit.tick.0.is_finite() && hit.length.0 >= 1.0;
            assert!(range && hit.length.0.is_finite(), "{order:?}: {hit:?}");
        }
    }
}
