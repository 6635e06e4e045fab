//! What people come to do to timing, each as the recipe that does it, on small parts.

use serde_json::{Value, json};
use vivida_core::*;

const HAT: u8 = 42;
const SNARE: u8 = 38;
const KICK: u8 = 36;

/// Hits at (tick, note), 120 bpm, 4/4: 1.92 ticks a ms.
fn part(hits: &[(f64, u8)]) -> Part {
    let hit = |(id, &(tick, note)): (usize, &(f64, u8))| Hit {
        id: HitId::new(id as u32),
        tick: Ticks(tick.round()),
        length: Ticks(100.0),
        velocity: Velocity::new(90).unwrap(),
        release: 64,
        note: Note::new(note).unwrap(),
        channel: Channel::PERCUSSION,
    };
    Part::new(hits.iter().enumerate().map(hit).collect())
}

fn sixteenths(note: u8, count: u32) -> Vec<(f64, u8)> {
    (0..count).map(|place| (240.0 * f64::from(place), note)).collect()
}

struct Song {
    tempo: TempoMap,
    metre: MetreMap,
}

impl Song {
    fn new() -> Song {
        let ppq = Ppq::new(960).unwrap();
        Song { tempo: TempoMap::new(ppq, []), metre: MetreMap::new(ppq, []) }
    }

    fn play(&self, part: &Part, passes: &[(Value, Value)], variation: u32) -> Vec<PlayedHit> {
        let passes: Vec<Value> =
            (1..).zip(passes).map(|(id, (aim, action))| json!({"id": id, "aim": aim, "action": action})).collect();
        let recipe = Recipe::from_value(json!({"passes": passes})).unwrap();
        let chart = Chart::new(part, Kit::of_drums(part));
        let context = Context { variation, ..Context::new(&self.tempo, &self.metre) };
        perform(part, &chart, &recipe, &context).written
    }

    /// In ms from where each hit was written.
    fn moves(&self, part: &Part, passes: &[(Value, Value)]) -> Vec<f64> {
        self.play(part, passes, 1).iter().zip(part.hits()).map(|(now, was)| (now.tick - was.tick).0 / 1.92).collect()
    }

    fn groove(&self, part: &Part, hits: &[PlayedHit], take: Extraction) -> GrooveProfile {
        let chart = Chart::new(part, Kit::of_drums(part));
        GrooveProfile::taken("Taken", &chart, &self.tempo, &self.metre, hits, &take).unwrap().groove
    }
}

fn written(part: &Part) -> Vec<PlayedHit> {
    part.hits().iter().map(PlayedHit::as_written).collect()
}

fn near(value: f64, expected: f64, tolerance: f64) -> bool {
    (value - expected).abs() <= tolerance
}

#[test]
fn job_1_a_light_swing_slides_and_goes_back_to_straight() {
    let (song, hats) = (Song::new(), part(&sixteenths(HAT, 32)));
    let late =
        |grid: &str, to: f64| song.moves(&hats, &[(json!({}), json!({"kind": "swing", "grid": grid, "to": to}))]);
    for to in [54.0, 57.0, 60.0] {
        // The second of each pair of 125 ms cells.
        assert!(near(late("1/16", to)[1], (to - 50.0) * 2.5, 0.3), "{to}");
        assert_eq!(late("1/16", to)[2], 0.0);
    }
    assert_eq!(late("1/16", 50.0), vec![0.0; 32]);
    // Swung 8ths take the 16ths between along; pairs of dotted 8ths are three 8ths long.
    assert!(near(late("1/8", 60.0)[2], 50.0, 0.3) && near(late("1/8", 60.0)[1], 25.0, 0.3));
    assert!(near(late("1/8 dotted", 60.0)[3], 75.0, 0.3));
    assert!(near(late("1/8 triplet", 60.0)[4], 33.3, 0.3), "beat 2 is the middle of the second pair of triplets");
}

#[test]
fn job_2_a_rough_part_is_pulled_halfway_and_what_is_meant_stays() {
    let song = Song::new();
    // 12 ms late, 3 ms late, a flam 45 ms before the beat, 20 ms early.
    let rough = part(&[(240.0 + 23.04, SNARE), (960.0 + 5.76, SNARE), (1920.0 - 86.4, SNARE), (2640.0 - 38.4, HAT)]);
    let pull = |strength: f64| json!({"kind": "pull", "strength": strength, "forgive": 5, "reach": 30});
    let off = |hits: &[PlayedHit], row: usize, line: f64| (hits[row].tick.0 - line) / 1.92;
    let hits = song.play(
        &rough,
        &[(json!({"instruments": ["snare"]}), pull(50.0)), (json!({"instruments": ["closed-hat"]}), pull(25.0))],
        1,
    );
    assert!(near(off(&hits, 0, 240.0), 6.0, 0.3), "halfway");
    assert!(near(off(&hits, 1, 960.0), 3.0, 0.3), "close enough");
    assert!(near(off(&hits, 2, 1920.0), -45.0, 0.3), "a flam");
    assert!(near(off(&hits, 3, 2640.0), -15.0, 0.5), "hats less");
    let lengths = json!({"kind": "pull", "strength": 0, "forgive": 0, "lengths": 100});
    assert_eq!(song.play(&rough, &[(json!({}), lengths)], 1)[0].length, Ticks(240.0));
}

#[test]
fn job_3_a_stiffened_part_is_pushed_away_from_the_grid() {
    let song = Song::new();
    let stiff = part(&[(240.0 + 4.0, HAT), (480.0 - 6.0, HAT)]);
    let moves = song.moves(&stiff, &[(json!({}), json!({"kind": "pull", "strength": -100, "forgive": 0}))]);
    assert!(near(moves[0], 2.08, 0.3) && near(moves[1], -3.1, 0.3), "twice as far: {moves:?}");
}

#[test]
fn job_4_the_kit_a_touch_loose_but_for_the_first_downbeat() {
    let (song, kit) = (Song::new(), part(&sixteenths(HAT, 256)));
    let loosen = json!({"kind": "loosen", "early": 3, "late": 9, "wander": 4, "period": 4});
    // All hits but one that is picked.
    let moves = song.moves(&kit, &[(json!({"picked": [0], "invert": true}), loosen)]);
    assert_eq!(moves[0], 0.0, "the downbeat of bar 1");
    assert!(moves.iter().all(|by| (-7.3..=13.3).contains(by)), "{moves:?}");
    let mean = stats::mean(&moves[1..]);
    assert!(mean > 1.0, "more behind than ahead: {mean}");
}

#[test]
fn job_5_the_backbeat_behind_the_ride_ahead_the_kick_dead_on() {
    let song = Song::new();
    let groove = part(&[(0.0, KICK), (960.0, SNARE), (960.0, 51), (1920.0, KICK), (2160.0, SNARE), (2880.0, SNARE)]);
    let moves = song.moves(
        &groove,
        &[
            (
                json!({"instruments": ["snare"], "positions": {"grid": "1/4", "slots": [2, 4], "tolerance": 20}}),
                json!({"kind": "lean", "by": 8}),
            ),
            (json!({"instruments": ["ride-1"]}), json!({"kind": "lean", "by": -4})),
        ],
    );
    assert!(near(moves[1], 8.0, 0.3) && near(moves[5], 8.0, 0.3));
    assert_eq!((moves[0], moves[3], moves[4]), (0.0, 0.0, 0.0), "kick, and the ghost between");
    assert!(near(moves[2], -4.0, 0.3));
}

#[test]
fn job_6_one_parts_groove_on_others_at_different_strengths() {
    let song = Song::new();
    // A played hat: every second 16th 20 ms late.
    let played: Vec<(f64, u8)> =
        (0..64).map(|k| (240.0 * f64::from(k) + if k % 2 == 1 { 38.4 } else { 0.0 }, HAT)).collect();
    let played = part(&played);
    let take = Extraction { grid: Some(Grid::SIXTEENTHS), ..Extraction::default() };
    let groove = json!(song.groove(&played, &written(&played), take));
    let mut both = sixteenths(HAT, 16);
    both.extend(sixteenths(KICK, 16));
    let both = part(&both);
    let on = |id: &str, timing: f64| {
        let action = json!({"kind": "groove", "groove": groove, "timing": timing, "touch": 0});
        (json!({"instruments": [id]}), action)
    };
    let moves = song.moves(&both, &[on("closed-hat", 100.0), on("kick", 40.0)]);
    for (hit, by) in both.hits().iter().zip(moves) {
        let second = (hit.tick.0 / 240.0) as u32 % 2 == 1;
        let full = if second { 20.0 } else { 0.0 };
        let expected = if hit.note.get() == HAT { full } else { 0.4 * full };
        assert!(near(by, expected, 0.4), "{by} instead of {expected}");
    }
}

#[test]
fn job_7_two_feels_are_shared_and_one_follower_is_switched_off() {
    let song = Song::new();
    let mut all = sixteenths(HAT, 8);
    all.extend(sixteenths(KICK, 8));
    all.extend(sixteenths(SNARE, 8));
    let all = part(&all);
    let chart = Chart::new(&all, Kit::of_drums(&all));
    let late = |late: f64| {
        let (first, second) = (json!({"lean": {"by": late}}), json!({"lean": {"by": -3}}));
        let read = |value: Value| PocketSettings::from_value(value).unwrap();
        Pockets::from([(PocketId(1), read(first)), (PocketId(2), read(second))])
    };
    let follow = |id: u32, instrument: &str, pocket: u32, on: bool| json!({"id": id, "on": on, "aim": {"instruments": [instrument]}, "action": {"kind": "pocket", "pocket": pocket}});
    let mean = |pockets: &Pockets, snare: bool, note: u8| {
        let passes = [follow(1, "closed-hat", 1, true), follow(2, "snare", 1, snare), follow(3, "kick", 2, true)];
        let recipe = Recipe::from_value(json!({"passes": passes})).unwrap();
        let context = Context { pockets, ..Context::new(&song.tempo, &song.metre) };
        let hits = perform(&all, &chart, &recipe, &context).written;
        // The first hit is held at the start.
        let moves = hits.iter().zip(all.hits()).filter(|(now, was)| now.note.get() == note && was.tick.0 > 0.0);
        stats::mean(&moves.map(|(now, was)| (now.tick - was.tick).0 / 1.92).collect::<Vec<f64>>())
    };
    for by in [6.0, 12.0] {
        assert!(near(mean(&late(by), true, HAT), by, 0.3) && near(mean(&late(by), true, SNARE), by, 0.3));
        assert!(near(mean(&late(by), true, KICK), -3.0, 0.3));
        assert_eq!(mean(&late(by), false, SNARE), 0.0);
    }
}

#[test]
fn job_8_a_straight_version_leaves_the_played_part_be() {
    let song = Song::new();
    let rough = part(&[(13.0, KICK), (481.0, HAT), (929.0, SNARE), (1201.0, HAT)]);
    let before = rough.clone();
    let straight = song.play(&rough, &[(json!({}), json!({"kind": "pull", "strength": 100, "forgive": 0}))], 1);
    assert_eq!(straight.iter().map(|hit| hit.tick.0).collect::<Vec<f64>>(), [0.0, 480.0, 960.0, 1200.0]);
    assert_eq!(rough, before);
}

#[test]
fn job_10_two_hands_and_a_foot_on_one_beat_are_fanned() {
    let song = Song::new();
    let beat = part(&[(960.0, KICK), (960.0, SNARE), (960.0, HAT)]);
    let mut hits = song.play(&beat, &[(json!({}), json!({"kind": "fan", "over": 6, "within": 10}))], 1);
    hits.sort_by(|a, b| a.tick.0.total_cmp(&b.tick.0));
    let apart: Vec<f64> = hits.windows(2).map(|pair| (pair[1].tick - pair[0].tick).0 / 1.92).collect();
    assert!(apart.iter().all(|&ms| near(ms, 3.0, 0.6)), "{apart:?}");
}

#[test]
fn job_11_the_bass_takes_the_kicks_timing() {
    let song = Song::new();
    // Four bars in which the kick is late by its own amount on each beat, and the hat early.
    let kick = |bar: u32, beat: u32| 3840.0 * f64::from(bar) + 960.0 * f64::from(beat) + 10.0 * f64::from(beat);
    let mut drums: Vec<(f64, u8)> = (0..16).map(|k| (kick(k / 4, k % 4), KICK)).collect();
    drums.extend((1..64).map(|k| (240.0 * f64::from(k) - 15.0, HAT)));
    let drums = part(&drums);
    let take = Extraction { grid: Some(Grid::SIXTEENTHS), ..Extraction::default() };
    let groove = json!(song.groove(&drums, &written(&drums), take));
    let bass = part(&(0..16).map(|k| (960.0 * f64::from(k), 33)).collect::<Vec<_>>());
    let as_the_kick = json!({"kind": "groove", "groove": groove, "voice": "kick", "pull": 100, "touch": 0});
    let hits = song.play(&bass, &[(json!({}), as_the_kick)], 1);
    for (place, hit) in (0..).zip(&hits) {
        assert!(near(hit.tick.0, kick(place / 4, place % 4), 0.5), "{place}: {:?}", hit.tick);
    }
}

#[test]
fn job_12_a_performance_says_how_it_is_played() {
    let song = Song::new();
    // Swung 58 %, steady to 3 ms (by turns early and late), offbeats softer.
    let hats: Vec<(f64, u8)> = (0..128)
        .map(|k| {
            let wobble = if k % 32 < 16 { 5.76 } else { -5.76 };
            (3840.0 + 240.0 * f64::from(k) + if k % 2 == 1 { 38.4 } else { 0.0 } + wobble, HAT)
        })
        .collect();
    let hats = part(&hats);
    let reading = song.groove(&hats, &written(&hats), Extraction::default()).reading();
    assert_eq!((reading.swings[0].of.as_str(), reading.swings[0].percent), ("1/16", 58.0));
    assert!(near(reading.steady.unwrap(), 3.0, 0.1), "{:?}", reading.steady);
    assert_eq!((reading.coverage, reading.hits), (1.0, 128));
    assert!(near(reading.voices[0].offsets[3], 20.0, 0.1));
}
