//! What people come to do with hands: worked examples on a small beat, 120 bpm, 960 ppq.

use serde_json::{Value, json};
use std::collections::BTreeSet;
use vivida_core::*;

const HAT: u8 = 42;
const SNARE: u8 = 38;
const KICK: u8 = 36;

struct Beat {
    tempo: TempoMap,
    metre: MetreMap,
    part: Part,
    chart: Chart,
}

fn beat(hits: &[(f64, u8, u8)]) -> Beat {
    let ppq = Ppq::new(960).unwrap();
    let hit = |(id, &(tick, note, velocity)): (u32, &(f64, u8, u8))| Hit {
        id: HitId::new(id),
        tick: Ticks(tick),
        length: Ticks(120.0),
        velocity: Velocity::new(velocity).unwrap(),
        release: 64,
        note: Note::new(note).unwrap(),
        channel: Channel::PERCUSSION,
    };
    let part = Part::new((0..).zip(hits).map(hit).collect());
    let chart = Chart::new(&part, Kit::of_drums(&part));
    Beat { tempo: TempoMap::new(ppq, []), metre: MetreMap::new(ppq, []), part, chart }
}

/// Hats in 8ths, snare on 2 and 4, kick on 1, 2e and 3: so many bars.
fn rock(bars: u32) -> Beat {
    let bar = |bar: u32| {
        let start = f64::from(bar) * 3840.0;
        let hats = (0..8).map(move |eighth| (start + f64::from(eighth) * 480.0, HAT, 90));
        let snares = [960.0, 2880.0].map(move |at| (start + at, SNARE, 110));
        let kicks = [0.0, 1200.0, 1920.0].map(move |at| (start + at, KICK, 100));
        hats.chain(snares).chain(kicks).collect::<Vec<_>>()
    };
    beat(&(0..bars).flat_map(bar).collect::<Vec<_>>())
}

impl Beat {
    fn context(&self) -> Context<'_> {
        Context::new(&self.tempo, &self.metre)
    }

    fn play(&self, passes: Value) -> Performance {
        self.round(passes, 0)
    }

    fn round(&self, passes: Value, round: u32) -> Performance {
        let recipe = Recipe::from_value(json!({ "passes": passes })).unwrap();
        perform(&self.part, &self.chart, &recipe, &Context { round, ..self.context() })
    }
}

fn made(played: &Performance) -> Vec<(f64, u8)> {
    let mut made: Vec<_> = played.made.iter().map(|one| (one.played.tick.0, one.played.velocity.get())).collect();
    made.sort_by(|a, b| a.0.total_cmp(&b.0));
    made
}

fn backbeats() -> Value {
    json!({"instruments": ["snare"], "positions": {"grid": "1/16", "slots": [5, 13]}})
}

/// Ghost notes a 16th before and after the backbeat, soft, in two places out of three, the kick's places free; one
/// taken out by hand; another variation.
#[test]
fn ghosts_around_the_backbeat() {
    let beat = rock(32);
    let ghosts = json!({"id": 1, "aim": backbeats(), "action": {"kind": "ghosts", "slots": [-1, 1], "odds": 67, "from": 18, "to": 38}});
    let played = beat.play(json!([ghosts]));
    // 4 places a bar; the one behind 2 is the kick's.
    let three = played.made.len();
    assert!((48..80).contains(&three), "{three} of 96 places");
    for one in &played.made {
        let sixteenth = (one.anchor.0 / 240.0) as i64 % 16;
        assert!([3, 11, 13].contains(&sixteenth), "{sixteenth}");
        assert!((18..=38).contains(&one.played.velocity.get()) && one.played.note.get() == SNARE);
    }
    assert!(
        played.passes[0].said.as_ref().unwrap().contains("their places are left free"),
        "{:?}",
        played.passes[0].said
    );
    let out = json!({"id": 2, "action": {"kind": "by-hand", "removed": [played.made[3].played.id.get()]}});
    assert_eq!(beat.play(json!([ghosts, out])).sounding().count(), played.sounding().count() - 1);
    let recipe = Recipe::from_value(json!({"passes": [ghosts]})).unwrap();
    let other = perform(&beat.part, &beat.chart, &recipe, &Context { variation: 2, ..beat.context() });
    assert_ne!(made(&other), made(&played));
    // Where the backbeats are rimshots the ghosts are still played on the head.
    let rim = json!({"id": 3, "aim": backbeats(), "action": {"kind": "swap", "stroke": "side stick"}});
    let struck = beat.play(json!([rim, ghosts]));
    assert!(struck.made.len() == three && struck.made.iter().all(|one| one.played.note.get() == SNARE));
    assert!(struck.written.iter().any(|hit| hit.note.get() == 37));
}

/// Ghosts are where the swung 16ths are, and late where everything is late.
#[test]
fn ghosts_go_with_the_feel() {
    let sixteenths: Vec<_> =
        (0..32).map(|step| (f64::from(step) * 240.0, HAT, 80)).chain([(960.0, SNARE, 110)]).collect();
    let beat = beat(&sixteenths);
    let swing = json!({"id": 1, "action": {"kind": "swing", "grid": "1/16", "to": 60}});
    let late = json!({"id": 2, "action": {"kind": "lean", "by": 10}});
    let ghosts = json!({"id": 3, "aim": {"instruments": ["snare"]}, "action": {"kind": "ghosts", "slots": [1], "odds": 100, "free": "none"}});
    let played = beat.play(json!([swing, late, ghosts]));
    // The e of 2 swings from 1200 to 1248; 10 ms are 19.2 ticks.
    assert_eq!(made(&played)[0].0, 1267.0);
}

/// A hit cut into a roll: even strokes that rise; into the downbeat; up to the next hit; what does not fit is said.
#[test]
fn a_hit_becomes_a_roll() {
    let beat = beat(&[(960.0, SNARE, 100), (1920.0, SNARE, 100)]);
    let roll = |settings: Value| {
        let mut action = json!({"kind": "roll"});
        action.as_object_mut().unwrap().extend(settings.as_object().unwrap().clone());
        let aim = json!({"picked": [0]});
        beat.play(json!([{"id": 1, "aim": aim, "action": action}]))
    };
    let six = roll(json!({"strokes": 6, "length": "1/4", "from": 50, "to": 90}));
    assert_eq!(made(&six), [(1120.0, 50), (1280.0, 60), (1440.0, 70), (1600.0, 80), (1760.0, 90)]);
    assert_eq!(six.written[0].length, Ticks(120.0));
    let into = roll(json!({"strokes": 4, "length": "1/8", "from": 40, "to": 80, "main": "last"}));
    assert_eq!(made(&into), [(600.0, 40), (720.0, 60), (840.0, 80)]);
    let grid = roll(json!({"cut": "grid", "grid": "1/16 triplet", "over": "next", "from": 60, "to": 60}));
    assert_eq!(made(&grid).iter().map(|one| one.0).collect::<Vec<_>>(), [1120.0, 1280.0, 1440.0, 1600.0, 1760.0]);
    let long = roll(json!({"strokes": 4, "length": "1/2"}));
    assert_eq!((made(&long).len(), long.passes[0].left_out), (1, 2));
    assert_eq!(long.passes[0].said.as_deref(), Some("2 left out: the next hit comes first."));
}

#[test]
fn grace_notes_come_closer_where_there_is_no_room() {
    let beat = beat(&[(960.0, SNARE, 100), (1020.0, SNARE, 100)]);
    let grace = |kind: &str, before: f64| {
        beat.play(json!([{"id": 1, "action": {"kind": kind, "before": before, "share": 50}}]))
    };
    // 30 ms are 57.6 ticks; the second hit has half of its 60 ticks.
    assert_eq!(made(&grace("flam", 30.0)), [(902.0, 50), (990.0, 50)]);
    assert_eq!(made(&grace("drag", 40.0)), [(883.0, 50), (922.0, 50), (990.0, 50), (1005.0, 50)]);
    let first = self::beat(&[(20.0, SNARE, 100)]);
    let flam = first.play(json!([{"id": 1, "action": {"kind": "flam", "before": 30}}]));
    assert_eq!(flam.passes[0].said.as_deref(), Some("1 left out: the song begins later."));
}

/// Two feet: every other kick of a run is a little softer and later.
#[test]
fn a_run_of_kicks_becomes_two_feet() {
    let run: Vec<_> = (0..8).map(|step| (960.0 + f64::from(step) * 240.0, KICK, 100)).collect();
    let action = json!({"kind": "sticking", "softer": 6, "late": 3, "across": "apart"});
    let played = beat(&run).play(json!([{"id": 1, "aim": {"instruments": ["kick"]}, "action": action}]));
    let velocities: Vec<u8> = played.written.iter().map(|hit| hit.velocity.get()).collect();
    assert_eq!(velocities, [100, 94, 100, 94, 100, 94, 100, 94]);
    assert_eq!(played.written[1].tick, Ticks(1206.0));
    assert_eq!((played.written[0].hand, played.written[1].hand), (Some(Side::Right), Some(Side::Left)));
}

/// A hat that sounds in 70 % of the rounds, with another velocity each time; the rest is the same in all of them.
#[test]
fn rounds_differ_where_they_are_asked_to() {
    let beat = rock(4);
    let aim = json!({"instruments": ["closed-hat"], "positions": {"grid": "1/8", "slots": [4]}});
    let passes = json!([
        {"id": 1, "fresh": true, "aim": aim, "action": {"kind": "odds", "sounds": 70}},
        {"id": 2, "fresh": true, "aim": aim, "action": {"kind": "vary", "by": 20}},
        {"id": 3, "aim": {"instruments": ["snare"]}, "action": {"kind": "vary", "by": 20}},
    ]);
    let rounds: Vec<Performance> = (0..50).map(|round| beat.round(passes.clone(), round)).collect();
    let is_chosen = |hit: &PlayedHit| hit.note.get() == HAT && (hit.tick.0 / 480.0) as i64 % 8 == 3;
    let sounding: usize = rounds.iter().map(|round| round.sounding().filter(|hit| is_chosen(hit)).count()).sum();
    assert!((120..160).contains(&sounding), "{sounding} of 200");
    let others = |round: &Performance| round.hits().filter(|hit| !is_chosen(hit)).copied().collect::<Vec<_>>();
    assert!(rounds.iter().all(|round| others(round) == others(&rounds[0])));
    assert!(rounds.windows(2).filter(|two| two[0] == two[1]).count() < 3);
}

#[test]
fn too_many_made_hits_are_refused_with_their_number() {
    let many: Vec<_> = (0..20_000).map(|step| (f64::from(step) * 480.0, SNARE, 100)).collect();
    let beat = beat(&many);
    let played = beat.play(json!([{"id": 1, "action": {"kind": "roll", "strokes": 64, "length": "1/8"}}]));
    assert!(played.made.is_empty());
    assert!(
        played.passes[0].said.as_ref().unwrap().contains("1280000 hits, more than 200000"),
        "{:?}",
        played.passes[0].said
    );
}

#[test]
fn a_run_around_the_kit_speaks_where_the_hands_move_on() {
    // Sixteen strokes, four on each of snare, high tom, low mid tom and low floor tom.
    let drums = [SNARE, 50, 47, 41];
    let beat = beat(&(0..16).map(|n| (f64::from(n) * 240.0, drums[n as usize / 4], 80)).collect::<Vec<_>>());
    let run = json!({"place": "first", "gap": 200});
    let played = beat.play(json!([{"id": 1, "aim": {"run": run}, "action": {"kind": "level", "by": 20}}]));
    let louder: Vec<usize> = (0..16).filter(|&n| played.written[n].velocity.get() == 100).collect();
    assert_eq!(louder, [0, 4, 8, 12]);
}

#[test]
fn a_sampler_with_hands_gets_the_other_side_of_a_fill() {
    // A fill on the snare, in General MIDI, for a sampler with a stroke of each hand.
    let fill: Vec<(f64, u8, u8)> = (0..8).map(|n| (f64::from(n) * 240.0, SNARE, 100)).collect();
    let mut beat = beat(&fill);
    let sampler = Kit::own().swap_remove(1);
    let (bridge, said) = Kit::general_midi().sent_to(&sampler, &beat.part);
    assert!(said.is_empty(), "{said:?}");
    beat.chart = Chart::new(&beat.part, bridge);
    let played = beat.play(json!([{"id": 1, "aim": {"instruments": ["snare"]}, "action": {"kind": "sticking"}}]));
    let sent = played.sent(&beat.chart);
    let centre: Vec<u8> = sampler.find(&InstrumentId::new("snare")).unwrap().1.articulations[..2]
        .iter()
        .map(|way| way.note.get())
        .collect();
    let notes: BTreeSet<u8> = sent.hits().map(|hit| hit.note.get()).collect();
    assert_eq!(notes, centre.into_iter().collect::<BTreeSet<u8>>());
}

/// Backbeats become rimshots and a little harder, a fill goes to the edge, offbeat hats from shoulder to tip.
#[test]
fn strokes_are_changed_where_they_are_aimed_at() {
    let large = Kit::own().into_iter().find(|kit| kit.name.starts_with("Large")).expect("a large kit");
    let note = |instrument: &str, stroke: &str| {
        let one = large.find(&InstrumentId::new(instrument)).expect(instrument).1;
        one.articulations.iter().find(|way| way.name == stroke).expect(stroke).note.get()
    };
    let (centre, rimshot, edge) = (note("snare", "centre"), note("snare", "rimshot"), note("snare", "edge"));
    let (tip, shoulder) = (note("closed-hat", "tip"), note("closed-hat", "shoulder"));
    let bar = |bar: u32| {
        let start = f64::from(bar) * 3840.0;
        let hats = (0..8).map(move |eighth| (start + f64::from(eighth) * 480.0, shoulder, 90));
        hats.chain([960.0, 2880.0].map(move |at| (start + at, centre, 100))).collect::<Vec<_>>()
    };
    let fill = (4..8).map(|step| (3.0 * 3840.0 + 1920.0 + f64::from(step) * 240.0, centre, 96));
    let mut beat = beat(&(0..4).flat_map(bar).chain(fill).collect::<Vec<_>>());
    beat.chart = Chart::new(&beat.part, large.clone());
    let swap = |stroke: &str| json!({"kind": "swap", "stroke": stroke});
    let offbeats = json!({"instruments": ["closed-hat"], "positions": {"grid": "1/8", "slots": [2, 4, 6, 8]}});
    let rest_of_the_fill =
        json!({"instruments": ["snare"], "bars": [{"from": 4, "to": 4}], "velocity": {"from": 1, "to": 96}});
    let played = beat.play(json!([
        {"id": 1, "aim": backbeats(), "action": swap("rimshot")},
        {"id": 2, "aim": backbeats(), "action": {"kind": "level", "by": 8}},
        {"id": 3, "aim": rest_of_the_fill, "action": swap("edge")},
        {"id": 4, "aim": offbeats, "action": swap("tip")},
    ]));
    let count = |note: u8, velocity: u8| {
        played.written.iter().filter(|hit| hit.note.get() == note && hit.velocity.get() == velocity).count()
    };
    // The last backbeat falls together with a stroke of the fill and is one more.
    assert_eq!((count(rimshot, 108), count(tip, 90), count(shoulder, 90)), (8, 16, 16));
    assert_eq!(count(edge, 96) + count(edge, 104) + count(rimshot, 104), 4);
}

/// A busy hat line: a triplet on one 8th, a burst of 32nds on another, each rising, each a pass, then moved about.
#[test]
fn a_hat_line_gets_figures_of_its_own() {
    let beat = rock(4);
    let figure = |id: u32, slot: u32, strokes: u32| {
        json!({"id": id, "aim": {"instruments": ["closed-hat"], "positions": {"grid": "1/8", "slots": [slot], "bars": 2}},
            "action": {"kind": "roll", "strokes": strokes, "over": "length", "length": "1/8", "from": 50, "to": 110}})
    };
    let played = beat.play(json!([figure(1, 4, 3), figure(2, 15, 4)]));
    assert_eq!(played.passes.iter().map(|pass| pass.added).collect::<Vec<_>>(), [4, 6]);
    let ticks: Vec<f64> = made(&played).iter().map(|one| one.0).take(5).collect();
    assert_eq!(ticks, [1600.0, 1760.0, 6840.0, 6960.0, 7080.0]);
    let burst: Vec<u8> = made(&played).iter().map(|one| one.1).skip(2).take(3).collect();
    assert!(burst.windows(2).all(|pair| pair[0] < pair[1]), "{burst:?}");
    // Moved on by an 8th the figure stays what it was.
    let moved = made(&beat.play(json!([figure(1, 5, 3), figure(2, 15, 4)])));
    assert_eq!((moved[0].0, moved[1].0, moved.len()), (2080.0, 2240.0, 10));
}

/// A shaker goes between two neighbouring sounds at random, never one of them three times running.
#[test]
fn a_shaker_is_two_sounds() {
    let shaker: Vec<_> = (0..64).map(|step| (f64::from(step) * 240.0, 69, 80)).collect();
    let ways = json!([{"keys": 0, "odds": 50}, {"keys": 1, "odds": 50}]);
    let played = beat(&shaker).play(json!([{"id": 1, "action": {"kind": "recolour", "ways": ways, "running": 2}}]));
    let notes: Vec<u8> = played.written.iter().map(|hit| hit.note.get()).collect();
    assert!(notes.windows(3).all(|three| three.iter().any(|note| *note != three[0])), "{notes:?}");
    let second = notes.iter().filter(|note| **note == 70).count();
    assert!((24..=40).contains(&second) && notes.iter().all(|note| [69, 70].contains(note)), "{notes:?}");
}

/// What a pass silenced is called back by hand, behind it, and taken out again.
#[test]
fn silenced_hits_are_called_back_one_by_one() {
    let beat = rock(4);
    let silence = json!({"id": 1, "aim": {"instruments": ["closed-hat"], "run": {"place": "even", "gap": 600}}, "action": {"kind": "silence"}});
    let recipe = Recipe::from_value(json!({ "passes": [silence] })).unwrap();
    let context = beat.context();
    let played = perform(&beat.part, &beat.chart, &recipe, &context);
    assert_eq!(played.passes[0].silenced, 16);
    let first = played.written.iter().find(|hit| hit.silenced.is_some()).unwrap().id;
    let bench = Bench::new(&beat.part, &beat.chart, &context);
    let gesture = |kind: &str| serde_json::from_value::<Gesture>(json!({"kind": kind, "hits": [first]})).unwrap();
    let back = bench.after_all(&recipe, &[gesture("bring-back")]).unwrap();
    let now = perform(&beat.part, &beat.chart, &back, &context);
    assert_eq!(now.written.iter().filter(|hit| hit.silenced.is_some()).count(), 15);
    assert_eq!((now.passes[1].silenced, now.passes[1].touched), (0, 1));
    let out = Bench::new(&beat.part, &beat.chart, &context).after_all(&back, &[gesture("take-out")]).unwrap();
    let now = perform(&beat.part, &beat.chart, &out, &context);
    assert_eq!(now.written.iter().filter(|hit| hit.silenced.is_some()).count(), 16);
}
