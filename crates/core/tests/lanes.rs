//! What holds of lanes and of movement, whatever passes do: property tests.

use proptest::collection::vec;
use proptest::prelude::*;
use vivida_core::action::{
    Curve, LaneAnchor, LaneFollow, LaneFollows, LaneLine, LaneOffset, LanePoint, LaneRamp, LaneScale, LaneSmooth,
    LaneThin, LaneWay, Loosen, Vary,
};
use vivida_core::*;

const KINDS: [LaneKind; 3] = [LaneKind::PEDAL, LaneKind::EXPRESSION, LaneKind::Bend];

fn kinds() -> impl Strategy<Value = LaneKind> {
    (0..KINDS.len()).prop_map(|place| KINDS[place])
}

fn lanes() -> impl Strategy<Value = Vec<Lane>> {
    // Small distances, so that many share a tick.
    let values = || vec((0..9000u32, -9000..9000i32), 0..80);
    [values(), values(), values()].prop_map(|all| {
        let lane = |(kind, values): (&LaneKind, Vec<(u32, i32)>)| {
            Lane::new(*kind, values.into_iter().map(|(tick, value)| (f64::from(tick), f64::from(value))).collect())
        };
        KINDS.iter().zip(all).map(lane).collect()
    })
}

fn parts() -> impl Strategy<Value = Part> {
    vec((0..3usize, 0..9000u32, 1..500u32, 1..=127u8), 1..40).prop_map(|hits| {
        let hit = |(id, (note, tick, length, velocity)): (usize, (usize, u32, u32, u8))| Hit {
            id: HitId::new(id as u32),
            tick: Ticks(f64::from(tick)),
            length: Ticks(f64::from(length)),
            velocity: Velocity::new(velocity).unwrap(),
            release: 64,
            note: Note::new([36, 42, 46][note]).unwrap(),
            channel: Channel::PERCUSSION,
        };
        Part::new(hits.into_iter().enumerate().map(hit).collect())
    })
}

fn actions() -> impl Strategy<Value = Action> {
    let points = vec((1.0..4.0, 0.0..127.0, 0..3usize), 0..6).prop_map(|mut points| {
        points.sort_by(|a: &(f64, f64, usize), b| a.0.total_cmp(&b.0));
        let ways = [LaneWay::Straight, LaneWay::Curved, LaneWay::Stepped];
        points.into_iter().map(|(bar, value, way)| LanePoint { bar, value, way: ways[way] }).collect()
    });
    prop_oneof![
        (kinds(), points).prop_map(|(lane, points)| Action::LaneLine(LaneLine { lane, points })),
        (kinds(), 0.0..127.0, 0.0..127.0)
            .prop_map(|(lane, from, to)| { Action::LaneRamp(LaneRamp { lane, from, to, curve: Curve::Late }) }),
        (kinds(), 0.0..400.0, 0.0..127.0)
            .prop_map(|(lane, scale, about)| { Action::LaneScale(LaneScale { lane, scale: Percent(scale), about }) }),
        (kinds(), -127.0..127.0).prop_map(|(lane, by)| Action::LaneOffset(LaneOffset { lane, by })),
        (kinds(), 0.0..2000.0).prop_map(|(lane, over)| Action::LaneSmooth(LaneSmooth { lane, over: Millis(over) })),
        (kinds(), 0.0..40.0).prop_map(|(lane, within)| Action::LaneThin(LaneThin { lane, within })),
        (kinds(), 0..3usize, 0.0..200.0).prop_map(|(lane, of, before)| {
            let of = [LaneFollows::Velocity, LaneFollows::Density, LaneFollows::Level][of];
            Action::LaneFollow(LaneFollow { lane, of, before: Millis(before), ..LaneFollow::default() })
        }),
        (kinds(), any::<bool>()).prop_map(|(lane, hits)| {
            Action::LaneAnchor(LaneAnchor { lane, to: if hits { GoesWith::Hits } else { GoesWith::Time } })
        }),
        Just(Action::Loosen(Loosen::default())),
    ]
}

fn aims() -> impl Strategy<Value = Aim> {
    proptest::option::of((1..4u32, 0..2u32)).prop_map(|bars| Aim {
        bars: bars.map(|(from, more)| BarRange { from, to: from + more }).into_iter().collect(),
        ..Aim::default()
    })
}

fn played(part: &Part, lanes: &[Lane], passes: &[(Aim, Action)]) -> Performance {
    let ppq = Ppq::new(960).unwrap();
    let (tempo, metre) = (TempoMap::new(ppq, [(Ticks(2000.0), 400_000)]), MetreMap::new(ppq, []));
    let context = Context { lanes, ..Context::new(&tempo, &metre) };
    let passes = (1..).zip(passes).map(|(id, (aim, action))| Pass::new(id, aim.clone(), action.clone())).collect();
    perform(part, &Chart::new(part, Kit::of_drums(part)), &Recipe::of(passes), &context)
}

fn lane_of(performance: &Performance, kind: LaneKind) -> &PlayedLane {
    performance.lanes.iter().find(|one| one.lane.kind == kind).expect("a lane")
}

proptest! {
    #[test]
    fn lanes_are_in_order_and_in_range(part in parts(), lanes in lanes(), passes in vec((aims(), actions()), 0..6)) {
        let performance = played(&part, &lanes, &passes);
        for PlayedLane { lane, drawn, .. } in &performance.lanes {
            prop_assert!(lane.ticks().is_sorted() && lane.ticks().iter().all(|tick| *tick >= 0.0 && tick.fract() == 0.0));
            let (least, most) = lane.kind.range();
            prop_assert!(lane.values().iter().all(|value| (least..=most).contains(value)));
            if *drawn {
                prop_assert!(lane.values().iter().all(|value| value.fract() == 0.0));
                prop_assert!(lane.values().windows(3).all(|three| three[0] != three[1] || three[1] != three[2]), "said thrice");
            }
        }
        prop_assert_eq!(&performance, &played(&part, &lanes, &passes), "the same in is the same out");
    }

    #[test]
    fn lane_passes_leave_hits_and_other_lanes_alone(part in parts(), lanes in lanes(), aim in aims(), action in actions()) {
        let Some(own) = action.lane() else { return Ok(()) };
        let (before, after) = (played(&part, &lanes, &[]), played(&part, &lanes, &[(aim, action)]));
        prop_assert_eq!(&before.written, &after.written);
        prop_assert!(after.made.is_empty());
        for one in after.lanes.iter().filter(|one| one.lane.kind != own) {
            prop_assert_eq!(one, lane_of(&before, one.lane.kind));
        }
    }

    #[test]
    fn a_lane_outside_the_bars_holds_what_it_held(part in parts(), lanes in lanes(), scale in 0.0..400.0, by in -127.0..127.0, bar in 1..4u32) {
        let aim = Aim { bars: vec![BarRange { from: bar, to: bar }], ..Aim::default() };
        let (from, to) = (3840.0 * f64::from(bar - 1), 3840.0 * f64::from(bar));
        for kind in KINDS {
            for action in [
                Action::LaneScale(LaneScale { lane: kind, scale: Percent(scale), about: 64.0 }),
                Action::LaneOffset(LaneOffset { lane: kind, by }),
            ] {
                let before = lanes.iter().find(|lane| lane.kind == kind).unwrap();
                let after = played(&part, &lanes, &[(aim.clone(), action)]);
                let after = &lane_of(&after, kind).lane;
                for tick in (0..9000).step_by(37).map(f64::from).filter(|tick| !(from..to).contains(tick)) {
                    prop_assert_eq!(before.at(tick), after.at(tick), "{} at {}", kind, tick);
                }
            }
        }
    }

    #[test]
    fn a_thinned_line_is_as_near_as_it_says(part in parts(), lanes in lanes(), within in 0.5..40.0) {
        let before = &lanes[0];
        let thin = Action::LaneThin(LaneThin { lane: before.kind, within });
        // Ticks of one value each: where two stand on one, a line has no height.
        let mut values: Vec<(f64, f64)> = before.ticks().iter().copied().zip(before.values().iter().copied()).collect();
        values.dedup_by_key(|one| one.0);
        let before = Lane::new(before.kind, values);
        let after = played(&part, std::slice::from_ref(&before), &[(Aim::everything(), thin), (Aim::everything(), Action::LaneAnchor(LaneAnchor { lane: before.kind, to: GoesWith::Time }))]);
        let after = &lane_of(&after, before.kind).lane;
        prop_assert!(after.len() <= before.len());
        let between = |tick: f64| {
            let next = after.ticks().partition_point(|&one| one < tick);
            let (Some(b), true) = (after.ticks().get(next), next > 0) else { return after.at(tick) };
            let (a, va, vb) = (after.ticks()[next - 1], after.values()[next - 1], after.values()[next]);
            va + (tick - a) / (b - a) * (vb - va)
        };
        for (&tick, &value) in before.ticks().iter().zip(before.values()) {
            // Half of one more by rounding.
            prop_assert!((between(tick) - value).abs() <= within + 0.51, "{} at {}: {}", value, tick, between(tick));
        }
    }

    #[test]
    fn a_lane_that_goes_with_hits_moves_as_far_as_its_hit(part in parts(), value in 0..127u8) {
        // The pedal is set right at each hat: it is there with it however the hats are moved.
        let hats: Vec<&Hit> = part.hits().iter().filter(|hit| hit.note.get() != 36).collect();
        let lane = Lane::new(LaneKind::PEDAL, hats.iter().map(|hit| (hit.tick.0, f64::from(value))).collect());
        let performance = played(&part, &[lane], &[(Aim::everything(), Action::Loosen(Loosen::default()))]);
        let carried = &lane_of(&performance, LaneKind::PEDAL).lane;
        let mut last = 0.0f64;
        let moved = part.hits().iter().zip(&performance.written).filter(|(hit, _)| hit.note.get() != 36);
        for ((_, now), tick) in moved.zip(carried.ticks()) {
            last = last.max(now.tick.0);
            prop_assert!(*tick <= last, "a pedal behind its hat");
        }
    }

    #[test]
    fn movement_leaves_touch_and_time_alone(part in parts(), column in 0..4usize, start in 0..5usize) {
        let property = Property::MOVEMENT[column];
        let action = property.info().starts[start].clone();
        let (plain, moving) = (played(&part, &[], &[]), played(&part, &[], &[(Aim::at("kick"), action)]));
        for (was, now) in plain.written.iter().zip(&moving.written) {
            prop_assert_eq!(*was, PlayedHit { movement: Movement::NONE, ..*now });
            prop_assert!(now.note.get() == 36 || now.movement.is_none(), "not aimed at");
            let (least, most) = property.range();
            prop_assert!((least..=most).contains(&now.movement.of(property)));
            prop_assert!(Property::MOVEMENT.iter().all(|one| *one == property || now.movement.of(*one) == 0.0));
        }
    }

    #[test]
    fn twice_as_wide_moves_twice_as_far_the_same_way(part in parts(), by in 1.0..500.0) {
        let vary = |by| {
            let action = Action::Vary(Vary { by, property: Property::Pitch, ..Vary::default() });
            played(&part, &[], &[(Aim::everything(), action)])
        };
        for (small, large) in vary(by).written.iter().zip(&vary(2.0 * by).written) {
            prop_assert!((2.0 * small.movement.pitch - large.movement.pitch).abs() < 0.2);
        }
    }
}

#[test]
fn lanes_out_of_range_are_refused_by_name() {
    let refused = |action: serde_json::Value| {
        let recipe = serde_json::json!({"passes": [{"id": 1, "action": action}]});
        Recipe::from_value(recipe).unwrap_err().to_string()
    };
    use serde_json::json;
    let wrong = refused(json!({"kind": "lane-ramp", "lane": "controller-120"}));
    assert!(wrong.contains("action.lane") && wrong.contains("controller-119"), "{wrong}");
    let wrong = refused(json!({"kind": "lane-ramp", "from": 200}));
    assert_eq!(wrong, "passes[0].action.from: 200 is outside 0 to 127");
    let wrong = refused(json!({"kind": "lane-offset", "lane": "bend", "by": 99999}));
    assert_eq!(wrong, "passes[0].action.by: 99999 is outside -16383 to 16383");
    let wrong = refused(json!({"kind": "vary", "property": "pitch", "by": 1300}));
    assert_eq!(wrong, "passes[0].action.by: 1300 is outside 0 to 1200 cents");
    let wrong = refused(json!({"kind": "shape", "property": "level", "soft": -30, "typical": 0, "hard": 1}));
    assert_eq!(wrong, "passes[0].action.soft: -30 is outside -24 to 24 dB");
    let wrong = refused(json!({"kind": "accents", "property": "level", "pattern": [0, 40]}));
    assert_eq!(wrong, "passes[0].action.pattern: 40 is outside -24 to 24");
    let wrong = refused(json!({"kind": "by-hand", "moved": [{"hit": 1, "movement": {"pitch": 5000}}]}));
    assert!(wrong.contains("the pitch of hit 1 is outside -1200 to 1200 cents"), "{wrong}");
    let wrong = refused(json!({"kind": "draw", "property": "smell"}));
    assert!(wrong.contains("action.property"), "{wrong}");
}

#[test]
fn lines_far_behind_the_part_and_far_too_many_values_are_held() {
    let part = Part::new(vec![Hit {
        id: HitId::new(0),
        tick: Ticks(0.0),
        length: Ticks(100.0),
        velocity: Velocity::MAX,
        release: 64,
        note: Note::new(42).unwrap(),
        channel: Channel::PERCUSSION,
    }]);
    let point = |bar, value| LanePoint { bar, value, way: LaneWay::Straight };
    let line = |points| Action::LaneLine(LaneLine { lane: LaneKind::Bend, points });
    // All of it behind the end: nothing. From within to far behind: up to the end.
    let behind = line(vec![point(50_000.0, -8000.0), point(99_999.0, 8000.0)]);
    assert!(played(&part, &[], &[(Aim::everything(), behind)]).lanes.iter().all(|one| one.lane.is_empty()));
    let across = line(vec![point(1.5, -8000.0), point(99_999.0, 8000.0)]);
    let after = played(&part, &[], &[(Aim::everything(), across)]);
    let lane = &lane_of(&after, LaneKind::Bend).lane;
    assert!(!lane.is_empty() && lane.ticks().iter().all(|tick| *tick <= 3840.0), "{lane:?}");
    let ramp = Action::LaneRamp(LaneRamp::default());
    let far = Aim { bars: vec![BarRange { from: 1, to: u32::MAX }], ..Aim::default() };
    assert!(lane_of(&played(&part, &[], &[(far, ramp)]), LaneKind::EXPRESSION).lane.len() <= 128);
    // A lane that is as long as one may be takes no more, and says so.
    let long =
        Lane::new(LaneKind::EXPRESSION, (0..Lane::MOST).map(|tick| (tick as f64, (tick % 100) as f64)).collect());
    let aim = Aim { bars: vec![BarRange { from: 200, to: 201 }], ..Aim::default() };
    let full = played(&part, &[long], &[(aim, Action::LaneRamp(LaneRamp::default()))]);
    assert!(full.passes[0].said.as_deref().is_some_and(|said| said.contains("1000000")), "{:?}", full.passes[0]);
    assert_eq!(full.passes[0].lane_values, Some(0));
}

#[test]
fn smoothing_over_next_to_nothing_changes_nothing() {
    let lane = Lane::new(LaneKind::PEDAL, vec![(0.0, 3.0), (1.0, 90.0), (1.0, 7.0), (50.0, 120.0)]);
    let hit = |tick: f64| Hit {
        id: HitId::new(0),
        tick: Ticks(tick),
        length: Ticks(10.0),
        velocity: Velocity::MAX,
        release: 64,
        note: Note::new(42).unwrap(),
        channel: Channel::PERCUSSION,
    };
    let smooth = Action::LaneSmooth(LaneSmooth { lane: LaneKind::PEDAL, over: Millis(1e-300) });
    let after = played(&Part::new(vec![hit(0.0)]), &[lane], &[(Aim::everything(), smooth)]);
    assert_eq!(lane_of(&after, LaneKind::PEDAL).lane.values(), [3.0, 7.0, 120.0]);
}

/// "Equal loudness" hears what movement and lanes do: a level in dB, expression by the square of its number.
#[test]
fn levels_and_expression_count_as_loudness() {
    let ppq = Ppq::new(960).unwrap();
    let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
    let hit = |id: u32| Hit {
        id: HitId::new(id),
        tick: Ticks(960.0 * f64::from(id)),
        length: Ticks(100.0),
        velocity: Velocity::new(60 + 9 * id as u8).unwrap(),
        release: 64,
        note: Note::new(38).unwrap(),
        channel: Channel::PERCUSSION,
    };
    let part = Part::new((0..4).map(hit).collect());
    let chart = Chart::new(&part, Kit::of_drums(&part));
    let loudness = |actions: Vec<Action>| {
        let context = Context::new(&tempo, &metre);
        let passes = (1..).zip(actions).map(|(id, action)| Pass::new(id, Aim::everything(), action)).collect();
        let performance = perform(&part, &chart, &Recipe::of(passes), &context);
        Measured::played(&part, &chart, &context, &performance).loudness
    };
    let plain = loudness(Vec::new()).expect("it sounds");
    let soft = action::Shape { property: Property::Level, ..action::Shape::straight([-6.0; 3]) };
    assert!((loudness(vec![Action::Shape(soft)]).unwrap() - plain + 6.0).abs() < 1e-3);
    let expression = |value: f64| {
        let points = [1.0, 3.0].map(|bar| LanePoint { bar, value, way: LaneWay::Stepped });
        Action::LaneLine(LaneLine { points: points.to_vec(), ..LaneLine::default() })
    };
    // Values are whole: 64 of 127.
    assert!((loudness(vec![expression(64.0)]).unwrap() - plain - 40.0 * (64.0f64 / 127.0).log10()).abs() < 1e-9);
    assert_eq!(loudness(vec![expression(127.0)]), Some(plain));
    assert_eq!(loudness(vec![expression(0.0)]), None);
}
