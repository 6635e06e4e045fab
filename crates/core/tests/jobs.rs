//! What people come to do to velocities, each as the recipe that does it, on small parts.

use serde_json::{Value, json};
use vivida_core::*;

/// Hits at (16th, note, velocity), 120 bpm, 4/4.
fn part(hits: &[(u32, u8, u8)]) -> Part {
    let hit = |(id, &(place, note, velocity)): (usize, &(u32, u8, u8))| Hit {
        id: HitId::new(id as u32),
        tick: Ticks(240.0 * f64::from(place)),
        length: Ticks(100.0),
        velocity: Velocity::new(velocity).unwrap(),
        release: 64,
        note: Note::new(note).unwrap(),
        channel: Channel::PERCUSSION,
    };
    Part::new(hits.iter().enumerate().map(hit).collect())
}

const HAT: u8 = 42;
const SNARE: u8 = 38;
const KICK: u8 = 36;

fn sixteenths(note: u8, count: u32, velocity: impl Fn(u32) -> u8) -> Vec<(u32, u8, u8)> {
    (0..count).map(|place| (place, note, velocity(place))).collect()
}

/// The velocities of a part after some passes, each an aim and an action.
fn played(part: &Part, passes: &[(Value, Value)]) -> Vec<i32> {
    let passes: Vec<Value> =
        (1..).zip(passes).map(|(id, (aim, action))| json!({"id": id, "aim": aim, "action": action})).collect();
    let recipe = Recipe::from_value(json!({"passes": passes})).unwrap();
    let ppq = Ppq::new(960).unwrap();
    let (tempo, metre) = (TempoMap::new(ppq, []), MetreMap::new(ppq, []));
    let chart = Chart::new(part, Kit::of_drums(part));
    let performance = perform(part, &chart, &recipe, &Context::new(&tempo, &metre));
    performance.written.iter().map(|hit| i32::from(hit.velocity.get())).collect()
}

fn slots(slots: &[u32]) -> Value {
    json!({"grid": "1/16", "slots": slots})
}

#[test]
fn job_1_hats_strong_on_the_beat_loose_between_no_two_alike() {
    let hats = part(&sixteenths(HAT, 64, |_| 100));
    let beats = slots(&[1, 5, 9, 13]);
    let velocities = played(
        &hats,
        &[
            (json!({"positions": beats}), json!({"kind": "draw", "from": 96, "to": 108})),
            (json!({"positions": beats, "invert": true}), json!({"kind": "draw", "from": 54, "to": 74})),
            (json!({}), json!({"kind": "no-twins", "least": 3, "moves": "anywhere"})),
        ],
    );
    for (place, velocity) in velocities.iter().enumerate() {
        let range = if place % 4 == 0 { 93..=111 } else { 51..=77 };
        assert!(range.contains(velocity), "{place}: {velocity}");
    }
    assert!(velocities.windows(2).all(|pair| (pair[0] - pair[1]).abs() >= 3), "{velocities:?}");
}

#[test]
fn job_2_a_solid_kick_whose_last_of_the_phrase_is_softer() {
    let kick = part(&(0..16).map(|beat| (4 * beat, KICK, 80 + beat as u8)).collect::<Vec<_>>());
    let velocities = played(
        &kick,
        &[
            (json!({"instruments": ["kick"]}), json!({"kind": "set", "to": 112})),
            (json!({"run": {"place": "last", "gap": 600}}), json!({"kind": "level", "by": -24})),
        ],
    );
    assert_eq!(velocities[..15], [112; 15]);
    assert_eq!(velocities[15], 88);
}

#[test]
fn job_3_backbeats_stay_hard_and_all_else_becomes_a_ghost() {
    let snare = part(&sixteenths(SNARE, 16, |_| 104));
    let aim = json!({"instruments": ["snare"], "positions": slots(&[5, 13]), "invert": true});
    let velocities = played(&snare, &[(aim, json!({"kind": "draw", "from": 22, "to": 36}))]);
    assert_eq!((velocities[4], velocities[12]), (104, 104));
    assert_eq!(velocities.iter().filter(|velocity| (22..=36).contains(*velocity)).count(), 14);
}

#[test]
fn job_4_each_instrument_in_its_own_range_and_its_pattern_survives() {
    let mess: Vec<(u32, u8, u8)> =
        (0..32).map(|place| (place, [HAT, SNARE, 46][place as usize % 3], 20 + (place * 29 % 100) as u8)).collect();
    let ranges = [("snare", SNARE, 104, 116), ("open-hat", 46, 82, 92), ("closed-hat", HAT, 70, 96)];
    let squeeze = |&(id, _, floor, ceiling): &(&str, u8, i32, i32)| {
        (json!({"instruments": [id]}), json!({"kind": "limits", "floor": floor, "ceiling": ceiling, "how": "squeeze"}))
    };
    let velocities = played(&part(&mess), &ranges.iter().map(squeeze).collect::<Vec<_>>());
    for (_, note, floor, ceiling) in ranges {
        let mut of: Vec<(u8, i32)> =
            mess.iter().zip(&velocities).filter(|(hit, _)| hit.1 == note).map(|(hit, &now)| (hit.2, now)).collect();
        of.sort_unstable();
        assert_eq!((of[0].1, of[of.len() - 1].1), (floor, ceiling));
        assert!(of.is_sorted_by(|a, b| a.1 <= b.1), "loud stays louder than soft");
    }
}

#[test]
fn job_5_contrast_then_level() {
    let snare = part(&[(0, SNARE, 40), (4, SNARE, 80), (8, SNARE, 120)]);
    let passes = [
        (json!({"instruments": ["snare"]}), json!({"kind": "contrast", "contrast": 50})),
        (json!({"instruments": ["snare"]}), json!({"kind": "level", "by": 7})),
    ];
    assert_eq!(played(&snare, &passes[..1]), [60, 80, 100]);
    assert_eq!(played(&snare, &passes), [67, 87, 107]);
}

#[test]
fn job_6_strong_places_random_in_one_range_all_others_in_another() {
    let hats = part(&sixteenths(HAT, 64, |_| 100));
    let strong = slots(&[1, 7]);
    let velocities = played(
        &hats,
        &[
            (json!({"positions": strong}), json!({"kind": "draw", "from": 98, "to": 112})),
            (json!({"positions": strong, "invert": true}), json!({"kind": "draw", "from": 54, "to": 70})),
        ],
    );
    for (place, velocity) in velocities.iter().enumerate() {
        let range = if [0, 6].contains(&(place % 16)) { 98..=112 } else { 54..=70 };
        assert!(range.contains(velocity), "{place}: {velocity}");
    }
}

#[test]
fn job_7_up_over_four_bars_and_down_over_two_with_the_differences_kept() {
    let hats = part(&sixteenths(HAT, 96, |place| if place % 2 == 0 { 70 } else { 60 }));
    let bars = |from: u32, to: u32| json!({"bars": [{"from": from, "to": to}]});
    let velocities = played(
        &hats,
        &[
            (bars(1, 4), json!({"kind": "swell", "from": -30, "to": 20})),
            (bars(5, 6), json!({"kind": "swell", "from": 20, "to": -20})),
        ],
    );
    assert!((velocities[0] - 40).abs() <= 1 && (velocities[62] - 89).abs() <= 1, "{velocities:?}");
    assert!((velocities[64] - 90).abs() <= 1 && (velocities[94] - 51).abs() <= 2, "{velocities:?}");
    assert!(velocities.chunks(2).all(|pair| (8..=12).contains(&(pair[0] - pair[1]))), "{velocities:?}");
}

#[test]
fn job_8_a_fill_is_softer_the_faster_it_goes_and_climbs_back() {
    // Two 8ths, then sixteen 16ths: 250 ms, then 125 ms apart.
    let places = [0, 2].into_iter().chain(4..20);
    let fill = part(&places.map(|place| (place, SNARE, 100)).collect::<Vec<_>>());
    let fast = json!({"kind": "fast-hands", "softer": 16, "reference": 250, "climb": 4});
    let velocities = played(&fill, &[(json!({}), fast)]);
    assert_eq!(velocities[..3], [100, 100, 100], "gaps of the reference are spared");
    assert_eq!(velocities[3..14], [84; 11]);
    assert_eq!(velocities[14..], [88, 92, 96, 100]);
}

#[test]
fn job_9_the_cymbal_follows_kick_and_snare_and_the_layers() {
    const RIDE: u8 = 51;
    let mut hits: Vec<(u32, u8, u8)> = (0..8).map(|eighth| (2 * eighth, RIDE, 80 + eighth as u8)).collect();
    hits.extend([(0, KICK, 100), (4, SNARE, 100), (8, KICK, 100), (12, SNARE, 100)]);
    let near = json!({"instruments": ["kick", "snare"], "within": 20});
    let ride = |condition: &str, value: Value| json!({"instruments": ["ride-1"], condition: value});
    let part = part(&hits);
    let rides = |passes: &[(Value, Value)]| -> Vec<i32> {
        let velocities = played(&part, passes);
        part.hits().iter().zip(velocities).filter(|(hit, _)| hit.note.get() == RIDE).map(|(_, now)| now).collect()
    };
    let together = rides(&[
        (ride("with", near.clone()), json!({"kind": "level", "by": 10})),
        (ride("without", near), json!({"kind": "level", "by": -10})),
    ]);
    assert_eq!(together, [90, 71, 92, 73, 94, 75, 96, 77]);
    let layers = rides(&[
        (ride("positions", slots(&[1, 9])), json!({"kind": "layer", "layer": "hard"})),
        (
            json!({"instruments": ["ride-1"], "positions": slots(&[3, 5, 7, 11, 13, 15])}),
            json!({"kind": "layer", "layer": "firm"}),
        ),
    ]);
    for (place, velocity) in layers.iter().enumerate() {
        let layer = if place % 4 == 0 { 108..=127 } else { 77..=107 };
        assert!(layer.contains(velocity), "{place}: {velocity}");
    }
}

#[test]
fn job_11_all_to_one_value_and_back_again() {
    let mess = part(&sixteenths(SNARE, 8, |place| 30 + 9 * place as u8));
    assert_eq!(played(&mess, &[(json!({}), json!({"kind": "set", "to": 64}))]), [64; 8]);
    assert_eq!(played(&mess, &[]), [30, 39, 48, 57, 66, 75, 84, 93], "without the pass it is as it was");
}
