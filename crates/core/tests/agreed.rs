//! Where numbers and words once disagreed: what the documents say, worked out by hand and held against the program.

use serde_json::{Value, json};
use vivida_core::*;

const PPQ: f64 = 960.0;

struct Song {
    tempo: TempoMap,
    metre: MetreMap,
    part: Part,
    chart: Chart,
}

/// Drum hits given as (tick, note, velocity), read by a kit, or by General MIDI.
fn song(hits: &[(f64, u8, u8)], kit: Option<Kit>) -> Song {
    let hit = |(id, &(tick, note, velocity)): (u32, &(f64, u8, u8))| Hit {
        id: HitId::new(id),
        tick: Ticks(tick),
        length: Ticks(60.0),
        velocity: Velocity::new(velocity).unwrap(),
        release: 64,
        note: Note::new(note).unwrap(),
        channel: Channel::PERCUSSION,
    };
    let part = Part::new((0..).zip(hits).map(hit).collect());
    let ppq = Ppq::new(960).unwrap();
    let kit = kit.unwrap_or_else(|| Kit::of_drums(&part));
    let chart = Chart::new(&part, kit.with_unknown(&part));
    Song { tempo: TempoMap::new(ppq, []), metre: MetreMap::new(ppq, []), part, chart }
}

impl Song {
    fn play(&self, passes: Value) -> Performance {
        let recipe = Recipe::from_value(json!({ "passes": passes })).unwrap();
        perform(&self.part, &self.chart, &recipe, &Context::new(&self.tempo, &self.metre))
    }

    fn rules(&self, performance: &Performance) -> Vec<Rule> {
        let context = Context::new(&self.tempo, &self.metre);
        let found = findings(&self.part, &self.chart, &context, performance, &Thresholds::default());
        found.into_iter().map(|one| one.rule).collect()
    }
}

/// So many ms at 120 bpm.
fn ms(value: f64) -> f64 {
    value * PPQ * 2.0 / 1000.0
}

/// Two bars: snare on 2 and 4, ride in 8ths, a shaker in 16ths beside them or not.
fn ride_and(shaker: bool) -> Song {
    let mut hits = Vec::new();
    for sixteenth in 0..32 {
        let at = f64::from(sixteenth) * 240.0;
        if sixteenth % 2 == 0 {
            hits.push((at, 51, 90));
        }
        if sixteenth % 8 == 4 {
            hits.push((at, 38, 110));
        }
        if shaker {
            hits.push((at, 70, 80));
        }
    }
    song(&hits, None)
}

#[test]
fn a1_hand_percussion_beside_a_kit_takes_none_of_the_drummers_hands() {
    let ghosts = json!([{"id": 1, "aim": {"instruments": ["snare"]},
        "action": {"kind": "ghosts", "odds": 100, "slots": [-2, 2]}}]);
    let [alone, beside] = [false, true].map(|shaker| ride_and(shaker).play(ghosts.clone()).made.len());
    assert!(alone > 0);
    assert_eq!(beside, alone);
    // And a shaker by itself is played by somebody's hands.
    let hits: Vec<_> = (0..16).map(|n| (f64::from(n) * 240.0, 70, 80)).collect();
    let flams = json!([{"id": 1, "action": {"kind": "flam"}}]);
    assert_eq!(song(&hits, None).play(flams).made.len(), 15, "the first one begins the song");
}

#[test]
fn a2_grace_notes_are_the_other_hands() {
    let kit: Value = serde_json::from_str(include_str!("../../../docs/formats/kits/large.kit.json")).unwrap();
    let kit = KitFile::parse(&kit.to_string()).unwrap().kit;
    for (main, grace) in [(27, 26), (26, 27), (29, 28), (31, 30)] {
        let hits: Vec<_> = (0..8).map(|n| (960.0 + f64::from(n) * 960.0, main, 110)).collect();
        for kind in ["flam", "drag"] {
            let song = song(&hits, Some(kit.clone()));
            let played = song.play(json!([{"id": 1, "action": {"kind": kind}}]));
            let notes: Vec<u8> = played.made.iter().map(|made| made.played.note.get()).collect();
            assert_eq!(notes, vec![grace; if kind == "flam" { 8 } else { 16 }], "{kind} of {main}");
            assert!(!song.rules(&played).contains(&Rule::LimbTooFast), "{kind} of {main}");
            let rescue = json!([{"id": 1, "action": {"kind": kind}}, {"id": 2, "action": {"kind": "rescue"}}]);
            assert!(song.play(rescue).hits().all(|hit| hit.silenced.is_none()), "{kind} of {main}");
        }
    }
}

#[test]
fn a3_a_roll_keeps_what_lies_before_the_next_hit() {
    let roll = |cells: f64, over: &str, length: &str| {
        let song = song(&[(0.0, 38, 100), (cells * 120.0, 38, 100)], None);
        let action = json!({"kind": "roll", "cut": "grid", "grid": "1/32", "over": over, "length": length});
        let aim = json!({"velocity": {"from": 100, "to": 100}, "bars": [{"from": 1, "to": 1}]});
        let played = song.play(json!([{"id": 1, "aim": aim, "action": action}]));
        let parent = |made: &&MadeHit| made.parent == Some(HitId::new(0));
        let ticks: Vec<f64> = played.made.iter().filter(parent).map(|made| made.played.tick.0).collect();
        (ticks, played.passes[0].clone())
    };
    // A 32nd is 120 ticks, or 62.5 ms: at 3.4 cells the third stroke is 25 ms before the next hit, and stays.
    assert_eq!(roll(3.4, "next", "1/8").0, [120.0, 240.0, 360.0]);
    assert_eq!(roll(4.0, "next", "1/8").0, [120.0, 240.0, 360.0]);
    assert_eq!(roll(3.4, "length", "1/4").0, [120.0, 240.0, 360.0]);
    // What is nearer than 5 ms is on top of the next hit.
    assert_eq!(roll(3.1, "next", "1/8").0, [120.0, 240.0, 360.0]);
    assert_eq!(roll(3.05, "next", "1/8").0, [120.0, 240.0]);
    // Beyond 64 strokes it says so.
    let (ticks, report) = roll(100.0, "next", "1/8");
    assert_eq!(ticks.len(), 63);
    let said = serde_json::to_string(&report).unwrap();
    assert!(said.contains("36 left out") && said.contains("64 strokes"), "{said}");
}

#[test]
fn a5_rescue_gives_up_no_more_than_it_must() {
    let left = |note: u8, gap: f64, count: u32, settings: Value| {
        let hits: Vec<_> = (0..count).map(|n| ((f64::from(n) * ms(gap)).round(), note, 100)).collect();
        let mut action = json!({"kind": "rescue"});
        action.as_object_mut().unwrap().extend(settings.as_object().unwrap().clone());
        let played = song(&hits, None).play(json!([{"id": 1, "action": action}]));
        played.sounding().count()
    };
    // A foot plays again after 90 ms: 0, 44, 132, 176, 264 and 308 can be played by two.
    assert_eq!(left(36, 44.0, 9, json!({})), 6);
    // A hand after 40 ms: 0, 19, 57, 76, 114, 133.
    assert_eq!(left(38, 19.0, 9, json!({})), 6);
    assert_eq!(left(36, 45.1, 9, json!({})), 9);
    // A ghost gives way to a stroke all the same, a hat to a snare.
    let played = song(&[(0.0, 38, 30), (0.0, 49, 110), (4.0, 45, 100)], None)
        .play(json!([{"id": 1, "action": {"kind": "rescue"}}]));
    let silent: Vec<u8> = played.hits().filter(|hit| hit.silenced.is_some()).map(|hit| hit.note.get()).collect();
    assert_eq!(silent, [45]);
    // The left foot comes from the kick to the pedal no sooner than to the kick again.
    let feet =
        [(0.0, 36, 100), (ms(40.0), 36, 100), (ms(110.0), 44, 100)].map(|(at, note, v)| (f64::round(at), note, v));
    let played = song(&feet, None).play(json!([{"id": 1, "action": {"kind": "rescue"}}]));
    assert_eq!(played.sounding().count(), 2);
}

#[test]
fn a6_slots_of_several_bars_have_one_number_each() {
    let ppq = Ppq::new(960).unwrap();
    let bars = [(0.0, (4, 4)), (3840.0, (7, 8))].map(|(at, (n, d))| (Ticks(at), Metre::new(n, d).unwrap()));
    let metre = MetreMap::new(ppq, bars);
    let hits: Vec<_> = (0..15).map(|eighth| (f64::from(eighth) * 480.0, 42, 100)).collect();
    let song = Song { metre, ..song(&hits, None) };
    for slot in 1..=15u32 {
        let positions = json!({"grid": "1/8", "slots": [slot], "bars": 2});
        let level = json!([{"id": 1, "aim": {"positions": positions}, "action": {"kind": "level", "by": -9}}]);
        let played = song.play(level);
        let touched: Vec<usize> = (0..15).filter(|&at| played.written[at].velocity.get() == 91).collect();
        assert_eq!(touched, [slot as usize - 1], "slot {slot}");
        // Accents count alike.
        let pattern: Vec<i32> = (1..=15).map(|one| if one == slot { -9 } else { 0 }).collect();
        let accents = json!([{"id": 1, "action": {"kind": "accents", "grid": "1/8", "bars": 2, "pattern": pattern}}]);
        assert_eq!(song.play(accents).written, played.written, "slot {slot}");
    }
    // So do the slots that are offered: the downbeat of bar 2 is slot 9.
    let offered = Slots::of(&song.metre, 1, "1/8".parse().unwrap(), 2);
    assert_eq!(offered.slots.len(), 15);
    let downbeats = offered.choices.iter().find(|choice| choice.name == "downbeats").unwrap();
    assert_eq!(downbeats.slots, [1, 9]);
    assert_eq!(offered, Slots::of(&song.metre, 2, "1/8".parse().unwrap(), 2));
}

#[test]
fn a12_what_is_unknown_is_not_0() {
    // A crash that comes in bars of 7/8 alone, 10 ms late, beside a snare in 4/4.
    let ppq = Ppq::new(960).unwrap();
    let bars = [(0.0, (4, 4)), (3840.0, (7, 8))].map(|(at, (n, d))| (Ticks(at), Metre::new(n, d).unwrap()));
    let hits = [(960.0, 38, 100), (2880.0, 38, 100), (3840.0 + ms(10.0), 49, 100), (7200.0 + ms(10.0), 49, 100)];
    let hits = hits.map(|(at, note, velocity)| (f64::round(at), note, velocity));
    let song = Song { metre: MetreMap::new(ppq, bars), ..song(&hits, None) };
    let performance = song.play(json!([]));
    let study = Study::of(&song.part, &song.chart, &Context::new(&song.tempo, &song.metre), &performance);
    let apart = study.apart(&study);
    let crash = apart.iter().find(|one| one.instrument == InstrumentId::new("crash-1")).unwrap();
    assert!(crash.late.iter().all(|late| late.is_some_and(|ms| (ms - 10.0).abs() < 0.3)), "{crash:?}");
    assert_eq!(crash.timing, None, "its bars are none of those that are laid over one another");
    // What the other part does not have is not 0 ms late there.
    let empty = Study::of(
        &Part::new(Vec::new()),
        &song.chart,
        &Context::new(&song.tempo, &song.metre),
        &Performance::default(),
    );
    assert_eq!(study.apart(&empty)[0].late[1], None);
}

#[test]
fn a13_a_flams_ms_are_those_that_pass() {
    // 120 bpm up to the hit, 240 from it on.
    let hits = [(0.0, 38, 100), (3840.0, 38, 100)];
    let tempo = TempoMap::new(Ppq::new(960).unwrap(), [(Ticks(0.0), 500_000), (Ticks(3840.0), 250_000)]);
    let song = Song { tempo, ..song(&hits, None) };
    let played = song.play(json!([{"id": 1, "action": {"kind": "flam", "before": 30}}]));
    let grace = played.made.iter().find(|made| made.parent == Some(HitId::new(1))).unwrap();
    let seconds = |tick: Ticks| song.tempo.seconds(tick);
    let before = 1000.0 * (seconds(Ticks(3840.0)) - seconds(grace.played.tick));
    assert!((before - 30.0).abs() < 0.3, "{before} ms");
}

#[test]
fn a4_swaps_reach_every_drum_of_the_kit_and_every_note() {
    let kicks: Vec<_> = (0..8).map(|n| (f64::from(n) * 960.0, 36, 100)).collect();
    let song = song(&kicks, None);
    let notes = |swap: Value| -> Vec<u8> {
        let played = song.play(json!([{"id": 1, "action": swap}]));
        assert!(played.hits().all(|hit| song.chart.instrument_of(hit.note, hit.channel).is_some()));
        played.hits().map(|hit| hit.note.get()).collect()
    };
    assert_eq!(notes(json!({"kind": "swap", "to": "instrument", "instrument": "ride-1"})), [51; 8]);
    assert_eq!(notes(json!({"kind": "swap", "to": "keys", "keys": 2})), [38; 8]);
    // 36 − 12 is no drum of General MIDI: it is an instrument of its own, which later passes find.
    let transposed = json!({"kind": "swap", "to": "keys", "keys": -12});
    assert_eq!(notes(transposed.clone()), [24; 8]);
    assert_eq!(notes(json!({"kind": "recolour", "ways": [{"keys": -12, "odds": 100}]})), [24; 8]);
    let softer = json!({"id": 2, "aim": {"instruments": ["note-24"]}, "action": {"kind": "level", "by": -30}});
    let played = song.play(json!([{"id": 1, "action": transposed}, softer]));
    assert!(played.hits().all(|hit| hit.velocity.get() == 70));
    // There are no notes beyond 0 and 127.
    assert_eq!(notes(json!({"kind": "swap", "to": "keys", "keys": -48})), [36; 8]);
    let said = song.play(json!([{"id": 1, "action": {"kind": "swap", "to": "keys", "keys": -48}}])).passes[0].clone();
    assert!(said.said.unwrap().contains("8 left out: there is no such note"));
}

#[test]
fn b16_a_tonal_part_keeps_its_row_in_every_key() {
    let tones: Vec<_> = (0..8).map(|n| (f64::from(n) * 960.0, 60, 100)).collect();
    let part = song(&tones, None).part;
    let song = song(&tones, Some(Kit::of_tones("Keys", &part)));
    let played = song.play(json!([{"id": 1, "action": {"kind": "swap", "to": "keys", "keys": 7}}]));
    assert!(
        played.hits().all(|hit| hit.note.get() == 67 && song.chart.instrument_of(hit.note, hit.channel) == Some(0))
    );
    let context = Context::new(&song.tempo, &song.metre);
    let reading = Measured::played(&song.part, &song.chart, &context, &played);
    assert_eq!(reading.instruments[0].figures.count, 8);
}

#[test]
fn a9_what_a_sampler_lacks_plays_nothing_of_it_and_says_so() {
    let mut sampler = Kit::general_midi();
    sampler.instruments.retain(|one| one.family != Family::Crash);
    for one in &mut sampler.instruments {
        for way in one.articulations.iter_mut().filter(|way| way.note.get() == 63) {
            (way.note, way.note_out) = (Note::new(49).unwrap(), None);
        }
    }
    sampler.name = "No crash".to_owned();
    let part = song(&[(0.0, 49, 100), (960.0, 36, 100), (1920.0, 99, 100)], None).part;
    let (bridge, said) = Kit::general_midi().sent_to(&sampler, &part);
    let found = bridge.lookup().stroke(Note::new(49).unwrap(), Channel::PERCUSSION).unwrap();
    let out = bridge.stroke(found).1.note_out.unwrap();
    let plays = |note: Note| sampler.instruments.iter().flat_map(|one| &one.articulations).any(|way| way.note == note);
    assert!(!plays(out), "{out:?}");
    assert!(said.iter().any(|one| one.starts_with("Crash: nothing there is like it, and its note plays")), "{said:?}");
}

#[test]
fn a13_a_rides_skips_are_no_triplets() {
    // Beats played a little off, skips at 0.715 of the beat: nearer to the 16th than to the triplet.
    let ride = (0..64).flat_map(|beat| {
        let at = f64::from(beat) * 960.0 + f64::from(beat * 7 % 11) * 5.0;
        let skip = (beat % 2 == 1).then_some((at + 0.715 * 960.0, 51, 70));
        [Some((at, 51, 90)), skip].into_iter().flatten()
    });
    let song = song(&ride.collect::<Vec<_>>(), None);
    assert_eq!(song.chart.meant(&song.part, &song.metre, &song.tempo).grid.to_string(), "1/16");
}

#[test]
fn a14_a_machine_exact_swung_part_is_on_grid() {
    for (grid, swing, said) in
        [("1/8", 58.0, "exactly on swung 8ths, 58 %"), ("1/16", 62.0, "exactly on swung 16ths, 62.1 %")]
    {
        let cell = if grid == "1/8" { 480.0 } else { 240.0 };
        let hits = (0..64).map(|n| {
            let late = if n % 2 == 1 { 2.0 * cell * (swing / 100.0 - 0.5) } else { 0.0 };
            ((f64::from(n) * cell + late).round(), 42, 100)
        });
        let song = song(&hits.collect::<Vec<_>>(), None);
        let context = Context::new(&song.tempo, &song.metre);
        let (recipe, thresholds) = (Recipe::default(), Thresholds::default());
        let all = findings(&song.part, &song.chart, &context, &song.play(json!([])), &thresholds);
        let on_grid = all.iter().find(|one| one.rule == Rule::OnGrid).unwrap();
        assert!(on_grid.said.contains(said), "{}", on_grid.said);
        let rehearsal = Rehearsal::of(&song.part, &song.chart, &recipe, &context);
        assert_eq!(cures(&rehearsal, &recipe, &context, &thresholds, &all, on_grid).len(), 2);
    }
}
