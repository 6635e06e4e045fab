//! What a person does, turned into passes.

use proptest::collection::vec;
use proptest::prelude::*;
use serde_json::{Value, json};
use vivida_core::*;

struct Desk {
    part: Part,
    chart: Chart,
    tempo: TempoMap,
    metre: MetreMap,
}

impl Desk {
    /// Two bars: hats in 8ths, snare on 2 and 4, kick on 1 and 3 (by the map's second kick), all at 100.
    fn new() -> Desk {
        let mut hits = Vec::new();
        for step in 0..16u32 {
            let tick = 480.0 * f64::from(step);
            hits.push((tick, 42));
            if step % 4 == 2 {
                hits.push((tick, 38));
            }
            if step % 4 == 0 {
                hits.push((tick, 35));
            }
        }
        let hit = |(id, (tick, note)): (u32, (f64, u8))| Hit {
            id: HitId::new(id),
            tick: Ticks(tick),
            length: Ticks(60.0),
            velocity: Velocity::new(100).unwrap(),
            release: 64,
            note: Note::new(note).unwrap(),
            channel: Channel::PERCUSSION,
        };
        let part = Part::new((0..).zip(hits).map(hit).collect());
        let ppq = Ppq::new(960).unwrap();
        let chart = Chart::new(&part, Kit::of_drums(&part));
        Desk { part, chart, tempo: TempoMap::new(ppq, []), metre: MetreMap::new(ppq, []) }
    }

    fn after(&self, recipe: &Recipe, gesture: Value) -> Result<Recipe, FieldError> {
        let gesture: Gesture = serde_json::from_value(gesture).unwrap();
        let context = Context::new(&self.tempo, &self.metre);
        Bench::new(&self.part, &self.chart, &context).after(recipe, &gesture)
    }

    fn done(&self, gestures: &[Value]) -> Recipe {
        gestures.iter().fold(Recipe::default(), |recipe, gesture| self.after(&recipe, gesture.clone()).unwrap())
    }

    fn played(&self, recipe: &Recipe) -> Performance {
        perform(&self.part, &self.chart, recipe, &Context::new(&self.tempo, &self.metre))
    }

    fn hit(&self, recipe: &Recipe, id: u64) -> PlayedHit {
        *self.played(recipe).hits().find(|hit| hit.id.get() == id).unwrap()
    }
}

const FIRST: u64 = 1 << 30;

#[test]
fn hits_are_moved_by_velocity_ms_and_pointer() {
    let desk = Desk::new();
    let recipe = desk.done(&[
        json!({"kind": "move-hits", "hits": [2], "velocity": -20, "time": 10}),
        json!({"kind": "move-hits", "hits": [2], "ticks": 19.2, "at": 480}),
    ]);
    assert_eq!(recipe.passes.len(), 1, "one by-hand pass");
    let moved = desk.hit(&recipe, 2);
    // 10 ms and 19.2 ticks are 38.4 ticks at 120 bpm.
    assert_eq!((moved.velocity.get(), moved.tick), (80, Ticks(518.0)));
    let back = desk.after(&recipe, json!({"kind": "move-hits", "hits": [2], "velocity": 20, "time": -20})).unwrap();
    assert_eq!(desk.played(&back).written, desk.played(&Recipe::default()).written);
}

#[test]
fn a_velocity_is_set_whatever_the_passes_made_of_it() {
    let desk = Desk::new();
    let recipe = desk.done(&[
        json!({"kind": "add-passes", "passes": [{"id": 9, "action": {"kind": "level", "by": -30}}]}),
        json!({"kind": "set-hits", "hits": [0, 1], "velocity": 90}),
        json!({"kind": "set-hits", "hits": [0], "velocity": 33}),
    ]);
    assert_eq!([0, 1, 2].map(|id| desk.hit(&recipe, id).velocity.get()), [33, 90, 70]);
}

#[test]
fn another_instrument_is_played_by_the_parts_own_note() {
    let desk = Desk::new();
    let recipe = desk.done(&[json!({"kind": "put-on", "hits": [0], "instrument": "kick"})]);
    assert_eq!(desk.hit(&recipe, 0).note.get(), 35, "the part's kick, not the map's first");
    let added = json!({"kind": "add-hit", "instrument": "kick", "tick": 700, "velocity": 50, "snapped": true});
    let recipe = desk.done(&[added]);
    let hit = desk.hit(&recipe, FIRST);
    assert_eq!((hit.note.get(), hit.tick, hit.velocity.get()), (35, Ticks(720.0), 50), "on the part's grid");
}

#[test]
fn a_stroke_is_chosen_by_its_name_and_a_length_by_where_it_ends() {
    let desk = Desk::new();
    let note = |recipe: &Recipe, id| desk.hit(recipe, id).note.get();
    let recipe = desk.done(&[json!({"kind": "put-on", "hits": [0], "instrument": "snare", "stroke": "side stick"})]);
    assert_eq!(note(&recipe, 0), 37);
    let recipe = desk.after(&recipe, json!({"kind": "strike-by", "hits": [0], "stroke": "acoustic"})).unwrap();
    assert_eq!(note(&recipe, 0), 38);
    let lacking = json!({"kind": "strike-by", "hits": [0], "stroke": "bell"});
    assert_eq!(desk.after(&recipe, lacking).unwrap_err().path, "stroke");
    let lacking = json!({"kind": "put-on", "hits": [0], "instrument": "snare", "stroke": "bell"});
    assert_eq!(desk.after(&recipe, lacking).unwrap_err().path, "stroke");
    let stick = json!({"kind": "add-hit", "instrument": "snare", "tick": 700, "velocity": 50, "snapped": true, "stroke": "side stick"});
    assert_eq!(note(&desk.done(&[stick]), FIRST), 37);
    let higher = desk.after(&recipe, json!({"kind": "transpose", "hits": [0], "keys": 3})).unwrap();
    assert_eq!(note(&higher, 0), 41);
    let beyond = desk.after(&recipe, json!({"kind": "transpose", "hits": [0], "keys": 90})).unwrap();
    assert_eq!(note(&beyond, 0), 38, "there is no such note");
    let was = desk.hit(&recipe, 0).length.0;
    let longer = desk.after(&recipe, json!({"kind": "lengthen", "hits": [0], "ticks": 7})).unwrap();
    assert_eq!(desk.hit(&longer, 0).length, Ticks(was + 7.0));
    let none = desk.after(&longer, json!({"kind": "lengthen", "hits": [0], "ticks": -1e9})).unwrap();
    assert_eq!(desk.hit(&none, 0).length, Ticks(1.0));
}

#[test]
fn what_was_added_vanishes_and_what_was_written_stays_in_sight() {
    let desk = Desk::new();
    let add = json!({"kind": "add-hit", "instrument": "snare", "tick": 100, "velocity": 30, "snapped": false});
    let recipe = desk.done(&[add.clone(), json!({"kind": "take-out", "hits": [FIRST, 0]})]);
    let performance = desk.played(&recipe);
    assert!(performance.made.is_empty());
    assert!(performance.written[0].silenced.is_some());
    let back = desk.after(&recipe, json!({"kind": "bring-back", "hits": [0]})).unwrap();
    assert_eq!(desk.played(&back).written[0].silenced, None);

    // Added by an earlier pass that is not the one edits go to: silenced there, not lost.
    let mut recipe = desk.done(&[add]);
    recipe.passes[0].on = true;
    recipe.passes[0].aim = Aim::at("snare");
    let recipe = desk.after(&recipe, json!({"kind": "take-out", "hits": [FIRST]})).unwrap();
    let performance = desk.played(&recipe);
    assert_eq!((performance.made.len(), performance.made[0].played.silenced.is_some()), (1, true));
}

#[test]
fn copies_and_halves_get_ids_that_are_free() {
    let desk = Desk::new();
    let recipe = desk.done(&[
        json!({"kind": "copy-hits", "hits": [0, 1], "quarters": 0.25}),
        json!({"kind": "cut-hits", "hits": [0]}),
    ]);
    let made: Vec<(u64, f64)> =
        desk.played(&recipe).made.iter().map(|one| (one.played.id.get(), one.played.tick.0)).collect();
    // Cut between the hat at 0 and its copy at 240.
    assert_eq!(made, [(FIRST, 240.0), (FIRST + 1, 240.0), (FIRST + 2, 120.0)]);
}

#[test]
fn a_shape_begins_from_how_it_is_played_and_its_handles_push() {
    let desk = Desk::new();
    let shape = |gesture: Value, recipe: &Recipe| {
        let recipe = desk.after(recipe, gesture).unwrap();
        let Action::Shape(shape) = recipe.passes[0].action.clone() else { panic!("{recipe:?}") };
        ([shape.soft, shape.typical, shape.hard], recipe)
    };
    let (values, recipe) =
        shape(json!({"kind": "shape-by", "instrument": "closed-hat", "soft": -40, "typical": -20}), &Recipe::default());
    assert_eq!(values, [Some(60.0), Some(80.0), None], "what is not pulled is not set");
    assert_eq!(recipe.passes[0].aim, Aim::at("closed-hat"));
    let (values, recipe) = shape(json!({"kind": "shape-by", "instrument": "closed-hat", "soft": 50}), &recipe);
    assert_eq!(values, [Some(110.0), Some(110.0), None], "raised above its neighbours it takes them along");
    let (values, _) = shape(json!({"kind": "shape-by", "instrument": "closed-hat", "hard": -500}), &recipe);
    assert_eq!(values, [Some(1.0); 3]);
}

#[test]
fn a_brush_gives_each_hit_its_height() {
    let desk = Desk::new();
    let recipe = desk.done(&[json!({"kind": "paint-hits", "hits": [0, 1, 2], "velocities": [30, 60, 90]})]);
    let played: Vec<u8> = desk.played(&recipe).written.iter().take(3).map(|hit| hit.velocity.get()).collect();
    assert_eq!(played, [30, 60, 90]);
    let refused = desk.after(&Recipe::default(), json!({"kind": "paint-hits", "hits": [0, 1], "velocities": [30]}));
    assert_eq!(refused.unwrap_err().path, "velocities");
}

#[test]
fn each_drum_has_its_level_and_its_contrast() {
    let desk = Desk::new();
    let both = json!(["closed-hat", "snare"]);
    let recipe = desk.done(&[
        json!({"kind": "level-by", "instruments": both, "by": 6}),
        json!({"kind": "contrast-by", "instruments": both, "by": -20}),
        json!({"kind": "level-by", "instruments": ["snare"], "by": -2}),
    ]);
    let does: Vec<(&str, Value)> = recipe
        .passes
        .iter()
        .map(|pass| (pass.aim.instruments[0].as_str(), serde_json::to_value(&pass.action).unwrap()))
        .collect();
    let contrast = json!({"kind": "contrast", "contrast": 80.0, "pivot": null, "around": "mean"});
    let level = |by: f64| json!({"kind": "level", "by": by});
    let wanted =
        [("closed-hat", level(6.0)), ("snare", level(4.0)), ("closed-hat", contrast.clone()), ("snare", contrast)];
    assert_eq!(does, wanted);
    let refused = desk.after(&recipe, json!({"kind": "level-by", "instruments": ["gong"], "by": 1})).unwrap_err();
    assert_eq!(refused.path, "instrument");
}

#[test]
fn a_pass_for_all_becomes_one_for_each() {
    let desk = Desk::new();
    let recipe = desk.done(&[
        json!({"kind": "add-passes", "passes": [{"id": 1, "action": {"kind": "vary", "by": 5}}]}),
        json!({"kind": "pass-for-each", "pass": 1}),
    ]);
    let drums: Vec<Vec<&str>> =
        recipe.passes.iter().map(|pass| pass.aim.instruments.iter().map(|id| id.as_str()).collect()).collect();
    assert_eq!(drums, [["closed-hat"], ["snare"], ["kick"]]);
    assert!(recipe.passes.iter().all(|pass| pass.action == recipe.passes[0].action));
    let all_but = desk.done(&[
        json!({"kind": "add-passes", "passes": [
            {"id": 1, "aim": {"instruments": ["snare"], "invert": true}, "action": {"kind": "vary", "by": 5}}]}),
        json!({"kind": "pass-for-each", "pass": 1}),
    ]);
    let aims: Vec<&Aim> = all_but.passes.iter().map(|pass| &pass.aim).collect();
    assert_eq!(aims, [&Aim::at("closed-hat"), &Aim::at("kick")]);
}

/// The passes' ids, those of a group in brackets.
fn in_groups(recipe: &Recipe) -> String {
    let mut words = String::new();
    for (place, pass) in recipe.passes.iter().enumerate() {
        let before = place.checked_sub(1).and_then(|before| recipe.passes[before].group);
        if pass.group.is_some() && pass.group != before {
            words.push('[');
        }
        words.push_str(&pass.id.0.to_string());
        let behind = recipe.passes.get(place + 1).and_then(|behind| behind.group);
        if pass.group.is_some() && pass.group != behind {
            words.push(']');
        }
    }
    words
}

#[test]
fn passes_come_move_and_go_as_groups() {
    let desk = Desk::new();
    let level = |id: u32| json!({"id": id, "action": {"kind": "level", "by": 1}});
    let two = json!([level(1), level(2)]);
    let start = desk.done(&[
        json!({"kind": "add-passes", "passes": [level(1)], "named": "one is no group"}),
        json!({"kind": "add-passes", "passes": two, "named": "One good take"}),
        json!({"kind": "add-passes", "passes": two, "named": "Another"}),
        json!({"kind": "add-passes", "passes": [level(1)]}),
    ]);
    assert_eq!(in_groups(&start), "1[23][45]6");
    assert_eq!(start.groups[0].name, "One good take");
    let after = |recipe: &Recipe, gesture: Value| desk.after(recipe, gesture).unwrap();
    let shown = |gesture: Value| in_groups(&after(&start, gesture));
    assert_eq!(shown(json!({"kind": "move-group", "group": 1, "by": 1})), "1[45][23]6");
    assert_eq!(shown(json!({"kind": "move-group", "group": 1, "by": -5})), "[23]1[45]6");
    assert_eq!(shown(json!({"kind": "move-pass", "pass": 6, "by": -1})), "1[23][465]");
    assert_eq!(shown(json!({"kind": "move-pass", "pass": 2, "by": -1})), "21[3][45]6");
    assert_eq!(shown(json!({"kind": "leave-group", "pass": 2})), "1[3]2[45]6");
    assert_eq!(shown(json!({"kind": "ungroup", "group": 2})), "1[23]456");
    assert_eq!(shown(json!({"kind": "delete-group", "group": 1})), "1[45]6");
    assert_eq!(shown(json!({"kind": "group-passes", "passes": [6, 1], "name": "mine"})), "[16][23][45]");
    assert_eq!(shown(json!({"kind": "duplicate-pass", "pass": 4})), "1[23][475]6");
    let gone =
        after(&after(&start, json!({"kind": "delete-pass", "pass": 2})), json!({"kind": "delete-pass", "pass": 3}));
    assert_eq!((in_groups(&gone).as_str(), gone.groups.len()), ("1[45]6", 1));
    let less = after(&start, json!({"kind": "change-group", "group": 1, "amount": 50}));
    let refused = desk.after(&start, json!({"kind": "change-group", "group": 1, "amount": 200})).unwrap_err();
    assert_eq!((less.groups[0].amount, refused.path.as_str()), (Percent(50.0), "groups[0].amount"));
    assert!(desk.after(&start, json!({"kind": "move-group", "group": 9, "by": 1})).is_err());
}

#[test]
fn timing_is_leaned_loosened_and_pulled() {
    let desk = Desk::new();
    let lean =
        |recipe: &Recipe, by: f64| desk.after(recipe, json!({"kind": "lean-by", "instrument": "snare", "by": by}));
    let once = lean(&Recipe::default(), 7.3).unwrap();
    let twice = lean(&once, 500.0).unwrap();
    let Action::Lean(leaned) = &twice.passes[0].action else { panic!() };
    assert_eq!((twice.passes.len(), leaned.by), (1, Millis(200.0)));

    // On the grid it is loosened; what is loose then is tightened by loosening less.
    let spread = json!({"kind": "spread-by", "instrument": "closed-hat", "by": 2});
    let loose = desk.done(&[spread]);
    let Action::Loosen(loosen) = &loose.passes[0].action else { panic!() };
    assert_eq!((loosen.early, loosen.late), (Millis(6.0), Millis(6.0)));
    // What another pass moved about is pulled.
    let moved =
        json!({"kind": "add-passes", "passes": [{"id": 1, "action": {"kind": "loosen", "early": 20, "late": 20}}]});
    let pulled = desk.done(&[moved, json!({"kind": "spread-by", "instrument": "closed-hat", "by": -1})]);
    assert!(matches!(&pulled.passes[1].action, Action::Pull(pull) if pull.strength.0 > 0.0));
}

#[test]
fn a_slot_is_drawn_into_a_groove_of_its_own() {
    let desk = Desk::new();
    let draw = |cells: f64, louder: f64| json!({"kind": "draw-slot", "instrument": "closed-hat", "slot": 3, "cells": cells, "louder": louder});
    let recipe = desk.done(&[draw(0.1, 1.0), draw(0.1, 0.5)]);
    assert_eq!(recipe.passes.len(), 1);
    let Action::Groove(groove) = &recipe.passes[0].action else { panic!() };
    let slot = groove.groove.together[&3];
    assert!((slot.offset - 0.2).abs() < 1e-9 && slot.velocity == 0.5);
    let played = desk.hit(&recipe, 2);
    assert_eq!(played.tick, Ticks(480.0 + 0.2 * 240.0));
}

#[test]
fn what_is_not_there_is_named() {
    let desk = Desk::new();
    let path = |gesture: Value| desk.after(&Recipe::default(), gesture).unwrap_err().path;
    assert_eq!(path(json!({"kind": "lean-by", "instrument": "gong", "by": 1})), "instrument");
    assert_eq!(path(json!({"kind": "set-hits", "hits": [9999], "velocity": 1})), "hits");
    assert_eq!(path(json!({"kind": "set", "pass": 7, "setting": "by", "value": 1})), "pass");
    assert_eq!(path(json!({"kind": "duplicate-pass", "pass": 7})), "pass");
    let far = json!({"kind": "copy-hits", "hits": [0], "quarters": 1e5});
    assert!(path(far).ends_with(".tick"));
    let lean = desk.done(&[json!({"kind": "lean-by", "instrument": "snare", "by": 1})]);
    let error = desk.after(&lean, json!({"kind": "set", "pass": 1, "setting": "by", "value": 900})).unwrap_err();
    assert_eq!(error.path, "passes[0].action.by");
}

#[test]
fn one_more_for_the_others_is_aimed_at_them() {
    let desk = Desk::new();
    let lean = desk.done(&[
        json!({"kind": "lean-by", "instrument": "snare", "by": 1}),
        json!({"kind": "duplicate-pass", "pass": 1, "others": true}),
    ]);
    assert_eq!(
        lean.passes.iter().map(|pass| (pass.id.0, pass.aim.invert)).collect::<Vec<_>>(),
        [(1, false), (2, true)]
    );
    assert_eq!(lean.passes[1].aim.turned(), Some(Turned::Instruments));
}

#[test]
fn passes_are_changed_moved_and_deleted() {
    let desk = Desk::new();
    let level = |by: f64| json!({"id": 1, "action": {"kind": "level", "by": by}});
    let recipe = desk.done(&[
        json!({"kind": "add-passes", "passes": [level(1.0)]}),
        json!({"kind": "add-passes", "passes": [level(2.0)]}),
        json!({"kind": "add-passes", "passes": [level(3.0)]}),
        json!({"kind": "move-pass", "pass": 1, "by": 9}),
        json!({"kind": "change-pass", "pass": 2, "on": false, "name": "Softly", "aim": {"instruments": ["snare"]}}),
        json!({"kind": "delete-pass", "pass": 3}),
    ]);
    let told: Vec<_> = recipe.passes.iter().map(|pass| (pass.id.0, pass.on, pass.name.as_deref())).collect();
    assert_eq!(told, [(2, false, Some("Softly")), (1, true, None)]);
    assert_eq!(recipe.passes[0].aim, Aim::at("snare"));
    let wrong = json!({"kind": "change-pass", "pass": 2, "aim": {"bars": [{"from": 3, "to": 1}]}});
    assert_eq!(desk.after(&recipe, wrong).unwrap_err().path, "passes[0].aim.bars[0]");
    let instead = json!({"kind": "add-passes", "passes": [level(9.0)], "instead": true});
    assert_eq!(desk.after(&recipe, instead).unwrap().passes.len(), 1);
}

fn gestures() -> impl Strategy<Value = Value> {
    let hits = || {
        let id = prop_oneof![0..30u64, FIRST..FIRST + 8, Just((1 << 52) + 5)];
        vec(id, 0..4)
    };
    let instrument = || prop_oneof![Just("closed-hat"), Just("snare"), Just("kick"), Just("moon")];
    let number = || prop_oneof![-200.0..200.0, Just(0.0), Just(1e9), Just(-1e300)];
    prop_oneof![
        (hits(), number(), number()).prop_map(|(hits, velocity, time)| json!({"kind": "move-hits", "hits": hits, "velocity": velocity, "time": time})),
        (hits(), number(), number()).prop_map(|(hits, ticks, at)| json!({"kind": "move-hits", "hits": hits, "ticks": ticks, "at": at})),
        (hits(), 1..128u8).prop_map(|(hits, velocity)| json!({"kind": "set-hits", "hits": hits, "velocity": velocity})),
        (hits(), instrument()).prop_map(|(hits, instrument)| json!({"kind": "put-on", "hits": hits, "instrument": instrument})),
        (hits(), instrument(), prop_oneof![Just("head"), Just("side stick"), Just("moon")]).prop_map(|(hits, instrument, stroke)| json!({"kind": "put-on", "hits": hits, "instrument": instrument, "stroke": stroke})),
        (hits(), prop_oneof![Just("struck"), Just("side stick"), Just("moon")]).prop_map(|(hits, stroke)| json!({"kind": "strike-by", "hits": hits, "stroke": stroke})),
        (hits(), any::<i32>()).prop_map(|(hits, keys)| json!({"kind": "transpose", "hits": hits, "keys": keys})),
        (hits(), number()).prop_map(|(hits, ticks)| json!({"kind": "lengthen", "hits": hits, "ticks": ticks})),
        hits().prop_map(|hits| json!({"kind": "take-out", "hits": hits})),
        hits().prop_map(|hits| json!({"kind": "bring-back", "hits": hits})),
        hits().prop_map(|hits| json!({"kind": "cut-hits", "hits": hits})),
        (hits(), number()).prop_map(|(hits, quarters)| json!({"kind": "copy-hits", "hits": hits, "quarters": quarters})),
        (instrument(), number(), 1..128u8, any::<bool>()).prop_map(|(instrument, tick, velocity, snapped)| json!({"kind": "add-hit", "instrument": instrument, "tick": tick, "velocity": velocity, "snapped": snapped})),
        (instrument(), number(), number()).prop_map(|(instrument, soft, hard)| json!({"kind": "shape-by", "instrument": instrument, "soft": soft, "hard": hard})),
        (instrument(), number()).prop_map(|(instrument, by)| json!({"kind": "lean-by", "instrument": instrument, "by": by})),
        (instrument(), number()).prop_map(|(instrument, by)| json!({"kind": "spread-by", "instrument": instrument, "by": by})),
        (instrument(), 0..40u32, number(), number()).prop_map(|(instrument, slot, cells, louder)| json!({"kind": "draw-slot", "instrument": instrument, "slot": slot, "cells": cells, "louder": louder})),
        (1..5u32, prop_oneof![Just("by"), Just("soft"), Just("strength"), Just("moon")], number()).prop_map(|(pass, setting, value)| json!({"kind": "set", "pass": pass, "setting": setting, "value": value})),
        (1..5u32, -3..4i32).prop_map(|(pass, by)| json!({"kind": "move-pass", "pass": pass, "by": by})),
        (1..5u32, any::<bool>()).prop_map(|(pass, on)| json!({"kind": "change-pass", "pass": pass, "on": on})),
        (1..5u32).prop_map(|pass| json!({"kind": "delete-pass", "pass": pass})),
        (1..5u32, any::<bool>()).prop_map(|(pass, others)| json!({"kind": "duplicate-pass", "pass": pass, "others": others})),
    ]
}

proptest! {
    /// Whatever is done, what comes of it is a recipe that can be kept and read again, or a refusal.
    #[test]
    fn every_gesture_leaves_a_good_recipe(gestures in vec(gestures(), 1..12)) {
        let desk = Desk::new();
        let mut recipe = Recipe::default();
        for gesture in gestures {
            let Ok(next) = desk.after(&recipe, gesture.clone()) else { continue };
            let text = serde_json::to_string(&next).unwrap();
            let again = Recipe::from_value(serde_json::from_str(&text).unwrap());
            prop_assert_eq!(again.as_ref(), Ok(&next), "{}", gesture);
            for hit in desk.played(&next).hits() {
                prop_assert!((1..=127).contains(&hit.velocity.get()) && hit.tick.0 >= 0.0 && hit.length.0 >= 1.0);
            }
            recipe = next;
        }
    }
}

#[test]
fn numbers_that_no_pointer_makes_are_refused_by_name() {
    let desk = Desk::new();
    for far in [1e308, -1e308, 1e12] {
        for (gesture, field) in [
            (json!({"kind": "add-hit", "instrument": "kick", "tick": far, "velocity": 9, "snapped": true}), "tick"),
            (json!({"kind": "move-hits", "hits": [1], "ticks": far, "at": 0}), "ticks"),
            (json!({"kind": "move-hits", "hits": [1], "ticks": 1, "at": far}), "at"),
            (json!({"kind": "copy-hits", "hits": [1], "quarters": far}), "quarters"),
            (json!({"kind": "lean-by", "instrument": "kick", "by": far}), "by"),
            (json!({"kind": "draw-slot", "instrument": "kick", "slot": 1, "cells": far, "louder": 1}), "cells"),
        ] {
            let refused = desk.after(&Recipe::default(), gesture).unwrap_err();
            assert_eq!(refused.path, field, "{refused}");
        }
    }
}
