//! Whom an aim means, condition by condition, on one bar that has something of everything.

use serde_json::{Value, json};
use vivida_core::*;

/// (16th, note, velocity, length in ticks, ticks late): a hat in 8ths with a run of 16ths at the
/// end, a snare with a ghost and a side stick, a kick; two bars at 120 bpm.
const HITS: [(u32, u8, u8, u32, i32); 17] = [
    (0, 42, 90, 100, 0),
    (2, 42, 60, 100, 0),
    (4, 42, 92, 100, 30),
    (6, 42, 62, 100, 0),
    (8, 42, 91, 100, -40),
    (12, 42, 70, 100, 0),
    (13, 42, 71, 100, 0),
    (14, 42, 72, 100, 0),
    (15, 42, 73, 100, 0),
    (0, 36, 110, 200, 4),
    (10, 36, 105, 200, 0),
    (4, 38, 112, 300, 0),
    (7, 38, 30, 40, 0),
    (12, 38, 114, 300, 8),
    (16, 37, 80, 100, 0),
    (18, 42, 88, 100, 0),
    (20, 38, 111, 300, 0),
];

struct Stand {
    part: Part,
    chart: Chart,
    tempo: TempoMap,
    metre: MetreMap,
    sections: Vec<Section>,
}

impl Stand {
    fn new() -> Stand {
        let hit = |(id, &(place, note, velocity, length, late)): (usize, &(u32, u8, u8, u32, i32))| Hit {
            id: HitId::new(id as u32),
            tick: Ticks(240.0 * f64::from(place) + f64::from(late)),
            length: Ticks(f64::from(length)),
            velocity: Velocity::new(velocity).unwrap(),
            release: 64,
            note: Note::new(note).unwrap(),
            channel: Channel::PERCUSSION,
        };
        let part = Part::new(HITS.iter().enumerate().map(hit).collect());
        let ppq = Ppq::new(960).unwrap();
        let section = |name: &str, bar| Section { name: name.to_owned(), from: bar, to: bar };
        Stand {
            chart: Chart::new(&part, Kit::of_drums(&part)),
            part,
            tempo: TempoMap::new(ppq, []),
            metre: MetreMap::new(ppq, []),
            sections: vec![section("Verse", 1), section("Fill", 2)],
        }
    }

    /// The ids of the hits that an aim means, ascending.
    fn meant_after(&self, before: &[Value], aim: Value) -> Vec<u32> {
        let mut passes: Vec<Value> = before.to_vec();
        passes.push(json!({"id": 99, "aim": aim, "action": {"kind": "level", "by": 1}}));
        let recipe = Recipe::from_value(json!({"passes": passes})).unwrap();
        let context = Context { sections: &self.sections, ..Context::new(&self.tempo, &self.metre) };
        let rows = aimed_by(&self.part, &self.chart, &recipe, &context, PassId(99));
        let mut ids: Vec<u32> = rows.iter().map(|id| id.get() as u32).collect();
        ids.sort_unstable();
        ids
    }

    fn meant(&self, aim: Value) -> Vec<u32> {
        self.meant_after(&[], aim)
    }
}

#[test]
fn instruments_and_ways_of_striking() {
    let stand = Stand::new();
    assert_eq!(stand.meant(json!({})).len(), HITS.len());
    assert_eq!(stand.meant(json!({"instruments": ["kick"]})), [9, 10]);
    assert_eq!(stand.meant(json!({"instruments": ["snare"]})), [11, 12, 13, 14, 16]);
    assert_eq!(stand.meant(json!({"instruments": ["snare"], "articulations": ["side stick"]})), [14]);
    assert_eq!(stand.meant(json!({"instruments": ["kick"], "articulations": ["side stick"]})), [0u32; 0]);
    assert_eq!(stand.meant(json!({"instruments": ["gong"]})), [0u32; 0]);
}

#[test]
fn bars_and_sections_add_to_one_another() {
    let stand = Stand::new();
    assert_eq!(stand.meant(json!({"bars": [{"from": 2, "to": 9}]})), [14, 15, 16]);
    assert_eq!(stand.meant(json!({"sections": ["Fill"]})), [14, 15, 16]);
    assert_eq!(stand.meant(json!({"sections": ["Verse"], "bars": [{"from": 2, "to": 2}]})).len(), HITS.len());
    assert_eq!(stand.meant(json!({"sections": ["Bridge"]})), [0u32; 0], "a section that is not there has no hits");
}

#[test]
fn positions_take_the_nearest_slot_within_the_tolerance() {
    let stand = Stand::new();
    let hats = |slots: Value, tolerance: u32| {
        let positions = json!({"grid": "1/16", "slots": slots, "tolerance": tolerance});
        stand.meant(json!({"instruments": ["closed-hat"], "positions": positions}))
    };
    assert_eq!(hats(json!([1, 5, 9, 13]), 50), [0, 2, 4, 5]);
    // 30 of 240 ticks are 12.5 % of a slot, 40 are 16.7 %.
    assert_eq!(hats(json!([1, 5, 9, 13]), 15), [0, 2, 5]);
    assert_eq!(hats(json!([1, 5, 9, 13]), 10), [0, 5]);
    assert_eq!(hats(json!([3]), 50), [1, 15], "in every bar");
    let two_bars = json!({"grid": "1/16", "slots": [19], "bars": 2});
    assert_eq!(stand.meant(json!({"positions": two_bars})), [15], "the third slot of every second bar");
    let quarters = json!({"grid": "1/4", "slots": [2, 4]});
    assert_eq!(stand.meant(json!({"instruments": ["snare"], "positions": quarters})), [11, 13, 16]);
}

#[test]
fn velocities_are_those_that_enter_and_lengths_those_written() {
    let stand = Stand::new();
    let soft = json!({"velocity": {"from": 1, "to": 62}});
    assert_eq!(stand.meant(soft.clone()), [1, 3, 12]);
    let lifted = json!({"id": 1, "aim": {"instruments": ["snare"]}, "action": {"kind": "level", "by": 40}});
    assert_eq!(stand.meant_after(&[lifted], soft), [1, 3], "the ghost is louder when it enters");
    // 120 bpm: 1.92 ticks a ms.
    assert_eq!(stand.meant(json!({"length": {"from": 0, "to": 25}})), [12]);
    assert_eq!(stand.meant(json!({"length": {"from": 150, "to": 160}})), [11, 13, 16]);
}

#[test]
fn speed_is_the_gap_to_the_one_before() {
    let stand = Stand::new();
    let hats = |speed: Value| stand.meant(json!({"instruments": ["closed-hat"], "speed": speed}));
    // A 16th is 125 ms, an 8th 250 ms.
    assert_eq!(hats(json!({"at_most": 130})), [6, 7, 8]);
    assert_eq!(hats(json!({"at_least": 300})), [0, 5, 15], "the first of all has an endless gap");
    assert_eq!(hats(json!({"value": "1/16"})), [6, 7, 8]);
    assert_eq!(hats(json!({"value": "1/8"})), [1, 2, 3, 4], "give or take a fifth");
    // The snare's left hand has nothing else to do; by limb and by instrument agree.
    let snares =
        |by_limb| stand.meant(json!({"instruments": ["snare"], "speed": {"at_most": 400, "by_limb": by_limb}}));
    assert_eq!(snares(false), snares(true));
}

#[test]
fn places_in_a_run() {
    let stand = Stand::new();
    let hats = |place: &str, every: u32| {
        let run = json!({"place": place, "every": every, "gap": 130});
        stand.meant(json!({"instruments": ["closed-hat"], "bars": [{"from": 1, "to": 1}], "run": run}))
    };
    // Runs with gaps up to 130 ms: each 8th by itself, then the four 16ths 5, 6, 7, 8.
    assert_eq!(hats("first", 2), [0, 1, 2, 3, 4, 5]);
    assert_eq!(hats("last", 2), [0, 1, 2, 3, 4, 8]);
    assert_eq!(hats("all-but-first", 2), [6, 7, 8]);
    assert_eq!(hats("odd", 2), [0, 1, 2, 3, 4, 5, 7]);
    assert_eq!(hats("even", 2), [6, 8]);
    assert_eq!(hats("every", 3), [7]);
    assert_eq!(hats("every", 4), [8]);
}

#[test]
fn together_with_others_and_not() {
    let stand = Stand::new();
    let near = |within: f64| json!({"instruments": ["kick", "snare"], "within": within});
    let hats =
        |condition: &str, within: f64| stand.meant(json!({"instruments": ["closed-hat"], condition: near(within)}));
    // The kick is 4 ticks (2 ms) late, a hat 30 ticks (15.6 ms).
    assert_eq!(hats("with", 5.0), [0, 5]);
    assert_eq!(hats("with", 20.0), [0, 2, 5]);
    assert_eq!(hats("without", 20.0), [1, 3, 4, 6, 7, 8, 15]);
    assert_eq!(
        stand.meant(json!({"instruments": ["kick"], "with": {"instruments": ["kick"], "within": 5}})),
        [0u32; 0],
        "nothing is together with itself"
    );
}

#[test]
fn what_falls_silent_is_neither_meant_nor_company() {
    let stand = Stand::new();
    let silent = json!({"id": 1, "action": {"kind": "by-hand", "removed": [9, 13]}});
    assert_eq!(stand.meant_after(std::slice::from_ref(&silent), json!({"instruments": ["kick"]})), [10]);
    let near = json!({"instruments": ["kick", "snare"], "within": 5});
    assert_eq!(stand.meant_after(&[silent], json!({"instruments": ["closed-hat"], "with": near})), [0u32; 0]);
}

#[test]
fn shares_picks_and_all_but_these() {
    let stand = Stand::new();
    assert_eq!(stand.meant(json!({"share": 0})), [0u32; 0]);
    assert_eq!(stand.meant(json!({"share": 100})).len(), HITS.len());
    let (some, more) = (stand.meant(json!({"share": 40})), stand.meant(json!({"share": 70})));
    assert!(some.iter().all(|id| more.contains(id)) && some.len() < more.len(), "a larger share keeps the smaller");
    assert_eq!(stand.meant(json!({"picked": [3, 11, 999]})), [3, 11]);
    assert_eq!(stand.meant(json!({"picked": []})), [0u32; 0]);
    let all_but = stand.meant(json!({"instruments": ["closed-hat"], "invert": true}));
    assert_eq!(all_but, [9, 10, 11, 12, 13, 14, 16]);
    // Where more is asked, the others are those of the same instruments and bars.
    let backbeat = json!({"grid": "1/16", "slots": [5, 13]});
    let others = json!({"instruments": ["snare"], "positions": backbeat, "invert": true});
    assert_eq!(stand.meant(others), [12, 14]);
    let in_bar = json!({"bars": [{"from": 2, "to": 2}], "positions": backbeat, "invert": true});
    assert_eq!(stand.meant(in_bar), [14, 15]);
    let ways = json!({"instruments": ["snare"], "articulations": ["side stick"], "invert": true});
    assert_eq!(stand.meant(ways), [11, 12, 13, 16]);
}

#[test]
fn wrong_conditions_are_named_by_their_path() {
    let path = |aim: Value| {
        let recipe = json!({"passes": [{"id": 1, "aim": aim, "action": {"kind": "level"}}]});
        Recipe::from_value(recipe).unwrap_err().path
    };
    let at = |field: &str| format!("passes[0].aim.{field}");
    assert_eq!(path(json!({"bars": [{"from": 3, "to": 1}]})), at("bars[0]"));
    assert_eq!(path(json!({"positions": {"grid": "1/3", "slots": []}})), at("positions.grid"));
    assert_eq!(path(json!({"positions": {"grid": "1/16", "slots": [0]}})), at("positions.slots[0]"));
    assert_eq!(path(json!({"positions": {"grid": "1/16", "slots": [], "bars": 5}})), at("positions.bars"));
    assert_eq!(path(json!({"positions": {"grid": "1/16", "slots": [], "tolerance": 51}})), at("positions.tolerance"));
    assert_eq!(path(json!({"velocity": {"from": 90, "to": 20}})), at("velocity"));
    assert_eq!(path(json!({"velocity": {"from": 0, "to": 20}})), at("velocity.from"));
    assert_eq!(path(json!({"length": {"from": 10, "to": 5}})), at("length.to"));
    assert_eq!(path(json!({"speed": {"at_most": -1}})), at("speed.at_most"));
    assert_eq!(path(json!({"run": {"place": "middle", "gap": 100}})), at("run.place"));
    assert_eq!(path(json!({"run": {"place": "every", "every": 1, "gap": 100}})), at("run.every"));
    assert_eq!(path(json!({"with": {"instruments": [], "within": 2000}})), at("with.within"));
    assert_eq!(path(json!({"share": 101})), at("share"));
    assert_eq!(path(json!({"picked": ["one"]})), at("picked[0]"));
}

/// Three chords and a note alone, on two channels.
fn chords() -> Stand {
    let notes = [(0.0, 60), (4.0, 64), (8.0, 67), (960.0, 72), (1920.0, 48), (1925.0, 55), (2880.0, 50), (2880.0, 50)];
    let hit = |(id, &(tick, note)): (usize, &(f64, u8))| Hit {
        id: HitId::new(id as u32),
        tick: Ticks(tick),
        length: Ticks(200.0),
        velocity: Velocity::new(90).unwrap(),
        release: 64,
        note: Note::new(note).unwrap(),
        channel: Channel::new((id % 2) as u8).unwrap(),
    };
    let part = Part::new(notes.iter().enumerate().map(hit).collect());
    Stand { chart: Chart::new(&part, Kit::of_tones("Keys", &part)), part, ..Stand::new() }
}

#[test]
fn notes_of_chords_from_the_top_down() {
    let stand = chords();
    let of = |place: &str| stand.meant(json!({"chord": place}));
    assert_eq!(of("top"), [2, 5]);
    assert_eq!(of("bottom"), [0, 4]);
    assert_eq!(of("inner"), [1, 6, 7], "two of one note are neither");
    assert_eq!(of("any"), [0, 1, 2, 4, 5, 6, 7]);
    let alone = stand.meant(json!({"chord": "any", "invert": true}));
    assert_eq!(alone, [3]);
}

#[test]
fn channels_and_hands() {
    let stand = chords();
    assert_eq!(stand.meant(json!({"channels": [1]})), [1, 3, 5, 7]);
    assert_eq!(stand.meant(json!({"hand": "left"})), [0; 0], "no pass has given them to hands");
    let sticking = json!({"id": 1, "action": {"kind": "sticking", "pattern": "alternate"}});
    let drums = Stand::new();
    let (left, right) = (json!({"hand": "left"}), json!({"hand": "right"}));
    let found = [left, right].map(|aim| drums.meant_after(std::slice::from_ref(&sticking), aim));
    assert!(!found[0].is_empty() && !found[1].is_empty());
    assert!(found[0].iter().all(|id| !found[1].contains(id)));
}
